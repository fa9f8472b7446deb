using System.Collections.Frozen;
using System.Collections.ObjectModel;

namespace Assignum.Core.Events;

/// <summary>What a field of an event holds, and so how it is read, checked, picked in a form and described.</summary>
public enum FieldType
{
    Text,
    Item,
    Party,
    Location,
    Channel,
    Method,
    Project,
    Reason,
    TaxCode,
    Account,
    Currency,
    Entity,
    TaxStanding,
    TaxCategory,

    /// <summary>Money, with no more decimals than its currency has.</summary>
    Amount,

    /// <summary>Money for one unit; may have more decimals than the currency.</summary>
    Price,
    Quantity,
    Rate,
    Percent,
    Share,
    Date,
    Flag,
    Transit,

    /// <summary>Customer or supplier.</summary>
    Side,

    /// <summary>What a line of a cut-off is.</summary>
    CutOff,
    Dimensions,
}

/// <summary>One field of an event, a line, a charge or a settlement: its name and how to read and write it.</summary>
/// <param name="Name">The JSON name.</param>
public sealed record EventField<T>(string Name, FieldType Type, Func<T, object?> Get, Action<T, object?> Set);

/// <summary>Fields, in their order and by their names.</summary>
public sealed class EventFieldTable<T>(EventField<T>[] fields) : ReadOnlyCollection<EventField<T>>(fields)
{
    private readonly FrozenDictionary<string, EventField<T>> byName = fields.ToFrozenDictionary(
        f => f.Name,
        StringComparer.Ordinal
    );

    /// <summary>The field of that name; null: there is none.</summary>
    public EventField<T>? Find(string name) => byName.GetValueOrDefault(name);
}

/// <summary>Where in an event a value stands; written out only where there is something to say of it.</summary>
/// <param name="List">The list that it stands in; null: the event itself.</param>
/// <param name="At">Which of the list, from 0.</param>
public readonly record struct FieldPlace(string Name, string? List = null, int At = 0)
{
    /// <inheritdoc/>
    public override string ToString() => List is null ? Name : $"{List}[{At}].{Name}";

    /// <summary>Written out.</summary>
    public static implicit operator string(FieldPlace place) => place.ToString();
}

/// <summary>Every field there is. JSON, forms, checks of records and the interface's description are all made from
/// it.</summary>
public static class EventFields
{
    /// <summary>Decimals of the currencies that have the most.</summary>
    public const int MostDecimals = 4;

    /// <summary>Largest absolute amount taken, in any currency; larger numbers are a mistake, not money.</summary>
    public const decimal LargestAmount = 999_999_999_999.99m;

    /// <summary>The lists that an event can have.</summary>
    public static readonly IReadOnlyList<string> Lists = ["lines", "charges", "settles", "settlesPayables", "deposits"];

    /// <summary>The fields that a row of a list has, with their types.</summary>
    public static IReadOnlyList<(string Name, FieldType Type)> Of(string list) =>
        list switch
        {
            "lines" => [.. OfLine.Select(f => (f.Name, f.Type))],
            "charges" => [.. OfCharge.Select(f => (f.Name, f.Type))],
            "deposits" => [.. OfDeposit.Select(f => (f.Name, f.Type))],
            _ => [.. OfSettlement.Select(f => (f.Name, f.Type))],
        };

