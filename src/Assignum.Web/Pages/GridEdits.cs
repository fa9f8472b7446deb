using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages;

/// <summary>Cells changed in a grid as edits of a part's rows, and what came of them as a grid reads it.</summary>
public static class GridEdits
{
    /// <summary>Edits taken at once: a pasted block of 5,000 accounts by all columns.</summary>
    public const int Most = 120_000;

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
        IReadOnlyList<RowChange> rows = [];
        var made = await edit.MakeAsync(
            actor,
            entity,
            what,
            string.IsNullOrWhiteSpace(sent.Reason) ? null : sent.Reason.Trim(),
            (now, faults) =>
            {
                order.Clear();
                return rows = RowCells.Changes(part, now, sent, order, faults);
            },
            stop
        );
        if (made.Refused is null)
            return new JsonResult(
                new
                {
                    change = made.Result!.Id,
                    rows = made.Result.Plan.Changes.Count,
                    keys = shown is null ? RowCells.Renamed(part, order, rows) : null,
                }
            );
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
            page.Visit,
            (now, faults) => RowCells.Changes(part, now, sent!, [], faults),
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

    /// <summary>A refusal as a grid reads it.</summary>
    public static JsonResult Refuse(int status, IReadOnlyList<object> faults) =>
        new(new { faults }) { StatusCode = status };
}
