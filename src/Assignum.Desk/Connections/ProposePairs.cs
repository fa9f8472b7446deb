using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.SetUps;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Finds which records of a connected system may be which of ours, and keeps what it found until it is asked
/// again.</summary>
public sealed class ProposePairs(DeskContext desk)
{
    /// <summary>Proposes anew for a kind of record.</summary>
    internal async Task<int> RunAsync(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        RecordKind kind,
        CancellationToken stop
    )
    {
        var set = await new ViewSetUp(desk).OfAsync(state, "draft", null, stop);
        if (set.Result is not { SetUp.SetUp: var setUp })
            return 0;
        var at = (state.Id, link.Id);
        var ours = PairSides.Ours(kind, setUp, state.Today);
        var theirs = await TheirsAsync(db, at, link, kind, setUp, stop);
        // One pairing is looked for of each subject: of theirs from a source, of ours where entries go on.
        var (subjects, candidates) = link.Of.TakesEntries ? (ours, theirs) : (theirs, ours);
        var found = Proposer.Propose(subjects, candidates);
        var doubled = found.Doubles.SelectMany(d => d.Theirs).ToHashSet();
        var kept = found.Of.SelectMany(
            (of, i) =>
                of.Select(
                    (p, place) =>
                        new KeptProposal(
                            subjects[i].Id,
                            place,
                            candidates[p.Ours].Id,
                            p.Score,
                            p.Evidence,
                            p.Trap,
                            p.Mutual,
                            place + 1 < of.Count ? p.Score - of[place + 1].Score : 1,
                            doubled.Contains(i)
                        )
                )
        );
        await using var transaction = await db.BeginTransactionAsync(stop);
        await ProposalStore.ReplaceAsync(db, at, kind.Name, kept, stop);
        await transaction.CommitAsync(stop);
        return subjects.Count;
    }

    private static async Task<IReadOnlyList<PairRecord>> TheirsAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        Connection link,
        RecordKind kind,
        SetUp setUp,
        CancellationToken stop
    )
    {
        var records = await LinkRecordStore.ListAsync(db, at, kind.Name, stop);
        var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), setUp);
        var paired = Pairs.Of(setUp, link.Code, kind.Name);
        var groups = new Dictionary<string, string>() as IReadOnlyDictionary<string, string>;
        if (kind.Name == "item")
        {
            var ourGroups = setUp.Items.ToDictionary(i => i.Code, i => i.Group, StringComparer.Ordinal);
            groups = PairSides.GroupsLearnt(
                records
                    .Select(r => (Group: new LinkFields(r.Fields).Text("group"), Ours: paired.OursOf(r.Id)))
                    .Where(r => r.Group is not null && r.Ours is { Length: > 0 })
                    .Select(r => (r.Group!, ourGroups.GetValueOrDefault(r.Ours!)))
            );
        }
        return PairSides.Theirs(kind, records, words, paired.OursOf, g => groups.GetValueOrDefault(g));
    }
}
