using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Books;

/// <summary>A row of a list that an opening is made of.</summary>
/// <param name="Account">Null: where what it is would land.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
/// <param name="Cells">The other columns of the row, by the names of a line's fields.</param>
public sealed record OpeningItem(string? Account, decimal Amount, IReadOnlyDictionary<string, string> Cells);

/// <summary>A control account as the trial balance has it and as the lists have it.</summary>
public sealed record OpeningTie(string Account, Control Control, decimal TrialBalance, decimal Lists)
{
    /// <summary>Trial balance less lists.</summary>
    public decimal Difference => TrialBalance - Lists;
}

/// <summary>An opening as it would be posted.</summary>
/// <param name="Others">The accounts that the trial balance posts itself: those of no subledger.</param>
/// <param name="Left">What stays on the account that all is set against: nothing where everything agrees.</param>
public sealed record OpeningPlan(
    IReadOnlyList<OpeningTie> Ties,
    IReadOnlyList<(string Account, decimal Amount)> Others,
    IReadOnlyDictionary<Control, IReadOnlyList<OpeningItem>> Lists,
    decimal Left,
    IReadOnlyList<Fault> Faults
);

/// <summary>Holds the lists that openings are made of against the trial balance.</summary>
public static class Openings
{
    /// <summary>The subledgers that lists open.</summary>
    public static IReadOnlyList<Control> Listed { get; } =
    [
        Control.Receivables,
        Control.Payables,
        Control.Stock,
        Control.Receipts,
        Control.Deposits,
        Control.Projects,
        Control.Production,
        Control.GiftCards,
        Control.Clearing,
        Control.Bank,
        Control.Tax,
        Control.Intercompany,
    ];

    /// <summary>Puts every row on its account and compares.</summary>
    /// <param name="trial">Debit less credit by account.</param>
    public static OpeningPlan Of(
        CompiledSetUp setUp,
        IReadOnlyDictionary<string, decimal> trial,
        IReadOnlyDictionary<Control, IReadOnlyList<OpeningItem>> lists
    )
    {
        var faults = new List<Fault>();
        var placed = new Dictionary<Control, IReadOnlyList<OpeningItem>>();
        var sums = new Dictionary<string, decimal>(StringComparer.Ordinal);
        foreach (var (control, items) in lists)
        {
            var only = setUp
                .SetUp.Accounts.Where(a => a.Control == control && a.Kind == AccountKind.Posting)
                .Select(a => a.Number)
                .Take(2)
                .ToList();
            var rows = new List<OpeningItem>(items.Count);
            for (var i = 0; i < items.Count && faults.Count < 50; i++)
            {
                var item = items[i];
                var account = item.Account is { } written
                    ? setUp.NumberOf(written)
                    : Lands(setUp, control, item) ?? (only is [{ } single] ? single : null);
                var record = account is null ? null : setUp.Account(account);
                if (record is null)
                    faults.Add(
                        new Fault(
                            item.Account is null ? "unresolved" : "unknown-record",
                            item.Account is null
                                ? $"{Words.Title(Words.Of(control))}, row {i + 1}: name the account; none "
                                    + "follows from what it is."
                                : $"{Words.Title(Words.Of(control))}, row {i + 1}: there is no account {item.Account}.",
                            $"{Words.Of(control)}[{i}].account"
                        )
                    );
                else if (record.Control != control)
                    faults.Add(
                        new Fault(
                            "control",
                            $"{Words.Title(Words.Of(control))}, row {i + 1}: account {account} is of another "
                                + $"subledger: it is {Words.Of(record.Control)}.",
                            $"{Words.Of(control)}[{i}].account"
                        )
                    );
                else
                {
                    sums[account!] = sums.GetValueOrDefault(account!) + item.Amount;
                    rows.Add(item with { Account = account });
                }
            }
            placed[control] = rows;
        }
        var others = new List<(string, decimal)>();
        var compared = new Dictionary<string, decimal>(StringComparer.Ordinal);
        foreach (var (written, amount) in trial)
        {
            var number = setUp.NumberOf(written);
            if (setUp.Account(number) is not { } account)
                faults.Add(
                    new Fault("unknown-record", $"Trial balance: there is no account {written}.", "trial-balance")
                );
            else if (account.Control == Control.None)
                others.Add((number, amount));
            else
                compared[number] = compared.GetValueOrDefault(number) + amount;
        }
        var total = trial.Values.Sum();
        if (trial.Count > 0 && total != 0)
            faults.Add(
                new Fault("unbalanced", $"The trial balance does not balance: it comes to {total}.", "trial-balance")
            );
        OpeningTie[] ties =
        [
            .. compared
                .Keys.Union(sums.Keys)
                .Order(StringComparer.Ordinal)
                .Select(n => new OpeningTie(
                    n,
                    setUp.Account(n)!.Control,
                    compared.GetValueOrDefault(n),
                    sums.GetValueOrDefault(n)
                )),
        ];
        return new OpeningPlan(ties, others, placed, -(others.Sum(o => o.Item2) + sums.Values.Sum()), faults);
    }

    // The account on which what a row says would land by itself.
    private static string? Lands(CompiledSetUp setUp, Control control, OpeningItem item)
    {
        var purpose = control switch
        {
            Control.Receivables => Purposes.Receivables,
            Control.Payables => Purposes.Payables,
            Control.Stock => Purposes.Stock,
            Control.Receipts => Purposes.ReceivedNotInvoiced,
            Control.Deposits => item.Amount > 0 ? Purposes.SupplierDeposits : Purposes.CustomerDeposits,
            Control.Projects => item.Amount > 0 ? Purposes.ProjectWip : Purposes.ProjectBillings,
            Control.Production => Purposes.ProductionWip,
            Control.GiftCards => Purposes.GiftCards,
            Control.Clearing => Purposes.Clearing,
            Control.Bank => Purposes.Bank,
            Control.Intercompany => item.Amount > 0 ? Purposes.DueFromEntities : Purposes.DueToEntities,
            Control.Tax => item.Amount > 0 ? Purposes.InputTax : Purposes.OutputTax,
            _ => null,
        };
        if (purpose is null)
            return null;
        string? Of(string column) => item.Cells.GetValueOrDefault(column);
        var values = default(LegValues);
        var (party, known, project) = (
            Of("party") is { } p ? setUp.Party(p) : null,
            Of("item") is { } i ? setUp.Item(i) : null,
            Of("project") is { } j ? setUp.Project(j) : null
        );
        values[Dimension.Party] = party?.Number ?? 0;
        values[Dimension.PartyGroup] = (
            control is Control.Payables or Control.Receipts || purpose == Purposes.SupplierDeposits
                ? party?.SupplierGroup
                : party?.CustomerGroup
        ) ?? 0;
        values[Dimension.Item] = known?.Number ?? 0;
        values[Dimension.ItemGroup] = known?.Group ?? 0;
        values[Dimension.Project] = project?.Number ?? 0;
        values[Dimension.ProjectGroup] = project?.Group ?? 0;
        foreach (
            var (dimension, column) in new[]
            {
                (Dimension.Location, "location"),
                (Dimension.Channel, "channel"),
                (Dimension.Method, "method"),
                (Dimension.Currency, "currency"),
                (Dimension.Counterparty, "party"),
                (Dimension.TaxCode, "taxCode"),
            }
        )
            values[dimension] = setUp.Index.Of(
                dimension,
                Of(column) ?? (dimension == Dimension.Currency ? setUp.Entity.Currency : null)
            );
        return setUp.Landings.Resolve(purpose, values, null).Account;
    }
}
