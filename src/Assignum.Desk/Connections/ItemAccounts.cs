using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Pairing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Lists;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>An item of a warehouse with the accounts that it believes in.</summary>
/// <param name="Ours">Our item; null: it is not paired.</param>
/// <param name="Group">Our item's group.</param>
/// <param name="Value">Its stock there, as its list said last.</param>
public sealed record BelievedItem(
    string Theirs,
    string Name,
    string? Ours,
    string? Group,
    decimal Value,
    IReadOnlyList<BelievedAccount> Accounts
)
{
    /// <summary>Whether all that it says agrees.</summary>
    public bool Agrees => Accounts.All(a => a.Belief is Belief.Equal or Belief.Unsaid);
}

/// <summary>The accounts that a warehouse believes in.</summary>
/// <param name="At">The day of its stock list; null: it has told none.</param>
public sealed record BelievedItems(Connection Link, IReadOnlyList<BelievedItem> Items, DateOnly? At, bool MayWrite);

/// <summary>What was mended.</summary>
/// <param name="Change">The change of the draft; null: it was mended there.</param>
public sealed record MendedItems(int Items, int Rows, long? Change, string Says);

/// <summary>Holds the accounts that a warehouse keeps by item against where the items land here, and mends either
/// side.</summary>
public sealed class ItemAccounts(LinkDesk links, EditSetUp edit, CompareSetUps compare)
{
    /// <summary>The items as they stand against the draft, those that disagree first, most value first.</summary>
    public Task<Outcome<BelievedItems>> ReadAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                return set.Result is { SetUp: var setUp } ? await OfAsync(at, setUp, stop) : set.Pass<BelievedItems>();
            },
            stop
        );

    private static async Task<BelievedItems> OfAsync(AtLink at, CompiledSetUp setUp, CancellationToken stop)
    {
        var pairs = Pairs.Of(setUp.SetUp, at.Link.Code, "item");
        var reader = new BelievedAccounts(setUp, Pairs.Of(setUp.SetUp, at.Link.Code, "account"));
        var stock = (await LinkSettleStore.ListsAsync(at.Db, at.At, stop)).FirstOrDefault(l => l.Control == "stock");
        var values = new Dictionary<string, decimal>(StringComparer.Ordinal);
        if (stock.Rows is not null)
            foreach (var row in JsonNode.Parse(stock.Rows)!.AsArray().OfType<JsonObject>())
                if (
                    row["item"] is JsonValue item
                    && item.TryGetValue<string>(out var id)
                    && row["amount"] is JsonValue amount
                    && amount.TryGetValue<decimal>(out var value)
                )
                    values[id] = values.GetValueOrDefault(id) + value;
        var items = new List<BelievedItem>();
        foreach (var record in await LinkRecordStore.ListAsync(at.Db, at.At, "item", stop))
        {
            if (record.Status == "deleted")
                continue;
            var fields = new LinkFields(record.Fields);
            var ours = pairs.OursOf(record.Id) is { Length: > 0 } code ? code : null;
            items.Add(
                new BelievedItem(
                    record.Id,
                    record.Name,
                    ours,
                    ours is null ? null : setUp.Item(ours)?.Item.Group,
                    values.GetValueOrDefault(record.Id),
                    [
                        .. BelievedAccounts.Fields.Select(f =>
                            reader.Of(f.Purpose, fields.Text("accounts", f.Field), ours)
                        ),
                    ]
                )
            );
        }
        return new BelievedItems(
            at.Link,
            [
                .. items
                    .OrderBy(i => i.Agrees)
                    .ThenByDescending(i => i.Value)
                    .ThenBy(i => i.Theirs, StringComparer.Ordinal),
            ],
            stock.Rows is null ? null : stock.At,
            true
        );
    }

    /// <summary>What the newest events would do if what it believes of some items were taken over; nothing is.</summary>
    public async Task<Outcome<Foreseen>> ForeseeHereAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyCollection<string> chosen,
        CancellationToken stop
    )
    {
        var planned = await PlanAsync(actor, entity, code, chosen, stop);
        if (planned.Refused is not null)
            return planned.Pass<Foreseen>();
        Visit visit;
        await using (var db = await links.Desk.Database.OpenAsync(stop))
        {
            var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
            if (entered.Result is null)
                return entered.Pass<Foreseen>();
            visit = entered.Result;
        }
        return await compare.OfEditsAsync(visit, (now, _) => Changes(planned.Result.Rows, now), stop);
    }

    private static IReadOnlyList<RowChange> Changes(
        IReadOnlyList<(string Purpose, string Column, string Value, string Account)> rows,
        SetUp now
    )
    {
        var part = Parts.Assignments;
        return
        [
            .. rows.Select(r =>
            {
                var cells = Parts.CellsOf(
                    new Assignment(
                        r.Purpose,
                        r.Account,
                        [new KeyPart(r.Column == "item" ? Dimension.Item : Dimension.ItemGroup, r.Value)]
                    )
                );
                var key = part.KeyOf(cells);
                return new RowChange(part, key, part.Row(now, key), cells);
            }),
        ];
    }

    // Assignments that take over what it believes: by group where all of a group agree, else by item.
    private async Task<
        Outcome<(int Items, IReadOnlyList<(string Purpose, string Column, string Value, string Account)> Rows)>
    > PlanAsync(Actor actor, string entity, string code, IReadOnlyCollection<string> chosen, CancellationToken stop)
    {
        var read = await ReadAsync(actor, entity, code, stop);
        if (read.Result is not { } all)
            return read.Pass<(int, IReadOnlyList<(string, string, string, string)>)>();
        var picked = chosen.ToHashSet(StringComparer.Ordinal);
        var wanted = all
            .Items.Where(i => picked.Contains(i.Theirs) && i.Ours is not null)
            .SelectMany(i => i.Accounts.Where(a => a.Belief == Belief.Differs).Select(a => (Item: i, Account: a)))
            .ToList();
        if (wanted.Count == 0)
            return Outcome<(int, IReadOnlyList<(string, string, string, string)>)>.No(
                Refusal.Invalid,
                "nothing-to-mend",
                "Of what was chosen nothing can be taken over: it agrees, cannot be read, does not suit, or is not paired."
            );
        var rows = new List<(string Purpose, string Column, string Value, string Account)>();
        foreach (var of in wanted.GroupBy(w => (w.Account.Purpose, w.Item.Group)))
        {
            // The group, where every item of it that says anything says the same.
            var members = all
                .Items.Where(i => i.Ours is not null && i.Group == of.Key.Group)
                .Select(i => i.Accounts.First(a => a.Purpose == of.Key.Purpose))
                .Where(a => a.Belief is Belief.Equal or Belief.Differs)
                .Select(a => a.Believed!)
                .Distinct()
                .ToList();
            if (of.Key.Group is { } group && members.Count == 1)
                rows.Add((of.Key.Purpose.Name, "item_group", group, members[0]));
            else
                rows.AddRange(of.Select(w => (w.Account.Purpose.Name, "item", w.Item.Ours!, w.Account.Believed!)));
        }
        return (wanted.Select(w => w.Item.Ours).Distinct().Count(), rows);
    }

    /// <summary>Takes over here what the warehouse believes: assignments in the draft, for whole groups where all of a
    /// group's items agree.</summary>
    /// <param name="chosen">Their items.</param>
    public async Task<Outcome<MendedItems>> MendHereAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyCollection<string> chosen,
        CancellationToken stop
    )
    {
        var planned = await PlanAsync(actor, entity, code, chosen, stop);
        if (planned.Refused is not null)
            return planned.Pass<MendedItems>();
        var (items, rows) = planned.Result;
        var done = await edit.MakeAsync(
            actor,
            entity,
            $"accounts of items as {code} has them",
            null,
            (now, _) => Changes(rows, now),
            stop
        );
        if (done.Refused is not null)
            return done.Pass<MendedItems>();
        return new MendedItems(
            items,
            rows.Count,
            done.Result!.Id,
            $"{rows.Count} assignments wait in the draft. It changes no entry; stock of {items} items moves to the other account "
                + "when they next move, once the draft is published."
        );
    }

    /// <summary>Writes there where items land here.</summary>
    public async Task<Outcome<MendedItems>> MendThereAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyCollection<string> chosen,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<MendedItems>();
        if (await ConnectionStore.FindAsync(db, state.Id, code, false, stop) is not { } link)
            return Outcome<MendedItems>.No(
                Refusal.NotFound,
                "unknown-connection",
                $"There is no connection {code} here."
            );
        var set = await new ViewSetUp(links.Desk).OfAsync(state, "draft", null, stop);
        if (set.Result is not { SetUp: var setUp })
            return set.Pass<MendedItems>();
        var all = await OfAsync(new AtLink(db, visit, link), setUp, stop);
        var picked = chosen.ToHashSet(StringComparer.Ordinal);
        var paths = new BelievedAccounts(setUp, Pairs.Of(setUp.SetUp, code, "account"));
        var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
        if (client is null)
            return Outcome<MendedItems>.No(Refusal.Invalid, [closed!]);
        using var opened = client;
        var records = await LinkRecordStore.FindAsync(db, (state.Id, link.Id), "item", picked, stop);
        var written = 0;
        foreach (var item in all.Items.Where(i => picked.Contains(i.Theirs) && i.Ours is not null && !i.Agrees))
        {
            var accounts = AccountsOf(records[item.Theirs].Body);
            foreach (var (field, purpose) in BelievedAccounts.Fields)
                if (item.Accounts.First(a => a.Purpose == purpose) is { Lands: { } lands, Belief: not Belief.Equal })
                    accounts[field] = paths.TheirPathOf(lands);
            if (await WriteAsync(client, db, (state.Id, link.Id), item, accounts, stop) is { } fault)
                return Outcome<MendedItems>.No(
                    Refusal.Invalid,
                    [fault with { Message = $"{item.Theirs}: {fault.Message} {written} before it were written." }]
                );
            written++;
            await EntityStore.AuditAsync(
                db,
                state.Id,
                actor.Name,
                "accounts written there",
                $"connection {code}, item {item.Theirs}",
                item.Accounts.ToDictionary(a => a.Purpose.Name, a => a.Path),
                accounts.ToDictionary(a => a.Key, a => a.Value?.ToString()),
                stop
            );
        }
        return written == 0
            ? Outcome<MendedItems>.No(
                Refusal.Invalid,
                "nothing-to-mend",
                "Of what was chosen nothing lands elsewhere here."
            )
            : new MendedItems(
                written,
                0,
                null,
                $"{written} items have the accounts there on which they land here. Nothing is posted anew, here or there."
            );
    }

    private static JsonObject AccountsOf(string body) =>
        JsonNode.Parse(body)!["accounts"] is JsonObject there ? (JsonObject)there.DeepClone() : [];

    // Read, so that nobody's change in between is lost; written against what was read.
    private async Task<Fault?> WriteAsync(
        LinkClient client,
        Npgsql.NpgsqlConnection db,
        (int Entity, int Connection) at,
        BelievedItem item,
        JsonObject accounts,
        CancellationToken stop
    )
    {
        var path = $"records/items/{Uri.EscapeDataString(item.Theirs)}";
        var key = $"accounts/{item.Theirs}/{Guid.NewGuid():n}";
        for (var turn = 1; ; turn++)
        {
            var answer = await client.SendAsync(
                HttpMethod.Patch,
                path,
                new JsonObject { ["accounts"] = accounts.DeepClone() },
                key,
                null,
                stop
            );
            if (answer is { Fault: null, Json: { } json })
            {
                if (Formats.Json.LinkJson.Record("item", json).Record is { } record)
                    await LinkRecordStore.TakeAsync(
                        db,
                        at,
                        "item",
                        Math.Max(await LinkRecordStore.NewFetchAsync(db, at, stop) - 1, 1),
                        [record],
                        stop
                    );
                return null;
            }
            if (turn >= 4 || answer.Fault!.Code is "refused" or "redirect" or "bad-shape")
                return answer.Fault;
            var wait = links.Settings.Pause * Math.Pow(2, turn - 1);
            await Task.Delay(answer.RetryAfter > wait ? answer.RetryAfter.Value : wait, stop);
        }
    }

    /// <summary>The items as a file for whoever imports it there: the accounts on which they land here, in their
    /// words.</summary>
    /// <param name="xlsx">A workbook; otherwise CSV.</param>
    public async Task<Outcome<byte[]>> FileAsync(
        Actor actor,
        string entity,
        string code,
        bool xlsx,
        CancellationToken stop
    ) =>
        await links.LookAsync<byte[]>(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                if (set.Result is not { SetUp: var setUp })
                    return set.Pass<byte[]>();
                var all = await OfAsync(at, setUp, stop);
                var paths = new BelievedAccounts(setUp, Pairs.Of(setUp.SetUp, code, "account"));
                string[] header =
                [
                    "id",
                    "name",
                    "stock",
                    "cost",
                    "revenue",
                    "value",
                    "stock_now",
                    "cost_now",
                    "revenue_now",
                ];
                var rows = all
                    .Items.Where(i => i.Ours is not null)
                    .Select(i =>
                        (object?[])
                            [
                                i.Theirs,
                                i.Name,
                                .. i.Accounts.Select(a => a.Lands is null ? a.Path : paths.TheirPathOf(a.Lands)),
                                i.Value,
                                .. i.Accounts.Select(a => a.Path),
                            ]
                    );
                using var to = new MemoryStream();
                if (xlsx)
                    ListWriter.Xlsx("items", header, rows, to);
                else
                    ListWriter.Csv(header, rows, to);
                return to.ToArray();
            },
            stop
        );
}
