using Assignum.Core.Chart;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Drafts are edited, undone in any order, merged, and leave no value behind when a policy moves it.</summary>
public class DraftWork
{
    private static readonly IReadOnlyDictionary<string, bool> NoChoice = new Dictionary<string, bool>();
    private static readonly Gen<(SetUp SetUp, Random Random)> Starts = Gen.Select(
        AlwaysHolds.SetUps,
        Gen.Int[0, int.MaxValue],
        (s, seed) => (s, new Random(seed))
    );

    // One to four random edits of what pages edit: assignments set, moved and taken away, groups, ladders, policies,
    // accounts, records.
    private static List<RowChange> SomeEdits(SetUp now, Random random)
    {
        var edits = new List<RowChange>();
        for (var i = random.Next(1, 5); i > 0; i--)
        {
            var part = new[]
            {
                Parts.Assignments,
                Parts.Assignments,
                Parts.Assignments,
                Parts.Groups,
                Parts.Ladders,
                Parts.Policies,
                Parts.Accounts,
                Parts.Items,
                Parts.Parties,
            }[random.Next(9)];
            var rows = part.Write(now);
            var row = rows.Count == 0 ? null : rows[random.Next(rows.Count)];
            string?[]? Put(string column, string? value)
            {
                var cells = row!.ToArray();
                cells[part.Columns.ToList().FindIndex(c => c.Name == column)] = value;
                return cells;
            }
            string?[]? after = null;
            if (part == Parts.Policies)
                (row, after) = (
                    rows.FirstOrDefault(r => r[0] == "discounts"),
                    ["discounts", random.Next(2) == 0 ? "separate" : "net"]
                );
            else if (row is null)
                continue;
            else if (part == Parts.Assignments && random.Next(4) > 0)
                after = Put("account", now.Accounts[random.Next(now.Accounts.Count)].Number);
            else if (part == Parts.Groups)
                after = Put("parent", random.Next(2) == 0 ? null : "G" + random.Next(6));
            else if (part == Parts.Ladders)
                after = random.Next(3) == 0 ? null : Put("rung", "currency");
            else if (part == Parts.Accounts)
                after = Put("tripwire", random.Next(3) == 0 ? "yes" : "no");
            else if (part == Parts.Items)
                after = Put("group", random.Next(3) == 0 ? null : "G" + random.Next(6));
            else if (part == Parts.Parties)
                after = Put("customer_group", random.Next(7) is var g and < 6 ? "G" + g : null);
            var edit = new RowChange(
                part,
                row is null ? ChangeKind.Added
                    : after is null ? ChangeKind.Removed
                    : ChangeKind.Changed,
                part.KeyOf(row ?? after!),
                row,
                after
            );
            if (!edits.Any(e => e.Part == part && e.Key == edit.Key))
                edits.Add(edit);
        }
        return edits;
    }

    private static string Landings(CompiledSetUp setUp, int seed)
    {
        var builder = new EntryBuilder(setUp);
        return string.Join(
            '\n',
            Enumerable
                .Range(0, 6)
                .Select(i => builder.Build(RandomEvents.Next(new Random(seed + i))))
                .Select(r =>
                    r.Entry is null
                        ? string.Join(";", r.Errors.Select(e => e.Message))
                        : string.Join(
                            ',',
                            r.Entry.Lines.Select(l =>
                                $"{l.Account} {l.Signed} {l.Landing.Rung} {string.Join('+', l.Landing.Key)}"
                            )
                        )
                )
        );
    }

    [Fact]
    public void What_is_compiled_after_an_edit_lands_as_what_is_compiled_anew_and_finds_the_same_faults() =>
        Starts.Sample(
            start =>
            {
                var (setUp, random) = start;
                var compiled = new CompiledSetUp(setUp);
                for (var step = 0; step < 5; step++)
                {
                    var edits = SomeEdits(compiled.SetUp, random);
                    var plan = SetUpEdit.Plan(compiled.SetUp, edits, (_, _) => false);
                    // The rows that a plan says it changes are those that differ, and it is faulty when the whole is.
                    if (plan.Faults.Count > 0)
                    {
                        SetUpRules
                            .Check(plan.Next)
                            .Select(f => f.Code)
                            .Distinct()
                            .Order()
                            .ShouldBe(plan.Faults.Select(f => f.Code).Distinct().Order());
                        continue;
                    }
                    SetUpRules.Check(plan.Next).ShouldBeEmpty();
                    string Told(IEnumerable<RowChange> changes) =>
                        string.Join(
                            '\n',
                            changes.Select(c => $"{c.Part.Name} {c.Kind} {c.Key} {string.Join(',', c.Cells)}").Order()
                        );
                    Told(plan.Changes).ShouldBe(Told(SetUpImport.Difference(compiled.SetUp, plan.Next)));
                    compiled = new CompiledSetUp(plan.Next, compiled);
                    var seed = random.Next(1_000_000);
                    Landings(compiled, seed).ShouldBe(Landings(new CompiledSetUp(plan.Next), seed));
                }
            },
            iter: 60
        );

