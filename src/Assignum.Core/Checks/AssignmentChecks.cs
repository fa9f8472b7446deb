using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.Tax;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Checks;

/// <summary>Looks at assignments one by one: what it says of one rests on that row alone, beside accounts and
/// records.</summary>
public abstract class AssignmentCheck(string code, string title, string stage = "assignments")
    : Check(code, title, stage)
{
    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) => Of(input, input.SetUp.Assignments);

    /// <summary>What is found of some assignments.</summary>
    public abstract IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments);
}

/// <summary>An assignment's account is of a class that its purpose does not take.</summary>
public sealed class ClassUnfit() : AssignmentCheck("class-unfit", "Wrong class of account")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments)
    {
        foreach (var assignment in assignments)
        {
            var (account, purpose) = (input.AccountOf(assignment), Find(assignment.Purpose)!);
            if (
                !input.IsMiss(assignment) && Fitness.ClassFits(account, purpose, assignment.Key.Count == 0) is { } unfit
            )
                yield return OnAssignment(
                    input,
                    assignment,
                    FindingSeverity.Error,
                    $"{CheckInput.Said(assignment)}: {unfit.Message}",
                    $"What lands here is refused: {account.Name} stands in another part of the statements."
                );
        }
    }
}

/// <summary>An assignment's account is of another subledger than its purpose, or of none.</summary>
public sealed class ControlUnfit() : AssignmentCheck("control-unfit", "Wrong subledger")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments)
    {
        foreach (var assignment in assignments)
            if (
                !input.IsMiss(assignment)
                && Fitness.ControlFits(
                    input.AccountOf(assignment),
                    Find(assignment.Purpose)!,
                    assignment.Key.Count == 0
                )
                    is { } unfit
            )
                yield return OnAssignment(
                    input,
                    assignment,
                    unfit.Severity == Severity.Error ? FindingSeverity.Error : FindingSeverity.Warning,
                    $"{CheckInput.Said(assignment)}: {unfit.Message}",
                    unfit.Severity == Severity.Error
                        ? "What lands here is refused."
                        : "A subledger and its control account will no longer agree."
                );
    }
}

/// <summary>An assignment's account takes no amounts any more.</summary>
public sealed class AccountClosed() : AssignmentCheck("account-closed", "Account closed")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments)
    {
        foreach (var assignment in assignments)
            if (
                !input.IsMiss(assignment) && Fitness.Usable(assignment.Account, input.AccountOf(assignment)) is { } shut
            )
                yield return OnAssignment(
                    input,
                    assignment,
                    FindingSeverity.Error,
                    $"{CheckInput.Said(assignment)}: {shut.Message}",
                    "What lands here is refused."
                );
    }
}

/// <summary>An assignment names a record that is archived.</summary>
public sealed class RecordArchived() : AssignmentCheck("record-archived", "Names an archived record")
{
    /// <inheritdoc/>
    public override Reads Reads =>
        Reads.Accounts | Reads.Assignments | Reads.Items | Reads.Parties | Reads.Projects | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments)
    {
        var any =
            input.SetUp.Items.Any(i => i.Status == RecordStatus.Archived)
            || input.SetUp.Parties.Any(p => p.Status == RecordStatus.Archived)
            || input.SetUp.Projects.Any(p => p.Status == RecordStatus.Archived);
        if (!any)
            yield break;
        foreach (var assignment in assignments)
        {
            if (input.IsMiss(assignment))
                continue;
            var archived = assignment.Key.Where(k => Archived(input, k)).Select(k => k.Value).ToList();
            if (archived.Count > 0)
                yield return OnAssignment(
                    input,
                    assignment,
                    FindingSeverity.Info,
                    $"{CheckInput.Said(assignment)}: {string.Join(" and ", archived)} "
                        + $"{(archived.Count == 1 ? "is" : "are")} archived.",
                    "It stays for what is still to come back, and is of no other use."
                );
        }
    }

    private static bool Archived(CheckInput input, KeyPart key) =>
        key.Dimension switch
        {
            Dimension.Item => input.Compiled.Item(key.Value)?.Item.Status == RecordStatus.Archived,
            Dimension.Party => input.Compiled.Party(key.Value)?.Party.Status == RecordStatus.Archived,
            Dimension.Project => input.Compiled.Project(key.Value)?.Project.Status == RecordStatus.Archived,
            _ => false,
        };
}

