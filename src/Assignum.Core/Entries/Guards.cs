using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Entries;

/// <summary>A leg with the account it landed on, as the guards look at it.</summary>
/// <param name="ByDefault">It landed by the ladder's default, where a tripwire may stand.</param>
internal sealed record GuardedLeg(
    EventKind Kind,
    Leg Leg,
    string Account,
    Account? Record,
    bool ByDefault,
    CompiledSetUp SetUp
)
{
    public Purpose? Purpose => Leg.Purpose;

    public Fault Error(string code, string message) =>
        new(code, Severity.Error, message, Account, Purpose?.Name, Leg.Context.Line);

    public Fault? Say(Fault? unfit) =>
        unfit is null ? null : new(unfit.Code, unfit.Severity, unfit.Message, Account, Purpose?.Name, Leg.Context.Line);
}

/// <summary>The guards: each looks at one landed leg and says what is wrong with it, or nothing.</summary>
/// <remarks>Another guard is another method and a line in <see cref="All"/>.</remarks>
internal static class Guards
{
    public static readonly IReadOnlyList<Func<GuardedLeg, Fault?>> All =
    [
        Usable,
        Tripwire,
        ClassFits,
        ControlFits,
        PartyKindFits,
        DimensionsFit,
        CurrencyFits,
        TaxFits,
    ];

    private static Fault? Usable(GuardedLeg leg) => leg.Say(Fitness.Usable(leg.Account, leg.Record));

    private static Fault? Tripwire(GuardedLeg leg) =>
        leg.Record is { } account ? leg.Say(Fitness.Tripwire(account, leg.Purpose, leg.ByDefault)) : null;

    private static Fault? ClassFits(GuardedLeg leg) =>
        leg.Record is { } account ? leg.Say(Fitness.ClassFits(account, leg.Purpose, leg.ByDefault)) : null;

    // An opening, and a revaluation of an account marked for it, may touch control accounts by hand.
    private static Fault? ControlFits(GuardedLeg leg) =>
        leg.Record is not { } account
        || leg.Purpose is null
            && (leg.Kind.AdmitsControlAccounts || leg.Kind is Kinds.CurrencyRevalued && account.Revalue)
            ? null
            : leg.Say(Fitness.ControlFits(account, leg.Purpose, leg.ByDefault));

    private static Fault? PartyKindFits(GuardedLeg leg)
    {
        if (leg.Record is not { } account || account.PartyKinds == PartyKinds.All)
            return null;
        // A subledger of parties must know whose leg it is.
        if (leg.Leg.Context.Party is not { } code || leg.SetUp.Party(code) is not { } party)
            return account.Control is Control.Receivables or Control.Payables
                ? leg.Error(
                    "party-kind",
                    $"Account {leg.Account} admits certain kinds of party only, and this leg names none: name the "
                        + "party."
                )
                : null;
        return account.Admits(party.Party.Kind)
            ? null
            : leg.Error(
                "party-kind",
                $"Account {leg.Account} does not admit {code}, a party of kind {Words.Of(party.Party.Kind)}."
            );
    }

    private static Fault? DimensionsFit(GuardedLeg leg)
    {
        if (leg.Record is not { DimensionRules: not null } account)
            return null;
        var given = leg.Leg.Context.Dimensions;
        foreach (var required in account.RequiredDimensions)
            if (given is null || !given.ContainsKey(required))
                return leg.Error(
                    "dimension-required",
                    $"Account {leg.Account} requires the dimension {required}: send it on the line or the document."
                );
        foreach (var forbidden in account.ForbiddenDimensions)
            if (given is not null && given.ContainsKey(forbidden))
                return leg.Error("dimension-forbidden", $"Account {leg.Account} forbids the dimension {forbidden}.");
        return null;
    }

    private static Fault? CurrencyFits(GuardedLeg leg)
    {
        if (leg.Record is not { Currency: { } only })
            return null;
        // A leg in base currency only corrects the base value of a foreign account; by hand it names the currency it is
        // for.
        var currency =
            leg.Leg.Amount.Foreign is null && leg.Purpose is not null
                ? leg.SetUp.Entity.Currency
                : leg.Leg.Context.LegCurrency;
        return currency == only
            ? null
            : leg.Error("currency", $"Account {leg.Account} takes {only} only; this leg is in {currency}.");
    }

    private static Fault? TaxFits(GuardedLeg leg)
    {
        if (leg.Record is not { } account || leg.Leg.TaxUse is not { } code)
            return null;
        return account.Admits(code.Direction)
            ? null
            : leg.Error(
                "tax-use",
                $"Account {leg.Account} does not admit {Words.Of(code.Direction)} tax codes such as {code.Code}."
            );
    }
}
