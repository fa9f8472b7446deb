using Assignum.Core;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>A new line of business on one page: like a sibling, with what it needs and a purchase and a sale of it
/// before it is there, as one change.</summary>
public sealed class NewLineModel(DeskContext desk, ViewSetUp view, OpenLine open, EditSetUp edit)
    : ActingPage(desk, edit)
{
    public override string Place => "groups";

    [BindProperty(SupportsGet = true)]
    public string? Sibling { get; set; }

    [BindProperty]
    public string? Code { get; set; }

    [BindProperty]
    public string? Name { get; set; }

    [BindProperty]
    public string? Parent { get; set; }

    [BindProperty]
    public string? Category { get; set; }

    /// <summary>The line that was just opened.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Opened { get; set; }

    /// <summary>The first items, one a line: a code, then a name.</summary>
    [BindProperty]
    public string? Items { get; set; }

    [BindProperty(Name = "reason")]
    public string? Why { get; set; }

    /// <summary>The sibling's accounts, each with what was asked for in its place.</summary>
    public IReadOnlyList<(LikeAccount Proposed, bool Own, string? Number, string? Name)> Accounts
    {
        get;
        private set;
    } = [];
    public LinePreview? Preview { get; private set; }
    private CompiledSetUp? setUp;

    public string AccountName(string number) =>
        Preview?.Plan.Next.Accounts.FirstOrDefault(a => a.Number == number)?.Name ?? "";

    public Task OnGetAsync() => LoadAsync(false);

    /// <summary>Shows the accounts of the sibling, with numbers and names beside them.</summary>
    public Task<IActionResult> OnPostLikeAsync() => LookAsync(false);

    /// <summary>Looks at it as it is filled in.</summary>
    public Task<IActionResult> OnPostLookAsync() => LookAsync(true);

    public async Task<IActionResult> OnPostAsync()
    {
        await LoadAsync(true);
        return await AfterAsync(
            await open.RunAsync(Actor, EntityCode, Wish(), Reason(Why), HttpContext.RequestAborted),
            n => $"{Code} {Name} is open: {n} rows, undone as one.",
            $"{Here}?opened={Uri.EscapeDataString(Code?.Trim() ?? "")}",
            () => Task.FromResult<IActionResult>(Page())
        );
    }

    private protected override string Here => $"/e/{EntityCode}/new-line";

    private protected override async Task<IActionResult> ShowAsync()
    {
        await LoadAsync(false);
        return Page();
    }

    private async Task<IActionResult> LookAsync(bool asTyped)
    {
        await LoadAsync(asTyped);
        if (
            !string.IsNullOrWhiteSpace(Sibling)
            && setUp!.SetUp.Groups.All(g => g.Kind != GroupKind.Item || g.Code != Sibling.Trim())
        )
            Faults =
            [
                new Fault(
                    "unknown-record",
                    $"There is no item group {Sibling.Trim()}: choose the one that the new line is like.",
                    "sibling"
                ),
            ];
        else if (!string.IsNullOrWhiteSpace(Code) && !string.IsNullOrWhiteSpace(Name))
        {
            Preview = (await open.LookAsync(Visit, Wish(), HttpContext.RequestAborted)).Result;
            Faults = Preview?.Faults ?? [];
        }
        if (Faults.Count > 0)
            Response.StatusCode = 422;
        return Page();
    }

    private async Task LoadAsync(bool asTyped)
    {
        setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;
        if (string.IsNullOrWhiteSpace(Sibling))
            return;
        var own = asTyped ? Request.Form["own"].ToHashSet() : null;
        // What was left empty is as it is proposed.
        string? Typed(string field, string? proposed) =>
            asTyped && Request.Form[field].ToString() is { Length: > 0 } typed ? typed : proposed;
        Accounts =
        [
            .. NewLine
                .Propose(setUp, Sibling.Trim(), string.IsNullOrWhiteSpace(Name) ? "" : Name.Trim())
                .Select(a =>
                    (
                        a,
                        own?.Contains(a.Like.Number) ?? !a.Shared && a.Number is not null,
                        Typed($"number:{a.Like.Number}", a.Number),
                        Typed($"name:{a.Like.Number}", a.Name)
                    )
                ),
        ];
    }

    private NewLineWish Wish()
    {
        var items = (Items ?? "")
            .Split('\n', StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries)
            .Select(l => l.Split([' ', '\t'], 2, StringSplitOptions.TrimEntries))
            .Select(p => (p[0], p.Length > 1 ? p[1] : p[0]))
            .Take(500)
            .ToList();
        return new NewLineWish(
            Sibling?.Trim() ?? "",
            Code?.Trim() ?? "",
            Name?.Trim() ?? "",
            string.IsNullOrWhiteSpace(Parent) ? null : Parent.Trim(),
            string.IsNullOrWhiteSpace(Category) ? null : Category.Trim(),
            Accounts
                .Where(a => a.Own)
                .ToDictionary(a => a.Proposed.Like.Number, a => (a.Number?.Trim() ?? "", a.Name?.Trim() ?? "")),
            items
        );
    }
}