    /// <summary>Fields of the event itself, without <c>source</c>, <c>id</c>, <c>kind</c> and the lists.</summary>
    public static readonly EventFieldTable<BusinessEvent> OfEvent = new([
        Of(
            "date",
            FieldType.Date,
            e => e.Date == default ? null : e.Date,
            (e, v) => e.Date = v is DateOnly d ? d : default
        ),
        Of("currency", FieldType.Currency, e => e.Currency, (e, v) => e.Currency = (string?)v),
        Of("rate", FieldType.Rate, e => e.Rate, (e, v) => e.Rate = (decimal?)v),
        Of("reference", FieldType.Text, e => e.Reference, (e, v) => e.Reference = (string?)v),
        Of("text", FieldType.Text, e => e.Text, (e, v) => e.Text = (string?)v),
        Of("order", FieldType.Text, e => e.Order, (e, v) => e.Order = (string?)v),
        Of("corrects", FieldType.Text, e => e.Corrects, (e, v) => e.Corrects = (string?)v),
        Of("reverses", FieldType.Text, e => e.Reverses, (e, v) => e.Reverses = (string?)v),
        Of("due", FieldType.Date, e => e.Due, (e, v) => e.Due = (DateOnly?)v),
        Of("side", FieldType.Side, e => e.Side, (e, v) => e.Side = (string?)v),
        Of("party", FieldType.Party, e => e.Party, (e, v) => e.Party = (string?)v),
        Of("standing", FieldType.TaxStanding, e => e.Standing, (e, v) => e.Standing = (string?)v),
        Of("counterparty", FieldType.Entity, e => e.Counterparty, (e, v) => e.Counterparty = (string?)v),
        Of("channel", FieldType.Channel, e => e.Channel, (e, v) => e.Channel = (string?)v),
        Of("method", FieldType.Method, e => e.Method, (e, v) => e.Method = (string?)v),
        Of("clearingMethod", FieldType.Method, e => e.ClearingMethod, (e, v) => e.ClearingMethod = (string?)v),
        Of("fromMethod", FieldType.Method, e => e.FromMethod, (e, v) => e.FromMethod = (string?)v),
        Of("toMethod", FieldType.Method, e => e.ToMethod, (e, v) => e.ToMethod = (string?)v),
        Of("location", FieldType.Location, e => e.Location, (e, v) => e.Location = (string?)v),
        Of("fromLocation", FieldType.Location, e => e.FromLocation, (e, v) => e.FromLocation = (string?)v),
        Of("toLocation", FieldType.Location, e => e.ToLocation, (e, v) => e.ToLocation = (string?)v),
        Of("inTransit", FieldType.Transit, e => e.InTransit, (e, v) => e.InTransit = (string?)v),
        Of("project", FieldType.Project, e => e.Project, (e, v) => e.Project = (string?)v),
        Of("reason", FieldType.Reason, e => e.Reason, (e, v) => e.Reason = (string?)v),
        Of("taxDate", FieldType.Date, e => e.TaxDate, (e, v) => e.TaxDate = (DateOnly?)v),
        Of("taxCode", FieldType.TaxCode, e => e.TaxCode, (e, v) => e.TaxCode = (string?)v),
        Of(
            "pricesIncludeTax",
            FieldType.Flag,
            e => e.PricesIncludeTax ? true : null,
            (e, v) => e.PricesIncludeTax = v is true
        ),
        Of("output", FieldType.Item, e => e.Output, (e, v) => e.Output = (string?)v),
        Of("quantity", FieldType.Quantity, e => e.Quantity, (e, v) => e.Quantity = (decimal?)v),
        Of("unitCost", FieldType.Price, e => e.UnitCost, (e, v) => e.UnitCost = (decimal?)v),
        Of("issuedCost", FieldType.Amount, e => e.IssuedCost, (e, v) => e.IssuedCost = (decimal?)v),
        Of("amount", FieldType.Amount, e => e.Amount, (e, v) => e.Amount = (decimal?)v),
        Of("counterpartyRate", FieldType.Rate, e => e.CounterpartyRate, (e, v) => e.CounterpartyRate = (decimal?)v),
        Of("discountGiven", FieldType.Amount, e => e.DiscountGiven, (e, v) => e.DiscountGiven = (decimal?)v),
        Of("discountTaken", FieldType.Amount, e => e.DiscountTaken, (e, v) => e.DiscountTaken = (decimal?)v),
        Of("writeOff", FieldType.Amount, e => e.WriteOff, (e, v) => e.WriteOff = (decimal?)v),
        Of("fee", FieldType.Amount, e => e.Fee, (e, v) => e.Fee = (decimal?)v),
        Of("depositApplied", FieldType.Amount, e => e.DepositApplied, (e, v) => e.DepositApplied = (decimal?)v),
        Of("depositRate", FieldType.Rate, e => e.DepositRate, (e, v) => e.DepositRate = (decimal?)v),
        Of("depositTaxCode", FieldType.TaxCode, e => e.DepositTaxCode, (e, v) => e.DepositTaxCode = (string?)v),
        Of("depositTax", FieldType.Amount, e => e.DepositTax, (e, v) => e.DepositTax = (decimal?)v),
        Of("giftCardApplied", FieldType.Amount, e => e.GiftCardApplied, (e, v) => e.GiftCardApplied = (decimal?)v),
        Of("giftCardRate", FieldType.Rate, e => e.GiftCardRate, (e, v) => e.GiftCardRate = (decimal?)v),
        Of("giftCardChannel", FieldType.Channel, e => e.GiftCardChannel, (e, v) => e.GiftCardChannel = (string?)v),
        Of("payablesAccount", FieldType.Account, e => e.PayablesAccount, (e, v) => e.PayablesAccount = (string?)v),
        Of(
            "receivablesAccount",
            FieldType.Account,
            e => e.ReceivablesAccount,
            (e, v) => e.ReceivablesAccount = (string?)v
        ),
        Of("authority", FieldType.Text, e => e.Authority, (e, v) => e.Authority = (string?)v),
        Of("sequence", FieldType.Quantity, e => e.Sequence, (e, v) => e.Sequence = (decimal?)v),
        Of("reverseOn", FieldType.Date, e => e.ReverseOn, (e, v) => e.ReverseOn = (DateOnly?)v),
        Of("costToDate", FieldType.Amount, e => e.CostToDate, (e, v) => e.CostToDate = (decimal?)v),
        Of("billedToDate", FieldType.Amount, e => e.BilledToDate, (e, v) => e.BilledToDate = (decimal?)v),
        Of("costRecognised", FieldType.Amount, e => e.CostRecognised, (e, v) => e.CostRecognised = (decimal?)v),
        Of(
            "revenueRecognised",
            FieldType.Amount,
            e => e.RevenueRecognised,
            (e, v) => e.RevenueRecognised = (decimal?)v
        ),
        Of("accruedRevenue", FieldType.Amount, e => e.AccruedRevenue, (e, v) => e.AccruedRevenue = (decimal?)v),
        Of("estimatedCost", FieldType.Amount, e => e.EstimatedCost, (e, v) => e.EstimatedCost = (decimal?)v),
        Of("contractValue", FieldType.Amount, e => e.ContractValue, (e, v) => e.ContractValue = (decimal?)v),
        Of("complete", FieldType.Flag, e => e.Complete, (e, v) => e.Complete = (bool?)v),
        Of(
            "dimensions",
            FieldType.Dimensions,
            e => e.Dimensions,
            (e, v) => e.Dimensions = (IReadOnlyDictionary<string, string>?)v
        ),
    ]);

