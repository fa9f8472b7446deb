using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>A proposal by its sides.</summary>
public sealed record ProposedPair(
    string Theirs,
    string Ours,
    double Score,
    bool Trap,
    bool Mutual,
    IReadOnlyList<string> Reasons
);

/// <summary>A page of a list.</summary>
/// <param name="Next">From where the next page goes on; null: it was the last.</param>
public sealed record PageOf<T>(IReadOnlyList<T> Rows, string? Next);

/// <summary>What the pairing desk is narrowed to.</summary>
/// <param name="Show">open, needed, doubts (traps), doubles, settled, changed, or all.</param>
/// <param name="After">The subject after which the page begins.</param>
public sealed record PairsAsked(string Record, string Show, string? Text, string? After, int Limit);

/// <summary>A record on the pairing desk.</summary>
/// <param name="Subject">Theirs of a source, ours of a ledger.</param>
/// <param name="Best">The proposals of it, the best first.</param>
/// <param name="Pairing">What it is paired with; null: nothing is said yet.</param>
/// <param name="Changed">What changed since it was paired, in words.</param>
public sealed record PairLine(
    string Subject,
    string Name,
    string Status,
    string Detail,
    Waits Waits,
    PairingRow? Pairing,
    string PairedName,
    IReadOnlyList<NeedProposal> Best,
    bool Doubled,
    IReadOnlyList<string> Changed
);

/// <summary>The pairing desk.</summary>
/// <param name="Counts">How many records there are of each way of showing them.</param>
/// <param name="Sure">How many can be accepted at once above 0.9.</param>
/// <param name="OursLeft">How many of ours nothing of theirs is paired with.</param>
public sealed record PairDesk(
    Connection Link,
    RecordKind Kind,
    IReadOnlyList<PairLine> Lines,
    int Matching,
    string? Next,
    IReadOnlyDictionary<string, int> Counts,
    int Sure,
    int OursLeft,
    (long Events, long Ready) Open
);

/// <summary>Reads proposals and pairings, and lays out the desk on which they are decided.</summary>
public sealed class ReadPairs(LinkDesk links, ProposePairs propose)
{
    private static Outcome<T> NoKind<T>() =>
        Outcome<T>.No(
            Refusal.Invalid,
            "unknown-word",
            $"'record' is one of {string.Join(", ", RecordKind.All.Where(k => k.Ours is not null).Select(k => k.Name))}.",
            "record"
        );

    /// <summary>Proposes anew, or gives the next page of what was proposed.</summary>
    /// <param name="after">As the page before gave it; null: propose anew.</param>
    public Task<Outcome<PageOf<ProposedPair>>> ProposeAsync(
        Actor actor,
        string entity,
        string code,
        string record,
        string? after,
        int limit,
        CancellationToken stop
    ) =>
        RecordKind.Find(record) is not { Ours: not null } kind
            ? Task.FromResult(NoKind<PageOf<ProposedPair>>())
            : links.LookAsync(
                actor,
                entity,
                code,
                async at =>
                {
                    (double, string, int)? from = null;
                    if (!string.IsNullOrEmpty(after))
                    {
                        if (
                            after.Split('|') is not [var s, var p, .. var rest]
                            || !double.TryParse(s, Invariant, out var score)
                            || !int.TryParse(p, Invariant, out var place)
                        )
                            return Outcome<PageOf<ProposedPair>>.No(
                                Refusal.Invalid,
                                "bad-cursor",
                                "'after' is what X-Next-After said.",
                                "after"
                            );
                        from = (score, string.Join('|', rest), place);
                    }
                    else if (DeskContext.Refused(actor, entity, Role.Preparer) is { } refused)
                        return Outcome<PageOf<ProposedPair>>.No(refused.Why, [refused.Fault]);
                    else
                        await propose.RunAsync(at.Db, at.State, at.Link, kind, stop);
                    var rows = await ProposalStore.PageAsync(at.Db, at.At, kind.Name, from, limit, stop);
                    var ledger = at.Link.Of.TakesEntries;
                    return new PageOf<ProposedPair>(
                        [
                            .. rows.Select(p => new ProposedPair(
                                ledger ? p.Candidate : p.Subject,
                                ledger ? p.Subject : p.Candidate,
                                p.Score,
                                p.Trap,
                                p.Mutual,
                                p.Reasons
                            )),
                        ],
                        rows.Count == limit
                            ? string.Create(Invariant, $"{(float)rows[^1].Score:R}|{rows[^1].Place}|{rows[^1].Subject}")
                            : null
                    );
                },
                stop
            );

    private static readonly System.Globalization.CultureInfo Invariant = System
        .Globalization
        .CultureInfo
        .InvariantCulture;

