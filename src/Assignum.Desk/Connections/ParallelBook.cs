using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>What the events of the connections of an entity that run beside the old way would have posted, as things stand.
/// It is kept in memory and goes on with what comes; where anything changes that decides, it begins anew.</summary>
/// <remarks>Events of a day are taken warehouse first, then shop, then payments, then files, so that what settles sees what
/// it settles.</remarks>
internal sealed class ParallelBook(string under, IReadOnlyList<Connection> of)
{
    private static readonly string[] Order = ["warehouse", "shop", "payments", "files"];

    private readonly PostingDocuments documents = new(new DocumentRegister());
    private readonly Dictionary<int, long> seen = [];
    private readonly Dictionary<(int Connection, DateOnly Day, string Account, string Reference), decimal> sums = [];
    private readonly Dictionary<(int Connection, DateOnly Day), (int Events, int Waiting)> days = [];
    private readonly Dictionary<int, Dictionary<string, string>> waiting = [];
    private readonly Dictionary<
        (int Connection, DateOnly Day, string Code, string Says),
        (int Events, decimal Amount)
    > reasons = [];

    /// <summary>What decided about what is in it.</summary>
    public string Under => under;

    /// <summary>What is rehearsed of connections.</summary>
    public IEnumerable<BookedSum> Of(IReadOnlySet<int> connections) =>
        sums.Where(s => connections.Contains(s.Key.Connection))
            .GroupBy(s => (s.Key.Day, s.Key.Account, s.Key.Reference))
            .Select(g => new BookedSum(g.Key.Day, g.Key.Account, g.Key.Reference, g.Sum(s => s.Value)));

