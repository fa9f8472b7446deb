using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Puts another account in an account's place wherever the draft names it, and archives it; one change, undone
/// as one.</summary>
public sealed class ReplaceModel(
    DeskContext desk,
    ViewSetUp view,
    EditSetUp edit,
    ReadJournal journal,
    CompareSetUps compare
) : ActingPage(desk, edit)
{
    public override string Place => "chart";

    [BindProperty(SupportsGet = true), FromRoute(Name = "number")]
    public string Number
    {
        get => number;
        set => number = Unslashed(value);
    }
    private string number = "";

    [BindProperty]
    public string? Replacement { get; set; }

    [BindProperty(Name = "reason")]
    public string? Why { get; set; }
    public Account? Account { get; private set; }
    public decimal? Balance { get; private set; }
    public IReadOnlyList<AccountReference> References { get; private set; } = [];
    public IReadOnlyList<Purpose> Purposes { get; private set; } = [];
    public IReadOnlyDictionary<string, string> Own { get; private set; } = new Dictionary<string, string>();

    public async Task<IActionResult> OnGetAsync() =>
        await RenumberedAsync(view, Number) is { } now
            ? LocalRedirect($"/e/{EntityCode}/chart/{Uri.EscapeDataString(now)}/replace")
            : await ShowAsync();

    public async Task<IActionResult> OnPostAsync()
    {
        Own = Chosen();
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            $"account {Number} replaced{(string.IsNullOrWhiteSpace(Replacement) ? "" : " by " + Replacement.Trim())} "
                + "and archived",
            Reason(Why),
            (now, faults) => ChartReferences.Replace(now, Number, Replacement?.Trim(), Own, faults),
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, n => $"{Number} is archived; {n - 1} rows name another account now.");
    }

    private protected override string Here => $"/e/{EntityCode}/chart/{Uri.EscapeDataString(Number)}";

    private protected override async Task<IActionResult> ShowAsync() => await LoadAsync() ? Page() : NotFound();

    /// <summary>What the newest events would do elsewhere with what is chosen so far.</summary>
    public async Task<IActionResult> OnPostConsequencesAsync()
    {
        var foreseen = await compare.OfEditsAsync(
            Visit,
            (now, faults) => ChartReferences.Replace(now, Number, Replacement?.Trim(), Chosen(), faults),
            HttpContext.RequestAborted
        );
        return foreseen.Result is { } found
            ? Partial("_Consequences", (found, EntityCode, State.Currency))
            : NotFound();
    }

    private Dictionary<string, string> Chosen() =>
        Request
            .Form.Where(f => f.Key.StartsWith("for.", StringComparison.Ordinal))
            .ToDictionary(f => f.Key[4..], f => f.Value.ToString().Trim(), StringComparer.Ordinal);

    private async Task<bool> LoadAsync()
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        Account = setUp.Accounts.FirstOrDefault(a => a.Number == Number);
        References = ChartReferences.To(setUp, Number);
        Purposes = [.. References.Select(r => r.Purpose).OfType<Purpose>().Distinct()];
        Balance = (await journal.BalancesAsync(Actor, EntityCode, null, HttpContext.RequestAborted))
            .Result?.Where(b => b.Account == Number)
            .Select(b => (decimal?)(b.Debit - b.Credit))
            .FirstOrDefault();
        return Account is not null;
    }
}