/// <summary>A tripwire on another rung than the default.</summary>
public sealed class TripwireAboveDefault() : AssignmentCheck("tripwire-above-default", "Tripwire above the default")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments) =>
        assignments
            .Where(input.IsMiss)
            .Select(a =>
                OnAssignment(
                    input,
                    a,
                    FindingSeverity.Error,
                    $"{CheckInput.Said(a)}: {input.Said(a.Account)} is a tripwire, which decides nothing above the default.",
                    "The landing goes on down the ladder as if the row were not there."
                )
            );
}

/// <summary>An assignment that can never decide.</summary>
public sealed class NeverWins() : Check("never-wins", "Never decides")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        DeadWeight
            .Of(input.Compiled)
            .Where(d => d.NeverWins && !input.IsMiss(d.Assignment))
            .Select(d =>
                OnAssignment(
                    input,
                    d.Assignment,
                    FindingSeverity.Info,
                    $"{CheckInput.Said(d.Assignment)}: it never decides. {d.Why}",
                    "Who changes it changes nothing, and may think otherwise."
                )
            );
}

/// <summary>An assignment without which everything would land the same.</summary>
public sealed class ChangesNothing() : Check("changes-nothing", "Changes nothing")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        DeadWeight
            .Of(input.Compiled)
            .Where(d => !d.NeverWins && !input.IsMiss(d.Assignment))
            .Select(d =>
                OnAssignment(
                    input,
                    d.Assignment,
                    FindingSeverity.Info,
                    $"{CheckInput.Said(d.Assignment)}: it changes nothing. {d.Why}",
                    "It must be kept in step with the row that it repeats."
                )
            );
}

/// <summary>Assignments of a purpose that nothing can reach.</summary>
public sealed class Idle() : Check("idle", "Nothing asks for it")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Ladders | Reads.Policies | Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var idle = SetUps.Reach.Idle(input.Compiled);
        var names = idle.Keys.Select(p => p.Name).ToHashSet(StringComparer.Ordinal);
        foreach (
            var of in input
                .SetUp.Assignments.Where(a => names.Contains(a.Purpose) && !input.IsMiss(a))
                .GroupBy(a => Find(a.Purpose)!)
                .Where(g => !input.Needed.Any(p => input.Compiled.Landings.BorrowOf(p) == g.Key))
                .OrderBy(g => g.Key.Index)
        )
            yield return Grouped(
                FindingSeverity.Info,
                of.Key.Name,
                [.. of.Select(CheckInput.Place)],
                $"{of.Key.Title} is not asked for: {idle[of.Key].Replace('-', ' ')}.",
                "Its assignments wait for another policy.",
                null,
                of.Key.Name,
                input.Posted.ByPurpose.GetValueOrDefault(of.Key.Name)
            );
    }
}

/// <summary>An assignment's key can belong to nothing that reaches its purpose.</summary>
public sealed class KeyUnfit() : AssignmentCheck("key-unfit", "Key that does not belong here")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments)
    {
        HashSet<string> Codes(GroupKind kind) =>
            input.SetUp.Groups.Where(g => g.Kind == kind).Select(g => g.Code).ToHashSet(StringComparer.Ordinal);
        var (customers, suppliers) = (Codes(GroupKind.Customer), Codes(GroupKind.Supplier));
        foreach (var assignment in assignments)
        {
            if (input.IsMiss(assignment))
                continue;
            var purpose = Find(assignment.Purpose)!;
            string? wrong = null;
            for (var k = 0; k < assignment.Key.Count && wrong is null; k++)
                wrong = Wrong(input, purpose, assignment.Key[k], customers, suppliers);
            if (wrong is not null)
                yield return OnAssignment(
                    input,
                    assignment,
                    FindingSeverity.Warning,
                    $"{CheckInput.Said(assignment)}: {wrong}",
                    "It decides nothing as things are, or not what it was meant for."
                );
        }
    }

    private static string? Wrong(
        CheckInput input,
        Purpose purpose,
        KeyPart key,
        HashSet<string> customers,
        HashSet<string> suppliers
    )
    {
        switch (key.Dimension)
        {
            case Dimension.Item:
                return
                    input.Compiled.Item(key.Value) is { } item
                    && !ItemReach.Of(purpose).Takes(item.Item, input.Compiled.Policies.Perpetual)
                    ? $"{key.Value} {item.Item.Name} never comes to {purpose.Title}."
                    : null;
            case Dimension.PartyGroup:
                var (sold, bought) = (customers.Contains(key.Value), suppliers.Contains(key.Value));
                return PartySides.Of(purpose) switch
                {
                    PartySide.Customers when bought && !sold => $"{key.Value} groups suppliers only.",
                    PartySide.Suppliers when sold && !bought => $"{key.Value} groups customers only.",
                    _ => null,
                };
            case Dimension.TaxCode:
                if (input.Compiled.Taxes.Code(key.Value) is not { } code)
                    return null;
                var wanted =
                    purpose == OutputTax ? TaxDirection.Output
                    : purpose == InputTax ? TaxDirection.Input
                    : (TaxDirection?)null;
                return wanted is null || code.Direction == wanted || purpose == OutputTax && code.ReverseCharge
                    ? null
                    : $"{key.Value} {code.Name} is a code of {Words.Of(code.Direction)}.";
            default:
                return null;
        }
    }
}

