using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>All policies on one page: what each does, what it leaves idle, what another value would need, and what
/// stands between accounts because of it.</summary>
public sealed class PoliciesModel(DeskContext desk, EditSetUp edit, ReadPolicies read) : ActingPage(desk, edit)
{
    private const string Was = "was.",
        Is = "is.";

    public override string Place => "policies";
    public IReadOnlyList<PolicyState> Policies { get; private set; } = [];

    /// <summary>What stands between accounts, by purpose and account.</summary>
    public IReadOnlyList<(string Purpose, string Account, decimal Amount)> Held { get; private set; } = [];

    private protected override string Here => $"/e/{EntityCode}/policies";

    /// <summary>What was chosen and is not stored, else what is.</summary>
    public string Chosen(PolicyState policy) =>
        Request.HasFormContentType && Request.Form.TryGetValue(Is + policy.Words.Code, out var typed)
            ? typed.ToString()
            : policy.Value;

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What stands between accounts, for its place on the page.</summary>
    public async Task<IActionResult> OnGetHeldAsync()
    {
        var stop = HttpContext.RequestAborted;
        Policies = (await read.RunAsync(Visit, stop)).Result ?? [];
        Held = await read.HeldAsync(Visit, Policies.SelectMany(p => p.Between).Distinct(), stop);
        return Partial("_PoliciesHeld", this);
    }

    /// <summary>Puts the policies chosen into the draft, against what was seen.</summary>
    public async Task<IActionResult> OnPostAsync(string? reason)
    {
        var form = Request.Form;
        var edits = new List<RowChange>();
        foreach (var (policy, _) in Core.SetUps.Policies.Known)
        {
            if (!form.TryGetValue(Is + policy, out var chosen))
                continue;
            var row = form[Was + policy].ToString() is { Length: > 0 } before ? new[] { policy, before } : null;
            var value = chosen.ToString().Trim();
            if (value == (row?[1] ?? Shipped(policy)))
                continue;
            edits.Add(new RowChange(Parts.Policies, policy, row, value.Length == 0 ? null : [policy, value]));
        }
        return await AfterAsync(
            await Edit.RunAsync(
                Actor,
                EntityCode,
                "policies changed",
                Reason(reason),
                [.. edits.Where(e => e.Before is not null || e.After is not null)],
                HttpContext.RequestAborted
            ),
            _ => "The policies are changed in the draft."
        );
    }

    private static string Shipped(string policy) =>
        Core.SetUps.Policies.Known[policy] is { Count: > 0 } values ? values[0] : "";

    /// <summary>Purposes by their titles, in a line.</summary>
    public static string Titles(IEnumerable<Purpose> purposes) => string.Join(", ", purposes.Select(p => p.Title));

    private protected override async Task<IActionResult> ShowAsync()
    {
        var found = await read.RunAsync(Visit, HttpContext.RequestAborted);
        if (found.Result is not { } policies)
        {
            Faults = found.Faults;
            return Page();
        }
        Policies = policies;
        return Page();
    }
}
