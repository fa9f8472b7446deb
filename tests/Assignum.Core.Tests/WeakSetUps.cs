using Assignum.Core.Checks;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;

namespace Assignum.Core.Tests;

/// <summary>Findings of random set-ups with every weakness: those that a reading by loops finds, no more and no
/// fewer.</summary>
public class WeakSetUps
{
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 20;
    private static readonly DateOnly Today = new(2026, 11, 1);

    [Fact]
    public void Checks_find_what_reading_every_combination_finds_and_each_weakness_is_there()
    {
        var seen = new Dictionary<string, int>(StringComparer.Ordinal);
        // The same ones each time: that each weakness is among them is told for sure.
        foreach (var seed in Enumerable.Range(1, 600 * Times))
        {
            var setUp = new CompiledSetUp(RandomWeakness.Make(seed));
            var found = Findings.Of(setUp, Today);
            var mine = found
                .Where(f => NaiveFindings.Codes.Contains(f.Code))
                .Select(NaiveFindings.Say)
                .Order(StringComparer.Ordinal)
                .ToList();
            var theirs = new NaiveFindings(setUp, Today).Of().Order(StringComparer.Ordinal).ToList();
            string.Join(
                    "\n",
                    mine.Except(theirs).Select(m => "+ " + m).Concat(theirs.Except(mine).Select(t => "- " + t))
                )
                .ShouldBeEmpty($"seed {seed}");
            mine.Count.ShouldBe(theirs.Count);
            found.Select(f => f.Identity).ShouldBeUnique();
            foreach (var f in found)
            {
                f.Places.ShouldNotBeEmpty();
                seen[f.Code] = seen.GetValueOrDefault(f.Code) + 1;
            }
        }
        // Every check that needs no books has found something in some of them.
        Findings
            .All.Select(c => c.Code)
            .Except(["hand-entries-made", "wrong-side", "likely-double"])
            // What connections say is found where there are connections (Joining).
            .Except(Findings.All.OfType<LinkCheck>().Select(c => c.Code))
            .Where(c => seen.GetValueOrDefault(c) == 0)
            .ShouldBeEmpty();
    }

    [Fact]
    public void What_is_known_after_a_change_is_what_is_found_anew_and_a_mend_makes_its_finding_go()
    {
        var (changes, mended) = (0, new Dictionary<string, int>(StringComparer.Ordinal));
        // The same ones each time: that each weakness is among them is told for sure.
        foreach (var seed in Enumerable.Range(1, 60 * Times))
        {
            var compiled = new CompiledSetUp(RandomWeakness.Make(seed));
            var found = Findings.Of(compiled, Today);
            var mends = new Mends(compiled, Today, PostedFacts.None, found);
            foreach (var finding in found.OrderBy(f => (f.Identity.Length * 7 + seed) % 13).Take(12))
            {
                if (mends.For(finding) is not { } mend)
                    continue;
                var plan = SetUpEdit.Plan(compiled.SetUp, mend.Rows, (_, _) => false);
                plan.Faults.ShouldBeEmpty(mend.Says);
                // From the set-up before, and from nothing.
                var after = Findings.Of(new CompiledSetUp(plan.Next, compiled), Today);
                var anew = Findings.Of(new CompiledSetUp(plan.Next), Today);
                after.Select(Told).ShouldBe(anew.Select(Told), $"seed {seed}, {mend.Says}");
                changes++;
                anew.ShouldNotContain(f => f.Identity == finding.Identity, mend.Says);
                Findings.Between(found, anew).New.ShouldAllBe(f => f.Severity > finding.Severity);
                mended[finding.Code] = mended.GetValueOrDefault(finding.Code) + 1;
            }
        }
        changes.ShouldBeGreaterThan(60);
        string[] mendable =
        [
            "class-unfit",
            "control-unfit",
            "account-closed",
            "never-wins",
            "tripwire-above-default",
            "relief-unfit",
        ];
        foreach (var code in mendable)
            mended.GetValueOrDefault(code).ShouldBeGreaterThan(0, code);
    }

    [Fact]
    public void Whatever_part_changes_what_is_known_after_it_is_what_is_found_anew()
    {
        // From one set-up to another, a list at a time.
        Func<SetUp, SetUp, SetUp>[] changes =
        [
            (s, o) => s with { TaxRates = o.TaxRates, TaxMatrix = o.TaxMatrix },
            (s, o) => s with { TaxCodes = o.TaxCodes },
            (s, o) => s with { Policies = o.Policies },
            (s, o) => s with { Entity = o.Entity },
            (s, o) => s with { OtherEntities = s.OtherEntities.Count == 0 ? ["OTHER"] : [] },
            (s, o) => s with { NumberBands = o.NumberBands, Crosswalk = [] },
            (s, o) => s with { ReliefAccounts = [] },
            (s, o) => s with { Items = o.Items },
            (s, o) => s with { Parties = o.Parties },
            (s, o) => s with { Projects = o.Projects },
            (s, o) => s with { Channels = [.. s.Channels, new("C9", "C")] },
            (s, o) => s with { Borrows = s.Borrows.Count == 0 ? o.Borrows : [] },
            (s, o) => s with { Ladders = [new LadderRow("stock", 1, Rung.Parse("location", out _)!)] },
            (s, o) => s with { Assignments = [.. s.Assignments.Where(a => a.Purpose != "stock")] },
            (s, o) =>
                s with
                {
                    Accounts = [.. s.Accounts.Select(a => a with { Family = a.Family is null ? "brass" : null })],
                },
        ];
        var compared = 0;
        foreach (var seed in Enumerable.Range(1, 25 * Times))
        {
            var (setUp, other) = (RandomWeakness.Make(seed), RandomWeakness.Make(seed + 10_000));
            var compiled = new CompiledSetUp(setUp);
            Findings.Of(compiled, Today);
            foreach (var change in changes)
            {
                // What names what is gone is no part of the question.
                if (change(setUp, other) is var next && Assignum.Core.Tables.SetUpRules.Check(next).Any())
                    continue;
                var after = Findings.Of(new CompiledSetUp(next, compiled), Today);
                var anew = Findings.Of(new CompiledSetUp(next), Today);
                after.Select(Told).ShouldBe(anew.Select(Told), $"seed {seed}, change {Array.IndexOf(changes, change)}");
                compared++;
            }
        }
        compared.ShouldBeGreaterThan(150);
    }

    private static string Told(Finding f) =>
        $"{NaiveFindings.Say(f)}|{string.Join(',', f.Places.Select(p => p.Identity))}";
}
