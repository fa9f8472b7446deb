namespace Assignum.Core.Landing;

/// <summary>The assignments of one rung of one purpose, ready to be asked.</summary>
/// <remarks>
/// Nested dimensions are walked outward here, the last listed one first. Where the combinations of a rung are few, all
/// walks are done when compiling and a lookup is one array read.
/// </remarks>
internal sealed class RungTable
{
    private const int DenseLimit = 1 << 20;
    private const int DenseForOne = 1 << 22;
    private const int KeyBits = 21;

    private readonly LandingIndex index;
    private readonly IReadOnlyList<(int Number, Assignment Assignment)> held;
    private readonly int[] dimensions;
    private readonly PackedTable table;
    private readonly int[]? dense;
    private readonly int denseWidth;
    private readonly int first;
    private readonly int second;

    public RungTable(LandingIndex index, Rung rung, IReadOnlyList<(int Number, Assignment Assignment)> assignments)
    {
        this.index = index;
        held = assignments;
        Rung = rung;
        dimensions = [.. rung.Dimensions.Select(d => (int)d)];
        var entries = new Dictionary<ulong, int>();
        foreach (var (number, assignment) in assignments)
        foreach (var key in Keys(assignment, 0, 0))
            entries[key] = number;
        table = new PackedTable(entries);

        if (dimensions.Length > 2 || assignments.Count == 0)
            return;
        // Of values that do not nest, up to the last that is named: beyond it nothing holds.
        int Room(int dimension) =>
            LandingIndex.IsNested((Dimension)dimension)
                ? index.Size((Dimension)dimension)
                : assignments
                    .SelectMany(a =>
                        index.Nodes((Dimension)dimension, a.Assignment.Value((Dimension)dimension)!).DefaultIfEmpty(0)
                    )
                    .Max() + 1;
        denseWidth = dimensions.Length == 2 ? Room(dimensions[1]) : 1;
        var size = (long)Room(dimensions[0]) * denseWidth;
        // One dimension: an array of all its values costs one miss of the cache, a hash table two.
        if (size > (dimensions.Length == 1 ? DenseForOne : DenseLimit))
            return;
        (first, second) = (dimensions[0], dimensions.Length == 2 ? dimensions[1] : -1);
        var answers = new int[size];
        var values = default(LegValues);
        for (var i = 0; i < answers.Length; i++)
        {
            values[first] = i / denseWidth;
            if (second >= 0)
                values[second] = i % denseWidth;
            answers[i] = Walk(values, 0, 0);
        }
        dense = answers;
    }

    public Rung Rung { get; }

    /// <summary>Whether it holds these keys under these numbers; accounts are not its concern.</summary>
    public bool Holds(IEnumerable<(int Number, Assignment Assignment)> assignments)
    {
        var i = 0;
        foreach (var (number, assignment) in assignments)
            if (
                i >= held.Count
                || held[i].Number != number
                || !ReferenceEquals(held[i].Assignment, assignment)
                    && !held[i].Assignment.Key.SequenceEqual(assignment.Key)
            )
                return false;
            else
                i++;
        return i == held.Count;
    }

    /// <summary>The number of the assignment that holds, or −1. Values of all the rung's dimensions must be
    /// present.</summary>
    public int Find(in LegValues values)
    {
        if (dense is null)
            return Walk(values, 0, 0);
        if (second < 0)
            return (uint)values[first] < (uint)dense.Length ? dense[values[first]] : -1;
        var (row, column) = (values[first], values[second]);
        var at = (long)row * denseWidth + column;
        return column < denseWidth && at < dense.Length ? dense[at] : -1;
    }

    /// <summary>The same with one assignment taken as not there.</summary>
    public int FindOther(in LegValues values, int without)
    {
        foreach (var dimension in dimensions)
            if (values[dimension] == 0)
                return -1;
        return Walk(values, 0, 0, without);
    }

    /// <summary>The values of a dimension for which one of some assignments could hold: those they name, and where
    /// they nest, all that are in them.</summary>
    public static IEnumerable<int> Reach(LandingIndex index, Dimension dimension, IEnumerable<Assignment> assignments)
    {
        var named = new HashSet<int>();
        foreach (var assignment in assignments)
        foreach (var node in index.Nodes(dimension, assignment.Value(dimension)!))
            named.Add(node);
        if (!LandingIndex.IsNested(dimension) || named.Count == 0)
            return named;
        var reached = new List<int>();
        for (var number = 1; number < index.Size(dimension); number++)
        for (var at = number; at != 0; at = index.Parent(dimension, at))
            if (named.Contains(at))
            {
                reached.Add(number);
                break;
            }
        return reached;
    }

    private int Walk(in LegValues values, int position, ulong packed, int without = -1)
    {
        var dimension = (Dimension)dimensions[position];
        var nested = LandingIndex.IsNested(dimension);
        for (var at = values[dimension]; at != 0; at = nested ? index.Parent(dimension, at) : 0)
        {
            var key = packed << KeyBits | (uint)at;
            var found = position + 1 == dimensions.Length ? table.Find(key) : Walk(values, position + 1, key, without);
            if (found >= 0 && found != without)
                return found;
        }
        return -1;
    }

    private IEnumerable<ulong> Keys(Assignment assignment, int position, ulong packed)
    {
        if (position == dimensions.Length)
        {
            yield return packed;
            yield break;
        }
        var dimension = (Dimension)dimensions[position];
        foreach (var node in index.Nodes(dimension, assignment.Value(dimension)!))
        foreach (var key in Keys(assignment, position + 1, packed << KeyBits | (uint)node))
            yield return key;
    }
}
