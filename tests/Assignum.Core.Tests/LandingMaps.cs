using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using CsCheck;

namespace Assignum.Core.Tests;

/// <summary>A map says what asking for every pair of records says; what is painted on it changes the block and nothing
/// else.</summary>
public class LandingMaps
{
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 20;

    private static MapQuestion? Question(CompiledSetUp compiled, Purpose purpose, Random random)
    {
        var sides = LandingMap.Sides(compiled, purpose).OrderBy(_ => random.Next()).ToList();
        if (sides.Count == 0)
            return null;
        string[] Open() =>
            random.Next(4) == 0
                ? ["*"]
                :
                [
                    .. new[] { "g:G0", "g:G1", "g:G2", "g:G3", "c:G0", "c:G1", "s:G0", "s:G2", "ungrouped" }.Where(_ =>
                        random.Next(2) == 0
                    ),
                ];
        return new MapQuestion(purpose, sides[0], sides.Count > 1 ? sides[1] : null, Open(), Open());
    }

    private static Axis? AxisOf(CompiledSetUp compiled, Purpose purpose, Dimension? of) =>
        of is null ? null : compiled.Memory.TakingPart.Of(purpose).First(a => a.Single == of);

    // What a line stands for, by loops over the records.
    private static List<Leaf> Covered(CompiledSetUp compiled, Purpose purpose, Axis? axis, MapLine line)
    {
        if (axis is null)
            return [default];
        var group = Axis.Kinds[axis.Kind].Group;
        int NumberOf(string key) =>
            key[0] == 's'
                ? compiled.Index.OfGroup(Records.GroupKind.Supplier, key[2..])
                : compiled.Index.Nodes(group!.Value, key[2..]).First();
        if (line.Kind == MapLineKind.Group && axis.Single == Dimension.Party && line.Key[0] == 'g')
            return Lines(
                compiled.Index.OfGroup(
                    PartySides.Of(purpose) == PartySide.Suppliers
                        ? Records.GroupKind.Supplier
                        : Records.GroupKind.Customer,
                    line.Code!
                )
            );
        return line.Kind switch
        {
            MapLineKind.None => [default],
            MapLineKind.Ungrouped when line.Open => [default],
            MapLineKind.Ungrouped => [.. axis.Leaves.Where(l => l is { Single: not 0, Group: 0 })],
            MapLineKind.Record =>
            [
                .. axis.Leaves.Where(l =>
                    l.Single == compiled.Index.Of(axis.Single, line.Code!)
                    && (!line.Key.Contains('@') || l.Group == NumberOf(line.Key[(line.Key.IndexOf('@') + 1)..]))
                ),
            ],
            MapLineKind.Others => [],
            _ => Lines(NumberOf(line.Key)),
        };

        List<Leaf> Lines(int number)
        {
            var all = axis.Leaves.Where(l => axis.Below(l.Group, number)).ToList();
            if (line is { Open: true, Listed: false } && axis.Leaves.Any(l => l.Single != 0 && l.Group == number))
                return [.. axis.Leaves.Where(l => l.Single != 0 && l.Group == number)];
            return line.Open || all.Count == 0 ? [new Leaf(0, number)] : all;
        }
    }

    private static LegValues Values(Axis? axis, Leaf leaf, LegValues values)
    {
        if (axis is null)
            return values;
        values[axis.Single] = leaf.Single;
        if (Axis.Kinds[axis.Kind].Group is { } group)
            values[group] = leaf.Group;
        return values;
    }

