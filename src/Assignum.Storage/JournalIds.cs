using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using Assignum.Core.Landing;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>
/// The ids that an entity's patterns and chains are stored under. Both are few and never change: what one batch read or
/// wrote serves every later one.
/// </summary>
public sealed class JournalIds
{
    private const NpgsqlDbType Texts = NpgsqlDbType.Array | NpgsqlDbType.Text;
    private readonly ConditionalWeakTable<object, StrongBox<int>> known = [];
    private readonly ConcurrentDictionary<(string, string), bool> used = new();

    // Beyond this, some are asked of the database again: it says so itself.
    private const int MostUses = 500_000;
    private int uses;

    /// <summary>Whether a record is known to be kept as used.</summary>
    internal bool Used(string part, string key) => used.ContainsKey((part, key));

    /// <summary>Remembers what is kept as used; after the commit.</summary>
    internal void Use(IEnumerable<(string Part, string Key)> kept)
    {
        foreach (var (part, key) in kept)
            if (Interlocked.Increment(ref uses) < MostUses)
                used.TryAdd((part, key), true);
    }

    /// <summary>The ids of what a batch has where all are known; else null.</summary>
    internal Batch? Known(IEnumerable<LandingPattern> patterns, IEnumerable<IReadOnlyList<string>> chains)
    {
        var batch = new Batch(this);
        return batch.Look(patterns.Distinct<object>(ReferenceEqualityComparer.Instance)) && batch.Look(chains)
            ? batch
            : null;
    }

    /// <summary>The ids of what a batch has, read or written where they are not known. Inside the caller's transaction,
    /// which holds the entity's postings: so that two batches do not give one id twice.</summary>
    internal async Task<Batch> ForAsync(
        NpgsqlConnection db,
        int entity,
        IEnumerable<LandingPattern> patterns,
        Func<LandingPattern, string> bodyOf,
        IEnumerable<IReadOnlyList<string>> chains,
        CancellationToken stop
    )
    {
        var batch = new Batch(this);
        var newPatterns = patterns.Distinct().Where(p => !batch.Knows(p)).ToList();
        if (newPatterns.Count > 0)
            await PatternsAsync(db, entity, batch, newPatterns, bodyOf, stop);
        var newChains = chains
            .Distinct<object>(ReferenceEqualityComparer.Instance)
            .Where(c => !batch.Knows(c))
            .ToList();
        if (newChains.Count > 0)
            await ChainsAsync(db, entity, batch, [.. newChains.Cast<IReadOnlyList<string>>()], stop);
        return batch;
    }

    private static async Task PatternsAsync(
        NpgsqlConnection db,
        int entity,
        Batch batch,
        List<LandingPattern> patterns,
        Func<LandingPattern, string> bodyOf,
        CancellationToken stop
    )
    {
        var texts = patterns
            .Select(p => (Pattern: p, p.Places.Purpose, p.Places.Rung, p.Places.BorrowedFrom, Body: bodyOf(p)))
            .ToList();
        var distinct = texts.DistinctBy(t => (t.Purpose, t.Body)).ToList();
        await using var command = new NpgsqlCommand(
            """
            with asked as (select * from unnest($2, $3, $4, $5) as a(purpose, body, rung, borrowed)),
            there as (
              select p.pattern_id, p.purpose, p.body from landing_pattern p join asked using (purpose, body)
              where p.entity_id = $1 and md5(p.purpose || p.body) = md5(asked.purpose || asked.body)),
            made as (
              insert into landing_pattern (entity_id, pattern_id, purpose, body, rung, borrowed)
              select $1, (select coalesce(max(pattern_id), 0) from landing_pattern where entity_id = $1)
                + row_number() over (order by purpose, body), purpose, body, rung, borrowed
              from asked where not exists (select from there t where (t.purpose, t.body) = (asked.purpose, asked.body))
              returning pattern_id, purpose, body)
            select * from there union all select * from made
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = distinct.Select(t => t.Purpose).ToArray() },
                new() { Value = distinct.Select(t => t.Body).ToArray() },
                new() { Value = distinct.Select(t => t.Rung).ToArray(), NpgsqlDbType = Texts },
                new() { Value = distinct.Select(t => t.BorrowedFrom).ToArray(), NpgsqlDbType = Texts },
            },
        };
        var ids = new Dictionary<(string, string), int>();
        await using (var reader = await command.ExecuteReaderAsync(stop))
            while (await reader.ReadAsync(stop))
                ids[(reader.GetString(1), reader.GetString(2))] = reader.GetInt32(0);
        foreach (var text in texts)
            batch.Add(text.Pattern, ids[(text.Purpose, text.Body)]);
    }

    private static async Task ChainsAsync(
        NpgsqlConnection db,
        int entity,
        Batch batch,
        List<IReadOnlyList<string>> chains,
        CancellationToken stop
    )
    {
        // Arrays of different lengths do not fit one parameter: codes hold no separator.
        static string Text(IReadOnlyList<string> chain) => string.Join('\u001f', chain);
        var distinct = chains.Select(Text).Distinct(StringComparer.Ordinal).ToArray();
        await using var command = new NpgsqlCommand(
            """
            with asked as (select string_to_array(t, E'\x1f') as codes from unnest($2) as a(t)),
            there as (
              select c.chain_id, c.codes from landing_chain c join asked using (codes) where c.entity_id = $1),
            made as (
              insert into landing_chain (entity_id, chain_id, codes)
              select $1, (select coalesce(max(chain_id), 0) from landing_chain where entity_id = $1)
                + row_number() over (order by codes), codes
              from asked where not exists (select from there t where t.codes = asked.codes)
              returning chain_id, codes)
            select chain_id, array_to_string(codes, E'\x1f')
            from (select * from there union all select * from made) x
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = distinct },
            },
        };
        var ids = new Dictionary<string, int>(StringComparer.Ordinal);
        await using (var reader = await command.ExecuteReaderAsync(stop))
            while (await reader.ReadAsync(stop))
                ids[reader.GetString(1)] = reader.GetInt32(0);
        foreach (var chain in chains)
            batch.Add(chain, ids[Text(chain)]);
    }

    /// <summary>What a batch knows; everybody's once it is committed.</summary>
    internal sealed class Batch(JournalIds all)
    {
        // What is everybody's is looked up once a batch; what it adds is everybody's once it is committed.
        private readonly Dictionary<object, int> looked = new(ReferenceEqualityComparer.Instance);
        private readonly Dictionary<object, int> own = new(ReferenceEqualityComparer.Instance);

        public bool Knows(object key)
        {
            if (looked.ContainsKey(key))
                return true;
            if (!all.known.TryGetValue(key, out var box))
                return false;
            looked[key] = box.Value;
            return true;
        }

        public bool Look(IEnumerable<object> keys) => keys.All(Knows);

        public int Of(object key) => looked[key];

        public void Add(object key, int id) => looked[key] = own[key] = id;

        public void Committed()
        {
            foreach (var (key, id) in own)
                all.known.AddOrUpdate(key, new StrongBox<int>(id));
        }
    }
}
