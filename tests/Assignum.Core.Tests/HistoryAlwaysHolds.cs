using System.Collections.Concurrent;
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

        /// <summary>How many documents of each sort there are.</summary>
        public Dictionary<string, int> Named { get; } = new(StringComparer.Ordinal);
        public DocumentRegister Register => register;
        public CompiledSetUp Compiled => compiled;

        public EntryResult Step(BusinessEvent source) =>
            (run ??= new EventRun(null, register)).Step(source, compiled, this);

        public bool Take(BusinessEvent source, EntryResult result)
        {
            if (result.Outcome == "refused")
                return false;
            foreach (var line in result.Entry?.Lines ?? [])
                Lines[line.Account] = Lines.GetValueOrDefault(line.Account) + line.Signed;
            if (result.Entry is { } entry)
            {
                entry.Lines.Sum(l => l.Signed).ShouldBe(0, source.Kind);
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
    public void A_receipt_and_a_deposit_are_never_taken_beyond_what_is_open()
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
                            is not ("received-not-invoiced" or "customer-deposits" or "supplier-deposits")
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
                    // Receipts are taken by quantity, whatever each side says they cost.
                    g => g.Sum(m => g.Key.Name == "received-not-invoiced" ? m.Quantity : m.Amount)
                );
    }
}
