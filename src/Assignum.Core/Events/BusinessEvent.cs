namespace Assignum.Core.Events;

/// <summary>Something that happened in a connected system, as it was sent. Field by field the JSON of an
/// event.</summary>
/// <remarks>
/// Which fields a kind takes, needs and means is said by its <see cref="EventKind"/>. Amounts are in
/// <see cref="Currency"/> unless a field says base currency. Codes are ours.
/// </remarks>
public sealed class BusinessEvent
{
    public string Source { get; set; } = "";
    public string Id { get; set; } = "";
    public string Kind { get; set; } = "";

    /// <summary>Posting date.</summary>
    public DateOnly Date { get; set; }

    /// <summary>ISO 4217; null is the entity's own.</summary>
    public string? Currency { get; set; }

    /// <summary>Base units for one unit of <see cref="Currency"/>; greater than zero.</summary>
    public decimal? Rate { get; set; }
    public string? Reference { get; set; }
    public string? Text { get; set; }
    public string? Party { get; set; }
    public string? Channel { get; set; }
    public string? Method { get; set; }
    public string? Location { get; set; }
    public string? Project { get; set; }
    public string? Reason { get; set; }
    public string? TaxCode { get; set; }

    /// <summary>Day whose tax rate counts; null is <see cref="Date"/>.</summary>
    public DateOnly? TaxDate { get; set; }
    public bool PricesIncludeTax { get; set; }
    public List<EventLine> Lines { get; set; } = [];
    public List<EventCharge> Charges { get; set; } = [];
    public List<Settlement> Settles { get; set; } = [];

    /// <summary>What of the same party's documents as a supplier is set off against <see cref="Settles"/>.</summary>
    public List<Settlement> SettlesPayables { get; set; } = [];

    /// <summary>Reporting dimensions of the whole document; a line's own win.</summary>
    public IReadOnlyDictionary<string, string>? Dimensions { get; set; }

    public decimal? DepositApplied { get; set; }
    public decimal? DepositRate { get; set; }
    public string? DepositTaxCode { get; set; }
    public decimal? DepositTax { get; set; }
    public decimal? GiftCardApplied { get; set; }
    public decimal? GiftCardRate { get; set; }
    public string? GiftCardChannel { get; set; }
    public string? PayablesAccount { get; set; }
    public string? ReceivablesAccount { get; set; }
    public string? FromLocation { get; set; }
    public string? ToLocation { get; set; }
    public string? InTransit { get; set; }
    public string? Output { get; set; }
    public decimal? Quantity { get; set; }
    public decimal? UnitCost { get; set; }
    public decimal? IssuedCost { get; set; }
    public decimal? Amount { get; set; }
    public decimal? Fee { get; set; }
    public decimal? DiscountGiven { get; set; }
    public decimal? DiscountTaken { get; set; }
    public decimal? WriteOff { get; set; }
    public DateOnly? ReverseOn { get; set; }

    /// <summary>The event that is turned back: its source and id with a slash between.</summary>
    public string? Reverses { get; set; }
    public string? FromMethod { get; set; }
    public string? ToMethod { get; set; }
    public string? ClearingMethod { get; set; }
    public string? Standing { get; set; }
    public decimal? CostToDate { get; set; }
    public decimal? BilledToDate { get; set; }
    public decimal? CostRecognised { get; set; }
    public decimal? RevenueRecognised { get; set; }
    public decimal? AccruedRevenue { get; set; }
    public decimal? EstimatedCost { get; set; }
    public decimal? ContractValue { get; set; }
    public bool? Complete { get; set; }
    public string? Counterparty { get; set; }
    public decimal? CounterpartyRate { get; set; }

    /// <summary>The tax authority that is paid, as tax codes name it.</summary>
    public string? Authority { get; set; }

    /// <summary>The order it belongs to, of sales, of purchase or to make; a line's own wins.</summary>
    public string? Order { get; set; }

    /// <summary>The reference of the party's document that a credit note or a refund corrects.</summary>
    public string? Corrects { get; set; }

