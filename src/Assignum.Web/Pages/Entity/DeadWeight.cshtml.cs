using Assignum.Core.Coverage;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Assignments that can never win and those that change nothing, with the proof; deleted as one
/// change.</summary>
public sealed class DeadWeightModel(DeskContext desk, ViewSetUp view, EditSetUp edit) : ActingPage(desk, edit)
{
    public override string Place => "assignments";
    public IReadOnlyList<DeadAssignment> Dead { get; private set; } = [];

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await LoadAsync();
        return ListFile.Of(
            $"{EntityCode}-dead-weight",
            format ?? "csv",
            ["purpose", "key", "account", "kind", "why", "can go"],
            Dead.Select(d =>
                new object?[]
                {
                    d.Assignment.Purpose,
                    string.Join(" · ", d.Assignment.Key.Select(k => $"{Core.Words.Of(k.Dimension)} {k.Value}")),
                    d.Assignment.Account,
                    d.NeverWins ? "never wins" : "changes nothing",
                    d.Why,
                    d.Removable ? "yes" : "no",
                }
            )
        );
    }

    /// <summary>Takes all away that may go together.</summary>
    public async Task<IActionResult> OnPostAsync(string? reason)
    {
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            "assignments without effect deleted",
            Reason(reason),
            (now, _) => ReadCoverage.Removal(now, DeadWeight.Of(new Core.SetUps.CompiledSetUp(now))),
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, n => n == 1 ? "1 assignment was deleted." : $"{n} assignments were deleted.");
    }

    private protected override string Here => $"/e/{EntityCode}/dead-weight";

    private protected override async Task<IActionResult> ShowAsync()
    {
        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync() =>
        Dead = DeadWeight.Of((await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp);
}
