using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>A worked example of every kind of event, made of an entity's own records: what a kind does is shown in
/// accounts its users know.</summary>
public static class Examples
{
    /// <summary>The example, or what record the entity lacks for it, in words.</summary>
    /// <param name="item">An item to make it of: its lines are that item's alone.</param>
    public static (BusinessEvent? Event, string? Lacks) Of(
        EventKind kind,
        CompiledSetUp setUp,
        DateOnly day,
        string? item = null
    )
    {
        var books = new Picks(setUp, item);
        var e = new BusinessEvent
        {
            Source = "own",
            Id = "example",
            Kind = kind.Name,
            Date = day,
            Reference = "EX-1",
        };
        if (!Fills.TryGetValue(kind.Name, out var fill))
            return (null, "an example of this kind");
        fill(e, books);
        if (item is not null)
            e.Lines = [.. e.Lines.Where(l => l.Item is not null).Take(1)];
        return books.Lacks is { } lacks ? (null, lacks) : (e, null);
    }

    private static readonly Dictionary<string, Action<BusinessEvent, Picks>> Fills = new(StringComparer.Ordinal)
    {
        ["goods-received"] = (e, b) =>
        {
            e.Party = b.Supplier;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 10,
                    UnitCost = 42,
                },
            ];
        },
        ["supplier-invoice"] = (e, b) =>
        {
            e.Party = b.Supplier;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 10,
                    UnitPrice = 43,
                    ReceiptCost = 420,
                },
                new()
                {
                    Item = b.Bought,
                    Quantity = 1,
                    UnitPrice = 80,
                    DiscountPercent = 5,
                },
            ];
        },
        ["supplier-credit-note"] = (e, b) =>
        {
            e.Party = b.Supplier;
            e.Lines =
            [
                new()
                {
                    Item = b.Bought,
                    Quantity = 1,
                    UnitPrice = 80,
                },
            ];
        },
        ["sales-invoice"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 2,
                    UnitPrice = 120,
                    DiscountPercent = 10,
                    UnitCost = 42,
                },
                new()
                {
                    Item = b.Service,
                    Quantity = 1,
                    UnitPrice = 60,
                },
            ];
            e.Charges = [new() { Amount = 9 }];
        },
        ["sales-credit-note"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 1,
                    UnitPrice = 120,
                    DiscountPercent = 10,
                    UnitCost = 42,
                },
            ];
        },
        ["goods-shipped"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 2,
                    UnitCost = 42,
                },
            ];
        },
        ["goods-returned"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 1,
                    UnitCost = 42,
                },
            ];
        },
        ["stock-adjusted"] = (e, b) =>
        {
            e.Location = b.Location;
            e.Reason = b.Reason;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = -1,
                    UnitCost = 42,
                },
            ];
        },
        ["stock-revalued"] = (e, b) =>
        {
            e.Location = b.Location;
            e.Lines = [new() { Item = b.Stocked, Amount = -25 }];
        },
        ["stock-moved"] = (e, b) =>
        {
            e.FromLocation = b.Location;
            e.ToLocation = b.OtherLocation;
            e.InTransit = "out";
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 4,
                    UnitCost = 42,
                },
            ];
        },
        ["production-issued"] = (e, b) =>
        {
            e.Output = b.Made;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 3,
                    UnitCost = 42,
                },
                new()
                {
                    Item = b.Worked,
                    Quantity = 2,
                    UnitCost = 30,
                },
            ];
        },
        ["production-completed"] = (e, b) =>
        {
            e.Output = b.Made;
            e.Location = b.Location;
            e.Quantity = 1;
            e.UnitCost = 180;
            e.IssuedCost = 186;
        },
        ["customer-payment"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Method = b.Method;
            e.Amount = 343;
            e.DiscountGiven = 7;
        },
        ["allocation"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Side = "customer";
            e.Currency = ExampleDocuments.CurrencyBeside(b.Currency);
            e.Settles =
            [
                new() { Reference = ExampleDocuments.Invoice, Amount = 100 },
                new() { Reference = ExampleDocuments.Payment, Amount = -100 },
            ];
        },
        ["cut-off"] = (e, b) =>
        {
            e.ReverseOn = e.Date.AddDays(1);
            e.Lines =
            [
                new()
                {
                    What = Kinds.CutOff.InvoicedNotShipped,
                    Item = b.Stocked,
                    Party = b.Customer,
                    Amount = 240,
                    Cost = 84,
                },
                new()
                {
                    What = Kinds.CutOff.ShippedNotInvoicedYet,
                    Item = b.Stocked,
                    Party = b.Customer,
                    Amount = 120,
                    Cost = 42,
                },
            ];
        },
        ["year-closed"] = (e, b) =>
        {
            e.Date = b.YearEnd(e.Date);
            e.Lines =
            [
                new() { Account = b.AccountOf(AccountClass.Revenue), Debit = 1000 },
                new() { Account = b.AccountOf(AccountClass.OperatingCost), Credit = 700 },
            ];
        },
        ["reversed"] = (e, b) =>
        {
            e.Reverses = ExampleDocuments.Entry;
            e.Text = "posted twice";
            b.AccountOf(AccountClass.Revenue);
            b.AccountOf(AccountClass.OperatingCost);
        },
        ["supplier-payment"] = (e, b) =>
        {
            e.Party = b.Supplier;
            e.Method = b.Method;
            e.Amount = 490;
            e.DiscountTaken = 10;
            e.Fee = 2;
        },
        ["customer-deposit"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Method = b.Method;
            e.Amount = 246;
        },
        ["supplier-deposit"] = (e, b) =>
        {
            e.Party = b.Supplier;
            e.Method = b.Method;
            e.Amount = 200;
        },
        ["interest-charged"] = (e, b) =>
        {
            e.Party = b.Customer;
            e.Amount = 12;
        },
        ["currency-revalued"] = (e, b) =>
        {
            e.ReverseOn = e.Date.AddDays(1);
            e.Lines =
            [
                new()
                {
                    Account = b.Revalued,
                    Currency = "USD",
                    Amount = 35,
                    Party = b.RevaluedParty,
                },
            ];
        },
        ["money-moved"] = (e, b) =>
        {
            e.FromMethod = b.Method;
            e.ToMethod = b.OtherMethod;
            e.Amount = 500;
            e.Fee = 1;
        },
        ["gift-cards-expired"] = (e, b) =>
        {
            e.Channel = b.Channel;
            e.Amount = 40;
        },
        ["channel-sale"] = (e, b) =>
        {
            e.Channel = b.Channel;
            e.Method = b.Method;
            e.Party = b.Customer;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 1,
                    UnitPrice = 120,
                    UnitCost = 42,
                },
            ];
        },
        ["channel-refund"] = (e, b) =>
        {
            e.Channel = b.Channel;
            e.Method = b.Method;
            e.Party = b.Customer;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 1,
                    UnitPrice = 120,
                    UnitCost = 42,
                },
            ];
        },
        ["channel-fee"] = (e, b) =>
        {
            e.Channel = b.Channel;
            e.Method = b.Method;
            e.Party = b.Supplier;
            e.Amount = 4;
        },
        ["channel-chargeback"] = (e, b) =>
        {
            e.Channel = b.Channel;
            e.Method = b.Method;
            e.Amount = 60;
            e.Fee = 15;
        },
        ["channel-payout"] = (e, b) =>
        {
            e.Channel = b.Channel;
            e.Method = b.Method;
            e.Amount = 980;
            e.Fee = 20;
        },
        ["project-usage"] = (e, b) =>
        {
            e.Project = b.Project;
            e.Location = b.Location;
            e.Lines =
            [
                new()
                {
                    Item = b.Stocked,
                    Quantity = 2,
                    UnitCost = 42,
                },
                new()
                {
                    Item = b.Worked,
                    Quantity = 3,
                    UnitCost = 30,
                },
            ];
        },
        ["project-recognised"] = (e, b) =>
        {
            e.Project = b.Recognised;
            e.CostToDate = 400;
            e.BilledToDate = 500;
            e.EstimatedCost = 1000;
            e.ContractValue = 1500;
            e.Complete = b.OnCompletion ? true : null;
        },
        ["intercompany-charge"] = (e, b) =>
        {
            e.Counterparty = b.Counterparty;
            e.Amount = 250;
            e.Text = "Services of the month";
        },
        ["hand-entry"] = (e, b) =>
        {
            e.Lines =
            [
                new() { Account = b.Account(AccountClass.OperatingCost), Debit = 100 },
                new() { Account = b.Account(AccountClass.Revenue), Credit = 100 },
            ];
        },
        ["set-off"] = (e, b) =>
        {
            e.Party = b.Either;
            e.Settles = [new() { Reference = "EX-2", Amount = 80 }];
            e.SettlesPayables = [new() { Reference = "EX-3", Amount = 80 }];
        },
        ["tax-settled"] = (e, b) =>
        {
            e.Authority = "Revenue";
            e.Method = b.Method;
            e.Amount = 120;
            e.Lines =
            [
                new() { TaxCode = b.Tax(TaxDirection.Output), Amount = 200 },
                new() { TaxCode = b.Tax(TaxDirection.Input), Amount = 80 },
            ];
        },
        ["opening"] = (e, b) =>
        {
            e.Lines =
            [
                new() { Account = b.Account(AccountClass.Asset, Control.Bank), Debit = 100 },
                new() { Account = b.Account(AccountClass.Equity), Credit = 100 },
            ];
        },
    };

    /// <summary>Records of the entity to make examples of: active ones, and those for which tax is decided
    /// first.</summary>
    private sealed class Picks(CompiledSetUp setUp, string? only)
    {
        private readonly SetUp s = setUp.SetUp;

        /// <summary>The last day of the fiscal year before a day, or that day.</summary>
        public DateOnly YearEnd(DateOnly day)
        {
            var calendar = new Calendar.EntityCalendar(s.Entity.FiscalYearStart, s.Entity.TimeZone);
            var end = calendar.LastDay(calendar.EndsIn(day));
            return end <= day ? end : calendar.LastDay(calendar.EndsIn(day) - 1);
        }

        /// <summary>A posting account of a class that no subledger owns.</summary>
        public string? AccountOf(AccountClass of) =>
            s.Accounts.FirstOrDefault(a =>
                a is { Kind: AccountKind.Posting, Control: Control.None, Tripwire: false } && a.Class == of
            )?.Number
            ?? Miss($"an account of {Words.Of(of)}");

        /// <summary>The entity's currency.</summary>
        public string Currency => s.Entity.Currency;

        /// <summary>What was asked for and is not there.</summary>
        public string? Lacks { get; private set; }

        public string? Customer => Party(TaxDirection.Output, PartyKind.Customer, "a customer");
        public string? Either =>
            s.Parties.FirstOrDefault(p => p is { Kind: PartyKind.Both, Status: RecordStatus.Active })?.Code
            ?? Miss("a party that is customer and supplier");

        /// <summary>A tax code of a direction, an ordinary one.</summary>
        public string? Tax(TaxDirection direction) =>
            s.TaxCodes.Where(c => c.Direction == direction && !c.ReverseCharge)
                .OrderBy(c => c.Code, StringComparer.Ordinal)
                .FirstOrDefault(c => setUp.Taxes.Rate(c.Code, new DateOnly(2026, 1, 1)) is > 0)
                ?.Code
            ?? Miss($"a tax code for {(direction == TaxDirection.Output ? "sales" : "purchases")}");

        public string? Supplier => Party(TaxDirection.Input, PartyKind.Supplier, "a supplier");
        public string? Stocked =>
            Item("a stock item", i => i is { IsStockItem: true, Costing: Costing.Average }, i => i.IsStockItem);
        public string? Made => Items(i => i.IsStockItem).LastOrDefault()?.Code ?? Miss("a stock item that is made");
        public string? Service =>
            Item("something to sell", i => i.Nature == ItemNature.Service, i => i.Nature == ItemNature.Goods);
        public string? Bought =>
            Item(
                "a service, or goods not kept in stock",
                i => i is { Nature: ItemNature.Goods, Stocked: false },
                i => i.Nature == ItemNature.Service
            );
        public string? Worked =>
            Item(
                "labour, overhead or a service",
                i => i.Nature is ItemNature.Labour or ItemNature.Overhead,
                i => i.Nature == ItemNature.Service
            );

        // An ordinary place first: one that no assignment makes an exception of.
        private List<string> Locations =>
            [
                .. s
                    .Locations.OrderBy(l => s.Assignments.Count(a => a.Value(Dimension.Location) == l.Code))
                    .Select(l => l.Code),
            ];
        public string? Location => Locations.FirstOrDefault();
        public string? OtherLocation => Locations.Skip(1).FirstOrDefault() ?? Miss("two locations");
        public string? Channel => s.Channels.Count > 0 ? s.Channels[0].Code : Miss("a channel");
        public string? Method => s.Methods.Count > 0 ? s.Methods[0].Code : null;
        public string? OtherMethod => s.Methods.Count > 1 ? s.Methods[1].Code : Miss("two payment methods");
        public string? Reason => s.Reasons.Count > 0 ? s.Reasons[0].Code : null;
        public string? Counterparty => s.OtherEntities.Count > 0 ? s.OtherEntities[0] : Miss("another entity");
        public string? Project =>
            s.Projects.FirstOrDefault(p => p.Status == RecordStatus.Active)?.Code ?? Miss("a project");
        public string? Recognised =>
            Recognising?.Code ?? Miss("a project that recognises on completion or by cost share");
        public bool OnCompletion => Recognising is { } p && setUp.Project(p.Code)!.Recognise == Recognise.OnCompletion;
        public string? Revalued => RevaluedAccount?.Number ?? Miss("an account marked to be revalued");
        public string? RevaluedParty =>
            RevaluedAccount?.Control switch
            {
                Control.Receivables => Customer,
                Control.Payables => Supplier,
                _ => null,
            };

        public string? Account(AccountClass @class, Control control = Control.None) =>
            s.Accounts.FirstOrDefault(a =>
                a
                    is {
                        Kind: AccountKind.Posting,
                        Status: RecordStatus.Active,
                        Tripwire: false,
                        DimensionRules: null,
                        Currency: null
                    }
                && a.Class == @class
                && a.Control == control
            )?.Number
            ?? Miss($"a posting account of class {Words.Of(@class)}");

        private Project? Recognising =>
            s.Projects.FirstOrDefault(p =>
                p.Status == RecordStatus.Active && setUp.Project(p.Code)!.Recognise != Recognise.AsBilled
            );
        private Account? RevaluedAccount =>
            s.Accounts.FirstOrDefault(a =>
                a is { Kind: AccountKind.Posting, Status: RecordStatus.Active, Revalue: true }
            );

        private IEnumerable<Item> Items(Func<Item, bool> which) =>
            s.Items.Where(i => i.Status == RecordStatus.Active && which(i));

        // The first wish that something fits. One whose group and tax category are filled shows more than one that
        // falls to defaults.
        private string? Item(string what, params Func<Item, bool>[] wishes) =>
            only
            ?? wishes
                .Select(w =>
                    Items(w).OrderBy(i => (i.Group is null ? 1 : 0) + (i.TaxCategory is null ? 2 : 0)).FirstOrDefault()
                )
                .FirstOrDefault(i => i is not null)
                ?.Code
            ?? Miss(what);

        private string? Party(TaxDirection direction, PartyKind kind, string what) =>
            s.Parties.Where(p => p.Status == RecordStatus.Active && (p.Kind == kind || p.Kind == PartyKind.Both))
                .OrderBy(p =>
                    setUp.Taxes.Matrix(p.TaxStanding, "standard", direction) is { } code
                    && setUp.Taxes.Code(code) is { ReverseCharge: false, Category: "S" }
                        ? 0
                        : 1
                )
                .FirstOrDefault()
                ?.Code
            ?? Miss(what);

        private string? Miss(string what)
        {
            Lacks ??= what;
            return null;
        }
    }
}
