using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Making some combinations land elsewhere changes those and no other one.</summary>
public class Paintings
{
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 20;

    private static CompiledSetUp With(SetUp setUp, Painted painted)
    {
        var faults = new List<Fault>();
        var edits = painted.Rows(setUp).Select((c, i) => (i, c.Key, c.After)).ToList();
        var next = Parts.Assignments.With(setUp, edits, faults);
        faults.ShouldBeEmpty();
        return new CompiledSetUp(next);
    }

    [Fact]
    public void A_painted_block_lands_where_it_should_and_nothing_else_moves()
    {
        int painted = 0,
            unreached = 0,
            added = 0,
            lone = 0;
        Gen.Select(Coverages.Small, Gen.Int[0, 63], Gen.Int[0, 31])
            .Sample(
                x =>
                {
                    var ((setUp, purpose), items, parties) = x;
                    var compiled = new CompiledSetUp(setUp);
                    bool In(string? code, int set, char of) =>
                        code is not null && code[0] == of && (set & 1 << (code[1] - '0')) != 0;
                    var done = Painting.Of(
                        compiled,
                        purpose,
                        (d, code) =>
                            d == Dimension.Item
                                ? In(code, items, 'I')
                                    ? "in"
                                    : null
                                : d == Dimension.Party
                                    ? In(code, parties, 'P')
                                        ? "in"
                                        : null
                                    : null,
                        (tags, lands) =>
                            lands == "4000"
                            && (!tags.ContainsKey(Dimension.Item) || tags[Dimension.Item] == "in")
                            && (!tags.ContainsKey(Dimension.Party) || tags[Dimension.Party] == "in")
                                ? "4030"
                                : null
                    )!;
                    var next = With(setUp, done);
                    Int128 moved = 0,
                        missed = 0;
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
                        bool Told(Dimension single, int set, char of) =>
                            values[single] == 0
                                ? PurposeCoverage.Dimensions(compiled.Landings, purpose) is var dims
                                    && (dims & (single == Dimension.Item ? 1 : 2)) == 0
                                : In(compiled.Index.Key(single, values[single]), set, of);
                        var wanted =
                            was == "4000" && Told(Dimension.Item, items, 'I') && Told(Dimension.Party, parties, 'P');
                        if (!wanted)
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
                    if (moved > 0)
                        painted++;
                    if (missed > 0)
                        unreached++;
                    added += done.Set.Count;
                    // Nothing that was set could as well not be there.
                    foreach (var one in done.Set.Where(s => s.Key.Count > 0))
                    {
                        var own = next.Landings.AssignmentsOf(purpose).First(a => a.Identity == one.Identity);
                        if (DeadWeight.ChangesNothing(next, purpose, own))
                            lone++;
                    }
                },
                iter: 700 * Times,
                threads: 1
            );
        painted.ShouldBeGreaterThan(35 * Times);
        unreached.ShouldBeGreaterThan(1);
        added.ShouldBeGreaterThan(painted);
        // What is whatever and what takes part differ: an assignment may change archived records alone, never more.
        lone.ShouldBeLessThan(added / 4);
    }

    [Fact]
    public void Sales_are_split_by_tax_treatment_with_codes_and_assignments()
    {
        var setUp = Shop with { Accounts = [.. Shop.Accounts] };
        var compiled = new CompiledSetUp(setUp);
        var account = setUp.Accounts.First(a => a.Number == "4000");
        var split = new SplitAccount(compiled, account, SplitBy.Tax);
        var parts = split.Parts(out var tooMany);
        tooMany.ShouldBeEmpty();
        parts.ShouldNotBeEmpty();
        var faults = new List<Fault>();
        var rows = split.Rows(parts, faults, out var left);
        faults.ShouldBeEmpty();
        var next = setUp;
        foreach (var of in rows.GroupBy(r => r.Part))
            next = of.Key.With(next, [.. of.Select((c, i) => (i, c.Key, c.After))], faults);
        faults.ShouldBeEmpty();
        var after = new CompiledSetUp(next);
        foreach (var part in parts)
            after.Account(part.Number)!.TaxCode.ShouldBe(part.TaxCode);
        // Of every customer and item with a code, what landed on the account lands on that code's account, or is told.
        var reached = 0;
        foreach (var party in setUp.Parties.Where(p => p.Kind is PartyKind.Customer or PartyKind.Both))
        foreach (var item in setUp.Items.Where(i => i.Nature != ItemNature.GiftCard))
        {
            var values = LegValuesOf.Key(
                compiled,
                new Assignment("sales-revenue", "", [new(Dimension.Item, item.Code), new(Dimension.Party, party.Code)])
            );
            var was = compiled.Landings.Resolve(Purposes.SalesRevenue, values).Account;
            var now = after.Landings.Resolve(Purposes.SalesRevenue, values).Account;
            var code = compiled.Taxes.Matrix(party.TaxStanding, item.TaxCategory, Tax.TaxDirection.Output);
            if (was != "4000" || code is null)
                now.ShouldBe(was);
            else
            {
                now.ShouldBe(parts.First(p => p.Tag == code).Number);
                reached++;
            }
        }
        reached.ShouldBe(8);
        left.ShouldBeEmpty();
    }
}
