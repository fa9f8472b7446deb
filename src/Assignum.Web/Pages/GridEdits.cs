using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages;

/// <summary>A cell that was changed in a grid.</summary>
/// <param name="Number">The row: its key as <see cref="GridEdits.KeyOf"/> writes it; one that begins with <c>new:</c>
/// is a new row.</param>
/// <param name="Was">What the cell held when its author saw it; null: it was not on the screen.</param>
public sealed record CellEdit(string? Number, string? Column, string? Was, string? Value);

/// <summary>A row that was taken away in a grid.</summary>
/// <param name="Stamp">What its author saw, as <see cref="GridEdits.Stamp"/> writes it.</param>
public sealed record RowGone(string? Number, string? Stamp);

/// <summary>What a grid sends: the cells, the rows taken away, and what is done in words.</summary>
public sealed record CellEdits(
    string? What,
    string? Reason,
    IReadOnlyList<CellEdit>? Edits,
    IReadOnlyList<RowGone>? Gone
);

/// <summary>Cells changed in a grid as edits of a part's rows, and what came of them as a grid reads it.</summary>
public static class GridEdits
{
    /// <summary>Edits taken at once: a pasted block of 5,000 accounts by all columns.</summary>
    public const int Most = 120_000;

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

    /// <summary>Whether what was sent can be looked at, else why not.</summary>
    public static IActionResult? Refused(CellEdits? sent)
    {
        var count = (sent?.Edits?.Count(e => e is not null) ?? 0) + (sent?.Gone?.Count(g => g is not null) ?? 0);
        return count is > 0 and <= Most
            ? null
            : Refuse(
                422,
                [
                    new
                    {
                        number = "",
                        column = "",
                        message = count == 0
                            ? "Nothing was changed."
                            : $"More than {Most} cells at once: bring them in as a file.",
                    },
                ]
            );
    }

    /// <summary>Changes cells: all of them, or none with what is wrong by cell.</summary>
    /// <param name="shown">The cell of the grid that a cell of the part's rows stands in, where the two are not the
    /// same.</param>
    public static async Task<IActionResult> SaveAsync(
        EditSetUp edit,
        Desk.Access.Actor actor,
        string entity,
        Part part,
        CellEdits? sent,
        string what,
        CancellationToken stop,
        Func<(string Number, string Column), (string Number, string Column)>? shown = null
    )
    {
        if (Refused(sent) is { } no)
            return no;
        if (!string.IsNullOrWhiteSpace(sent!.What) && sent.What.Length <= 200)
            what = sent.What;
        var order = new List<string>();
        var made = await edit.MakeAsync(
            actor,
            entity,
            what,
            string.IsNullOrWhiteSpace(sent.Reason) ? null : sent.Reason.Trim(),
            (now, faults) => Changes(part, now, sent, order, faults),
            stop
        );
        if (made.Refused is null)
            return new JsonResult(new { change = made.Result!.Id, rows = made.Result.Plan.Changes.Count });
        var wrong = made.Result?.Plan.Faults.Select(f =>
            (At: (Number: f.Row > 0 && f.Row <= order.Count ? order[f.Row - 1] : "", f.Column), f.Message)
        ) ?? made.Faults.Select(f => (At: (Number: f.Account ?? "", Column: f.Path), f.Message));
        var said = wrong
            .Select(w => (At: shown?.Invoke(w.At) ?? w.At, w.Message))
            .Select(w =>
                (object)
                    new
                    {
                        number = w.At.Number,
                        column = w.At.Column,
                        message = w.Message,
                    }
            );
        return Refuse(
            made.Refused switch
            {
                Refusal.Forbidden => 403,
                Refusal.Conflict => 409,
                _ => 422,
            },
            [.. said]
        );
    }

    /// <summary>What a grid's changes would make of the newest events; nothing is changed.</summary>
    public static async Task<IActionResult> ForeseeAsync(
        EntityPage page,
        CompareSetUps compare,
        Part part,
        CellEdits? sent
    )
    {
        if (Refused(sent) is { } no)
            return no;
        var foreseen = await compare.OfEditsAsync(
            page.Actor,
            page.State,
            (now, faults) => Changes(part, now, sent!, [], faults),
            page.HttpContext.RequestAborted
        );
        return page.Partial(
            "_Consequences",
            (foreseen.Result ?? Foreseen.Nothing(foreseen.Faults), page.EntityCode, page.State.Currency)
        );
    }

    /// <summary>Undoes a change a grid made.</summary>
    public static async Task<IActionResult> UndoAsync(
        EditSetUp edit,
        Desk.Access.Actor actor,
        string entity,
        long change,
        CancellationToken stop
    )
    {
        var undone = await edit.UndoAsync(actor, entity, change, stop);
        return undone.Refused is null
            ? new JsonResult(new { change = undone.Result!.Id, rows = undone.Result.Plan.Changes.Count })
            : Refuse(
                undone.Refused == Refusal.Forbidden ? 403 : 409,
                [
                    .. undone.Faults.Select(f => new
                    {
                        number = "",
                        column = "",
                        message = f.Message,
                    }),
                ]
            );
    }

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
        var accounts = new Lazy<Core.Chart.AccountWords>(() =>
            new Core.Chart.AccountWords(now.Accounts, now.FormerNumbers)
        );
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
                        $"{part.Describe(row)}: somebody else changed it. Look at it again before you take it away.",
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
                    x.Change.Before is null ? ChangeKind.Added
                        : x.Change.After is null ? ChangeKind.Removed
                        : ChangeKind.Changed,
                    x.Change.Before is null ? part.KeyOf(x.Change.After!) : Key(part, x.Number),
                    x.Change.Before,
                    x.Change.After
                ))
                .Select(e => Core.Tables.DefaultGroup.Filled(now, e)),
        ];
        faults.AddRange(
            Core.Tables.UnfitEdits.Refused(now, edits)
                .Select(r => new Fault("unfit", r.Message, "account", Account: order[r.Edit]))
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

    /// <summary>A refusal as a grid reads it.</summary>
    public static JsonResult Refuse(int status, IReadOnlyList<object> faults) =>
        new(new { faults }) { StatusCode = status };

    private static string Key(Part part, string number) =>
        part.Keys.Count == 1 ? number : string.Join('\u001f', number.Split('|').Select(Uri.UnescapeDataString));

    private static string?[]? Row(Part part, SetUp now, string number) =>
        number.Split('|').Length == part.Keys.Count || part.Keys.Count == 1 ? part.Row(now, Key(part, number)) : null;

    private static string Said(Part part, string number) =>
        part.Keys.Count == 1
            ? number
            : string.Join(" · ", number.Split('|').Select(Uri.UnescapeDataString).Where(c => c.Length > 0));
}
