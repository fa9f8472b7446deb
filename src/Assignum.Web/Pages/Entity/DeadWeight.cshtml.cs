using System.Globalization;
using Assignum.Core.Coverage;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Assignments that can never win and those that change nothing, with the proof; taken away as one change.</summary>
public sealed class DeadWeightModel(DeskContext desk, ViewSetUp view, EditSetUp edit) : EntityPage(desk)
{
    public override string Place => "assignments";
    [TempData] public string? Done { get; set; }
    [TempData] public string? Change { get; set; }
    public IReadOnlyList<DeadAssignment> Dead { get; private set; } = [];

    public Task OnGetAsync() => LoadAsync();

    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await LoadAsync();
        return ListFile.Of($"{EntityCode}-dead-weight", format ?? "csv", ["purpose", "key", "account", "kind", "why", "can go"], Dead.Select(d => new object?[]
            { d.Assignment.Purpose, string.Join(" · ", d.Assignment.Key.Select(k => $"{Core.Words.Of(k.Dimension)} {k.Value}")), d.Assignment.Account, d.NeverWins ? "never wins" : "changes nothing", d.Why, d.Removable ? "yes" : "no" }));
    }

    /// <summary>Takes all away that may go together.</summary>
    public async Task<IActionResult> OnPostAsync(string? reason)
    {
        var made = await edit.MakeAsync(Actor, EntityCode, "dead weight taken away", string.IsNullOrWhiteSpace(reason) ? null : reason.Trim(), (now, _) => ReadCoverage.Removal(now, DeadWeight.Of(new Core.SetUps.CompiledSetUp(now))), HttpContext.RequestAborted);
        if (made.Refused is null)
        {
            (Done, Change) = (made.Result!.Plan.Changes.Count switch { 0 => "Nothing was there to take away.", 1 => "1 assignment was taken away.", var n => $"{n} assignments were taken away." }, made.Result.Id?.ToString(CultureInfo.InvariantCulture));
            return LocalRedirect($"/e/{EntityCode}/dead-weight");
        }
        return await RefusedAsync(made.Faults);
    }

    public async Task<IActionResult> OnPostUndoAsync(long change)
    {
        var undone = await edit.UndoAsync(Actor, EntityCode, change, HttpContext.RequestAborted);
        if (undone.Refused is not null) return await RefusedAsync(undone.Faults);
        Done = "Undone.";
        return LocalRedirect($"/e/{EntityCode}/dead-weight");
    }

    private async Task<Microsoft.AspNetCore.Mvc.RazorPages.PageResult> RefusedAsync(IReadOnlyList<Core.Fault> faults)
    {
        Faults = faults;
        Response.StatusCode = 422;
        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync() => Dead = DeadWeight.Of((await view.OfAsync(State, "draft", null, HttpContext.RequestAborted)).Result!.SetUp);
}
