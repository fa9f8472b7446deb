using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What makes combinations land elsewhere.</summary>
/// <param name="Set">Assignments to be there, new or with another account.</param>
/// <param name="Gone">Assignments to go.</param>
/// <param name="Moved">How many combinations land elsewhere by it.</param>
/// <param name="Left">How many should and cannot: the ladder has no rung that tells them from others.</param>
public sealed record Painted(IReadOnlyList<Assignment> Set, IReadOnlyList<Assignment> Gone, Int128 Moved, Int128 Left);

/// <summary>
/// Finds few assignments that make some combinations of a purpose land on other accounts, and change the landing of no
/// other one.
/// </summary>
/// <remarks>
/// Combinations that behave alike are one cell: records that are in one group, that no assignment names and that are
/// told alike. Every cell lists the keys that could decide for it in the order in which they are tried, so what a set
/// of assignments does is found by walking, and nothing is assumed. Chosen is, again and again, the key that mends most
/// cells and under which no cell would land wrong; what turns out not to be needed goes again. So what is done is exact;
/// that it is the fewest is not proved.
/// </remarks>
public sealed class Painting
{
    /// <summary>Cells with their keys, up to which it is tried; beyond, nothing is proposed.</summary>
    public const int MostKeys = 30_000_000;

    private readonly CompiledSetUp setUp;
    private readonly Purpose purpose;
    private readonly List<Cell> cells = [];
    private readonly Dictionary<string, int> numbers = new(StringComparer.Ordinal);
    private readonly List<Key> keys = [];

    // What each key decides now, by its number; null: it is not there, or is a tripwire that decides nothing.
    private readonly List<string?> accounts = [];

    // What the cells are told apart by, in the order of their tags.
    private List<Dimension> dimensions = [];

    private sealed record Key(Purpose At, IReadOnlyList<KeyPart> Parts);

    /// <summary>Combinations that behave alike.</summary>
    private sealed class Cell(string?[] tags, int[] keys, Int128 size)
    {
        public string?[] Tags { get; } = tags;
        public int[] Keys { get; } = keys;
        public Int128 Size { get; } = size;

        /// <summary>The place among its keys of the one that decides; as many as there are: none.</summary>
        public int At { get; set; }
        public string? Wanted { get; set; }
    }

    private sealed record Class(string? Tag, int Single, int Group, int Size);

    private Painting(CompiledSetUp setUp, Purpose purpose) => (this.setUp, this.purpose) = (setUp, purpose);

    /// <summary>Finds them.</summary>
    /// <param name="tagOf">What a record of an axis (see <see cref="Dimension"/>, its own and not its group's) is told
    /// apart by, given its code; null: nothing.</param>
    /// <param name="wanted">Where combinations are to land, by the tags of their records and the account they land on
    /// now; null: where they do.</param>
    /// <returns>Null where there are too many to be looked through.</returns>
    public static Painted? Of(
        CompiledSetUp setUp,
        Purpose purpose,
        Func<Dimension, string, string?> tagOf,
        Func<IReadOnlyDictionary<Dimension, string?>, string?, string?> wanted
    )
    {
        Painted? Tried(bool oneByOne)
        {
            var painting = new Painting(setUp, purpose);
            return painting.Fill(tagOf, oneByOne) ? painting.Paint(wanted) : null;
        }
        var done = Tried(false);
        // A rung may ask for a record where the group alone does not tell: then every record is told by itself.
        return done is not null && done.Left > 0 && Tried(true) is { } more && more.Left < done.Left ? more : done;
    }

    /// <summary>Tells of all combinations where they land, those together that are alike.</summary>
    /// <param name="each">Is given the tags of the records, the account, and how many there are.</param>
    /// <returns>False where there are too many to be looked through.</returns>
    public static bool Visit(
        CompiledSetUp setUp,
        Purpose purpose,
        Func<Dimension, string, string?> tagOf,
        Action<IReadOnlyDictionary<Dimension, string?>, string?, Int128> each
    )
    {
        var painting = new Painting(setUp, purpose);
        if (!painting.Fill(tagOf, false))
            return false;
        foreach (var cell in painting.cells)
            each(painting.TagsOf(cell), painting.Landed(cell), cell.Size);
        return true;
    }

    private IEnumerable<Assignment> Known =>
        setUp
            .Landings.AssignmentsOf(purpose)
            .Concat(setUp.Landings.BorrowOf(purpose) is { } from ? setUp.Landings.AssignmentsOf(from) : []);

