using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;

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
    public async Task<Outcome<IReadOnlyList<Rehearsed>>> RunAsync(
        Actor actor,
        string entity,
        IReadOnlyList<ReadEvent> events,
        string? edition,
        CancellationToken stop,
        bool inOrder = false
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { } state)
            return entered.Pass<IReadOnlyList<Rehearsed>>();
        var view = new ViewSetUp(desk);
        if (edition is not null && (await view.OfAsync(state, edition, null, stop)) is { Result: null } refused)
            return refused.Pass<IReadOnlyList<Rehearsed>>();
        var documents = await PostingDocuments.ForAsync(
            db,
            state.Id,
            events.Where(e => e.Faults.Count == 0).Select(e => e.Event),
            stop
        );
        var others = await OtherEntities.LoadAsync(desk, db, actor, events.Select(e => e.Event), stop);
        var rehearsed = new List<Rehearsed>(events.Count);
        foreach (var read in events)
        {
            if (read.Faults.Count > 0)
            {
                rehearsed.Add(new Rehearsed(read, new EntryResult(null, read.Faults, []), null));
                continue;
            }
            var set = await view.OfAsync(state, edition, read.Event.Date == default ? null : read.Event.Date, stop);
            var result = set.Result is null
                ? new EntryResult(null, set.Faults, [])
                : new EntryBuilder(set.Result.SetUp, others.On, documents).Build(read.Event);
            if (inOrder && result.Entry is { Refused: false } entry)
                documents.Note(entry);
            rehearsed.Add(new Rehearsed(read, result, set.Result?.Edition));
        }
        return rehearsed;
    }
}

/// <summary>The set-ups of entities that a batch charges, read before it is built.</summary>
internal sealed class OtherEntities
{
    private readonly Dictionary<string, Dictionary<int, CompiledSetUp>> compiled = [];
    private readonly Dictionary<string, Storage.EntityState> states = [];

    /// <summary>The states of the entities named, by code.</summary>
    public IReadOnlyDictionary<string, Storage.EntityState> States => states;

    public static async Task<OtherEntities> LoadAsync(
        DeskContext desk,
        Npgsql.NpgsqlConnection db,
        Actor actor,
        IEnumerable<Core.Events.BusinessEvent> events,
        CancellationToken stop
    )
    {
        var others = new OtherEntities();
        foreach (
            var of in events
                .Where(e => e is { Kind: "intercompany-charge", Counterparty: not null })
                .GroupBy(e => e.Counterparty!)
        )
        {
            // Whose books an actor may not see cannot be charged by that actor.
            if (
                !actor.May(Role.Viewer, of.Key)
                || await Storage.EditionStore.StateAsync(db, of.Key, false, stop) is not { } state
            )
                continue;
            others.states[of.Key] = state;
            var byNumber = others.compiled[of.Key] = [];
            foreach (var number in of.Select(e => state.InForce(e.Date)?.Number).OfType<int>().Distinct())
                byNumber[number] = await desk.Shelf.GetAsync(desk.Database, state, number, null, stop);
        }
        return others;
    }

    /// <summary>The set-up of an entity in force on a day, or null.</summary>
    public CompiledSetUp? On(string entity, DateOnly day) =>
        states.TryGetValue(entity, out var state) && state.InForce(day)?.Number is { } number
            ? compiled[entity].GetValueOrDefault(number)
            : null;
}
