using Assignum.Core.Editions;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Web.Access;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>A what-if merged into the draft, or a draft brought onto the latest edition: what comes, and what two
/// people changed differently, chosen cell by cell.</summary>
public sealed class MergeModel(DeskContext desk, MergeDrafts merge, EditSetUp edit) : ActingPage(desk, edit)
{
    // Names of the choices begin with this.
    private const string Choice = "take:";

    public override string Place => "editions";

    /// <summary>The what-if; none: the draft.</summary>
    [BindProperty(SupportsGet = true)]
    public int? Id { get; set; }

    /// <summary>Onto the latest edition, instead of into the draft.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Onto { get; set; }

    public MergeResult? Merged { get; private set; }
    public IReadOnlyDictionary<string, bool> Takes { get; private set; } = new Dictionary<string, bool>();

    /// <summary>The name of a conflict's choice in the form.</summary>
    public static string Field(MergeConflict conflict) => Choice + conflict.Id;

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public async Task<IActionResult> OnPostAsync(long revision)
    {
        Takes = Request
            .Form.Where(f =>
                f.Key.StartsWith(Choice, StringComparison.Ordinal) && f.Value.ToString() is "here" or "theirs"
            )
            .ToDictionary(f => f.Key[Choice.Length..], f => f.Value.ToString() == "theirs", StringComparer.Ordinal);
        var made = Onto
            ? await merge.BringOntoLatestAsync(Actor, EntityCode, Id, revision, Takes, HttpContext.RequestAborted)
            : await merge.MergeAsync(Actor, EntityCode, Id ?? 0, revision, Takes, HttpContext.RequestAborted);
        if (made.Result is { } done)
        {
            if (!Onto && State.WorkedIn?.Id == Id)
                HttpContext.WorkIn(EntityCode, null);
            return Went(
                Onto
                    ? $"It stands on edition {State.Latest!.Number} now."
                    : $"What-if {done.Draft.Name} is merged into the draft.",
                done.Change
            );
        }
        return await RefusedAsync(made);
    }

    private protected override string Here => $"/e/{EntityCode}/editions";

    private protected override async Task<IActionResult> ShowAsync() => await LookAsync() ? Page() : NotFound();

    private async Task<bool> LookAsync()
    {
        if (Id is null && !Onto)
            return false;
        var looked = await merge.LookAsync(Actor, EntityCode, Id, Onto, Takes, HttpContext.RequestAborted);
        if (looked.Result is null && Faults.Count == 0)
            Faults = looked.Faults;
        Merged = looked.Result;
        return looked.Refused != Refusal.NotFound;
    }
}
