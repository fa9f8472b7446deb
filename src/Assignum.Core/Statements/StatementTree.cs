using Assignum.Core.Chart;

namespace Assignum.Core.Statements;

/// <summary>What a row of the statements is.</summary>
public enum StatementRowKind
{
    /// <summary>A class of accounts as a caption with its sum.</summary>
    Caption,

    /// <summary>A heading, with the sum of what stands below it in this class.</summary>
    Heading,

    /// <summary>A posting account.</summary>
    Account,

    /// <summary>A line of the profit and loss account: gross, operating, before tax, net; or the result in the balance
    /// sheet.</summary>
    Profit,
}

/// <summary>A row of the chart in the order of the statements.</summary>
/// <param name="Class">The class it stands in; a heading over several classes has a row in each.</param>
/// <param name="Balance">Debit minus credit, in base currency; for headings and captions of all below in this
/// class.</param>
/// <param name="Moved">Whether anything was posted on it.</param>
public sealed record StatementRow(
    StatementRowKind Kind,
    string Title,
    AccountClass? Class,
    Account? Account,
    int Depth,
    decimal Balance,
    bool Moved
)
{
    /// <summary>The account's number, or an empty text.</summary>
    public string Number => Account?.Number ?? "";
}

/// <summary>
/// A chart in the order in which the statements show it: assets, liabilities, equity and the result; then revenue less
/// cost of sales, running cost, other income and cost, and tax on income, with the profit lines between them.
/// </summary>
/// <remarks>The class decides the part of the statements, the parents decide the place in it, numbers decide the
/// order.</remarks>
public static class StatementTree
{
    private static readonly AccountClass[] Order =
    [
        AccountClass.Asset,
        AccountClass.Liability,
        AccountClass.Equity,
        AccountClass.Revenue,
        AccountClass.CostOfSales,
        AccountClass.OperatingCost,
        AccountClass.OtherIncome,
        AccountClass.OtherCost,
        AccountClass.IncomeTax,
    ];

    /// <summary>Titles of the profit lines, in order.</summary>
    public const string Result = "Result to date",
        Gross = "Gross profit",
        Operating = "Operating profit",
        BeforeTax = "Profit before tax",
        Net = "Net profit";

    /// <summary>How a class is called in the statements.</summary>
    public static string TitleOf(AccountClass @class) =>
        @class switch
        {
            AccountClass.Asset => "Assets",
            AccountClass.Liability => "Liabilities",
            AccountClass.Equity => "Equity",
            AccountClass.Revenue => "Revenue",
            AccountClass.CostOfSales => "Cost of sales",
            AccountClass.OperatingCost => "Operating cost",
            AccountClass.OtherIncome => "Other income",
            AccountClass.OtherCost => "Other cost",
            _ => "Tax on income",
        };

    /// <summary>Lays a chart out. Time grows with the number of accounts.</summary>
    /// <param name="accounts">Without faults of form: parents exist and come back to nothing.</param>
    /// <param name="balances">Debit minus credit by account number; those that are missing have never moved.</param>
    public static IReadOnlyList<StatementRow> Lay(
        IReadOnlyList<Account> accounts,
        IReadOnlyDictionary<string, decimal> balances
    )
    {
        var below = accounts.OrderBy(a => a.Number, StringComparer.Ordinal).ToLookup(a => a.Parent ?? "");
        var classes = new Dictionary<string, int>(accounts.Count, StringComparer.Ordinal);
        foreach (var root in below[""])
            Mark(root, below, classes, balances);

        var rows = new List<StatementRow>(accounts.Count + 16);
        var sums = new Dictionary<AccountClass, decimal>();
        var resultAt = 0;
        foreach (var @class in Order)
        {
            sums[@class] = Section(@class, below, classes, balances, rows);
            if (@class == AccountClass.Equity)
                resultAt = rows.Count;
            var (title, counts) = @class switch
            {
                AccountClass.CostOfSales => (Gross, 2),
                AccountClass.OperatingCost => (Operating, 3),
                AccountClass.OtherCost => (BeforeTax, 5),
                AccountClass.IncomeTax => (Net, 6),
                _ => ("", 0),
            };
            if (counts > 0)
                rows.Add(
                    new StatementRow(
                        StatementRowKind.Profit,
                        title,
                        null,
                        null,
                        0,
                        Order.Skip(3).Take(counts).Sum(c => sums[c]),
                        true
                    )
                );
        }
        rows.Insert(resultAt, new StatementRow(StatementRowKind.Profit, Result, null, null, 0, rows[^1].Balance, true));
        return rows;
    }

