using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Books;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>From joining to live in one page: the first day, the values to begin with, what is still needed, and what differs
/// on the first days.</summary>
public sealed class CutOverModel(
    DeskContext desk,
    EditSetUp edit,
    KeepConnections keep,
    ReadBoard boards,
    GoLive live,
    ReadTieOuts ties
) : ActingPage(desk, edit)
{
    public override string Place => "connections";

    /// <summary>The first day that posts.</summary>
    [BindProperty(SupportsGet = true)]
    public DateOnly? First { get; set; }

    public IReadOnlyList<LinkBoard> Boards { get; private set; } = [];

    /// <summary>The controls at the day before the first, and today; null: nothing is published.</summary>
    public TieOutsView? Before { get; private set; }
    public TieOutsView? Now { get; private set; }

    /// <summary>Whether nothing stands in the way of any that is joining.</summary>
    public bool Ready => Boards.Where(b => b.Link.State == "joining").All(b => b.Needs.Count == 0);

    private protected override string Here =>
        $"/e/{EntityCode}/cut-over" + (First is { } day ? $"?first={BooksPage.Iso(day)}" : "");

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Lets those that are chosen go live, each that can.</summary>
    public async Task<IActionResult> OnPostAsync(string[]? codes)
    {
        if (First is not { } from)
            return await RefusedAsync(new Fault("bad-date", "Say which is the first day that posts.", "first"));
        if (codes is not { Length: > 0 })
            return await RefusedAsync(new Fault("missing-value", "Choose which of them go live.", "codes"));
        var faults = new List<Fault>();
        var gone = new List<string>();
        foreach (var code in codes.Distinct(StringComparer.Ordinal))
        {
            var done = await live.RunAsync(Actor, EntityCode, code, from, HttpContext.RequestAborted);
            if (done.Result is { } link)
                gone.Add(link.Name);
            else
                faults.AddRange(
                    done.Faults.Take(5).Select(f => f with { Message = $"{code}: {f.Message}", Path = "" })
                );
        }
        return faults.Count == 0
            ? Went($"{string.Join(", ", gone)} {(gone.Count == 1 ? "is" : "are")} live from {Show.Day(from)} on.")
            : await RefusedAsync(new Outcome<Connection>(null, Refusal.Conflict, faults));
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        var stop = HttpContext.RequestAborted;
        var found = await keep.ListAsync(Actor, EntityCode, stop);
        var all = new List<LinkBoard>();
        foreach (var link in (found.Result ?? []).Where(l => l.State != "closed"))
            if ((await boards.RunAsync(Actor, EntityCode, link.Code, stop)).Result is { } board)
                all.Add(board);
        Boards = all;
        First ??= all.Select(b => b.Link.LiveFrom).OfType<DateOnly>().Cast<DateOnly?>().Min()
            ?? new DateOnly(State.Today.Year, State.Today.Month, 1);
        Before = (await ties.AllAsync(Visit, First.Value.AddDays(-1), stop)).Result;
        Now = (await ties.AllAsync(Visit, State.Today, stop)).Result;
        return Page();
    }
}
