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

    /// <summary>The rows that are chosen to go, by their keys; null: all that may.</summary>
    public IReadOnlySet<string>? Chosen { get; private set; }

    /// <summary>Deletes what was chosen, where it may go together.</summary>
    public async Task<IActionResult> OnPostAsync(string? reason, string[]? row)
    {
        Chosen = (row ?? []).OfType<string>().ToHashSet(StringComparer.Ordinal);
        if (Chosen.Count == 0)
            return await RefusedAsync(new Core.Fault("no-row", "Choose at least one assignment to delete.", "row"));
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            "assignments without effect deleted",
            Reason(reason),
            (now, faults) =>
            {
                var compiled = new Core.SetUps.CompiledSetUp(now);
                var going = DeadWeight
                    .Of(compiled)
                    .Where(d => d.Removable && Chosen.Contains(d.Assignment.Identity))
                    .ToList();
                if (going.Count < Chosen.Count)
                    faults.Add(
                        new Core.Fault(
                            "changed-meanwhile",
                            "Some of what was chosen has an effect by now, or is gone: look at the list again."
                        )
                    );
                foreach (var needing in DeadWeight.Needing(compiled, going).Take(20))
                    faults.Add(
                        new Core.Fault(
                            "needs-others",
                            $"{Show.Purpose(needing.Assignment.Purpose)}, {KeyOf(needing)}: without it alone something "
                                + "would land elsewhere. Choose those that are named with it too.",
                            "row"
                        )
                    );
                return faults.Count > 0 ? [] : ReadCoverage.Removal(now, going);
            },
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, n => n == 1 ? "1 assignment was deleted." : $"{n} assignments were deleted.");
    }

    /// <summary>An assignment's key as it is listed.</summary>
    public static string KeyOf(DeadAssignment dead) =>
        dead.Assignment.Key.Count == 0 ? "default" : string.Join(" · ", dead.Assignment.Key.Select(k => k.Value));

    private protected override string Here => $"/e/{EntityCode}/dead-weight";

    private protected override async Task<IActionResult> ShowAsync()
    {
        await LoadAsync();
        return Page();
    }

    private async Task LoadAsync() =>
        Dead = DeadWeight.Of((await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp);
}
