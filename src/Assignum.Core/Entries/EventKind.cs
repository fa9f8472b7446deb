using System.Collections.Frozen;
using Assignum.Core.Chart;
using Assignum.Core.Entries.Kinds;
using Assignum.Core.Landing;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>What a correction takes of the document that it names.</summary>
public enum Correcting
{
    Nothing,

    /// <summary>Its tax codes and the day of their rates.</summary>
    Tax,

    /// <summary>Its rate too, and its amount is applied to it.</summary>
    All,
}

/// <summary>A kind of event: which fields it takes and which legs it calls for. One file a kind.</summary>
/// <remarks>Another kind is another class here and a line in <see cref="EventKinds"/>; nothing else knows kinds by
/// name.</remarks>
public abstract class EventKind
{
    /// <summary>The kind's word, e.g. <c>goods-received</c>.</summary>
    public abstract string Name { get; }

    /// <summary>What people call it.</summary>
    public virtual string Title => Words.Title(Name);

    /// <summary>One plain sentence: what happened.</summary>
    public abstract string Explain { get; }

    /// <summary>Fields of the event it takes beside date, currency, rate, reference, text and dimensions.</summary>
    public virtual IReadOnlyList<string> Takes { get; } = [];

    /// <summary>Fields of the event that must be given.</summary>
    public virtual IReadOnlyList<string> Needs { get; } = [];

    /// <summary>Fields a line takes beside text and dimensions; empty: the kind has no lines.</summary>
    public virtual IReadOnlyList<string> LineTakes { get; } = [];

    /// <summary>Fields every line must give.</summary>
    public virtual IReadOnlyList<string> LineNeeds { get; } = [];

    /// <summary>Whether it may do without a line although it takes some.</summary>
    public virtual bool LinesMayBeNone => false;

    /// <summary>Whether it takes charges, and whether it settles documents.</summary>
    public virtual bool TakesCharges => false;
    public bool Settles => SettledSubledger != Control.None;

    /// <summary>The subledger whose documents it settles; none where it settles none.</summary>
    public virtual Control SettledSubledger => Control.None;

    /// <summary>The subledger whose documents one event of it settles.</summary>
    public virtual Control SubledgerOf(Events.BusinessEvent source) => SettledSubledger;

    /// <summary>Whether it settles the party's documents as a supplier beside.</summary>
    public virtual bool SettlesPayables => false;

    /// <summary>What it takes of a document that it says it corrects.</summary>
    public virtual Correcting Corrects => Correcting.Nothing;

    /// <summary>Whether it does without a rate in another currency: what it moves has its own.</summary>
    public virtual bool NeedsNoRate => false;

    /// <summary>Whether its lines are on accounts that somebody wrote, without a purpose.</summary>
    public virtual bool ByHand => false;

    /// <summary>Whether only this product makes it, as source <c>own</c>, and a reviewer posts it.</summary>
    public virtual bool MadeHere => false;

    /// <summary>Whether it closes years: it enters closed periods, and accounts take what brings them to
    /// nothing.</summary>
    public virtual bool ClosesYears => false;

    /// <summary>What its lines of goods did, and whether they are turned round; null: it is not about goods between us and
    /// others.</summary>
    public virtual (GoodsFact Fact, bool Turned)? Goods => null;

    /// <summary>Whether it turns back what another event did, instead of calling for legs of its own.</summary>
    public virtual bool TurnsBack => false;

    /// <summary>Whether it makes an entry in another entity too, the event's counterparty.</summary>
    public virtual bool ChargesAnother => false;

    /// <summary>Whether what it calls for can stand on one account alone and so leave no line.</summary>
    public virtual bool MayLeaveNoLine => false;

    /// <summary>The purpose that an account written in a list of it (<c>lines</c>, <c>charges</c>, <c>settles</c>)
    /// stands for, as its pattern has it for a line without a project; null: it is not asked for there.</summary>
    public virtual Purpose? WrittenIn(string list) =>
        list == "settles"
            ? SettledSubledger switch
            {
                Control.Receivables => Purposes.Receivables,
                Control.Payables => Purposes.Payables,
                _ => null,
            }
        : list == "settlesPayables" && SettlesPayables ? Purposes.Payables
        : null;

    /// <summary>The direction of tax that a line of a purpose is taxed in; null: it is not what is taxed.</summary>
    public virtual TaxDirection? TaxedAs(Purpose purpose) =>
        purpose == Purposes.SalesRevenue
        || purpose == Purposes.SalesReturns
        || purpose == Purposes.ProjectRevenue
        || purpose == Purposes.ProjectBillings
        || purpose == Purposes.ShippingIncome
            ? TaxDirection.Output
            : null;

    /// <summary>Whether the party's supplier group is its party-group; otherwise the customer group.</summary>
    public virtual bool FromSupplier => false;

    /// <summary>Whether control accounts are admitted whatever their hand-entry rule (opening balances).</summary>
    public virtual bool AdmitsControlAccounts => false;

    /// <summary>Writes the event's legs, tax and movements on the sheet, or says on it what is wrong.</summary>
    public abstract void Write(EntrySheet sheet);
}

/// <summary>The kinds the product knows.</summary>
public static class EventKinds
{
    /// <summary>Every kind, in the order of the contract.</summary>
    public static IReadOnlyList<EventKind> All { get; } =
    [
        new GoodsReceived(),
        new SupplierInvoice(),
        new SupplierCreditNote(),
        new SalesInvoice(),
        new SalesCreditNote(),
        new GoodsShipped(),
        new GoodsReturned(),
        new StockAdjusted(),
        new StockRevalued(),
        new StockMoved(),
        new ProductionIssued(),
        new ProductionCompleted(),
        new CustomerPayment(),
        new SupplierPayment(),
        new CustomerDeposit(),
        new SupplierDeposit(),
        new InterestCharged(),
        new CurrencyRevalued(),
        new MoneyMoved(),
        new GiftCardsExpired(),
        new SetOff(),
        new TaxSettled(),
        new Allocation(),
        new ChannelSale(),
        new ChannelRefund(),
        new ChannelFee(),
        new ChannelChargeback(),
        new ChannelPayout(),
        new ProjectUsage(),
        new ProjectRecognised(),
        new IntercompanyCharge(),
        new HandEntry(),
        new Opening(),
        new CutOff(),
        new YearClosed(),
        new Reversed(),
    ];

    /// <summary>The kinds by what they are about, for people.</summary>
    public static IReadOnlyList<(string Family, IReadOnlyList<EventKind> Kinds)> Families { get; } =
    [
        ("Buying", [.. All.Take(3)]),
        ("Selling", [.. All.Skip(3).Take(4)]),
        ("Stock and making", [.. All.Skip(7).Take(5)]),
        ("Money", [.. All.Skip(12).Take(11)]),
        ("Channels", [.. All.Skip(23).Take(5)]),
        ("Projects", [.. All.Skip(28).Take(2)]),
        ("Between entities and by hand", [.. All.Skip(30).Take(3)]),
        ("Month and year", [.. All.Skip(33)]),
    ];

    private static readonly FrozenDictionary<string, EventKind> ByName = All.ToFrozenDictionary(
        k => k.Name,
        StringComparer.Ordinal
    );

    /// <summary>The kind of that name, or null.</summary>
    public static EventKind? Find(string name) => ByName.GetValueOrDefault(name);
}
