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
    [InlineData(typeof(Program), "Assignum.Core Assignum.Desk Assignum.Formats Assignum.Storage")]
    public void An_assembly_knows_only_what_lies_below_it(Type inside, string allowed) =>
        References(inside).Where(n => n.StartsWith("Assignum.", StringComparison.Ordinal)).Except(allowed.Split(' ')).ShouldBeEmpty();

    [Fact]
    public void The_core_knows_no_database_no_web_and_no_files() =>
        References(typeof(Core.Fault)).Where(n => !n.StartsWith("System.", StringComparison.Ordinal) || n.Contains("Data") || n.Contains("Net.Http") || n.Contains("FileSystem") || n.Contains("Text.Json")).ShouldBeEmpty();

    private static IEnumerable<string> References(Type inside) => inside.Assembly.GetReferencedAssemblies().Select(a => a.Name!);
}
