using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Formats.Tests;

/// <summary>An empty set-up for the entity that a bundle is of.</summary>
internal static class NewEntity
{
    public static SetUp Empty(IReadOnlyList<Sheet> sheets)
    {
        var row = sheets.Single(s => s.Part == Parts.Entity).Rows[0].Cells;
        return SetUpDefaults.Empty(new Entity(row[0]!, row[1]!, row[2]!));
    }
}
