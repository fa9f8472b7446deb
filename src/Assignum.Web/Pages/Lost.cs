using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;

namespace Assignum.Web.Pages;

/// <summary>What an address names and is not there.</summary>
/// <param name="What">What it would be, e.g. "account"; empty: the address is none of the product's.</param>
/// <param name="Near">What there is that is written nearly the same.</param>
/// <param name="Look">Where such things are listed.</param>
/// <param name="History">What was made of it while it was there.</param>
public sealed record LostThing(
    string What,
    string Code,
    IReadOnlyList<(string To, string Code, string Name)> Near,
    (string Address, string Said) Look,
    IReadOnlyList<RowHistory> History
);

/// <summary>Says of an address that leads to nothing what it would have been and where it may have gone.</summary>
public sealed class Lost(ViewSetUp view, ReadChanges changes)
{
    private const int MostNear = 5,
        MostAway = 2,
        MostHistory = 20;

    /// <summary>What a page of an entity was asked for and does not have.</summary>
    /// <param name="page">The page's path, e.g. <c>/Entity/Account</c>.</param>
    /// <param name="route">The values in its address.</param>
    public async Task<LostThing> FindAsync(Visit visit, string page, RouteValueDictionary route, CancellationToken stop)
    {
        var home = $"/e/{Uri.EscapeDataString(visit.State.Code)}";
        string Route(string name) =>
            route.GetValueOrDefault(name)?.ToString()?.Replace("%2F", "/", StringComparison.OrdinalIgnoreCase) ?? "";
        if ((await view.OfAsync(visit, "draft", null, stop)).Result is not { SetUp.SetUp: var setUp })
            return new LostThing("", "", [], (home, "The entity's first page"), []);
        List<(string, string, string)> Near(string to, string code, Dictionary<string, string> names) =>
            [.. Nearest.Among(code, names.Keys, MostAway).Take(MostNear).Select(c => (to, c, names[c]))];
        switch (page)
        {
            case "/Entity/Account" or "/Entity/Card" or "/Entity/Replace":
                var number = Route("number");
                return new LostThing(
                    "account",
                    number,
                    Near("account", number, setUp.Accounts.ToDictionary(a => a.Number, a => a.Name)),
                    ($"{home}/chart?q={Uri.EscapeDataString(number)}", "Look for it in the chart"),
                    await changes.OfRowAsync(visit, Parts.Accounts, number, MostHistory, stop)
                );
            case "/Entity/Group" when Words.TryParse<GroupKind>(Route("kind"), out var kind):
                var code = Route("code");
                return new LostThing(
                    $"{Words.Of(kind)} group",
                    code,
                    Near(
                        $"{Words.Of(kind)}-group",
                        code,
                        setUp.Groups.Where(g => g.Kind == kind).ToDictionary(g => g.Code, g => g.Name)
                    ),
                    ($"{home}/groups", "All groups"),
                    await changes.OfRowAsync(visit, Parts.Groups, $"{Words.Of(kind)}\u001f{code}", MostHistory, stop)
                );
            case "/Entity/Entry":
                return new LostThing(
                    "entry",
                    Route("number"),
                    [],
                    ($"{home}/journal?q={Uri.EscapeDataString(Route("number"))}", "Look for it in the journal"),
                    []
                );
            case "/Entity/Ladders":
                return new LostThing(
                    "purpose",
                    Route("name"),
                    [
                        .. Nearest
                            .Among(Route("name"), Purposes.All.Select(p => p.Name), 6)
                            .Take(MostNear)
                            .Select(p => ("purpose", p, Purposes.Find(p)!.Title)),
                    ],
                    ($"{home}/ladders", "All purposes"),
                    []
                );
            default:
                return new LostThing("", "", [], ($"{home}/chart", "The chart"), []);
        }
    }
}
