using System.Collections.Concurrent;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What decides for all pairs of the records of two sides.</summary>
/// <param name="Coarse">Records that are named alone were left out of the columns: there are too many.</param>
/// <param name="Answers">Row by row, numbers of assignments; below nought: none.</param>
internal sealed record MapPairs(MapAtoms Down, MapAtoms Across, bool Coarse, int[] Answers);

/// <summary>The maps that were looked at last of one set-up: opening a group asks nothing anew.</summary>
internal sealed class MapMemory
{
    private const int Most = 2;
    private readonly ConcurrentDictionary<(Purpose, Dimension, Dimension?), MapPairs> known = new();

    /// <summary>That of a set-up; one that was changed begins anew.</summary>
    public static MapMemory Of(CompiledSetUp setUp) => setUp.Workings.Of<MapMemory>((_, _) => new MapMemory());

    public MapPairs Get(Purpose purpose, Dimension down, Dimension? across, Func<MapPairs> make)
    {
        if (known.TryGetValue((purpose, down, across), out var pairs))
            return pairs;
        if (known.Count >= Most)
            known.Clear();
        return known[(purpose, down, across)] = make();
    }
}
