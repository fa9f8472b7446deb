using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What settles, corrects, applies or relieves something posted before stands where that stands, at its rate.
/// Numbers worked by hand.</summary>
public class BoundByHistory
{
    /// <summary>Books that remember as the product does.</summary>
    private sealed class Firm : IEntrySink
    {
        private readonly DocumentRegister register = new();
        private readonly EventRun run;
        private readonly CompiledSetUp setUp;
        private readonly Dictionary<string, decimal> balances = new(StringComparer.Ordinal);

        public Firm(SetUp of) => (run, setUp) = (new EventRun(null, register), new CompiledSetUp(of));

        public List<SubledgerMovement> Movements { get; } = [];

        public EntryResult Post(BusinessEvent source, string outcome = "posted")
        {
            var result = run.Step(source, setUp, this);
            result.Outcome.ShouldBe(
                outcome,
                string.Join("; ", result.Errors.Concat(result.Entry?.Remarks ?? []).Select(e => e.Message))
            );
            return result;
        }

        public bool Take(BusinessEvent source, EntryResult result)
        {
            if (result.Outcome == "refused")
                return false;
            foreach (var line in result.Entry?.Lines ?? [])
                balances[line.Account] = Balance(line.Account) + line.Signed;
            Movements.AddRange(result.Entry is null ? [] : EntryEffects.Of(result.Entry));
            Movements.AddRange(EntryEffects.Of(result.Quiet, source.Currency ?? "EUR", source.Reference ?? source.Id));
            return true;
        }

        public decimal Balance(string account) => balances.GetValueOrDefault(account);

        public IReadOnlyDictionary<string, decimal> Standing =>
            balances.Where(b => b.Value != 0).ToDictionary(b => b.Key, b => b.Value);

        /// <summary>Open by document on an account.</summary>
        public Dictionary<string, decimal> Open(string account) =>
            Movements
                .Where(m => m.Account == account)
                .GroupBy(m => m.Reference)
                .Select(g => (g.Key, Amount: g.Sum(m => m.Amount)))
                .Where(g => g.Amount != 0)
                .ToDictionary(g => g.Key, g => g.Amount);
    }

    private static BusinessEvent Of(
        string kind,
        string reference,
        Action<BusinessEvent>? fill = null,
        params EventLine[] lines
    ) =>
        Event(
            kind,
            e =>
            {
                e.Reference = reference;
                e.Party =
                    kind.StartsWith("supplier", StringComparison.Ordinal) || kind == "goods-received" ? "SUPP" : "CUST";
                fill?.Invoke(e);
            },
            lines
        );

    private static Action<BusinessEvent> Usd(decimal rate, Action<BusinessEvent>? more = null) =>
        e =>
        {
            (e.Currency, e.Rate) = ("USD", rate);
            more?.Invoke(e);
        };

    [Fact]
    public void A_credit_note_at_another_rate_leaves_no_account_of_what_it_cancels_and_its_own_tax_date()
    {
        var firm = new Firm(Shop);
        EventLine[] lines =
        [
            new()
            {
                Item = "ADVICE",
                Quantity = 3,
                UnitPrice = 33.33m,
            },
            new() { Item = "GAUGE", UnitPrice = 0.01m },
        ];
        firm.Post(Of("sales-invoice", "INV", Usd(0.9173m, e => e.Charges = [new() { Amount = 7.77m }]), lines));
        // 99.99 + 0.01 + 7.77 = 107.77, tax 24.79 (24.7871): 132.56 USD at 0.9173 are 121.60 (121.597288).
        firm.Balance("1200").ShouldBe(121.60m);
        var credit = firm.Post(Of("sales-credit-note", "CRE", Usd(0.9555m, e =>
                {
                    (e.Corrects, e.Date) = ("INV", new(2026, 5, 2));
                    e.Charges = [new() { Amount = 7.77m }];
                }), lines)).Entry!;
        firm.Standing.ShouldBeEmpty();
        credit.Rate.ShouldBe(0.9173m);
        credit.Tax.ShouldHaveSingleItem().TaxDate.ShouldBe(new(2026, 5, 2));
        credit.Tax[0].DecidedBy.ShouldBe("document");
        credit.Lines.Single(l => l.Account == "1200").Landing.Rung.ShouldBe("document");
        firm.Open("1200").ShouldBeEmpty();

        // Another currency is an error; more than is open a warning; an unknown one stands for itself.
        var other = Of("sales-credit-note", "C2", e => e.Corrects = "INV", lines);
        firm.Post(other, "refused").Errors.ShouldContain(e => e.Code == "document-currency");
        firm.Post(Of("sales-credit-note", "C3", Usd(0.95m, e => e.Corrects = "INV"), lines))
            .Entry!.Remarks.ShouldContain(r => r.Code == "settles-too-much");
        var unknown = firm.Post(Of("sales-credit-note", "C4", Usd(0.95m, e => e.Corrects = "NEVER"), lines)).Entry!;
        unknown.Rate.ShouldBe(0.95m);
        unknown.Remarks.ShouldContain(r => r.Code == "document-unknown");
        firm.Open("1200").Keys.ShouldBe(["C3", "C4"]);
    }

