using Assignum.Core.Chart;

namespace Assignum.Core.Statements;

/// <summary>What a line of a statement is.</summary>
public enum StatementLineKind
{
    Account,
    Heading,
    Total,
}

/// <summary>A line of a statement.</summary>
/// <param name="Code">What names a total (<c>revenue</c>, <c>grossProfit</c>, <c>assets</c> …); null on other
/// lines.</param>
/// <param name="Account">The number of an account or heading; null on totals.</param>
/// <param name="Class">Null on totals over several classes.</param>
/// <param name="Amount">Base currency, positive on the side that is natural to its class; results are positive as
/// profits.</param>
/// <param name="Against">The same of what it is compared with; null: with nothing.</param>
/// <param name="Depth">How deep it stands in the chart, from 0.</param>
public sealed record StatementLine(
    StatementLineKind Kind,
    string? Code,
    string? Account,
    string Name,
    AccountClass? Class,
    decimal Amount,
    decimal? Against,
    int Depth
);

/// <summary>Lays balances out as profit and loss account and balance sheet, by the tree of the chart.</summary>
/// <remarks>Every amount stands in one class, so the totals balance whatever the chart is like.</remarks>
public static class Statement
{
    private static readonly (AccountClass Class, string? Total, string Title)[] Results =
    [
        (AccountClass.Revenue, null, ""),
        (AccountClass.CostOfSales, "grossProfit", StatementTree.Gross),
        (AccountClass.OperatingCost, "operatingProfit", StatementTree.Operating),
        (AccountClass.OtherIncome, null, ""),
        (AccountClass.OtherCost, "profitBeforeTax", StatementTree.BeforeTax),
        (AccountClass.IncomeTax, "profit", StatementTree.Net),
    ];

    /// <summary>The profit and loss account.</summary>
    /// <param name="balances">Debit less credit by account number, of the days asked for, without closes of
    /// years.</param>
    /// <param name="against">The same of what it is compared with; null: nothing.</param>
    public static IReadOnlyList<StatementLine> ProfitAndLoss(
        IReadOnlyList<Account> accounts,
        IReadOnlyDictionary<string, decimal> balances,
        IReadOnlyDictionary<string, decimal>? against
    )
    {
        var (now, then) = (new Laid(accounts, balances), against is null ? null : new Laid(accounts, against));
        var lines = new List<StatementLine>();
        var (profit, before) = (0m, 0m);
        foreach (var (@class, total, title) in Results)
        {
            Section(@class, now, then, lines);
            profit -= now.Of(@class);
            before -= then?.Of(@class) ?? 0;
            if (total is not null)
                lines.Add(Total(total, title, null, profit, then is null ? null : before));
        }
        return lines;
    }

    /// <summary>The balance sheet.</summary>
    /// <param name="balances">Debit less credit by account number up to a day, closes of years with them.</param>
    public static IReadOnlyList<StatementLine> BalanceSheet(
        IReadOnlyList<Account> accounts,
        IReadOnlyDictionary<string, decimal> balances,
        IReadOnlyDictionary<string, decimal>? against
    )
    {
        var (now, then) = (new Laid(accounts, balances), against is null ? null : new Laid(accounts, against));
        var lines = new List<StatementLine>();
        foreach (var @class in new[] { AccountClass.Asset, AccountClass.Liability, AccountClass.Equity })
            Section(@class, now, then, lines);
        lines.Add(
            Total(
                "result",
                "Result of years not closed",
                null,
                -Results.Sum(r => now.Of(r.Class)),
                then is null ? null : -Results.Sum(r => then.Of(r.Class))
            )
        );
        return lines;
    }

    private static StatementLine Total(
        string code,
        string title,
        AccountClass? @class,
        decimal amount,
        decimal? against
    ) => new(StatementLineKind.Total, code, null, title, @class, amount, against, 0);

    private static string CodeOf(AccountClass @class) =>
        @class switch
        {
            AccountClass.Asset => "assets",
            AccountClass.Liability => "liabilities",
            AccountClass.Equity => "equity",
            _ => Words.Of(@class),
        };

    private static void Section(AccountClass @class, Laid now, Laid? then, List<StatementLine> lines)
    {
        var sign = @class.GrowsByDebits() ? 1 : -1;
        foreach (var row in now.Rows(@class))
        {
            var before = then?.Amount(@class, row.Number);
            // What moved in neither stretch says nothing.
            if (row.Balance == 0 && before is null or 0 && !row.Moved && then?.Moved(@class, row.Number) != true)
                continue;
            lines.Add(
                new StatementLine(
                    row.Kind == StatementRowKind.Account ? StatementLineKind.Account : StatementLineKind.Heading,
                    null,
                    row.Number,
                    row.Title,
                    @class,
                    sign * row.Balance,
                    sign * before,
                    row.Depth
                )
            );
        }
        lines.Add(
            Total(CodeOf(@class), StatementTree.TitleOf(@class), @class, sign * now.Of(@class), sign * then?.Of(@class))
        );
    }

    /// <summary>A chart with balances, found by class and number.</summary>
    private sealed class Laid
    {
        private readonly ILookup<AccountClass, StatementRow> byClass;
        private readonly Dictionary<(AccountClass, string), StatementRow> byNumber;
        private readonly Dictionary<AccountClass, decimal> sums = [];

        public Laid(IReadOnlyList<Account> accounts, IReadOnlyDictionary<string, decimal> balances)
        {
            var rows = StatementTree
                .Lay(accounts, balances)
                .Where(r => r.Class is not null && r.Account is not null)
                .ToList();
            byClass = rows.ToLookup(r => r.Class!.Value);
            byNumber = rows.ToDictionary(r => (r.Class!.Value, r.Number));
            foreach (var account in accounts)
                sums[account.Class] = Of(account.Class) + balances.GetValueOrDefault(account.Number);
        }

        public IEnumerable<StatementRow> Rows(AccountClass @class) => byClass[@class];

        public decimal Of(AccountClass @class) => sums.GetValueOrDefault(@class);

        public decimal Amount(AccountClass @class, string number) =>
            byNumber.GetValueOrDefault((@class, number))?.Balance ?? 0;

        public bool Moved(AccountClass @class, string number) =>
            byNumber.GetValueOrDefault((@class, number)) is { Moved: true };
    }
}
