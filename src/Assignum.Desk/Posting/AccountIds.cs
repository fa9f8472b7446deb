using System.Collections.Concurrent;
using Assignum.Core.Editions;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>The ids of accounts by their numbers, as far as they were asked for; of one revision of each entity's
/// records.</summary>
internal sealed class AccountIds
{
    private sealed record Known(long Revision, ConcurrentDictionary<string, long?> Ids);

    private readonly ConcurrentDictionary<int, Known> known = new();

    /// <summary>Forgets what was read under another revision.</summary>
    public void At(EntityState state)
    {
        if (!known.TryGetValue(state.Id, out var of) || of.Revision != state.RecordsRevision)
            known[state.Id] = new(state.RecordsRevision, new(StringComparer.Ordinal));
    }

    /// <summary>The id of an account that was asked for, or null: there is none.</summary>
    public long? Of(int entity, string number) => known[entity].Ids[number];

    /// <summary>Asks for those that are not known.</summary>
    public async Task ReadAsync(
        NpgsqlConnection db,
        IEnumerable<(int Entity, string Number)> accounts,
        CancellationToken stop
    )
    {
        foreach (var of in accounts.GroupBy(a => a.Entity))
        {
            var ids = known[of.Key].Ids;
            var fresh = of.Select(a => a.Number).Where(n => !ids.ContainsKey(n)).ToArray();
            if (fresh.Length == 0)
                continue;
            var read = await JournalStore.AccountIdsAsync(db, of.Key, fresh, stop);
            foreach (var number in fresh)
                ids[number] = read.TryGetValue(number, out var id) ? id : null;
        }
    }
}