    [Fact]
    public void Undoing_changes_in_any_order_they_allow_restores_every_landing() =>
        Starts.Sample(
            start =>
            {
                var (setUp, random) = start;
                var now = setUp;
                var made = new List<IReadOnlyList<RowChange>>();
                for (var step = 0; step < 8; step++)
                {
                    var plan = SetUpEdit.Plan(now, SomeEdits(now, random), (_, _) => false);
                    if (plan.Faults.Count > 0 || plan.Changes.Count == 0)
                        continue;
                    made.Add(plan.Changes);
                    now = plan.Next;
                }
                // A change that another builds on is refused until that one is undone: the newest can always go, so
                // this ends.
                for (var tries = 0; made.Count > 0; tries++)
                {
                    var which = tries % 20 == 19 ? made.Count - 1 : random.Next(made.Count);
                    // Nothing is undone under a later change of the same row, also where that left the row as it was.
                    if (
                        made.Skip(which + 1)
                            .SelectMany(m => m)
                            .Any(m => made[which].Any(c => c.Part == m.Part && c.Key == m.Key))
                    )
                        continue;
                    var plan = SetUpEdit.Plan(now, SetUpEdit.Reverse(made[which]), (_, _) => false);
                    if (plan.Faults.Count > 0)
                    {
                        which.ShouldNotBe(made.Count - 1, plan.Faults[0].Message);
                        continue;
                    }
                    made.RemoveAt(which);
                    now = plan.Next;
                }
                SetUpImport.Difference(setUp, now).ShouldBeEmpty();
                Landings(new CompiledSetUp(now), 7).ShouldBe(Landings(new CompiledSetUp(setUp), 7));
            },
            iter: 60
        );

    [Fact]
    public void Merging_brings_what_one_draft_changed_and_keeps_what_the_other_did() =>
        Starts.Sample(
            start =>
            {
                var (setUp, random) = start;
                SetUp Drafted() =>
                    SetUpEdit.Plan(
                        setUp,
                        [.. SomeEdits(setUp, random).Where(e => e.Part.HeldBy == HeldBy.Edition)],
                        (_, _) => false
                    )
                        is { Faults.Count: 0 } plan
                        ? plan.Next
                        : setUp;
                var (theirs, here) = (Drafted(), Drafted());
                // Into what it was opened on a draft merges as itself; what is there already is not brought again.
                var alone = Merging.Of(setUp, theirs, setUp, NoChoice);
                alone.Conflicts.ShouldBeEmpty();
                SetUpImport
                    .Difference(theirs, SetUpEdit.Plan(setUp, alone.Edits, (_, _) => false).Next)
                    .ShouldBeEmpty();
                Merging.Of(setUp, theirs, theirs, NoChoice).Edits.ShouldBeEmpty();

                var merged = Merging.Of(setUp, theirs, here, NoChoice);
                foreach (var takes in new[] { true, false })
                {
                    var decided = Merging.Of(setUp, theirs, here, merged.Conflicts.ToDictionary(c => c.Id, _ => takes));
                    decided.Open.ShouldBeEmpty();
                    // Either way each side keeps what only it changed.
                    var next = SetUpEdit.Plan(here, decided.Edits, (_, _) => false).Next;
                    foreach (var (mine, other) in new[] { (theirs, here), (here, theirs) })
                    foreach (var change in SetUpImport.Difference(setUp, mine).Where(c => c.Part != Parts.Ladders))
                        if (
                            SetUpImport.Difference(setUp, other).All(o => o.Part != change.Part || o.Key != change.Key)
                            && !decided.Edits.Any(e => e.Part != change.Part)
                        )
                            change.Part.Row(next, change.Key).ShouldBe(change.After);
                }
            },
            iter: 80
        );

    [Fact]
    public void Two_who_change_different_fields_of_an_account_do_not_conflict_and_the_same_field_is_chosen()
    {
        SetUp Draft(Func<Account, Account> change) =>
            Shop with
            {
                Accounts = [.. Shop.Accounts.Select(a => a.Number == "4000" ? change(a) : a)],
            };
        var here = Draft(a => a with { HandEntries = HandEntries.Warn });
        var plan = Merging.Of(Shop, Draft(a => a with { Family = "rain" }), here, NoChoice);
        plan.Conflicts.ShouldBeEmpty();
        plan.Edits.Single().Cells.Single().ShouldBe(("family", null, "rain"));

        var theirs = Draft(a => a with { HandEntries = HandEntries.Accept, Family = "rain" });
        var conflict = Merging.Of(Shop, theirs, here, NoChoice).Open.ShouldHaveSingleItem();
        (conflict.Label, conflict.Column, conflict.Was, conflict.Here, conflict.Theirs).ShouldBe(
            ("4000", "hand_entries", null, "warn", "accept")
        );
        Merging
            .Of(Shop, theirs, here, new Dictionary<string, bool> { [conflict.Id] = true })
            .Edits.Single()
            .After.ShouldBe(Parts.Accounts.Row(theirs, "4000"));
    }

