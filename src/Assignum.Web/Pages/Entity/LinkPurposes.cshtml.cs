using Assignum.Core;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>On what a connection's events land, settled before the first one comes.</summary>
public sealed class LinkPurposesModel(DeskContext desk, EditSetUp edit, KeepConnections keep, SettlePurposes purposes)
    : JoinedPage(desk, edit, keep)
{
    /// <summary>Only what is open.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Open { get; set; }

    public PurposesOfLink All { get; private set; } = null!;

    public override IReadOnlyDictionary<string, string> Kept =>
        new Dictionary<string, string> { ["Open"] = Open ? "true" : "false" };

    private protected override string Here => $"{Home}/purposes{(Open ? "?open=true" : "")}";

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    public Task<IActionResult> OnPostAsync(
        string? purpose,
        string? channel,
        string? method,
        string? location,
        string? how,
        string? account,
        string? reason
    ) =>
        SettledAsync([
            new PurposeAct(
                purpose ?? "",
                channel ?? "",
                method ?? "",
                location ?? "",
                how ?? "",
                string.IsNullOrWhiteSpace(account) ? null : account.Trim(),
                Reason(reason)
            ),
        ]);

    /// <summary>Confirms all that lands by something that somebody chose: not those that only a default takes.</summary>
    public async Task<IActionResult> OnPostAllAsync()
    {
        if (await ShowAsync() is NotFoundResult none)
            return none;
        return await SettledAsync([
            .. All
                .Purposes.Where(p => p.Open && p.Landing is { Account: not null, Rung: not "default" })
                .Select(p => new PurposeAct(
                    p.Landing.Purpose.Name,
                    p.Landing.Channel,
                    p.Landing.Method,
                    p.Landing.Location,
                    "confirmed",
                    null,
                    null
                )),
        ]);
    }

    /// <summary>Leaves all that only a default takes to it, for one reason.</summary>
    public async Task<IActionResult> OnPostDefaultsAsync(string? reason)
    {
        if (await ShowAsync() is NotFoundResult none)
            return none;
        return await SettledAsync([
            .. All
                .Purposes.Where(p => p.Open && p.Landing.Rung == "default")
                .Select(p => new PurposeAct(
                    p.Landing.Purpose.Name,
                    p.Landing.Channel,
                    p.Landing.Method,
                    p.Landing.Location,
                    "default",
                    null,
                    Reason(reason)
                )),
        ]);
    }

    private async Task<IActionResult> SettledAsync(IReadOnlyList<PurposeAct> acts)
    {
        if (acts.Count == 0)
            return await RefusedAsync(
                new Fault("nothing-open", "Nothing is open that something but a default decides.")
            );
        var done = await purposes.SettleAsync(Actor, EntityCode, LinkCode, acts, HttpContext.RequestAborted);
        return done.Refused is null
            ? Went(
                acts.Count == 1 && acts[0].How == "account"
                    ? "The account waits in the draft."
                    : $"{Show.Some(acts.Count, "purpose")} settled.",
                done.Result
            )
            : await RefusedAsync(
                new Outcome<object>(null, done.Refused, [.. done.Faults.Select(f => f with { Path = "" })])
            );
    }

    private protected override async Task<IActionResult> ShowAsync()
    {
        if (!await FoundAsync())
            return NotFound();
        var found = await purposes.ReadAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (found.Result is null)
            return NotFound();
        All = found.Result;
        return Page();
    }
}
