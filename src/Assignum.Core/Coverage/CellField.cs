using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>Combinations that behave alike: records that are in one group, that no assignment names and that are told
/// alike.</summary>
/// <param name="tags">What its records are told apart by, in the order of <see cref="CellField.Dimensions"/>.</param>
/// <param name="keys">The numbers of the keys that could decide for it, in the order in which they are tried.</param>
/// <param name="size">How many combinations it is.</param>
internal sealed class Cell(string?[] tags, int[] keys, Int128 size)
{
    public string?[] Tags { get; } = tags;
    public int[] Keys { get; } = keys;
    public Int128 Size { get; } = size;

    /// <summary>The place among its keys of the one that decides; as many as there are: none.</summary>
    public int At { get; set; }

    /// <summary>Where it is to land.</summary>
    public string? Wanted { get; set; }
}

/// <summary>All combinations of a purpose as cells, each with the keys that could decide for it: what a set of
/// assignments does is found by walking, and nothing is assumed.</summary>
internal sealed class CellField
{
    private readonly CompiledSetUp setUp;
    private readonly Purpose purpose;
    private readonly Dictionary<string, int> numbers = new(StringComparer.Ordinal);
    private readonly List<Key> keys = [];

    /// <summary>A key that an assignment of a purpose could have.</summary>
    internal sealed record Key(Purpose At, IReadOnlyList<KeyPart> Parts);

    private sealed record Class(string? Tag, int Single, int Group, int Size);

    private CellField(CompiledSetUp setUp, Purpose purpose) => (this.setUp, this.purpose) = (setUp, purpose);

    /// <summary>What records of an axis are told apart by.</summary>
    /// <param name="Of">A record's tag; null: nothing.</param>
    /// <param name="Beside">Groups that nothing stands in, which are told as if something did; null: none are.</param>
    public sealed record Tags(Func<Axis, Leaf, string?> Of, Func<Axis, IEnumerable<Leaf>>? Beside = null);

    public List<Cell> Cells { get; } = [];

    /// <summary>What each key decides now, by its number; null: it is not there, or is a tripwire that decides
    /// nothing.</summary>
    public List<string?> Accounts { get; } = [];

    /// <summary>What the cells are told apart by.</summary>
    public List<Dimension> Dimensions { get; private set; } = [];

    /// <summary>How many keys there are.</summary>
    public int Count => keys.Count;

    /// <summary>A key by its number.</summary>
    public Key this[int number] => keys[number];

    /// <summary>Whether a key is one of the purpose itself, and not of the one that it borrows from.</summary>
    public bool Own(int number) => keys[number].At == purpose;

    /// <summary>The cells of a purpose.</summary>
    /// <param name="oneByOne">Every record is told by itself.</param>
    /// <param name="mostKeys">Cells with their keys, up to which they are told.</param>
    /// <returns>Null where there are too many.</returns>
    public static CellField? Of(CompiledSetUp setUp, Purpose purpose, Tags tags, bool oneByOne, int mostKeys)
    {
        var field = new CellField(setUp, purpose);
        return field.Fill(tags, oneByOne, mostKeys) ? field : null;
    }

    private IEnumerable<Assignment> Known =>
        setUp
            .Landings.AssignmentsOf(purpose)
            .Concat(setUp.Landings.BorrowOf(purpose) is { } from ? setUp.Landings.AssignmentsOf(from) : []);

    private bool Fill(Tags tell, bool oneByOne, int mostKeys)
    {
        var axes = setUp.Memory.TakingPart.Of(purpose);
        var dims = PurposeCoverage.Dimensions(setUp.Landings, purpose);
        var among = axes.Where((_, a) => (dims & 1 << a) != 0).ToList();
        Dimensions = among.ConvertAll(a => a.Single);
        var classes = among.Select(a => Classes(a, tell, oneByOne)).ToList();
        var combinations = classes.Aggregate(1.0, (n, c) => n * c.Count);
        if (combinations * setUp.Landings.LadderOf(purpose).Rungs.Count > mostKeys)
            return false;
        foreach (var (number, assignment) in Numbered())
            Accounts[number] = Decides(assignment) ? assignment.Account : null;
        var at = new Class[among.Count];
        var tags = new string?[among.Count];
        Walk(0, Int128.One);
        return true;

        void Walk(int axis, Int128 size)
        {
            if (axis < among.Count)
            {
                foreach (var one in classes[axis])
                {
                    (at[axis], tags[axis]) = (one, one.Tag);
                    Walk(axis + 1, size * one.Size);
                }
                return;
            }
            var own = new List<int>();
            foreach (var of in new[] { purpose, setUp.Landings.BorrowOf(purpose) }.OfType<Purpose>())
            {
                foreach (var rung in setUp.Landings.LadderOf(of).Rungs.Where(r => r != Rung.Line))
                    Keys(of, rung, 0, new KeyPart[rung.Dimensions.Count], own);
                own.Add(Number(of, []));
            }
            var cell = new Cell([.. tags], [.. own], size);
            cell.At = Place(cell);
            Cells.Add(cell);
        }

        void Keys(Purpose of, Rung rung, int d, KeyPart[] key, List<int> into)
        {
            if (d == rung.Dimensions.Count)
            {
                into.Add(Number(of, [.. key]));
                return;
            }
            var dimension = rung.Dimensions[d];
            var axis = among.FindIndex(a => a.Single == dimension || Axis.Kinds[a.Kind].Group == dimension);
            if (axis < 0)
                return;
            var nodes =
                among[axis].Single == dimension ? among[axis].Up(at[axis].Single) : among[axis].Chain(at[axis].Group);
            foreach (var node in nodes)
            {
                key[d] = new KeyPart(dimension, setUp.Index.Key(dimension, node));
                Keys(of, rung, d + 1, key, into);
            }
        }
    }

