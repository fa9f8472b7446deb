using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>One record: what it is, where it lands through its life, what names it, its entries, and what was made of it;
/// changed in place.</summary>
public sealed class RecordModel(
    DeskContext desk,
    ViewSetUp view,
    EditSetUp edit,
    ReadJournal journal,
    ReadChanges changes
) : ActingPage(desk, edit)
{
    private const int Shown = 20,
        MostNaming = 200,
        MostAway = 2;

    public override string Place => "groups";

    /// <summary>The kind, as assignments and lines call it: item, party, project, location, channel, method,
    /// reason.</summary>
    [BindProperty(SupportsGet = true), FromRoute(Name = "of")]
    public string Of
    {
        get => of;
        set => of = value ?? "";
    }
    private string of = "";

    [BindProperty(SupportsGet = true), FromRoute(Name = "code")]
    public string Code
    {
        get => code;
        set => code = Unslashed(value);
    }
    private string code = "";

    /// <summary>The list that it stands in; null: there is no such kind.</summary>
    public (string Of, string Title, Part Part)? List =>
        RecordsModel.Lists.FirstOrDefault(l => l.Kind is null && l.Noun == Of) is { Of: not null } found
            ? (found.Of, found.Title, found.Part)
            : null;

    /// <summary>The row; null: there is none of that code.</summary>
    public string?[]? Cells { get; private set; }
    public string Name => Cells is null ? "" : Cell("name") ?? "";
    public RowForm Form { get; private set; } = null!;
    public Readiness? Readiness { get; private set; }
    public IReadOnlyList<Assignment> Naming { get; private set; } = [];

    /// <summary>How many assignments name it, also those that are not shown.</summary>
    public int NamingAll { get; private set; }
    public IReadOnlyList<EntryHead> Latest { get; private set; } = [];
    public IReadOnlyList<RowHistory> History { get; private set; } = [];

    /// <summary>Codes that are near to one that there is not.</summary>
    public IReadOnlyList<(string Code, string Name)> Near { get; private set; } = [];
    public IReadOnlyDictionary<string, string> AccountNames { get; private set; } = new Dictionary<string, string>();

    /// <summary>A cell by its column; null: empty, or there is no such column.</summary>
    public string? Cell(string column) =>
        List is { } list && list.Part.Columns.ToList().FindIndex(c => c.Name == column) is >= 0 and var at
            ? Cells?[at]
            : null;

    public async Task<IActionResult> OnGetAsync()
    {
        // An assignment says "party group": of customers, or of suppliers where those have none of that code.
        if (Of == "party-group")
        {
            var groups = (await SetUpAsync()).SetUp.Groups.Where(g => g.Code == Code).Select(g => g.Kind).ToHashSet();
            var kind =
                groups.Contains(GroupKind.Customer) || !groups.Contains(GroupKind.Supplier)
                    ? GroupKind.Customer
                    : GroupKind.Supplier;
            return LocalRedirect($"/e/{EntityCode}/group/{Words.Of(kind)}/{Uri.EscapeDataString(Code)}");
        }
        return await ShowAsync();
    }

    public async Task<IActionResult> OnPostAsync(string? reason)
    {
        if (List is not { } list)
            return NotFound();
        var change = RowForm.Read(list.Part, Request.Form);
        if (change.Before is null || list.Part.KeyOf(change.Before) != Code)
            return await RefusedAsync(
                new Fault("record-missing", $"The form is of another {Of} than this page: load it again.")
            );
        typed = RowForm.Typed(list.Part, Request.Form);
        return await AfterAsync(
            await Edit.RunAsync(
                Actor,
                EntityCode,
                $"{Of} {Code} changed",
                Reason(reason),
                [change],
                HttpContext.RequestAborted
            ),
            _ => "Saved. It counts from the next event on."
        );
    }

    private IReadOnlyDictionary<string, string?>? typed;

    private protected override string Here => $"/e/{EntityCode}/record/{Of}/{Uri.EscapeDataString(Code)}";

    private async Task<CompiledSetUp> SetUpAsync() =>
        (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (List is not { } list || !Words.TryParse<Dimension>(Of, out var dimension))
            return NotFound();
        var stop = HttpContext.RequestAborted;
        var compiled = await SetUpAsync();
        var setUp = compiled.SetUp;
        History = await changes.OfRowAsync(Visit, list.Part, Code, Shown, stop);
        Cells = list.Part.Row(setUp, Code);
        if (Cells is null)
        {
            // What was deleted has its history; what was mistyped has neighbours.
            var names = list.Part.Write(setUp).ToDictionary(r => r[0]!, r => r[1] ?? "", StringComparer.Ordinal);
            Near = [.. Nearest.Among(Code, names.Keys, MostAway).Take(5).Select(c => (c, names[c]))];
            Response.StatusCode = Response.StatusCode == 200 ? 404 : Response.StatusCode;
            return Page();
        }
        Form = new RowForm(list.Part, Cells, EntityCode, typed);
        Readiness = Readiness.Of(compiled, dimension, Code);
        var naming = setUp.Assignments.Where(a => a.Value(dimension) == Code).ToList();
        (Naming, NamingAll) = ([.. naming.Take(MostNaming)], naming.Count);
        AccountNames = Naming
            .Select(a => a.Account)
            .Distinct()
            .ToDictionary(n => n, n => compiled.Account(n)?.Name ?? "", StringComparer.Ordinal);
        Latest = (
            await journal.HeadsAsync(
                Actor,
                EntityCode,
                new EntryQuery(Limit: Shown, NewestFirst: true, Record: new RecordOnLines(dimension, Code)),
                stop
            )
        ).Result
            ?? [];
        return Page();
    }
}
