using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Posting;

/// <summary>What an event would do.</summary>
public sealed record Rehearsed(ReadEvent Source, EntryResult Result, int? Edition)
{
    /// <summary>The entry as JSON says it, or null.</summary>
    public EntryDocument? Document =>
        Result.Entry is null
            ? null
            : EntryDocument.Of(Result.Entry, new EventName(Source.Event.Source, Source.Event.Id), Edition);
}

/// <summary>Runs events through an edition without posting them: the same way as posting, with nothing
/// stored.</summary>
public sealed class Rehearse(DeskContext desk)
{
    /// <summary>Rehearses events. <paramref name="edition"/>: see <see cref="ViewSetUp"/>; null: by each event's
    /// date.</summary>
    /// <param name="inOrder">Payments see the documents of the events before them, as a posting would; otherwise each
    /// event stands on its own.</param>
    /// <param name="before">The id of an entry: documents are open as they were before that one.</param>
    public async Task<Outcome<IReadOnlyList<Rehearsed>>> RunAsync(
        Actor actor,
        string entity,
        IReadOnlyList<ReadEvent> events,
        string? edition,
        CancellationToken stop,
        bool inOrder = false,
        long before = long.MaxValue
    )
    {
        EntityState state;
        DocumentRegister documents;
        OtherEntities others;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
            if (entered.Result is null)
                return entered.Pass<IReadOnlyList<Rehearsed>>();
            state = entered.Result.State;
            documents = await PostingDocuments.ForAsync(
                db,
                state.Id,
                events.Where(e => e.Faults.Count == 0).Select(e => e.Event),
                stop,
                before
            );
            others = await OtherEntities.FindAsync(db, actor, events.Select(e => e.Event), stop);
        }
        await others.LoadAsync(desk, stop);
        var view = new ViewSetUp(desk);
        if (edition is not null && (await view.OfAsync(state, edition, null, stop)) is { Result: null } refused)
            return refused.Pass<IReadOnlyList<Rehearsed>>();
        var run = new EventRun(others.On, documents, desk.Unforeseen);
        var sink = new Shown(inOrder);
        var rehearsed = new List<Rehearsed>(events.Count);
        foreach (var read in events)
        {
            if (read.Faults.Count > 0)
            {
                rehearsed.Add(new Rehearsed(read, new EntryResult(null, read.Faults), null));
                continue;
            }
            var set = await view.OfAsync(state, edition, read.Event.Date == default ? null : read.Event.Date, stop);
            var result = set.Result is null
                ? new EntryResult(null, set.Faults)
                : run.Step(read.Event, set.Result.SetUp, sink);
            rehearsed.Add(new Rehearsed(read, result, set.Result?.Edition));
        }
        return rehearsed;
    }

    /// <summary>Shows what is made; where events are in order, what could be posted is seen by those after it.</summary>
    private sealed class Shown(bool inOrder) : IEntrySink
    {
        public bool Take(BusinessEvent source, EntryResult result) => inOrder && result.Outcome != "refused";
    }
}

/// <summary>The set-ups of entities that a batch charges, read before it is built.</summary>
internal sealed class OtherEntities
{
    private readonly Dictionary<string, Dictionary<int, CompiledSetUp>> compiled = [];
    private readonly Dictionary<string, EntityState> states = [];

    /// <summary>The states of the entities named, by code.</summary>
    public IReadOnlyDictionary<string, EntityState> States => states;

    // Which editions of each are asked for.
    private readonly Dictionary<string, IReadOnlyList<DateOnly>> days = [];

    /// <summary>Finds the entities that events charge.</summary>
    public static async Task<OtherEntities> FindAsync(
        Npgsql.NpgsqlConnection db,
        Actor actor,
        IEnumerable<BusinessEvent> events,
        CancellationToken stop
    )
    {
        var others = new OtherEntities();
        foreach (
            var of in events
                .Where(e => e.Counterparty is not null && EventKinds.Find(e.Kind) is { ChargesAnother: true })
                .GroupBy(e => e.Counterparty!)
        )
        {
            // Whose books an actor may not see cannot be charged by that actor.
            if (
                !actor.May(Role.Viewer, of.Key)
                || await EditionStore.StateAsync(db, of.Key, false, stop) is not { } state
            )
                continue;
            others.states[of.Key] = state;
            others.days[of.Key] = [.. of.Select(e => e.Date).Distinct()];
        }
        return others;
    }

    /// <summary>Makes their set-ups; no connection is held meanwhile.</summary>
    public async Task LoadAsync(DeskContext desk, CancellationToken stop)
    {
        foreach (var (code, state) in states)
        {
            var byNumber = compiled[code] = [];
            foreach (var number in NumbersOf(code, state))
                byNumber[number] = await desk.Shelf.GetAsync(desk.Database, state, number, null, stop);
        }
    }

    /// <summary>The same as they are now, by a connection that holds them; null where a set-up has to be made
    /// first.</summary>
    public async Task<OtherEntities?> AgainAsync(DeskContext desk, Npgsql.NpgsqlConnection db, CancellationToken stop)
    {
        var now = new OtherEntities();
        foreach (var code in states.Keys)
        {
            if (await EditionStore.StateAsync(db, code, false, stop) is not { } state)
                return null;
            (now.states[code], now.days[code]) = (state, days[code]);
            if (!now.NumbersOf(code, state).All(n => desk.Shelf.Has(state, n, null)))
                return null;
        }
        await now.LoadAsync(desk, stop);
        return now;
    }

    private IEnumerable<int> NumbersOf(string code, EntityState state) =>
        days[code].Select(d => state.InForce(d)?.Number).OfType<int>().Distinct();

    /// <summary>The set-up of an entity in force on a day, or null.</summary>
    public CompiledSetUp? On(string entity, DateOnly day) =>
        states.TryGetValue(entity, out var state) && state.InForce(day)?.Number is { } number
            ? compiled[entity].GetValueOrDefault(number)
            : null;
}
