using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Web.Drawing;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Every kind of event explained and drawn with an example in the entity's own accounts, under policies that
/// can be tried.</summary>
public sealed class PatternsModel(DeskContext desk, ShowPattern show, EditSetUp edit) : ActingPage(desk, edit)
{
    public override string Place => "patterns";

    [BindProperty(SupportsGet = true)]
    public string? Kind { get; set; }

    public EventKind Shown { get; private set; } = EventKinds.All[3];
    public Pattern Pattern { get; private set; } = null!;
    public EntryDocument? Entry { get; private set; }
    public Flow? Flow { get; private set; }

    /// <summary>The policies that decide entries, with what they are in force and what is tried here.</summary>
    public IReadOnlyList<(string Policy, IReadOnlyList<string> Values, string Live, string Tried)> Policies
    {
        get;
        private set;
    } = [];

    public bool Trying => Policies.Any(p => p.Live != p.Tried);

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>Puts policies that were tried into the draft.</summary>
    public async Task<IActionResult> OnPostKeepAsync(string? reason)
    {
        var tried = Tried(k => Request.Form[k]);
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            "policies changed",
            Reason(reason),
            (now, _) =>
                [
                    .. tried.Select(t =>
                        SetUpEdit.Row(
                            Parts.Policies,
                            Parts.Policies.Row(now, t.Key),
                            new Dictionary<string, string?> { ["policy"] = t.Key, ["value"] = t.Value }
                        )
                    ),
                ],
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, _ => "The policies are changed in the draft.", show: () => ShowAsync(tried));
    }

    /// <inheritdoc/>
    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["kind"] = Kind ?? "" };

    private protected override string Here => $"/e/{EntityCode}/patterns?kind={Uri.EscapeDataString(Kind ?? "")}";

    private protected override Task<IActionResult> ShowAsync() => ShowAsync(Tried(k => Request.Query[k]));

    // Policies with a list of values, of which one is named; four eyes are not switched here.
    private static Dictionary<string, string> Tried(Func<string, Microsoft.Extensions.Primitives.StringValues> asked) =>
        Core
            .SetUps.Policies.Known.Where(p =>
                !Core.SetUps.Policies.OfPeople.Contains(p.Key) && p.Value.Contains(asked(p.Key).ToString())
            )
            .ToDictionary(p => p.Key, p => asked(p.Key).ToString(), StringComparer.Ordinal);

    private async Task<IActionResult> ShowAsync(Dictionary<string, string> tried)
    {
        Shown = EventKinds.Find(Kind ?? "") ?? Shown;
        var outcome = await show.RunAsync(Visit, Shown, tried, HttpContext.RequestAborted);
        if (outcome.Result is not { } pattern)
        {
            Faults = outcome.Faults;
            return NotFound();
        }
        Pattern = pattern;
        Policies =
        [
            .. Core
                .SetUps.Policies.Known.Where(p => p.Value.Count > 0 && !Core.SetUps.Policies.OfPeople.Contains(p.Key))
                .Select(p =>
                    (
                        p.Key,
                        p.Value,
                        pattern.Live.GetValueOrDefault(p.Key, p.Value[0]),
                        tried.GetValueOrDefault(p.Key, pattern.Live.GetValueOrDefault(p.Key, p.Value[0]))
                    )
                ),
        ];
        if (pattern.Result?.Entry is { } entry)
        {
            Entry = EntryDocument.Of(
                entry,
                new EventName(pattern.Example!.Source, pattern.Example.Id),
                pattern.Edition
            );
            Flow = Flow.Of(Entry, Show.Kind(Shown.Name), Show.Amount(entry.Total, State.Currency));
        }
        return Page();
    }

    /// <summary>The same page for another kind, under the same policies.</summary>
    public string Link(EventKind kind) =>
        $"/e/{EntityCode}/patterns?kind={kind.Name}"
        + string.Concat(Policies.Where(p => p.Live != p.Tried).Select(p => $"&{p.Policy}={p.Tried}"));

    /// <summary>What the example's document says, in words: each filled field with its value.</summary>
    public IEnumerable<(string Name, string Value)> Document()
    {
        if (Pattern.Example is not { } e)
            yield break;
        foreach (var field in EventFields.OfEvent)
            if (field.Name is not ("date" or "reference") && field.Get(e) is { } value)
                yield return (Assignum.Core.Events.EventPlace.Label(field.Name), Said(value));
    }

    /// <summary>Its lines, each as one sentence.</summary>
    public IEnumerable<string> Lines() =>
        (Pattern.Example?.Lines ?? []).Select(l =>
            string.Join(
                " · ",
                EventFields
                    .OfLine.Select(f => (f.Name, Value: f.Get(l)))
                    .Where(f => f.Value is not null)
                    .Select(f => $"{Assignum.Core.Events.EventPlace.Label(f.Name)} {Said(f.Value!)}")
            )
        );

    private static string Said(object value) =>
        value switch
        {
            decimal d => Show.Plain(d),
            bool b => b ? "yes" : "no",
            DateOnly day => Show.Day(day),
            _ => value.ToString()!,
        };
}
