using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>What the examples move: an invoice and a payment on account, each of 100 in another currency and at a rate of
/// its own, so that the example shows what becomes of the difference.</summary>
public sealed class ExampleDocuments(CompiledSetUp setUp) : IOpenDocuments
{
    internal const string Invoice = "EX-INVOICE",
        Payment = "EX-PAYMENT",
        Entry = "own/EX-ENTRY";

    /// <inheritdoc/>
    public PostedBefore? Posted(string name)
    {
        string? Of(AccountClass of) =>
            setUp.SetUp.Accounts.FirstOrDefault(a => a.Class == of && a.Kind == AccountKind.Posting)?.Number;
        if (
            name != Entry
            || Of(AccountClass.Revenue) is not { } revenue
            || Of(AccountClass.OperatingCost) is not { } cost
        )
            return null;
        PostedLine Line(string account, decimal debit, decimal credit) =>
            new(account, debit, credit, debit, credit, 1, null, null, null, null, false, new LegContext(default));
        var entry = new PostedEntry(
            DateOnly.MinValue,
            setUp.Entity.Currency,
            1,
            [Line(cost, 120, 0), Line(revenue, 0, 120)],
            []
        );
        return new PostedBefore("hand-entry", entry, null, null, [], null);
    }

    /// <summary>A currency that is not the entity's.</summary>
    internal static string CurrencyBeside(string own) => own == "USD" ? "EUR" : "USD";

    /// <inheritdoc/>
    public OpenDocument? Find(Control subledger, string party, string reference)
    {
        if (reference is not (Invoice or Payment))
            return null;
        var currency = CurrencyBeside(setUp.Entity.Currency);
        var values = default(LegValues);
        values[Dimension.Currency] = setUp.Index.Of(Dimension.Currency, currency);
        values[Dimension.Party] = setUp.Party(party)?.Number ?? 0;
        values[Dimension.PartyGroup] = (
            subledger == Control.Payables ? setUp.Party(party)?.SupplierGroup : setUp.Party(party)?.CustomerGroup
        ) ?? 0;
        var purpose = subledger == Control.Payables ? Purposes.Payables : Purposes.Receivables;
        return setUp.Landings.Resolve(purpose, values, null) is not { Account: { } account } landed ? null
            : reference == Invoice ? new OpenDocument(account, 0.9m, 100, currency, 90, landed.ByDefault)
            : new OpenDocument(account, 0.95m, -100, currency, -95, landed.ByDefault);
    }
}
