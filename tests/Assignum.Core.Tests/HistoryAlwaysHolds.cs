using System.Collections.Concurrent;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using CsCheck;

namespace Assignum.Core.Tests;

/// <summary>What must always hold of subledgers, over random streams in which events find what was posted before.</summary>
public class HistoryAlwaysHolds
{
    private static readonly string[] Kinds =
    [
        "goods-received",
        "supplier-invoice",
        "supplier-credit-note",
        "goods-shipped",
        "goods-returned",
        "sales-invoice",
        "sales-credit-note",
        "channel-sale",
        "customer-deposit",
        "supplier-deposit",
        "customer-payment",
        "supplier-payment",
    ];

    /// <summary>Books that add up by themselves, to be held against the register.</summary>
    private sealed class Kept(SetUp setUp) : IEntrySink
    {
        private readonly DocumentRegister register = new();
        private readonly CompiledSetUp compiled = new(setUp);
        private EventRun? run;

        public Dictionary<string, decimal> Lines { get; } = new(StringComparer.Ordinal);
        public List<SubledgerMovement> Movements { get; } = [];
        public List<LandedSum> Landed { get; } = [];
        public List<(BusinessEvent Source, EntryResult Result)> Posted { get; } = [];

        /// <summary>How many documents of each sort there are.</summary>
        public Dictionary<string, int> Named { get; } = new(StringComparer.Ordinal);
        public DocumentRegister Register => register;
        public CompiledSetUp Compiled => compiled;

        public EntryResult Step(BusinessEvent source)
        {
            register.Expect($"{source.Source}/{source.Id}");
            return (run ??= new EventRun(null, register)).Step(source, compiled, this);
        }

        public bool Take(BusinessEvent source, EntryResult result)
        {
            if (result.Outcome == "refused")
                return false;
            foreach (var line in result.Entry?.Lines ?? [])
            {
                Lines[line.Account] = Lines.GetValueOrDefault(line.Account) + line.Signed;
                Landed.Add(
                    new LandedSum(
                        line.Account,
                        line.Purpose?.Name,
                        result.Entry!.CountsAs ?? source.Kind,
                        line.Signed,
                        1
                    )
                );
            }
            Posted.Add((source, result));
            if (result.Entry is { } entry)
            {
                entry.Lines.Sum(l => l.Signed).ShouldBe(0, source.Kind);
                entry.Lines.ShouldAllBe(l => !(l.CurrencyDebit < 0) && !(l.CurrencyCredit < 0), source.Kind);
                Movements.AddRange(EntryEffects.Of(entry));
            }
            Movements.AddRange(
                EntryEffects.Of(
                    result.Quiet,
                    source.Currency ?? compiled.Entity.Currency,
                    source.Reference ?? $"{source.Source}/{source.Id}"
                )
            );
            return true;
        }
    }

    private static BusinessEvent Next(Random random, Kept kept)
    {
        var kind = EventKinds.Find(Kinds[random.Next(Kinds.Length)])!;
        var e = RandomEvents.Next(random, kind, kept.Compiled.SetUp, []);
        // A few names for all, so that they meet.
        e.Party = kind.Takes.Contains("party") ? "P" + random.Next(2) : null;
        // Each document has a name of its own; what is named is one of the last of its sort.
        var sort = kind.Name switch
        {
            "goods-received" => "R",
            "goods-shipped" or "goods-returned" => "S",
            "customer-deposit" or "supplier-deposit" => "A",
            "sales-invoice" or "supplier-invoice" => "D",
            _ => "X",
        };
        kept.Named[sort] = kept.Named.GetValueOrDefault(sort) + 1;
        e.Reference = sort + kept.Named[sort];
        string Met(string of) => of + Math.Max(1, kept.Named.GetValueOrDefault(of) - random.Next(5));
        (e.Settles, e.TaxDate) = ([], null);
        if (random.Next(3) > 0)
            (e.Currency, e.Rate) = (null, null);
        else if (e.Currency is not null)
            (e.Currency, e.Rate) = ("USD", random.Next(8000, 12000) / 10000m);
        e.DepositApplied =
            kind.Takes.Contains("depositApplied") && random.Next(2) == 0 ? random.Next(1, 400) / 10m : null;
        e.Corrects = kind.Takes.Contains("corrects") && random.Next(3) > 0 ? Met("D") : null;
        foreach (var line in e.Lines)
        {
            line.Item = "I" + random.Next(3);
            line.Account = null;
            if (line.Receipt is not null)
                line.Receipt = Met("R");
            if (line.Shipment is not null)
                line.Shipment = Met("S");
            if (line.Quantity is { } quantity)
                line.Quantity = Math.Abs(quantity) + 1;
            if (random.Next(2) > 0)
                line.ReceiptCost = null;
            else if (line.Receipt is not null)
                line.ReceiptCost = 7;
        }
        return e;
    }

