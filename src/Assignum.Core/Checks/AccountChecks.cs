using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tax;

namespace Assignum.Core.Checks;

/// <summary>An account in use that no account of the group's report takes.</summary>
public sealed class NoGroupAccount() : Check("no-group-account", "No group account", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        if (input.SetUp.Crosswalk.Count == 0)
            yield break;
        var sides = input.SetUp.Crosswalk.ToLookup(c => c.Account, c => c.Balance, StringComparer.Ordinal);
        foreach (var account in Posting(input).Where(input.InUse))
        {
            var said = sides[account.Number].ToHashSet(StringComparer.Ordinal);
            if (!said.Contains("any") && !(said.Contains("debit") && said.Contains("credit")))
                yield return OnAccount(
                    input,
                    account,
                    FindingSeverity.Warning,
                    $"{account.Number} {account.Name} has no group account{Side(said)}.",
                    "Its balance is missing from the group's report."
                );
        }
    }

    private static string Side(HashSet<string> said) =>
        said.Count == 0 ? ""
        : said.Contains("debit") ? " for a credit balance"
        : " for a debit balance";

    internal static IEnumerable<Account> Posting(CheckInput input) =>
        input.SetUp.Accounts.Where(a => a is { Kind: AccountKind.Posting, Status: RecordStatus.Active });
}

/// <summary>An account in use lacks a report code that most of its class have.</summary>
public sealed class NoReportCode() : Check("no-report-code", "No report code", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var of in NoGroupAccount.Posting(input).GroupBy(a => a.Class).OrderBy(g => g.Key))
        {
            var accounts = of.Select(a =>
                    (
                        Account: a,
                        Names: Account.Pairs(a.ReportCodes).Select(p => p.Name).ToHashSet(StringComparer.Ordinal)
                    )
                )
                .ToList();
            foreach (
                var name in accounts
                    .SelectMany(a => a.Names)
                    .CountBy(n => n, StringComparer.Ordinal)
                    .Where(n => 2 * n.Value >= accounts.Count)
                    .Select(n => n.Key)
                    .Order(StringComparer.Ordinal)
            )
            {
                var without = accounts
                    .Where(a => !a.Names.Contains(name) && input.InUse(a.Account))
                    .Select(a => a.Account)
                    .ToList();
                if (without.Count > 0)
                    yield return Grouped(
                        FindingSeverity.Info,
                        $"{Words.Of(of.Key)} \u00b7 {name}",
                        [.. without.Select(CheckInput.Place)],
                        $"{CheckInput.Some(without.Count, "account")} of {Words.Of(of.Key).Replace('-', ' ')} "
                            + $"{(without.Count == 1 ? "has" : "have")} no report code {name}, and most have.",
                        "Their balances are missing from that report."
                    );
            }
        }
    }
}

/// <summary>An account that stands in for a control account and cannot.</summary>
public sealed class ReliefUnfit() : Check("relief-unfit", "Cannot be used instead", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var row in input.SetUp.ReliefAccounts)
        {
            if (
                input.Compiled.Account(row.Account) is not { } account
                || input.Compiled.Account(row.Relief) is not { } relief
            )
                continue;
            var why =
                account.Number == relief.Number ? "it is the account itself"
                : account.Control == Control.None ? $"{account.Number} is no control account"
                : relief.Status == RecordStatus.Archived ? "it is archived"
                : relief.Kind == AccountKind.Heading ? "it is a heading"
                : relief.Tripwire ? "it is a tripwire"
                : relief.Control != account.Control ? "it is of another subledger"
                : null;
            if (why is null)
                continue;
            var amount = input.Posted.ByAccount.GetValueOrDefault(relief.Number);
            yield return new Finding(
                Code,
                FindingSeverity.Error,
                [CheckInput.Place(Parts.ReliefAccounts, ("account", row.Account), ("relief", row.Relief))],
                null,
                relief.Number,
                null,
                1,
                amount,
                $"{input.Said(relief.Number)} cannot be used instead of {input.Said(account.Number)}: {why}.",
                "Documents that name it are refused." + input.Passed(amount)
            );
        }
    }
}

