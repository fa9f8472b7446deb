using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.Ledger;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>An account's lines by date with the balance after each: from a balance down to entries and their
/// landings.</summary>
public sealed class CardModel(DeskContext desk, ViewSetUp view, ReadAccounts accounts) : EntityPage(desk)
{
    /// <summary>Lines on a page.</summary>
    public const int PageLines = 200;
    private const int MostListed = 100_000;

    public override string Place => "chart";

    [BindProperty(SupportsGet = true), FromRoute(Name = "number")]
    public string Number
    {
        get => number;
        set => number = Unslashed(value);
    }
    private string number = "";

    [BindProperty(SupportsGet = true)]
    public DateOnly? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public DateOnly? To { get; set; }

    [BindProperty(SupportsGet = true)]
    public int Skip { get; set; }

    public Account? Account { get; private set; }
    public IReadOnlyList<CardLine> Lines { get; private set; } = [];
    public bool More { get; private set; }
    public string FromText => From?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? "";
    public string ToText => To?.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture) ?? "";

    public async Task<IActionResult> OnGetAsync()
    {
        if (await RenumberedAsync(view, Number) is { } now)
            return LocalRedirect($"/e/{EntityCode}/chart/{Uri.EscapeDataString(now)}/card{Request.QueryString}");
        if (!await FindAsync())
            return NotFound();
        Skip = Math.Clamp(Skip, 0, 100_000_000);
        if (From > To)
            Faults = [new Core.Fault("bad-days", "The last day is before the first: exchange them.", "to")];
        else
        {
            var lines = await accounts.CardAsync(
                Visit,
                Below,
                From,
                To,
                Skip,
                PageLines + 1,
                HttpContext.RequestAborted
            );
            (Lines, More) = ([.. lines.Take(PageLines)], lines.Count > PageLines);
        }
        return Page();
    }

    public async Task<IActionResult> OnGetListAsync(string format)
    {
        if (!await FindAsync())
            return NotFound();
        var lines = await accounts.CardAsync(Visit, Below, From, To, 0, MostListed, HttpContext.RequestAborted);
        return ListFile.Of(
            $"{Number}-lines",
            format,
            [
                "date",
                "entry",
                "kind",
                "reference",
                "purpose",
                "rung",
                "party",
                "item",
                "text",
                "account",
                "posted_as",
                "debit",
                "credit",
                "balance",
            ],
            lines.Select(l =>
                new object?[]
                {
                    l.Date,
                    l.Entry,
                    l.Kind,
                    l.Reference,
                    l.Purpose,
                    l.Rung,
                    l.Party,
                    l.Item,
                    l.Text,
                    l.Account,
                    l.AsPosted,
                    l.Debit,
                    l.Credit,
                    l.Before + l.Debit - l.Credit,
                }
            )
        );
    }

    /// <summary>The accounts whose lines are shown: its own, or those of all that stand below a heading.</summary>
    public IReadOnlyList<string> Below { get; private set; } = [];

    private async Task<bool> FindAsync()
    {
        var all = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp.Accounts;
        Account = all.FirstOrDefault(a => a.Number == Number);
        if (Account is null)
            return false;
        var children = all.ToLookup(a => a.Parent, StringComparer.Ordinal);
        var (below, open, seen) = (new List<string>(), new Queue<Account>([Account]), new HashSet<string>());
        while (open.TryDequeue(out var at))
        {
            if (!seen.Add(at.Number))
                continue;
            below.Add(at.Number);
            foreach (var child in children[at.Number])
                open.Enqueue(child);
        }
        Below = below;
        return true;
    }
}
