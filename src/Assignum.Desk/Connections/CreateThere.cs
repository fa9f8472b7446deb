using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>What came of making records there.</summary>
/// <param name="Change">The change that pairs them.</param>
public sealed record MadeThere(int Made, long? Change);

/// <summary>Makes records of ours in a connected system, like what is there already, and pairs them.</summary>
public sealed class CreateThere(LinkDesk links, PairRecords pair)
{
    private const int MostTries = 4;

    /// <summary>Makes them one after the other; what was made before one was refused is paired all the same.</summary>
    /// <param name="records">Kinds of record and codes of ours.</param>
    public async Task<Outcome<MadeThere>> RunAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<(string Record, string Ours)> records,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<MadeThere>();
        if (await ConnectionStore.FindAsync(db, state.Id, code, false, stop) is not { } link)
            return Outcome<MadeThere>.No(
                Refusal.NotFound,
                "unknown-connection",
                $"There is no connection {code} here."
            );
        var set = await new ViewSetUp(links.Desk).OfAsync(state, "draft", null, stop);
        if (set.Result is not { SetUp.SetUp: var setUp })
            return set.Pass<MadeThere>();
        var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
        if (client is null)
            return Outcome<MadeThere>.No(Refusal.Invalid, [closed!]);
        using var opened = client;
        var acts = new List<PairAct>();
        Fault? failed = null;
        foreach (var of in records.GroupBy(r => r.Record))
        {
            if (RecordKind.Find(of.Key) is not { Ours: { } part } kind)
                return Outcome<MadeThere>.No(
                    Refusal.Invalid,
                    "unknown-word",
                    $"'{of.Key}' is no kind of record that is made there."
                );
            var theirs = await LinkRecordStore.ListAsync(db, (state.Id, link.Id), of.Key, stop);
            var writer = new LikeTheirs(
                kind,
                setUp,
                link,
                theirs,
                await LinkSettleStore.WordsAsync(db, (state.Id, link.Id), stop)
            );
            var fetch = await LinkRecordStore.NewFetchAsync(db, (state.Id, link.Id), stop) - 1;
            foreach (var (_, ours) in of)
            {
                if (part.Row(setUp, ours) is null)
                {
                    failed = new Fault(
                        "unknown-record",
                        $"There is no {kind.Title.ToLowerInvariant()} {ours} here.",
                        "ours"
                    );
                    break;
                }
                var (record, fault) = await SendAsync(
                    client,
                    HttpMethod.Post,
                    kind,
                    $"records/{kind.Plural}",
                    writer.Body(ours),
                    $"{state.Code}/{link.Code}/{kind.Name}/{ours}",
                    stop
                );
                if (record is null)
                {
                    failed = fault;
                    break;
                }
                await LinkRecordStore.TakeAsync(db, (state.Id, link.Id), kind.Name, Math.Max(fetch, 1), [record], stop);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    "record made there",
                    $"connection {code}, {kind.Name} {record.Id}",
                    null,
                    new { ours, record.Name },
                    stop
                );
                await LinkRecordStore.MadeHereAsync(db, (state.Id, link.Id), kind.Name, [record.Id], true, stop);
                acts.Add(new PairAct(kind.Name, record.Id, ours, "pair", null));
            }
        }
        long? change = null;
        if (acts.Count > 0)
        {
            var done = await pair.SettleAsync(actor, entity, code, acts, stop);
            if (done.Refused is not null)
                return done.Pass<MadeThere>();
            change = done.Result!.Id;
        }
        return failed is null
            ? new MadeThere(acts.Count, change)
            : Outcome<MadeThere>.No(
                Refusal.Invalid,
                [
                    failed with
                    {
                        Message =
                            acts.Count > 0
                                ? $"{failed.Message} {acts.Count} before it were made and paired; try the others again."
                                : failed.Message,
                    },
                ]
            );
    }

    /// <summary>Takes back what was made there: it is archived, for nothing can be taken out of another's system.</summary>
    /// <param name="records">Kinds of record and ids of theirs; those that were not made from here are left alone.</param>
    /// <returns>How many were archived.</returns>
    public async Task<Outcome<int>> TakeBackAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<(string Record, string Theirs)> records,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<int>();
        if (await ConnectionStore.FindAsync(db, state.Id, code, false, stop) is not { IsAsked: true } link)
            return 0;
        var at = (state.Id, link.Id);
        var archived = 0;
        LinkClient? client = null;
        try
        {
            foreach (var of in records.GroupBy(r => r.Record))
            {
                var made = await LinkRecordStore.WereMadeHereAsync(db, at, of.Key, [.. of.Select(r => r.Theirs)], stop);
                foreach (var id in made)
                {
                    if (client is null && await links.OpenAsync(db, state.Id, link, stop) is var opened)
                    {
                        if (opened.Client is null)
                            return Outcome<int>.No(Refusal.Invalid, [opened.Fault!]);
                        client = opened.Client;
                    }
                    var kind = RecordKind.Find(of.Key)!;
                    var (record, fault) = await SendAsync(
                        client!,
                        HttpMethod.Patch,
                        kind,
                        $"records/{kind.Plural}/{Uri.EscapeDataString(id)}",
                        new JsonObject { ["status"] = "archived" },
                        $"{state.Code}/{link.Code}/{kind.Name}/{id}/back/{Guid.NewGuid():n}",
                        stop
                    );
                    if (record is null)
                        return Outcome<int>.No(
                            Refusal.Invalid,
                            [
                                fault! with
                                {
                                    Message = $"{id} was made there and could not be archived: {fault.Message}",
                                },
                            ]
                        );
                    var fetch = await LinkRecordStore.NewFetchAsync(db, at, stop) - 1;
                    await LinkRecordStore.TakeAsync(db, at, kind.Name, Math.Max(fetch, 1), [record], stop);
                    await LinkRecordStore.MadeHereAsync(db, at, kind.Name, [id], false, stop);
                    await EntityStore.AuditAsync(
                        db,
                        state.Id,
                        actor.Name,
                        "record archived there",
                        $"connection {code}, {kind.Name} {id}",
                        new { status = "active" },
                        new { status = "archived" },
                        stop
                    );
                    archived++;
                }
            }
            return archived;
        }
        finally
        {
            client?.Dispose();
        }
    }

    // The same key each time: what was taken before its answer was lost is not made twice.
    private async Task<(CameRecord? Record, Fault? Fault)> SendAsync(
        LinkClient client,
        HttpMethod method,
        RecordKind kind,
        string path,
        JsonObject body,
        string key,
        CancellationToken stop
    )
    {
        for (var turn = 1; ; turn++)
        {
            var answer = await client.SendAsync(method, path, body, key, null, stop);
            if (answer is { Fault: null, Json: { } json })
                return LinkJson.Record(kind.Name, json) is { Record: { } record }
                    ? (record, null)
                    : (null, new Fault("bad-shape", "It did not say what it made."));
            if (turn >= MostTries || answer.Fault!.Code is "refused" or "redirect" or "bad-shape")
                return (null, answer.Fault);
            var wait = links.Settings.Pause * Math.Pow(2, turn - 1);
            await Task.Delay(answer.RetryAfter > wait ? answer.RetryAfter.Value : wait, stop);
        }
    }

    /// <summary>Writes a record of ours as theirs are: with the words and the place of what is nearest to it there.</summary>
    private sealed class LikeTheirs
    {
        private readonly RecordKind kind;
        private readonly SetUp setUp;
        private readonly Dictionary<string, LinkRecord> theirs;
        private readonly Pairs pairs;
        private readonly Dictionary<(string Field, string Ours), string> words = [];
        private readonly ILookup<string, string> siblings;

        public LikeTheirs(
            RecordKind kind,
            SetUp setUp,
            Connection link,
            IReadOnlyList<LinkRecord> records,
            IReadOnlyList<LinkWord> said
        )
        {
            (this.kind, this.setUp) = (kind, setUp);
            theirs = records.ToDictionary(r => r.Id, StringComparer.Ordinal);
            pairs = Pairs.Of(setUp, link.Code, kind.Name);
            var word = LinkWords.Of(said, setUp);
            foreach (var record in records)
            foreach (var field in new[] { "type", "kind", "nature", "direction" })
                if (new LinkFields(record.Fields).Text(field) is { } theirWord && word(field, theirWord) is { } ours)
                    words.TryAdd((field, ours), theirWord);
            siblings = pairs
                .All.Where(p => p.Ours is not null && theirs.ContainsKey(p.Theirs))
                .ToLookup(p => FamilyOf(p.Ours!), p => p.Theirs);
        }

        private string FamilyOf(string ours)
        {
            var part = kind.Ours!;
            if (part.Row(setUp, ours) is not { } row)
                return "";
            string? At(string column) => part.Columns.Any(c => c.Name == column) ? row[part.At(column)] : null;
            return $"{At("class")}/{At("parent")}/{At("group")}/{At("nature")}/{At("direction")}";
        }

        public JsonObject Body(string ours)
        {
            var part = kind.Ours!;
            var row = part.Row(setUp, ours)!;
            string? At(string column) => part.Columns.Any(c => c.Name == column) ? row[part.At(column)] : null;
            var body = new JsonObject { ["id"] = ours, ["name"] = At("name") };
            if (siblings[FamilyOf(ours)].FirstOrDefault() is { } sibling)
                foreach (var (name, value) in JsonNode.Parse(theirs[sibling].Body)!.AsObject())
                    if (name is not ("cost" or "taxNumber" or "email"))
                        body[name] = value?.DeepClone();
            void Word(string field, string? ourWord)
            {
                if (ourWord is not null && words.TryGetValue((field, ourWord), out var said))
                    body[field] = said;
                else if (ourWord is not null && !body.ContainsKey(field))
                    body[field] = ourWord;
            }
            switch (kind.Name)
            {
                case "account":
                    Word("type", At("class"));
                    break;
                case "item":
                    Word("nature", At("nature"));
                    break;
                case "party":
                    Word("kind", At("kind"));
                    (body["taxNumber"], body["country"]) = (At("tax_number"), At("country"));
                    break;
                case "tax-code":
                    Word("direction", At("direction"));
                    body["rate"] = (setUp.TaxRates.Where(r => r.Code == ours).MaxBy(r => r.From)?.Rate ?? 0) * 100;
                    break;
                case "project":
                    body["parent"] =
                        At("parent") is { } above && pairs.OfOurs(above) is { } there ? there.Theirs : null;
                    break;
            }
            return body;
        }
    }
}
