using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Something that must be decided before events can post.</summary>
/// <param name="Need">record, purpose, word or difference.</param>
/// <param name="Record">The kind of record, the field of a word, or the purpose.</param>
/// <param name="Theirs">Their id or word; of a purpose its channel, method and location.</param>
/// <param name="Says">In words, what is to be decided.</param>
/// <param name="Proposals">Ours that it may be, the best first, each with its reasons.</param>
public sealed record Need(
    string Id,
    string What,
    string Record,
    string Theirs,
    string Name,
    string Says,
    Waits Waits,
    IReadOnlyList<NeedProposal> Proposals
);

/// <summary>What a need may be settled with.</summary>
public sealed record NeedProposal(string Ours, string Name, double Score, bool Trap, IReadOnlyList<string> Reasons);

/// <summary>What is still needed, the most money first.</summary>
/// <param name="Open">Events that are not posted, and of them those that name nothing open.</param>
public sealed record NeedsOfLink(IReadOnlyList<Need> Needs, (long Events, long Ready) Open);

/// <summary>One list of everything that is still to be decided about a connection.</summary>
public sealed class ReadNeeds(LinkDesk links)
{
    /// <summary>What a need is known by.</summary>
    public static string IdOf(string need, params string[] parts) =>
        need + "/" + string.Join('/', parts.Select(Uri.EscapeDataString));

    /// <summary>A need's kind and parts out of its id; null: it is none.</summary>
    public static (string Need, string[] Parts)? Read(string? id)
    {
        if (id is not { Length: > 0 and < 4000 } || id.Split('/') is not [var need, .. var parts])
            return null;
        var wanted = need switch
        {
            "record" or "word" or "difference" => 2,
            "purpose" => 4,
            _ => 0,
        };
        return wanted == parts.Length ? (need, [.. parts.Select(Uri.UnescapeDataString)]) : null;
    }

