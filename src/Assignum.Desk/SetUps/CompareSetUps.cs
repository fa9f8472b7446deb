using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Statements;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.Checks;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>What recent events would do elsewhere.</summary>
/// <param name="Looked">How many events were looked at, the newest.</param>
/// <param name="Faults">Why the edits cannot be made at all; then nothing was compared.</param>
/// <param name="All">How many events there are that could have been looked at; more than <paramref name="Looked"/>
/// where only the newest were.</param>
public sealed record Foreseen(
    int Looked,
    long All,
    IReadOnlyList<Consequence> Events,
    IReadOnlyList<MovedInAll> InAll,
    IReadOnlyList<Fault> Faults
)
{
    /// <summary>Nothing was compared.</summary>
    public static Foreseen Nothing(IReadOnlyList<Fault>? faults = null) => new(0, 0, [], [], faults ?? []);

    /// <summary>What stands on accounts and moves to another part of the statements.</summary>
    public IReadOnlyList<StatementMove> Moves { get; init; } = [];

    /// <summary>What checks would find that they do not find now.</summary>
    public IReadOnlyList<Finding> FindingsNew { get; init; } = [];

    /// <summary>What they would find no more.</summary>
    public IReadOnlyList<Finding> FindingsGone { get; init; } = [];
}

/// <summary>The difference of two editions.</summary>
/// <param name="Changed">Who changed a row last in what lies between them, by part and key; empty where nobody
/// did.</param>
public sealed record Differing(
    IReadOnlyList<DifferenceLine> Lines,
    IReadOnlyDictionary<(string Part, string Key), LastChange> Changed
);

/// <summary>A value-moving policy that the draft changes, with what stands between accounts and the entry that empties
/// them.</summary>
public sealed record MovingValue(
    IReadOnlyList<ValueMove> Moves,
    IReadOnlyList<HeldValue> Held,
    BetweenEntry Entry,
    string? Event
);

/// <summary>The difference of two editions, in words and in what recent events would do.</summary>
public sealed class CompareSetUps(DeskContext desk, ViewSetUp view, ReadFindings? findings = null)
{
    /// <summary>Events that consequences are worked out for.</summary>
    public const int MostEvents = 1000;

    /// <summary>How one edition differs from another in what editions hold, in words, with who changed each row
    /// last.</summary>
    public async Task<Outcome<Differing>> DifferenceAsync(
        Visit visit,
        string before,
        string after,
        CancellationToken stop
    )
    {
        var state = visit.State;
        var (old, now) = (await view.OfAsync(state, before, null, stop), await view.OfAsync(state, after, null, stop));
        if (old.Result is null)
            return old.Pass<Differing>();
        if (now.Result is null)
            return now.Pass<Differing>();
        // Records are the same for both, save their places in groups that wait.
        var changes = SetUpImport.Difference(old.Result.SetUp.SetUp, now.Result.SetUp.SetUp, Difference.Compared);
        await using var db = await desk.Database.OpenAsync(stop);
        return new Differing(
            Difference.Words(changes, old.Result.SetUp.SetUp, now.Result.SetUp.SetUp),
            await ReviewStore.LastChangesAsync(db, state.Id, Between(state, before, after), stop)
        );
    }

    // The drafts, published or open, that lead from one edition to the other.
    private static int[] Between(EntityState state, string before, string after)
    {
        EditionRow? Open(string edition) =>
            edition == "draft" ? state.Draft
            : edition == "main" ? state.MainDraft
            : edition is ['w', .. var id] && int.TryParse(id, out var number) ? state.WhatIf(number)
            : null;
        int Number(string edition) =>
            Open(edition)?.BasedOn ?? (int.TryParse(edition, out var number) ? number : state.Latest?.Number ?? 0);
        var (low, high) = (Math.Min(Number(before), Number(after)), Math.Max(Number(before), Number(after)));
        var drafts = new[] { Open(before), Open(after) }.OfType<EditionRow>().Select(d => d.Id);
        // What was merged into them was decided there.
        drafts = [.. drafts, .. state.Editions.Where(e => e.Number > low && e.Number <= high).Select(e => e.Id)];
        return
        [
            .. drafts,
            .. state.WhatIfs.Where(w => w.MergedInto is { } into && drafts.Contains(into)).Select(w => w.Id),
        ];
    }