    [Fact]
    public void Every_cell_says_what_asking_for_each_of_its_records_says()
    {
        int cells = 0,
            split = 0,
            differing = 0,
            opened = 0;
        Gen.Select(Coverages.Small, Gen.Int[0, int.MaxValue])
            .Sample(
                x =>
                {
                    var ((setUp, purpose), seed) = x;
                    var random = new Random(seed);
                    var compiled = new CompiledSetUp(setUp);
                    if (Question(compiled, purpose, random) is not { } question)
                        return;
                    // Another edition: some assignments elsewhere, some gone, an item in another group.
                    var other = new CompiledSetUp(
                        setUp with
                        {
                            Assignments =
                            [
                                .. setUp
                                    .Assignments.Where(_ => random.Next(5) > 0)
                                    .Select(a => random.Next(3) == 0 ? a with { Account = "4010" } : a),
                            ],
                            Items =
                            [
                                .. setUp.Items.Select(i =>
                                    random.Next(5) == 0 ? i with { Group = "G" + random.Next(4) } : i
                                ),
                            ],
                        }
                    );
                    var map = LandingMap.Of(compiled, question, null, other);
                    var (rows, columns) = (
                        AxisOf(compiled, purpose, question.Down),
                        AxisOf(compiled, purpose, question.Across)
                    );
                    for (var r = 0; r < map.Rows.Count; r++)
                    for (var c = 0; c < map.Columns.Count; c++)
                    {
                        var (row, column) = (map.Rows[r], map.Columns[c]);
                        if (row.Kind == MapLineKind.Others || column.Kind == MapLineKind.Others)
                            continue;
                        var found = new Dictionary<string, int>();
                        var differs = false;
                        foreach (var down in Covered(compiled, purpose, rows, row))
                        foreach (var across in Covered(compiled, purpose, columns, column))
                        {
                            var values = Values(rows, down, Values(columns, across, default));
                            var account = compiled.Landings.Resolve(purpose, values).Account ?? "";
                            found[account] = found.GetValueOrDefault(account) + 1;
                            var there = values;
                            if (values[Dimension.Item] != 0)
                                there[Dimension.ItemGroup] = other
                                    .Item(compiled.Index.Key(Dimension.Item, values[Dimension.Item]))!
                                    .Group;
                            differs |= (other.Landings.Resolve(purpose, there).Account ?? "") != account;
                        }
                        var cell = map[r, c];
                        (cell.Account < 0 ? "" : map.Accounts[cell.Account]).ShouldBeOneOf(
                            [.. found.Keys],
                            $"{question.Down} {row} / {question.Across} {column} " + string.Join(' ', question.OpenDown)
                        );
                        var most = found.Values.Max();
                        found[cell.Account < 0 ? "" : map.Accounts[cell.Account]].ShouldBe(most);
                        cell.Others.ShouldBe(found.Count - 1);
                        cell.Share.ShouldBe(most * 100 / found.Values.Sum());
                        (cell.Then != -2).ShouldBe(differs);
                        if (cell.Decider >= 0)
                            map.Deciders[cell.Decider].Assignment.Account.ShouldBe(map.Accounts[cell.Account]);
                        cells++;
                        split += cell.Others > 0 ? 1 : 0;
                        differing += differs ? 1 : 0;
                        opened += row.Open ? 1 : 0;
                    }
                },
                iter: 500 * Times,
                threads: 1
            );
        cells.ShouldBeGreaterThan(3500 * Times);
        split.ShouldBeGreaterThan(35 * Times);
        differing.ShouldBeGreaterThan(350 * Times);
        opened.ShouldBeGreaterThan(350 * Times);
    }

