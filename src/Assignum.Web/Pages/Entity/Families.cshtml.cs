using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Product lines: each group's stock, revenue and cost beside its sisters', what each family has for which
/// purpose and lacks, and families for accounts that have none.</summary>
public sealed class FamiliesModel(DeskContext desk, ViewSetUp view, EditSetUp edit) : ActingPage(desk, edit)
{
    public override string Place => "assignments";

    public Families Families { get; private set; } = null!;
    public IReadOnlyList<FamilyGroup> Groups { get; private set; } = [];
    public IReadOnlyList<(string Family, IReadOnlyList<FamilyCell> Cells)> Matrix { get; private set; } = [];
    public IReadOnlyList<FamilyProposal> Proposals { get; private set; } = [];

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Gives the marked accounts the families that are proposed, or what was written instead.</summary>
    public async Task<IActionResult> OnPostAsync(string[]? account)
    {
        var chosen = (account ?? [])
            .Select(a => (Number: a, Family: Request.Form["family." + a].ToString().Trim()))
            .Where(a => a.Family.Length > 0)
            .ToDictionary(a => a.Number, a => a.Family, StringComparer.Ordinal);
        if (chosen.Count == 0)
            return await RefusedAsync(
                new Core.Fault("nothing-chosen", "Mark at least one account that gets a family.", "account")
            );
        return await AfterAsync(
            await Edit.MakeAsync(
                Actor,
                EntityCode,
                $"families of {Show.Some(chosen.Count, "account")}",
                null,
                (now, _) => Families.Rows(now, chosen),
                HttpContext.RequestAborted
            ),
            n => $"{Show.Some(n, "account")} {(n == 1 ? "has its family" : "have their families")} now."
        );
    }

    private protected override string Here => $"/e/{EntityCode}/families";

    private protected override async Task<IActionResult> ShowAsync()
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;
        Families = new Families(setUp, State.Today);
        (Groups, Matrix, Proposals) = (Families.Groups(), Families.Matrix(), Families.Proposals());
        return Page();
    }
}
