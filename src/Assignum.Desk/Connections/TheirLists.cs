using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>Asks a connected system for its own subledger lists.</summary>
internal static class TheirLists
{
    /// <summary>Most rows of a list.</summary>
    public const int Most = 100_000;

    /// <summary>A list as it was on a day, all its pages; or why there is none.</summary>
    public static async Task<(List<JsonObject>? Rows, Fault? Fault)> AskAsync(
        LinkClient client,
        string control,
        DateOnly at,
        TimeSpan pause,
        CancellationToken stop
    )
    {
        var rows = new List<JsonObject>();
        string? after = null;
        var seen = new HashSet<string>(StringComparer.Ordinal);
        for (var turn = 0; ; )
        {
            var from = after is null ? "" : $"&after={Uri.EscapeDataString(after)}";
            var answer = await client.GetAsync($"lists/{control}?at={at:yyyy-MM-dd}{from}", stop);
            if (answer.Fault is { } fault)
            {
                if (++turn >= 5 || fault.Code is "refused" or "redirect" or "key-refused" or "bad-address")
                    return (null, fault);
                var wait = pause * Math.Pow(2, turn - 1);
                await Task.Delay(answer.RetryAfter > wait ? answer.RetryAfter.Value : wait, stop);
                continue;
            }
            var json = answer.Json!.Value;
            var list =
                json.ValueKind == JsonValueKind.Array ? json
                : json.ValueKind == JsonValueKind.Object && json.TryGetProperty("rows", out var of) ? of
                : default;
            if (list.ValueKind != JsonValueKind.Array)
                return (null, new Fault("bad-shape", $"Its list of {control} has no rows."));
            foreach (var row in list.EnumerateArray())
                if (row.ValueKind == JsonValueKind.Object)
                    rows.Add((JsonObject)JsonNode.Parse(row.GetRawText())!);
            if (rows.Count > Most)
                return (null, new Fault("too-many", $"Its list of {control} has more than {Most} rows."));
            if (
                json.ValueKind != JsonValueKind.Object
                || !json.TryGetProperty("more", out var more)
                || more.ValueKind != JsonValueKind.True
            )
                return (rows, null);
            after =
                json.TryGetProperty("next", out var next) && next.ValueKind == JsonValueKind.String
                    ? next.GetString()
                    : null;
            if (after is null || !seen.Add(after))
                return (null, new Fault("repeated-cursor", $"Its list of {control} leads in a circle."));
        }
    }

    private static readonly (string Column, string Record)[] Codes =
    [
        ("item", "item"),
        ("party", "party"),
        ("location", "location"),
        ("channel", "channel"),
        ("method", "method"),
        ("project", "project"),
        ("account", "account"),
    ];

    /// <summary>Rows in our codes; what is not paired is named.</summary>
    /// <param name="missing">Takes what is not paired, by kind of record.</param>
    /// <param name="all">Whether rows with something that is not paired are kept, with their code for it.</param>
    public static IReadOnlyList<JsonObject> Translated(
        IReadOnlyList<JsonObject> rows,
        Connection link,
        SetUp setUp,
        ISet<(string Record, string Theirs)> missing,
        bool all = false
    )
    {
        var translated = new List<JsonObject>();
        foreach (var row in rows)
        {
            var ours = (JsonObject)row.DeepClone();
            var whole = true;
            foreach (var (column, record) in Codes)
                if (ours[column] is JsonValue value && value.TryGetValue<string>(out var theirs) && theirs.Length > 0)
                    if (Pairs.Of(setUp, link.Code, record).OursOf(theirs) is { } code)
                        ours[column] = code.Length > 0 ? code : null;
                    else
                    {
                        missing.Add((record, theirs));
                        whole = false;
                    }
            if (whole || all)
                translated.Add(ours);
        }
        return translated;
    }
}

/// <summary>What came of asking for opening values.</summary>
/// <param name="Rows">Rows by list.</param>
/// <param name="Missing">Records of theirs that rows name and that are not paired: those rows were left out.</param>
public sealed record OpeningsAsked(
    DateOnly At,
    IReadOnlyDictionary<string, int> Rows,
    IReadOnlyList<(string Connection, string Record, string Theirs)> Missing
);

