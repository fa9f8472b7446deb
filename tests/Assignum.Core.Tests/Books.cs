using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Tests;

/// <summary>A small firm's books for tests: a set-up to change with <c>with</c>, and balances that add up as events
/// come.</summary>
internal sealed class Books
{
    private readonly EntryBuilder builder;
    private readonly Ledger ledger = new();

    public Books(SetUp setUp) => builder = new EntryBuilder(new CompiledSetUp(setUp), null, ledger);

    /// <summary>Rehearses an event; nothing is remembered.</summary>
    public EntryResult Try(BusinessEvent source) => builder.Build(source);

    /// <summary>Makes the entry and adds it to the balances; fails the test when it is refused.</summary>
    public JournalEntry Post(BusinessEvent source)
    {
        var result = builder.Build(source);
        result.Outcome.ShouldBe(
            "posted",
            string.Join(
                "; ",
                result.Errors.Select(e => e.Message).Concat(result.Entry?.Remarks.Select(r => r.Message) ?? [])
            )
        );
        ledger.Add(result.Entry!);
        return result.Entry!;
    }

    /// <summary>Debit minus credit of an account so far.</summary>
    public decimal Balance(string account) => ledger.Balance(account);

    /// <summary>An entry's lines as "account debit credit", in the order of the entry.</summary>
    public static string[] Lines(JournalEntry entry) =>
        [
            .. entry.Lines.Select(l =>
                FormattableString.Invariant($"{l.Account} {(l.Debit > 0 ? "D" : "C")} {l.Debit + l.Credit:0.00}")
            ),
        ];

    /// <summary>What an event does to stock, by lines and without.</summary>
    public static SubledgerMovement[] Stock(EntryResult result) =>
        [
            .. (result.Entry is { } entry ? EntryEffects.Of(entry) : [])
                .Concat(EntryEffects.Of(result.Quiet, "EUR", "test"))
                .Where(m => m.Document == Control.Stock),
        ];

    public static BusinessEvent Event(string kind, Action<BusinessEvent>? fill = null, params EventLine[] lines)
    {
        var source = new BusinessEvent
        {
            Source = "test",
            Id = Guid.NewGuid().ToString("N"),
            Kind = kind,
            Date = new DateOnly(2026, 3, 14),
            Lines = [.. lines],
        };
        fill?.Invoke(source);
        return source;
    }

    public static Account Account(string number, AccountClass accountClass, Control control = Control.None) =>
        new(number, "Account " + number, accountClass, AccountKind.Posting, Control: control);

    public static Assignment Assign(
        Purpose purpose,
        string account,
        params (Dimension Dimension, string Value)[] key
    ) => new(purpose.Name, account, [.. key.OrderBy(k => k.Dimension).Select(k => new KeyPart(k.Dimension, k.Value))]);

