using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>What an import would do, or did.</summary>
/// <param name="Change">The number by which it can be undone; null where nothing was changed.</param>
public sealed record ImportResult(bool Applied, ImportPlan Plan, long? Change)
{
    /// <summary>The bundle that this one was made from and was compared with; null: it is brought in as it
    /// stands.</summary>
    public Origin? Origin { get; init; }

    /// <summary>What was changed here since and is otherwise in the bundle; those that nobody decided are among the
    /// faults.</summary>
    public IReadOnlyList<BundleConflict> Conflicts { get; init; } = [];

    /// <summary>Values that it changes: no landing, but what things are worth.</summary>
    public IReadOnlyList<ValueEffect> Values { get; init; } = [];
}

/// <summary>How a whole bundle is brought back over what went on here since it was taken out.</summary>
/// <param name="AsItStands">Not compared: everything becomes as in the bundle.</param>
/// <param name="Decided">Of a conflict: whether the bundle wins; null: nobody decided.</param>
/// <param name="Values">Whether changed values of records are taken too.</param>
public sealed record BundleReturn(bool AsItStands, Func<BundleConflict, bool?> Decided, bool Values);

/// <summary>Brings a bundle into the draft and the records: a preview first, then whole or not at all.</summary>
public sealed class ImportBundle(DeskContext desk)
{
    /// <summary>Looks at files without changing anything; faults are in the plan.</summary>
    /// <param name="back">How a bundle is brought back over newer rows; null: as it stands.</param>
    public Task<Outcome<ImportResult>> PreviewAsync(
        Actor actor,
        string entity,
        IReadOnlyList<Sheet> sheets,
        IReadOnlyList<Fault> faults,
        bool partial,
        string? expected,
        CancellationToken stop,
        BundleReturn? back = null
    ) => RunAsync(actor, entity, sheets, faults, partial, false, expected, stop, back);

    /// <summary>Applies files; refused with every fault when there is any.</summary>
    /// <param name="name">The file's name, for the history.</param>
    /// <param name="what">What is done, in words for the history.</param>
    /// <param name="expected">The state a preview showed (see <see cref="StateOf"/>): applying what somebody changed
    /// since is refused. Null: whatever it is.</param>
    public Task<Outcome<ImportResult>> ApplyAsync(
        Actor actor,
        string entity,
        IReadOnlyList<Sheet> sheets,
        IReadOnlyList<Fault> faults,
        bool partial,
        string? expected,
        CancellationToken stop,
        string? name = null,
        string what = "bundle imported",
        BundleReturn? back = null,
        Func<NpgsqlConnection, ImportResult, Task>? within = null
    ) => RunAsync(actor, entity, sheets, faults, partial, true, expected, stop, back, name, what, within);

    /// <summary>A text that changes whenever the draft or the records do.</summary>
    public static string StateOf(EntityState entity) =>
        $"{entity.RecordsRevision}-{entity.Latest?.Number ?? 0}-{entity.Draft?.Id ?? 0}-{entity.Draft?.Revision ?? 0}";

    /// <summary>Looks, or applies: as <see cref="PreviewAsync"/> and <see cref="ApplyAsync"/> say.</summary>
    /// <param name="within">What is done in the same transaction; only where it is applied.</param>
    public async Task<Outcome<ImportResult>> RunAsync(
        Actor actor,
        string entity,
        IReadOnlyList<Sheet> sheets,
        IReadOnlyList<Fault> faults,
        bool partial,
        bool apply,
        string? expected,
        CancellationToken stop,
        BundleReturn? back = null,
        string? name = null,
        string what = "bundle imported",
        Func<NpgsqlConnection, ImportResult, Task>? within = null
    )
    {
        return await desk.HoldAsync(
            actor,
            entity,
            Role.Preparer,
            SetUpWriter.Needs,
            held => HeldAsync(held, sheets, faults, partial, apply, expected, back, name, what, within, stop),
            stop,
            hold: apply
        );
    }

