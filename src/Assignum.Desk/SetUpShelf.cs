using System.Data;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Storage;

namespace Assignum.Desk;

/// <summary>
/// Remembers compiled set-ups by what they were made of, so that events do not compile anew. Set-ups of one revision of
/// the records share them; one that was changed since, here or by another process, catches up by the rows that were
/// changed. What was not used longest goes where all together take too much room.
/// </summary>
/// <param name="room">Bytes that all set-ups together may take, by estimate.</param>
public sealed class SetUpShelf(long room)
{
    private readonly Lock gate = new();
    private readonly Dictionary<Key, Entry> shelf = [];
    private long clock;

    // A published edition keeps the id that its draft had, and its last revision: what was made of the draft serves.
    private readonly record struct Key(int Entity, int Edition, long Revision, long Records);

    private sealed record Made(CompiledSetUp SetUp, bool Plain);

    private sealed class Entry(Task<Made> made)
    {
        public Task<Made> Made => made;
        public long Used { get; set; }
    }

    /// <summary>A shelf with a quarter of the memory that there is, at most 2 GB.</summary>
    public SetUpShelf()
        : this(Math.Min(2L << 30, GC.GetGCMemoryInfo().TotalAvailableMemoryBytes / 4)) { }

    /// <summary>How many set-ups are remembered, of how many bytes by estimate.</summary>
    public (int Count, long Bytes) Held
    {
        get
        {
            lock (gate)
                return (shelf.Count, Bytes());
        }
    }

    /// <summary>The set-up of a published edition, or of the draft when <paramref name="draft"/> is given.</summary>
    /// <param name="number">The published edition, or the draft's base.</param>
    public async Task<CompiledSetUp> GetAsync(
        Database database,
        EntityState entity,
        int number,
        EditionRow? draft,
        CancellationToken stop
    )
    {
        Task<Made> task;
        lock (gate)
        {
            var key = KeyOf(entity, number, draft);
            if (!shelf.TryGetValue(key, out var entry) || entry.Made.IsFaulted || entry.Made.IsCanceled)
                // Others may wait for the same set-up: one caller going away must not take it from them.
                shelf[key] = entry = new Entry(
                    Task.Run(() => MakeAsync(database, entity, number, draft, key), CancellationToken.None)
                );
            entry.Used = ++clock;
            task = entry.Made;
        }
        var made = await task.WaitAsync(stop);
        lock (gate)
            Tidy();
        return made.SetUp;
    }

    /// <summary>Whether a set-up is there to be taken at once.</summary>
    public bool Has(EntityState entity, int number, EditionRow? draft)
    {
        lock (gate)
            return shelf.TryGetValue(KeyOf(entity, number, draft), out var entry) && entry.Made.IsCompletedSuccessfully;
    }

    /// <summary>Puts what a change made of a set-up on the shelf, so that nobody reads and compiles all of it
    /// anew.</summary>
    /// <param name="entity">The state after the change.</param>
    /// <param name="next">The set-up of its draft, or of its latest edition where no draft is open.</param>
    /// <param name="from">What it was changed from.</param>
    /// <param name="plain">Rows were changed in place only: its records are those of every view.</param>
    public void Put(EntityState entity, SetUp next, CompiledSetUp from, bool plain)
    {
        var key = KeyOf(entity, entity.Draft?.BasedOn ?? entity.Latest?.Number ?? 0, entity.Draft);
        lock (gate)
        {
            var shared = plain && shelf.Values.Any(e => Done(e) is { Plain: true } m && ReferenceEquals(m.SetUp, from));
            if (!shelf.ContainsKey(key))
                shelf[key] = new Entry(Task.Run(() => new Made(new CompiledSetUp(next, from), shared)))
                {
                    Used = ++clock,
                };
        }
    }

    private static Key KeyOf(EntityState entity, int number, EditionRow? draft)
    {
        var row = draft ?? entity.Editions.FirstOrDefault(e => e.Number == number);
        return new Key(entity.Id, row?.Id ?? 0, row?.Revision ?? 0, entity.RecordsRevision);
    }

    private static Made? Done(Entry entry) => entry.Made.IsCompletedSuccessfully ? entry.Made.Result : null;

    private async Task<Made> MakeAsync(Database database, EntityState entity, int number, EditionRow? draft, Key key)
    {
        var view = new EditionView(number, draft?.Id);
        // A draft is its edition and what it changes of that.
        var under =
            draft is not null && entity.Editions.FirstOrDefault(e => e.Number == number) is { } published
                ? KeyOf(entity, published.Number!.Value, null)
                : (Key?)null;
        await using var db = await database.OpenAsync(CancellationToken.None);
        await using var snapshot = await db.BeginTransactionAsync(
            IsolationLevel.RepeatableRead,
            CancellationToken.None
        );
        var (before, records) = Known(key);
        if (before is { } known && await AfterAsync(db, key, draft?.Id, known.Key, known.Made, records) is { } caughtUp)
            return caughtUp;
        if (
            under is { } ground
            && Find(ground) is { } on
            && !await MembershipStore.AnyAsync(db, entity.Id, view, default)
        )
        {
            var rows = await SetUpReader.DraftRowsAsync(db, entity.Id, draft!.Id, on.SetUp.SetUp, default);
            if (rows.Count < 20_000)
            {
                var laid = Laid(on.SetUp.SetUp, rows);
                return new Made(new CompiledSetUp(laid, on.SetUp), on.Plain);
            }
        }
        var read = await SetUpReader.LoadAsync(db, entity.Id, view, records, default);
        var grouped = await SetUpReader.InGroupsAsync(db, entity.Id, view, read, default);
        return new Made(new CompiledSetUp(grouped), ReferenceEquals(read.Records, grouped.Records));
    }