    [Fact]
    public void Two_orders_of_a_ladder_are_never_mixed()
    {
        SetUp Ladder(params string[] rungs) =>
            Shop with
            {
                Ladders = [.. rungs.Select((r, i) => new LadderRow("sales-revenue", i + 1, Rung.Parse(r, out _)!))],
            };
        var (was, theirs, here) = (
            Ladder("item", "party", "channel"),
            Ladder("party", "item", "channel"),
            Ladder("item", "party", "item-group")
        );
        var conflict = Merging.Of(was, theirs, here, NoChoice).Open.ShouldHaveSingleItem();
        (conflict.Was, conflict.Here, conflict.Theirs).ShouldBe(
            ("item, party, channel", "item, party, item-group", "party, item, channel")
        );
        SetUpEdit
            .Plan(
                here,
                Merging.Of(was, theirs, here, new Dictionary<string, bool> { [conflict.Id] = true }).Edits,
                (_, _) => false
            )
            .Next.Ladders.Select(l => l.Rung.Name)
            .ShouldBe(["party", "item", "channel"]);
        Merging.Of(was, theirs, here, new Dictionary<string, bool> { [conflict.Id] = false }).Edits.ShouldBeEmpty();
    }

    [Fact]
    public void Goods_received_and_not_invoiced_leave_stock_again_when_receipts_are_no_longer_accrued()
    {
        // 10 gauges at 8.00 received, 4 of them invoiced: 48.00 stand between. The invoice to come debits stock itself.
        var books = new Books(Shop);
        books.Post(
            Event(
                "goods-received",
                e => e.Party = "SUPP",
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitCost = 8,
                }
            )
        );
        books.Post(
            Event(
                "supplier-invoice",
                e => e.Party = "SUPP",
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 4,
                    UnitPrice = 8,
                    ReceiptCost = 32,
                }
            )
        );
        var setUp = new CompiledSetUp(Shop);
        var between = setUp.Landings.Resolve(Purposes.ReceivedNotInvoiced, default).Account!;
        var stock = setUp.Landings.Resolve(Purposes.Stock, default).Account!;
        var move = Between
            .Moves(Policies.From([]), Policies.From([new("receipt-accrual", "off")]))
            .ShouldHaveSingleItem();
        (move.Policy, move.From, move.To).ShouldBe(("receipt-accrual", "on", "off"));
        move.Between.ShouldBe([Purposes.ReceivedNotInvoiced]);

        var entry = Between.Empty(
            [new HeldValue(between, "received-not-invoiced", "SUPP", "GAUGE", null, null, books.Balance(between))],
            setUp
        );
        books.Balance(between).ShouldBe(-48m);
        entry.Unplaced.ShouldBeEmpty();
        entry.Lines.Select(l => (l.Account, l.Amount)).ShouldBe([(between, 48m), (stock, -48m)]);
        // Posted under the new policies, the accounts are where the invoice to come expects them.
        var after = new Books(Shop with { Policies = [new("receipt-accrual", "off")] });
        after.Post(
            Event(
                "opening",
                null,
                [
                    .. entry.Lines.Select(l => new EventLine
                    {
                        Account = l.Account,
                        Item = l.Item,
                        Debit = l.Amount > 0 ? l.Amount : null,
                        Credit = l.Amount < 0 ? -l.Amount : null,
                    }),
                ]
            )
        );
        after.Post(
            Event(
                "supplier-invoice",
                e => e.Party = "SUPP",
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 6,
                    UnitPrice = 8,
                }
            )
        );
        (books.Balance(between) + after.Balance(between), books.Balance(stock) + after.Balance(stock)).ShouldBe(
            (0m, 80m)
        );
    }

    [Fact]
    public void A_policy_that_leaves_nothing_between_says_what_to_mind_and_what_has_no_place_stays()
    {
        var move = Between
            .Moves(Policies.From([new("production", "direct")]), Policies.From([]))
            .ShouldHaveSingleItem();
        move.Between.ShouldBeEmpty();
        move.Says.ShouldContain("issuedCost");
        Between.Moves(Policies.From([]), Policies.From([])).ShouldBeEmpty();
        Between
            .Moves(Policies.From([]), Policies.From([new("stock-method", "periodic")]))
            .Single()
            .Between.Count.ShouldBe(4);
        var kept = Between.Empty(
            [new HeldValue("1440", "production-wip", null, null, null, null, 12m)],
            new CompiledSetUp(Shop)
        );
        kept.Lines.ShouldBeEmpty();
        kept.Unplaced.Single().Why.ShouldContain("names no item");
    }
}
