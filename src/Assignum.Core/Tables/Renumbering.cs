using Assignum.Core.Chart;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>Gives accounts other numbers. An account is the same account: all that refers to it follows, in every
/// edition.</summary>
public static class Renumbering
{
    /// <summary>A set-up in which accounts bear other numbers, wherever they are named.</summary>
    /// <param name="numbers">New numbers by old; two accounts may change theirs for each other's.</param>
    public static SetUp Carry(SetUp setUp, IReadOnlyDictionary<string, string> numbers)
    {
        if (numbers.Count == 0)
            return setUp;
        string Now(string number) => numbers.GetValueOrDefault(number, number);
        var accounts = setUp
            .Accounts.Select(a => a with { Number = Now(a.Number), Parent = a.Parent is null ? null : Now(a.Parent) })
            .ToList();
        return setUp with
        {
            Accounts = accounts,
            FormerNumbers = Former(
                setUp.FormerNumbers.Select(f => KeyValuePair.Create(f.Key, Now(f.Value))).Concat(numbers),
                accounts
            ),
            ReliefAccounts =
            [
                .. setUp.ReliefAccounts.Select(r => r with { Account = Now(r.Account), Relief = Now(r.Relief) }),
            ],
            Assignments =
            [
                .. setUp.Assignments.Select(a =>
                    numbers.TryGetValue(a.Account, out var now) ? a with { Account = now } : a
                ),
            ],
            Crosswalk = [.. setUp.Crosswalk.Select(r => r with { Account = Now(r.Account) })],
            Pairings =
            [
                .. setUp.Pairings.Select(p =>
                    p.Record == "account" && p.Ours is not null ? p with { Ours = Now(p.Ours) } : p
                ),
            ],
        };
    }

    /// <summary>Former numbers by what is said of them, the oldest first: what is an account's number today is nobody's
    /// former one.</summary>
    public static IReadOnlyDictionary<string, string> Former(
        IEnumerable<KeyValuePair<string, string>> said,
        IReadOnlyList<Account> accounts
    )
    {
        var held = accounts.Select(a => a.Number).ToHashSet(StringComparer.Ordinal);
        var former = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var (was, now) in said)
            if (held.Contains(now) && !held.Contains(was))
                former[was] = now;
        return former;
    }

    /// <summary>
    /// The edits that renumber an account and, where it is a heading and they are taken along, all below it whose
    /// numbers
    /// follow its own: 4000 → 4200 makes 4012 → 4212, 40 → 42 makes 4010 → 4210. Others below keep theirs.
    /// </summary>
    public static IReadOnlyList<RowChange> Plan(SetUp setUp, string from, string to, bool withThoseBelow)
    {
        var numbers = new Dictionary<string, string>(StringComparer.Ordinal) { [from] = to };
        if (withThoseBelow)
        {
            var below = setUp.Accounts.ToLookup(a => a.Parent ?? "");
            var open = new Stack<string>([from]);
            while (open.TryPop(out var at))
                foreach (var child in below[at])
                {
                    open.Push(child.Number);
                    if (ChartNumbers.Alike(from, child.Number, to) is { } number)
                        numbers[child.Number] = number;
                }
        }
        var column = Parts.Accounts.Keys[0];
        return
        [
            .. Parts
                .Accounts.Write(setUp)
                .Where(r => numbers.ContainsKey(r[column]!))
                .Select(r =>
                {
                    var after = r.ToArray();
                    after[column] = numbers[r[column]!];
                    return new RowChange(Parts.Accounts, ChangeKind.Changed, r[column]!, r, after);
                }),
        ];
    }

    /// <summary>New numbers by old, of those edits that renumber an account.</summary>
    public static IReadOnlyDictionary<string, string> In(IEnumerable<RowChange> edits) =>
        edits.Where(Renumbers).ToDictionary(e => Number(e.Before!), e => Number(e.After!), StringComparer.Ordinal);

    /// <summary>Whether a change gives an account another number.</summary>
    public static bool Renumbers(RowChange change) =>
        change.Part == Parts.Accounts
        && change is { Before: not null, After: not null }
        && Number(change.Before) != Number(change.After);

    private static string Number(string?[] cells) => cells[Parts.Accounts.Keys[0]] ?? "";
}
