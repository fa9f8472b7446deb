using Assignum.Core;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Everything that is still to be decided about a connection, the most money first, each with its acts.</summary>
public sealed class LinkNeedsModel(
    DeskContext desk,
    EditSetUp edit,
    KeepConnections keep,
    ReadNeeds needs,
    ActOnNeeds act
) : JoinedPage(desk, edit, keep)
{
    /// <summary>How many are on a page.</summary>
    public const int Listed = 40;

    /// <summary>record, purpose, word or difference, or a kind of record; empty: all.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Only { get; set; }

    [BindProperty(SupportsGet = true)]
    public int From { get; set; }

    public NeedsOfLink All { get; private set; } = null!;
    public IReadOnlyList<Need> Shown { get; private set; } = [];
    public int Matching { get; private set; }

    /// <summary>What was filled in for a need that was refused.</summary>
    public NeedAct? Tried { get; private set; }

    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["Only"] = Only ?? "" };

    private protected override string Here =>
        $"{Home}/needs" + (string.IsNullOrEmpty(Only) ? "" : $"?only={Uri.EscapeDataString(Only)}");

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostAsync(
        string? id,
        string? @do,
        string? ours,
        string? account,
        string? word,
        string? reason
    )
    {
        static string? Said(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
        Tried = new NeedAct(id, @do, Said(ours), Said(account), Said(word), Said(reason));
        var done = await act.RunAsync(Actor, EntityCode, LinkCode, [Tried], HttpContext.RequestAborted);
        if (done.Refused is null)
            return Went(
                string.Join(' ', ["Decided.", .. done.Result!.Effects]),
                done.Result!.Changes is [var change, ..] ? change : null
            );
        return await RefusedAsync(
            new Outcome<Decided>(null, done.Refused, [.. done.Faults.Select(f => f with { Path = "" })])
        );
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (!await FoundAsync())
            return NotFound();
        var found = await needs.RunAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (found.Result is null)
            return NotFound();
        All = found.Result;
        var matching = All
            .Needs.Where(n => string.IsNullOrEmpty(Only) || n.What == Only || n.What == "record" && n.Record == Only)
            .ToList();
        Matching = matching.Count;
        Shown = [.. matching.Skip(Math.Max(0, From)).Take(Listed)];
        return Page();
    }
}