    private bool Fill(Func<Dimension, string, string?> tagOf, bool oneByOne)
    {
        var axes = setUp.Memory.TakingPart.Of(purpose);
        var dims = PurposeCoverage.Dimensions(setUp.Landings, purpose);
        var among = axes.Where((_, a) => (dims & 1 << a) != 0).ToList();
        dimensions = among.ConvertAll(a => a.Single);
        var classes = among.Select(a => Classes(a, tagOf, oneByOne)).ToList();
        var combinations = classes.Aggregate(1.0, (n, c) => n * c.Count);
        if (combinations * setUp.Landings.LadderOf(purpose).Rungs.Count > MostKeys)
            return false;
        foreach (var (number, assignment) in Numbered())
            accounts[number] = Decides(assignment) ? assignment.Account : null;
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
            cells.Add(cell);
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

    private int Number(Purpose of, IReadOnlyList<KeyPart> key)
    {
        var said = Assignment.IdentityOf(of.Name, key);
        if (numbers.TryGetValue(said, out var known))
            return known;
        keys.Add(new Key(of, [.. key.OrderBy(p => p.Dimension)]));
        accounts.Add(null);
        return numbers[said] = keys.Count - 1;
    }

    // Records are told one by one where an assignment names them, where they have no group, and where those of their
    // group are told apart.
    private List<Class> Classes(Axis axis, Func<Dimension, string, string?> tagOf, bool oneByOne)
    {
        string? Tag(Leaf leaf) =>
            leaf.Single == 0 ? null : tagOf(axis.Single, setUp.Index.Key(axis.Single, leaf.Single));
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
        return
        [
            .. axis
                .Leaves.Select(l => (Leaf: l, Tag: Tag(l)))
                .GroupBy(l => (Single: alone.Contains(l.Leaf.Single) ? l.Leaf.Single : 0, l.Leaf.Group, l.Tag))
                .Select(g => new Class(g.Key.Tag, g.Key.Single, g.Key.Group, g.Count())),
        ];
    }

    private int Place(Cell cell)
    {
        var at = 0;
        while (at < cell.Keys.Length && accounts[cell.Keys[at]] is null)
            at++;
        return at;
    }

    private Dictionary<Dimension, string?> TagsOf(Cell cell)
    {
        var tags = new Dictionary<Dimension, string?>(dimensions.Count);
        for (var i = 0; i < dimensions.Count; i++)
            tags[dimensions[i]] = cell.Tags[i];
        return tags;
    }

    private string? Landed(Cell cell) => cell.At < cell.Keys.Length ? accounts[cell.Keys[cell.At]] : null;

    private Painted Paint(Func<IReadOnlyDictionary<Dimension, string?>, string?, string?> wanted)
    {
        var moved = Int128.Zero;
        foreach (var cell in cells)
        {
            var lands = Landed(cell);
            cell.Wanted = wanted(TagsOf(cell), lands) ?? lands;
            if (cell.Wanted != lands)
                moved += cell.Size;
        }
        var was = accounts.ToArray();
        var touched = new HashSet<int>();
        while (Step(touched)) { }
        Prune(touched);
        var left = cells.Where(c => Landed(c) != c.Wanted).Aggregate(Int128.Zero, (n, c) => n + c.Size);
        var changed = touched.Where(k => accounts[k] != was[k]).Order().ToList();
        return new Painted(
            [
                .. changed
                    .Where(k => accounts[k] is not null)
                    .Select(k => new Assignment(purpose.Name, accounts[k]!, keys[k].Parts)),
            ],
            [
                .. changed
                    .Where(k => accounts[k] is null)
                    .Select(k => new Assignment(purpose.Name, was[k]!, keys[k].Parts)),
            ],
            moved - left,
            left
        );
    }

    // Sets every key that mends something and under which nothing lands wrong, those that mend most first; whether
    // anything was set.
    private bool Step(HashSet<int> touched)
    {
        var only = new Dictionary<int, string?>();
        var mends = new Dictionary<int, int>();
        var mixed = new HashSet<int>();
        foreach (var cell in cells)
        {
            var wrong = Landed(cell) != cell.Wanted;
            for (var i = 0; i <= cell.At && i < cell.Keys.Length; i++)
            {
                var key = cell.Keys[i];
                if (keys[key].At != purpose)
                    break;
                if (!only.TryAdd(key, cell.Wanted) && only[key] != cell.Wanted)
                    mixed.Add(key);
                if (wrong)
                    mends[key] = mends.GetValueOrDefault(key) + 1;
            }
        }
        var safe = mends.Keys.Where(k => !mixed.Contains(k) && only[k] is not null).ToHashSet();
        if (safe.Count == 0)
            return false;
        var holders = new Dictionary<int, List<Cell>>();
        foreach (var cell in cells)
            for (var i = 0; i <= cell.At && i < cell.Keys.Length; i++)
                if (safe.Contains(cell.Keys[i]))
                    (holders.TryGetValue(cell.Keys[i], out var list) ? list : holders[cell.Keys[i]] = []).Add(cell);
        // Of keys that mend as much, one that is there already, then one that asks for less.
        foreach (
            var key in safe.OrderByDescending(k => mends[k])
                .ThenBy(k => accounts[k] is null)
                .ThenBy(k => keys[k].Parts.Count)
                .ThenBy(k => k)
        )
        {
            if (!holders[key].Exists(c => Landed(c) != c.Wanted))
                continue;
            accounts[key] = only[key];
            touched.Add(key);
            foreach (var cell in holders[key])
                cell.At = Place(cell);
        }
        return true;
    }

    // What was set and is not needed goes again, the narrowest first.
    private void Prune(HashSet<int> touched)
    {
        var holders = new Dictionary<int, List<Cell>>();
        foreach (var cell in cells)
        foreach (var key in cell.Keys)
            if (touched.Contains(key))
                (holders.TryGetValue(key, out var list) ? list : holders[key] = []).Add(cell);
        foreach (var key in touched.OrderByDescending(k => keys[k].Parts.Count).ThenBy(k => k))
        {
            if (keys[key].Parts.Count == 0)
                continue;
            var account = accounts[key];
            var before = holders[key].ConvertAll(c => Landed(c) == c.Wanted);
            accounts[key] = null;
            holders[key].ForEach(c => c.At = Place(c));
            var same = true;
            for (var i = 0; same && i < before.Count; i++)
                same = (Landed(holders[key][i]) == holders[key][i].Wanted) == before[i];
            if (same)
                continue;
            accounts[key] = account;
            holders[key].ForEach(c => c.At = Place(c));
        }
    }
}