/// <summary>One account that two subledgers share.</summary>
public sealed class TwoSubledgers() : Check("two-subledgers", "Two subledgers on one account")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var account in input.SetUp.Accounts)
        {
            var naming = input.Naming(account.Number);
            // Most accounts serve one purpose.
            if (
                naming.Count == 0
                || naming.All(a => string.Equals(a.Purpose, naming[0].Purpose, StringComparison.Ordinal))
            )
                continue;
            var controls = naming
                .Where(a => !input.IsMiss(a) && !input.IsTripwireDefault(a))
                .Select(a => Purposes.Find(a.Purpose)!.Control)
                .Where(c => c != Control.None)
                .Distinct()
                .Order()
                .ToList();
            if (controls.Count > 1)
                yield return OnAccount(
                    input,
                    account,
                    FindingSeverity.Warning,
                    $"{account.Number} {account.Name} serves {string.Join(" and ", controls.Select(c => Words.Of(c).Replace('-', ' ')))}.",
                    "Neither subledger can be held against its balance.",
                    controls.Count
                );
        }
    }
}

/// <summary>An account's number is in none of the bands of its class.</summary>
public sealed class OutsideBand() : Check("outside-band", "Number outside its band", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var bands = input.SetUp.NumberBands.ToLookup(b => b.Class);
        foreach (var account in input.SetUp.Accounts)
            if (bands[account.Class].Any() && !bands[account.Class].Any(b => ChartNumbers.Within(b, account.Number)))
                yield return OnAccount(
                    input,
                    account,
                    FindingSeverity.Info,
                    $"{account.Number} {account.Name} lies outside the numbers of {Words.Of(account.Class).Replace('-', ' ')} "
                        + $"({string.Join(", ", bands[account.Class].Select(b => $"{b.From} to {b.To}"))}).",
                    "Who looks for it by number looks in the wrong place."
                );
    }
}

/// <summary>A control account in use that anybody may write on.</summary>
public sealed class HandEntriesOpen() : Check("hand-entries-open", "Control account open to hand entries", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input
            .SetUp.Accounts.Where(a =>
                a.Control != Control.None && a.HandEntries == HandEntries.Accept && input.InUse(a)
            )
            .Select(a =>
                OnAccount(
                    input,
                    a,
                    FindingSeverity.Warning,
                    $"{a.Number} {a.Name} is a control account of {Words.Of(a.Control).Replace('-', ' ')} and accepts entries by hand.",
                    "One entry by hand, and the subledger no longer agrees with it."
                )
            );
}

/// <summary>Entries by hand on a control account.</summary>
public sealed class HandEntriesMade() : Check("hand-entries-made", "Hand entries on a control account", "books")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input
            .SetUp.Accounts.Where(a =>
                a.Control != Control.None && input.Posted.HandEntries.GetValueOrDefault(a.Number).Lines > 0
            )
            .Select(a =>
            {
                var (lines, amount) = input.Posted.HandEntries[a.Number];
                return OnAccount(
                    input,
                    a,
                    FindingSeverity.Warning,
                    $"{CheckInput.Some(lines, "line")} by hand on {a.Number} {a.Name} in the last 365 days.",
                    "So much of its balance may be in no document.",
                    lines,
                    amount
                );
            });
}

/// <summary>An account's own tax code is of a direction that it refuses.</summary>
public sealed class TaxDirectionUnfit() : Check("tax-direction", "Tax code of the wrong direction", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Tax | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input
            .SetUp.Accounts.Where(a =>
                a.TaxCode is not null && input.Compiled.Taxes.Code(a.TaxCode) is { } code && !a.Admits(code.Direction)
            )
            .Select(a =>
                OnAccount(
                    input,
                    a,
                    FindingSeverity.Error,
                    $"{a.Number} {a.Name} has the tax code {a.TaxCode} and does not admit its direction.",
                    "Whatever takes its tax from the account is refused."
                )
            );
}

