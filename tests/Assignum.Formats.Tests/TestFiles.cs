using Assignum.Core.SetUps;

namespace Assignum.Formats.Tests;

/// <summary>Finds the files that tests read.</summary>
internal static class TestFiles
{
    /// <summary>The folder that holds Assignum.slnx.</summary>
    public static string Root { get; } = Find(AppContext.BaseDirectory);

    private static string Find(string from)
    {
        for (var at = new DirectoryInfo(from); at is not null; at = at.Parent)
            if (File.Exists(Path.Combine(at.FullName, "Assignum.slnx"))) return at.FullName;
        throw new InvalidOperationException("Assignum.slnx was not found above " + from);
    }
}

/// <summary>An empty set-up for the entity that a bundle is of.</summary>
internal static class NewEntity
{
    public static SetUp Empty(IReadOnlyList<Sheet> sheets)
    {
        var row = sheets.Single(s => s.Part == Parts.Entity).Rows[0].Cells;
        return SetUpDefaults.Empty(new Entity(row[0]!, row[1]!, row[2]!));
    }
}