    /// <summary>Documents of events that cannot post, with why.</summary>
    public IReadOnlyDictionary<string, string> Waiting(IReadOnlySet<int> connections)
    {
        var all = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var (connection, documents) in waiting)
            if (connections.Contains(connection))
                foreach (var (reference, why) in documents)
                    all.TryAdd(reference, why);
        return all;
    }

    /// <summary>How many events a day had, and how many of them cannot post.</summary>
    public (int Events, int Waiting) OfDay(IReadOnlySet<int> connections, DateOnly day)
    {
        var found = days.Where(d => d.Key.Day == day && connections.Contains(d.Key.Connection)).ToList();
        return (found.Sum(d => d.Value.Events), found.Sum(d => d.Value.Waiting));
    }

    /// <summary>The days that had events.</summary>
    public IEnumerable<DateOnly> Days(IReadOnlySet<int> connections) =>
        days.Keys.Where(d => connections.Contains(d.Connection)).Select(d => d.Day);

    /// <summary>Why events of a day cannot post, the most first.</summary>
    public IReadOnlyList<(string Code, string Says, int Events, decimal Amount)> Reasons(
        IReadOnlySet<int> connections,
        DateOnly day
    ) =>
        [
            .. reasons
                .Where(r => r.Key.Day == day && connections.Contains(r.Key.Connection))
                .GroupBy(r => (r.Key.Code, r.Key.Says))
                .Select(g => (g.Key.Code, g.Key.Says, g.Sum(r => r.Value.Events), g.Sum(r => r.Value.Amount)))
                .OrderByDescending(r => r.Item4),
        ];

    /// <summary>Takes what came since.</summary>
    public async Task GoOnAsync(DeskContext desk, NpgsqlConnection db, EntityState state, CancellationToken stop)
    {
        var view = new ViewSetUp(desk);
        var main = (await view.OfAsync(state, "main", null, stop)).Result!;
        var links = of.OrderBy(l => Array.IndexOf(Order, l.Kind)).ThenBy(l => l.Id).ToList();
        var translators = new Dictionary<int, Translator>();
        var coming = new Dictionary<int, IReadOnlyList<DateOnly>>();
        var last = new Dictionary<int, long>();
        foreach (var link in links)
        {
            var at = (state.Id, link.Id);
            var setUp = main.SetUp.SetUp;
            translators[link.Id] = new Translator(
                (kind, id) => Pairs.Of(setUp, link.Code, kind.Name).OursOf(id),
                LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), setUp)
            );
            last[link.Id] = (await ParallelStore.StandAsync(db, at, stop)).Last;
            coming[link.Id] = await ParallelStore.DaysAsync(
                db,
                at,
                link.ParallelFrom!.Value,
                seen.GetValueOrDefault(link.Id),
                stop
            );
        }
        var run = new EventRun(null, documents.Register, desk.Unforeseen);
        foreach (var day in coming.Values.SelectMany(d => d).Distinct().Order())
        {
            // In force on the day; what is not published yet is rehearsed by the draft.
            var setUp = ((await view.OfAsync(state, null, day, stop)).Result ?? main).SetUp;
            foreach (var link in links.Where(l => coming[l.Id].Contains(day)))
            {
                var at = (state.Id, link.Id);
                var rows = await ParallelStore.OfDayAsync(db, at, day, seen.GetValueOrDefault(link.Id), stop);
                rows = [.. rows.Where(r => r.Row <= last[link.Id])];
                var voided = await LinkEventStore.VoidedAsync(db, at, [.. rows.Select(r => r.Id)], stop);
                var read = rows.Where(r => r.Voids is null && !voided.ContainsKey(r.Id))
                    .Select(r =>
                    {
                        using var json = System.Text.Json.JsonDocument.Parse(r.Body);
                        return LinkJson.Event(link.Code, json.RootElement);
                    })
                    .ToList();
                var missing = read.Select(r =>
                        r.Faults.Count == 0 ? translators[link.Id].Translate(r.Event) : (IReadOnlyCollection<Named>)[]
                    )
                    .ToList();
                await documents.ReadAsync(
                    db,
                    state.Id,
                    [.. read.Where((r, i) => r.Faults.Count == 0 && missing[i].Count == 0).Select(r => r.Event)],
                    stop
                );
                for (var i = 0; i < read.Count; i++)
                    Take(link, state, day, read[i], missing[i], run, setUp);
            }
        }
        foreach (var link in links)
            seen[link.Id] = Math.Max(seen.GetValueOrDefault(link.Id), last[link.Id]);
    }

    private void Take(
        Connection link,
        EntityState state,
        DateOnly day,
        TheirEvent read,
        IReadOnlyCollection<Named> missing,
        EventRun run,
        Core.SetUps.CompiledSetUp setUp
    )
    {
        var e = read.Event;
        var (events, waits) = days.GetValueOrDefault((link.Id, day));
        var faults = FeedRules.Faults(link, read, state.Today);
        var why =
            faults.Count > 0 ? (faults[0].Code, faults[0].Message)
            : missing.Count > 0
                ? (FeedReasons.Unpaired, $"{missing.First().Record} {missing.First().Theirs} is not paired")
            : ((string Code, string Message)?)null;
        if (why is null)
        {
            var result = run.Step(e, setUp, Stands.One);
            if (PostingRules.Errors(e, result) is [var first, ..])
                why = (first.Code, first.Message);
            else if (result.Entry is { } entry)
            {
                var reference = entry.Reference ?? e.Reference ?? e.Id;
                foreach (var line in entry.Lines)
                {
                    var key = (link.Id, entry.Date, line.Account, reference);
                    sums[key] = sums.GetValueOrDefault(key) + line.Signed;
                }
            }
        }
        days[(link.Id, day)] = (events + 1, waits + (why is null ? 0 : 1));
        if (why is not { } said)
            return;
        if (!waiting.TryGetValue(link.Id, out var documents))
            waiting[link.Id] = documents = new Dictionary<string, string>(StringComparer.Ordinal);
        documents.TryAdd(e.Reference ?? e.Id, said.Item2);
        var of = (link.Id, day, said.Item1, PostFeed.Short(said.Item2));
        var (count, amount) = reasons.GetValueOrDefault(of);
        reasons[of] = (count + 1, amount + read.Amount);
    }

    // What could be posted is seen by those after it.
    private sealed class Stands : IEntrySink
    {
        public static Stands One { get; } = new();

        public bool Take(BusinessEvent source, EntryResult result) => PostingRules.Errors(source, result).Count == 0;
    }
}
