using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Sends entries on to a ledger: each once. What was sent and not answered is read back by its key before it is
/// sent again, always as the bytes that it was first.</summary>
internal sealed class SendJournals(
    LinkDesk links,
    FeedLease lease,
    EntityState state,
    Connection link,
    LinkClient client,
    string life
)
{
    private const int Batch = 500,
        MostPages = 2_000,
        MostReads = 8,
        MostMoves = 24;

    private readonly (int Entity, int Connection) at = (state.Id, link.Id);

    /// <summary>What failed last; null: nothing.</summary>
    public Fault? Trouble { get; private set; }

    /// <summary>Takes what was posted, reads what is there, and sends what is not.</summary>
    /// <param name="asks">Whether it is asked what it has.</param>
    /// <param name="changed">Whether what waits may be possible now.</param>
    public async Task RunAsync(bool asks, bool changed, CancellationToken stop)
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        // Of what was sent before a restore nothing is known here: what is there is read before anything of this life goes.
        var reads = asks || await LinkJournalStore.IsOfOtherLifeAsync(db, at, life, stop);
        if (reads && !await ForeignAsync(db, stop))
            return;
        await JournalBodies.TakeAsync(db, state, link, life, what => WithinAsync(db, what, stop), stop);
        if (changed)
            await WithinAsync(db, () => LinkJournalStore.WakeAsync(db, at, stop), stop);
        var held = await JournalBodies.HeldAsync(db, at, stop);
        // The first that is left is always tried, so this ends.
        var sent = false;
        while (await LinkJournalStore.NextAsync(db, at, Batch, stop) is { Count: > 0 } rows)
        {
            await SendAsync(db, rows, held, stop);
            if (Trouble is not null)
                return;
            sent = true;
        }
        if (asks || sent)
            await BalancesAsync(db, stop);
    }

    /// <summary>Reads what is there, and sends nothing.</summary>
    public async Task ReadThereAsync(CancellationToken stop)
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        if (await ForeignAsync(db, stop))
            await BalancesAsync(db, stop);
    }

    private async Task WithinAsync(NpgsqlConnection db, Func<Task> what, CancellationToken stop)
    {
        await using var transaction = await db.BeginTransactionAsync(stop);
        await lease.RequireAsync(db, stop);
        await what();
        await transaction.CommitAsync(stop);
    }

    // Its balances of today, and of the end of the month before: what control accounts are held against.
    private async Task BalancesAsync(NpgsqlConnection db, CancellationToken stop)
    {
        var month = new DateOnly(state.Today.Year, state.Today.Month, 1);
        foreach (var day in new[] { month.AddDays(-1), state.Today })
        {
            var answer = await client.GetAsync($"balances?at={day:yyyy-MM-dd}", lease.Held);
            if (answer is not { Fault: null, Json: { ValueKind: JsonValueKind.Array } list })
                return;
            var balances = new List<(string, decimal)>();
            foreach (var one in list.EnumerateArray())
                if (
                    Text(one, "account") is { Length: > 0 and <= LinkJson.LongestId } account
                    && one.TryGetProperty("balance", out var b)
                    && b.ValueKind == JsonValueKind.Number
                    && b.TryGetDecimal(out var balance)
                )
                    balances.Add((account, balance));
            await WithinAsync(db, () => BookOfRecordStore.KeepAsync(db, at, day, balances, stop), stop);
        }
    }

    private async Task SendAsync(
        NpgsqlConnection db,
        IReadOnlyList<LinkJournal> rows,
        HeldNames held,
        CancellationToken stop
    )
    {
        var set = await new ViewSetUp(links.Desk).OfAsync(state, "main", null, stop);
        var bodies = new JournalBodies(state, link, set.Result!.SetUp.SetUp);
        var (heads, lines) = await LinkJournalStore.LinesAsync(db, at, [.. rows.Select(r => r.Id)], stop);
        var marks = new List<JournalMark>();
        var fresh = new List<(long Id, string Body, byte[] Content)>();
        var ready = new List<(LinkJournal Row, string Body)>();
        var taken = new HeldNames();
        foreach (var row in rows)
        {
            var names = JournalBodies.Names(heads[row.Id], lines[row.Id]);
            if (held.Holder(names) is { } by && by < row.Id)
            {
                marks.Add(JournalBodies.Behind(row.Id, by));
                held.Add(names, row.Id);
                continue;
            }
            // Of one document one after the other.
            if (taken.Holder(names) is not null)
            {
                taken.Add(names, row.Id);
                continue;
            }
            if (row.Body is { } frozen)
            {
                taken.Add(names, row.Id);
                ready.Add((row, frozen));
                continue;
            }
            var (body, wrong) = bodies.Of(row, [.. heads[row.Id]], [.. lines[row.Id]]);
            if (body is null)
            {
                marks.Add(JournalBodies.Unpaired(row.Id, wrong));
                held.Add(names, row.Id);
                continue;
            }
            taken.Add(names, row.Id);
            fresh.Add((row.Id, body, JournalJson.Content(body)));
            ready.Add((row, body));
        }
        if (fresh.Count > 0 || marks.Count > 0)
            await WithinAsync(
                db,
                async () =>
                {
                    await LinkJournalStore.MarkAsync(db, at, marks, stop);
                    await LinkJournalStore.FreezeAsync(db, at, fresh, stop);
                    // One that is there already and says the same was sent before a restore.
                    var adopted = await ForeignJournalStore.AdoptAsync(
                        db,
                        at,
                        [.. fresh.Select(f => (f.Id, f.Content))],
                        stop
                    );
                    ready.RemoveAll(r => adopted.ContainsKey(r.Row.Id));
                    await LinkJournalStore.MarkAsync(
                        db,
                        at,
                        [
                            .. adopted.Select(a => new JournalMark(
                                a.Key,
                                "sent",
                                null,
                                null,
                                FeedJson.Reason("adopted", $"It was there already, as {a.Value.Id}."),
                                a.Value.Id,
                                null
                            )),
                        ],
                        stop
                    );
                },
                stop
            );
        await ReadBackAsync(db, ready, stop);
        if (Trouble is not null || ready.Count == 0)
            return;
        await WithinAsync(db, () => LinkJournalStore.TryAsync(db, at, [.. ready.Select(r => r.Row.Id)], stop), stop);
        var answers = await PostAsync(ready, stop);
        if (answers is null)
            return;
        var done = new List<JournalMark>();
        foreach (var ((row, _), answer) in ready.Zip(answers))
            // Whatever is no answer about this journal leaves it in doubt: it is read back before it is sent again.
            if (answer.Status is >= 500 or 401 or 403 or 408 or 429)
                Trouble ??= new Fault("broken", $"It broke at a journal (status {answer.Status}): {answer.Says}");
            else if (answer.Status is 200 or 201 && IdOf(answer) is null)
                Trouble ??= new Fault(
                    "bad-shape",
                    "It answered a journal without saying as what it keeps it; something else may stand before it."
                );
            else
                done.Add(Answered(row, answer));
        foreach (var mark in done.Where(m => m.State is "waiting" or "dead"))
            held.Add(JournalBodies.Names(heads[mark.Id], lines[mark.Id]), mark.Id);
        await WithinAsync(db, () => LinkJournalStore.MarkAsync(db, at, done, stop), stop);
        var moved = done.Where(d => d.Reason == Moves).ToList();
        if (moved.Count > 0)
            await MoveAsync(db, moved, stop);
    }

    // What was sent and not answered may be there.
    private async Task ReadBackAsync(
        NpgsqlConnection db,
        List<(LinkJournal Row, string Body)> ready,
        CancellationToken stop
    )
    {
        var doubted = ready.Where(r => r.Row.Tries > 0).ToList();
        var marks = new System.Collections.Concurrent.ConcurrentBag<JournalMark>();
        await Parallel.ForEachAsync(
            doubted,
            new ParallelOptions { MaxDegreeOfParallelism = MostReads, CancellationToken = lease.Held },
            async (one, token) =>
            {
                var answer = await FindAsync(one.Row.Key, token);
                if (answer.Fault is { } fault)
                {
                    if (answer.Status != 404)
                        Trouble = fault;
                    return;
                }
                if (JournalJson.Content(answer.Json!.Value) is not { } content)
                    return;
                marks.Add(
                    content.AsSpan().SequenceEqual(JournalJson.Content(one.Body))
                        ? new JournalMark(
                            one.Row.Id,
                            "sent",
                            null,
                            null,
                            FeedJson.Reason("adopted", "It had come: it was read back by its key."),
                            Text(answer.Json.Value, "id"),
                            null
                        )
                        : Dead(one.Row, "other-content", "Under its key a journal with other content is there.")
                );
            }
        );
        if (marks.IsEmpty)
            return;
        await WithinAsync(db, () => LinkJournalStore.MarkAsync(db, at, [.. marks], stop), stop);
        var known = marks.Select(m => m.Id).ToHashSet();
        ready.RemoveAll(r => known.Contains(r.Row.Id));
    }

    // A key has a slash in it: some take it as a part of the way, some only as one step.
    private async Task<LinkAnswer> FindAsync(string key, CancellationToken stop)
    {
        var answer = await client.GetAsync(
            "journals/" + string.Join('/', key.Split('/').Select(Uri.EscapeDataString)),
            stop
        );
        return answer.Status == 404 ? await client.GetAsync("journals/" + Uri.EscapeDataString(key), stop) : answer;
    }

    private static string? Text(JsonElement json, string name) =>
        json.ValueKind == JsonValueKind.Object
        && json.TryGetProperty(name, out var value)
        && value.ValueKind == JsonValueKind.String
            ? value.GetString()
            : null;

    private sealed record Answer(int Status, JsonElement? Json, string Says);

    // Null: what became of them is in doubt.
    private async Task<IReadOnlyList<Answer>?> PostAsync(
        IReadOnlyList<(LinkJournal Row, string Body)> ready,
        CancellationToken stop
    )
    {
        if (ready.Count > 1)
        {
            var all = "[" + string.Join(',', ready.Select(r => r.Body)) + "]";
            var answer = await client.SendTextAsync("journals:batch", all, ready[0].Row.Key, lease.Held);
            if (
                answer is { Fault: null, Json: { ValueKind: JsonValueKind.Array } list }
                && list.GetArrayLength() == ready.Count
            )
                return
                [
                    .. list.EnumerateArray()
                        .Select(a => new Answer(
                            a.ValueKind == JsonValueKind.Object
                                && a.TryGetProperty("status", out var s)
                                && s.ValueKind == JsonValueKind.Number
                                && s.TryGetInt32(out var status)
                                    ? status
                                : Text(a, "id") is not null ? 200
                                : 422,
                            a,
                            Text(a, "title") ?? Text(a, "detail") ?? Text(a, "why") ?? "It does not say why."
                        )),
                ];
            // Where there is no such call, they go one by one.
            if (answer.Status is not (404 or 405))
            {
                Trouble = answer.Fault
                    ?? new Fault("bad-shape", "The answer to a batch of journals is not an answer each.");
                return null;
            }
        }
        var answers = new List<Answer>();
        foreach (var (row, body) in ready)
        {
            var one = await client.SendTextAsync("journals", body, row.Key, lease.Held);
            if (one.Status is not (200 or 201 or 409 or 422))
            {
                Trouble = one.Fault ?? new Fault("bad-shape", "The answer to a journal cannot be read.");
                break;
            }
            answers.Add(new Answer(one.Status, one.Json, one.Fault?.Message ?? ""));
        }
        return answers;
    }

    private const string Moves = "moves";

    private static string? IdOf(Answer answer) =>
        answer.Json is { } json && Text(json, "id") is { Length: > 0 and <= LinkJson.LongestId } id ? id : null;

    private JournalMark Answered(LinkJournal row, Answer answer)
    {
        if (answer.Status is 200 or 201)
            return new JournalMark(row.Id, "sent", null, null, "[]", IdOf(answer), null);
        if (answer.Status == 409)
            return Dead(row, "other-content", answer.Says);
        if (!IsClosed(answer))
            return Dead(row, "refused-there", answer.Says);
        if (link.ClosedPeriod == "next-open" && row.Tries < MostMoves)
            return new JournalMark(
                row.Id,
                "received",
                Moves,
                answer.Json is { } said ? Text(said, "firstOpen") : null,
                FeedJson.Reason("closed-there", answer.Says),
                null,
                null
            );
        return new JournalMark(
            row.Id,
            "waiting",
            "closed-there",
            $"{row.Date:yyyy-MM}",
            FeedJson.Reason("closed-there", answer.Says),
            null,
            null
        );
    }

    // By its code, or by what it says.
    private static bool IsClosed(Answer answer)
    {
        var code = answer.Json is { } json ? Text(json, "code") ?? Text(json, "type") ?? "" : "";
        return code.Contains("closed", StringComparison.OrdinalIgnoreCase)
            || answer.Says.Contains("closed", StringComparison.OrdinalIgnoreCase)
                && (
                    answer.Says.Contains("month", StringComparison.OrdinalIgnoreCase)
                    || answer.Says.Contains("period", StringComparison.OrdinalIgnoreCase)
                );
    }

    // It was refused for its day: on the first open day it is another journal, under the same key.
    private async Task MoveAsync(NpgsqlConnection db, IReadOnlyList<JournalMark> moved, CancellationToken stop)
    {
        var rows = await LinkJournalStore.PageAsync(db, at, "received", 0, int.MaxValue, stop);
        var bodies = new List<(long, string, byte[])>();
        foreach (var row in rows.Where(r => moved.Any(m => m.Id == r.Id) && r.Body is not null))
        {
            var json = (JsonObject)JsonNode.Parse(row.Body!)!;
            var day = DateOnly.ParseExact((string)json["date"]!, "yyyy-MM-dd", CultureInfo.InvariantCulture);
            var first =
                moved.First(m => m.Id == row.Id).Subject is { } said
                && DateOnly.TryParseExact(said, "yyyy-MM-dd", out var open)
                && open > day
                    ? open
                    : new DateOnly(day.Year, day.Month, 1).AddMonths(1);
            json["date"] = first.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
            var text = json.ToJsonString();
            bodies.Add((row.Id, text, JournalJson.Content(text)));
        }
        await WithinAsync(db, () => LinkJournalStore.FreezeAsync(db, at, bodies, stop), stop);
    }

    private static JournalMark Dead(LinkJournal row, string code, string says) =>
        new(row.Id, "dead", code, PostFeed.Short(says), FeedJson.Reason(code, says), null, null);

    // Reads what is there since the last time; false: it does not answer.
    private async Task<bool> ForeignAsync(NpgsqlConnection db, CancellationToken stop)
    {
        var after = await LinkRecordStore.CursorAsync(db, at, "journals", stop);
        var pages = 0;
        for (var anew = false; ; )
        {
            Fault? failed = null;
            await foreach (var page in client.PagesAsync("journals", "journals", after, lease.Held))
            {
                if (page.Fault is not null)
                {
                    failed = page.Fault;
                    break;
                }
                var came = page.Rows.Select(Foreign).OfType<ForeignJournal>().ToList();
                await WithinAsync(
                    db,
                    async () =>
                    {
                        await ForeignJournalStore.TakeAsync(db, at, came, stop);
                        await LinkRecordStore.SetCursorAsync(db, at, "journals", page.Next, stop);
                    },
                    stop
                );
                after = page.Next;
                if (++pages >= MostPages)
                    return true;
            }
            if (failed is null)
                return true;
            if (failed.Code == "gone" && !anew)
            {
                (after, anew) = (null, true);
                continue;
            }
            // A ledger that lists no journals takes them all the same.
            if (failed.Code == "refused")
                return true;
            Trouble = failed;
            return false;
        }
    }

    private static ForeignJournal? Foreign(JsonElement json)
    {
        if (
            Text(json, "id") is not { Length: > 0 and <= LinkJson.LongestId } id
            || !DateOnly.TryParseExact(Text(json, "date") ?? "", "yyyy-MM-dd", out var date)
            || json.GetRawText().Contains("\\u0000", StringComparison.Ordinal)
        )
            return null;
        var origin = Text(json, "origin") == "link" ? "link" : "hand";
        return new ForeignJournal(
            id,
            Text(json, "key"),
            origin,
            Text(json, "state") ?? "posted",
            date,
            Text(json, "number") ?? "",
            Text(json, "text") ?? "",
            json.GetRawText(),
            JournalJson.Content(json)
        );
    }
}
