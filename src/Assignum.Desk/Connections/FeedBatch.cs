using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>An event on its way: what it is in our codes, and about which documents.</summary>
/// <param name="Note">What is said of it though it posts: late, unmatched, moved to an open day.</param>
internal sealed record FeedCandidate(
    FeedRow Row,
    ReadEvent Read,
    IReadOnlyCollection<EventLink> Names,
    bool Unmatched,
    string? Note
)
{
    /// <summary>What the document says that it comes to; null where it does not say.</summary>
    public (decimal? Gross, decimal? Tax) Totals { get; init; }

    /// <summary>Documents without which it posts, after patience was at its end.</summary>
    public IReadOnlyCollection<(string Party, string Name)> Lacks { get; init; } = [];
}

/// <summary>Events of a connection that are tried together: which of them can be posted, and why the others wait.</summary>
internal sealed class FeedBatch(Connection link, EntityState state, FeedOrder order, IReadOnlyList<Connection> others)
{
    private readonly List<FeedMark> decided = [];
    private readonly Dictionary<string, FeedCandidate> byId = new(StringComparer.Ordinal);
    private readonly Dictionary<string, long> behind = new(StringComparer.Ordinal);

    // Those that hold before anything is posted, and those that came about in posting.
    private readonly HeldNames held = new();
    private HeldNames refused = new();

    /// <summary>Those that can be tried, in their order.</summary>
    public List<FeedCandidate> Candidates { get; } = [];

