using System.Numerics;
using System.Runtime.CompilerServices;

namespace Assignum.Core.Landing;

/// <summary>One purpose's ladder, compiled.</summary>
/// <remarks>
/// For every value of every dimension the ladder uses, a word of bits says on which rungs an assignment could hold for
/// it. The bits of a leg's values are and-ed; only the rungs left are asked, top first. Most legs ask one rung. Rungs on
/// which nothing is assigned are left out. Figures in docs/performance.md.
/// </remarks>
public sealed class PurposeResolver
{
    private readonly int[] dimensions;
    private readonly ushort[][] masks;

    // What holds for a value beyond a dimension's words: nothing names it, so only rungs that do not ask for it.
    private readonly ushort[] others;
    private readonly RungTable[] rungs;
    private readonly ushort allRungs;
    private readonly int defaultAssignment;

    /// <param name="previous">An earlier one over the same index: rungs that hold the same keys under the same numbers
    /// are taken over.</param>
    internal PurposeResolver(
        LandingIndex index,
        Ladder ladder,
        IEnumerable<(int Number, Assignment Assignment)> assignments,
        PurposeResolver? previous = null
    )
    {
        var byRung = assignments.ToLookup(a => a.Assignment.Set);
        rungs =
        [
            .. ladder
                .Rungs.Where(r => r != Rung.Line && byRung.Contains(r.Set))
                .Select(r =>
                    (
                        previous?.rungs.FirstOrDefault(t => t.Rung == r) is { } known && known.Holds(byRung[r.Set])
                            ? known
                            : null
                    ) ?? new RungTable(index, r, [.. byRung[r.Set]])
                ),
        ];
        allRungs = (ushort)((1 << rungs.Length) - 1);
        defaultAssignment = byRung[0].Select(a => a.Number).DefaultIfEmpty(-1).First();
        dimensions = [.. rungs.SelectMany(r => r.Rung.Dimensions).Distinct().Select(d => (int)d)];
        others = [.. dimensions.Select(d => Others((Dimension)d))];
        masks = [.. dimensions.Select((d, i) => Masks(index, (Dimension)d, others[i], byRung))];
    }

    /// <summary>A ladder may have this many rungs beside <c>line</c> and <c>default</c>.</summary>
    public const int MaxRungs = 16;

    /// <summary>The number of the default; −1 where there is none.</summary>
    internal int Default => defaultAssignment;

    /// <summary>The rung an assignment number was found on is its own; −1 when the whole ladder misses.</summary>
    public int Resolve(in LegValues values)
    {
        uint open = allRungs;
        for (var i = 0; i < dimensions.Length; i++)
            open &= Mask(i, values[dimensions[i]]);
        return Ask(open, values);
    }

    /// <summary>What is found where one assignment is not there; −1 when nothing is.</summary>
    public int ResolveOther(in LegValues values, int without)
    {
        foreach (var rung in rungs)
            if (rung.FindOther(values, without) is var found and >= 0)
                return found;
        return defaultAssignment == without ? -1 : defaultAssignment;
    }

    /// <summary>Resolves many legs: a block's masks first, so that the reads that miss the cache overlap instead of
    /// queueing.</summary>
    public void ResolveAll(ReadOnlySpan<LegValues> legs, Span<int> answers)
    {
        Span<ushort> open = stackalloc ushort[Block];
        for (var start = 0; start < legs.Length; start += Block)
        {
            var block = legs.Slice(start, Math.Min(Block, legs.Length - start));
            for (var i = 0; i < block.Length; i++)
            {
                uint mask = allRungs;
                for (var d = 0; d < dimensions.Length; d++)
                    mask &= Mask(d, block[i][dimensions[d]]);
                open[i] = (ushort)mask;
            }
            for (var i = 0; i < block.Length; i++)
                answers[start + i] = Ask(open[i], block[i]);
        }
    }

    private const int Block = 64;

    private int Ask(uint open, in LegValues values)
    {
        while (open != 0)
        {
            var found = rungs[BitOperations.TrailingZeroCount(open)].Find(values);
            if (found >= 0)
                return found;
            open &= open - 1;
        }
        return defaultAssignment;
    }

    [MethodImpl(MethodImplOptions.AggressiveInlining)]
    private ushort Mask(int dimension, int value)
    {
        var words = masks[dimension];
        return (uint)value < (uint)words.Length ? words[value] : others[dimension];
    }

    private ushort Others(Dimension dimension)
    {
        var bits = 0;
        for (var r = 0; r < rungs.Length; r++)
            if (!rungs[r].Rung.Dimensions.Contains(dimension))
                bits |= 1 << r;
        return (ushort)bits;
    }

    // Words up to the last value that an assignment names; of nested dimensions, up to the last that is in one.
    private ushort[] Masks(
        LandingIndex index,
        Dimension dimension,
        ushort rest,
        ILookup<int, (int Number, Assignment Assignment)> byRung
    )
    {
        var reached = new List<(ushort Bit, int Number)>();
        for (var r = 0; r < rungs.Length; r++)
            if (rungs[r].Rung.Dimensions.Contains(dimension))
                foreach (
                    var number in RungTable.Reach(index, dimension, byRung[rungs[r].Rung.Set].Select(a => a.Assignment))
                )
                    reached.Add(((ushort)(1 << r), number));
        var words = new ushort[reached.Count == 0 ? 0 : reached.Max(x => x.Number) + 1];
        Array.Fill(words, rest);
        foreach (var (bit, number) in reached)
            words[number] |= bit;
        return words;
    }
}