    /// <summary>Events posted on or after an edition's first day that were posted under an earlier one and would land
    /// elsewhere under it: candidates for reclassification.</summary>
    public async Task<Outcome<Foreseen>> PostedBeforeAsync(Visit visit, int number, CancellationToken stop)
    {
        var (actor, state) = visit;
        var now = await view.OfAsync(
            state,
            number.ToString(System.Globalization.CultureInfo.InvariantCulture),
            null,
            stop
        );
        if (now.Result is not { } edition)
            return now.Pass<Foreseen>();
        await using var db = await desk.Database.OpenAsync(stop);
        var posted = await ReviewStore.PostedUnderEarlierAsync(
            db,
            state.Id,
            number,
            state.Editions.First(e => e.Number == number).ValidFrom!.Value,
            MostEvents,
            stop
        );
        var found = new List<Consequence>();
        foreach (var under in posted.GroupBy(p => p.Edition).OrderByDescending(g => g.Key))
        {
            var was = await view.OfAsync(
                state,
                under.Key.ToString(System.Globalization.CultureInfo.InvariantCulture),
                null,
                stop
            );
            if (was.Result is null)
                return was.Pass<Foreseen>();
            found.AddRange(
                (
                    await ForeseeAsync(
                        actor,
                        state,
                        was.Result.SetUp,
                        edition.SetUp,
                        [.. under.Select(p => p.Event)],
                        stop
                    )
                ).Events
            );
        }
        return new Foreseen(
            posted.Count,
            await ReviewStore.CountUnderEarlierAsync(
                db,
                state.Id,
                number,
                state.Editions.First(e => e.Number == number).ValidFrom!.Value,
                stop
            ),
            found,
            Consequences.InAll(found),
            []
        );
    }

    /// <summary>The value-moving policies that the draft changes, what stands between accounts before a day, and the
    /// entry that empties them.</summary>
    public async Task<Outcome<MovingValue>> MovingValueAsync(Visit visit, DateOnly day, CancellationToken stop)
    {
        var state = visit.State;
        if (state.Latest?.Number is not { } latest)
            return new MovingValue([], [], new BetweenEntry([], []), null);
        var live = (
            await view.OfAsync(state, latest.ToString(System.Globalization.CultureInfo.InvariantCulture), null, stop)
        )
            .Result!
            .SetUp;
        var moves = Core.Editions.Between.Moves(
            live.Policies,
            (await view.OfAsync(state, "draft", null, stop)).Result!.SetUp.Policies
        );
        var purposes = moves.SelectMany(m => m.Between).Select(p => p.Name).Distinct().ToArray();
        if (purposes.Length == 0)
            return new MovingValue(moves, [], new BetweenEntry([], []), null);
        await using var db = await desk.Database.OpenAsync(stop);
        var held = await ReviewStore.HeldAsync(db, state.Id, purposes, day, stop);
        var entry = Core.Editions.Between.Empty(held, live);
        return new MovingValue(
            moves,
            held,
            entry,
            entry.Lines.Count == 0 ? null : EmptyingEvent(entry, state, day, moves)
        );
    }

    // An opening: control accounts admit it, and each line names whose it is.
    private static string EmptyingEvent(
        BetweenEntry entry,
        EntityState state,
        DateOnly day,
        IReadOnlyList<ValueMove> moves
    )
    {
        var lines = new JsonArray();
        foreach (var line in entry.Lines)
        {
            var made = new JsonObject
            {
                ["account"] = line.Account,
                [line.Amount >= 0 ? "debit" : "credit"] = Math.Abs(line.Amount),
            };
            foreach (
                var (name, value) in new[]
                {
                    ("party", line.Party),
                    ("item", line.Item),
                    ("location", line.Location),
                    ("project", line.Project),
                }
            )
                if (value is not null)
                    made[name] = value;
            lines.Add(made);
        }
        var what = string.Join(", ", moves.Select(m => $"{m.Policy} {m.From} to {m.To}"));
        return new JsonObject
        {
            ["source"] = "own",
            ["id"] = $"between-{state.Draft!.Id}-{day:yyyyMMdd}",
            ["kind"] = "opening",
            ["date"] = day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
            ["reference"] = "policy",
            ["text"] = what,
            ["lines"] = lines,
        }.ToJsonString();
    }

    /// <summary>What the newest events would do elsewhere under one edition than under another.</summary>
    public async Task<Outcome<Foreseen>> ConsequencesAsync(
        Visit visit,
        string? before,
        string after,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        var (old, now) = (await view.OfAsync(state, before, null, stop), await view.OfAsync(state, after, null, stop));
        if (old.Result is null)
            return old.Pass<Foreseen>();
        return now.Result is null
            ? now.Pass<Foreseen>()
            : await ForeseeAsync(actor, state, old.Result.SetUp, now.Result.SetUp, stop);
    }

