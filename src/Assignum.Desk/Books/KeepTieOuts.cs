using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk.Access;
using Assignum.Formats.Lists;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>What became of a list.</summary>
public sealed record TheirListKept(int Rows, decimal Amount, IReadOnlyList<SubledgerKey> Keys);

/// <summary>Takes lists of other systems, and signs months off.</summary>
public sealed class KeepTieOuts(DeskContext desk, ReadTieOuts ties)
{
    /// <summary>Keeps a list of a day in place of the one that the same system sent for it.</summary>
    public async Task<Outcome<TheirListKept>> ListAsync(
        Visit visit,
        Control control,
        DateOnly at,
        string source,
        byte[] body,
        bool json,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<TheirListKept>.No(refused.Why, [refused.Fault]);
        var faults = new List<Fault>();
        if (source.Length is 0 or > 100)
            faults.Add(new Fault("missing-field", "'source' names the system whose list it is.", "source"));
        var rows = TheirListReader.Read(body, json, faults);
        if (faults.Count > 0)
            return Outcome<TheirListKept>.No(Refusal.Invalid, faults);
        decimal? Number(TheirListRow row, string column) =>
            row.Text(column) is { } text ? TheirListReader.Number(text) : null;
        IReadOnlyList<TheirRow> kept =
        [
            .. rows.Select(r => new TheirRow(
                r.Text("party"),
                r.Text("document"),
                r.Text("item"),
                r.Text("location"),
                r.Text("project"),
                r.Text("channel"),
                r.Text("method"),
                r.Text("order"),
                Number(r, "quantity"),
                r.Text("currency"),
                Number(r, "currencyAmount"),
                Number(r, "amount")!.Value,
                r.Text("date") is { } day ? TheirListReader.Day(day) : null
            )),
        ];
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        await TheirStore.KeepAsync(db, state.Id, control, at, source, kept, stop);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "list taken",
            $"{Words.Of(control)} {at:yyyy-MM-dd} of {source}",
            null,
            new { rows = kept.Count, amount = kept.Sum(r => r.Amount) },
            stop
        );
        var lists = await TheirStore.ListsAsync(db, state.Id, at, stop);
        await transaction.CommitAsync(stop);
        return new TheirListKept(
            kept.Count,
            kept.Sum(r => r.Amount),
            lists.TryGetValue(control, out var list) ? list.Keys : []
        );
    }

    /// <summary>How far each control is signed off for a month.</summary>
    public async Task<(IReadOnlyList<SignOff> SignOffs, decimal Tolerance)> SignOffsAsync(
        Visit visit,
        DateOnly? month,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return (
            await TheirStore.SignOffsAsync(db, visit.State.Id, month, stop),
            await TheirStore.ToleranceAsync(db, visit.State.Id, stop)
        );
    }

    /// <summary>Sets what may remain without being explained.</summary>
    public async Task<Outcome<decimal>> SetToleranceAsync(Visit visit, decimal tolerance, CancellationToken stop)
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<decimal>.No(refused.Why, [refused.Fault]);
        if (tolerance is < 0 or > 1_000_000)
            return Outcome<decimal>.No(Refusal.Invalid, "bad-number", "A tolerance is zero or more.", "tolerance");
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var before = await TheirStore.ToleranceAsync(db, state.Id, stop);
        await TheirStore.SetToleranceAsync(db, state.Id, tolerance, stop);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "tolerance set",
            "tie-outs",
            new { tolerance = before },
            new { tolerance },
            stop
        );
        await transaction.CommitAsync(stop);
        return tolerance;
    }

    /// <summary>The preparer states what remains of a control at the end of a month.</summary>
    public async Task<Outcome<SignOff>> PrepareAsync(
        Visit visit,
        Control control,
        DateOnly month,
        IReadOnlyList<Remaining> remains,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<SignOff>.No(refused.Why, [refused.Fault]);
        month = new DateOnly(month.Year, month.Month, 1);
        var tied = await ties.AllAsync(visit, month.AddMonths(1).AddDays(-1), stop);
        if (tied.Result is not { } all)
            return tied.Pass<SignOff>();
        var tie = all.Controls.FirstOrDefault(t => t.Control == control) ?? new TieOut(control, [], 0, 0, []);
        var faults = new List<Fault>();
        for (var i = 0; i < remains.Count; i++)
            if (remains[i] is { Note.Length: 0 } or { Clears.Length: 0 } or { Cause.Length: 0 })
                faults.Add(
                    new Fault(
                        "missing-field",
                        $"What remains, row {i + 1}: say its cause, a note, and who clears it.",
                        $"remains[{i}]"
                    )
                );
        await using var db = await desk.Database.OpenAsync(stop);
        var tolerance = await TheirStore.ToleranceAsync(db, state.Id, stop);
        var rest = tie.Difference - remains.Sum(r => r.Amount);
        if (Math.Abs(rest) > tolerance)
            faults.Add(
                new Fault(
                    "unexplained",
                    $"{Words.Title(Words.Of(control))} differ by {tie.Difference}; what is said to remain comes to "
                        + $"{remains.Sum(r => r.Amount)}, and {tolerance} may be left over.",
                    "remains"
                )
            );
        if (faults.Count > 0)
            return Outcome<SignOff>.No(Refusal.Invalid, faults);
        // What remained before is carried with the month that it is from.
        var before = (await TheirStore.SignOffsAsync(db, state.Id, month.AddMonths(-1), stop)).FirstOrDefault(s =>
            s.Control == control && s.State != "open"
        );
        IReadOnlyList<Remaining> carried =
        [
            .. remains.Select(r =>
                r with
                {
                    Since = before?.Remains.FirstOrDefault(b => b.Cause == r.Cause && b.Note == r.Note) is { } was
                        ? was.Since ?? before.Month
                        : month,
                }
            ),
        ];
        return await ActAsync(db, visit, control, month, "prepared", (tie.Ledger, tie.Documents), carried, null, stop);
    }

    /// <summary>The reviewer confirms what was prepared by somebody else.</summary>
    public async Task<Outcome<SignOff>> ConfirmAsync(
        Visit visit,
        Control control,
        DateOnly month,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<SignOff>.No(refused.Why, [refused.Fault]);
        await using var db = await desk.Database.OpenAsync(stop);
        if (await HeldAsync(db, state.Id, control, month, stop) is not { State: "prepared" } prepared)
            return Outcome<SignOff>.No(
                Refusal.Conflict,
                "not-prepared",
                "That control is not prepared for that month, or is confirmed already: look at it again."
            );
        if (prepared.PreparedBy == actor.Name)
            return Outcome<SignOff>.No(
                Refusal.Forbidden,
                "own-work",
                "Another person confirms than the one who prepared it."
            );
        if (prepared.Later.Count > 0)
            return Outcome<SignOff>.No(
                Refusal.Conflict,
                "posted-since",
                $"{prepared.Later.Count} entries were posted into the month since, such as {prepared.Later[0]}: prepare it again."
            );
        return await ActAsync(
            db,
            visit,
            control,
            prepared.Month,
            "confirmed",
            (prepared.Ledger, prepared.Documents),
            prepared.Remains,
            null,
            stop
        );
    }

    /// <summary>Undoes a sign-off, with a reason.</summary>
    public async Task<Outcome<SignOff>> UndoAsync(
        Visit visit,
        Control control,
        DateOnly month,
        string? reason,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<SignOff>.No(refused.Why, [refused.Fault]);
        if (string.IsNullOrWhiteSpace(reason) || reason.Length > 2000)
            return Outcome<SignOff>.No(Refusal.Invalid, "missing-field", "Say why the sign-off is undone.", "reason");
        await using var db = await desk.Database.OpenAsync(stop);
        if (await HeldAsync(db, state.Id, control, month, stop) is not { State: not "open" } held)
            return Outcome<SignOff>.No(
                Refusal.Conflict,
                "not-signed",
                "That control is not signed off for that month."
            );
        return await ActAsync(
            db,
            visit,
            control,
            held.Month,
            "open",
            (held.Ledger, held.Documents),
            held.Remains,
            reason,
            stop
        );
    }

    private static async Task<SignOff?> HeldAsync(
        Npgsql.NpgsqlConnection db,
        int entity,
        Control control,
        DateOnly month,
        CancellationToken stop
    ) =>
        (await TheirStore.SignOffsAsync(db, entity, new DateOnly(month.Year, month.Month, 1), stop)).FirstOrDefault(s =>
            s.Control == control
        );

    private static async Task<Outcome<SignOff>> ActAsync(
        Npgsql.NpgsqlConnection db,
        Visit visit,
        Control control,
        DateOnly month,
        string act,
        (decimal, decimal) sums,
        IReadOnlyList<Remaining> remains,
        string? reason,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        await using var transaction = await db.BeginTransactionAsync(stop);
        var before = await HeldAsync(db, state.Id, control, month, stop);
        await TheirStore.SignAsync(db, state.Id, control, month, act, sums, remains, reason, actor.Name, stop);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            $"sign-off {act}",
            $"{Words.Of(control)} {month:yyyy-MM}",
            before is null ? null : new { before.State, before.Remains },
            new
            {
                state = act,
                remains,
                reason,
            },
            stop
        );
        var now = await HeldAsync(db, state.Id, control, month, stop);
        await transaction.CommitAsync(stop);
        return now!;
    }
}
