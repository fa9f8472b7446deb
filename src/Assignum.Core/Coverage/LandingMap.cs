using System.Collections.Concurrent;
using System.Runtime.CompilerServices;
using System.Security.Cryptography;
using System.Text;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>What a landing map is asked to show.</summary>
/// <param name="Down">What its rows are: the records' own dimension.</param>
/// <param name="Across">What its columns are; null: the ladder asks for nothing else.</param>
/// <param name="OpenDown">Keys of the rows that are open with their records listed, after <c>=</c> those whose records
/// stand together; <c>*</c>: all groups, so.</param>
public sealed record MapQuestion(
    Purpose Purpose,
    Dimension Down,
    Dimension? Across,
    IReadOnlyCollection<string> OpenDown,
    IReadOnlyCollection<string> OpenAcross
);

/// <summary>A cell of a landing map.</summary>
/// <param name="Account">Which of the map's accounts most of it lands on; −1: nowhere.</param>
/// <param name="Decider">Which of the map's assignments decides that; −1: none.</param>
/// <param name="Others">How many further accounts something in it lands on.</param>
/// <param name="Share">How much of it lands on the account, in whole percent, never 100 where others do.</param>
/// <param name="Sign">The gravest finding about an assignment that decides in it; 0: none.</param>
/// <param name="Then">Where most of it lands in the edition laid over it; −2: where it does here, wholly.</param>
public readonly record struct MapCell(int Account, int Decider, int Others, int Share, int Sign, int Then);

/// <summary>Some of what a cell is made of.</summary>
/// <param name="Account">Empty: nothing decides.</param>
/// <param name="Pairs">How many pairs of records land there.</param>
/// <param name="Example">One of them, by dimension.</param>
public sealed record MapPart(string Account, long Pairs, IReadOnlyDictionary<string, string> Example);

/// <summary>An assignment that decides in a map.</summary>
/// <param name="Assignment">Null: the account is written nowhere, nothing decides.</param>
/// <param name="Height">How high its rung stands on the ladder: 1 at the top, 0 the default.</param>
public sealed record MapDecider(Assignment Assignment, double Height, bool Borrowed);

/// <summary>
/// Where a purpose lands for all records of one kind with all of another, nothing else given, as rows and columns of
/// groups that open.
/// </summary>
/// <remarks>A closed group is worked out of all that is in it, record by record where an assignment names one: its cell
/// says how much of it lands on the account that most of it lands on. Nothing is sampled.</remarks>
public sealed class LandingMap
{
    /// <summary>Records with records, up to which those are told alone that assignments name.</summary>
    public const int MostPairs = 4_000_000;

    /// <summary>Cells that are shown at once.</summary>
    public const int MostCells = 120_000;

    private readonly MapAxis down;
    private readonly MapAxis across;

    private LandingMap(MapQuestion question, MapAxis down, MapAxis across) =>
        (Question, this.down, this.across) = (question, down, across);

    public MapQuestion Question { get; }
    public IReadOnlyList<MapLine> Rows { get; private set; } = [];
    public IReadOnlyList<MapLine> Columns { get; private set; } = [];

    /// <summary>Numbers of the accounts that something on it lands on, in their order.</summary>
    public IReadOnlyList<string> Accounts { get; private set; } = [];

    /// <summary>The assignments that decide something on it.</summary>
    public IReadOnlyList<MapDecider> Deciders { get; private set; } = [];

    /// <summary>Row by row.</summary>
    public MapCell[] Cells { get; private set; } = [];

    /// <summary>Columns were left out of account where they are named alone, because there are too many.</summary>
    public bool Coarse { get; private set; }

    /// <summary>More cells are open than are shown: the rest of the rows is left out.</summary>
    public bool Cut { get; private set; }

    /// <summary>A cell.</summary>
    public MapCell this[int row, int column] => Cells[row * Columns.Count + column];

    /// <summary>What a purpose's map can be of: the kinds of records that its ladder asks for, nested ones first.</summary>
    public static IReadOnlyList<Dimension> Sides(CompiledSetUp setUp, Purpose purpose)
    {
        var dims = PurposeCoverage.Dimensions(setUp.Landings, purpose);
        return [.. Axis.Kinds.Where((_, a) => (dims & 1 << a) != 0).Select(k => k.Single)];
    }

