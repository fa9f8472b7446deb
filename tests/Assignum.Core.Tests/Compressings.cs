using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Fewer assignments land every combination exactly as before.</summary>
public class Compressings
{
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 20;

    private static CompiledSetUp With(SetUp setUp, Compressed compressed)
    {
        var faults = new List<Fault>();
        var edits = compressed.Rows(setUp).Select((c, i) => (i, c.Key, c.After)).ToList();
        var next = Parts.Assignments.With(setUp, edits, faults);
        faults.ShouldBeEmpty();
        return new CompiledSetUp(next);
    }

    private static List<LegValues> All(CompiledSetUp compiled, Purpose purpose) =>
        [
            .. Coverages.Walk(
                compiled.Memory.TakingPart.Of(purpose),
                PurposeCoverage.Dimensions(compiled.Landings, purpose)
            ),
        ];

    [Fact]
    public void A_compressed_set_lands_every_combination_as_before_and_is_proved_to()
    {
        int shrunk = 0,
            exact = 0,
            freed = 0,
            tries = 0;
        Coverages.Small.Sample(
            x =>
            {
                var (setUp, purpose) = x;
                var compiled = new CompiledSetUp(setUp);
                var values = All(compiled, purpose);
                var plain = Compressing.Of(compiled, purpose)!;
                var next = With(setUp, plain);
                foreach (var one in values)
                    next.Landings.Resolve(purpose, one)
                        .Account.ShouldBe(compiled.Landings.Resolve(purpose, one).Account);
                plain.Combinations.ShouldBe(values.Count);
                plain.After.ShouldBeLessThanOrEqualTo(plain.Before);
                plain.AtLeast.ShouldBeLessThanOrEqualTo(plain.After);
                next.Landings.AssignmentsOf(purpose)
                    .Count.ShouldBe(compiled.Landings.AssignmentsOf(purpose).Count - plain.Before + plain.After);
                LandingProof.Of(compiled, next, purpose)!.ShouldBe(new LandingProof(values.Count, 0, null));
                // Once more finds nothing.
                if (plain.Exact)
                    Compressing.Of(next, purpose)!.After.ShouldBe(plain.After);
                tries++;
                shrunk += plain.After < plain.Before ? 1 : 0;
                exact += plain.Exact ? 1 : 0;

                // The same with a tripwire below it all.
                setUp = setUp with
                {
                    Assignments =
                    [
                        .. setUp.Assignments.Where(a => a.Purpose != purpose.Name || a.Key.Count > 0),
                        Assign(purpose, "4020"),
                    ],
                    Accounts = [.. setUp.Accounts.Select(a => a.Number == "4020" ? a with { Tripwire = true } : a)],
                };
                compiled = new CompiledSetUp(setUp);
                var free = Compressing.Of(compiled, purpose, true)!;
                var freely = With(setUp, free);
                free.After.ShouldBeLessThanOrEqualTo(Compressing.Of(compiled, purpose)!.After);
                free.Free.ShouldBe(
                    values.Count(v =>
                        compiled.Landings.Resolve(purpose, v).Account is { } a && compiled.Account(a)!.Tripwire
                    )
                );
                Int128 elsewhere = 0;
                foreach (var one in values)
                {
                    var (was, now) = (
                        compiled.Landings.Resolve(purpose, one).Account,
                        freely.Landings.Resolve(purpose, one).Account
                    );
                    if (was is not null && compiled.Account(was)!.Tripwire)
                    {
                        now.ShouldNotBeNull();
                        elsewhere += now == was ? 0 : 1;
                    }
                    else
                        now.ShouldBe(was);
                }
                free.Elsewhere.ShouldBe(elsewhere);
                freed += free.Elsewhere > 0 ? 1 : 0;
            },
            iter: 1_100 * Times,
            threads: 1
        );
        shrunk.ShouldBeGreaterThan(tries / 4);
        exact.ShouldBeGreaterThan(tries * 9 / 10);
        freed.ShouldBeGreaterThan(10 * Times);
    }