    /// <summary>A shop that buys and sells at 23 % tax: every purpose it needs has a default.</summary>
    public static SetUp Shop { get; } =
        new()
        {
            Entity = new Entity("SHOP", "Shop", "EUR"),
            Accounts =
            [
                Account("1100", AccountClass.Asset, Control.Bank),
                Account("1150", AccountClass.Asset, Control.Clearing),
                Account("1200", AccountClass.Asset, Control.Receivables),
                Account("1210", AccountClass.Asset, Control.Receivables),
                Account("1400", AccountClass.Asset, Control.Stock),
                Account("1440", AccountClass.Asset, Control.Production),
                Account("1450", AccountClass.Asset, Control.Stock),
                Account("1460", AccountClass.Asset, Control.Stock),
                Account("1500", AccountClass.Asset, Control.Projects),
                Account("1510", AccountClass.Asset, Control.Projects),
                Account("1290", AccountClass.Asset, Control.Deposits),
                Account("1600", AccountClass.Asset, Control.Tax),
                Account("2100", AccountClass.Liability, Control.Payables),
                Account("2150", AccountClass.Liability, Control.Receipts),
                Account("2200", AccountClass.Liability, Control.Deposits),
                Account("2210", AccountClass.Liability, Control.GiftCards),
                Account("2250", AccountClass.Liability, Control.Projects),
                Account("2300", AccountClass.Liability, Control.Tax),
                Account("1270", AccountClass.Asset),
                Account("2260", AccountClass.Liability),
                Account("3900", AccountClass.Equity),
                Account("4000", AccountClass.Revenue),
                Account("4010", AccountClass.Revenue),
                Account("4020", AccountClass.Revenue),
                Account("5000", AccountClass.CostOfSales),
                Account("5100", AccountClass.CostOfSales),
                Account("5400", AccountClass.CostOfSales),
                Account("6000", AccountClass.OperatingCost),
                Account("6100", AccountClass.OperatingCost),
                Account("7010", AccountClass.OtherIncome),
                Account("7510", AccountClass.OtherCost),
            ],
            Groups =
            [
                new(GroupKind.Item, "GOODS", "Goods", null),
                new(GroupKind.Item, "GAUGES", "Gauges", "GOODS"),
                new(GroupKind.Item, "RAIN", "Rain gauges", "GAUGES"),
                new(GroupKind.Customer, "TRADE", "Trade", null),
                new(GroupKind.Customer, "SHOPS", "Shops", "TRADE"),
                new(GroupKind.Supplier, "LOCAL", "Local", null),
            ],
            Items =
            [
                new("GAUGE", "Rain gauge", ItemNature.Goods, true, "RAIN", "standard"),
                new("GLASS", "Glass", ItemNature.Goods, true, "GOODS", "standard", Costing.Standard, 4m),
                new("ADVICE", "Advice", ItemNature.Service, false, null, "standard"),
                new("HOUR", "Bench hour", ItemNature.Labour, false, null, "standard", Costing.Standard, 30m),
                new("CARD", "Gift card", ItemNature.GiftCard, false),
            ],
            Parties =
            [
                new("CUST", "Customer", PartyKind.Customer, "SHOPS", TaxStanding: "domestic"),
                new("SUPP", "Supplier", PartyKind.Supplier, SupplierGroup: "LOCAL", TaxStanding: "domestic"),
                new("ABROAD", "Abroad", PartyKind.Customer, TaxStanding: "abroad"),
            ],
            Locations = [new("CORK", "Cork"), new("UTRECHT", "Utrecht")],
            Channels = [new("WEB", "Web")],
            Methods = [new("BANK", "Bank"), new("CARD", "Card")],
            Projects =
            [
                new("P-DONE", "On completion", Recognise: Recognise.OnCompletion),
                new("P-SHARE", "By share", Recognise: Recognise.ByCostShare),
                new("P-SHARE-A", "Task", "P-SHARE"),
            ],
            TaxCodes =
            [
                new("S", "Sales", TaxDirection.Output, "S"),
                new("P", "Purchases", TaxDirection.Input, "S"),
                new("X", "Export", TaxDirection.Output, "G"),
                new("R", "Reverse", TaxDirection.Input, "AE", true),
            ],
            TaxRates =
            [
                new("S", new(2020, 1, 1), .23m),
                new("P", new(2020, 1, 1), .23m),
                new("X", new(2020, 1, 1), 0),
                new("R", new(2020, 1, 1), .23m),
            ],
            TaxMatrix =
            [
                new("domestic", "standard", TaxDirection.Output, "S"),
                new("domestic", "standard", TaxDirection.Input, "P"),
                new("abroad", "standard", TaxDirection.Output, "X"),
            ],
            Borrows = [new("sales-returns", "sales-revenue")],
            Assignments =
            [
                Assign(Purposes.Receivables, "1200"),
                Assign(Purposes.Payables, "2100"),
                Assign(Purposes.Stock, "1400"),
                Assign(Purposes.StockInTransit, "1450"),
                Assign(Purposes.ReceivedNotInvoiced, "2150"),
                Assign(Purposes.ShippedNotInvoiced, "1460"),
                Assign(Purposes.ProductionWip, "1440"),
                Assign(Purposes.ProjectWip, "1500"),
                Assign(Purposes.ProjectBillings, "2250"),
                Assign(Purposes.AccruedRevenue, "1510"),
                Assign(Purposes.OutputTax, "2300"),
                Assign(Purposes.InputTax, "1600"),
                Assign(Purposes.Bank, "1100"),
                Assign(Purposes.Clearing, "1150"),
                Assign(Purposes.CustomerDeposits, "2200"),
                Assign(Purposes.SupplierDeposits, "1290"),
                Assign(Purposes.GiftCards, "2210"),
                Assign(Purposes.SalesRevenue, "4000"),
                Assign(Purposes.SalesDiscount, "6000"),
                Assign(Purposes.ShippingIncome, "4010"),
                Assign(Purposes.CostOfSales, "5000"),
                Assign(Purposes.NonStockCost, "6000"),
                Assign(Purposes.PurchaseVariance, "5100"),
                Assign(Purposes.PurchaseDiscount, "5100"),
                Assign(Purposes.StockAdjustment, "5100"),
                Assign(Purposes.StockRevaluation, "5100"),
                Assign(Purposes.OwnWorkToProduction, "5400"),
                Assign(Purposes.ProductionVariance, "5100"),
                Assign(Purposes.ProjectRevenue, "4020"),
                Assign(Purposes.ProjectCost, "5000"),
                Assign(Purposes.OwnWorkToProjects, "5400"),
                Assign(Purposes.PaymentFee, "6100"),
                Assign(Purposes.PaymentDiscountGiven, "6000"),
                Assign(Purposes.PaymentDiscountTaken, "5100"),
                Assign(Purposes.PaymentWriteOff, "6000"),
                Assign(Purposes.ChargebackLoss, "6100"),
                Assign(Purposes.InterestIncome, "4010"),
                Assign(Purposes.ExchangeGain, "7010"),
                Assign(Purposes.ExchangeLoss, "7510"),
                Assign(Purposes.RoundingDifference, "6000"),
                Assign(Purposes.GiftCardBreakage, "4010"),
                Assign(Purposes.UnbilledRevenue, "1270"),
                Assign(Purposes.DeferredRevenue, "2260"),
                Assign(Purposes.RetainedEarnings, "3900"),
            ],
        };

