using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Money;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>The sheet a kind writes on: legs, tax, stock movements, errors and remarks of one event.</summary>
public sealed partial class EntrySheet
{
    private readonly EventKind kind;

    internal EntrySheet(CompiledSetUp setUp, EventKind kind, BusinessEvent source, IOpenDocuments documents)
    {
        SetUp = setUp;
        this.kind = kind;
        Event = source;
        Documents = documents;
        Currency = source.Currency ?? setUp.Entity.Currency;
        IsForeign = Currency != setUp.Entity.Currency;
        Rate = IsForeign ? source.Rate ?? 0 : 1;
        Decimals = Currencies.Decimals(Currency) ?? setUp.BaseDecimals;
        TaxDate = source.TaxDate ?? source.Date;
        Party = source.Party is null ? null : setUp.Party(source.Party);
        Document = NewDocumentContext();
        FindCorrected();
    }

    public CompiledSetUp SetUp { get; }
    public Policies Policies => SetUp.Policies;
    public BusinessEvent Event { get; }
    public IOpenDocuments Documents { get; }

    /// <summary>The event's currency; base where the event names none.</summary>
    public string Currency { get; }
    public bool IsForeign { get; }
    public decimal Rate { get; private set; }

    /// <summary>Decimals of the event's currency.</summary>
    public int Decimals { get; }
    public DateOnly TaxDate { get; }
    public KnownParty? Party { get; }

    /// <summary>The document's own values: the context of document legs.</summary>
    public LegContext Document { get; }

    /// <summary>Credit notes and refunds: every leg stands on the other side, tax lines are negative.</summary>
    public bool Swapped { get; set; }

    internal List<Leg> Legs { get; } = [];
    internal List<TaxPosting> Taxes { get; } = [];
    internal List<Fault> Errors { get; } = [];
    internal List<Fault> Remarks { get; } = [];
    internal List<QuietLeg> Quiet { get; } = [];

    /// <summary>How people and systems call this event's document: its reference, else its source and id.</summary>
    public string OwnDocument => Event.Reference ?? $"{Event.Source}/{Event.Id}";

    /// <summary>Tax standing that the matrix is asked with: the party's, else the event's.</summary>
    public string? Standing => Party is null ? Event.Standing : Party.Party.TaxStanding;

    /// <summary>Writes down what keeps the event from making an entry.</summary>
    public void Fail(string code, string message, string path = "", Purpose? purpose = null, string? account = null) =>
        Errors.Add(new Fault(code, message, path, purpose?.Name, account));

    /// <summary>Writes down what somebody should look at.</summary>
    public void Warn(string code, string message, string? account = null, Purpose? purpose = null, int? line = null) =>
        Remarks.Add(new Fault(code, Severity.Warning, message, account, purpose?.Name, line));

    /// <summary>Rounds to the event's currency.</summary>
    public decimal Round(decimal amount) => SetUp.Rounding.Round(amount, Decimals);

    /// <summary>Rounds to a currency of its own.</summary>
    public decimal RoundIn(string currency, decimal amount) =>
        SetUp.Rounding.Round(amount, Currencies.Decimals(currency) ?? SetUp.BaseDecimals);

    /// <summary>Rounds to the base currency.</summary>
    public decimal RoundBase(decimal amount) => SetUp.Rounding.Round(amount, SetUp.BaseDecimals);

    /// <summary>An amount of the event's currency at the event's rate.</summary>
    public LegAmount Amount(decimal amount) => AmountAt(amount, Rate);

    /// <summary>An amount of the event's currency at a rate of its own.</summary>
    public LegAmount AmountAt(decimal amount, decimal rate) =>
        IsForeign ? new LegAmount(RoundBase(amount * rate), amount) : new LegAmount(amount, amount);

    /// <summary>An amount that exists in base currency only.</summary>
    public LegAmount BaseAmount(decimal amount) => new(amount, IsForeign ? null : amount);

    /// <summary>Calls for a debit; a negative amount is a credit, zero is nothing.</summary>
    /// <param name="bound">What was posted before and is settled: it stands on its account.</param>
    public void Debit(
        Purpose purpose,
        LegAmount amount,
        LegContext context,
        TaxCode? taxUse = null,
        decimal? rate = null,
        string? account = null,
        PostedOn? bound = null
    ) => Add(purpose, Side.Debit, amount, context, taxUse, rate, account, bound);

    /// <summary>Calls for a credit; a negative amount is a debit, zero is nothing.</summary>
    /// <param name="bound">What was posted before and is settled: it stands on its account.</param>
    public void Credit(
        Purpose purpose,
        LegAmount amount,
        LegContext context,
        TaxCode? taxUse = null,
        decimal? rate = null,
        string? account = null,
        PostedOn? bound = null
    ) => Add(purpose, Side.Credit, amount, context, taxUse, rate, account, bound);

    /// <summary>A leg on an account given by hand; no purpose, every guard.</summary>
    public void ByHand(
        Side side,
        LegAmount amount,
        LegContext context,
        string account,
        TaxCode? taxUse,
        decimal? rate = null
    ) => Add(null, side, amount, context, taxUse, rate, account);