    [Fact]
    public void A_credit_note_takes_the_tax_code_of_each_item_and_the_rate_of_that_day()
    {
        var firm = new Firm(
            Shop with
            {
                TaxCodes = [.. Shop.TaxCodes, new("S2", "Reduced", Tax.TaxDirection.Output, "S")],
                TaxRates = [.. Shop.TaxRates, new("S2", new(2020, 1, 1), .09m), new("S", new(2026, 5, 1), .25m)],
            }
        );
        firm.Post(
            Of(
                "sales-invoice",
                "INV",
                null,
                new EventLine { Item = "ADVICE", UnitPrice = 100m },
                new EventLine
                {
                    Item = "GAUGE",
                    UnitPrice = 50m,
                    TaxCode = "S2",
                }
            )
        );
        // In May S is 25 %; what was sold in March at 23 % is credited at 23 %, the gauge at its own 9 %.
        var credit = firm.Post(
            Of(
                "sales-credit-note",
                "CRE",
                e => (e.Corrects, e.Date) = ("INV", new(2026, 5, 2)),
                new EventLine { Item = "GAUGE", UnitPrice = 50m },
                new EventLine { Item = "ADVICE", UnitPrice = 100m }
            )
        ).Entry!;
        credit.Tax.Select(t => (t.Code, t.Base, t.Tax)).ShouldBe([("S2", -50m, -4.5m), ("S", -100m, -23m)]);
        firm.Standing.ShouldBeEmpty();
    }