    /// <summary>The rows that show where an account stands: its headings, a few neighbours on either side, and the next
    /// profit line.</summary>
    /// <param name="span">Neighbours shown on either side.</param>
    public static IReadOnlyList<StatementRow> Around(IReadOnlyList<StatementRow> rows, string number, int span)
    {
        var at = rows.ToList().FindIndex(r => r.Number == number);
        if (at < 0)
            return [];
        var shown = new SortedSet<int> { at };
        for (int i = at - 1, depth = rows[at].Depth; i >= 0 && rows[i].Kind != StatementRowKind.Profit; i--)
            if (rows[i].Depth < depth)
            {
                shown.Add(i);
                depth = rows[i].Depth;
            }
        for (
            int i = at - 1, left = span;
            i >= 0 && left > 0 && rows[i].Depth >= rows[at].Depth && rows[i].Class == rows[at].Class;
            i--
        )
            if (rows[i].Depth == rows[at].Depth && rows[i].Kind != StatementRowKind.Caption)
            {
                shown.Add(i);
                left--;
            }
        for (
            int i = at + 1, left = span;
            i < rows.Count && left > 0 && rows[i].Depth >= rows[at].Depth && rows[i].Class == rows[at].Class;
            i++
        )
            if (rows[i].Depth == rows[at].Depth && rows[i].Kind != StatementRowKind.Caption)
            {
                shown.Add(i);
                left--;
            }
        var line = Enumerable
            .Range(at, rows.Count - at)
            .FirstOrDefault(i => rows[i].Kind == StatementRowKind.Profit, -1);
        if (line >= 0)
            shown.Add(line);
        return [.. shown.Select(i => rows[i])];
    }

    // Which classes stand below an account, as bits; a heading without any posting account stands in its own. A heading
    // that was posted
    // on while it was none counts as what it was: the statements balance whatever is made of an account.
    private static int Mark(
        Account account,
        ILookup<string, Account> below,
        Dictionary<string, int> classes,
        IReadOnlyDictionary<string, decimal> balances
    )
    {
        var bits =
            account.Kind == AccountKind.Posting || balances.ContainsKey(account.Number) ? 1 << (int)account.Class : 0;
        foreach (var child in below[account.Number])
            bits |= Mark(child, below, classes, balances);
        return classes[account.Number] = bits == 0 ? 1 << (int)account.Class : bits;
    }

    private static decimal Section(
        AccountClass @class,
        ILookup<string, Account> below,
        Dictionary<string, int> classes,
        IReadOnlyDictionary<string, decimal> balances,
        List<StatementRow> rows
    )
    {
        var bit = 1 << (int)@class;
        var roots = below[""].Where(a => (classes[a.Number] & bit) != 0).ToList();
        if (roots.Count == 0)
            return 0;
        // One heading that holds the whole class and nothing else says what the caption would say.
        var captioned = roots is not [{ Kind: AccountKind.Heading } only] || classes[only.Number] != bit;
        var at = rows.Count;
        if (captioned)
            rows.Add(new StatementRow(StatementRowKind.Caption, TitleOf(@class), @class, null, 0, 0, false));
        var sum = 0m;
        foreach (var root in roots)
            sum += Add(root, captioned ? 1 : 0);
        if (captioned)
            rows[at] = rows[at] with { Balance = sum };
        return sum;

        decimal Add(Account account, int depth)
        {
            var place = rows.Count;
            var own = account.Class == @class ? balances.GetValueOrDefault(account.Number) : 0;
            rows.Add(
                new StatementRow(
                    account.Kind == AccountKind.Heading ? StatementRowKind.Heading : StatementRowKind.Account,
                    account.Name,
                    @class,
                    account,
                    depth,
                    own,
                    balances.ContainsKey(account.Number)
                )
            );
            foreach (var child in below[account.Number])
                if ((classes[child.Number] & bit) != 0)
                    own += Add(child, depth + 1);
            rows[place] = rows[place] with { Balance = own };
            return own;
        }
    }
}