    /// <summary>What the newest events would do elsewhere if edits were made; nothing is changed by looking.</summary>
    /// <param name="make">The edits, worked out from the draft as it is; see <see cref="EditSetUp.MakeAsync"/>.</param>
    public async Task<Outcome<Foreseen>> OfEditsAsync(
        Visit visit,
        Func<SetUp, List<Fault>, IReadOnlyList<RowChange>> make,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        var current = await view.OfAsync(state, "draft", null, stop);
        if (current.Result is not { } view0)
            return current.Pass<Foreseen>();
        var faults = new List<Fault>();
        var edits = make(view0.SetUp.SetUp, faults);
        if (faults.Count > 0)
            return Foreseen.Nothing(faults);
        var plan = SetUpEdit.Plan(view0.SetUp.SetUp, edits, (_, _) => false);
        if (plan.Faults.Count > 0)
            return Foreseen.Nothing([.. plan.Faults.Select(f => new Fault(f.Code, f.Message, f.Column))]);
        if (plan.Changes.Count == 0)
            return Foreseen.Nothing();
        // An account under another number is the same account: nothing lands elsewhere for that.
        var numbers = Renumbering.In(plan.Changes);
        return await ForeseeAsync(
            actor,
            state,
            numbers.Count == 0 ? view0.SetUp : new CompiledSetUp(Renumbering.Carry(view0.SetUp.SetUp, numbers)),
            new CompiledSetUp(plan.Next, view0.SetUp),
            stop,
            plan.Changes
        );
    }

    private async Task<Foreseen> ForeseeAsync(
        Actor actor,
        EntityState state,
        CompiledSetUp before,
        CompiledSetUp after,
        CancellationToken stop,
        IReadOnlyList<RowChange>? changes = null
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var next = await PostingNumbers.NextAsync(db, state.Id, stop);
        if (!recent.TryGetValue(state.Id, out var events) || events.Next != next)
        {
            var read = Read(await JournalStore.NewestEventsAsync(db, state.Id, MostEvents, stop));
            events = new RecentEvents(next, read, await PostingDocuments.ForAsync(db, state.Id, read, stop));
            if (recent.Count >= MostEntities)
                recent.Clear();
            recent[state.Id] = events;
        }
        var (appear, gone) = await FindingsAsync(db, state, before, after, stop);
        // What another entity would make of a charge is nobody's to remember here.
        if (events.Charges)
            return Found(
                next.Event - 1,
                events.Events,
                await BuildAsync(db, actor, before, events, stop),
                await BuildAsync(db, actor, after, events, stop)
            ) with
            {
                Moves = await MovesAsync(db, state, before, after, stop),
                FindingsNew = appear,
                FindingsGone = gone,
            };
        if (!events.Known.TryGetValue(before, out var old))
            events.Known.AddOrUpdate(before, old = new EventRun(null, events.Documents).Apart(events.Events, before));
        var (asked, known) = Touched(events.Events, old, changes, after);
        var found = Consequences.Of(asked, known, new EventRun(null, events.Documents).Apart(asked, after));
        return new Foreseen(events.Events.Count, next.Event - 1, found, Consequences.InAll(found), [])
        {
            Moves = await MovesAsync(db, state, before, after, stop),
            FindingsNew = appear,
            FindingsGone = gone,
        };
    }

    private async Task<(IReadOnlyList<Finding> New, IReadOnlyList<Finding> Gone)> FindingsAsync(
        Npgsql.NpgsqlConnection db,
        EntityState state,
        CompiledSetUp before,
        CompiledSetUp after,
        CancellationToken stop
    )
    {
        if (findings is null)
            return ([], []);
        var posted = await findings.BooksAsync(db, state, before, stop);
        return Findings.Between(
            ReadFindings.Of(before, state.Today, posted),
            ReadFindings.Of(after, state.Today, posted)
        );
    }

