using Assignum.Core.Chart;
using Assignum.Core.Groups;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>A leg with the account it landed on, as the guards look at it.</summary>
/// <param name="ByDefault">It landed by the ladder's default, where a tripwire may stand.</param>
internal sealed record GuardedLeg(EventKind Kind, Leg Leg, string Account, Account? Record, bool ByDefault, CompiledSetUp SetUp)
{
    public Purpose? Purpose => Leg.Purpose;

    public Remark Error(string code, string message) => Say(code, Severity.Error, message);
    public Remark Warning(string code, string message) => Say(code, Severity.Warning, message);
    private Remark Say(string code, Severity severity, string message) =>
        new(code, severity, message, Account, Purpose?.Name, Leg.Context.Line);
}

/// <summary>The guards: each looks at one landed leg and says what is wrong with it, or nothing.</summary>
/// <remarks>Another guard is another method and a line in <see cref="All"/>.</remarks>
internal static class Guards
{
    public static readonly IReadOnlyList<Func<GuardedLeg, Remark?>> All =
        [Usable, Tripwire, ClassFits, ControlFits, PartyKindFits, DimensionsFit, CurrencyFits, TaxFits];

    private static Remark? Usable(GuardedLeg leg) => leg.Record switch
    {
        null => leg.Error("account-missing", $"Account {leg.Account} does not exist: create it or assign another."),
        { Kind: AccountKind.Heading } => leg.Error("account-heading", $"Account {leg.Account} is a heading; only posting accounts take amounts."),
        { Status: RecordStatus.Archived } => leg.Error("account-archived", $"Account {leg.Account} is archived: assign another or make it active."),
        _ => null,
    };

    private static Remark? Tripwire(GuardedLeg leg) => leg.Record is not { Tripwire: true } ? null
        : leg.ByDefault || leg.Purpose is null
            ? leg.Warning("tripwire", $"Account {leg.Account} is a tripwire: an assignment is missing above the default.")
            : leg.Error("tripwire-written", $"Account {leg.Account} is a tripwire and may not be written on a document.");

    private static Remark? ClassFits(GuardedLeg leg) =>
        leg.Record is { } account && leg.Purpose is { } purpose && !(account.Tripwire && leg.ByDefault) && !purpose.Accepts(account.Class)
            ? leg.Error("class", $"Account {leg.Account} is of class {Words.Of(account.Class)}; {purpose.Name} takes {string.Join(" or ", purpose.Classes.Select(Words.Of))}.")
            : null;

    private static Remark? ControlFits(GuardedLeg leg)
    {
        if (leg.Record is not { } account) return null;
        var needed = leg.Purpose?.Control ?? Control.None;
        if (account.Control == needed) return null;
        if (account.Control == Control.None)
            return account.Tripwire && leg.ByDefault ? null
                : leg.Error("control-needed", $"{leg.Purpose!.Name} needs a control account of {Words.Of(needed)}; {leg.Account} is none.");
        // An opening, and a revaluation of an account marked for it, may touch control accounts by hand.
        if (leg.Purpose is null && (leg.Kind.AdmitsControlAccounts || leg.Kind is Kinds.CurrencyRevalued && account.Revalue)) return null;
        var message = $"Account {leg.Account} is the control account of {Words.Of(account.Control)}; {leg.Purpose?.Name ?? "a hand entry"} should not use it.";
        return account.HandEntries switch
        {
            HandEntries.Accept => null,
            HandEntries.Warn => leg.Warning("control-account", message),
            _ => leg.Error("control-account", message),
        };
    }

    private static Remark? PartyKindFits(GuardedLeg leg)
    {
        if (leg.Record is not { Control: Control.Receivables or Control.Payables } account || account.PartyKinds == PartyKinds.All) return null;
        if (leg.Leg.Context.Party is not { } code || leg.SetUp.Party(code) is not { } party) return null;
        var kinds = party.Party.Kind switch
        {
            PartyKind.Customer => PartyKinds.Customers,
            PartyKind.Supplier => PartyKinds.Suppliers,
            PartyKind.Both => PartyKinds.Customers | PartyKinds.Suppliers,
            _ => PartyKinds.Others,
        };
        return (kinds & account.PartyKinds) != 0 ? null
            : leg.Error("party-kind", $"Account {leg.Account} does not admit {code}, a party of kind {Words.Of(party.Party.Kind)}.");
    }

    private static Remark? DimensionsFit(GuardedLeg leg)
    {
        if (leg.Record is not { DimensionRules: not null } account) return null;
        var given = leg.Leg.Context.Dimensions;
        foreach (var required in account.RequiredDimensions)
            if (given is null || !given.ContainsKey(required))
                return leg.Error("dimension-required", $"Account {leg.Account} requires the dimension {required}: send it on the line or the document.");
        foreach (var forbidden in account.ForbiddenDimensions)
            if (given is not null && given.ContainsKey(forbidden))
                return leg.Error("dimension-forbidden", $"Account {leg.Account} forbids the dimension {forbidden}.");
        return null;
    }

    private static Remark? CurrencyFits(GuardedLeg leg)
    {
        if (leg.Record is not { Currency: { } only }) return null;
        // A leg in base currency only corrects the base value of a foreign account; by hand it names the currency it is for.
        var currency = leg.Leg.Amount.Foreign is null && leg.Purpose is not null ? leg.SetUp.Entity.Currency : leg.Leg.Context.LegCurrency;
        return currency == only ? null
            : leg.Error("currency", $"Account {leg.Account} takes {only} only; this leg is in {currency}.");
    }

    private static Remark? TaxFits(GuardedLeg leg)
    {
        if (leg.Record is not { } account || leg.Leg.TaxUse is not { } code) return null;
        var fits = account.TaxAdmits switch
        {
            TaxAdmits.Both => true,
            TaxAdmits.None => false,
            TaxAdmits.Input => code.Direction == TaxDirection.Input,
            _ => code.Direction == TaxDirection.Output,
        };
        return fits ? null : leg.Error("tax-use", $"Account {leg.Account} does not admit {Words.Of(code.Direction)} tax codes such as {code.Code}.");
    }
}
