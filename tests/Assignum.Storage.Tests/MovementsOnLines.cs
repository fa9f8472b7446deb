using System.Text.RegularExpressions;
using Assignum.Testing;

namespace Assignum.Storage.Tests;

/// <summary>Movements stand on lines, and a view tells them (docs/decisions/0031).</summary>
public sealed partial class MovementsOnLines
{
    // A join reaches no index of the lines behind the view: it goes through all of them.
    [GeneratedRegex(@"join\s+subledger_movement\s+\w+\s+on\b", RegexOptions.IgnoreCase)]
    private static partial Regex Joined { get; }

    [Fact]
    public void Whoever_looks_for_the_movement_of_a_line_asks_beside_the_line()
    {
        Joined.IsMatch("left join subledger_movement m on m.entry_id = l.entry_id").ShouldBeTrue();
        var sources = Directory.GetFiles(Path.Combine(ProjectFiles.Root, "src", "Assignum.Storage"), "*.cs");
        sources
            .Count(f => File.ReadAllText(f).Contains("subledger_movement", StringComparison.Ordinal))
            .ShouldBeGreaterThan(5);
        sources.Where(f => Joined.IsMatch(File.ReadAllText(f))).ShouldBeEmpty();
    }
}
