using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.Chart;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>One account: every field by what it decides, everything that refers to it, its balance and latest entries;
/// or a new one beside a neighbour.</summary>
public sealed class AccountModel(
    DeskContext desk,
    ViewSetUp view,
    EditSetUp edit,
    ReadJournal journal,
    ReadAccounts accounts,
    CompareSetUps compare
) : ActingPage(desk, edit)
{
    /// <summary>The address of a new account's page.</summary>
    public const string NewNumber = "new";

    public override string Place => "chart";

    [BindProperty(SupportsGet = true), FromRoute(Name = "number")]
    public string Number
    {
        get => number;
        set => number = Unslashed(value);
    }
    private string number = "";

    /// <summary>The account that a new one is made beside.</summary>
    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    public bool IsNew => Number == NewNumber;
    public Account? Account { get; private set; }
    public RowForm Form { get; private set; } = null!;
    public IReadOnlyList<AccountReference> References { get; private set; } = [];

    /// <summary>What needs another account before this one is archived.</summary>
    public IReadOnlyList<AccountReference> Holding { get; private set; } = [];
    public AccountFacts? Facts { get; private set; }
    public IReadOnlyList<ReliefAccount> Relief { get; private set; } = [];
    private IReadOnlyDictionary<string, string> names = new Dictionary<string, string>();

    /// <summary>The name of another account, or an empty text.</summary>
    public string NameOf(string number) => names.GetValueOrDefault(number, "");

    /// <summary>A purpose of the account's subledger: relief accounts are looked for as for it.</summary>
    public string ReliefPurpose =>
        Purposes.All.FirstOrDefault(p => p.Control == Account!.Control && p.Accepts(Account.Class))?.Name ?? "";

    /// <summary>Whether it can be deleted.</summary>
    public bool NeverUsed => Facts is { Lines: 0, Live.Count: 0 } && References.Count == 0;
    public BalanceRow? Balance { get; private set; }
    public IReadOnlyList<EntryHead> Latest { get; private set; } = [];
    public string? Warning { get; private set; }

    /// <summary>The fields by what they decide.</summary>
    public static IReadOnlyList<(string Title, IReadOnlyList<string> Columns)> Groups { get; } =
    [
        (
            "Place in the statements",
            ["number", "name", "short_code", "class", "kind", "parent", "usual_side", "family"]
        ),
        ("Who may post", ["status", "control", "hand_entries", "party_kinds", "currency", "revalue", "tripwire"]),
        ("Tax", ["tax_admits", "tax_code", "capital"]),
        ("Reporting", ["report_codes", "dimension_rules", "note"]),
    ];

    /// <summary>The purposes that it may serve.</summary>
    public IReadOnlyList<Purpose> Fitting =>
        Account is { } account
            ? [.. Purposes.All.Where(p => Fitness.Of(account, p, false) is not { Severity: Core.Severity.Error })]
            : [];

    public async Task<IActionResult> OnGetAsync() =>
        await RenumberedAsync(view, Number) is { } now ? LocalRedirect(At(now)) : await ShowAsync();

    /// <summary>Says of a number, while it is typed, that it is free or who holds it, and whether it suits the
    /// class.</summary>
    public async Task<IActionResult> OnGetNumberAsync(
        [FromQuery(Name = RowForm.New + "number")] string? number,
        [FromQuery(Name = RowForm.New + "class")] string? @class
    )
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
        number = number?.Trim() ?? "";
        var said =
            number.Length == 0 ? ""
            : numbers.Holder(number) is { } holder
                ? $"<span class=\"bad\">{System.Net.WebUtility.HtmlEncode(number)} is "
                    + $"{System.Net.WebUtility.HtmlEncode(holder.Name)}"
                    + (
                        numbers.Beside(number) is { } next
                            ? $", next free {System.Net.WebUtility.HtmlEncode(next)}"
                            : ""
                    )
                    + "</span>"
            : Core.Words.TryParse<AccountClass>(@class ?? "", out var wanted)
            && numbers.Disagrees(number, wanted) is { } why
                ? $"<span class=\"watch\">{System.Net.WebUtility.HtmlEncode(why)}</span>"
            : $"<span class=\"good\">{System.Net.WebUtility.HtmlEncode(number)} is free</span>";
        return Content(said, "text/html");
    }

    /// <summary>Shows where in the statements the account of the form falls, before it is saved.</summary>
    public async Task<IActionResult> OnGetPlaceAsync()
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var old = IsNew ? null : setUp.Accounts.FirstOrDefault(a => a.Number == Number);
        if (!IsNew && old is null)
            return NotFound();
        var typed = Parts
            .Accounts.Columns.Where(c => Request.Query.ContainsKey(RowForm.New + c.Name))
            .ToDictionary(c => c.Name, c => (string?)Request.Query[RowForm.New + c.Name].ToString());
        var rows = NewAccount.Place(setUp, old, typed, await BalancesAsync(), out var number);
        return Partial("_Place", (rows, number, State.Currency));
    }

    /// <summary>Says what already uses the account wrongly, as the form's control has it.</summary>
    public async Task<IActionResult> OnGetControlAsync(
        [FromQuery(Name = RowForm.New + "control")] string? control,
        [FromQuery(Name = RowForm.New + "hand_entries")] string? hand
    )
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        if (setUp.Accounts.FirstOrDefault(a => a.Number == Number) is not { } account)
            return NotFound();
        var entries = Core.Words.TryParse<HandEntries>(hand ?? "", out var said) ? said : (HandEntries?)null;
        var wanted = Core.Words.TryParse<Control>(control ?? "", out var its) ? its : Control.None;
        return Partial(
            "_WrongUses",
            await accounts.WrongUsesAsync(
                Visit,
                setUp,
                account with
                {
                    Control = wanted,
                    HandEntries = entries,
                },
                HttpContext.RequestAborted
            )
        );
    }

    /// <summary>What the account is, beside another page.</summary>
    public async Task<IActionResult> OnGetPanelAsync() =>
        await LoadAsync(null) && Account is not null ? Partial("_AccountBeside", this) : NotFound();

    public async Task<IActionResult> OnPostAsync(string? reason)
    {
        var change = RowForm.Read(Parts.Accounts, Request.Form);
        var to = Parts.Accounts.KeyOf(change.After!);
        return await AfterAsync(
            await Edit.RunAsync(
                Actor,
                EntityCode,
                change.Before is null ? $"account {change.Key} added" : $"account {change.Key} changed",
                Reason(reason),
                [change],
                HttpContext.RequestAborted
            ),
            change.Before is null ? $"Account {to} was added." : "Saved.",
            to,
            RowForm.Typed(Parts.Accounts, Request.Form)
        );
    }

    /// <summary>What the newest events would do elsewhere if the form were saved; nothing is.</summary>
    public async Task<IActionResult> OnPostConsequencesAsync()
    {
        var change = RowForm.Read(Parts.Accounts, Request.Form);
        var foreseen = await compare.OfEditsAsync(Visit, (_, _) => [change], HttpContext.RequestAborted);
        return foreseen.Result is { } found
            ? Partial("_Consequences", (found, EntityCode, State.Currency))
            : NotFound();
    }

    public async Task<IActionResult> OnPostRenumberAsync(string? to, bool below)
    {
        to = to?.Trim() ?? "";
        return await AfterAsync(
            await Edit.MakeAsync(
                Actor,
                EntityCode,
                $"account {Number} renumbered {to}",
                null,
                (now, faults) =>
                {
                    if (!now.Accounts.Any(a => a.Number == Number))
                        faults.Add(
                            new Core.Fault("account-missing", $"Account {Number} is no longer there.", "number")
                        );
                    return Renumbering.Plan(now, Number, to, below);
                },
                HttpContext.RequestAborted
            ),
            $"{Number} is {to} now, wherever it is named.",
            to,
            null
        );
    }

    public async Task<IActionResult> OnPostDeleteAsync() =>
        await AfterAsync(
            await Edit.MakeAsync(
                Actor,
                EntityCode,
                $"account {Number} deleted",
                null,
                (now, faults) =>
                {
                    if (now.Accounts.FirstOrDefault(a => a.Number == Number) is { } account)
                        return
                        [
                            SetUpEdit.Row(
                                Parts.Accounts,
                                Parts.Accounts.Write(now with { Accounts = [account] })[0],
                                null
                            ),
                        ];
                    faults.Add(new Core.Fault("account-missing", $"Account {Number} is no longer there.", "number"));
                    return [];
                },
                HttpContext.RequestAborted
            ),
            $"Account {Number} is deleted.",
            null,
            null
        );

    public async Task<IActionResult> OnPostRelieveAsync(string? relief, string? label, bool gone)
    {
        var row = new Dictionary<string, string?>
        {
            ["account"] = Number,
            ["relief"] = relief?.Trim(),
            ["label"] = label?.Trim(),
        };
        string?[] cells =
        [
            .. Parts.ReliefAccounts.Columns.Select(c => string.IsNullOrEmpty(row[c.Name]) ? null : row[c.Name]),
        ];
        var change = gone
            ? SetUpEdit.Row(Parts.ReliefAccounts, cells, null)
            : SetUpEdit.Row(Parts.ReliefAccounts, null, row);
        return await AfterAsync(
            await Edit.MakeAsync(
                Actor,
                EntityCode,
                gone
                    ? $"{relief} may no longer be used instead of {Number}"
                    : $"{relief} may be used instead of {Number}",
                null,
                (_, _) => [change],
                HttpContext.RequestAborted
            ),
            gone ? "Deleted." : "Added.",
            Number,
            null
        );
    }

    // Back to the account (or the chart, where it is gone) when it was done; the page with what is wrong when not.
    private Task<IActionResult> AfterAsync(
        Outcome<EditResult> made,
        string done,
        string? to,
        IReadOnlyDictionary<string, string?>? typed
    ) => AfterAsync(made, _ => done, At(to), () => ShowAsync(typed));

    private string At(string? number) =>
        $"/e/{EntityCode}/chart{(number is null ? "" : "/" + Uri.EscapeDataString(number))}";

    private protected override string Here => At(Number);

    private protected override string AfterUndo(EditResult undone) =>
        At(undone.Plan.Next.Accounts.Any(a => a.Number == Number) ? Number : null);

    private protected override Task<IActionResult> ShowAsync() => ShowAsync(null);

    private async Task<IActionResult> ShowAsync(IReadOnlyDictionary<string, string?>? typed) =>
        await LoadAsync(typed) ? Page() : NotFound();

    private async Task<IReadOnlyDictionary<string, decimal>> BalancesAsync() =>
        (await journal.BalancesAsync(Actor, EntityCode, null, HttpContext.RequestAborted)).Result!.ToDictionary(
            b => b.Account,
            b => b.Debit - b.Credit
        );

    private async Task<bool> LoadAsync(IReadOnlyDictionary<string, string?>? typed)
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
        if (IsNew)
        {
            Form = new RowForm(
                Parts.Accounts,
                null,
                EntityCode,
                typed ?? NewAccount.Beside(setUp, From is null ? null : numbers.Holder(From))
            )
            {
                SetUp = setUp,
            };
            return true;
        }
        if (numbers.Holder(Number) is not { } account)
            return false;
        Account = account;
        Form = new RowForm(
            Parts.Accounts,
            Parts.Accounts.Write(setUp with { Accounts = [account] })[0],
            EntityCode,
            typed
        )
        {
            SetUp = setUp,
        };
        Warning = numbers.Disagrees(account.Number, account.Class);
        References = ChartReferences.To(setUp, Number);
        Holding = ChartReferences.Holding(setUp, Number);
        Relief = [.. setUp.ReliefAccounts.Where(r => r.Account == Number)];
        names = setUp.Accounts.ToDictionary(a => a.Number, a => a.Name);
        Facts = await accounts.FactsAsync(Visit, setUp, Number, HttpContext.RequestAborted);
        Balance = (
            await journal.BalancesAsync(Actor, EntityCode, null, HttpContext.RequestAborted)
        ).Result?.FirstOrDefault(b => b.Account == Number);
        Latest = (
            await journal.HeadsAsync(
                Actor,
                EntityCode,
                new EntryQuery(Account: Number, Limit: 10, NewestFirst: true),
                HttpContext.RequestAborted
            )
        ).Result
            ?? [];
        return true;
    }
}
