using System.Numerics;

namespace Assignum.Core.Landing;

/// <summary>A read-only hash table from packed keys to numbers: open addressing, one array, linear probing.</summary>
/// <remarks>Key and value lie side by side so that a hit costs one cache line; half the slots stay empty.</remarks>
internal sealed class PackedTable
{
    private const ulong Multiplier = 0x9E3779B97F4A7C15UL;
    private readonly Slot[] slots;
    private readonly int shift;

    public PackedTable(IReadOnlyCollection<KeyValuePair<ulong, int>> entries)
    {
        var size = (int)BitOperations.RoundUpToPowerOf2((uint)Math.Max(4, entries.Count * 2));
        shift = 64 - BitOperations.Log2((uint)size);
        slots = new Slot[size];
        foreach (var (key, value) in entries)
        {
            var at = (int)(key * Multiplier >> shift);
            while (slots[at].Key != 0)
                at = at + 1 & size - 1;
            slots[at] = new Slot(key, value);
        }
    }

    /// <summary>The number behind a key (never 0), or −1.</summary>
    public int Find(ulong key)
    {
        var table = slots;
        var at = (int)(key * Multiplier >> shift);
        while (true)
        {
            ref readonly var slot = ref table[at];
            if (slot.Key == key)
                return slot.Value;
            if (slot.Key == 0)
                return -1;
            at = at + 1 & table.Length - 1;
        }
    }

    private readonly record struct Slot(ulong Key, int Value);
}