    /// <summary>Reads what decides about them, and decides.</summary>
    public async Task ReadAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        IReadOnlyList<FeedRow> rows,
        IReadOnlyList<FeedRow> dead,
        ViewSetUp view,
        FeedPlaces places,
        CancellationToken stop
    )
    {
        // Pairings hold at once; what is published decides the rest.
        var set = (await view.OfAsync(state, null, state.Today, stop)).Result;
        var setUp = (set ?? (await view.OfAsync(state, "main", null, stop)).Result!).SetUp.SetUp;
        var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), setUp);
        var translator = new Translator((kind, id) => Pairs.Of(setUp, link.Code, kind.Name).OursOf(id), words);
        foreach (var row in dead)
            decided.Add(NamedDead(row, translator));
        var came = rows.Select(r => Came.Of(link, state, r, translator)).ToList();
        var voided = await LinkEventStore.VoidedAsync(db, at, [.. rows.Select(r => r.Id)], stop);
        var voids = await LinkEventStore.FindAsync(
            db,
            at,
            [.. came.Select(c => c.Voids).OfType<string>().Distinct()],
            stop
        );
        var holders = (
            await FeedStore.HoldersAsync(db, state.Id, [.. came.SelectMany(c => c.Names).Distinct()], stop)
        ).ToLookup(h => h.Name);
        var awaited = came.SelectMany(c => c.Awaits.Select(a => (a.Party, a.Name))).Distinct().ToList();
        var posted = await FeedStore.PostedAsync(db, state.Id, awaited, stop);
        var open = await places.OpenAsync(
            db,
            state,
            link,
            set?.SetUp,
            [.. came.Where(c => c.Sound).Select(c => FeedPlaces.Of(c.Event)).Distinct()],
            stop
        );
        foreach (var one in came)
        {
            if (one.Voids is { } id && one.Faults.Count == 0)
            {
                if (Gap(one) is { } early)
                    Decide(one, early);
                else
                    Void(one, id, voids.GetValueOrDefault(id));
                continue;
            }
            var mark =
                voided.TryGetValue(one.Row.Id, out var by)
                    ? one.Mark("set-aside", FeedReasons.Voided, null, $"It was declared void by {by}.")
                : one.Faults.Count > 0 ? one.Mark("dead", one.Faults)
                : link.LiveFrom is { } from && one.Event.Date < from
                    ? one.Mark(
                        "set-aside",
                        FeedReasons.BeforeOpening,
                        null,
                        "It is dated before the first day that posts: what it did is part of the opening."
                    )
                : Gap(one)
                    ?? Behind(one, holders)
                    ?? Unpaired(one)
                    ?? Unsettled(one, open)
                    ?? Awaiting(one, posted)
                    ?? await LateAsync(db, one, stop);
            if (mark is not null)
            {
                Decide(one, mark);
                continue;
            }
            var note = one.Row.Late
                ? FeedJson.Reason(FeedReasons.Late, "It came after its number was given up.")
                : null;
            if (one.Unmatched)
                note = FeedJson.Reason(
                    "unmatched",
                    $"{one.Awaits[0].Name} had not come after {link.PatienceDays} days: it was posted without it. When it comes, "
                        + "allocate the one to the other."
                );
            if (Moved(one, set?.SetUp) is { } moved)
                note = FeedJson.Reason("moved-to-open", moved);
            var read = new ReadEvent(one.Event, [], CanonicalOf(one.Event));
            Add(
                new FeedCandidate(one.Row, read, one.Names, one.Unmatched, note)
                {
                    Totals = one.Totals,
                    Lacks = one.Unmatched ? [.. one.Awaits.Select(a => (a.Party, a.Name))] : [],
                }
            );
        }
    }

    private void Add(FeedCandidate candidate)
    {
        Candidates.Add(candidate);
        byId[Key(candidate.Read.Event)] = candidate;
    }

    private static string Key(BusinessEvent e) => $"{e.Source}/{e.Id}";

    private void Decide(Came one, FeedMark mark)
    {
        decided.Add(mark);
        if (mark.State is "waiting" or "dead")
            held.Add(mark.Names, mark.Row);
    }

    private FeedMark? Gap(Came one) =>
        order.Waits is { } gap && one.Row.Sequence > order.Passed
            ? one.Mark(
                "waiting",
                FeedReasons.Gap,
                gap.From == gap.To ? $"{gap.From}" : $"{gap.From} to {gap.To}",
                $"Number {gap.From} did not come yet: it is waited for {link.GapMinutes} minutes, then this goes on."
            )
            : null;

    // Of the same connection by its numbers; of others by when they came.
    private FeedMark? Behind(
        Came one,
        ILookup<EventLink, (EventLink Name, int Connection, long Row, long? Sequence)> holders
    )
    {
        bool Earlier((EventLink Name, int Connection, long Row, long? Sequence) h) =>
            h.Row != one.Row.Row
            && (
                h.Connection == link.Id && h.Sequence is { } theirs && one.Row.Sequence is { } mine
                    ? theirs < mine
                    : h.Row < one.Row.Row
            );
        var first = one
            .Names.SelectMany(n => holders[n])
            .Where(Earlier)
            .Select(h => (long?)h.Row)
            .DefaultIfEmpty(held.Holder(one.Names))
            .Min();
        return first is { } row ? one.Behind(row) : null;
    }

    private static FeedMark? Unpaired(Came one)
    {
        if (one.Missing.Count == 0)
            return null;
        var first = one.Missing.First();
        return one.Mark(
            "waiting",
            FeedReasons.Unpaired,
            $"{first.Record} {first.Theirs}",
            [
                .. one.Missing.Select(m => new Fault(
                    FeedReasons.Unpaired,
                    m.IsWord
                        ? $"Their word '{m.Theirs}' for {m.Record[Named.WordPrefix.Length..]} is not settled."
                        : $"Their {RecordKind.Find(m.Record)!.Title.ToLowerInvariant()} {m.Theirs} is not paired.",
                    $"{m.Record} {m.Theirs}"
                )),
            ]
        );
    }

    private static FeedMark? Unsettled(Came one, IReadOnlyDictionary<FeedPlace, string> open) =>
        open.TryGetValue(FeedPlaces.Of(one.Event), out var purpose)
            ? one.Mark(
                "waiting",
                FeedReasons.Unsettled,
                PostFeed.Short($"{purpose} {FeedPlaces.Of(one.Event).Where}".Trim()),
                $"Nobody said yet on what {purpose} lands there: settle it among the purposes."
            )
            : null;

    private FeedMark? Awaiting(Came one, IReadOnlySet<(string Party, string Name)> posted)
    {
        var missing = one
            .Awaits.Where(a =>
                !posted.Contains((a.Party, a.Name))
                && others.Any(o => a.BroughtBy.Any(k => o.Of.MaySend(k, o.Admits)))
                && !Candidates.Any(c =>
                    c.Read.Event.Reference == a.Name && (a.Party.Length == 0 || c.Read.Event.Party == a.Party)
                )
            )
            .ToList();
        if (missing.Count == 0)
            return null;
        one.Awaits = missing;
        if (one.Event.Date.AddDays(link.PatienceDays) < state.Today)
        {
            one.Unmatched = true;
            return null;
        }
        return one.Mark(
            "waiting",
            FeedReasons.Awaits,
            PostFeed.Short(missing[0].Name),
            $"{missing[0].Name} was not posted yet, and another system may bring it: it is waited for until "
                + $"{WrittenDay.Say(one.Event.Date.AddDays(link.PatienceDays))}."
        ) with
        {
            Names = HeldNames.Of(one.Event, missing),
            Awaits = [.. missing.Select(m => (m.Party, m.Name))],
        };
    }

    // A latecomer posts at once, unless something of its documents did meanwhile: then a person decides.
    private async Task<FeedMark?> LateAsync(NpgsqlConnection db, Came one, CancellationToken stop) =>
        one.Row.Late && await FeedStore.AnyPostedAsync(db, state.Id, one.Names, stop)
            ? one.Mark(
                "dead",
                FeedReasons.Late,
                null,
                "It came after its number was given up, and something of the same document was posted meanwhile: look whether it "
                    + "still holds, then try it again or set it aside."
            )
            : null;

    private string? Moved(Came one, CompiledSetUp? setUp)
    {
        if (link.ClosedPeriod != "next-open" || setUp is null)
            return null;
        var day = one.Event.Date;
        while (setUp.ClosedPeriods.Where(p => day >= p.From && day <= p.To).ToList() is [{ To: var last }, ..])
            day = last.AddDays(1);
        if (day == one.Event.Date)
            return null;
        var before = one.Event.Date;
        one.Event.TaxDate ??= before;
        one.Event.Date = day;
        return $"{WrittenDay.Say(before)} is closed: it was posted on {WrittenDay.Say(day)}, its first open day.";
    }

    private void Void(Came one, string id, (long Row, string State, string? Number, DateOnly? Date)? of)
    {
        switch (of)
        {
            case null:
                decided.Add(
                    one.Mark("nothing", FeedReasons.Voided, null, $"It fills the number of {id}, which did not come.")
                );
                return;
            case { State: "posted" } posted:
                var back = new BusinessEvent
                {
                    Source = "own",
                    Id = $"void-{link.Code}-{one.Row.Id}",
                    Kind = EventKinds.All.First(k => k.TurnsBack).Name,
                    Date = posted.Date > one.Event.Date ? posted.Date.Value : one.Event.Date,
                    Reverses = $"{link.Code}/{id}",
                    Text = $"{link.Name} declared it void",
                };
                var read = new ReadEvent(back, [], CanonicalOf(back));
                Add(
                    new FeedCandidate(
                        one.Row,
                        read,
                        HeldNames.Of(back),
                        false,
                        FeedJson.Reason(FeedReasons.Voided, $"{id} was posted and is turned back.")
                    )
                );
                return;
            case { State: "nothing" or "duplicate" }:
                decided.Add(one.Mark("nothing", FeedReasons.Voided, null, $"{id} had posted nothing."));
                return;
            case { } there:
                decided.Add(
                    one.Mark("set-aside", FeedReasons.Voided, null, $"{id} was not posted yet: both are set aside.")
                );
                if (there.State != "set-aside")
                    decided.Add(
                        new FeedMark(
                            there.Row,
                            "set-aside",
                            FeedReasons.Voided,
                            null,
                            FeedJson.Reason(FeedReasons.Voided, $"It was declared void by {one.Row.Id}."),
                            null,
                            null,
                            false,
                            [],
                            []
                        )
                    );
                return;
        }
    }

    private static string CanonicalOf(BusinessEvent e)
    {
        using var json = JsonDocument.Parse(EventJson.Of(e).ToJsonString());
        return CanonicalJson.Of(json.RootElement);
    }

    private FeedMark NamedDead(FeedRow row, Translator translator)
    {
        var came = Came.Of(link, state, row, translator);
        return new FeedMark(row.Row, "dead", null, null, "", null, null, false, came.Names, []);
    }

    /// <summary>Nothing is posted yet.</summary>
    public void Begin()
    {
        refused = new HeldNames();
        behind.Clear();
    }

    /// <summary>Whether it has to wait for one that was refused in this batch.</summary>
    public Fault? Before(BusinessEvent source)
    {
        if (!byId.TryGetValue(Key(source), out var candidate) || refused.Holder(candidate.Names) is not { } row)
            return null;
        behind[Key(source)] = row;
        return new Fault(FeedReasons.Behind, Came.BehindText);
    }

    /// <summary>Whether what would be posted comes to what the document says: to the last cent.</summary>
    public Fault? Checked(BusinessEvent source, EntryResult result)
    {
        if (
            result.Entry is not { } entry
            || !byId.TryGetValue(Key(source), out var candidate)
            || candidate.Totals is (null, null)
        )
            return null;
        var owed = entry
            .Lines.Where(l => l.Document is Core.Chart.Control.Receivables or Core.Chart.Control.Payables)
            .Sum(l => l.DocumentSigned(entry.Currency) ?? l.Signed);
        var tax = entry.Tax.Sum(t => t.Tax);
        string Said(decimal amount) =>
            amount.ToString("0.00####", System.Globalization.CultureInfo.InvariantCulture) + " " + entry.Currency;
        if (candidate.Totals.Tax is { } theirTax && theirTax != Math.Abs(tax))
            return new Fault(
                "totals-differ",
                $"The document says tax of {Said(theirTax)}; here it comes to {Said(Math.Abs(tax))}."
            );
        return candidate.Totals.Gross is { } gross && Math.Abs(gross) != Math.Abs(owed)
            ? new Fault(
                "totals-differ",
                $"The document comes to {Said(gross)} with its tax; here it comes to {Said(Math.Abs(owed))}."
            )
            : null;
    }

    /// <summary>Those after it about the same wait.</summary>
    public void Refused(BusinessEvent source)
    {
        if (byId.TryGetValue(Key(source), out var candidate))
            refused.Add(candidate.Names, candidate.Row.Row);
    }

    /// <summary>What became of all of them.</summary>
    public IReadOnlyList<FeedMark> Marks(IReadOnlyList<PostedEvent> answers)
    {
        var marks = new List<FeedMark>(decided);
        foreach (var (candidate, answer) in Candidates.Zip(answers))
            marks.Add(
                answer.Outcome switch
                {
                    "posted" or "nothing" or "duplicate" => new FeedMark(
                        candidate.Row.Row,
                        answer.Outcome,
                        null,
                        null,
                        candidate.Note ?? "[]",
                        answer.Number,
                        null,
                        candidate.Unmatched,
                        [],
                        answer.Outcome == "posted" ? candidate.Lacks : []
                    ),
                    _ => Refused(candidate, answer),
                }
            );
        return marks;
    }

    private FeedMark Refused(FeedCandidate candidate, PostedEvent answer)
    {
        var row = candidate.Row.Row;
        if (behind.TryGetValue(Key(candidate.Read.Event), out var by))
            return new FeedMark(
                row,
                "waiting",
                FeedReasons.Behind,
                null,
                FeedJson.Reasons(answer.Errors),
                null,
                by,
                false,
                candidate.Names,
                []
            );
        var dead = answer.Outcome == "conflict" || FeedReasons.Kills(answer.Errors);
        var first = dead
            ? answer.Errors.First(e => answer.Outcome == "conflict" || FeedReasons.Kills([e]))
            : answer.Errors[0];
        return new FeedMark(
            row,
            dead ? "dead" : "waiting",
            first.Code,
            PostFeed.Short(first.Message),
            FeedJson.Reasons([first, .. answer.Errors.Where(e => e != first)]),
            null,
            null,
            false,
            candidate.Names,
            []
        );
    }

    /// <summary>An event as it came, read and put into our codes.</summary>
    private sealed class Came
    {
        public const string BehindText = "An event before it about the same document or order waits.";

        public required FeedRow Row { get; init; }
        public required BusinessEvent Event { get; init; }
        public required IReadOnlyList<Fault> Faults { get; init; }
        public required IReadOnlyCollection<Named> Missing { get; init; }
        public required IReadOnlyCollection<EventLink> Names { get; init; }
        public required string? Voids { get; init; }
        public (decimal? Gross, decimal? Tax) Totals { get; init; }
        public IReadOnlyList<AwaitedDocument> Awaits { get; set; } = [];
        public bool Unmatched { get; set; }

        /// <summary>Whether it is in our codes wholly.</summary>
        public bool Sound => Faults.Count == 0 && Missing.Count == 0 && Voids is null;

        public static Came Of(Connection link, EntityState state, FeedRow row, Translator translator)
        {
            using var json = JsonDocument.Parse(row.Body);
            var read = LinkJson.Event(link.Code, json.RootElement);
            var faults = FeedRules.Faults(link, read, state.Today);
            var missing = read.Voids is null ? translator.Translate(read.Event) : [];
            return new Came
            {
                Row = row,
                Event = read.Event,
                Faults = faults,
                Missing = missing,
                Names = read.Voids is null && read.Event.Id.Length > 0 ? HeldNames.Of(read.Event) : [],
                Voids = read.Voids,
                Totals = read.Totals,
                Awaits = faults.Count == 0 && missing.Count == 0 ? AwaitedDocuments.Of(read.Event) : [],
            };
        }

        public FeedMark Mark(string state, string code, string? subject, string message) =>
            new(
                Row.Row,
                state,
                code,
                subject,
                FeedJson.Reason(code, message),
                null,
                null,
                false,
                state is "waiting" or "dead" ? Names : [],
                []
            );

        public FeedMark Mark(string state, string code, string subject, IReadOnlyList<Fault> faults) =>
            new(Row.Row, state, code, PostFeed.Short(subject), FeedJson.Reasons(faults), null, null, false, Names, []);

        public FeedMark Mark(string state, IReadOnlyList<Fault> faults) =>
            Mark(state, faults[0].Code, faults[0].Message, faults);

        public FeedMark Behind(long row) =>
            new(
                Row.Row,
                "waiting",
                FeedReasons.Behind,
                null,
                FeedJson.Reason(FeedReasons.Behind, BehindText, null, row.ToString()),
                null,
                row,
                false,
                Names,
                []
            );
    }
}
