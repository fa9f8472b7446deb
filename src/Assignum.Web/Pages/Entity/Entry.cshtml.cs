using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Events;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>One posted entry: its lines with their ladders, its tax, the event it came from.</summary>
public sealed class EntryModel(DeskContext desk, ReadJournal journal, TurnBack turning) : EntityPage(desk)
{
    private static readonly JsonSerializerOptions Indented = new(TraceJson.Settings) { WriteIndented = true };

    public override string Place => "journal";
    public StoredEntry Stored { get; private set; } = null!;
    public string EventText { get; private set; } = "";

    /// <summary>What the event says beside what every entry shows.</summary>
    public IReadOnlyList<(string Field, string Value)> More { get; private set; } = [];

    /// <summary>Why remarks were passed over, by account.</summary>
    public ILookup<string, string> Because { get; private set; } = null!;

    /// <summary>The entry by which it was turned back; null: it stands.</summary>
    public string? TurnedBy { get; private set; }

    /// <summary>The entry that it turns back; null: none.</summary>
    public string? TurnsBack { get; private set; }

    /// <summary>What turning it back would do.</summary>
    public EntryDocument? Proposed { get; private set; }
    public bool Previewed { get; private set; }

    /// <summary>Day and reason as they were typed.</summary>
    public string? On { get; private set; }
    public string? Reason { get; private set; }

    public bool MayTurn => May(Role.Reviewer);

    private static readonly string[] Told = ["project", "channel", "method", "location", "reason", "text"];

    public async Task<IActionResult> OnGetAsync([FromRoute] string? number)
    {
        if (string.IsNullOrWhiteSpace(number))
            return NotFound();
        return await ShowAsync(number);
    }

    public Task<IActionResult> OnPostPreviewAsync([FromRoute] string? number, string? on, string? reason) =>
        TurnAsync(number, on, reason, false);

    /// <summary>Turns the entry back.</summary>
    public Task<IActionResult> OnPostAsync([FromRoute] string? number, string? on, string? reason) =>
        TurnAsync(number, on, reason, true);

    private async Task<IActionResult> TurnAsync(string? number, string? on, string? reason, bool apply)
    {
        if (string.IsNullOrWhiteSpace(number))
            return NotFound();
        (On, Reason) = (on, reason);
        if (BadDay("on") is { } bad)
            Faults = [bad];
        else
        {
            var done = await turning.RunAsync(
                Visit,
                number,
                string.IsNullOrWhiteSpace(on) ? null : Core.Calendar.WrittenDay.Of(on),
                reason,
                apply,
                HttpContext.RequestAborted
            );
            if (apply && done.Result is not null)
                return LocalRedirect(
                    done.Result.Number is { } made
                        ? $"/e/{EntityCode}/journal/{made}"
                        : $"/e/{EntityCode}/journal/{Uri.EscapeDataString(number)}"
                );
            (Faults, Proposed, Previewed) = (done.Faults, done.Result?.Entry, done.Result is not null);
            if (done.Refused == Refusal.NotFound)
                return NotFound();
        }
        if (Faults.Count > 0)
            Response.StatusCode = 422;
        return await ShowAsync(number);
    }

    private async Task<IActionResult> ShowAsync(string number)
    {
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
        (TurnedBy, TurnsBack) = await turning.OfAsync(Visit, stored.Head.Id, HttpContext.RequestAborted);
        return Page();
    }
}