    /// <summary>Fields of a line.</summary>
    public static readonly EventFieldTable<EventLine> OfLine = new([
        Line("item", FieldType.Item, l => l.Item, (l, v) => l.Item = (string?)v),
        Line("account", FieldType.Account, l => l.Account, (l, v) => l.Account = (string?)v),
        Line("party", FieldType.Party, l => l.Party, (l, v) => l.Party = (string?)v),
        Line("quantity", FieldType.Quantity, l => l.Quantity, (l, v) => l.Quantity = (decimal?)v),
        Line("unitPrice", FieldType.Price, l => l.UnitPrice, (l, v) => l.UnitPrice = (decimal?)v),
        Line("discount", FieldType.Amount, l => l.Discount, (l, v) => l.Discount = (decimal?)v),
        Line("discountPercent", FieldType.Percent, l => l.DiscountPercent, (l, v) => l.DiscountPercent = (decimal?)v),
        Line("unitCost", FieldType.Price, l => l.UnitCost, (l, v) => l.UnitCost = (decimal?)v),
        Line("debit", FieldType.Amount, l => l.Debit, (l, v) => l.Debit = (decimal?)v),
        Line("credit", FieldType.Amount, l => l.Credit, (l, v) => l.Credit = (decimal?)v),
        Line("amount", FieldType.Amount, l => l.Amount, (l, v) => l.Amount = (decimal?)v),
        Line("currency", FieldType.Currency, l => l.Currency, (l, v) => l.Currency = (string?)v),
        Line("location", FieldType.Location, l => l.Location, (l, v) => l.Location = (string?)v),
        Line("project", FieldType.Project, l => l.Project, (l, v) => l.Project = (string?)v),
        Line("reason", FieldType.Reason, l => l.Reason, (l, v) => l.Reason = (string?)v),
        Line("taxCode", FieldType.TaxCode, l => l.TaxCode, (l, v) => l.TaxCode = (string?)v),
        Line("order", FieldType.Text, l => l.Order, (l, v) => l.Order = (string?)v),
        Line("receipt", FieldType.Text, l => l.Receipt, (l, v) => l.Receipt = (string?)v),
        Line("shipment", FieldType.Text, l => l.Shipment, (l, v) => l.Shipment = (string?)v),
        Line("document", FieldType.Text, l => l.Document, (l, v) => l.Document = (string?)v),
        Line("what", FieldType.CutOff, l => l.What, (l, v) => l.What = (string?)v),
        Line("cost", FieldType.Amount, l => l.Cost, (l, v) => l.Cost = (decimal?)v),
        Line("costAccount", FieldType.Account, l => l.CostAccount, (l, v) => l.CostAccount = (string?)v),
        Line("due", FieldType.Date, l => l.Due, (l, v) => l.Due = (DateOnly?)v),
        Line("channel", FieldType.Channel, l => l.Channel, (l, v) => l.Channel = (string?)v),
        Line("method", FieldType.Method, l => l.Method, (l, v) => l.Method = (string?)v),
        Line("currencyAmount", FieldType.Amount, l => l.CurrencyAmount, (l, v) => l.CurrencyAmount = (decimal?)v),
        Line("rate", FieldType.Rate, l => l.Rate, (l, v) => l.Rate = (decimal?)v),
        Line("receiptCost", FieldType.Amount, l => l.ReceiptCost, (l, v) => l.ReceiptCost = (decimal?)v),
        Line("receiptRate", FieldType.Rate, l => l.ReceiptRate, (l, v) => l.ReceiptRate = (decimal?)v),
        Line("heldShare", FieldType.Share, l => l.HeldShare, (l, v) => l.HeldShare = (decimal?)v),
        Line("text", FieldType.Text, l => l.Text, (l, v) => l.Text = (string?)v),
        Line("because", FieldType.Text, l => l.Because, (l, v) => l.Because = (string?)v),
        Line(
            "dimensions",
            FieldType.Dimensions,
            l => l.Dimensions,
            (l, v) => l.Dimensions = (IReadOnlyDictionary<string, string>?)v
        ),
    ]);

