using System.Reflection;

namespace Assignum.Web.Tests;

/// <summary>Arrows between the assemblies point one way.</summary>
public class Houses
{
    [Theory]
    [InlineData(typeof(Core.Fault), "")]
    [InlineData(typeof(Formats.Bundles.Bundle), "Assignum.Core")]
    [InlineData(typeof(Storage.Database), "Assignum.Core")]
    [InlineData(typeof(Desk.DeskContext), "Assignum.Core Assignum.Formats Assignum.Storage")]
    public void An_assembly_knows_only_what_lies_below_it(Type inside, string allowed) =>
        References(inside)
            .Where(n => n.StartsWith("Assignum.", StringComparison.Ordinal))
            .Except(allowed.Split(' '))
            .ShouldBeEmpty();

    /// <summary>Pages and the HTTP interface go through tasks. They may name what tasks return, but open no connection
    /// and ask no store; what starts the program and who signs in does.</summary>
    [Fact]
    public void No_page_and_no_call_reaches_past_the_tasks_to_the_database()
    {
        var web = Path.Combine(Testing.ProjectFiles.Root, "src", "Assignum.Web");
        var files = Directory
            .EnumerateFiles(web, "*.cs*", SearchOption.AllDirectories)
            .Where(f => f.EndsWith(".cs", StringComparison.Ordinal) || f.EndsWith(".cshtml", StringComparison.Ordinal))
            .Select(f => (Name: Path.GetRelativePath(web, f), Text: File.ReadAllText(f)))
            .Where(f =>
                !f.Name.StartsWith("obj", StringComparison.Ordinal)
                && !f.Name.StartsWith("bin", StringComparison.Ordinal)
            )
            .ToList();
        string[] Reaching(bool composes) =>
            [
                .. files
                    .Where(f =>
                        composes
                        == (
                            f.Name == "Program.cs"
                            || f.Name.StartsWith("Access", StringComparison.Ordinal)
                            || f.Name.StartsWith("Start", StringComparison.Ordinal)
                        )
                    )
                    .SelectMany(f =>
                        System
                            .Text.RegularExpressions.Regex.Matches(
                                f.Text,
                                @"\b[A-Z]\w*Store\.\w+|Npgsql(Connection|Command|DataSource|DataReader)|\bDatabase\.\w+|"
                                    + @"\.OpenAsync\(|\bdatabase\.(Open|Command|Batch)\w*"
                            )
                            .Select(m => $"{f.Name}: {m.Value}")
                    ),
            ];
        files.Count.ShouldBeGreaterThan(100);
        Reaching(composes: false).ShouldBeEmpty();
        // The same search finds those that do, so it would find a page that did.
        Reaching(composes: true).ShouldNotBeEmpty();
    }

    [Fact]
    public void The_core_knows_no_database_no_web_and_no_files() =>
        References(typeof(Core.Fault))
            .Where(n =>
                // Days and time zones are a library's; it is as pure as the core.
                !n.StartsWith("System.", StringComparison.Ordinal) && n != "NodaTime"
                || n.Contains("Data")
                || n.Contains("Net.Http")
                || n.Contains("FileSystem")
                || n.Contains("Text.Json")
            )
            .ShouldBeEmpty();

    private static IEnumerable<string> References(Type inside) =>
        inside.Assembly.GetReferencedAssemblies().Select(a => a.Name!);
}