/// <summary>An assignment decides for parties whose kind its account refuses.</summary>
public sealed class PartyKindUnfit() : Check("party-kind-unfit", "Refuses these parties")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    private const int Parties = 1;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (
            var account in input.SetUp.Accounts.Where(a =>
                a.PartyKinds != PartyKinds.All && input.Naming(a.Number).Count > 0
            )
        )
        {
            bool Refused(Leaf leaf) =>
                leaf.Single == 0
                    ? account.Control is Control.Receivables or Control.Payables
                    : input.Compiled.Party(input.Compiled.Index.Key(Dimension.Party, leaf.Single)) is { } party
                        && !account.Admits(party.Party.Kind);
            foreach (var assignment in input.Naming(account.Number))
                if (
                    !input.IsMiss(assignment)
                    && input.ServedBy(assignment).Any(p => input.DecidesFor(p, assignment, Parties, Refused))
                )
                    yield return OnAssignment(
                        input,
                        assignment,
                        FindingSeverity.Error,
                        $"{CheckInput.Said(assignment)}: {input.Said(account.Number)} does not admit parties that land on "
                            + "it.",
                        "Their documents are refused."
                    );
        }
    }
}

/// <summary>An assignment decides for amounts in another currency than its account takes.</summary>
public sealed class CurrencyUnfit() : Check("currency-unfit", "Refuses this currency")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    private const int Currency = 8;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        foreach (
            var account in input.SetUp.Accounts.Where(a => a.Currency is not null && input.Naming(a.Number).Count > 0)
        )
        {
            var own = input.Compiled.Index.Of(Dimension.Currency, account.Currency);
            foreach (var assignment in input.Naming(account.Number))
                if (
                    !input.IsMiss(assignment)
                    && input
                        .ServedBy(assignment)
                        .Any(p => input.DecidesFor(p, assignment, Currency, l => l.Single != own))
                )
                    yield return OnAssignment(
                        input,
                        assignment,
                        FindingSeverity.Error,
                        $"{CheckInput.Said(assignment)}: {input.Said(account.Number)} takes {account.Currency} only, and "
                            + "other currencies land on it.",
                        "Amounts in another currency are refused."
                    );
        }
    }
}

/// <summary>An assignment's account refuses the direction of tax that its purpose has.</summary>
public sealed class TaxUnfit() : AssignmentCheck("tax-unfit", "Refuses this tax", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Accounts | Reads.Assignments | Reads.Policies | Reads.Books;

    private static readonly Dictionary<Purpose, TaxDirection> Directions = new()
    {
        [SalesRevenue] = TaxDirection.Output,
        [SalesReturns] = TaxDirection.Output,
        [ProjectRevenue] = TaxDirection.Output,
        [ShippingIncome] = TaxDirection.Output,
        [NonStockCost] = TaxDirection.Input,
        [ProjectCost] = TaxDirection.Input,
    };

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input, IReadOnlyList<Assignment> assignments)
    {
        if (!input.Registered)
            yield break;
        foreach (var assignment in assignments)
        {
            var account = input.AccountOf(assignment);
            if (
                !input.IsMiss(assignment)
                && Directions.TryGetValue(Find(assignment.Purpose)!, out var direction)
                && account.TaxAdmits != TaxAdmits.None
                && !account.Admits(direction)
            )
                yield return OnAssignment(
                    input,
                    assignment,
                    FindingSeverity.Error,
                    $"{CheckInput.Said(assignment)}: {input.Said(account.Number)} admits no {Words.Of(direction)} tax.",
                    $"Lines with {Words.Of(direction)} tax are refused here."
                );
        }
    }
}