    [Fact]
    public void Ten_received_and_six_invoiced_leave_four_open_at_cost_to_the_cent()
    {
        var firm = new Firm(Shop);
        // 10 at 3.333 USD are 33.33, at 0.91 30.33 (30.3303).
        firm.Post(
            Of(
                "goods-received",
                "GR-1",
                Usd(0.91m),
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitCost = 3.333m,
                }
            )
        );
        firm.Balance("2150").ShouldBe(-30.33m);
        // Six of them: 20.00 USD (19.998) at 0.91, 18.20; invoiced at 3.40: 20.40 at 0.95 are 19.38, the rest is variance.
        var invoice = firm.Post(
            Of(
                "supplier-invoice",
                "SI-1",
                Usd(0.95m),
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 6,
                    UnitPrice = 3.40m,
                    Receipt = "GR-1",
                }
            )
        ).Entry!;
        var cleared = invoice.Lines.Single(l => l.Purpose?.Name == "received-not-invoiced");
        (cleared.Debit, cleared.CurrencyDebit, cleared.Landing.Rung).ShouldBe((18.20m, 20.00m, "document"));
        firm.Balance("5100").ShouldBe(1.18m);
        var left = firm.Movements.Where(m => m.Account == "2150").ToList();
        (left.Sum(m => m.Amount), left.Sum(m => m.Quantity), left.Sum(m => m.CurrencyAmount)).ShouldBe(
            (-12.13m, -4m, -13.33m)
        );
        // The other four and two more: those take all that is left, the two are bought direct.
        firm.Post(
            Of(
                "supplier-invoice",
                "SI-2",
                Usd(0.95m),
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 6,
                    UnitPrice = 3.40m,
                    Receipt = "GR-1",
                }
            )
        );
        firm.Balance("2150").ShouldBe(0);
        var stock = firm.Movements.Where(m => m.Account == "1400").ToList();
        // 30.33 of the receipt and a third of 20.40 (6.80) at 0.95, 6.46.
        (stock.Sum(m => m.Amount), stock.Sum(m => m.Quantity)).ShouldBe((36.79m, 12m));
    }

    [Fact]
    public void An_invoice_first_and_its_receipt_later_meet()
    {
        var firm = new Firm(Shop);
        firm.Post(
            Of(
                "supplier-invoice",
                "SI-1",
                Usd(0.90m, e => e.Order = "PO-7"),
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitPrice = 4.2m,
                    ReceiptCost = 42m,
                }
            )
        );
        // 42 USD at 0.90 wait under the invoice.
        firm.Open("2150").ShouldBe(new Dictionary<string, decimal> { ["SI-1"] = 37.80m });
        // The goods come at another rate and take that of the invoice.
        var receipt = firm.Post(
            Of(
                "goods-received",
                "GR-1",
                Usd(0.99m, e => e.Order = "PO-7"),
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 10,
                    UnitCost = 4.2m,
                }
            )
        ).Entry!;
        firm.Balance("2150").ShouldBe(0);
        firm.Balance("1400").ShouldBe(37.80m);
        receipt.Lines.Single(l => l.Account == "2150").Context.Reference.ShouldBe("SI-1");
        firm.Movements.Where(m => m.Account == "2150").Sum(m => m.Quantity).ShouldBe(0);
    }

    // What waits in one currency is met in another: it goes down by what is met, in its own currency, and is not met twice.
    [Fact]
    public void What_waits_in_dollars_is_met_in_euro_once_and_the_other_way_round()
    {
        var firm = new Firm(Shop);
        static EventLine Gauges(decimal quantity, Action<EventLine> fill)
        {
            var line = new EventLine { Item = "GAUGE", Quantity = quantity };
            fill(line);
            return line;
        }
        (decimal Amount, decimal Quantity) Waits(string reference, string currency)
        {
            var of = firm.Movements.Where(m => m.Account == "2150" && m.Reference == reference).ToList();
            of.ShouldAllBe(m => m.Currency == currency);
            return (of.Sum(m => m.CurrencyAmount ?? 0), of.Sum(m => m.Quantity));
        }
        // Ten for 42.00 USD at 0.90 wait under their invoice: 37.80.
        firm.Post(
            Of(
                "supplier-invoice",
                "SI-1",
                Usd(0.90m, e => e.Order = "PO-7"),
                Gauges(10, l => (l.UnitPrice, l.ReceiptCost) = (4.2m, 42m))
            )
        );
        // Four come at 5.00 EUR: 16.80 USD (15.12) are met, 4.88 of the 20.00 are variance.
        void Come(string reference, decimal quantity) =>
            firm.Post(Of("goods-received", reference, e => e.Order = "PO-7", Gauges(quantity, l => l.UnitCost = 5m)));
        Come("GR-1", 4);
        Waits("SI-1", "USD").ShouldBe((25.20m, 6m));
        firm.Open("2150").ShouldBe(new Dictionary<string, decimal> { ["SI-1"] = 22.68m });
        (firm.Balance("1400"), firm.Balance("5100")).ShouldBe((20.00m, -4.88m));
        // Of eight more six are met, and two wait for an invoice of their own.
        Come("GR-2", 8);
        Waits("SI-1", "USD").ShouldBe((0m, 0m));
        Waits("GR-2", "EUR").ShouldBe((-10.00m, -2m));
        (firm.Balance("1400"), firm.Balance("2150"), firm.Balance("5100")).ShouldBe((60.00m, -10.00m, -12.20m));
        // That invoice is in dollars: 2 at 6.00 are 12.00, 11.40 at 0.95; 1.40 beside the 10.00 are variance.
        var invoice = firm.Post(
            Of("supplier-invoice", "SI-2", Usd(0.95m), Gauges(2, l => (l.UnitPrice, l.Receipt) = (6m, "GR-2")))
        ).Entry!;
        Waits("GR-2", "EUR").ShouldBe((0m, 0m));
        (firm.Balance("2150"), firm.Balance("5100")).ShouldBe((0m, -10.80m));
        invoice.Lines.ShouldAllBe(l => (l.CurrencyDebit ?? 0) >= 0 && (l.CurrencyCredit ?? 0) >= 0);
        // Dearer goods than their invoice says.
        firm.Post(Of("goods-received", "GR-3", null, Gauges(1, l => l.UnitCost = 20m)));
        invoice = firm.Post(
            Of("supplier-invoice", "SI-3", Usd(0.95m), Gauges(1, l => (l.UnitPrice, l.Receipt) = (6m, "GR-3")))
        ).Entry!;
        // 5.70 for what stands at 20.00: 14.30 the other way round.
        (firm.Balance("2150"), firm.Balance("5100")).ShouldBe((0m, -25.10m));
        invoice.Lines.ShouldAllBe(l => (l.CurrencyDebit ?? 0) >= 0 && (l.CurrencyCredit ?? 0) >= 0);
        // Goods in dollars meet an invoice in euro: 5 at 4.00 wait as 20.00, two come at 5.00 USD, 9.00 at 0.90, of 8.00.
        firm.Post(
            Of(
                "supplier-invoice",
                "SI-4",
                e => e.Order = "PO-9",
                Gauges(5, l => (l.UnitPrice, l.ReceiptCost) = (4m, 20m))
            )
        );
        var came = firm.Post(
            Of("goods-received", "GR-4", Usd(0.90m, e => e.Order = "PO-9"), Gauges(2, l => l.UnitCost = 5m))
        ).Entry!;
        Waits("SI-4", "EUR").ShouldBe((12.00m, 3m));
        (firm.Balance("2150"), firm.Balance("5100")).ShouldBe((12.00m, -26.10m));
        came.Lines.Sum(l => (l.CurrencyDebit ?? 0) - (l.CurrencyCredit ?? 0)).ShouldBe(0);
        // The credit note finds nothing more to take.
        firm.Post(Of("supplier-credit-note", "SC-1", e => e.Order = "PO-7", Gauges(1, l => l.UnitPrice = 4.2m)));
        Waits("SI-1", "USD").ShouldBe((0m, 0m));
    }

    [Fact]
    public void What_left_in_euro_and_is_invoiced_in_dollars_leaves_once()
    {
        var firm = new Firm(With(("cost-timing", "invoice")));
        firm.Post(
            Of(
                "goods-shipped",
                "SH-1",
                null,
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 3,
                    UnitCost = 3.34m,
                }
            )
        );
        EntryResult Invoice(string reference, decimal quantity) =>
            firm.Post(
                Of(
                    "sales-invoice",
                    reference,
                    Usd(0.90m),
                    new EventLine
                    {
                        Item = "GAUGE",
                        Quantity = quantity,
                        UnitPrice = 9m,
                        Shipment = "SH-1",
                    }
                )
            );
        // Two of three: 6.68 of 10.02.
        Invoice("INV-1", 2);
        (firm.Balance("5000"), firm.Balance("1460")).ShouldBe((6.68m, 3.34m));
        // The third takes the rest, and of a fourth nothing is known.
        Invoice("INV-2", 1);
        (firm.Balance("5000"), firm.Balance("1460")).ShouldBe((10.02m, 0m));
        Invoice("INV-3", 1).Entry!.Remarks.ShouldContain(r => r.Code == "shipment-unknown");
        (firm.Balance("5000"), firm.Balance("1460")).ShouldBe((10.02m, 0m));
        var parked = firm.Movements.Where(m => m.State == StockState.Shipped).ToList();
        parked.ShouldAllBe(m => m.Currency == "EUR" && m.Reference == "SH-1");
        (parked.Sum(m => m.Quantity), parked.Sum(m => m.CurrencyAmount ?? 0)).ShouldBe((0m, 0m));
    }

    [Fact]
    public void Without_a_receipt_named_the_oldest_of_the_item_are_taken_and_goods_twice_are_remarked()
    {
        var firm = new Firm(Shop);
        foreach (var (reference, quantity) in new[] { ("GR-1", 4m), ("GR-2", 6m) })
            firm.Post(
                Of(
                    "goods-received",
                    reference,
                    null,
                    new EventLine
                    {
                        Item = "GAUGE",
                        Quantity = quantity,
                        UnitCost = 5m,
                    }
                )
            );
        var twice = firm.Post(
            Of(
                "supplier-invoice",
                "SI-0",
                null,
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 1,
                    UnitPrice = 5m,
                }
            )
        ).Entry!;
        twice
            .Remarks.Single(r => r.Code == "goods-twice")
            .Message.ShouldContain("GR-1 (4 for 20.00), GR-2 (6 for 30.00)");
        firm.Balance("2150").ShouldBe(-50m);
        var invoice = firm.Post(
            Of(
                "supplier-invoice",
                "SI-1",
                null,
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 7,
                    UnitPrice = 5.1m,
                    ReceiptCost = 35m,
                }
            )
        ).Entry!;
        invoice
            .Lines.Where(l => l.Account == "2150")
            .Select(l => (l.Context.Reference, l.Debit))
            .ShouldBe([("GR-1", 20m), ("GR-2", 15m)]);
        firm.Open("2150").ShouldBe(new Dictionary<string, decimal> { ["GR-2"] = -15m });
        // A cost that is not the receipt's is remarked.
        firm.Post(
                Of(
                    "supplier-invoice",
                    "SI-2",
                    null,
                    new EventLine
                    {
                        Item = "GAUGE",
                        Quantity = 3,
                        UnitPrice = 5m,
                        Receipt = "GR-2",
                        ReceiptCost = 14m,
                    }
                )
            )
            .Entry!.Remarks.ShouldContain(r => r.Code == "receipt-cost");
    }

    [Fact]
    public void A_deposit_takes_back_the_tax_that_it_carried_and_the_last_use_the_rest()
    {
        var firm = new Firm(With(("deposit-tax", "on")));
        // 100.00 with 23 %: tax 18.70 (18.699), net 81.30.
        firm.Post(Of("customer-deposit", "DEP-1", e => (e.Amount, e.Method) = (100m, "BANK")));
        (firm.Balance("2200"), firm.Balance("2300")).ShouldBe((-81.30m, -18.70m));
        EntryResult Invoice(string reference, decimal applied, string? deposit) =>
            firm.Post(
                Of(
                    "sales-invoice",
                    reference,
                    e =>
                    {
                        e.DepositApplied = applied;
                        if (deposit is not null)
                            e.Deposits = [new() { Reference = deposit, Amount = applied }];
                    },
                    new EventLine { Item = "ADVICE", UnitPrice = 200m }
                )
            );
        // A third: tax 6.23 (18.70 × 33.33 ÷ 100 = 6.2327), net 27.10.
        var first = Invoice("INV-1", 33.33m, null).Entry!;
        first.Tax.Select(t => (t.Base, t.Tax)).ShouldBe([(200m, 46m), (-27.10m, -6.23m)]);
        firm.Balance("2200").ShouldBe(-54.20m);
        Invoice("INV-2", 66.67m, "DEP-1");
        // Nothing of the deposit is left, neither net nor tax: 2 × 46.00 of the invoices stand.
        (firm.Balance("2200"), firm.Balance("2300")).ShouldBe((0m, -92.00m));
        firm.Open("2200").ShouldBeEmpty();
        // Named ones add up to what is applied.
        firm.Post(
                Of(
                    "sales-invoice",
                    "INV-3",
                    e => (e.DepositApplied, e.Deposits) = (10m, [new() { Reference = "DEP-1", Amount = 9m }]),
                    new EventLine { Item = "ADVICE", UnitPrice = 200m }
                ),
                "refused"
            )
            .Errors.ShouldContain(e => e.Code == "unequal");
        Invoice("INV-4", 5m, "DEP-1").Entry!.Remarks.ShouldContain(r => r.Code == "deposit-unknown");
    }

    [Fact]
    public void Deposits_and_gift_cards_leave_at_the_rate_they_came_in_the_oldest_first()
    {
        var firm = new Firm(Shop);
        firm.Post(Of("supplier-deposit", "SD-1", Usd(0.90m, e => (e.Amount, e.Method) = (100m, "BANK"))));
        firm.Post(Of("supplier-deposit", "SD-2", Usd(0.95m, e => (e.Amount, e.Method) = (100m, "BANK"))));
        firm.Post(
            Of(
                "supplier-invoice",
                "SI",
                Usd(1m, e => e.DepositApplied = 150m),
                new EventLine { Item = "ADVICE", UnitPrice = 200m }
            )
        );
        // 100 at 0.90 and 50 at 0.95 leave 47.50; 150 of the invoice were worth 137.50 then and 150.00 now.
        firm.Balance("1290").ShouldBe(47.50m);
        firm.Balance("7010").ShouldBe(-12.50m);
        EventLine card = new() { Item = "CARD", UnitPrice = 50m };
        firm.Post(Of("sales-invoice", "G-1", Usd(0.80m, e => e.Channel = "WEB"), card));
        firm.Post(Of("sales-invoice", "G-2", Usd(1m, e => e.Channel = "WEB"), card));
        firm.Post(
            Of(
                "sales-invoice",
                "INV",
                Usd(1m, e => (e.Channel, e.GiftCardApplied) = ("WEB", 60m)),
                new EventLine { Item = "ADVICE", UnitPrice = 100m }
            )
        );
        // 50 at 0.80 and 10 at 1: of 90.00 there are 40.00 left.
        firm.Balance("2210").ShouldBe(-40m);
        firm.Open("2210").ShouldBe(new Dictionary<string, decimal> { ["G-2"] = -40m });
    }

    [Fact]
    public void A_parked_cost_is_released_by_quantity_from_the_shipment_that_is_invoiced()
    {
        var firm = new Firm(With(("cost-timing", "invoice")));
        firm.Post(
            Of(
                "goods-shipped",
                "SH-1",
                e => e.Order = "SO-1",
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 3,
                    UnitCost = 3.34m,
                }
            )
        );
        firm.Balance("1460").ShouldBe(10.02m);
        void Invoice(string reference, decimal quantity, string? shipment, string? order) =>
            firm.Post(
                Of(
                    "sales-invoice",
                    reference,
                    e => e.Order = order,
                    new EventLine
                    {
                        Item = "GAUGE",
                        Quantity = quantity,
                        UnitPrice = 9m,
                        Shipment = shipment,
                    }
                )
            );
        Invoice("INV-1", 1, null, "SO-1");
        firm.Balance("5000").ShouldBe(3.34m);
        Invoice("INV-2", 2, "SH-1", null);
        (firm.Balance("5000"), firm.Balance("1460")).ShouldBe((10.02m, 0m));
        firm.Movements.Where(m => m.State == StockState.Shipped).Sum(m => m.Quantity).ShouldBe(0);
    }

    [Fact]
    public void An_allocation_moves_open_items_and_posts_only_what_the_rates_make_of_them()
    {
        var firm = new Firm(Shop);
        EventLine line = new()
        {
            Item = "ADVICE",
            UnitPrice = 100m,
            TaxCode = "X",
        };
        firm.Post(Of("sales-invoice", "INV-1", null, line));
        firm.Post(Of("customer-payment", "PAY-1", e => (e.Amount, e.Method) = (60m, "BANK")));
        BusinessEvent Allocation(decimal amount, string? currency, params string[] references) =>
            Of("allocation", "AL", e =>
            {
                (e.Side, e.Currency) = ("customer", currency);
                e.Settles =
                [
                    new() { Reference = references[0], Amount = amount },
                    new() { Reference = references[1], Amount = -amount },
                ];
            });
        // One account at one rate: nothing is posted, and the open items move.
        firm.Post(Allocation(60m, null, "INV-1", "PAY-1"), "nothing").Quiet.Count.ShouldBe(2);
        firm.Open("1200").ShouldBe(new Dictionary<string, decimal> { ["INV-1"] = 40m });
        firm.Balance("1200").ShouldBe(40m);
        // Over-allocating, what nobody knows, and sums that are not zero are refused.
        firm.Post(Allocation(60m, null, "INV-1", "PAY-1"), "refused")
            .Errors.ShouldContain(e => e.Code == "settles-too-much");
        firm.Post(Allocation(1m, null, "INV-1", "NEVER"), "refused")
            .Errors.ShouldContain(e => e.Code == "document-unknown");
        firm.Post(Allocation(1m, "USD", "INV-1", "PAY-1"), "refused")
            .Errors.ShouldContain(e => e.Code == "document-currency");
        // At two rates the difference is the exchange's: 100 USD at 0.90 against 100 at 0.95.
        firm.Post(Of("sales-invoice", "INV-2", Usd(0.90m), line));
        firm.Post(Of("customer-payment", "PAY-2", Usd(0.95m, e => (e.Amount, e.Method) = (100m, "BANK"))));
        var entry = firm.Post(Allocation(100m, "USD", "INV-2", "PAY-2")).Entry!;
        Lines(entry).ShouldBe(["1200 C 90.00", "1200 D 95.00", "7010 C 5.00"]);
        firm.Open("1200").Keys.ShouldBe(["INV-1"]);
    }

    [Fact]
    public void Value_alone_and_hand_lines_have_their_keys()
    {
        var firm = new Firm(
            Shop with
            {
                Accounts =
                [
                    .. Shop.Accounts.Select(a =>
                        a.Control == Control.None ? a : a with { HandEntries = HandEntries.Accept }
                    ),
                ],
            }
        );
        firm.Post(
            Of(
                "goods-received",
                "GR-1",
                null,
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 2,
                    UnitCost = 5m,
                }
            )
        );
        firm.Post(
            Of(
                "supplier-invoice",
                "SI-9",
                null,
                new EventLine
                {
                    Item = "GAUGE",
                    Quantity = 0,
                    Amount = 1.50m,
                }
            )
        );
        var stock = firm.Movements.Where(m => m.Account == "1400").ToList();
        (stock.Sum(m => m.Amount), stock.Sum(m => m.Quantity)).ShouldBe((11.50m, 2m));
        // An opening says a foreign document in base currency with what it is in its own; a payment finds it at its rate.
        firm.Post(
            Of(
                "opening",
                "OPEN",
                e => e.Party = null,
                new EventLine
                {
                    Account = "1200",
                    Debit = 91.73m,
                    Party = "CUST",
                    Document = "OLD-1",
                    Currency = "USD",
                    CurrencyAmount = 100m,
                    Rate = 0.9173m,
                    Due = new(2026, 4, 1),
                },
                new EventLine { Account = "4010", Credit = 91.73m }
            )
        );
        var paid = firm.Post(Of("customer-payment", "PAY", Usd(0.95m, e =>
                {
                    (e.Amount, e.Method) = (100m, "BANK");
                    e.Settles = [new() { Reference = "OLD-1", Amount = 100m }];
                }))).Entry!;
        Lines(paid).ShouldBe(["1100 D 95.00", "1200 C 91.73", "7010 C 3.27"]);
        firm.Open("1200").ShouldBeEmpty();
    }
}