    /// <summary>Fields of a charge.</summary>
    public static readonly EventFieldTable<EventCharge> OfCharge = new([
        new("amount", FieldType.Amount, c => c.Amount, (c, v) => c.Amount = v is decimal d ? d : 0),
        new("text", FieldType.Text, c => c.Text, (c, v) => c.Text = (string?)v),
        new("taxCode", FieldType.TaxCode, c => c.TaxCode, (c, v) => c.TaxCode = (string?)v),
        new("taxCategory", FieldType.TaxCategory, c => c.TaxCategory, (c, v) => c.TaxCategory = (string?)v),
        new("item", FieldType.Item, c => c.Item, (c, v) => c.Item = (string?)v),
        new("account", FieldType.Account, c => c.Account, (c, v) => c.Account = (string?)v),
    ]);

    /// <summary>Fields of a settlement.</summary>
    public static readonly EventFieldTable<Settlement> OfSettlement = new([
        new("reference", FieldType.Text, s => s.Reference, (s, v) => s.Reference = (string?)v ?? ""),
        new("amount", FieldType.Amount, s => s.Amount, (s, v) => s.Amount = v is decimal d ? d : 0),
        new("rate", FieldType.Rate, s => s.Rate, (s, v) => s.Rate = (decimal?)v),
        new("account", FieldType.Account, s => s.Account, (s, v) => s.Account = (string?)v),
        new("documentAmount", FieldType.Amount, s => s.DocumentAmount, (s, v) => s.DocumentAmount = (decimal?)v),
    ]);

    /// <summary>Fields of a deposit that is used.</summary>
    public static readonly EventFieldTable<Settlement> OfDeposit = new([
        .. OfSettlement.Where(f => f.Name is "reference" or "amount"),
    ]);

    /// <summary>The accounts that an event names, in any field, each once, as they are written.</summary>
    public static IReadOnlyList<string> AccountsOf(BusinessEvent source)
    {
        var named = new HashSet<string>(StringComparer.Ordinal);
        void Take<T>(IReadOnlyList<EventField<T>> fields, T of)
        {
            foreach (var field in fields)
                if (field.Get(of) is string { Length: > 0 } number)
                    named.Add(number);
        }
        Take(AccountsOfEvent, source);
        foreach (var line in source.Lines)
            Take(AccountsOfLine, line);
        foreach (var charge in source.Charges)
            Take(AccountsOfCharge, charge);
        foreach (var settled in source.Settles.Concat(source.SettlesPayables))
            Take(AccountsOfSettlement, settled);
        return [.. named];
    }

    private static readonly EventField<BusinessEvent>[] AccountsOfEvent = Accounts(OfEvent);
    private static readonly EventField<EventLine>[] AccountsOfLine = Accounts(OfLine);
    private static readonly EventField<EventCharge>[] AccountsOfCharge = Accounts(OfCharge);
    private static readonly EventField<Settlement>[] AccountsOfSettlement = Accounts(OfSettlement);

    private static EventField<T>[] Accounts<T>(IEnumerable<EventField<T>> fields) =>
        [.. fields.Where(f => f.Type == FieldType.Account)];

    private static EventField<BusinessEvent> Of(
        string name,
        FieldType type,
        Func<BusinessEvent, object?> get,
        Action<BusinessEvent, object?> set
    ) => new(name, type, get, set);

    private static EventField<EventLine> Line(
        string name,
        FieldType type,
        Func<EventLine, object?> get,
        Action<EventLine, object?> set
    ) => new(name, type, get, set);
}
