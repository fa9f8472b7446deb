using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Choices for a field: records whose code begins with what was typed first, then those that have it anywhere.</summary>
public sealed class PickModel(DeskContext desk, ViewSetUp view) : EntityPage(desk)
{
    private const int MostChoices = 12;

    public override string Place => "";
    [BindProperty(SupportsGet = true)] public string Type { get; set; } = "";
    [BindProperty(SupportsGet = true)] public string Q { get; set; } = "";

    /// <summary>A choice.</summary>
    public sealed record Choice(string Code, string Name);

    public IReadOnlyList<Choice> Choices { get; private set; } = [];

    public async Task<IActionResult> OnGetAsync()
    {
        if (!Core.Words.TryParse<FieldType>(Type ?? "", out var type)) return NotFound();
        var q = Q?.Trim() ?? "";
        var setUp = (await view.OfAsync(State, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        Choices = [.. Of(setUp, type).Where(c => c.Code.Contains(q, StringComparison.OrdinalIgnoreCase) || c.Name.Contains(q, StringComparison.OrdinalIgnoreCase))
            .OrderBy(c => c.Code.StartsWith(q, StringComparison.OrdinalIgnoreCase) ? 0 : 1).ThenBy(c => c.Code, StringComparer.Ordinal).Take(MostChoices)];
        return Page();
    }

    private static IEnumerable<Choice> Of(SetUp s, FieldType type) => type switch
    {
        FieldType.Item => s.Items.Where(i => i.Status == RecordStatus.Active).Select(i => new Choice(i.Code, i.Name)),
        FieldType.Party => s.Parties.Where(p => p.Status == RecordStatus.Active).Select(p => new Choice(p.Code, p.Name)),
        FieldType.Project => s.Projects.Where(p => p.Status == RecordStatus.Active).Select(p => new Choice(p.Code, p.Name)),
        FieldType.Account => s.Accounts.Where(a => a is { Status: RecordStatus.Active, Kind: AccountKind.Posting }).Select(a => new Choice(a.Number, a.Name)),
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
