using ArchUnitNET.Domain;
using ArchUnitNET.Loader;
using static ArchUnitNET.Fluent.ArchRuleDefinition;

namespace Assignum.Core.Tests;

/// <summary>A folder of the core uses only folders above it, from the ground up: so no two use each other.</summary>
public class Layers
{
    private static readonly Architecture Core = new ArchLoader().LoadAssemblies(typeof(Fault).Assembly).Build();

    private static readonly string[] FromTheGroundUp =
    [
        "Money",
        "Calendar",
        "Chart",
        "Tax",
        "Records",
        "Landing",
        "SetUps",
        "Tables",
        "Events",
        "Entries",
        "Ledger",
        "Statements",
        "Books",
        "Coverage",
        "Checks",
        "Upkeep",
        "Editions",
        "Work",
        "Pairing",
        "Feeding",
        "Access",
    ];

    private static string In(string folder) => $@"^Assignum\.Core\.{folder}(\..*)?$";

    [Fact]
    public void Every_folder_uses_only_those_above_it()
    {
        var folders = Core
            .Types.Select(t => t.Namespace.FullName.Split('.'))
            .Where(n => n.Length > 2 && n[0] == "Assignum" && n[1] == "Core")
            .Select(n => n[2])
            .Distinct();
        // A new folder has a place in the order before it has a file.
        folders.Except(FromTheGroundUp).ShouldBeEmpty();
        var wrong = new List<string>();
        for (var i = 0; i < FromTheGroundUp.Length - 1; i++)
        {
            var below = string.Join('|', FromTheGroundUp.Skip(i + 1).Select(In));
            var rule = Types()
                .That()
                .ResideInNamespaceMatching(In(FromTheGroundUp[i]))
                .Should()
                .NotDependOnAnyTypesThat()
                .ResideInNamespaceMatching(below)
                .WithoutRequiringPositiveResults();
            wrong.AddRange(rule.Evaluate(Core).Where(r => !r.Passed).Select(r => r.Description));
        }
        wrong.ShouldBeEmpty();
        // The same question finds what is there: entries do use landings.
        Types()
            .That()
            .ResideInNamespaceMatching(In("Entries"))
            .Should()
            .NotDependOnAnyTypesThat()
            .ResideInNamespaceMatching(In("Landing"))
            .HasNoViolations(Core)
            .ShouldBeFalse();
    }

    [Fact]
    public void What_stands_at_the_root_uses_no_folder()
    {
        var rule = Types()
            .That()
            .ResideInNamespaceMatching(@"^Assignum\.Core$")
            .Should()
            .NotDependOnAnyTypesThat()
            .ResideInNamespaceMatching(@"^Assignum\.Core\..+$");
        rule.Evaluate(Core).Where(r => !r.Passed).Select(r => r.Description).ShouldBeEmpty();
    }
}
