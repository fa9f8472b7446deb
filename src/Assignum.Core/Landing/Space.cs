using System.Numerics;
using System.Runtime.CompilerServices;

namespace Assignum.Core.Landing;

/// <summary>The values of one dimension by number: 0 is "absent", the others count from 1.</summary>
internal abstract class Space
{
    /// <summary>The number behind a name, or 0.</summary>
    public abstract int Find(string name);

    /// <summary>The value behind a number, as an assignment names it; empty for 0.</summary>
    public abstract string Key(int number);

    /// <summary>The number of the value that this one is in, or 0.</summary>
    public virtual int Parent(int number) => 0;

    /// <summary>How many numbers there are, "absent" included.</summary>
    public abstract int Count { get; }

    /// <summary>Whether every number of another space means the same here; values may have come after them.</summary>
    /// <param name="nested">Then none may have come: what they are in decides.</param>
    public abstract bool Extends(Space other, bool nested);
}

/// <summary>Values that are few, or nest.</summary>
internal sealed class NodeSpace : Space
{
    private readonly Dictionary<string, int> numbers = new(StringComparer.Ordinal);
    private readonly List<string> keys = [""];
    private readonly List<int> parents = [0];

    public override int Find(string name) => numbers.GetValueOrDefault(name);

    public override string Key(int number) => keys[number];

    public override int Parent(int number) => parents[number];

    public override int Count => keys.Count;

    /// <summary>Gives a value the next number, where it has none.</summary>
    public void Add(string name, string key)
    {
        if (!numbers.TryAdd(name, keys.Count))
            return;
        keys.Add(key);
        parents.Add(0);
    }

    /// <summary>Says what a value is in; both were added before.</summary>
    public void SetParent(string name, string parent) => parents[numbers[name]] = Find(parent);

    public override bool Extends(Space other, bool nested)
    {
        if (ReferenceEquals(this, other))
            return true;
        if (other is not NodeSpace was || was.Count > Count || nested && was.Count != Count)
            return false;
        foreach (var (name, number) in was.numbers)
            if (numbers.GetValueOrDefault(name) != number || parents[number] != was.parents[number])
                return false;
        return true;
    }
}

/// <summary>
/// Records of one kind by code, each with its number: made once for a list of them and shared by every set-up that has
/// that list. A list that was changed from another one, with records changed in place or added at its end, is laid
/// over what is known of that: nothing is numbered anew.
/// </summary>
internal sealed class RecordSpace<T> : Space
    where T : class
{
    // Laid over more than this, all of it is made one again.
    private const int Thin = 4096;
    private const int Ancestors = 64;
    private static readonly ConditionalWeakTable<IReadOnlyList<T>, RecordSpace<T>> Known = [];
    private static long made;

    // The records by number less one, their codes by number, and where each stands by its code: numbers in a table of
    // which a third or more is empty.
    private readonly IReadOnlyList<T> ground;
    private readonly string[] keys;
    private readonly int[] places;
    private readonly Dictionary<string, (int Number, T Record)>? over;
    private readonly string[] more;

    // What this space extends, itself last: by ids, so that nothing is kept alive for it.
    private readonly long[] line;

    private RecordSpace(IReadOnlyList<T> records, Func<T, string> code)
    {
        ground = records;
        keys = new string[records.Count + 1];
        keys[0] = "";
        places = new int[BitOperations.RoundUpToPowerOf2((uint)Math.Max(4, records.Count * 3 / 2))];
        for (var i = 1; i < keys.Length; i++)
        {
            keys[i] = code(records[i - 1]);
            ref var place = ref places[Place(keys[i])];
            if (place != 0)
                throw new ArgumentException($"The code {keys[i]} is there twice.", nameof(records));
            place = i;
        }
        (more, line) = ([], [Interlocked.Increment(ref made)]);
    }

    private RecordSpace(RecordSpace<T> from, List<(string Code, T Record)> changed, List<(string Code, T Record)> added)
    {
        (ground, keys, places) = (from.ground, from.keys, from.places);
        line = [.. from.line.TakeLast(Ancestors), Interlocked.Increment(ref made)];
        over = from.over is null
            ? new Dictionary<string, (int, T)>(StringComparer.Ordinal)
            : new Dictionary<string, (int, T)>(from.over, StringComparer.Ordinal);
        foreach (var (name, record) in changed)
            over[name] = (from.Find(name), record);
        var next = from.Count;
        foreach (var (name, record) in added)
            over.Add(name, (next++, record));
        more = [.. from.more, .. added.Select(a => a.Code)];
    }

    // A list laid over too much is the ground of what comes after it, with the numbers that were there.
    private RecordSpace(RecordSpace<T> from, IReadOnlyList<T> records, Func<T, string> code)
        : this(records, code) => line = [.. from.line.TakeLast(Ancestors), line[^1]];

    // The slot that holds the number of a code, or the empty one where it belongs.
    private int Place(string name)
    {
        var (table, names) = (places, keys);
        var at = name.GetHashCode() & table.Length - 1;
        while (table[at] is var number && number != 0 && names[number] != name)
            at = at + 1 & table.Length - 1;
        return at;
    }

    /// <summary>The space of a list of records.</summary>
    /// <param name="was">The list that this one was changed from, where it was.</param>
    public static RecordSpace<T> Of(IReadOnlyList<T> records, Func<T, string> code, IReadOnlyList<T>? was = null)
    {
        if (Known.TryGetValue(records, out var known))
            return known;
        var made =
            was is not null && Known.TryGetValue(was, out var before) && Over(before, was, records, code) is { } laid
                ? laid
                : new RecordSpace<T>(records, code);
        return Known.GetValue(records, _ => made);
    }

    /// <summary>The record of a code, or null.</summary>
    public T? Record(string code) => Entry(code).Record;

    /// <summary>The record of a code with its number; (0, null) where there is none.</summary>
    public (int Number, T? Record) Entry(string code)
    {
        if (over is not null && over.TryGetValue(code, out var found))
            return found;
        var number = places[Place(code)];
        return number == 0 ? default : (number, ground[number - 1]);
    }

    public override int Find(string name) =>
        over is not null && over.TryGetValue(name, out var found) ? found.Number : places[Place(name)];

    public override string Key(int number) => number < keys.Length ? keys[number] : more[number - keys.Length];

    public override int Count => keys.Length + more.Length;

    public override bool Extends(Space other, bool nested) =>
        ReferenceEquals(this, other)
        || other is RecordSpace<T> was && (!nested || was.Count == Count) && line.Contains(was.line[^1]);

    // Null where a record left its place: then numbers mean something else.
    private static RecordSpace<T>? Over(
        RecordSpace<T> before,
        IReadOnlyList<T> was,
        IReadOnlyList<T> now,
        Func<T, string> code
    )
    {
        if (now.Count < was.Count)
            return null;
        var (changed, added) = (new List<(string, T)>(), new List<(string, T)>());
        for (var i = 0; i < was.Count; i++)
            if (!ReferenceEquals(was[i], now[i]))
            {
                if (code(was[i]) != code(now[i]))
                    return null;
                changed.Add((code(now[i]), now[i]));
            }
        for (var i = was.Count; i < now.Count; i++)
            added.Add((code(now[i]), now[i]));
        return changed.Count + added.Count > Math.Max(Thin, was.Count / 4) ? null
            : (before.over?.Count ?? 0) + changed.Count + added.Count > Thin ? new RecordSpace<T>(before, now, code)
            : new RecordSpace<T>(before, changed, added);
    }
}