/// <summary>An account's own tax code contradicts the matrix for items that land there.</summary>
public sealed class TaxDefaultContradicts() : Check("tax-default-contradicts", "Tax code against the matrix", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (var account in input.SetUp.Accounts.Where(a => a.TaxCode is not null))
        {
            var items = 0;
            foreach (
                var (purpose, direction) in new[]
                {
                    (Purposes.SalesRevenue, TaxDirection.Output),
                    (Purposes.NonStockCost, TaxDirection.Input),
                }
            )
                if (account.Admits(direction))
                    items += Contradicted(input, account, purpose, direction);
            if (items > 0)
                yield return OnAccount(
                    input,
                    account,
                    FindingSeverity.Warning,
                    $"{account.Number} {account.Name} has the tax code {account.TaxCode}; for {CheckInput.Some(items, "item")} "
                        + "that land there the matrix has others, whoever buys.",
                    "A line that the matrix does not decide gets a tax that these items never have.",
                    items
                );
        }
    }

    private static int Contradicted(CheckInput input, Account account, Purpose purpose, TaxDirection direction)
    {
        var standings = input.Standings(direction);
        if (standings.Count == 0)
            return 0;
        var categories = input
            .SetUp.Items.Select(i => i.TaxCategory)
            .OfType<string>()
            .Distinct(StringComparer.Ordinal)
            .Where(c =>
                standings
                    .Select(s => input.Compiled.Taxes.Matrix(s, c, direction))
                    .All(code => code is not null && code != account.TaxCode)
            )
            .ToHashSet(StringComparer.Ordinal);
        if (categories.Count == 0)
            return 0;
        var rows = input
            .Naming(account.Number)
            .Where(a => a.Purpose == purpose.Name || input.Compiled.Landings.BorrowOf(purpose)?.Name == a.Purpose)
            .Where(a => !input.IsMiss(a))
            .ToList();
        if (rows.Count == 0)
            return 0;
        // Items of one group that no assignment names behave alike.
        var named = input
            .Compiled.Landings.AssignmentsOf(purpose)
            .Concat(
                input.Compiled.Landings.BorrowOf(purpose) is { } from ? input.Compiled.Landings.AssignmentsOf(from) : []
            )
            .Select(a => a.Value(Dimension.Item))
            .OfType<string>()
            .ToHashSet(StringComparer.Ordinal);
        var axis = input.Compiled.Memory.TakingPart.Of(purpose)[0];
        var classes = axis
            .Leaves.Where(l => l.Single != 0)
            .Select(l => (Leaf: l, Item: input.Compiled.Item(input.Compiled.Index.Key(Dimension.Item, l.Single))!.Item))
            .Where(x => x.Item.TaxCategory is not null && categories.Contains(x.Item.TaxCategory))
            .GroupBy(x => (x.Leaf.Group, named.Contains(x.Item.Code) ? x.Leaf.Single : 0));
        var count = 0;
        foreach (var of in classes)
        {
            var one = of.First().Leaf;
            if (rows.Exists(a => input.DecidesFor(purpose, a, 0, l => l == one)))
                count += of.Count();
        }
        return count;
    }
}

/// <summary>Accounts that nothing needs.</summary>
public sealed class AccountIdle() : Check("account-idle", "Account that nothing uses", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var relief = input.SetUp.ReliefAccounts.Select(r => r.Relief).ToHashSet(StringComparer.Ordinal);
        return NoGroupAccount
            .Posting(input)
            .Where(a => !input.InUse(a) && !relief.Contains(a.Number))
            .GroupBy(a => a.Class)
            .OrderBy(g => g.Key)
            .Select(g =>
                Grouped(
                    FindingSeverity.Info,
                    Words.Of(g.Key),
                    [.. g.Select(CheckInput.Place)],
                    $"{CheckInput.Some(g.Count(), "account")} of {Words.Of(g.Key).Replace('-', ' ')} "
                        + $"{(g.Count() == 1 ? "is" : "are")} used by nothing.",
                    "A choice that is offered and never right."
                )
            );
    }
}

/// <summary>An account stands on the side on which it usually does not.</summary>
public sealed class WrongSide() : Check("wrong-side", "Balance on the unusual side", "books")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input
            .SetUp.Accounts.Where(a =>
                input.Posted.Balances.GetValueOrDefault(a.Number) is var balance
                && (a.UsualSide == UsualSide.Debit && balance < 0 || a.UsualSide == UsualSide.Credit && balance > 0)
            )
            .Select(a =>
                OnAccount(
                    input,
                    a,
                    FindingSeverity.Info,
                    $"{a.Number} {a.Name} stands in {(a.UsualSide == UsualSide.Debit ? "credit" : "debit")}, usually in "
                        + $"{Words.Of(a.UsualSide)}.",
                    "Something may have landed here, or been left out, that should not."
                )
            );
}

/// <summary>Accounts of one class with one name.</summary>
public sealed class NameDoubled() : Check("name-doubled", "Two accounts of one name", "chart")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        NoGroupAccount
            .Posting(input)
            .Where(input.InUse)
            .GroupBy(a => (a.Class, Name: string.Concat(a.Name.Where(c => !char.IsWhiteSpace(c))).ToUpperInvariant()))
            .Where(g => g.Count() > 1)
            .OrderBy(g => g.Key.Class)
            .ThenBy(g => g.Key.Name, StringComparer.Ordinal)
            .Select(g =>
                Grouped(
                    FindingSeverity.Info,
                    $"{Words.Of(g.Key.Class)} \u00b7 {g.First().Name}",
                    [.. g.Select(CheckInput.Place)],
                    $"{string.Join(", ", g.Select(a => a.Number))} have one name, {g.First().Name}.",
                    "Who picks by name picks either.",
                    g.First().Number
                )
            );
}