    /// <summary>When the document is to be paid.</summary>
    public DateOnly? Due { get; set; }

    /// <summary>Which deposits are used where <see cref="DepositApplied"/> stands; empty: the party's oldest.</summary>
    public List<Settlement> Deposits { get; set; } = [];

    /// <summary>Whose open items an allocation moves: <c>customer</c> or <c>supplier</c>.</summary>
    public string? Side { get; set; }

    /// <summary>The running number that the connected system gave it: 1, 2, 3 … without gaps.</summary>
    public decimal? Sequence { get; set; }
}

/// <summary>A line of an event.</summary>
public sealed class EventLine
{
    public string? Item { get; set; }

    /// <summary>An account written on the document: the <c>line</c> rung; on hand entries the account itself.</summary>
    public string? Account { get; set; }
    public decimal? Quantity { get; set; }
    public decimal? UnitPrice { get; set; }
    public decimal? Discount { get; set; }

    /// <summary>10 is 10 %.</summary>
    public decimal? DiscountPercent { get; set; }

    /// <summary>Base currency per unit (goods-received: the event's currency).</summary>
    public decimal? UnitCost { get; set; }
    public string? Location { get; set; }
    public string? Project { get; set; }
    public string? Reason { get; set; }
    public string? TaxCode { get; set; }
    public string? Text { get; set; }
    public IReadOnlyDictionary<string, string>? Dimensions { get; set; }
    public decimal? ReceiptCost { get; set; }
    public decimal? ReceiptRate { get; set; }

    /// <summary>0 to 1: the share of a receipt that is still on hand.</summary>
    public decimal? HeldShare { get; set; }
    public decimal? Amount { get; set; }
    public string? Currency { get; set; }
    public string? Party { get; set; }
    public decimal? Debit { get; set; }
    public decimal? Credit { get; set; }

    /// <summary>Why a warning on this hand-written line is passed over.</summary>
    public string? Because { get; set; }

    /// <summary>The order it belongs to; null: the event's.</summary>
    public string? Order { get; set; }

    /// <summary>The reference of the goods-received that the line settles.</summary>
    public string? Receipt { get; set; }

    /// <summary>The reference of the goods-shipped, or goods-returned, that the line invoices.</summary>
    public string? Shipment { get; set; }

    /// <summary>The document that a hand-written line is about; null: the event's own.</summary>
    public string? Document { get; set; }

    /// <summary>What a line of a cut-off is: <c>invoiced-not-shipped</c>, <c>shipped-not-invoiced</c> or
    /// <c>received-not-invoiced</c>.</summary>
    public string? What { get; set; }

    /// <summary>The cost that goes with a line of a cut-off; base currency.</summary>
    public decimal? Cost { get; set; }

    /// <summary>The account on which that cost was posted.</summary>
    public string? CostAccount { get; set; }

    /// <summary>When that document is to be paid.</summary>
    public DateOnly? Due { get; set; }
    public string? Method { get; set; }
    public string? Channel { get; set; }

    /// <summary>What a hand-written line is in its own <see cref="Currency"/>; its side is that of the line.</summary>
    public decimal? CurrencyAmount { get; set; }

    /// <summary>Base units for one unit of the line's currency.</summary>
    public decimal? Rate { get; set; }
}

/// <summary>A charge beside the lines: carriage, packing.</summary>
public sealed class EventCharge
{
    public decimal Amount { get; set; }
    public string? Text { get; set; }
    public string? TaxCode { get; set; }
    public string? TaxCategory { get; set; }
    public string? Item { get; set; }
    public string? Account { get; set; }
}

/// <summary>A document that a payment settles, and by how much in the payment's currency.</summary>
public sealed class Settlement
{
    /// <summary>How much of the document is settled in the document's own currency, where that is another than the
    /// payment's.</summary>
    public decimal? DocumentAmount { get; set; }

    public string Reference { get; set; } = "";
    public decimal Amount { get; set; }
    public decimal? Rate { get; set; }
    public string? Account { get; set; }
}
