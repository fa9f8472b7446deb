using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The editions, and publishing the draft.</summary>
public sealed class EditionsModel(DeskContext desk, PublishDraft publish, ViewSetUp view) : EntityPage(desk)
{
    public override string Place => "editions";
    [BindProperty] public string? From { get; set; }
    [BindProperty] public string? Note { get; set; }

    /// <summary>The rows in which the draft differs from the edition it is based on.</summary>
    public IReadOnlyList<RowChange> Changes { get; private set; } = [];

    public Task OnGetAsync() => LoadAsync();

    private async Task LoadAsync()
    {
        if (State.Draft is not { BasedOn: > 0 } draft) return;
        var before = await view.OfAsync(State, draft.BasedOn.ToString(System.Globalization.CultureInfo.InvariantCulture), null, HttpContext.RequestAborted);
        var after = await view.OfAsync(State, "draft", null, HttpContext.RequestAborted);
        Changes = SetUpImport.Difference(before.Result!.SetUp.SetUp, after.Result!.SetUp.SetUp);
    }

    public async Task<IActionResult> OnPostAsync()
    {
        DateOnly? day = DateOnly.TryParseExact(From, "yyyy-MM-dd", out var from) ? from : null;
        var published = await publish.RunAsync(Actor, EntityCode, day, string.IsNullOrWhiteSpace(Note) ? null : Note.Trim(), HttpContext.RequestAborted);
        if (published.Refused is null) return LocalRedirect($"/e/{EntityCode}/editions");
        Faults = published.Faults;
        Response.StatusCode = 422;
        await LoadAsync();
        return Page();
    }
}
