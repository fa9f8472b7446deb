using Assignum.Core.Checks;
using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>What findings tell of connections.</summary>
internal static class LinkFacts
{
    private const int Most = 500;

    /// <summary>Of every connection that is not closed: what waits unpaired, what differs, what was changed there.</summary>
    public static async Task<IReadOnlyList<LinkFact>> ReadAsync(
        NpgsqlConnection db,
        EntityState state,
        CompiledSetUp setUp,
        CancellationToken stop
    )
    {
        var facts = new List<LinkFact>();
        foreach (var link in await ConnectionStore.ListAsync(db, state.Id, stop))
        {
            if (link.State is "closed" or "draft")
                continue;
            var at = (state.Id, link.Id);
            if (link.Of.TakesEntries)
                facts.AddRange(await ForeignAsync(db, state, link, setUp.SetUp, stop));
            if (link.Of.TakesEntries)
                facts.AddRange(
                    (await ReadNeeds.OursAsync(db, at, state, link, setUp.SetUp, stop))
                        .Take(Most)
                        .Select(n => new LinkFact(
                            "unpaired",
                            link.Code,
                            n.Record,
                            n.Theirs,
                            0,
                            n.Waits.Amount,
                            $"Account {n.Theirs} {n.Name} has no account in {link.Name}."
                        ))
                );
            else
                facts.AddRange(
                    (await LinkEventStore.RecordNeedsAsync(db, at, link.Code, stop))
                        .Take(Most)
                        .Select(n => new LinkFact(
                            "unpaired",
                            link.Code,
                            n.Record,
                            n.Theirs,
                            n.Waits.Events,
                            n.Waits.Amount,
                            $"{RecordKind.Find(n.Record)?.Title} {n.Theirs} {n.Name} of {link.Name} is not paired: "
                                + $"{n.Waits.Events} documents wait for it."
                        ))
                );
            facts.AddRange(
                (await ReadNeeds.DifferencesAsync(db, at, state, link, setUp.SetUp, stop))
                    .Take(Most)
                    .Select(n => new LinkFact(
                        n.Record == "tax-code" && !n.Says.StartsWith("Since", StringComparison.Ordinal)
                            ? "rate-differs"
                            : "changed-there",
                        link.Code,
                        n.Record,
                        n.Theirs,
                        n.Waits.Events,
                        n.Waits.Amount,
                        $"{RecordKind.Find(n.Record)?.Title} {n.Theirs} {n.Name} of {link.Name}: {n.Says}"
                    ))
            );
        }
        return facts;
    }

    // What is made there by hand on accounts that are paired with control accounts.
    private static async Task<IEnumerable<LinkFact>> ForeignAsync(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var pairs = Pairs.Of(setUp, link.Code, "account");
        var ours = setUp
            .Accounts.Where(a => a.Control != Core.Chart.Control.None)
            .Select(a => (Ours: a, pairs.OfOurs(a.Number)?.Theirs))
            .Where(a => a.Theirs is not null)
            .ToLookup(a => a.Theirs!, a => a.Ours);
        return (
            await BookOfRecordStore.ForeignAsync(
                db,
                (state.Id, link.Id),
                state.Today,
                [.. ours.Select(o => o.Key)],
                stop
            )
        ).Select(f => new LinkFact(
            "foreign-on-control",
            link.Code,
            "account",
            f.Account,
            0,
            Math.Abs(f.Amount),
            $"{f.Count} journals of {link.Name} on {f.Account}, paired with {string.Join(", ", ours[f.Account].Select(o => o.Number))}, "
                + $"were made there by hand: {f.First} is one."
        ));
    }
}