    /// <summary>The needs as they stand.</summary>
    public Task<Outcome<NeedsOfLink>> RunAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                return set.Result is { SetUp: var setUp }
                    ? await OfAsync(at.Db, at.State, at.Link, setUp, stop)
                    : set.Pass<NeedsOfLink>();
            },
            stop
        );

    /// <summary>The needs as they stand in a set-up.</summary>
    internal static async Task<NeedsOfLink> OfAsync(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        CompiledSetUp setUp,
        CancellationToken stop
    )
    {
        var at = (state.Id, link.Id);
        var s = setUp.SetUp;
        var needs = new List<Need>();
        needs.AddRange(
            link.Of.TakesEntries
                ? await OursAsync(db, at, state, link, s, stop)
                : await TheirsAsync(db, at, link, s, stop)
        );
        var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), s);
        var settled = new List<string>();
        foreach (var (field, theirs, waits) in await LinkEventStore.WordsAsync(db, at, stop))
            if (words(field, theirs) is not null)
                settled.Add($"{Named.WordPrefix}{field}:{theirs}");
            else
                needs.Add(
                    new Need(
                        IdOf("word", field, theirs),
                        "word",
                        field,
                        theirs,
                        theirs,
                        $"What is the {TitleOf(field)} '{theirs}' here?",
                        waits,
                        [.. WordList.Ours(field, s).Select(o => new NeedProposal(o, o, 0, false, []))]
                    )
                );
        var purposes = await SettlePurposes.StandingAsync(db, state, link, setUp, stop);
        foreach (var standing in purposes.Purposes.Where(p => p.Open))
        {
            var l = standing.Landing;
            var where = string.Join(", ", new[] { l.Channel, l.Method, l.Location }.Where(w => w.Length > 0));
            needs.Add(
                new Need(
                    IdOf("purpose", l.Purpose.Name, l.Channel, l.Method, l.Location),
                    "purpose",
                    l.Purpose.Name,
                    where,
                    l.Purpose.Title,
                    l.Account is null ? "It lands on nothing yet."
                        : standing.Settled is { } said
                            ? $"It was settled on {said.Account} and lands on {l.Account} now."
                        : $"It lands on {l.Account} by {(l.Rung == "default" ? "its default" : l.Rung)}: meant?",
                    standing.Waits,
                    // What only a default takes nobody chose: it is no proposal.
                    l.Account
                        is null
                    || l.Rung == "default"
                        ? []
                        : [new NeedProposal(l.Account, setUp.Account(l.Account)?.Name ?? "", 0, false, [])]
                )
            );
        }
        needs.AddRange(await DifferencesAsync(db, at, state, link, s, stop));
        return new NeedsOfLink(
            [
                .. needs
                    .OrderByDescending(n => n.Waits.Amount)
                    .ThenByDescending(n => n.Waits.Events)
                    .ThenBy(n => n.Id, StringComparer.Ordinal),
            ],
            await LinkEventStore.ReadyAsync(db, at, link.Code, settled, purposes.Held, stop)
        );
    }

    private static async Task<IEnumerable<Need>> TheirsAsync(
        NpgsqlConnection db,
        (int, int) at,
        Connection link,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var records = await LinkEventStore.RecordNeedsAsync(db, at, link.Code, stop);
        var needs = new List<Need>();
        foreach (var of in records.GroupBy(r => r.Record))
        {
            if (RecordKind.Find(of.Key) is not { } kind)
                continue;
            var proposals = await ProposalStore.OfAsync(db, at, of.Key, of.Select(r => r.Theirs), stop);
            needs.AddRange(
                of.Select(r => new Need(
                    IdOf("record", r.Record, r.Theirs),
                    "record",
                    r.Record,
                    r.Theirs,
                    r.Name ?? "",
                    r.Name is null
                        ? $"They name {kind.Title.ToLowerInvariant()} {r.Theirs} and do not list it."
                        : $"Which {kind.Title.ToLowerInvariant()} is it here?"
                            + (r.Status == "active" ? "" : $" It is {r.Status} there."),
                    r.Waits,
                    [.. proposals[r.Theirs].Select(p => Proposed(kind, p, setUp))]
                ))
            );
        }
        return needs;
    }

    /// <summary>A proposal with the name of what it proposes.</summary>
    internal static NeedProposal Proposed(RecordKind kind, KeptProposal p, SetUp setUp) =>
        new(p.Candidate, NameOf(kind, p.Candidate, setUp), p.Score, p.Trap, p.Reasons);

    /// <summary>The name of one of ours; empty: there is none.</summary>
    internal static string NameOf(RecordKind kind, string code, SetUp setUp) =>
        kind.Ours is { } part && part.Row(setUp, code) is { } row ? row[part.At("name")] ?? "" : "";

    // Our accounts that anything stands on and that have none there.
    internal static async Task<IEnumerable<Need>> OursAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        EntityState state,
        Connection link,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var kind = RecordKind.Find("account")!;
        var pairs = Pairs.Of(setUp, link.Code, kind.Name);
        var used = (
            await EntityStore.JournalUsesAsync(db, state.Id, Core.Tables.Parts.Accounts.Name, stop)
        ).ToHashSet();
        used.UnionWith(setUp.Assignments.Select(a => a.Account));
        var balances = await StatementStore.BetweenAsync(db, state.Id, null, state.Today, true, stop);
        var open = setUp.Accounts.Where(a => used.Contains(a.Number) && pairs.OfOurs(a.Number) is null).ToList();
        var proposals = await ProposalStore.OfAsync(db, at, kind.Name, open.Select(a => a.Number), stop);
        var names = await LinkRecordStore.FindAsync(
            db,
            at,
            kind.Name,
            open.SelectMany(a => proposals[a.Number]).Select(p => p.Candidate),
            stop
        );
        return open.Select(a => new Need(
            IdOf("record", kind.Name, a.Number),
            "record",
            kind.Name,
            a.Number,
            a.Name,
            "Which account is it there?",
            new Waits(0, Math.Abs(balances.GetValueOrDefault(a.Number))),
            [
                .. proposals[a.Number]
                    .Select(p => new NeedProposal(
                        p.Candidate,
                        names.GetValueOrDefault(p.Candidate)?.Name ?? "",
                        p.Score,
                        p.Trap,
                        p.Reasons
                    )),
            ]
        ));
    }

    /// <summary>Tax codes that differ, and what was changed there since it was paired.</summary>
    internal static async Task<IReadOnlyList<Need>> DifferencesAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        EntityState state,
        Connection link,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var accepted = (await LinkSettleStore.AcceptedAsync(db, at, stop)).ToDictionary(a => (a.Record, a.Theirs));
        var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), setUp);
        var taxes = Pairs.Of(setUp, link.Code, "tax-code");
        var found = new List<Need>();
        var waits = taxes.All.Count == 0 ? null : await LinkEventStore.WaitsForAsync(db, at, "tax-code", stop);
        foreach (var record in await LinkRecordStore.ListAsync(db, at, "tax-code", stop))
            if (
                taxes.OursOf(record.Id) is { Length: > 0 } ours
                && TaxLikeness.Differences(TaxOf(record, words), ours, setUp, state.Today) is { Count: > 0 } says
                && accepted.GetValueOrDefault(("tax-code", record.Id))?.Said != string.Join(' ', says)
            )
                found.Add(
                    new Need(
                        IdOf("difference", "tax-code", record.Id),
                        "difference",
                        "tax-code",
                        record.Id,
                        record.Name,
                        string.Join(' ', says),
                        waits!.GetValueOrDefault(record.Id),
                        []
                    )
                );
        foreach (var (kind, record, ours) in await LinkRecordStore.ChangedAsync(db, at, link.Code, stop))
            if (found.All(f => f.Record != kind || f.Theirs != record.Id))
                found.Add(
                    new Need(
                        IdOf("difference", kind, record.Id),
                        "difference",
                        kind,
                        record.Id,
                        record.Name,
                        $"Since it was paired with {ours}: {string.Join(", ", record.Changed)}."
                            + (
                                record.MergedInto is { } into
                                    ? $" Pair {into} with {ours}, or accept it."
                                    : " Accept it, or pair anew."
                            ),
                        default,
                        []
                    )
                );
        return found;
    }

    /// <summary>A tax code of theirs as it is compared.</summary>
    internal static TheirTax TaxOf(LinkRecord record, Func<string, string, string?> words)
    {
        var of = new LinkFields(record.Fields);
        return new TheirTax(
            record.Id,
            record.Rate,
            of.Day("from"),
            of.Text("direction") is { } way ? words("direction", way) : null,
            of.Text("authority")
        );
    }

    private static string TitleOf(string field) =>
        field switch
        {
            "standing" => "tax standing",
            "taxCategory" => "tax category",
            _ => field,
        };
}
