using Assignum.Core.Entries;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Finds accounts (also by a number of before), records, tax codes, policies, purposes, kinds, assignments,
/// entries (also by what they come to) and pages, and leads to the thing itself.</summary>
public sealed class FindModel(DeskContext desk, ViewSetUp view, ReadJournal journal) : EntityPage(desk)
{
    private const int MostHits = 12;

    public override string Place => "";

    [BindProperty(SupportsGet = true)]
    public string Q { get; set; } = "";

    /// <summary>Something found, and where it is looked at.</summary>
    public sealed record Hit(string Kind, string Code, string Name, string Address);

    public IReadOnlyList<Hit> Hits { get; private set; } = [];

    public async Task OnGetAsync()
    {
        Q = Q?.Trim() ?? "";
        if (Q.Length == 0)
            return;
        var setUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp.SetUp;
        var entries = await journal.HeadsAsync(
            Actor,
            EntityCode,
            new EntryQuery(Text: Q, Limit: 4, NewestFirst: true),
            HttpContext.RequestAborted
        );
        Hits =
        [
            .. In(setUp)
                .OrderBy(h => h.Rank)
                .Take(MostHits)
                .Select(h => h.Hit)
                .Concat(
                    entries.Result!.Select(e => new Hit(
                        "entry",
                        e.Number,
                        $"{Show.Kind(e.Kind)} {e.Reference}, {Show.Amount(e.Total, State.Currency)}",
                        $"/e/{EntityCode}/journal/{e.Number}"
                    ))
                ),
        ];
    }

    // How well it fits: its code, the beginning of its code or name, any part of them; null: it does not.
    private int? Rank(string code, string name) =>
        code.Equals(Q, StringComparison.OrdinalIgnoreCase) ? 0
        : code.StartsWith(Q, StringComparison.OrdinalIgnoreCase) ? 1
        : name.StartsWith(Q, StringComparison.OrdinalIgnoreCase) ? 2
        : code.Contains(Q, StringComparison.OrdinalIgnoreCase) || name.Contains(Q, StringComparison.OrdinalIgnoreCase)
            ? 3
        : null;

    private IEnumerable<(int Rank, Hit Hit)> In(SetUp setUp)
    {
        var root = $"/e/{EntityCode}";
        foreach (
            var (place, title, also) in new[]
            {
                ("chart", "Chart of accounts", "balances"),
                ("chart/bring", "Bring a chart in", "import"),
                ("groups", "Groups", "items parties projects lists"),
                ("tax", "Tax", "tax matrix"),
                ("tax?show=codes", "Tax codes and rates", ""),
                ("assignments", "Assignments", ""),
                ("ladders", "Ladders", "purposes rungs"),
                ("life-cycle/item-groups", "Accounts by stage", ""),
                ("explain", "Explain", "why"),
                ("coverage", "Coverage", ""),
                ("dead-weight", "Without effect", ""),
                ("patterns", "Patterns", "kinds of event"),
                ("policies", "Policies", ""),
                ("rehearse", "Rehearse a document", ""),
                ("rehearse/cycle", "Rehearse a chain", ""),
                ("new-line", "New line of goods", ""),
                ("editions", "Editions", "draft publish what-if"),
                ("journal", "Journal", "entries"),
                ("history", "History", "changes undo"),
                ("files", "Files", "bundle export import"),
                ("work", "Work", ""),
            }
        )
            if ((Rank(title, "") ?? (Rank(also, "") is null ? null : 3)) is { } rank)
                yield return (rank, new Hit("page", title, "", $"{root}/{place}"));
        foreach (var (was, now) in setUp.FormerNumbers)
            if (Rank(was, "") is { } rank)
                yield return (rank, new Hit("account", now, $"{was} before", Address("account", now)));
        foreach (var a in setUp.Accounts)
            if ((Rank(a.Number, a.Name) ?? (a.ShortCode is null ? null : Rank(a.ShortCode, ""))) is { } rank)
                yield return (
                    rank,
                    new Hit(
                        "account",
                        a.Number,
                        a.ShortCode is null ? a.Name : $"{a.Name} · {a.ShortCode}",
                        Address("account", a.Number)
                    )
                );
        foreach (var policy in PolicyWords.All)
            if (Rank(policy.Title, policy.Code) is { } rank)
                yield return (rank, new Hit("policy", policy.Title, policy.Code, $"{root}/policies#is-{policy.Code}"));
        foreach (var purpose in Purposes.All)
            if (Rank(purpose.Title, purpose.Name) is { } rank)
                yield return (rank, new Hit("purpose", purpose.Title, purpose.Name, Address("purpose", purpose.Name)));
        foreach (var kind in EventKinds.All)
            if (Rank(kind.Title, kind.Name) is { } rank)
                yield return (rank, new Hit("kind", kind.Title, kind.Name, $"{root}/patterns?kind={kind.Name}"));
        foreach (var (to, code, name) in Records(setUp))
            if (Rank(code, name) is { } rank)
                yield return (rank, new Hit(Show.Words(to), code, name, Address(to, code)));
        foreach (var a in setUp.Assignments)
            if (a.Key.Count > 0 && (Rank(a.Account, "") is not null || a.Key.Any(k => Rank(k.Value, "") is not null)))
                yield return (
                    4,
                    new Hit(
                        "assignment",
                        a.Account,
                        $"{Show.Purpose(a.Purpose)}: {string.Join(" · ", a.Key.Select(k => k.Value))}",
                        $"{root}/assignments?purpose={a.Purpose}&q={Uri.EscapeDataString(a.Key[0].Value)}"
                    )
                );
    }

    private string Address(string to, string code) => LinkTo.Address(EntityCode, to, code)!;

    private static IEnumerable<(string To, string Code, string Name)> Records(SetUp setUp) =>
        setUp
            .Groups.Select(g => ($"{Core.Words.Of(g.Kind)}-group", g.Code, g.Name))
            .Concat(setUp.TaxCodes.Select(t => ("tax-code", t.Code, t.Name)))
            .Concat(setUp.Projects.Select(p => ("project", p.Code, p.Name)))
            .Concat(setUp.Locations.Select(l => ("location", l.Code, l.Name)))
            .Concat(setUp.Channels.Select(c => ("channel", c.Code, c.Name)))
            .Concat(setUp.Methods.Select(m => ("method", m.Code, m.Name)))
            .Concat(setUp.Reasons.Select(r => ("reason", r.Code, r.Name)))
            .Concat(setUp.Parties.Select(p => ("party", p.Code, p.Name)))
            .Concat(setUp.Items.Select(i => ("item", i.Code, i.Name)));
}