/// <summary>Takes opening values out of connected systems: their lists of the day before the first, and a ledger's
/// balances, as the lists that an opening is made of. There they are held against each other, then posted.</summary>
public sealed class AskOpenings(LinkDesk links, BringOpenings openings)
{
    /// <summary>Asks every connection that is joined.</summary>
    /// <param name="at">The day before the first that posts.</param>
    public async Task<Outcome<OpeningsAsked>> RunAsync(Actor actor, string entity, DateOnly at, CancellationToken stop)
    {
        var lists = new Dictionary<string, List<JsonObject>>(StringComparer.Ordinal);
        var missing = new List<(string, string, string)>();
        var faults = new List<Fault>();
        Visit visit;
        await using (var db = await links.Desk.Database.OpenAsync(stop))
        {
            var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
            if (entered.Result is null)
                return entered.Pass<OpeningsAsked>();
            visit = entered.Result;
            var state = visit.State;
            var set = await new ViewSetUp(links.Desk).OfAsync(state, "draft", null, stop);
            if (set.Result is not { SetUp.SetUp: var setUp })
                return set.Pass<OpeningsAsked>();
            foreach (
                var link in (await ConnectionStore.ListAsync(db, state.Id, stop)).Where(c =>
                    c.State is "joining" or "live"
                )
            )
            {
                var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
                if (client is null)
                {
                    faults.Add(closed! with { Message = $"{link.Name}: {closed.Message}" });
                    continue;
                }
                using var opened = client;
                var named = new HashSet<(string Record, string Theirs)>();
                foreach (var (list, rows, fault) in await AskAsync(client, link, at, stop))
                    if (fault is not null)
                        faults.Add(fault with { Message = $"{link.Name}: {fault.Message}" });
                    else
                        (lists.TryGetValue(list, out var there) ? there : lists[list] = []).AddRange(
                            TheirLists.Translated(rows!, link, setUp, named)
                        );
                missing.AddRange(named.Order().Select(n => (link.Code, n.Record, n.Theirs)));
            }
        }
        if (faults.Count > 0)
            return Outcome<OpeningsAsked>.No(Refusal.Invalid, faults);
        if (lists.Values.All(l => l.Count == 0))
            return Outcome<OpeningsAsked>.No(
                Refusal.Invalid,
                "nothing-there",
                $"No connected system has a list with anything in it on {at.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture)}."
            );
        var counts = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (list, rows) in lists.Where(l => l.Value.Count > 0))
        {
            var body = System.Text.Encoding.UTF8.GetBytes(new JsonArray([.. rows]).ToJsonString());
            var taken = await openings.TakeAsync(visit, at, list, body, true, stop);
            if (taken.Refused is not null)
                return taken.Pass<OpeningsAsked>();
            counts[list] = rows.Count;
        }
        return new OpeningsAsked(at, counts, missing);
    }

    private async Task<IReadOnlyList<(string List, List<JsonObject>? Rows, Fault? Fault)>> AskAsync(
        LinkClient client,
        Connection link,
        DateOnly at,
        CancellationToken stop
    )
    {
        var found = new List<(string, List<JsonObject>?, Fault?)>();
        if (link.Of.TakesEntries)
        {
            var answer = await client.GetAsync($"balances?at={at:yyyy-MM-dd}", stop);
            if (answer.Fault is not null || answer.Json is not { ValueKind: JsonValueKind.Array } json)
                return
                [
                    (
                        BringOpenings.TrialBalance,
                        null,
                        answer.Fault ?? new Fault("bad-shape", "Its balances are no list.")
                    ),
                ];
            var rows = new List<JsonObject>();
            foreach (var row in json.EnumerateArray())
                if (
                    row.ValueKind == JsonValueKind.Object
                    && row.TryGetProperty("account", out var account)
                    && row.TryGetProperty("balance", out var balance)
                    && balance.ValueKind == JsonValueKind.Number
                    && balance.GetDecimal() != 0
                )
                    rows.Add(new JsonObject { ["account"] = account.GetString(), ["amount"] = balance.GetDecimal() });
            return [(BringOpenings.TrialBalance, rows, null)];
        }
        foreach (var control in Openings.Listed.Select(c => Words.Of(c)))
        {
            var (rows, fault) = await TheirLists.AskAsync(client, control, at, links.Settings.Pause, stop);
            // A system has the lists that it has.
            if (fault is not { Code: "refused" })
                found.Add((control, rows, fault));
        }
        return found;
    }
}
