using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Pairing;

/// <summary>How what a warehouse believes of an item's account agrees with where the item lands here.</summary>
public enum Belief
{
    /// <summary>It is the same account.</summary>
    Equal,

    /// <summary>It is another.</summary>
    Differs,

    /// <summary>No account here is called so.</summary>
    Unreadable,

    /// <summary>The account that it believes in does not suit the purpose.</summary>
    Unfit,

    /// <summary>It says nothing.</summary>
    Unsaid,
}

/// <summary>What a warehouse believes of one of an item's accounts, beside where it lands here.</summary>
/// <param name="Path">As it writes it: names joined by <c> / </c>.</param>
/// <param name="Believed">The account here that it means; null: none is called so.</param>
/// <param name="Lands">The account on which the item lands here; null: on none.</param>
/// <param name="Nearest">Of what cannot be read the account with the name that is most like it.</param>
public sealed record BelievedAccount(
    Purpose Purpose,
    string Path,
    string? Believed,
    string? Lands,
    Belief Belief,
    string? Nearest
);

/// <summary>Reads the accounts that another system wrote as paths of names.</summary>
public sealed class BelievedAccounts
{
    /// <summary>What stands between the names of a path.</summary>
    public const string Between = " / ";

    /// <summary>Which purpose a field of an item's accounts is of.</summary>
    public static IReadOnlyList<(string Field, Purpose Purpose)> Fields { get; } =
    [("stock", Purposes.Stock), ("cost", Purposes.CostOfSales), ("revenue", Purposes.SalesRevenue)];

    private readonly CompiledSetUp setUp;
    private readonly Pairs paired;
    private readonly Dictionary<string, string> paths = new(StringComparer.OrdinalIgnoreCase);
    private readonly Dictionary<string, List<string>> names = new(StringComparer.OrdinalIgnoreCase);
    private readonly Dictionary<(string Purpose, string Path), string?> nearest = [];

    /// <param name="paired">Pairings of accounts with the connection, theirs being paths: they come first.</param>
    public BelievedAccounts(CompiledSetUp setUp, Pairs paired)
    {
        (this.setUp, this.paired) = (setUp, paired);
        foreach (var account in setUp.SetUp.Accounts.Where(a => a.Kind == AccountKind.Posting))
        {
            paths.TryAdd(PathOf(account.Number), account.Number);
            (names.TryGetValue(account.Name, out var there) ? there : names[account.Name] = []).Add(account.Number);
        }
    }

    /// <summary>An account as such a path.</summary>
    public string PathOf(string number)
    {
        var parts = new List<string>();
        var seen = new HashSet<string>(StringComparer.Ordinal);
        for (
            var at = setUp.Account(number);
            at is not null && seen.Add(at.Number);
            at = at.Parent is null ? null : setUp.Account(at.Parent)
        )
            parts.Insert(0, at.Name);
        return string.Join(Between, parts);
    }

    /// <summary>The path under which the warehouse knows an account: as it is paired, else by our names.</summary>
    public string TheirPathOf(string number) =>
        paired.OfOurs(number) is { Theirs: var theirs } ? theirs : PathOf(number);

    /// <summary>The account that a path means: as it is paired, by its whole path, by a name that only one has.</summary>
    public string? Read(string path)
    {
        path = path.Trim();
        if (paired.OursOf(path) is { Length: > 0 } said)
            return said;
        if (paths.TryGetValue(path, out var whole))
            return whole;
        var last = path[
            (path.LastIndexOf(Between, StringComparison.Ordinal) is >= 0 and var at ? at + Between.Length : 0)..
        ];
        return names.TryGetValue(last, out var named) && named.Count == 1 ? named[0] : null;
    }

    /// <summary>One of an item's accounts, beside where the item lands.</summary>
    /// <param name="item">Our item; null: it is not paired, and lands nowhere.</param>
    public BelievedAccount Of(Purpose purpose, string? path, string? item)
    {
        string? lands = null;
        if (item is not null && setUp.Item(item) is { } known)
        {
            var values = default(LegValues);
            values[Dimension.Item] = known.Number;
            values[Dimension.ItemGroup] = known.Group;
            lands = setUp.Landings.TraceOf(purpose, values).Account ?? Somewhere(purpose, values, path);
        }
        if (string.IsNullOrWhiteSpace(path))
            return new BelievedAccount(purpose, "", null, lands, Belief.Unsaid, null);
        if (Read(path) is not { } believed)
            return new BelievedAccount(purpose, path, null, lands, Belief.Unreadable, Near(purpose, path));
        var belief =
            setUp.Account(believed) is not { } account
            || Fitness.Of(account, purpose, false) is { Severity: Severity.Error }
                ? Belief.Unfit
            : believed == lands ? Belief.Equal
            : Belief.Differs;
        return new BelievedAccount(purpose, path, believed, lands, belief, null);
    }

    // Where it lands at some location or in some channel: where those differ, on what is believed, if that is among them.
    private string? Somewhere(Purpose purpose, LegValues values, string? path)
    {
        var found = new List<string>();
        foreach (
            var (dimension, codes) in new[]
            {
                (Dimension.Location, setUp.SetUp.Locations),
                (Dimension.Channel, setUp.SetUp.Channels),
            }
        )
        foreach (var place in codes.Take(MostPlaces))
        {
            var at = values;
            at[dimension] = setUp.Index.Of(dimension, place.Code);
            if (setUp.Landings.TraceOf(purpose, at).Account is { } account)
                found.Add(account);
        }
        return path is not null && Read(path) is { } believed && found.Contains(believed)
            ? believed
            : found.FirstOrDefault();
    }

    private const int MostPlaces = 50;

    // Among those that suit the purpose.
    private string? Near(Purpose purpose, string path)
    {
        if (nearest.TryGetValue((purpose.Name, path), out var found))
            return found;
        var fit = names
            .Select(n => (n.Key, Number: n.Value.Find(a => Fitness.Of(setUp.Account(a)!, purpose, false) is null)))
            .Where(n => n.Number is not null)
            .ToDictionary(n => n.Key, n => n.Number!, StringComparer.OrdinalIgnoreCase);
        var name = Nearest.To(path.Split(Between)[^1], fit.Keys);
        return nearest[(purpose.Name, path)] = fit.GetValueOrDefault(name);
    }
}
