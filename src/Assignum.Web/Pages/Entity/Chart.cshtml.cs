using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Lists;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The chart as a tree with balances; headings sum what stands below them.</summary>
public sealed class ChartModel(DeskContext desk, ViewSetUp view, ReadJournal journal) : EntityPage(desk)
{
    public override string Place => "chart";

    [BindProperty(SupportsGet = true)] public string? Q { get; set; }
    [BindProperty(SupportsGet = true)] public string? Class { get; set; }

    /// <summary>A row of the tree. The balance is debit minus credit.</summary>
    public sealed record Row(Account Account, int Depth, decimal Balance, bool Moved);

    public IReadOnlyList<Row> Rows { get; private set; } = [];
    public int Count { get; private set; }
    public decimal Debits => Rows.Where(r => r.Account.Kind == AccountKind.Posting && r.Balance > 0).Sum(r => r.Balance);
    public decimal Credits => -Rows.Where(r => r.Account.Kind == AccountKind.Posting && r.Balance < 0).Sum(r => r.Balance);

    public Task OnGetAsync() => LoadAsync();

    public async Task<IActionResult> OnGetListAsync(string format)
    {
        await LoadAsync();
        return ListFile.Of("accounts", format, ["number", "name", "class", "kind", "control", "tax_code", "status", "balance"],
            Rows.Select(r => new object?[] { r.Account.Number, r.Account.Name, Words.Of(r.Account.Class), Words.Of(r.Account.Kind), r.Account.Control == Control.None ? null : Words.Of(r.Account.Control), r.Account.TaxCode, Words.Of(r.Account.Status), r.Balance }));
    }

    private async Task LoadAsync()
    {
        // The draft where there is one: what is being worked on is what is looked at.
        var set = await view.OfAsync(State, "draft", null, HttpContext.RequestAborted);
        var balances = (await journal.BalancesAsync(Actor, EntityCode, null, HttpContext.RequestAborted)).Result!.ToDictionary(b => b.Account, b => b.Debit - b.Credit);
        var accounts = set.Result!.SetUp.SetUp.Accounts;
        Count = accounts.Count;
        var below = accounts.OrderBy(a => a.Number, StringComparer.Ordinal).ToLookup(a => a.Parent ?? "");
        var rows = new List<Row>(accounts.Count);
        foreach (var top in below[""]) Add(top, 0, below, balances, rows);
        Rows = [.. rows.Where(Shown)];
    }

    private static decimal Add(Account account, int depth, ILookup<string, Account> below, Dictionary<string, decimal> balances, List<Row> rows)
    {
        var at = rows.Count;
        var balance = balances.GetValueOrDefault(account.Number);
        rows.Add(new Row(account, depth, balance, balances.ContainsKey(account.Number)));
        foreach (var child in below[account.Number]) balance += Add(child, depth + 1, below, balances, rows);
        rows[at] = rows[at] with { Balance = balance };
        return balance;
    }

    private bool Shown(Row row) =>
        (string.IsNullOrEmpty(Class) || Words.Of(row.Account.Class) == Class)
        && (string.IsNullOrWhiteSpace(Q) || row.Account.Number.StartsWith(Q.Trim(), StringComparison.OrdinalIgnoreCase) || row.Account.Name.Contains(Q.Trim(), StringComparison.OrdinalIgnoreCase));
}