    private IEnumerable<(int Number, Assignment Assignment)> Numbered()
    {
        foreach (var of in new[] { purpose, setUp.Landings.BorrowOf(purpose) }.OfType<Purpose>())
        foreach (var assignment in setUp.Landings.AssignmentsOf(of))
            yield return (Number(of, assignment.Key), assignment);
    }

    private bool Decides(Assignment a) => a.Set == 0 || !setUp.Memory.Tripwires.Contains(a.Account);

    /// <summary>The number of a key.</summary>
    private int Number(Purpose of, IReadOnlyList<KeyPart> key)
    {
        var said = Assignment.IdentityOf(of.Name, key);
        if (numbers.TryGetValue(said, out var known))
            return known;
        keys.Add(new Key(of, [.. key.OrderBy(p => p.Dimension)]));
        Accounts.Add(null);
        return numbers[said] = keys.Count - 1;
    }

    // Records are told one by one where an assignment names them, where they have no group, and where those of their
    // group are told apart.
    private List<Class> Classes(Axis axis, Tags tell, bool oneByOne)
    {
        string? Tag(Leaf leaf) => tell.Of(axis, leaf);
        var named = Known
            .Select(a => a.Value(axis.Single))
            .OfType<string>()
            .Select(c => setUp.Index.Of(axis.Single, c))
            .ToHashSet();
        var alike = axis
            .Leaves.Where(l => l.Group != 0 && l.Single != 0)
            .GroupBy(l => l.Group)
            .Where(g => g.Select(Tag).Distinct().Count() == 1)
            .Select(g => g.Key)
            .ToHashSet();
        // Whoever stands in two groups and is told alone in one of them is told alone in both.
        var alone = axis
            .Leaves.Where(l =>
                l.Single != 0
                && (
                    oneByOne
                    || !alike.Contains(l.Group)
                    || axis.Single == Dimension.Project
                    || axis.Up(l.Single).Any(named.Contains)
                )
            )
            .Select(l => l.Single)
            .ToHashSet();
        var empty = (tell.Beside?.Invoke(axis) ?? []).Where(l => !axis.Direct.ContainsKey(l.Group));
        return
        [
            .. empty.Select(l => new Class(Tag(l), 0, l.Group, 0)),
            .. axis
                .Leaves.Select(l => (Leaf: l, Tag: Tag(l)))
                .GroupBy(l => (Single: alone.Contains(l.Leaf.Single) ? l.Leaf.Single : 0, l.Leaf.Group, l.Tag))
                .Select(g => new Class(g.Key.Tag, g.Key.Single, g.Key.Group, g.Count())),
        ];
    }

    /// <summary>The place of the key that decides now.</summary>
    public int Place(Cell cell)
    {
        var at = 0;
        while (at < cell.Keys.Length && Accounts[cell.Keys[at]] is null)
            at++;
        return at;
    }

    /// <summary>What a cell's records are told apart by.</summary>
    public Dictionary<Dimension, string?> TagsOf(Cell cell)
    {
        var tags = new Dictionary<Dimension, string?>(Dimensions.Count);
        for (var i = 0; i < Dimensions.Count; i++)
            tags[Dimensions[i]] = cell.Tags[i];
        return tags;
    }

    /// <summary>Where a cell lands; null: nowhere.</summary>
    public string? Landed(Cell cell) => cell.At < cell.Keys.Length ? Accounts[cell.Keys[cell.At]] : null;

    /// <summary>The purpose's own assignments that are there now and were not, or had another account, and those that are
    /// gone.</summary>
    /// <param name="was">What each key decided before.</param>
    public (IReadOnlyList<Assignment> Set, IReadOnlyList<Assignment> Gone) Changes(IReadOnlyList<string?> was)
    {
        var (set, gone) = (new List<Assignment>(), new List<Assignment>());
        for (var k = 0; k < keys.Count; k++)
            if (Own(k) && Accounts[k] != was[k])
                (Accounts[k] is null ? gone : set).Add(
                    new Assignment(purpose.Name, Accounts[k] ?? was[k]!, keys[k].Parts)
                );
        return (set, gone);
    }
}
