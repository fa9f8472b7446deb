using System.Text.Json;
using Assignum.Core.Events;
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

    /// <summary>What the event says beside what every entry shows.</summary>
    public IReadOnlyList<(string Field, string Value)> More { get; private set; } = [];

    /// <summary>Why remarks were passed over, by account.</summary>
    public ILookup<string, string> Because { get; private set; } = null!;

    private static readonly string[] Told = ["project", "channel", "method", "location", "reason", "text"];

    public async Task<IActionResult> OnGetAsync([FromRoute] string? number)
    {
        if (string.IsNullOrWhiteSpace(number))
            return NotFound();
        if ((await journal.EntryAsync(Visit, number, HttpContext.RequestAborted)).Result is not { } stored)
            return NotFound();
        Stored = stored;
        using var json = JsonDocument.Parse(stored.EventJson ?? "{}");
        More =
        [
            .. Told.Select(f => (f, json.RootElement.TryGetProperty(f, out var v) ? v.ToString() : ""))
                .Where(f => f.Item2.Length > 0),
        ];
        Because = EntryView.BecauseIn(json.RootElement);
        EventText = JsonSerializer.Serialize(json.RootElement, Indented);
        return Page();
    }
}