    /// <summary>The shop that also trades with another entity, buys machines and writes a line by hand now and
    /// then.</summary>
    public static SetUp Group { get; } =
        Shop with
        {
            OtherEntities = ["OTHER"],
            Accounts =
            [
                .. Shop.Accounts,
                Account("1190", AccountClass.Asset, Control.Intercompany),
                Account("2190", AccountClass.Liability, Control.Intercompany),
                Account("4030", AccountClass.OtherIncome),
                Account("1010", AccountClass.Asset) with
                {
                    Capital = true,
                },
                Account("6200", AccountClass.OperatingCost) with
                {
                    TaxAdmits = TaxAdmits.None,
                },
            ],
            TaxCodes =
            [
                .. Shop.TaxCodes.Select(c =>
                    c.Code == "P"
                        ? c with
                        {
                            BaseBox = "B1",
                            TaxBox = "B2",
                            CapitalBaseBox = "C1",
                            CapitalTaxBox = "C2",
                        }
                        : c
                ),
                new("H", "Half", TaxDirection.Input, "S", Deductible: 0.5m),
            ],
            TaxRates = [.. Shop.TaxRates, new("H", new(2020, 1, 1), .23m)],
            Assignments =
            [
                .. Shop.Assignments,
                Assign(Purposes.DueFromEntities, "1190"),
                Assign(Purposes.DueToEntities, "2190"),
                Assign(Purposes.IntercompanyIncome, "4030"),
                Assign(Purposes.IntercompanyExpense, "6000"),
            ],
        };

    /// <summary>The shop with policies set.</summary>
    public static SetUp With(params (string Policy, string Value)[] policies) =>
        Shop with
        {
            Policies = [.. policies.Select(p => new PolicyRow(p.Policy, p.Value))],
        };

    /// <summary>The shop with more assignments.</summary>
    public static SetUp With(params Assignment[] more) =>
        Shop with
        {
            Assignments = [.. Shop.Assignments.Where(a => !more.Any(m => m.Identity == a.Identity)), .. more],
        };

    /// <summary>What is open, from the entries so far.</summary>
    private sealed class Ledger : IOpenDocuments
    {
        private readonly List<EntryLine> lines = [];
        private readonly Dictionary<EntryLine, string?> references = [];
        private readonly Dictionary<EntryLine, string> currencies = [];
        private readonly Dictionary<EntryLine, string> entries = [];

        public void Add(JournalEntry entry)
        {
            foreach (var line in entry.Lines)
            {
                lines.Add(line);
                references[line] = line.Context.Reference ?? entry.Reference;
                currencies[line] = line.DocumentCurrency(entry.Currency);
                entries[line] = entry.Currency;
            }
        }

        public decimal Balance(string account) => lines.Where(l => l.Account == account).Sum(l => l.Signed);

        public OpenDocument? Find(Control subledger, string party, string reference)
        {
            var own = lines
                .Where(l => l.Document == subledger && l.Context.Party == party && references[l] == reference)
                .ToList();
            var turn = subledger == Control.Payables ? -1 : 1;
            var of = own.Where(l => currencies[l] == currencies[own[0]]).ToList();
            return own.Count == 0
                ? null
                : new OpenDocument(
                    own[0].Account,
                    own[0].Rate ?? 1,
                    turn * of.Sum(l => l.DocumentSigned(entries[l]) ?? 0),
                    currencies[own[0]],
                    turn * of.Sum(l => l.Signed)
                );
        }
    }
}
