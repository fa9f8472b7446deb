using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The systems that are joined, and another one to be joined.</summary>
public sealed class ConnectionsModel(
    DeskContext desk,
    EditSetUp edit,
    KeepConnections keep,
    ReadBoard boards,
    AskOpenings openings
) : ActingPage(desk, edit)
{
    public override string Place => "connections";

    [BindProperty]
    public ConnectionForm Form { get; set; } =
        new(null, "warehouse", null, null, null, null, null, null, null, null, null);

    private const int MostNamed = 8;

    public IReadOnlyList<LinkBoard> Boards { get; private set; } = [];

    /// <summary>Whether a connection may be made by whoever looks.</summary>
    public bool MayJoin => May(Role.Administrator);

    private protected override string Here => $"/e/{EntityCode}/connections";

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostAsync()
    {
        var made = await keep.CreateAsync(
            Actor,
            EntityCode,
            Form with
            {
                Currency = string.IsNullOrWhiteSpace(Form.Currency) ? null : Form.Currency,
                SendsBy = string.IsNullOrEmpty(Form.SendsBy) ? null : Form.SendsBy,
            },
            HttpContext.RequestAborted
        );
        if (made.Result is not { } of)
            return await RefusedAsync(made);
        TempData["HookSecret"] = of.HookSecret;
        return Went(
            $"{of.Link.Name} is kept. Test it, then fetch what it has.",
            null,
            $"{Here}/{Uri.EscapeDataString(of.Link.Code)}"
        );
    }

    public async Task<IActionResult> OnPostOpeningAsync(DateOnly? at)
    {
        if (at is not { } day)
            return await RefusedAsync(
                new Fault("bad-date", "Say of which day: the one before the first that posts.", "at")
            );
        var asked = await openings.RunAsync(Actor, EntityCode, day, HttpContext.RequestAborted);
        if (asked.Result is not { } of)
            return await RefusedAsync(asked);
        var came = of.Rows.Select(r =>
            $"{Show.Some(r.Value, "row")} of {OpeningsModel.TitleOf(r.Key).ToLowerInvariant()}"
        );
        var left = of.Missing.Take(MostNamed).Select(m => $"{m.Record} {m.Theirs} of {m.Connection}");
        TempData["Done"] =
            $"{string.Join(", ", came)} came."
            + (of.Missing.Count == 0 ? "" : $" Left out for want of a pairing: {string.Join(", ", left)}")
            + (of.Missing.Count > MostNamed ? $" and {of.Missing.Count - MostNamed} more." : "");
        return LocalRedirect($"/e/{EntityCode}/openings?at={BooksPage.Iso(day)}");
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        var found = await keep.ListAsync(Actor, EntityCode, HttpContext.RequestAborted);
        var all = new List<LinkBoard>();
        foreach (var link in found.Result ?? [])
            if ((await boards.RunAsync(Actor, EntityCode, link.Code, HttpContext.RequestAborted)).Result is { } board)
                all.Add(board);
        Boards = all;
        return Page();
    }
}
