using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Chart;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Choices for a field: records whose code begins with what was typed first, then those that have it
/// anywhere.</summary>
public sealed class PickModel(DeskContext desk, ViewSetUp view, ReadAccounts accounts) : EntityPage(desk)
{
    private const int MostChoices = 12;

    public override string Place => "";

    [BindProperty(SupportsGet = true)]
    public string Type { get; set; } = "";

    [BindProperty(SupportsGet = true)]
    public string Q { get; set; } = "";

    /// <summary>Of groups: <c>item</c>, <c>party</c>, <c>customer</c>, <c>supplier</c> or <c>project</c>; empty:
    /// any.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Kind { get; set; }

    /// <summary>The purpose that an account is looked for; <c>hand-entry</c> for lines by hand.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Purpose { get; set; }

    /// <summary>Whether it would stand as the purpose's default.</summary>
    [BindProperty(SupportsGet = true)]
    public bool ByDefault { get; set; }

    /// <summary>Headings are looked for, not posting accounts.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Headings { get; set; }

    /// <summary>A choice.</summary>
    /// <param name="Why">What speaks against it.</param>
    /// <param name="Unfit">It would be refused.</param>
    public sealed record Choice(string Code, string Name, string? Short = null, string? Why = null, bool Unfit = false);

    public IReadOnlyList<Choice> Choices { get; private set; } = [];

    /// <summary>Where a missing account is created; null where the one who looks may not.</summary>
    public string? Create { get; private set; }

    public async Task<IActionResult> OnGetAsync()
    {
        var q = (Q ?? "").Trim();
        if (Type == "group")
        {
            var groups = (
                await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)
            ).Result!.SetUp.SetUp.Groups.Where(g =>
                Kind is null or ""
                || Core.Words.Of(g.Kind) == Kind
                || Kind == "party" && g.Kind is Core.Records.GroupKind.Customer or Core.Records.GroupKind.Supplier
            );
            Choices = Best(
                groups.Select(g => new Choice(
                    g.Code,
                    $"{g.Name}{(Kind is null or "" or "party" ? $", {Core.Words.Of(g.Kind)} group" : "")}"
                )),
                q
            );
            return Page();
        }
        if (Type is "family" or "report-code")
        {
            var chart = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
            var used =
                Type == "family" ? AccountChoices.Families(chart) : AccountChoices.ReportCodes(chart, Kind ?? "");
            Choices =
            [
                .. used.Where(u => u.Item1.Contains(q, StringComparison.OrdinalIgnoreCase))
                    .Take(MostChoices)
                    .Select(u => new Choice(u.Item1, Show.Some(u.Item2, "account"))),
            ];
            return Page();
        }
        if (!Core.Words.TryParse<FieldType>(Type ?? "", out var type))
            return NotFound();
        if (type == FieldType.Account)
        {
            var purpose = Purpose is null ? null : Purposes.Find(Purpose);
            var found = await accounts.ChoicesAsync(
                Visit,
                q,
                purpose,
                Purpose is not null && (purpose is not null || Purpose == "hand-entry"),
                ByDefault,
                Headings,
                MostChoices,
                HttpContext.RequestAborted
            );
            Choices =
            [
                .. found.Select(c => new Choice(
                    c.Account.Number,
                    c.Account.Name,
                    c.Account.ShortCode,
                    c.Why?.Message,
                    c.Why is { Severity: Core.Severity.Error }
                )),
            ];
            if (!Headings && May(Role.Preparer))
                Create =
                    $"/e/{EntityCode}/chart/in-place?name={Uri.EscapeDataString(q)}&"
                    + $"purpose={Uri.EscapeDataString(Purpose ?? "")}";
            return Page();
        }
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        Choices = Best(Of(setUp, type), q);
        return Page();
    }

    private static List<Choice> Best(IEnumerable<Choice> choices, string q) =>
        [
            .. choices
                .Where(c =>
                    c.Code.Contains(q, StringComparison.OrdinalIgnoreCase)
                    || c.Name.Contains(q, StringComparison.OrdinalIgnoreCase)
                )
                .OrderBy(c => c.Code.StartsWith(q, StringComparison.OrdinalIgnoreCase) ? 0 : 1)
                .ThenBy(c => c.Code, StringComparer.Ordinal)
                .Take(MostChoices),
        ];

    private static IEnumerable<Choice> Of(SetUp s, FieldType type) =>
        type switch
        {
            FieldType.Item => s
                .Items.Where(i => i.Status == RecordStatus.Active)
                .Select(i => new Choice(i.Code, i.Name)),
            FieldType.Party => s
                .Parties.Where(p => p.Status == RecordStatus.Active)
                .Select(p => new Choice(p.Code, p.Name)),
            FieldType.Project => s
                .Projects.Where(p => p.Status == RecordStatus.Active)
                .Select(p => new Choice(p.Code, p.Name)),
            FieldType.Location => s.Locations.Select(p => new Choice(p.Code, p.Name)),
            FieldType.Channel => s.Channels.Select(p => new Choice(p.Code, p.Name)),
            FieldType.Method => s.Methods.Select(p => new Choice(p.Code, p.Name)),
            FieldType.Reason => s.Reasons.Select(p => new Choice(p.Code, p.Name)),
            FieldType.TaxCode => s.TaxCodes.Select(c => new Choice(c.Code, c.Name)),
            FieldType.Currency => Core.Money.Currencies.All.Select(c => new Choice(c, "")),
            FieldType.Entity => s.OtherEntities.Select(c => new Choice(c, "")),
            FieldType.TaxStanding => s.TaxMatrix.Select(c => c.Standing).Distinct().Select(c => new Choice(c, "")),
            FieldType.TaxCategory => s.TaxMatrix.Select(c => c.Category).Distinct().Select(c => new Choice(c, "")),
            _ => [],
        };
}
