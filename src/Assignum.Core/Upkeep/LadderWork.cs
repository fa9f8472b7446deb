using System.Globalization;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>Changes of a purpose's ladder and of what it borrows, as edits.</summary>
public static class LadderWork
{
    /// <summary>The rungs asked for as rows; none where they are as shipped.</summary>
    /// <param name="take">Whether assignments on rungs that go are taken along.</param>
    public static IReadOnlyList<RowChange> Edits(
        SetUp now,
        Purpose purpose,
        List<string> asked,
        bool take,
        List<Fault> faults
    )
    {
        foreach (var name in asked)
            if (Rung.Parse(name, out var why) is null)
                faults.Add(new Fault("bad-rung", why, "add"));
        if (faults.Count > 0)
            return [];
        var rows = Parts
            .Ladders.Write(now)
            .Where(r => r[0] == purpose.Name)
            .ToDictionary(Parts.Ladders.KeyOf, StringComparer.Ordinal);
        var wanted = asked.SequenceEqual(purpose.Shipped.Select(r => r.Name))
            ? new Dictionary<string, string?[]>()
            : (asked.Count == 0 ? ["default"] : asked)
                .Select((r, i) => new string?[] { purpose.Name, (i + 1).ToString(CultureInfo.InvariantCulture), r })
                .ToDictionary(Parts.Ladders.KeyOf, StringComparer.Ordinal);
        var edits = new List<RowChange>();
        foreach (var key in rows.Keys.Union(wanted.Keys).Order(StringComparer.Ordinal))
        {
            var (before, after) = (rows.GetValueOrDefault(key), wanted.GetValueOrDefault(key));
            if (before is not null && after is not null && before.AsSpan().SequenceEqual(after))
                continue;
            edits.Add(new RowChange(Parts.Ladders, key, before, after));
        }
        if (!take)
            return edits;
        var sets = asked.Select(r => Rung.Parse(r, out _)!.Set).Append(0).ToHashSet();
        var off = now with
        {
            Assignments = [.. now.Assignments.Where(a => a.Purpose == purpose.Name && !sets.Contains(a.Set))],
        };
        return [.. edits, .. Parts.Assignments.Write(off).Select(r => SetUpEdit.Row(Parts.Assignments, r, null))];
    }

    /// <summary>Borrows from another purpose, or no longer.</summary>
    /// <param name="from">Empty: no longer.</param>
    public static IReadOnlyList<RowChange> Borrow(SetUp now, string purpose, string? from)
    {
        var row = Parts.Borrows.Row(now, purpose);
        if (string.IsNullOrEmpty(from))
            return row is null ? [] : [SetUpEdit.Row(Parts.Borrows, row, null)];
        return row?[1] == from
            ? []
            :
            [
                SetUpEdit.Row(
                    Parts.Borrows,
                    row,
                    new Dictionary<string, string?> { ["purpose"] = purpose, ["from"] = from }
                ),
            ];
    }
}