    /// <summary>The pairings of a connection, by kind and their id.</summary>
    public Task<Outcome<PageOf<PairingRow>>> PairingsAsync(
        Actor actor,
        string entity,
        string code,
        string? record,
        string? after,
        int limit,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                if (set.Result is not { SetUp.SetUp: var setUp })
                    return set.Pass<PageOf<PairingRow>>();
                string Key(PairingRow r) => $"{r.Record}/{r.Theirs}/{r.Ours}";
                var rows = setUp
                    .Pairings.Where(p =>
                        p.Connection == code
                        && (string.IsNullOrEmpty(record) || p.Record == record)
                        && (string.IsNullOrEmpty(after) || string.CompareOrdinal(Key(p), after) > 0)
                    )
                    .OrderBy(Key, StringComparer.Ordinal)
                    .Take(limit + 1)
                    .ToList();
                return new PageOf<PairingRow>([.. rows.Take(limit)], rows.Count > limit ? Key(rows[limit - 1]) : null);
            },
            stop
        );

    /// <summary>The desk for a kind of record.</summary>
    public Task<Outcome<PairDesk>> DeskAsync(
        Actor actor,
        string entity,
        string code,
        PairsAsked asked,
        CancellationToken stop
    ) =>
        RecordKind.Find(asked.Record) is not { Ours: not null } kind
            ? Task.FromResult(NoKind<PairDesk>())
            : links.LookAsync(
                actor,
                entity,
                code,
                async at =>
                {
                    var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                    return set.Result is { SetUp.SetUp: var setUp }
                        ? await LaidOutAsync(at, kind, asked, setUp, stop)
                        : set.Pass<PairDesk>();
                },
                stop
            );

    private sealed record Subject(string Id, string Name, string Status, LinkRecord? Record, string Detail);

    // The best proposal of each, while the records are read: both are long lists.
    private async Task<Dictionary<string, KeptProposal>> BestAsync(
        (int, int) at,
        RecordKind kind,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        return (await ProposalStore.BestAsync(db, at, kind.Name, stop)).ToDictionary(
            p => p.Subject,
            StringComparer.Ordinal
        );
    }

    private async Task<PairDesk> LaidOutAsync(
        AtLink at,
        RecordKind kind,
        PairsAsked asked,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var ledger = at.Link.Of.TakesEntries;
        var reading = Task.Run(() => BestAsync(at.At, kind, stop), stop);
        var theirs = await LinkRecordStore.HeadsAsync(at.Db, at.At, kind.Name, stop);
        var pairs = Pairs.Of(setUp, at.Link.Code, kind.Name);
        var best = await reading;
        var waits = ledger
            ? new Dictionary<string, Waits>()
            : await LinkEventStore.WaitsForAsync(at.Db, at.At, kind.Name, stop);
        var subjects = ledger
            ? PairSides
                .Ours(kind, setUp, at.State.Today)
                .Select(o => new Subject(
                    o.Id,
                    o.Name,
                    "active",
                    null,
                    o.Class is { } of ? Words.Title(of)
                        : o.Rate is { } rate ? $"{rate:0.##} %"
                        : ""
                ))
                .ToList()
            : [.. theirs.Select(r => new Subject(r.Id, r.Name, r.Status, r, ""))];
        PairingRow? Of(string id) => ledger ? pairs.OfOurs(id) : pairs.OfTheirs(id);
        var counts = new Dictionary<string, int>
        {
            ["open"] = 0,
            ["needed"] = 0,
            ["doubts"] = 0,
            ["doubles"] = 0,
            ["settled"] = 0,
            ["changed"] = 0,
            ["all"] = subjects.Count,
        };
        string[] counted = ["open", "needed", "doubts", "doubles", "settled", "changed"];
        var sure = 0;
        var shown = new List<Subject>();
        var text = asked.Text?.Trim();
        foreach (var s in subjects)
        {
            var proposal = best.GetValueOrDefault(s.Id);
            var settled = Of(s.Id) is not null;
            var gone = s.Status == "deleted" || s.Record?.MergedInto is not null;
            var needed = !settled && waits.ContainsKey(s.Id);
            var changed = settled && s.Record is { } r && r.Changed.Count > 0;
            bool In(string show) =>
                show switch
                {
                    "open" => !settled && (!gone || needed),
                    "needed" => needed,
                    "doubts" => !settled && proposal is { Trap: true },
                    "doubles" => !settled && proposal is { Doubled: true },
                    "settled" => settled,
                    "changed" => changed,
                    _ => true,
                };
            foreach (var show in counted)
                if (In(show))
                    counts[show]++;
            if (!settled && proposal is { Score: >= 0.9, Trap: false, Mutual: true, Lead: >= (float)Proposals.Lead })
                sure++;
            if (
                In(asked.Show)
                && (
                    string.IsNullOrEmpty(text)
                    || s.Id.Contains(text, StringComparison.OrdinalIgnoreCase)
                    || s.Name.Contains(text, StringComparison.OrdinalIgnoreCase)
                )
            )
                shown.Add(s);
        }
        // What most money waits for first, then the surest; doubles stand together.
        decimal Money(Subject s) => Of(s.Id) is null ? waits.GetValueOrDefault(s.Id).Amount : 0;
        var ordered = (
            asked.Show == "doubles"
                ? shown
                    .OrderBy(s => best[s.Id].Candidate, StringComparer.Ordinal)
                    .ThenBy(s => s.Id, StringComparer.Ordinal)
                : shown
                    .OrderByDescending(Money)
                    .ThenByDescending(s => Of(s.Id) is null ? best.GetValueOrDefault(s.Id)?.Score ?? 0 : 0)
                    .ThenBy(s => s.Id, StringComparer.Ordinal)
        ).ToList();
        var from = asked.After is { Length: > 0 } after ? ordered.FindIndex(s => s.Id == after) + 1 : 0;
        var page = ordered.Skip(from).Take(asked.Limit).ToList();
        var proposals = await ProposalStore.OfAsync(at.Db, at.At, kind.Name, page.Select(s => s.Id), stop);
        var whole = ledger
            ? new Dictionary<string, LinkRecord>()
            : await LinkRecordStore.FindAsync(at.Db, at.At, kind.Name, page.Select(s => s.Id), stop);
        var names = ledger ? theirs.ToDictionary(r => r.Id, r => r.Name, StringComparer.Ordinal) : [];
        string NameOf(string code) => ledger ? names.GetValueOrDefault(code, "") : ReadNeeds.NameOf(kind, code, setUp);
        return new PairDesk(
            at.Link,
            kind,
            [
                .. page.Select(s =>
                {
                    var row = Of(s.Id);
                    var other = ledger ? row?.Theirs : row?.Ours;
                    return new PairLine(
                        s.Id,
                        s.Name,
                        s.Status,
                        whole.TryGetValue(s.Id, out var record) ? Detail(kind, record) : s.Detail,
                        waits.GetValueOrDefault(s.Id),
                        row,
                        other is null ? "" : NameOf(other),
                        [
                            .. proposals[s.Id]
                                .Select(p => new NeedProposal(
                                    p.Candidate,
                                    NameOf(p.Candidate),
                                    p.Score,
                                    p.Trap,
                                    p.Reasons
                                )),
                        ],
                        proposals[s.Id].FirstOrDefault() is { Doubled: true },
                        row is null ? [] : s.Record?.Changed ?? []
                    );
                }),
            ],
            ordered.Count,
            from + page.Count < ordered.Count ? page[^1].Id : null,
            counts,
            sure,
            ledger
                ? theirs.Count(r => r.Status != "deleted") - pairs.All.Count
                : Math.Max(0, PairSides.Count(kind, setUp) - pairs.Count.Ours),
            // Here nothing is said of purposes: it is counted what the pairings hold up.
            await LinkEventStore.ReadyAsync(
                at.Db,
                at.At,
                at.Link.Code,
                await SettledWordsAsync(at, setUp, stop),
                [],
                stop
            )
        );
    }

    /// <summary>The words of events that are settled, as they are counted by.</summary>
    internal static async Task<IReadOnlyCollection<string>> SettledWordsAsync(
        AtLink at,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var words = LinkWords.Of(await LinkSettleStore.WordsAsync(at.Db, at.At, stop), setUp);
        return
        [
            .. (await LinkEventStore.WordsAsync(at.Db, at.At, stop))
                .Where(w => words(w.Field, w.Theirs) is not null)
                .Select(w => $"{Named.WordPrefix}{w.Field}:{w.Theirs}"),
        ];
    }

    // What tells a record from its likes, beside its name.
    private static string Detail(RecordKind kind, LinkRecord record)
    {
        var of = new LinkFields(record.Fields);
        var parts = kind.Name switch
        {
            "party" => new[] { of.Text("kind"), of.Text("country"), of.Text("taxNumber") },
            "item" => [of.Text("nature"), of.Text("group")],
            "account" => [of.Text("type"), of.Text("path")],
            "tax-code" => [record.Rate is { } r ? r.ToString("0.####", Invariant) + " %" : null, of.Text("direction")],
            "project" => [of.Text("parent")],
            _ => [],
        };
        return string.Join(" · ", parts.Where(p => !string.IsNullOrEmpty(p)));
    }
}
