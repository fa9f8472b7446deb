using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Creates an account where it is missed: beside the one that serves the same purpose, with the next free
/// number.</summary>
public sealed class InPlaceModel(DeskContext desk, ViewSetUp view, EditSetUp edit) : EntityPage(desk)
{
    private static readonly string[] Asked = ["number", "name", "class", "parent", "control"];

    public override string Place => "chart";
    public RowForm Form { get; private set; } = null!;

    /// <summary>What else the new account has of its neighbour.</summary>
    public IReadOnlyList<(string Name, string? Value)> Kept { get; private set; } = [];
    public Account? Like { get; private set; }

    public async Task OnGetAsync(string? name, string? purpose)
    {
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var wanted = purpose is null ? null : Purposes.Find(purpose);
        var values = NewAccount.For(setUp, wanted, name, out var like);
        Like = like;
        Form = new RowForm(Parts.Accounts, null, EntityCode, values) { Columns = Asked };
        Kept = [.. values.Where(v => !Asked.Contains(v.Key) && v.Value is not null).Select(v => (v.Key, v.Value))];
    }

    public async Task<IActionResult> OnPostAsync()
    {
        var change = RowForm.Read(Parts.Accounts, Request.Form);
        var made = await edit.RunAsync(
            Actor,
            EntityCode,
            $"account {change.Key} added",
            null,
            [change],
            HttpContext.RequestAborted
        );
        if (made.Refused is null)
            return new JsonResult(new { number = change.Key });
        var typed = RowForm.Typed(Parts.Accounts, Request.Form);
        Form = new RowForm(Parts.Accounts, null, EntityCode, typed) { Columns = Asked };
        Kept = [.. typed.Where(v => !Asked.Contains(v.Key)).Select(v => (v.Key, v.Value))];
        Faults = made.Faults;
        Response.StatusCode = 422;
        return Page();
    }
}