    // Whatever is posted, also by hand on control accounts: the causes of every control add up to its difference, and what is
    // turned back, the newest first, leaves nothing of anything.
    [Fact]
    public void Causes_add_up_and_what_is_turned_back_leaves_nothing()
    {
        var (differs, turned) = (0, 0);
        RandomCompanies.Any.Sample(
            company =>
            {
                var kept = new Kept(company.SetUp);
                var random = new Random(company.SetUp.Assignments.Count * 104_729 + company.SetUp.Accounts.Count);
                var controls = company
                    .SetUp.Accounts.Where(a => a.Control != Control.None && a.Kind == AccountKind.Posting)
                    .ToDictionary(a => a.Number, a => a.Control, StringComparer.Ordinal);
                var byHand = new[] { "opening", "hand-entry", "stock-adjusted", "money-moved" };
                for (var i = 0; i < 40; i++)
                {
                    var source =
                        random.Next(4) > 0
                            ? Next(random, kept)
                            : RandomEvents.Next(
                                random,
                                EventKinds.Find(byHand[random.Next(byHand.Length)])!,
                                company.SetUp,
                                []
                            );
                    source.Id = $"E{i}";
                    kept.Step(source);
                }
                foreach (var tie in TieOuts.Of(controls, kept.Landed))
                {
                    tie.Ledger.ShouldBe(
                        kept.Lines.Where(l => controls.GetValueOrDefault(l.Key) == tie.Control).Sum(l => l.Value),
                        tie.Control.ToString()
                    );
                    tie.Causes.Sum(c => c.Amount).ShouldBe(tie.Difference, tie.Control.ToString());
                    if (tie.Difference != 0)
                        Interlocked.Increment(ref differs);
                }
                foreach (var (source, result) in kept.Posted.ToArray().Reverse())
                {
                    var back = kept.Step(
                        new BusinessEvent
                        {
                            Source = "own",
                            Id = source.Id + "-back",
                            Kind = "reversed",
                            Date = source.Date,
                            Reverses = $"{source.Source}/{source.Id}",
                            Text = "by mistake",
                            ReverseOn = result.Entry?.Reversal?.Date,
                            Party = source.Party,
                            Reference = source.Reference,
                        }
                    );
                    back.Outcome.ShouldBe(
                        result.Outcome,
                        $"{source.Kind}: "
                            + string.Join("; ", back.Errors.Concat(back.Entry?.Remarks ?? []).Select(e => e.Message))
                    );
                    Interlocked.Increment(ref turned);
                }
                kept.Lines.Values.ShouldAllBe(v => v == 0);
                foreach (
                    var row in kept.Movements.GroupBy(m =>
                        (m.Account, m.Document, m.Party, m.Reference, m.Currency, m.Context.Item, m.Context.Location)
                    )
                )
                {
                    row.Sum(m => m.Amount).ShouldBe(0, row.Key.ToString());
                    row.Sum(m => m.CurrencyAmount ?? 0).ShouldBe(0, row.Key.ToString());
                    row.Sum(m => m.Quantity).ShouldBe(0, row.Key.ToString());
                }
                foreach (var tie in TieOuts.Of(controls, kept.Landed))
                    (tie.Ledger, tie.Documents).ShouldBe((0m, 0m), tie.Control.ToString());
            },
            iter: 120
        );
        differs.ShouldBeGreaterThan(40);
        turned.ShouldBeGreaterThan(1_500);
    }