    [Fact]
    public void What_is_said_to_be_smallest_is_smaller_than_every_set_with_one_less()
    {
        var (proved, looked) = (0, 0L);
        Coverages.Small.Sample(
            x =>
            {
                var (setUp, purpose) = x;
                var compiled = new CompiledSetUp(setUp);
                var found = Compressing.Of(compiled, purpose)!;
                var values = All(compiled, purpose);
                var landed = values.ConvertAll(v => compiled.Landings.Resolve(purpose, v).Account);
                var accounts = landed.OfType<string>().Distinct().ToList();
                // Every key that could decide for one of them.
                var keys = new Dictionary<string, Assignment>();
                foreach (var one in values)
                foreach (var rung in compiled.Landings.LadderOf(purpose).Rungs.Append(Rung.Default))
                {
                    IEnumerable<KeyPart[]> of =
                    [
                        [],
                    ];
                    foreach (var d in rung.Dimensions)
                    {
                        var value = one;
                        of = of.SelectMany(k =>
                                compiled
                                    .Index.Chain(d, value[d])
                                    .Take(LandingIndex.IsNested(d) ? 9 : 1)
                                    .Select(c => (KeyPart[])[.. k, new KeyPart(d, c)])
                            )
                            .ToList();
                    }
                    foreach (var key in of)
                    {
                        var made = new Assignment(purpose.Name, "", [.. key.OrderBy(p => p.Dimension)]);
                        keys.TryAdd(made.Identity, made);
                    }
                }
                var kept = compiled
                    .Landings.AssignmentsOf(purpose)
                    .FirstOrDefault(a => a.Key.Count == 0 && compiled.Account(a.Account)!.Tripwire);
                var has = compiled.Landings.AssignmentsOf(purpose).Any(a => a.Key.Count == 0);
                var (n, less) = (keys.Count, found.After - 1);
                if (!found.Exact || less < 1 || Sets(n, less) * Math.Pow(accounts.Count, less) is > 400 or < 1)
                    return;
                var others = setUp.Assignments.Where(a => a.Purpose != purpose.Name).ToList();
                foreach (var set in Choose([.. keys.Values], less, accounts))
                {
                    if (has && !set.Exists(a => a.Key.Count == 0))
                        continue;
                    if (kept is not null && !set.Exists(a => a.Key.Count == 0 && a.Account == kept.Account))
                        continue;
                    looked++;
                    var next = new CompiledSetUp(setUp with { Assignments = [.. others, .. set] }, compiled);
                    Enumerable
                        .Range(0, values.Count)
                        .All(i => next.Landings.Resolve(purpose, values[i]).Account == landed[i])
                        .ShouldBeFalse();
                }
                proved++;
            },
            iter: 300 * Times,
            threads: 1
        );
        proved.ShouldBeGreaterThan(30 * Times);
        looked.ShouldBeGreaterThan(700 * Times);
    }

    private static double Sets(int n, int k)
    {
        var all = 1.0;
        for (var i = 0; i < k; i++)
            all = all * (n - i) / (i + 1);
        return all;
    }

    private static IEnumerable<List<Assignment>> Choose(List<Assignment> keys, int count, List<string> accounts)
    {
        if (count == 0)
        {
            yield return [];
            yield break;
        }
        for (var i = 0; i <= keys.Count - count; i++)
            foreach (var rest in Choose(keys[(i + 1)..], count - 1, accounts))
            foreach (var account in accounts)
                yield return [keys[i] with { Account = account }, .. rest];
    }

    [Fact]
    public void Forty_one_item_assignments_give_way_to_one_of_their_group()
    {
        var setUp = Shop with
        {
            Groups = [new(GroupKind.Item, "HATS", "Hats", null), new(GroupKind.Item, "REST", "Rest", null)],
            Items =
            [
                .. Enumerable.Range(1, 41).Select(i => Hat($"HAT-{i:00}", "HATS")),
                Hat("PIN-1", "REST"),
                Hat("PIN-2", "REST"),
            ],
            Assignments =
            [
                Assign(Purposes.SalesRevenue, "4000"),
                .. Enumerable
                    .Range(1, 41)
                    .Select(i => Assign(Purposes.SalesRevenue, "4010", (Dimension.Item, $"HAT-{i:00}"))),
            ],
        };
        var compiled = new CompiledSetUp(setUp);
        var found = Compressing.Of(compiled, Purposes.SalesRevenue)!;
        found.Exact.ShouldBeTrue();
        (found.Before, found.After, found.AtLeast).ShouldBe((42, 2, 2));
        found.Gone.Count.ShouldBe(41);
        var one = found.Set.ShouldHaveSingleItem();
        one.ShouldBe(Assign(Purposes.SalesRevenue, "4010", (Dimension.ItemGroup, "HATS")), new SameAssignment());
        var next = With(setUp, found);
        LandingProof.Of(compiled, next, Purposes.SalesRevenue)!.Moved.ShouldBe(0);

        // Two of the group that land elsewhere are exceptions: one assignment for the group and two for them.
        var odd = setUp with { Items = [.. setUp.Items, Hat("HAT-42", "HATS"), Hat("HAT-43", "HATS")] };
        var less = Compressing.Of(new CompiledSetUp(odd), Purposes.SalesRevenue)!;
        (less.Before, less.After, less.Exact).ShouldBe((42, 4, true));
        less.Set.Count(a => a.Account == "4000").ShouldBe(2);

        // Where the default is a tripwire and those two reach it, they need not: the group takes them.
        var trip = odd with
        {
            Accounts = [.. odd.Accounts.Select(a => a.Number == "4000" ? a with { Tripwire = true } : a)],
        };
        var freely = Compressing.Of(new CompiledSetUp(trip), Purposes.SalesRevenue, true)!;
        (freely.After, freely.Free > 0, freely.Elsewhere > 0).ShouldBe((2, true, true));
        // A proof that is walked sees what moves: without the group nothing of it is left.
        var broken = new CompiledSetUp(
            next.SetUp with
            {
                Assignments = [.. next.SetUp.Assignments.Where(a => a.Key.Count == 0)],
            }
        );
        var seen = LandingProof.Of(compiled, broken, Purposes.SalesRevenue)!;
        seen.Moved.ShouldBe(seen.Combinations * 41 / 44);
        seen.First!.ShouldContain("HAT-01");
    }

    private static Item Hat(string code, string group) => new(code, code, ItemNature.Goods, true, group);

    private sealed class SameAssignment : IEqualityComparer<Assignment>
    {
        public bool Equals(Assignment? x, Assignment? y) => x?.Identity == y?.Identity && x?.Account == y?.Account;

        public int GetHashCode(Assignment obj) => obj.Identity.GetHashCode(StringComparison.Ordinal);
    }
}