    // Where assignments alone are changed, the events that can do something else; otherwise all of them.
    private static (IReadOnlyList<BusinessEvent> Events, IReadOnlyList<EntryResult> Known) Touched(
        IReadOnlyList<BusinessEvent> events,
        IReadOnlyList<EntryResult> old,
        IReadOnlyList<RowChange>? changes,
        CompiledSetUp after
    )
    {
        if (changes is null || changes.Any(c => c.Part != Parts.Assignments))
            return (events, old);
        var assignments = Parts
            .Assignments.Read(new SetUp { Entity = after.Entity }, changes.Select(c => (0, c.After ?? c.Before!)), [])
            .Assignments;
        var identities = assignments.Select(a => a.Identity).ToHashSet(StringComparer.Ordinal);
        var purposes = assignments.Select(a => a.Purpose).ToHashSet(StringComparer.Ordinal);
        purposes.UnionWith(
            Purposes
                .All.Where(p => after.Landings.BorrowOf(p) is { } from && purposes.Contains(from.Name))
                .Select(p => p.Name)
                .ToList()
        );
        var touched = Enumerable
            .Range(0, events.Count)
            .Where(i => Consequences.Touched(events[i], old[i], identities, purposes))
            .ToList();
        return ([.. touched.Select(i => events[i])], [.. touched.Select(i => old[i])]);
    }

    // The newest events as they were read last, with what they make under set-ups that were asked about: whoever edits
    // asks about
    // the same draft again and again.
    private sealed record RecentEvents(
        (long, long) Next,
        IReadOnlyList<BusinessEvent> Events,
        DocumentRegister Documents
    )
    {
        public bool Charges { get; } = Events.Any(e => EventKinds.Find(e.Kind) is { ChargesAnother: true });
        public System.Runtime.CompilerServices.ConditionalWeakTable<
            CompiledSetUp,
            IReadOnlyList<EntryResult>
        > Known { get; } = [];
    }

    private const int MostEntities = 16;
    private readonly System.Collections.Concurrent.ConcurrentDictionary<int, RecentEvents> recent = new();

    // Only where classes change are balances asked for.
    private static async Task<IReadOnlyList<StatementMove>> MovesAsync(
        Npgsql.NpgsqlConnection db,
        EntityState state,
        CompiledSetUp before,
        CompiledSetUp after,
        CancellationToken stop
    )
    {
        if (ReferenceEquals(before.SetUp.Accounts, after.SetUp.Accounts))
            return [];
        var classes = before.SetUp.Accounts.ToDictionary(a => a.Number, a => a.Class, StringComparer.Ordinal);
        if (!after.SetUp.Accounts.Any(a => classes.TryGetValue(a.Number, out var was) && was != a.Class))
            return [];
        var balances = await JournalStore.BalancesAsync(db, state.Id, null, state.DecidesOn(state.Today), stop);
        return StatementMoves.Of(
            before.SetUp,
            after.SetUp,
            balances.ToDictionary(b => b.Account, b => b.Debit - b.Credit, StringComparer.Ordinal)
        );
    }

    private static Foreseen Found(
        long all,
        IReadOnlyList<BusinessEvent> events,
        IReadOnlyList<EntryResult> before,
        IReadOnlyList<EntryResult> after
    )
    {
        var found = Consequences.Of(events, before, after);
        return new Foreseen(events.Count, all, found, Consequences.InAll(found), []);
    }

    private async Task<IReadOnlyList<EntryResult>> BuildAsync(
        Npgsql.NpgsqlConnection db,
        Actor actor,
        CompiledSetUp setUp,
        RecentEvents events,
        CancellationToken stop
    )
    {
        var others = await OtherEntities.FindAsync(db, actor, events.Events, stop);
        await others.LoadAsync(desk, stop);
        return new EventRun(others.On, events.Documents).Apart(events.Events, setUp);
    }

    private async Task<Foreseen> ForeseeAsync(
        Actor actor,
        EntityState state,
        CompiledSetUp before,
        CompiledSetUp after,
        IReadOnlyList<StoredEvent> stored,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var events = Read(stored);
        var documents = await PostingDocuments.ForAsync(db, state.Id, events, stop);
        var others = await OtherEntities.FindAsync(db, actor, events, stop);
        await others.LoadAsync(desk, stop);
        var run = new EventRun(others.On, documents);
        var found = Consequences.Of(events, run.Apart(events, before), run.Apart(events, after));
        return new Foreseen(events.Count, events.Count, found, Consequences.InAll(found), []);
    }

    // Stored events as they are meant today: an account that got another number is the same account.
    private static List<BusinessEvent> Read(IEnumerable<StoredEvent> stored) =>
        [
            .. stored
                .Select(e =>
                    EventReader.Parse(e.Renumbered.Count == 0 ? e.Body : EventAccounts.Renumber(e.Body, e.Renumbered))
                )
                .Where(r => r.Faults.Count == 0)
                .Select(r => r.Event),
        ];
}