    [Fact]
    public void A_painted_block_of_a_map_lands_there_whatever_else_is_given_and_nothing_else_moves()
    {
        int painted = 0,
            unreached = 0,
            empty = 0;
        Gen.Select(Coverages.Small, Gen.Int[0, int.MaxValue])
            .Sample(
                x =>
                {
                    var ((setUp, purpose), seed) = x;
                    var random = new Random(seed);
                    var compiled = new CompiledSetUp(setUp);
                    if (Question(compiled, purpose, random) is not { } question)
                        return;
                    var map = LandingMap.Of(compiled, question);
                    HashSet<string> Some(IReadOnlyList<MapLine> lines) =>
                        [
                            .. lines
                                .Where(l =>
                                    l
                                        is not (
                                            { Kind: MapLineKind.Others }
                                            or { Kind: MapLineKind.Ungrouped, Open: true }
                                        )
                                    && random.Next(2) == 0
                                )
                                .Select(l => l.Key),
                        ];
                    var (rows, columns) = (Some(map.Rows), Some(map.Columns));
                    var (down, across) = (
                        AxisOf(compiled, purpose, question.Down),
                        AxisOf(compiled, purpose, question.Across)
                    );
                    HashSet<Leaf> Chosen(IReadOnlyList<MapLine> lines, HashSet<string> keys, Axis? axis) =>
                        [
                            .. lines
                                .Where(l => keys.Contains(l.Key))
                                .SelectMany(l => Covered(compiled, purpose, axis, l)),
                        ];
                    var (inRows, inColumns) = (Chosen(map.Rows, rows, down), Chosen(map.Columns, columns, across));
                    var done = map.Paint(compiled, rows, columns, "4030")!;
                    var faults = new List<Fault>();
                    var edits = done.Rows(setUp).Select((c, i) => (i, c.Key, c.After)).ToList();
                    var next = new CompiledSetUp(Parts.Assignments.With(setUp, edits, faults));
                    faults.ShouldBeEmpty();
                    Int128 moved = 0,
                        missed = 0;
                    bool In(Axis? axis, HashSet<Leaf> chosen, LegValues values) =>
                        axis is null
                            ? chosen.Count > 0
                            : chosen.Contains(
                                new Leaf(
                                    values[axis.Single],
                                    Axis.Kinds[axis.Kind].Group is { } group ? values[group] : 0
                                )
                            );
                    foreach (
                        var values in Coverages.Walk(
                            compiled.Memory.TakingPart.Of(purpose),
                            PurposeCoverage.Dimensions(compiled.Landings, purpose)
                        )
                    )
                    {
                        var (was, now) = (
                            compiled.Landings.Resolve(purpose, values).Account,
                            next.Landings.Resolve(purpose, values).Account
                        );
                        if (!In(down, inRows, values) || !In(across, inColumns, values) || was == "4030")
                            now.ShouldBe(was);
                        else if (now == "4030")
                            moved++;
                        else
                        {
                            now.ShouldBe(was);
                            missed++;
                        }
                    }
                    moved.ShouldBe(done.Moved);
                    missed.ShouldBe(done.Left);
                    painted += moved > 0 ? 1 : 0;
                    unreached += missed > 0 ? 1 : 0;
                    // What comes into an empty group lands as the block does, and else as it did.
                    if (down is null || Axis.Kinds[down.Kind].Group is null || missed > 0)
                        return;
                    // With whatever a combination has on the other sides.
                    var rest =
                        PurposeCoverage.Dimensions(compiled.Landings, purpose)
                        & ~(1 << down.Kind)
                        & ~(across is null ? 0 : 1 << across.Kind);
                    var others = Coverages.Walk(compiled.Memory.TakingPart.Of(purpose), rest).Take(200).ToList();
                    foreach (var line in map.Rows.Where(l => l.Kind == MapLineKind.Group && l.Records == 0))
                    foreach (var leaf in Covered(compiled, purpose, down, line))
                    foreach (var other in across?.Leaves ?? [default])
                    foreach (var third in others)
                    {
                        var values = Values(down, leaf, Values(across, other, third));
                        var now = next.Landings.Resolve(purpose, values).Account;
                        if (inRows.Contains(leaf) && In(across, inColumns, values))
                            empty += now == "4030" ? 1 : 0;
                        else
                            now.ShouldBe(compiled.Landings.Resolve(purpose, values).Account);
                    }
                },
                iter: 500 * Times,
                threads: 1
            );
        painted.ShouldBeGreaterThan(70 * Times);
        unreached.ShouldBeGreaterThan(3 * Times);
        empty.ShouldBeGreaterThan(14 * Times);
    }
}
