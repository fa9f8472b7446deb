using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Core.Editions;
using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>What entries are as journals of a ledger, however they go on to it.</summary>
internal sealed class JournalBodies(EntityState state, Connection link, SetUp setUp)
{
    private const int Batch = 2_000;

    /// <summary>Takes what was posted since: each entry becomes a journal, or what is new of a day that is over.</summary>
    /// <param name="within">Does something in a transaction.</param>
    public static async Task TakeAsync(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        string life,
        Func<Func<Task>, Task> within,
        CancellationToken stop
    )
    {
        var at = (state.Id, link.Id);
        var from = link.LiveFrom ?? state.Today;
        if (link.Sends == "day-sums")
        {
            await within(() => LinkJournalStore.TakeSumsAsync(db, at, life, from, state.Today, stop));
            return;
        }
        long taken;
        do
        {
            taken = 0;
            await within(async () => taken = await LinkJournalStore.TakeAsync(db, at, life, from, Batch, stop));
        } while (taken > 0);
    }

    /// <summary>What journals that wait or are dead are about.</summary>
    public static async Task<HeldNames> HeldAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        CancellationToken stop
    )
    {
        var held = new HeldNames();
        var holding = await LinkJournalStore.HoldingAsync(db, at, stop);
        if (holding.Count == 0)
            return held;
        var (heads, lines) = await LinkJournalStore.LinesAsync(db, at, holding, stop);
        foreach (var journal in holding)
            held.Add(Names(heads[journal], lines[journal]), journal);
        return held;
    }

    /// <summary>It waits behind another about the same document.</summary>
    public static JournalMark Behind(long journal, long by) =>
        new(
            journal,
            "waiting",
            FeedReasons.Behind,
            null,
            FeedJson.Reason(FeedReasons.Behind, "A journal before it about the same document waits."),
            null,
            by
        );

    /// <summary>It waits for what is not paired.</summary>
    public static JournalMark Unpaired(long journal, IReadOnlyList<Fault> wrong) =>
        new(journal, "waiting", wrong[0].Code, PostFeed.Short(wrong[0].Path), FeedJson.Reasons(wrong), null, null);

    /// <summary>The documents that a journal is about.</summary>
    public static HashSet<EventLink> Names(IEnumerable<JournalHead> heads, IEnumerable<JournalLine> lines)
    {
        var names = new HashSet<EventLink>();
        foreach (var head in heads)
            if (head.Reference is { } reference)
                names.Add(new EventLink(head.Party ?? "", false, reference));
        foreach (var line in lines)
            if (line.Document is { } document)
                names.Add(new EventLink(line.Party ?? "", false, document));
        return names;
    }

    /// <summary>In their codes; or what is not paired.</summary>
    public (string? Body, IReadOnlyList<Fault> Wrong) Of(
        LinkJournal row,
        IReadOnlyList<JournalHead> heads,
        IReadOnlyList<JournalLine> lines
    )
    {
        var accounts = Pairs.Of(setUp, link.Code, "account");
        var missing = lines
            .Select(l => l.Account)
            .Distinct(StringComparer.Ordinal)
            .Where(a => accounts.OfOurs(a) is null)
            .Select(a => new Fault(FeedReasons.Unpaired, $"Account {a} has no account in {link.Name}.", $"account {a}"))
            .ToList();
        if (missing.Count > 0)
            return (null, missing);
        string? Theirs(string record, string? ours) =>
            ours is null ? null : Pairs.Of(setUp, link.Code, record).OfOurs(ours)?.Theirs;
        if (row.Entry is null)
            return (
                JournalJson
                    .Of(
                        row.Key,
                        row.Date,
                        row.Number,
                        null,
                        $"{heads.Count} entries of {WrittenDay.Say(row.Date)}",
                        state.Currency,
                        1,
                        lines
                            .GroupBy(l => (Account: accounts.OfOurs(l.Account)!.Theirs, l.Group))
                            .OrderBy(g => g.Key.Account, StringComparer.Ordinal)
                            .ThenBy(g => g.Key.Group, StringComparer.Ordinal)
                            .SelectMany(g =>
                                new[]
                                {
                                    (Debit: g.Sum(l => l.Debit), Credit: 0m),
                                    (Debit: 0m, Credit: g.Sum(l => l.Credit)),
                                }
                                    .Where(s => s.Debit != 0 || s.Credit != 0)
                                    .Select(s => new JournalRow(
                                        g.Key.Account,
                                        s.Debit,
                                        s.Credit,
                                        null,
                                        null,
                                        null,
                                        null,
                                        null,
                                        g.Key.Group,
                                        null
                                    ))
                            )
                    )
                    .ToJsonString(),
                []
            );
        var head = heads[0];
        return (
            JournalJson
                .Of(
                    row.Key,
                    head.Date,
                    head.Number,
                    head.Reference,
                    $"{Words.Title(head.Kind)} {head.Reference}".Trim(),
                    head.Currency,
                    head.Rate,
                    lines.Select(l => new JournalRow(
                        accounts.OfOurs(l.Account)!.Theirs,
                        l.Debit,
                        l.Credit,
                        l.CurrencyDebit,
                        l.CurrencyCredit,
                        Theirs("party", l.Party),
                        l.Document,
                        l.Due,
                        l.Text,
                        Theirs("tax-code", l.TaxCode)
                    ))
                )
                .ToJsonString(),
            []
        );
    }
}
