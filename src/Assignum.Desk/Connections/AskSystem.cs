using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>What was fetched.</summary>
/// <param name="Left">Records that could not be read, in words; at most a few.</param>
public sealed record Fetched(
    IReadOnlyDictionary<string, int> Records,
    int Events,
    int Unreadable,
    IReadOnlyList<string> Left
);

/// <summary>Asks a connected system for what it has and for what happened, page by page; every page is kept with the place
/// after it, by whoever holds the connection.</summary>
internal sealed class AskSystem(
    LinkDesk links,
    ProposePairs propose,
    FeedLease lease,
    string who,
    NpgsqlConnection db,
    Core.Editions.EntityState state,
    Connection link,
    LinkClient client
)
{
    private readonly (int Entity, int Connection) at = (state.Id, link.Id);
    private readonly Dictionary<string, int> records = new(StringComparer.Ordinal);
    private readonly List<string> left = [];

    /// <summary>How long whoever asks waits for a system that wants to be left alone.</summary>
    public static readonly TimeSpan LongestQuiet = TimeSpan.FromSeconds(10);

    /// <summary>Says that it is asked later.</summary>
    public static Fault LeftAlone(Connection of, TimeSpan quiet) =>
        new(
            "quiet",
            $"{of.Name} asks to be left alone for {Math.Ceiling(quiet.TotalSeconds):0} seconds: "
                + (of.State == "live" ? "after that it is asked by itself." : "ask it again after that.")
        );

    /// <summary>Answers of 401 or 403 in a row after which it is paused.</summary>
    public const int MostRefusals = 3;

    private const int MostLeft = 20;

    /// <summary>Hears how far it is.</summary>
    public Func<int, string, Task> Report { get; init; } = (_, _) => Task.CompletedTask;

    /// <summary>How often it is asked again where it fails.</summary>
    public int Tries { get; init; } = 1;

    /// <summary>What it says that it has.</summary>
    public JsonElement About { get; private set; }

    /// <summary>What failed last.</summary>
    public Fault? Trouble { get; private set; }

    private int unreadable,
        events,
        done;

    /// <summary>Asks it.</summary>
    /// <param name="whole">Its lists too, and which of its records are ours.</param>
    public async Task<Outcome<Fetched>> RunAsync(bool whole, CancellationToken stop)
    {
        await Report(0, "asking what it has");
        var (about, fault) = await AboutAsync(stop);
        if (about is null)
            return Outcome<Fetched>.No(Refusal.Invalid, [fault!]);
        if (await BegunAsync(about.Value, stop) is { } other)
            return other;
        About = about.Value;
        var offered = Many(about.Value, "records");
        foreach (var kind in RecordKind.All.Where(k => offered.Contains(k.Plural)))
            if (await ListAsync(kind.Plural, "records", page => TakeAsync(kind, page, stop), stop) is { } no)
                return Outcome<Fetched>.No(Refusal.Invalid, [no]);
        if (
            !link.Of.TakesEntries
            && await ListAsync("events", "events", page => EventsAsync(page, stop), stop) is { } wrong
        )
            return Outcome<Fetched>.No(Refusal.Invalid, [wrong]);
        if (!whole)
            return new Fetched(records, events, unreadable, left);
        foreach (var control in Many(about.Value, "lists").Take(20))
            if (
                await TheirLists.AskAsync(client, control, state.Today, links.Settings.Pause, stop) is
                { Rows: { } rows }
            )
                await LinkSettleStore.KeepListAsync(
                    db,
                    at,
                    control,
                    state.Today,
                    new System.Text.Json.Nodes.JsonArray([.. rows]).ToJsonString(),
                    stop
                );
        await ProposeAsync(stop);
        return new Fetched(records, events, unreadable, left);
    }

    /// <summary>Looks which of the records that came are ours.</summary>
    public async Task ProposeAsync(CancellationToken stop)
    {
        foreach (var kind in RecordKind.All.Where(k => k.Ours is not null && records.GetValueOrDefault(k.Name) > 0))
        {
            await Report(done, $"looking which {kind.Plural.Replace('-', ' ')} are ours");
            await propose.RunAsync(db, state, link, kind, stop);
        }
    }

    /// <summary>Whether it offers something.</summary>
    /// <param name="list">Such as <c>writes</c>.</param>
    public bool Offers(string list, string name) => Many(About, list).Contains(name);

    internal static IReadOnlyList<string> Many(JsonElement about, string name) =>
        about.ValueKind == JsonValueKind.Object
        && about.TryGetProperty(name, out var value)
        && value.ValueKind == JsonValueKind.Array
            ? [.. value.EnumerateArray().Where(v => v.ValueKind == JsonValueKind.String).Select(v => v.GetString()!)]
            : [];

    private async Task<(JsonElement? About, Fault? Fault)> AboutAsync(CancellationToken stop)
    {
        for (var turn = 1; ; turn++)
        {
            var answer = await client.GetAsync("about", lease.Held);
            if (answer is { Fault: null, Json: { } json })
                return (json, null);
            if (await FailedAsync(answer.Fault!, answer.RetryAfter, turn, stop) is { } end)
                return (null, end);
        }
    }

    // The first answer begins the joining; one of another life ends it.
    private async Task<Outcome<Fetched>?> BegunAsync(JsonElement about, CancellationToken stop)
    {
        await ConnectionStore.AskedAsync(db, state.Id, link.Id, null, false, (0, 0), null, stop);
        var life =
            about.ValueKind == JsonValueKind.Object
            && about.TryGetProperty("life", out var said)
            && said.ValueKind == JsonValueKind.String
                ? said.GetString()!
                : "";
        await using var transaction = await db.BeginTransactionAsync(stop);
        var now = (await ConnectionStore.FindAsync(db, state.Id, link.Code, true, stop))!;
        if (now.Life is { } known && known != life)
        {
            foreach (var one in await ConnectionStore.ListAsync(db, state.Id, stop))
                if (one.State is "joining" or "live")
                {
                    var why = one.Id == link.Id ? "another-life" : $"another-life of {link.Code}";
                    await ConnectionStore.ChangeAsync(
                        db,
                        state.Id,
                        one with
                        {
                            State = "paused",
                            PausedFrom = one.State,
                            Why = why,
                        },
                        null,
                        stop
                    );
                    await EntityStore.AuditAsync(
                        db,
                        state.Id,
                        who,
                        "connection paused",
                        $"connection {one.Code}",
                        new { one.State },
                        new { State = "paused", Why = why },
                        stop
                    );
                }
            await transaction.CommitAsync(stop);
            return Outcome<Fetched>.No(
                Refusal.Conflict,
                "another-life",
                $"{link.Name} says that it lives another life: it was restored or copied. All connections are paused; look "
                    + "whether it is still the right system, then resume them."
            );
        }
        if (now.State == "draft" || now.Life is null)
        {
            // Cursors of a life before this one are of no use.
            if (now.Life is null)
                foreach (var of in RecordKind.All.Select(k => k.Plural).Append("events"))
                    await LinkRecordStore.SetCursorAsync(db, at, of, null, stop);
            await ConnectionStore.ChangeAsync(
                db,
                state.Id,
                now with
                {
                    State = now.State == "draft" ? "joining" : now.State,
                    Life = life,
                },
                null,
                stop
            );
        }
        await transaction.CommitAsync(stop);
        return null;
    }

    // A list from where it was left; null: all of it came.
    private async Task<Fault?> ListAsync(
        string of,
        string name,
        Func<IReadOnlyList<JsonElement>, Task> take,
        CancellationToken stop
    )
    {
        var kind = RecordKind.OfPlural(of);
        var after = await LinkRecordStore.CursorAsync(db, at, of, stop);
        var anew = after is null;
        var turn = 0;
        fetch = await LinkRecordStore.NewFetchAsync(db, at, stop);
        while (true)
        {
            Fault? failed = null;
            TimeSpan? retry = null;
            await foreach (var page in client.PagesAsync(kind is null ? of : "records/" + of, name, after, lease.Held))
            {
                if (page.Fault is not null)
                {
                    (failed, retry) = (page.Fault, page.RetryAfter);
                    break;
                }
                turn = 0;
                await using (var transaction = await db.BeginTransactionAsync(stop))
                {
                    await lease.RequireAsync(db, stop);
                    await take(page.Rows);
                    await LinkRecordStore.SetCursorAsync(db, at, of, page.Next, stop);
                    await transaction.CommitAsync(stop);
                }
                after = page.Next;
                done += page.Rows.Count;
                await Report(done, $"{done:N0} read, now {of.Replace('-', ' ')}".Replace(',', '\u2009'));
            }
            if (failed is null)
                break;
            if (failed.Code == "gone" && after is not null)
            {
                (after, anew) = (null, true);
                await LinkRecordStore.SetCursorAsync(db, at, of, null, stop);
                continue;
            }
            if (await FailedAsync(failed, retry, ++turn, stop) is { } end)
                return end;
        }
        if (anew && kind is not null)
            await LinkRecordStore.GoneAsync(db, at, kind.Name, fetch, stop);
        await ConnectionStore.AskedAsync(
            db,
            state.Id,
            link.Id,
            null,
            false,
            kind is null ? (0, events) : (records.GetValueOrDefault(kind.Name), 0),
            null,
            stop
        );
        return null;
    }

    private long fetch;

    private async Task TakeAsync(RecordKind kind, IReadOnlyList<JsonElement> rows, CancellationToken stop)
    {
        var came = new List<CameRecord>(rows.Count);
        foreach (var row in rows)
        {
            var (record, wrong) = LinkJson.Record(kind.Name, row);
            if (record is not null)
                came.Add(record);
            else
            {
                unreadable++;
                if (left.Count < MostLeft)
                    left.Add($"{kind.Plural}: {wrong}.");
            }
        }
        await LinkRecordStore.TakeAsync(db, at, kind.Name, fetch, came, stop);
        records[kind.Name] = records.GetValueOrDefault(kind.Name) + came.Count;
    }

    private async Task EventsAsync(IReadOnlyList<JsonElement> rows, CancellationToken stop)
    {
        var came = rows.Select(Came).ToList();
        events += await LinkEventStore.TakeAsync(db, at, came, FeedRules.OtherContent, FeedRules.SameSequence, stop);
    }

    private CameEvent Came(JsonElement json)
    {
        var read = LinkJson.Event(link.Code, json);
        return FeedRules.Came(read, FeedRules.Faults(link, read, state.Today));
    }

    // Waits and says nothing, or says why it is of no use to go on.
    private async Task<Fault?> FailedAsync(Fault fault, TimeSpan? retry, int turn, CancellationToken stop)
    {
        Trouble = fault;
        var refusals = await ConnectionStore.AskedAsync(
            db,
            state.Id,
            link.Id,
            fault.Message,
            fault.Code == "key-refused",
            (0, 0),
            retry,
            stop
        );
        if (refusals >= MostRefusals)
        {
            await using var transaction = await db.BeginTransactionAsync(stop);
            var now = (await ConnectionStore.FindAsync(db, state.Id, link.Code, true, stop))!;
            if (now.State is "joining" or "live" or "draft")
            {
                await ConnectionStore.ChangeAsync(
                    db,
                    state.Id,
                    now with
                    {
                        State = "paused",
                        PausedFrom = now.State == "draft" ? "joining" : now.State,
                        Why = "key-refused",
                    },
                    null,
                    stop
                );
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    who,
                    "connection paused",
                    $"connection {link.Code}",
                    new { now.State },
                    new { State = "paused", Why = "key-refused" },
                    stop
                );
            }
            await transaction.CommitAsync(stop);
            return fault with { Message = fault.Message + " It is paused: enter its key anew, then resume it." };
        }
        if (retry > LongestQuiet && turn < Tries)
            return LeftAlone(link, retry.Value) with { Code = fault.Code };
        if (turn >= Tries || fault.Code is "redirect" or "bad-address" or "refused" or "bad-shape")
            return fault;
        var wait = links.Settings.Pause * Math.Pow(2, turn - 1);
        if (retry > wait)
            wait = retry.Value < TimeSpan.FromMinutes(2) ? retry.Value : TimeSpan.FromMinutes(2);
        await Report(done, $"{fault.Message} Asked again in {wait.TotalSeconds:0} s.");
        await Task.Delay(wait, stop);
        return null;
    }
}