    [Fact]
    public void Movements_are_the_accounts_and_the_register_is_the_movements()
    {
        var reached = new ConcurrentDictionary<string, int>();
        RandomCompanies.Any.Sample(
            company =>
            {
                var kept = new Kept(company.SetUp);
                var random = new Random(company.SetUp.Assignments.Count * 7919 + company.SetUp.Accounts.Count);
                for (var i = 0; i < 70; i++)
                {
                    var source = Next(random, kept);
                    var result = kept.Step(source);
                    foreach (var line in result.Entry?.Lines ?? [])
                        if (result.Outcome == "posted" && line.Landing.Rung == "document")
                            reached.AddOrUpdate(line.Purpose!.Name, 1, (_, n) => n + 1);
                    foreach (var remark in result.Entry?.Remarks ?? [])
                        reached.AddOrUpdate(remark.Code, 1, (_, n) => n + 1);
                }
                // Every account of a control is its movements.
                foreach (var account in company.SetUp.Accounts.Where(a => a.Control != Control.None))
                    kept.Movements.Where(m => m.Account == account.Number)
                        .Sum(m => m.Amount)
                        .ShouldBe(kept.Lines.GetValueOrDefault(account.Number), account.Number);
                // What the register has open is what the movements add up to.
                foreach (var purpose in DocumentRegister.OfLots)
                foreach (
                    var key in kept
                        .Movements.Where(m => m.Purpose == purpose)
                        .Select(m =>
                            DocumentRegister.KeyOf(purpose, m.Party, m.Context.Channel, m.Context.Item, m.Reference)
                        )
                        .OfType<(string Who, string Item)>()
                        .Distinct()
                )
                {
                    var own = kept
                        .Movements.Where(m =>
                            m.Purpose == purpose
                            && DocumentRegister.KeyOf(purpose, m.Party, m.Context.Channel, m.Context.Item, m.Reference)
                                == key
                        )
                        .ToList();
                    var lots = kept.Register.Lots(purpose, key.Who, key.Item);
                    lots.Sum(l => l.OpenBase).ShouldBe(own.Sum(m => m.Amount), purpose.Name);
                    lots.Sum(l => l.Quantity).ShouldBe(own.Sum(m => m.Quantity), purpose.Name);
                }
            },
            iter: 150
        );
        foreach (
            var purpose in new[]
            {
                "received-not-invoiced",
                "shipped-not-invoiced",
                "customer-deposits",
                "supplier-deposits",
                "receivables",
                "payables",
                "output-tax",
            }
        )
            reached.GetValueOrDefault(purpose).ShouldBeGreaterThan(20, purpose);
        foreach (var remark in new[] { "goods-twice", "deposit-unknown", "receipt-unknown", "receipt-cost" })
            reached.GetValueOrDefault(remark).ShouldBeGreaterThan(5, remark);
    }

    [Fact]
    public void A_receipt_a_shipment_and_a_deposit_are_never_taken_beyond_what_is_open()
    {
        var taken = 0;
        RandomCompanies.Any.Sample(
            company =>
            {
                var kept = new Kept(company.SetUp);
                var random = new Random(company.SetUp.Accounts.Count + 31 * company.SetUp.Assignments.Count);
                for (var i = 0; i < 70; i++)
                {
                    var source = Next(random, kept);
                    var before = Open(kept);
                    var result = kept.Step(source);
                    if (result.Outcome != "posted")
                        continue;
                    var after = Open(kept);
                    foreach (var line in result.Entry!.Lines.Where(l => l.Landing.Rung == "document"))
                    {
                        if (
                            line.Purpose!.Name
                            is not (
                                "received-not-invoiced"
                                or "shipped-not-invoiced"
                                or "customer-deposits"
                                or "supplier-deposits"
                            )
                        )
                            continue;
                        var key = (
                            line.Purpose.Name,
                            line.Context.Party,
                            line.Context.Item,
                            line.Context.Reference!,
                            line.Account
                        );
                        Interlocked.Increment(ref taken);
                        // It comes nearer to nothing, and does not cross it.
                        var (was, now) = (before.GetValueOrDefault(key), after.GetValueOrDefault(key));
                        if (was != 0)
                            (Math.Sign(now) == Math.Sign(was) || now == 0 || Math.Abs(now) < 0.02m).ShouldBeTrue(
                                $"{key}: {was} → {now} by {source.Kind}"
                            );
                    }
                }
            },
            iter: 100
        );
        taken.ShouldBeGreaterThan(100);

        static Dictionary<(string, string?, string?, string, string), decimal> Open(Kept kept) =>
            kept
                .Movements.Where(m => m.Purpose is not null && m.Account is not null)
                .GroupBy(m => (m.Purpose!.Name, m.Party, m.Context.Item, m.Reference, m.Account!))
                .ToDictionary(
                    g => g.Key,
                    // Receipts and shipments are taken by quantity, whatever each side says they cost.
                    g =>
                        g.Sum(m =>
                            g.Key.Name is "received-not-invoiced" or "shipped-not-invoiced" ? m.Quantity : m.Amount
                        )
                );
    }
}
