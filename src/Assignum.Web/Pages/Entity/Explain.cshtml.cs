using Assignum.Core;
using Assignum.Core.Calendar;
using Assignum.Core.Checks;
using Assignum.Core.Landing;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Where a purpose lands for any values on any day, with every rung tried; for a record, everything it needs
/// and what is missing.</summary>
public sealed class ExplainModel(DeskContext desk, ViewSetUp view) : EntityPage(desk)
{
    public override string Place => "assignments";

    [BindProperty(SupportsGet = true)]
    public string? Purpose { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Edition { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Date { get; set; }

    /// <summary>What a leg can have, with where choices come from.</summary>
    public static readonly IReadOnlyList<(string Name, string Pick)> Fields =
    [
        ("item", "item"),
        ("item-group", "group&kind=item"),
        ("party", "party"),
        ("party-group", "group&kind=party"),
        ("location", "location"),
        ("channel", "channel"),
        ("method", "method"),
        ("project", "project"),
        ("project-group", "group&kind=project"),
        ("reason", "reason"),
        ("tax-code", "tax-code"),
        ("currency", "currency"),
        ("counterparty", "entity"),
        ("account", "account"),
    ];

    public IReadOnlyDictionary<string, string> Given { get; private set; } = new Dictionary<string, string>();
    public LineDocument? Line { get; private set; }
    public Fault? Wrong { get; private set; }

    /// <summary>What a record needs, and what of it is missing; null where no record is named.</summary>
    public Readiness? Readiness { get; private set; }

    public async Task<IActionResult> OnGetAsync()
    {
        Given = Fields
            .Select(f => (f.Name, Value: Request.Query[f.Name].ToString().Trim()))
            .Where(f => f.Value.Length is > 0 and <= 100)
            .ToDictionary(f => f.Name, f => f.Value);
        var faults = new List<Fault>();
        DateOnly? day = null;
        if (!string.IsNullOrEmpty(Date))
        {
            if (WrittenDay.Of(Date) is { } read)
                day = read;
            else
                faults.Add(new Fault("bad-date", "The day is no date: write it as 14 Mar 2026.", "date"));
        }
        var set = await view.OfAsync(
            Visit,
            string.IsNullOrEmpty(Edition)
                ? day is null
                    ? "draft"
                    : null
                : Edition,
            day,
            HttpContext.RequestAborted
        );
        if (set.Result is not { SetUp: var compiled })
        {
            Faults = set.Faults;
            return Page();
        }
        if (Purpose is not null && Purposes.Find(Purpose) is { } purpose)
        {
            (Line, Wrong) = LineOf(compiled, purpose, Given, faults);
        }
        Readiness = new[] { Dimension.Item, Dimension.Party, Dimension.Project }
            .Where(d => Given.ContainsKey(Core.Words.Of(d)))
            .Select(d => Readiness.Of(compiled, d, Given[Core.Words.Of(d)]))
            .FirstOrDefault(r => r is not null);
        Faults = faults;
        return Page();
    }

    /// <summary>Where a purpose lands for some values, as the ladder is drawn, and what is wrong with that
    /// account.</summary>
    internal static (LineDocument Line, Fault? Wrong) LineOf(
        Core.SetUps.CompiledSetUp compiled,
        Purpose purpose,
        IReadOnlyDictionary<string, string> given,
        List<Fault> faults
    )
    {
        var trace = Explanation.Of(compiled, purpose, given, faults);
        var account = trace.Account is null ? null : compiled.Account(trace.Account);
        var line = new LineDocument(
            trace.Account ?? "nothing",
            null,
            account?.Name ?? "",
            0,
            0,
            null,
            null,
            purpose.Name,
            null,
            null,
            null,
            null,
            null,
            TraceJson.Document(trace)
        )
        {
            Has = given,
            Below = () => Explanation.Below(compiled, purpose, given, trace.Unneeded, trace.BorrowedFrom),
        };
        return (line, account is null ? null : Fitness.Of(account, purpose, trace.Rung == "default"));
    }

    /// <summary>The values that were given, for the same question about another purpose.</summary>
    public string Asked =>
        "?"
        + string.Join(
            '&',
            Given
                .Select(g => $"{g.Key}={Uri.EscapeDataString(g.Value)}")
                .Append($"date={Uri.EscapeDataString(Date ?? "")}")
                .Append($"edition={Uri.EscapeDataString(Edition ?? "")}")
        );
}