    private async Task<Outcome<ImportResult>> HeldAsync(
        Held held,
        IReadOnlyList<Sheet> sheets,
        IReadOnlyList<Fault> faults,
        bool partial,
        bool apply,
        string? expected,
        BundleReturn? back,
        string? name,
        string what,
        Func<NpgsqlConnection, ImportResult, Task>? within,
        CancellationToken stop
    )
    {
        var (db, state, actor) = (held.Db, held.State, held.Actor);
        if (expected is not null && expected != StateOf(state))
            return Outcome<ImportResult>.No(
                Refusal.Conflict,
                "changed-meanwhile",
                "Somebody changed the draft or the records since this preview. Look at a new preview and apply that."
            );

        // A file may take accounts away, make them headings or close a period: no posting goes on meanwhile.
        if (apply && sheets.Any(s => s.Part == Parts.Accounts || s.Part == Parts.Periods))
            await PostingNumbers.HoldAsync(db, state.Id, stop);
        var compiled = await SetUpWriter.CurrentAsync(held, stop);
        var current = compiled.SetUp;
        var uses = await SetUpWriter.UsesAsync(held, sheets.Select(s => s.Part), stop);
        var meant = back is null || partial || faults.Count > 0 ? null : SetUpImport.Meant(current, sheets);
        var origin =
            meant is null || back!.AsItStands ? null : await TakenBundles.FindAsync(db, state, meant, actor.Name, stop);
        var merge = origin is null
            ? null
            : BundleMerge.Of(current, sheets, meant!, origin.Unchanged ? null : origin.Rows, c =>
                back!.Decided(c) == true
            );
        var taken = merge?.Sheets ?? sheets;
        var plan = SetUpImport.Plan(current, taken, partial, uses);
        IReadOnlyList<ValueEffect> values = [];
        if (back is not null && SheetReturn.ValuesOf(plan.Changes, c => Line(sheets, c)) is { Count: > 0 } valued)
        {
            values = await BringSheet.EffectsAsync(db, state, compiled, valued, stop);
            if (!back.Values)
                plan = SetUpImport.Plan(current, SheetReturn.WithoutValues(current, taken), partial, uses);
        }
        if (merge is { Stay: > 0 })
            plan = plan with
            {
                Notes =
                [
                    .. plan.Notes,
                    $"{(merge.Stay == 1 ? "1 row that was" : $"{merge.Stay} rows that were")} "
                        + $"{(origin!.Unchanged ? "added" : "changed")} here after this bundle was "
                        + $"{(origin.Brought ? "last brought in" : "taken out")} ({origin.At:yyyy-MM-dd HH:mm} UTC, "
                        + $"{origin.Who}) {(merge.Stay == 1 ? "stays as it is" : "stay as they are")}.",
                ],
            };
        if (merge?.Conflicts.Where(c => back!.Decided(c) is null).Select(c => c.Fault).ToList() is { Count: > 0 } open)
            plan = plan with { Faults = [.. plan.Faults, .. open] };
        ImportResult Result(bool applied, ImportPlan made, long? change) =>
            new(applied, made, change)
            {
                Origin = origin,
                Conflicts = merge?.Conflicts ?? [],
                Values = values,
            };
        if (faults.Count > 0)
            plan = plan with
            {
                Faults =
                [
                    .. faults,
                    .. plan.Faults.Where(f =>
                        !faults.Any(x => x.Part == f.Part && x.Row == f.Row && x.Column == f.Column)
                    ),
                ],
                Changes = [],
            };
        if (await SetUpWriter.RefusedAsync(db, state, actor, plan.Changes, stop) is { Count: > 0 } refused)
            plan = plan with { Changes = [], Faults = [.. plan.Faults, .. refused] };
        if (plan.Next.Entity.Currency != current.Entity.Currency && await HasEntriesAsync(db, state.Id, stop))
            plan = plan with
            {
                Changes = [],
                Faults =
                [
                    .. plan.Faults,
                    new Fault(
                        "entity",
                        2,
                        "currency",
                        "currency-fixed",
                        "The base currency cannot change once something is posted."
                    ),
                ],
            };
        if (!apply || plan.Faults.Count > 0)
            return apply
                ? new Outcome<ImportResult>(
                    Result(false, plan, null),
                    plan.Faults.Any(f => f.Code == SetUpWriter.NotYours) ? Refusal.Forbidden : Refusal.Invalid,
                    [.. plan.Faults.Select(Fault)]
                )
                : Result(false, plan, null);

        if (meant is not null)
            await TakenBundles.BroughtInAsync(db, state, meant, origin is null, actor.Name, stop);
        if (plan.Changes.Count == 0)
            return Result(true, plan, null);
        var (id, plain) = await SetUpWriter.ApplyAsync(db, state, actor, plan.Changes, uses, what, name, null, stop);
        await SetUpWriter.RememberAsync(desk, held, plan.Next, compiled, plain, stop);
        var result = Result(true, plan, id);
        if (within is not null)
            await within(db, result);
        return result;
    }

    /// <summary>A fault of a file as the interface says it.</summary>
    public static Core.Fault Fault(Fault fault) =>
        new(
            fault.Code,
            fault.Message,
            fault.Part.Length == 0
                ? ""
                : $"{fault.Part}.csv{(fault.Row > 0 ? $":{fault.Row}" : "")}"
                    + $"{(fault.Column.Length > 0 ? ":" + fault.Column : "")}"
        );

    private static int Line(IReadOnlyList<Sheet> sheets, RowChange change) =>
        sheets
            .FirstOrDefault(s => s.Part == change.Part)
            ?.Rows.FirstOrDefault(r => change.Part.KeyOf(r.Cells) == change.Key)
            .Row
        ?? 0;

    private static async Task<bool> HasEntriesAsync(NpgsqlConnection db, int entity, CancellationToken stop) =>
        (await PostingNumbers.YearsAsync(db, entity, stop)).Count > 0;
}
