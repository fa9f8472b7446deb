using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The accounts that a warehouse keeps by item, beside where the items land here.</summary>
public sealed class LinkItemsModel(
    DeskContext desk,
    EditSetUp edit,
    KeepConnections keep,
    ItemAccounts items,
    PairRecords pair
) : JoinedPage(desk, edit, keep)
{
    /// <summary>Items on a page.</summary>
    public const int Listed = 60;

    /// <summary>differs, unreadable, unfit, unpaired, equal; empty: all that does not agree.</summary>
    [BindProperty(SupportsGet = true, Name = "show")]
    public string? Way { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Group { get; set; }

    [BindProperty(SupportsGet = true)]
    public int From { get; set; }

    public BelievedItems All { get; private set; } = null!;
    public IReadOnlyList<BelievedItem> Matching { get; private set; } = [];
    public IReadOnlyDictionary<string, int> Counts { get; private set; } = new Dictionary<string, int>();

    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["show"] = Way ?? "", ["Group"] = Group ?? "" };

    private protected override string Here =>
        $"{Home}/items?show={Uri.EscapeDataString(Way ?? "")}&group={Uri.EscapeDataString(Group ?? "")}";

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnGetFileAsync(string? format)
    {
        var file = await items.FileAsync(Actor, EntityCode, LinkCode, format == "xlsx", HttpContext.RequestAborted);
        if (file.Result is not { } bytes)
            return NotFound();
        return format == "xlsx"
            ? File(bytes, "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet", $"{LinkCode}-items.xlsx")
            : File(bytes, "text/csv; charset=utf-8", $"{LinkCode}-items.csv");
    }

    /// <summary>Names of accounts that it writes and that no account here has, with how many items have each, and the account
    /// with the name that is most like it.</summary>
    public IReadOnlyList<(string Path, int Items, string? Nearest)> Unread { get; private set; } = [];

    /// <summary>Says which account a name of theirs is.</summary>
    public async Task<IActionResult> OnPostNameAsync(string? path, string? ours)
    {
        var done = await pair.SettleAsync(
            Actor,
            EntityCode,
            LinkCode,
            [new PairAct("account", path ?? "", ours?.Trim(), "pair", null)],
            HttpContext.RequestAborted
        );
        return done.Refused is null
            ? Went($"{path} is {ours} from now on.", done.Result!.Id)
            : await RefusedAsync(done);
    }

    public Task<IActionResult> OnPostHereAsync(string[]? chosen, bool all) =>
        MendAsync(items.MendHereAsync, chosen, all);

    public Task<IActionResult> OnPostThereAsync(string[]? chosen, bool all) =>
        MendAsync(items.MendThereAsync, chosen, all);

    /// <summary>What the newest events would do if that were taken over; nothing is.</summary>
    public async Task<IActionResult> OnPostForeseeAsync(string[]? chosen, bool all)
    {
        if (await ShowAsync() is NotFoundResult none)
            return none;
        IReadOnlyCollection<string> picked = all ? [.. Matching.Select(i => i.Theirs)] : chosen ?? [];
        if (picked.Count == 0)
            return Content("");
        var found = await items.ForeseeHereAsync(Actor, EntityCode, LinkCode, picked, HttpContext.RequestAborted);
        return Partial("_Consequences", (found.Result ?? Foreseen.Nothing(found.Faults), EntityCode, State.Currency));
    }

    private async Task<IActionResult> MendAsync(
        Func<
            Desk.Access.Actor,
            string,
            string,
            IReadOnlyCollection<string>,
            CancellationToken,
            Task<Outcome<MendedItems>>
        > mend,
        string[]? chosen,
        bool all
    )
    {
        if (await ShowAsync() is NotFoundResult none)
            return none;
        IReadOnlyCollection<string> picked = all ? [.. Matching.Select(i => i.Theirs)] : chosen ?? [];
        if (picked.Count == 0)
            return await RefusedAsync(new Fault("nothing-chosen", "Choose items, or all that are shown."));
        var done = await mend(Actor, EntityCode, LinkCode, picked, HttpContext.RequestAborted);
        return done.Result is { } of ? Went(of.Says, of.Change) : await RefusedAsync(done);
    }

    private static string WayOf(BelievedItem item) =>
        item.Ours is null ? "unpaired"
        : item.Accounts.Any(a => a.Belief == Belief.Unreadable) ? "unreadable"
        : item.Accounts.Any(a => a.Belief == Belief.Unfit) ? "unfit"
        : item.Accounts.Any(a => a.Belief == Belief.Differs) ? "differs"
        : "equal";

    /// <summary>A belief in words.</summary>
    public static string Says(BelievedAccount of) =>
        of.Belief switch
        {
            Belief.Equal => "the same",
            Belief.Differs => of.Lands is null ? "lands on nothing here" : $"lands on {of.Lands}",
            Belief.Unreadable => of.Nearest is null
                ? "no account is called so"
                : $"no account is called so; nearest {of.Nearest}",
            Belief.Unfit => "does not suit this purpose",
            _ => "says nothing",
        };

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (!await FoundAsync())
            return NotFound();
        var found = await items.ReadAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (found.Result is null)
            return NotFound();
        All = found.Result;
        Counts = All.Items.CountBy(WayOf).ToDictionary();
        Unread =
        [
            .. All
                .Items.SelectMany(i => i.Accounts.Where(a => a.Belief == Belief.Unreadable))
                .GroupBy(a => a.Path, StringComparer.Ordinal)
                .Select(g => (g.Key, g.Count(), g.First().Nearest))
                .OrderByDescending(g => g.Item2),
        ];
        Matching =
        [
            .. All.Items.Where(i =>
                (string.IsNullOrEmpty(Way) ? WayOf(i) is not ("equal" or "unpaired") : WayOf(i) == Way)
                && (string.IsNullOrEmpty(Group) || i.Group == Group)
            ),
        ];
        return Page();
    }
}
