using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
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
        Like = Neighbour(setUp, wanted);
        var values = NewAccount.Beside(setUp, Like);
        // What was typed is a number where it begins with a digit, else a name.
        name = name?.Trim() ?? "";
        if (name.Length > 0)
            values[char.IsAsciiDigit(name[0]) && !name.Contains(' ') ? "number" : "name"] = name;
        if (wanted is not null && Like is null)
            (values["class"], values["control"]) = (
                Core.Words.Of(wanted.Classes[0]),
                wanted.Control == Control.None ? null : Core.Words.Of(wanted.Control)
            );
        values["kind"] = "posting";
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

    // The account that most assignments of the purpose name, else any that suits it.
    private static Account? Neighbour(SetUp setUp, Purpose? purpose)
    {
        if (purpose is null)
            return null;
        var most = setUp
            .Assignments.Where(a => a.Purpose == purpose.Name)
            .GroupBy(a => a.Account)
            .OrderByDescending(g => g.Count())
            .ThenBy(g => g.Key, StringComparer.Ordinal)
            .Select(g => g.Key)
            .ToList();
        var fit = setUp.Accounts.Where(a => Fitness.Of(a, purpose, false) is null).ToList();
        return most.Select(n => fit.FirstOrDefault(a => a.Number == n)).FirstOrDefault(a => a is not null)
            ?? fit.FirstOrDefault();
    }
}

/// <summary>What a new account has of its neighbour.</summary>
internal static class NewAccount
{
    /// <summary>
    /// The cells of an account beside a neighbour, or under it where it is a heading: everything of it but what is its
    /// own (number, name, short code, note), with the next free number.
    /// </summary>
    public static Dictionary<string, string?> Beside(SetUp setUp, Account? neighbour)
    {
        if (neighbour is null)
            return [];
        var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
        var cells = Parts.Accounts.Write(setUp with { Accounts = [neighbour] })[0];
        var values = Parts
            .Accounts.Columns.Select((c, i) => (c.Name, Cell: cells[i]))
            .ToDictionary(x => x.Name, x => x.Cell);
        var heading = neighbour.Kind == AccountKind.Heading;
        if (heading)
            (values["kind"], values["parent"]) = ("posting", neighbour.Number);
        values["number"] = heading ? numbers.Under(neighbour.Number) : numbers.Beside(neighbour.Number);
        values["name"] = values["short_code"] = values["note"] = null;
        values["status"] = "active";
        return values;
    }
}
