using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Storage;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>One account: every field by what it decides, everything that refers to it, its balance and latest entries; or a new one beside a neighbour.</summary>
public sealed class AccountModel(DeskContext desk, ViewSetUp view, EditSetUp edit, ReadJournal journal) : EntityPage(desk)
{
    /// <summary>The address of a new account's page.</summary>
    public const string NewNumber = "new";

    public override string Place => "chart";

    [BindProperty(SupportsGet = true)] public string Number { get; set; } = "";

    /// <summary>The account that a new one is made beside.</summary>
    [BindProperty(SupportsGet = true)] public string? From { get; set; }

    public bool IsNew => Number == NewNumber;
    public Account? Account { get; private set; }
    public RowForm Form { get; private set; } = null!;
    public IReadOnlyList<(string What, string Where)> References { get; private set; } = [];
    public BalanceRow? Balance { get; private set; }
    public IReadOnlyList<EntryHead> Latest { get; private set; } = [];
    public string? Warning { get; private set; }

    [TempData] public string? Done { get; set; }
    [TempData] public string? Change { get; set; }

    /// <summary>The fields by what they decide.</summary>
    public static IReadOnlyList<(string Title, IReadOnlyList<string> Columns)> Groups { get; } =
    [
        ("Place in the statements", ["number", "name", "short_code", "class", "kind", "parent", "usual_side", "family"]),
        ("Who may post", ["status", "control", "hand_entries", "party_kinds", "currency", "revalue", "tripwire"]),
        ("Tax", ["tax_admits", "tax_code", "capital"]),
        ("Reporting and notes", ["report_codes", "dimension_rules", "note"]),
    ];

    public async Task<IActionResult> OnGetAsync() => await LoadAsync(null) ? Page() : NotFound();

    /// <summary>Says of a number, while it is typed, that it is free or who holds it, and whether it suits the class.</summary>
    public async Task<IActionResult> OnGetNumberAsync([FromQuery(Name = RowForm.New + "number")] string? number, [FromQuery(Name = RowForm.New + "class")] string? @class)
    {
        var setUp = (await view.OfAsync(State, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
        number = number?.Trim() ?? "";
        var said = number.Length == 0 ? "" : numbers.Holder(number) is { } holder
            ? $"<span class=\"bad\">{System.Net.WebUtility.HtmlEncode(number)} is {System.Net.WebUtility.HtmlEncode(holder.Name)}</span>"
            : Core.Words.TryParse<AccountClass>(@class ?? "", out var wanted) && numbers.Disagrees(number, wanted) is { } why ? $"<span class=\"watch\">{System.Net.WebUtility.HtmlEncode(why)}</span>"
            : "<span class=\"good\">free</span>";
        return Content(said, "text/html");
    }

    public async Task<IActionResult> OnPostAsync(string? reason)
    {
        var change = RowForm.Read(Parts.Accounts, Request.Form);
        var made = await edit.RunAsync(Actor, EntityCode, change.Before is null ? $"account {change.Key} added" : $"account {change.Key} changed", string.IsNullOrWhiteSpace(reason) ? null : reason.Trim(), [change], HttpContext.RequestAborted);
        if (made.Refused is null)
        {
            Done = made.Result!.Plan.Changes.Count == 0 ? "Nothing was different." : change.Before is null ? $"Account {change.Key} was added." : "Saved.";
            Change = made.Result.Id?.ToString(CultureInfo.InvariantCulture);
            return LocalRedirect($"/e/{EntityCode}/chart/{Uri.EscapeDataString(Parts.Accounts.KeyOf(change.After!))}");
        }
        if (!await LoadAsync(RowForm.Typed(Parts.Accounts, Request.Form))) return NotFound();
        Faults = made.Faults;
        Response.StatusCode = 422;
        return Page();
    }

    public async Task<IActionResult> OnPostUndoAsync(long change)
    {
        var undone = await edit.UndoAsync(Actor, EntityCode, change, HttpContext.RequestAborted);
        if (undone.Refused is null)
        {
            Done = "Undone.";
            var there = undone.Result!.Plan.Next.Accounts.Any(a => a.Number == Number);
            return LocalRedirect($"/e/{EntityCode}/chart{(there ? "/" + Uri.EscapeDataString(Number) : "")}");
        }
        if (!await LoadAsync(null)) return NotFound();
        Faults = undone.Faults;
        Response.StatusCode = 422;
        return Page();
    }

    private async Task<bool> LoadAsync(IReadOnlyDictionary<string, string?>? typed)
    {
        var setUp = (await view.OfAsync(State, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
        if (IsNew)
        {
            Form = new RowForm(Parts.Accounts, null, EntityCode, typed ?? Beside(setUp, numbers));
            return true;
        }
        if (numbers.Holder(Number) is not { } account) return false;
        Account = account;
        Form = new RowForm(Parts.Accounts, Parts.Accounts.Write(setUp with { Accounts = [account] })[0], EntityCode, typed);
        Warning = numbers.Disagrees(account.Number, account.Class);
        References = [.. Referring(setUp, account)];
        Balance = (await journal.BalancesAsync(Actor, EntityCode, null, HttpContext.RequestAborted)).Result?.FirstOrDefault(b => b.Account == Number);
        Latest = (await journal.HeadsAsync(Actor, EntityCode, new EntryQuery(Account: Number, Limit: 10, NewestFirst: true), HttpContext.RequestAborted)).Result ?? [];
        return true;
    }

    // A sibling has everything of its neighbour but what is the neighbour's own: number, name, short code, note.
    private Dictionary<string, string?> Beside(SetUp setUp, ChartNumbers numbers)
    {
        if (From is null || numbers.Holder(From) is not { } neighbour) return [];
        var cells = Parts.Accounts.Write(setUp with { Accounts = [neighbour] })[0];
        var values = Parts.Accounts.Columns.Select((c, i) => (c.Name, Cell: cells[i])).ToDictionary(x => x.Name, x => x.Cell);
        if (neighbour.Kind == AccountKind.Heading) (values["kind"], values["parent"]) = ("posting", neighbour.Number);
        values["number"] = neighbour.Kind == AccountKind.Heading ? numbers.Under(neighbour.Number) : numbers.Beside(neighbour.Number);
        values["name"] = values["short_code"] = values["note"] = null;
        return values;
    }

    private static IEnumerable<(string What, string Where)> Referring(SetUp setUp, Account account)
    {
        foreach (var assignment in setUp.Assignments.Where(a => a.Account == account.Number))
            yield return (Show.Words(assignment.Purpose), assignment.Key.Count == 0 ? "default" : string.Join(" · ", assignment.Key.Select(k => $"{Core.Words.Of(k.Dimension).Replace('-', ' ')} {k.Value}")));
        foreach (var child in setUp.Accounts.Where(a => a.Parent == account.Number)) yield return ("account below it", $"{child.Number} {child.Name}");
        foreach (var relief in setUp.ReliefAccounts.Where(r => r.Account == account.Number || r.Relief == account.Number))
            yield return (relief.Account == account.Number ? "may be relieved by" : "relieves", relief.Account == account.Number ? relief.Relief : relief.Account);
        foreach (var row in setUp.Crosswalk.Where(r => r.Account == account.Number)) yield return ("group account", $"{row.GroupAccount} ({row.Balance})");
    }
}
