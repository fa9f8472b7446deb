using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>What an import would do, or did.</summary>
/// <param name="Change">The number by which it can be undone; null where nothing was changed.</param>
public sealed record ImportResult(bool Applied, ImportPlan Plan, long? Change);

/// <summary>Brings a bundle into the draft and the records: a preview first, then whole or not at all.</summary>
public sealed class ImportBundle(DeskContext desk)
{
    /// <summary>Looks at files without changing anything; faults are in the plan.</summary>
    public Task<Outcome<ImportResult>> PreviewAsync(Actor actor, string entity, IReadOnlyList<Sheet> sheets, IReadOnlyList<FormFault> faults, bool partial, string? expected, CancellationToken stop) =>
        RunAsync(actor, entity, sheets, faults, partial, false, expected, stop);

    /// <summary>Applies files; refused with every fault when there is any.</summary>
    /// <param name="name">The file's name, for the history.</param>
    /// <param name="what">What is done, in words for the history.</param>
    /// <param name="expected">The state a preview showed (see <see cref="StateOf"/>): applying what somebody changed since is refused. Null: whatever it is.</param>
    public Task<Outcome<ImportResult>> ApplyAsync(Actor actor, string entity, IReadOnlyList<Sheet> sheets, IReadOnlyList<FormFault> faults, bool partial, string? expected, CancellationToken stop, string? name = null, string what = "bundle imported") =>
        RunAsync(actor, entity, sheets, faults, partial, true, expected, stop, name, what);

    /// <summary>A text that changes whenever the draft or the records do.</summary>
    public static string StateOf(EntityState entity) => $"{entity.RecordsRevision}-{entity.Latest?.Number ?? 0}-{entity.Draft?.Id ?? 0}-{entity.Draft?.Revision ?? 0}";

    private async Task<Outcome<ImportResult>> RunAsync(Actor actor, string entity, IReadOnlyList<Sheet> sheets, IReadOnlyList<FormFault> faults, bool partial, bool apply, string? expected, CancellationToken stop, string? name = null, string what = "")
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Preparer, apply, stop);
        if (entered.Result is not { } state) return entered.Pass<ImportResult>();
        if (expected is not null && expected != StateOf(state))
            return Outcome<ImportResult>.No(Refusal.Conflict, "changed-meanwhile", "Somebody changed the draft or the records since this preview. Look at a new preview and apply that.");

        // A file may take accounts away, make them headings or close a period: no posting goes on meanwhile.
        if (apply && sheets.Any(s => s.Part == Parts.Accounts || s.Part == Parts.Periods)) await JournalStore.HoldAsync(db, state.Id, stop);
        var compiled = await SetUpWriter.CurrentAsync(desk, state, stop);
        var current = compiled.SetUp;
        var uses = await SetUpWriter.UsesAsync(desk, db, state, sheets.Select(s => s.Part), stop);
        var plan = SetUpImport.Plan(current, sheets, partial, uses);
        if (faults.Count > 0) plan = plan with { Faults = [.. faults, .. plan.Faults.Where(f => !faults.Any(x => x.Part == f.Part && x.Row == f.Row && x.Column == f.Column))], Changes = [] };
        if (await SetUpWriter.RefusedAsync(db, state, actor, plan.Changes, stop) is { Count: > 0 } refused) plan = plan with { Changes = [], Faults = [.. plan.Faults, .. refused] };
        if (plan.Next.Entity.Currency != current.Entity.Currency && await HasEntriesAsync(db, state.Id, stop))
            plan = plan with { Changes = [], Faults = [.. plan.Faults, new FormFault("entity", 2, "currency", "currency-fixed", "The base currency cannot change once something is posted.")] };
        if (!apply || plan.Faults.Count > 0)
            return apply ? new Outcome<ImportResult>(new ImportResult(false, plan, null), plan.Faults.Any(f => f.Code == SetUpWriter.NotYours) ? Refusal.Forbidden : Refusal.Invalid, [.. plan.Faults.Select(Fault)]) : new ImportResult(false, plan, null);

        if (plan.Changes.Count == 0) return new ImportResult(true, plan, null);
        var id = await SetUpWriter.ApplyAsync(db, state, actor, plan.Changes, uses, what, name, null, stop);
        await SetUpWriter.CommitAsync(desk, db, transaction, state, plan.Next, compiled, stop);
        return new ImportResult(true, plan, id);
    }

    /// <summary>A fault of a file as the interface says it.</summary>
    public static Core.Fault Fault(FormFault fault) => new(fault.Code, fault.Message,
        fault.Part.Length == 0 ? "" : $"{fault.Part}.csv{(fault.Row > 0 ? $":{fault.Row}" : "")}{(fault.Column.Length > 0 ? ":" + fault.Column : "")}");

    private static async Task<bool> HasEntriesAsync(NpgsqlConnection db, int entity, CancellationToken stop) =>
        (await JournalStore.YearsAsync(db, entity, stop)).Count > 0;
}
