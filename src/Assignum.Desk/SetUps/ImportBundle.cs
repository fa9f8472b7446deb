using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>What an import would do, or did.</summary>
public sealed record ImportResult(bool Applied, ImportPlan Plan);

/// <summary>Brings a bundle into the draft and the records: a preview first, then whole or not at all.</summary>
public sealed class ImportBundle(DeskContext desk)
{
    /// <summary>Looks at files without changing anything; faults are in the plan.</summary>
    public Task<Outcome<ImportResult>> PreviewAsync(Actor actor, string entity, IReadOnlyList<Sheet> sheets, IReadOnlyList<FormFault> faults, bool partial, string? expected, CancellationToken stop) =>
        RunAsync(actor, entity, sheets, faults, partial, false, expected, stop);

    /// <summary>Applies files; refused with every fault when there is any.</summary>
    /// <param name="expected">The state a preview showed (see <see cref="StateOf"/>): applying what somebody changed since is refused. Null: whatever it is.</param>
    public Task<Outcome<ImportResult>> ApplyAsync(Actor actor, string entity, IReadOnlyList<Sheet> sheets, IReadOnlyList<FormFault> faults, bool partial, string? expected, CancellationToken stop) =>
        RunAsync(actor, entity, sheets, faults, partial, true, expected, stop);

    /// <summary>A text that changes whenever the draft or the records do.</summary>
    public static string StateOf(EntityState entity) => $"{entity.RecordsRevision}-{entity.Latest?.Number ?? 0}-{entity.Draft?.Id ?? 0}-{entity.Draft?.Revision ?? 0}";

    private async Task<Outcome<ImportResult>> RunAsync(Actor actor, string entity, IReadOnlyList<Sheet> sheets, IReadOnlyList<FormFault> faults, bool partial, bool apply, string? expected, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Preparer, apply, stop);
        if (entered.Result is not { } state) return entered.Pass<ImportResult>();
        if (expected is not null && expected != StateOf(state))
            return Outcome<ImportResult>.No(Refusal.Conflict, "changed-meanwhile", "Somebody changed the draft or the records since this preview. Look at a new preview and apply that.");

        var base_ = state.Draft?.BasedOn ?? state.Latest?.Number ?? 0;
        var current = await SetUpStore.LoadAsync(db, state.Id, new EditionView(base_, state.Draft?.Id), stop);
        var live = state.Latest is null ? null : (await desk.Shelf.GetAsync(desk.Database, state, state.Latest.Number!.Value, null, stop)).SetUp;
        var uses = await UsesAsync(db, state.Id, sheets, live, stop);
        var plan = SetUpImport.Plan(current, sheets, partial, (part, code) => uses.TryGetValue(part, out var codes) && codes.Contains(code));
        if (faults.Count > 0) plan = plan with { Faults = [.. faults, .. plan.Faults.Where(f => !faults.Any(x => x.Part == f.Part && x.Row == f.Row && x.Column == f.Column))], Changes = [] };
        if (plan.Next.Entity.Currency != current.Entity.Currency && await HasEntriesAsync(db, state.Id, stop))
            plan = plan with { Changes = [], Faults = [.. plan.Faults, new FormFault("entity", 2, "currency", "currency-fixed", "The base currency cannot change once something is posted.")] };
        if (!apply || plan.Faults.Count > 0)
            return apply ? new Outcome<ImportResult>(new ImportResult(false, plan), Refusal.Invalid, [.. plan.Faults.Select(Fault)]) : new ImportResult(false, plan);

        var draft = state.Draft ?? (plan.Changes.Any(c => c.Part.HeldBy == HeldBy.Edition) ? await EditionStore.OpenDraftAsync(db, state, actor.Name, stop) : null);
        var inUse = uses.GetValueOrDefault(Parts.Accounts) ?? new HashSet<string>();
        await SetUpStore.ApplyAsync(db, state.Id, new EditionView(base_, draft?.Id), plan.Changes, inUse.Contains, actor.Name, stop);
        await EditionStore.TouchAsync(db, state.Id, draft?.Id, stop);
        await EntityStore.AuditAsync(db, state.Id, actor.Name, "bundle imported",
            plan.Changes.Any(c => c.Part.HeldBy == HeldBy.Edition) ? EntityStore.DraftOf(entity) : entity, null, Summary(plan), stop);
        await transaction.CommitAsync(stop);
        return new ImportResult(true, plan);
    }

    /// <summary>A fault of a file as the interface says it.</summary>
    public static Core.Fault Fault(FormFault fault) => new(fault.Code, fault.Message,
        fault.Part.Length == 0 ? "" : $"{fault.Part}.csv{(fault.Row > 0 ? $":{fault.Row}" : "")}{(fault.Column.Length > 0 ? ":" + fault.Column : "")}");

    private static Dictionary<string, Dictionary<string, int>> Summary(ImportPlan plan) => plan.Changes.GroupBy(c => c.Part.Name)
        .ToDictionary(g => g.Key, g => g.GroupBy(c => Core.Words.Of(c.Kind)).ToDictionary(k => k.Key, k => k.Count()));

    // What the journal and the live edition refer to may not vanish.
    private static async Task<Dictionary<Part, HashSet<string>>> UsesAsync(NpgsqlConnection db, int entity, IReadOnlyList<Sheet> sheets, SetUp? live, CancellationToken stop)
    {
        var uses = new Dictionary<Part, HashSet<string>>();
        foreach (var part in sheets.Select(s => s.Part).Append(Parts.Accounts).Distinct())
            uses[part] = [.. await EntityStore.JournalUsesAsync(db, entity, part.Name, stop)];
        if (live is not null)
            foreach (var (part, code) in SetUpImport.References(live))
                if (uses.TryGetValue(part, out var codes)) codes.Add(code);
        return uses;
    }

    private static async Task<bool> HasEntriesAsync(NpgsqlConnection db, int entity, CancellationToken stop) =>
        (await JournalStore.YearsAsync(db, entity, stop)).Count > 0;
}