    // The nearest that is known of the same edition, and the records as they are wanted.
    private ((Key Key, Made Made)?, RecordSet?) Known(Key key)
    {
        lock (gate)
        {
            var mine = shelf
                .Where(s => s.Key.Entity == key.Entity)
                .Select(s => (s.Key, Made: Done(s.Value)!))
                .Where(s => s.Made is { Plain: true })
                .ToList();
            var nearest = mine.Where(s =>
                    s.Key.Edition == key.Edition && s.Key.Records <= key.Records && s.Key.Revision <= key.Revision
                )
                .OrderByDescending(s => s.Key.Records)
                .ThenByDescending(s => s.Key.Revision)
                .Take(1)
                .ToList();
            return (
                nearest.Count == 0 ? null : nearest[0],
                mine.FirstOrDefault(s => s.Key.Records == key.Records).Made?.SetUp.SetUp.Records
            );
        }
    }

    private Made? Find(Key key)
    {
        lock (gate)
            return shelf.TryGetValue(key, out var entry) ? Done(entry) : null;
    }

    // What was known, with the rows that were changed since; null where that is not all.
    private static async Task<Made?> AfterAsync(
        Npgsql.NpgsqlConnection db,
        Key wanted,
        int? draft,
        Key known,
        Made before,
        RecordSet? records
    )
    {
        var since = await ChangeStore.SinceAsync(
            db,
            wanted.Entity,
            draft,
            (known.Records, known.Revision),
            (wanted.Records, wanted.Revision),
            default
        );
        if (since is null || draft is null && known.Revision != wanted.Revision)
            return null;
        var rows = new List<(Part Part, string Key, string?[]? Cells)>();
        foreach (var (of, change) in since)
        {
            if (
                change.Part.HeldBy == HeldBy.Records
                    ? records is not null
                    : change.Part != Parts.Accounts && of != draft
            )
                continue;
            var cells = change.After;
            // What the draft holds of an account is not every view's: only what was changed.
            if (change is { Before: { } was, After: { } now } && change.Part == Parts.Accounts)
            {
                cells = Parts.Accounts.Row(before.SetUp.SetUp, change.Key)?.ToArray() ?? now;
                for (var i = 0; i < now.Length; i++)
                    if (was[i] != now[i])
                        cells[i] = now[i];
            }
            rows.Add((change.Part, change.Key, cells));
        }
        var next = Laid(before.SetUp.SetUp, rows);
        if (records is not null)
            next = next with { Records = records };
        return new Made(new CompiledSetUp(next, before.SetUp), true);
    }

    private static SetUp Laid(SetUp ground, IReadOnlyList<(Part Part, string Key, string?[]? Cells)> rows)
    {
        foreach (var part in Parts.All)
        {
            // The last of each key is how it is.
            var mine = rows.Where(r => r.Part == part)
                .GroupBy(r => r.Key, StringComparer.Ordinal)
                .Select(g => (0, g.Key, g.Last().Cells))
                .ToList();
            if (mine.Count > 0)
                ground = part.With(ground, mine, [], lenient: true);
        }
        return ground;
    }

    private void Tidy()
    {
        while (shelf.Count > 1 && Bytes() > room)
        {
            var oldest = shelf.Where(s => s.Value.Made.IsCompleted).MinBy(s => s.Value.Used);
            if (oldest.Value is null)
                return;
            shelf.Remove(oldest.Key);
        }
        // One that was overtaken long ago is asked for by nobody.
        foreach (var of in shelf.GroupBy(s => (s.Key.Entity, s.Key.Edition)).Where(g => g.Count() > Overtaken).ToList())
        foreach (var old in of.OrderByDescending(s => s.Value.Used).Skip(Overtaken))
            shelf.Remove(old.Key);
    }

    private const int Overtaken = 4;

    // Measured at the large size: docs/performance.md. What set-ups share counts once.
    private long Bytes()
    {
        var seen = new HashSet<object>(ReferenceEqualityComparer.Instance);
        long Of<T>(IReadOnlyList<T> list, int each) => seen.Add(list) ? (long)list.Count * each : 0;
        var bytes = 0L;
        foreach (var entry in shelf.Values)
            if (Done(entry)?.SetUp.SetUp is { } s)
                bytes +=
                    100_000
                    + Of(s.Items, 260)
                    + Of(s.Parties, 300)
                    + Of(s.Projects, 400)
                    + Of(s.Pairings, 250)
                    + Of(s.DimensionValues, 200)
                    + Of(s.Accounts, 500)
                    + Of(s.Groups, 300)
                    + Of(s.Assignments, 420);
        return bytes;
    }
}