    /// <summary>What decides the landings of a purpose, as a short text: the same as long as nobody changes
    /// it.</summary>
    public static string Stamp(SetUp setUp, Purpose purpose)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        void Add(string line) => hash.AppendData(Encoding.UTF8.GetBytes(line + "\n"));
        var from = setUp.Borrows.FirstOrDefault(b => b.Purpose == purpose.Name)?.From;
        foreach (var of in new[] { purpose.Name, from }.OfType<string>())
        {
            Add(of);
            foreach (var row in setUp.Ladders.Where(l => l.Purpose == of).OrderBy(l => l.Position))
                Add(row.Rung.Name);
            Add(Stamps.GetOrCreateValue(setUp.Assignments).GetOrAdd(of, _ => StampOf(setUp.Assignments, of)));
        }
        return Convert.ToHexString(hash.GetHashAndReset(), 0, 8);
    }

    // A list of assignments is not changed, another takes its place.
    private static readonly ConditionalWeakTable<object, ConcurrentDictionary<string, string>> Stamps = [];

    private static string StampOf(IReadOnlyList<Assignment> assignments, string purpose)
    {
        using var hash = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        foreach (var assignment in assignments.Where(a => a.Purpose == purpose))
            hash.AppendData(Encoding.UTF8.GetBytes($"{assignment.Identity}\t{assignment.Account}\n"));
        return Convert.ToHexString(hash.GetHashAndReset());
    }

    /// <summary>The row and the column that show two records; −1: none does. Null: no record.</summary>
    public (int Row, int Column) PlaceOf(string? downCode, string? acrossCode) =>
        (down.LineOf(downCode) is var row && row < Rows.Count ? row : -1, across.LineOf(acrossCode));

    /// <summary>What a cell is made of: each account, how many pairs of records land on it, and one of them.</summary>
    public IReadOnlyList<MapPart> PartsOf(CompiledSetUp setUp, int row, int column)
    {
        var (rows, columns) = (Values(down.Atoms), Values(across.Atoms));
        var parts = new Dictionary<string, MapPart>(StringComparer.Ordinal);
        foreach (var (r, records) in down.Lines[row].Atoms)
        foreach (var (c, others) in across.Lines[column].Atoms)
        {
            var values = columns[c];
            for (var d = 0; d < LegValues.Count; d++)
                values[d] |= rows[r][d];
            var account = setUp.Landings.Resolve(Question.Purpose, values).Account ?? "";
            var weight = (long)records * others;
            if (parts.TryGetValue(account, out var part))
                parts[account] = part with { Pairs = part.Pairs + weight };
            else
                parts[account] = new MapPart(account, weight, Said(setUp, values));
        }
        return [.. parts.Values.OrderByDescending(p => p.Pairs).ThenBy(p => p.Account, StringComparer.Ordinal)];
    }

    private static IReadOnlyDictionary<string, string> Said(CompiledSetUp setUp, in LegValues values)
    {
        var said = new Dictionary<string, string>();
        foreach (var dimension in Enum.GetValues<Dimension>())
            if (values[dimension] != 0)
                said[Words.Of(dimension)] = setUp.Index.Key(dimension, values[dimension]);
        return said;
    }

    /// <summary>The map.</summary>
    /// <param name="signs">How grave a finding about an assignment is, by its identity; 0 and less: not at all.</param>
    /// <param name="over">An edition laid over it; null: none.</param>
    public static LandingMap Of(
        CompiledSetUp setUp,
        MapQuestion question,
        IReadOnlyDictionary<string, int>? signs = null,
        CompiledSetUp? over = null
    )
    {
        var axes = setUp.Memory.TakingPart.Of(question.Purpose);
        Axis? AxisOf(Dimension? of) => of is null ? null : axes[Kind(of.Value)];
        var (rows, columns) = (AxisOf(question.Down), AxisOf(question.Across));
        var (atomsDown, atomsAcross, coarse, answers) = over is null
            ? MapMemory.Of(setUp).Get(question.Purpose, question.Down, question.Across, Make)
            : Make();
        var down = new MapAxis(setUp, question.Purpose, atomsDown, [.. question.OpenDown]);
        var across = new MapAxis(setUp, question.Purpose, atomsAcross, [.. question.OpenAcross]);
        var map = new LandingMap(question, down, across) { Coarse = coarse };
        map.Fill(setUp, signs ?? new Dictionary<string, int>(), answers, over);
        return map;

        MapPairs Make()
        {
            HashSet<int> Named(Axis? axis) => axis is null ? [] : Alone(setUp, over, question.Purpose, axis);
            var (namedDown, namedAcross) = (Named(rows), Named(columns));
            var coarse =
                (long)(namedDown.Count + (rows?.Groups ?? 1)) * (namedAcross.Count + (columns?.Groups ?? 1))
                > MostPairs;
            if (coarse)
                namedAcross.Clear();
            var (down, across) = (new MapAtoms(rows, namedDown), new MapAtoms(columns, namedAcross));
            return new MapPairs(down, across, coarse, Answers(setUp, question.Purpose, Values(down), Values(across)));
        }
    }

    /// <summary>Few assignments that make a block of it land on an account, whatever else is given, and change nothing
    /// else; what comes into an empty group of the block lands there too.</summary>
    /// <returns>Null where there are too many combinations to be looked through.</returns>
    public Painted? Paint(CompiledSetUp setUp, IReadOnlySet<string> rows, IReadOnlySet<string> columns, string account)
    {
        var (inRows, inColumns) = (down.Covered(rows), across.Covered(columns));
        return Painting.Of(
            setUp,
            Question.Purpose,
            new CellField.Tags(
                (axis, leaf) =>
                    axis.Single == Question.Down ? Told(inRows(leaf))
                    : axis.Single == Question.Across ? Told(inColumns(leaf))
                    : null,
                axis =>
                    axis.Single == Question.Down ? down.Empty
                    : axis.Single == Question.Across ? across.Empty
                    : []
            ),
            (tags, _) =>
                tags.GetValueOrDefault(Question.Down) is not null
                && (Question.Across is { } other ? tags.GetValueOrDefault(other) is not null : inColumns(default))
                    ? account
                    : null
        );

        static string? Told(bool inside) => inside ? "in" : null;
    }

    private static int Kind(Dimension single) =>
        Enumerable.Range(0, Axis.Kinds.Count).First(k => Axis.Kinds[k].Single == single);

    // Records that an assignment names, and those that another edition has in other groups.
    private static HashSet<int> Alone(CompiledSetUp setUp, CompiledSetUp? over, Purpose purpose, Axis axis)
    {
        var alone = new HashSet<int>();
        foreach (var of in new[] { setUp, over }.OfType<CompiledSetUp>())
        foreach (var at in new[] { purpose, of.Landings.BorrowOf(purpose) }.OfType<Purpose>())
        foreach (var assignment in of.Landings.AssignmentsOf(at))
            if (assignment.Value(axis.Single) is { } code && setUp.Index.Of(axis.Single, code) is var number and > 0)
                alone.Add(number);
        if (over is not null && Axis.Kinds[axis.Kind].Group is { } group)
            foreach (var leaf in axis.Leaves.Where(l => l.Single != 0))
            {
                var code = setUp.Index.Key(axis.Single, leaf.Single);
                if (Code(setUp, group, leaf.Group) is var was && !GroupsOf(over, axis.Single, code).Any(Same))
                    alone.Add(leaf.Single);

                bool Same(int there) => Code(over, group, there) == was;
            }
        return alone;
    }

    private static string? Code(CompiledSetUp of, Dimension dimension, int number) =>
        number == 0 ? null : of.Index.Key(dimension, number);

    // The groups of a record, the likeliest first.
    private static IEnumerable<int> GroupsOf(CompiledSetUp of, Dimension single, string code) =>
        single switch
        {
            Dimension.Item => of.Item(code) is { } item ? [item.Group] : [],
            Dimension.Project => of.Project(code) is { } project ? [project.Group] : [],
            _ => of.Party(code) is { } party ? [party.CustomerGroup, party.SupplierGroup] : [],
        };

    private void Fill(CompiledSetUp setUp, IReadOnlyDictionary<string, int> signs, int[] answers, CompiledSetUp? over)
    {
        Columns = [.. across.Lines.Select(l => l.Line)];
        var most = Math.Max(1, MostCells / Columns.Count);
        Cut = down.Lines.Count > most;
        var lines = down.Lines.Take(most).ToList();
        Rows = [.. lines.Select(l => l.Line)];
        var here = new Decided(setUp, Question.Purpose, signs);
        var there = over is null ? null : new Decided(over, Question.Purpose, signs);
        var others = over is null
            ? null
            : Answers(over, Question.Purpose, Translated(setUp, over, down), Translated(setUp, over, across));
        Accounts =
        [
            .. here
                .Accounts.Concat(there?.Accounts ?? [])
                .Distinct(StringComparer.Ordinal)
                .Order(StringComparer.Ordinal),
        ];
        var places = Accounts.Select((a, i) => (a, i)).ToDictionary(x => x.a, x => x.i, StringComparer.Ordinal);
        // By answer, which of the map's accounts.
        int[] Places(Decided of)
        {
            int[] own = [.. of.Accounts.Select(a => places[a])];
            return [.. of.AccountOf.Select(a => own[a])];
        }
        var (placed, placedThere) = (Places(here), there is null ? [] : Places(there));
        var used = new int[here.Count];
        var cells = new MapCell[Rows.Count * Columns.Count];
        var width = across.Atoms.All.Count;
        Parallel.For(
            0,
            lines.Count,
            () => new Tally(Accounts.Count),
            (r, _, tally) =>
            {
                for (var c = 0; c < Columns.Count; c++)
                {
                    tally.Clear();
                    var differs = false;
                    foreach (var (row, rows) in lines[r].Atoms)
                    foreach (var (column, columns) in across.Lines[c].Atoms)
                    {
                        var weight = (long)rows * columns;
                        var at = answers[row * width + column];
                        var account = at < 0 ? -1 : placed[at];
                        tally.Add(account, at, weight, at < 0 || signs.Count == 0 ? 0 : here.Signs[at]);
                        if (others is null)
                            continue;
                        var then = others[row * width + column];
                        var thenAccount = then < 0 ? -1 : placedThere[then];
                        differs |= thenAccount != account;
                        tally.AddThen(thenAccount, weight);
                    }
                    cells[r * Columns.Count + c] = tally.Cell(differs);
                    if (tally.Decider >= 0)
                        Volatile.Write(ref used[tally.Decider], 1);
                }
                return tally;
            },
            _ => { }
        );
        // Only those that are seen are told.
        var numbers = new int[used.Length];
        var deciders = new List<MapDecider>();
        for (var i = 0; i < used.Length; i++)
            if (used[i] != 0)
            {
                numbers[i] = deciders.Count;
                deciders.Add(here.Told(i));
            }
        for (var i = 0; i < cells.Length; i++)
            if (cells[i].Decider >= 0)
                cells[i] = cells[i] with { Decider = numbers[cells[i].Decider] };
        (Cells, Deciders) = (cells, deciders);
    }

    private static LegValues[] Values(MapAtoms side) => [.. side.All.Select(a => Of(side.Of, a.Single, a.Group))];

    private static LegValues Of(Axis? axis, int single, int group)
    {
        var values = default(LegValues);
        if (axis is null)
            return values;
        values[axis.Single] = single;
        if (Axis.Kinds[axis.Kind].Group is { } groups)
            values[groups] = group;
        return values;
    }

    // The same records in another edition, with their groups there.
    private LegValues[] Translated(CompiledSetUp setUp, CompiledSetUp over, MapAxis side)
    {
        if (side.Of is not { } axis)
            return [default];
        var groups = Axis.Kinds[axis.Kind].Group;
        int Group(int number)
        {
            if (number == 0 || groups is null)
                return 0;
            var code = setUp.Index.Key(groups.Value, number);
            // Of two groups of one code the one of the same side.
            var nodes = setUp.Index.Nodes(groups.Value, code).ToList();
            var there = over.Index.Nodes(groups.Value, code).ToList();
            return there.Count == 0 ? 0 : there[Math.Min(Math.Max(0, nodes.IndexOf(number)), there.Count - 1)];
        }
        int GroupThere(Dimension single, string code, int same)
        {
            var there = GroupsOf(over, single, code).ToList();
            return there.Count == 0 || there.Contains(same) ? same
                : PartySides.Of(Question.Purpose) == PartySide.Suppliers || there[0] == 0 ? there[^1]
                : there[0];
        }
        return
        [
            .. side.Atoms.All.Select(a =>
            {
                if (a.Single == 0)
                    return Of(axis, 0, Group(a.Group));
                var code = setUp.Index.Key(axis.Single, a.Single);
                return Of(
                    axis,
                    over.Index.Of(axis.Single, code),
                    groups is null ? 0 : GroupThere(axis.Single, code, Group(a.Group))
                );
            }),
        ];
    }

    // What decides for pairs of records: numbers into one list of deciders.
    private sealed class Decided
    {
        private readonly LandingResolver landings;
        private readonly Purpose purpose;
        private readonly int own;

        public Decided(CompiledSetUp setUp, Purpose purpose, IReadOnlyDictionary<string, int> signs)
        {
            (landings, this.purpose) = (setUp.Landings, purpose);
            all =
            [
                .. landings.AssignmentsOf(purpose),
                .. landings.BorrowOf(purpose) is { } from ? landings.AssignmentsOf(from) : [],
            ];
            own = landings.AssignmentsOf(purpose).Count;
            Signs = new int[all.Length];
            var numbers = new Dictionary<string, int>(StringComparer.Ordinal);
            AccountOf = new int[all.Length];
            for (var i = 0; i < all.Length; i++)
            {
                if (signs.Count > 0)
                    Signs[i] = signs.GetValueOrDefault(all[i].Identity);
                if (!numbers.TryGetValue(all[i].Account, out var number))
                    numbers[all[i].Account] = number = numbers.Count;
                AccountOf[i] = number;
            }
            Accounts = [.. numbers.OrderBy(n => n.Value).Select(n => n.Key)];
        }

        private readonly Assignment[] all;

        /// <summary>How grave the findings of each are.</summary>
        public int[] Signs { get; }

        public int Count => all.Length;

        /// <summary>One, as it is told.</summary>
        public MapDecider Told(int number)
        {
            var of = number < own ? purpose : landings.BorrowOf(purpose)!;
            var rungs = landings.LadderOf(of).Rungs.Where(r => r != Rung.Line).ToList();
            var at = rungs.FindIndex(r => r.Set == all[number].Set);
            return new MapDecider(all[number], at < 0 ? 0 : 1.0 - at / (double)rungs.Count, of != purpose);
        }

        public IReadOnlyList<string> Accounts { get; }
        public int[] AccountOf { get; }
    }

    // What decides for pairs of records: numbers into the assignments of the purpose, then those of the one it borrows from.
    private static int[] Answers(CompiledSetUp setUp, Purpose purpose, LegValues[] rows, LegValues[] columns)
    {
        var landings = setUp.Landings;
        var own = landings.AssignmentsOf(purpose).Count;

        var answers = new int[rows.Length * columns.Length];
        Parallel.For(
            0,
            rows.Length,
            () => new LegValues[columns.Length],
            (r, _, legs) =>
            {
                for (var c = 0; c < columns.Length; c++)
                {
                    legs[c] = columns[c];
                    for (var d = 0; d < LegValues.Count; d++)
                        if (rows[r][d] != 0)
                            legs[c][d] = rows[r][d];
                }
                var into = answers.AsSpan(r * columns.Length, columns.Length);
                landings.ResolveAll(purpose, legs, into);
                foreach (ref var answer in into)
                    if (answer < -1)
                        answer = own - 2 - answer;
                return legs;
            },
            _ => { }
        );
        return answers;
    }

    // What one cell is made of.
    private sealed class Tally(int accounts)
    {
        private readonly long[] by = new long[accounts + 1];
        private readonly long[] then = new long[accounts + 1];
        private readonly int[] first = new int[accounts + 1];
        private readonly long[] firstWeight = new long[accounts + 1];
        private readonly List<int> seen = [];
        private readonly List<int> seenThen = [];
        private int sign;

        /// <summary>Which decides for most of it.</summary>
        public int Decider { get; private set; }

        public void Clear()
        {
            foreach (var at in seen)
                by[at] = firstWeight[at] = 0;
            foreach (var at in seenThen)
                then[at] = 0;
            seen.Clear();
            seenThen.Clear();
            sign = 0;
        }

        public void Add(int account, int decider, long weight, int grave)
        {
            var at = account + 1;
            if (by[at] == 0)
                seen.Add(at);
            by[at] += weight;
            if (weight > firstWeight[at])
                (first[at], firstWeight[at]) = (decider, weight);
            sign = Math.Max(sign, grave);
        }

        public void AddThen(int account, long weight)
        {
            if (then[account + 1] == 0)
                seenThen.Add(account + 1);
            then[account + 1] += weight;
        }

        public MapCell Cell(bool differs)
        {
            int most = seen[0],
                mostThen = -1;
            long all = 0;
            foreach (var at in seen)
            {
                all += by[at];
                if (by[at] > by[most])
                    most = at;
            }
            foreach (var at in seenThen)
                if (mostThen < 0 || then[at] > then[mostThen])
                    mostThen = at;
            Decider = first[most];
            var share = (int)(by[most] * 100 / all);
            return new MapCell(most - 1, Decider, seen.Count - 1, share, sign, differs ? mostThen - 1 : -2);
        }
    }
}
