using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Finds accounts, groups, parties, items, assignments, entries and pages by number or any part of the
/// name.</summary>
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
                .Where(h => Fits(h.Code) || Fits(h.Name))
                .OrderBy(h => h.Code.StartsWith(Q, StringComparison.OrdinalIgnoreCase) ? 0 : 1)
                .Take(MostHits)
                .Concat(
                    entries.Result!.Select(e => new Hit(
                        "entry",
                        e.Number,
                        $"{Show.Words(e.Kind)} {e.Reference}",
                        $"/e/{EntityCode}/journal/{e.Number}"
                    ))
                ),
        ];
    }

    private bool Fits(string text) => text.Contains(Q, StringComparison.OrdinalIgnoreCase);

    private IEnumerable<Hit> In(SetUp setUp)
    {
        var root = $"/e/{EntityCode}";
        foreach (
            var (place, title) in new[]
            {
                ("chart", "Chart of accounts"),
                ("chart/bring", "Bring a chart in"),
                ("tax", "Tax"),
                ("patterns", "Patterns"),
                ("rehearse", "Rehearse a document"),
                ("editions", "Editions"),
                ("journal", "Journal"),
                ("files", "Files"),
            }
        )
            yield return new Hit("page", title, "", $"{root}/{place}");
        foreach (var (was, now) in setUp.FormerNumbers)
            yield return new Hit("account", now, $"{was} before", $"{root}/chart/{Uri.EscapeDataString(now)}");
        foreach (var a in setUp.Accounts)
            yield return new Hit(
                "account",
                a.Number,
                a.ShortCode is null ? a.Name : $"{a.Name} · {a.ShortCode}",
                $"{root}/chart/{Uri.EscapeDataString(a.Number)}"
            );
        foreach (var p in setUp.Parties)
            yield return new Hit("party", p.Code, p.Name, $"{root}/journal?q={Uri.EscapeDataString(p.Code)}");
        foreach (var i in setUp.Items)
            yield return new Hit("item", i.Code, i.Name, $"{root}/rehearse?item={Uri.EscapeDataString(i.Code)}");
        foreach (var g in setUp.Groups)
            yield return new Hit($"{Core.Words.Of(g.Kind)} group", g.Code, g.Name, $"{root}/rehearse");
        foreach (var a in setUp.Assignments.Where(a => a.Key.Count > 0))
            yield return new Hit(
                "assignment",
                a.Account,
                $"{Show.Words(a.Purpose)}: {string.Join(" · ", a.Key.Select(k => k.Value))}",
                $"{root}/chart/{Uri.EscapeDataString(a.Account)}"
            );
    }
}
