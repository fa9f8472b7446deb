using System.Reflection;
using ArchUnitNET.Loader;
using Assignum.Testing;
using static ArchUnitNET.Fluent.ArchRuleDefinition;
using Type = System.Type;

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

    /// <summary>Pages and the HTTP interface go through tasks and show what tasks return; what starts the program opens the
    /// database.</summary>
    [Fact]
    public void Nothing_but_the_program_itself_knows_the_storage()
    {
        ReachingStorage(typeof(Desk.DeskContext).Assembly).ShouldContain(n => n.Contains("DeskContext"));
        ReachingStorage(typeof(Program).Assembly).Where(n => n != "Program").ShouldBeEmpty();
    }

    // Read once: every method of every assembly is gone through.
    private static readonly Lazy<ArchUnitNET.Domain.Architecture> All = new(() =>
        new ArchLoader()
            .LoadAssemblies(
                typeof(Desk.DeskContext).Assembly,
                typeof(Program).Assembly,
                typeof(Storage.Database).Assembly
            )
            .Build()
    );

    private static IEnumerable<string> ReachingStorage(System.Reflection.Assembly of)
    {
        return Types()
            .That()
            .ResideInAssembly(of)
            .Should()
            .NotDependOnAnyTypesThat()
            .ResideInAssembly(typeof(Storage.Database).Assembly)
            .Evaluate(All.Value)
            .Where(r => !r.Passed)
            .Select(r => r.EvaluatedObject.ToString()!.Split('/', '+', '<')[0])
            .Distinct();
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

    /// <summary>Read as text: the compiler's rules of style, of which this is the one that is wanted, took a sixth of a
    /// build.</summary>
    [Fact]
    public void A_file_has_one_namespace_for_all_of_it()
    {
        var read = new[] { "src", "tests", "benchmarks" }
            .SelectMany(f =>
                Directory.EnumerateFiles(Path.Combine(ProjectFiles.Root, f), "*.cs", SearchOption.AllDirectories)
            )
            .Where(f =>
                !f.Contains("/obj/", StringComparison.Ordinal) && !f.Contains("/bin/", StringComparison.Ordinal)
            )
            .Select(f =>
                (
                    File: f,
                    Lines: File.ReadAllLines(f)
                        .Where(l => l.StartsWith("namespace ", StringComparison.Ordinal))
                        .ToList()
                )
            )
            .ToList();
        read.Count(f => f.Lines.Count == 1).ShouldBeGreaterThan(300);
        read.Where(f => f.Lines.Count > 1 || f.Lines.Exists(l => !l.EndsWith(';'))).Select(f => f.File).ShouldBeEmpty();
    }

    private static IEnumerable<string> References(Type inside) =>
        inside.Assembly.GetReferencedAssemblies().Select(a => a.Name!);
}