    /// <summary>
    /// The difference between what legs are worth at their own rates and at the event's: debits worth more are a gain.
    /// </summary>
    public void Exchange(decimal difference, LegContext context)
    {
        // On a credit note the legs stand the other way round, and so a gain is a loss: the purpose follows the true
        // side.
        if (Swapped)
            difference = -difference;
        var gain = difference > 0;
        var amount = BaseAmount(Math.Abs(difference));
        if (!amount.IsZero)
            Legs.Add(
                new Leg(
                    gain ? Purposes.ExchangeGain : Purposes.ExchangeLoss,
                    gain ? Side.Credit : Side.Debit,
                    amount,
                    context,
                    null,
                    null,
                    Rate
                )
            );
    }

    /// <summary>What a subledger keeps although no line says it: goods without value, or value that stays on its
    /// account.</summary>
    /// <param name="quantity">Units, debit less credit.</param>
    /// <param name="amount">Base currency, debit less credit.</param>
    public void Keep(Purpose purpose, LegContext context, decimal quantity, decimal amount = 0)
    {
        if (quantity != 0 || amount != 0)
            Quiet.Add(
                new QuietLeg(
                    purpose,
                    context,
                    Swapped ? -quantity : quantity,
                    new LegAmount(Swapped ? -amount : amount, null),
                    null
                )
            );
    }

    private void Add(
        Purpose? purpose,
        Side side,
        LegAmount amount,
        LegContext context,
        TaxCode? taxUse,
        decimal? rate,
        string? account,
        PostedOn? bound = null
    )
    {
        // No line is a debit in one currency and a credit in the other: what the amount in the document's currency is worth,
        // and what is beside it in base currency only, stand on two lines.
        if (IsForeign && amount.Foreign is { } foreign && Math.Sign(foreign) * Math.Sign(amount.Base) < 0)
        {
            var worth = AmountAt(foreign, rate ?? Rate);
            Add(purpose, side, worth, context, taxUse, rate, account, bound);
            amount = BaseAmount(amount.Base - worth.Base);
            context = context with { Quantity = 0 };
        }
        // Where the event is in base currency there is one amount, not two.
        if (!IsForeign)
            amount = new LegAmount(amount.Base, amount.Base);
        else if (amount.Foreign == 0)
            amount = amount with { Foreign = null };
        if (amount.IsZero)
        {
            // What costs nothing moves its quantity all the same.
            if (context.Quantity != 0 && purpose is { Control: Control.Stock or Control.Receipts })
                Keep(purpose, context, side == Side.Debit ? context.Quantity : -context.Quantity);
            return;
        }
        var turn = Swapped;
        if (amount.Base < 0 || amount is { Base: 0, Foreign: < 0 })
        {
            amount = new LegAmount(-amount.Base, -amount.Foreign);
            turn = !turn;
        }
        var stands = turn
            ? side == Side.Debit
                ? Side.Credit
                : Side.Debit
            : side;
        // What is in base currency has no rate but one, whatever a document says.
        if (!IsForeign && context.Settled is null)
            rate = 1;
        Legs.Add(new Leg(purpose, stands, amount, context, account, taxUse, rate ?? Rate, bound));
    }

    private LegContext NewDocumentContext()
    {
        var index = SetUp.Index;
        var values = default(LegValues);
        values[Dimension.Currency] = index.Of(Dimension.Currency, Currency);
        values[Dimension.Location] = index.Of(Dimension.Location, Event.Location);
        values[Dimension.Channel] = index.Of(Dimension.Channel, Event.Channel);
        values[Dimension.Method] = index.Of(Dimension.Method, Event.Method);
        values[Dimension.Reason] = index.Of(Dimension.Reason, Event.Reason);
        values[Dimension.Counterparty] = index.Of(Dimension.Counterparty, Event.Counterparty);
        SetParty(ref values, Party);
        SetProject(ref values, Event.Project);
        return new LegContext(
            values,
            Party: Event.Party,
            Location: Event.Location,
            Channel: Event.Channel,
            Method: Event.Method,
            Project: Event.Project,
            Reason: Event.Reason,
            Counterparty: Event.Counterparty,
            Text: Event.Text,
            Dimensions: Event.Dimensions,
            LegCurrency: Currency,
            Order: Event.Order,
            Due: Event.Due
        );
    }

    /// <summary>The document's values with the group that its party has as a supplier, or as a customer.</summary>
    public LegContext DocumentOf(bool supplier)
    {
        if (supplier == kind.FromSupplier || Party is null)
            return Document;
        var values = Document.Values;
        values[Dimension.PartyGroup] = supplier ? Party.SupplierGroup : Party.CustomerGroup;
        return Document with { Values = values };
    }

    private void SetParty(ref LegValues values, KnownParty? party)
    {
        values[Dimension.Party] = party?.Number ?? 0;
        values[Dimension.PartyGroup] =
            party is null ? 0
            : kind.FromSupplier ? party.SupplierGroup
            : party.CustomerGroup;
    }

    private void SetProject(ref LegValues values, string? code)
    {
        var project = code is null ? null : SetUp.Project(code);
        values[Dimension.Project] = project?.Number ?? 0;
        values[Dimension.ProjectGroup] = project?.Group ?? 0;
    }

    private static void SetItem(ref LegValues values, KnownItem? item)
    {
        values[Dimension.Item] = item?.Number ?? 0;
        values[Dimension.ItemGroup] = item?.Group ?? 0;
    }
}
