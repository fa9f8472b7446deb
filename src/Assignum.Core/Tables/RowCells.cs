using Assignum.Core.Chart;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>A cell that was changed in a grid.</summary>
/// <param name="Number">The row: its key as <see cref="RowCells.KeyOf"/> writes it; one that begins with <c>new:</c>
/// is a new row.</param>
/// <param name="Was">What the cell held when its author saw it; null: it was not on the screen.</param>
public sealed record CellEdit(string? Number, string? Column, string? Was, string? Value);

/// <summary>A row that was taken away in a grid.</summary>
/// <param name="Stamp">What its author saw, as <see cref="RowCells.Stamp"/> writes it.</param>
public sealed record RowGone(string? Number, string? Stamp);

/// <summary>What a grid sends: the cells, the rows taken away, and what is done in words.</summary>
public sealed record CellEdits(
    string? What,
    string? Reason,
    IReadOnlyList<CellEdit>? Edits,
    IReadOnlyList<RowGone>? Gone
);

/// <summary>Cells that were changed as edits of a part's rows: each against what its author saw.</summary>
public static class RowCells
{
    private const string New = "new:";

    /// <summary>A row's key as one word of an address or an attribute.</summary>
    public static string KeyOf(Part part, string?[] cells) =>
        part.Keys.Count == 1
            ? cells[part.Keys[0]] ?? ""
            : string.Join('|', part.Keys.Select(k => Uri.EscapeDataString(cells[k] ?? "")));

    /// <summary>A short text that differs where any cell of the row does.</summary>
    public static string Stamp(string?[] cells) =>
        Convert.ToHexString(
            System
                .Security.Cryptography.SHA256.HashData(
                    System.Text.Encoding.UTF8.GetBytes(string.Join('\u001f', cells.Select(c => c ?? "\u001e")))
                )
                .AsSpan(0, 8)
        );

    /// <summary>Rows as they are now with the cells put in; what each author saw of them goes along, so that a conflict
    /// is told by cell.</summary>
    /// <param name="order">Takes the rows' keys in the order of the edits: a fault's row counts in it from 1.</param>
    public static IReadOnlyList<RowChange> Changes(
        Part part,
        SetUp now,
        CellEdits sent,
        List<string> order,
        List<Fault> faults
    )
    {
        var position = part
            .Columns.Select((c, i) => (c.Name, i))
            .ToDictionary(x => x.Name, x => x.i, StringComparer.Ordinal);
        var changes = new Dictionary<string, (string?[]? Before, string?[]? After)>(StringComparer.Ordinal);
        var accounts = new Lazy<AccountWords>(() => new AccountWords(now.Accounts, now.FormerNumbers));
        Fault Missing(string number, string column) =>
            new(
                "changed-meanwhile",
                $"{Said(part, number)} is no longer there: somebody took it away or gave it another "
                    + $"{part.Columns[part.Keys[0]].Name}.",
                column,
                Account: number
            );
        foreach (var cell in (sent.Edits ?? []).OfType<CellEdit>())
        {
            var (number, column) = (cell.Number ?? "", cell.Column ?? "");
            if (!position.TryGetValue(column, out var at))
            {
                faults.Add(
                    new Fault(
                        "unknown-column",
                        $"There is no field '{(column.Length > 40 ? column[..40] : column)}'.",
                        column,
                        Account: number
                    )
                );
                continue;
            }
            if (!changes.TryGetValue(number, out var change))
            {
                if (number.StartsWith(New, StringComparison.Ordinal))
                    change = (null, [.. part.Columns.Select(c => c.Unset)]);
                else if (Row(part, now, number) is { } row)
                    change = ((string?[])row.Clone(), (string?[])row.Clone());
                else
                {
                    faults.Add(Missing(number, column));
                    continue;
                }
                changes[number] = change;
                order.Add(number);
            }
            if (cell.Was is not null && change.Before is not null)
                change.Before[at] = cell.Was.Length == 0 ? null : cell.Was;
            change.After![at] = TypedCell.Of(part, part.Columns[at], cell.Value, accounts.Value, out var why);
            if (why.Length > 0)
                faults.Add(new Fault("unknown-reference", why, column, Account: number));
        }
        foreach (var gone in (sent.Gone ?? []).OfType<RowGone>())
        {
            var number = gone.Number ?? "";
            if (Row(part, now, number) is not { } row)
            {
                faults.Add(Missing(number, ""));
                continue;
            }
            if (gone.Stamp != Stamp(row))
            {
                faults.Add(
                    new Fault(
                        "changed-meanwhile",
                        $"{part.Describe(row)}: somebody else changed it. Look at it again before you delete it.",
                        "",
                        Account: number
                    )
                );
                continue;
            }
            if (!changes.ContainsKey(number))
                order.Add(number);
            changes[number] = (row, null);
        }
        RowChange[] edits =
        [
            .. order
                .Select(n => (Number: n, Change: changes[n]))
                .Select(x => new RowChange(
                    part,
                    x.Change.Before is null ? part.KeyOf(x.Change.After!) : Key(part, x.Number),
                    x.Change.Before,
                    x.Change.After
                ))
                .Select(e => DefaultGroup.Filled(now, e)),
        ];
        faults.AddRange(
            UnfitEdits.Refused(now, edits).Select(r => new Fault("unfit", r.Message, r.Column, Account: order[r.Edit]))
        );
        // All that is wrong is told at once, also what the rows as a whole say.
        if (faults.Count > 0)
        {
            var told = faults.Select(f => (f.Account, f.Path)).ToHashSet();
            faults.AddRange(
                SetUpEdit
                    .Plan(now, edits, (_, _) => false)
                    .Faults.Where(f => f.Row > 0 && told.Add((order[f.Row - 1], f.Column)))
                    .Select(f => new Fault(f.Code, f.Message, f.Column, Account: order[f.Row - 1]))
            );
        }
        return edits;
    }

    /// <summary>The keys that rows have after an edit, by those they were sent by, where the two are not the same.</summary>
    /// <param name="order">The rows' keys as they were sent, one for each edit.</param>
    public static IReadOnlyDictionary<string, string> Renamed(
        Part part,
        IReadOnlyList<string> order,
        IReadOnlyList<RowChange> edits
    ) =>
        order
            .Zip(edits)
            .Where(x => x.Second.After is not null)
            .Select(x => (Sent: x.First, Now: KeyOf(part, x.Second.After!)))
            .Where(x => x.Sent != x.Now)
            .ToDictionary(x => x.Sent, x => x.Now, StringComparer.Ordinal);

    private static string Key(Part part, string number) =>
        part.Keys.Count == 1 ? number : string.Join('\u001f', number.Split('|').Select(Uri.UnescapeDataString));

    private static string?[]? Row(Part part, SetUp now, string number) =>
        number.Split('|').Length == part.Keys.Count || part.Keys.Count == 1 ? part.Row(now, Key(part, number)) : null;

    private static string Said(Part part, string number) =>
        part.Keys.Count == 1
            ? number
            : string.Join(" · ", number.Split('|').Select(Uri.UnescapeDataString).Where(c => c.Length > 0));
}
