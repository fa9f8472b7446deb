using System.Collections.Concurrent;
using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Editions;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Upkeep;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Checks;

/// <summary>A finding with what was decided about it.</summary>
/// <param name="Accepted">A reviewer lives with it; null: nobody does, or it has changed since.</param>
/// <param name="Given">Who has it to do; null: nobody.</param>
public sealed record FindingRow(Finding Finding, AcceptedRow? Accepted, GivenRow? Given);

/// <summary>What is found in one edition.</summary>
/// <param name="Open">What nobody has accepted, in order.</param>
/// <param name="Accepted">What somebody has.</param>
public sealed record FindingsView(
    CompiledSetUp SetUp,
    PostedFacts Posted,
    IReadOnlyList<FindingRow> Open,
    IReadOnlyList<FindingRow> Accepted
)
{
    /// <summary>How many of a severity are open.</summary>
    public int Count(FindingSeverity severity) => Open.Count(f => f.Finding.Severity == severity);
}

/// <summary>Reads findings: worked out of an edition, the records and the books, and remembered while none of them
/// changes.</summary>
public sealed class ReadFindings(DeskContext desk, ViewSetUp view)
{
    private const int MostEntities = 64;
    private readonly ConcurrentDictionary<int, (FactsOf Of, PostedFacts Facts)> books = new();

    // What the facts of an entity rest on.
    private sealed record FactsOf(long Newest, DateOnly Today, DateOnly From, DateOnly To);

    /// <summary>What is found in an edition; null: the one in force, or the draft where nothing is published.</summary>
    public async Task<Outcome<FindingsView>> RunAsync(Visit visit, string? edition, CancellationToken stop)
    {
        var looked = await view.OfAsync(visit.State, edition, null, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<FindingsView>();
        await using var db = await desk.Database.OpenAsync(stop);
        var posted = await BooksAsync(db, visit.State, setUp, stop);
        var found = Of(setUp, visit.State.Today, posted);
        var accepted = (await FindingStore.AcceptedAsync(db, visit.State.Id, stop)).ToDictionary(a => a.Identity);
        var given = (await FindingStore.GivenAsync(db, visit.State.Id, stop)).ToDictionary(g => g.Identity);
        var rows = found
            .Select(f => new FindingRow(
                f,
                accepted.GetValueOrDefault(f.Identity) is { } a && Holds(a, f, visit.State.Today) ? a : null,
                given.GetValueOrDefault(f.Identity)
            ))
            .ToLookup(r => r.Accepted is null);
        return new FindingsView(setUp, posted, [.. rows[true]], [.. rows[false]]);
    }

    /// <summary>What is found in a set-up with the books as they are; remembered with the set-up.</summary>
    public static IReadOnlyList<Finding> Of(CompiledSetUp setUp, DateOnly today, PostedFacts posted) =>
        Findings.Of(setUp, today, posted);

    /// <summary>Whether an acceptance still holds: its day has not passed, and the finding is as it was, up to a tenth
    /// more.</summary>
    public static bool Holds(AcceptedRow accepted, Finding finding, DateOnly today) =>
        accepted.Until >= today
        && accepted.Account == finding.Account
        && (decimal)finding.Count <= accepted.Count * 1.1m
        && finding.Amount <= accepted.Amount * 1.1m;

    /// <summary>What checks ask of the books.</summary>
    internal async Task<PostedFacts> BooksAsync(
        Npgsql.NpgsqlConnection db,
        EntityState state,
        CompiledSetUp setUp,
        CancellationToken stop
    )
    {
        var newest = await FindingStore.NewestAsync(db, state.Id, stop);
        var today = state.Today;
        // The last month of what is closed last; else the 30 days that end today.
        var closed = setUp.SetUp.Periods.Where(p => p.Closed).Select(p => (DateOnly?)p.To).Max();
        var (from, to) = closed is { } end ? (new DateOnly(end.Year, end.Month, 1), end) : (today.AddDays(-29), today);
        var of = new FactsOf(newest, today, from, to);
        var links = await Connections.LinkFacts.ReadAsync(db, state, setUp, stop);
        if (books.TryGetValue(state.Id, out var known) && known.Of == of)
        {
            if (known.Facts.Links.SequenceEqual(links))
                return known.Facts;
            var now = known.Facts with { Links = links };
            books[state.Id] = (of, now);
            return now;
        }
        var facts = newest == 0 ? PostedFacts.None : await ReadAsync(db, state, of, stop);
        if (links.Count > 0)
            facts = facts with { Links = links };
        if (books.Count >= MostEntities)
            books.Clear();
        books[state.Id] = (of, facts);
        return facts;
    }

    private static async Task<PostedFacts> ReadAsync(
        Npgsql.NpgsqlConnection db,
        EntityState state,
        FactsOf of,
        CancellationToken stop
    )
    {
        var id = state.Id;
        var year = of.Today.AddDays(-364);
        var balances = await JournalStore.BalancesAsync(db, id, of.Today, state.DecidesOn(of.Today), stop);
        var recent = await FindingStore.PostedSinceAsync(db, id, year, stop);
        var decided = await FindingStore.DecidedAsync(db, id, of.From, of.To, stop);
        var (byAssignment, byAccount, byPurpose) = (
            new Dictionary<string, decimal>(StringComparer.Ordinal),
            new Dictionary<string, decimal>(StringComparer.Ordinal),
            new Dictionary<string, decimal>(StringComparer.Ordinal)
        );
        foreach (var row in decided)
        {
            byAccount[row.Account] = byAccount.GetValueOrDefault(row.Account) + row.Amount;
            if (row.Purpose is null)
                continue;
            byPurpose[row.Purpose] = byPurpose.GetValueOrDefault(row.Purpose) + row.Amount;
            if (row.Pattern is null)
                continue;
            var landing = TraceJson.Read(row.Pattern, row.Values, null);
            if (landing.Rung is null or "line" or LegLanding.Document)
                continue;
            var identity = Assignment.IdentityOf(
                landing.BorrowedFrom ?? row.Purpose,
                [
                    .. landing.Key.Select(k => new KeyPart(
                        Words.TryParse<Dimension>(k.Key, out var dimension) ? dimension : default,
                        k.Value
                    )),
                ]
            );
            byAssignment[identity] = byAssignment.GetValueOrDefault(identity) + row.Amount;
        }
        return new PostedFacts(
            of.From,
            of.To,
            balances.ToDictionary(b => b.Account, b => b.Debit - b.Credit, StringComparer.Ordinal),
            recent,
            byAssignment,
            byAccount,
            byPurpose,
            await FindingStore.ByHandAsync(db, id, year, stop),
            await FindingStore.DoublesAsync(db, id, of.Today.AddDays(-89), stop)
        );
    }

    /// <summary>The mends of some findings of a view, by identity; those without one are left out.</summary>
    public static IReadOnlyDictionary<string, Mend> Mends(
        FindingsView of,
        DateOnly today,
        IEnumerable<Finding> findings
    )
    {
        var all = Of(of.SetUp, today, of.Posted);
        var mends = new Mends(of.SetUp, today, of.Posted, all);
        return findings
            .AsParallel()
            .Select(f => (f.Identity, Mend: mends.For(f)))
            .Where(m => m.Mend is not null)
            .ToDictionary(m => m.Identity, m => m.Mend!, StringComparer.Ordinal);
    }
}
