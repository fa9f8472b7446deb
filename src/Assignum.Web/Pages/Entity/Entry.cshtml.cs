using System.Text.Json;
using Assignum.Core.Ledger;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>One posted entry: its lines with their ladders, its tax, the event it came from.</summary>
public sealed class EntryModel(DeskContext desk, ReadJournal journal) : EntityPage(desk)
{
    private static readonly JsonSerializerOptions Indented = new(TraceJson.Settings) { WriteIndented = true };

    public override string Place => "journal";
    public StoredEntry Stored { get; private set; } = null!;
    public string EventText { get; private set; } = "";

    public async Task<IActionResult> OnGetAsync([FromRoute] string? number)
    {
        if (string.IsNullOrWhiteSpace(number))
            return NotFound();
        var found = await journal.EntriesAsync(
            Actor,
            EntityCode,
            new EntryQuery(Number: number, Limit: 1),
            HttpContext.RequestAborted
        );
        if (found.Result is not [var stored, ..])
            return NotFound();
        Stored = stored;
        using var json = JsonDocument.Parse(stored.EventJson ?? "{}");
        EventText = JsonSerializer.Serialize(json.RootElement, Indented);
        return Page();
    }
}
