namespace Assignum.Core.Coverage;

/// <summary>
/// Makes assignments on a field of cells fewer, with everything that lands right going on to do so: again and again a key
/// is given an account where that makes more assignments needless than it needs exceptions.
/// </summary>
/// <param name="field">With what every cell is wanted to land on.</param>
/// <param name="free">Cells that may land on anything, but on something.</param>
/// <param name="costs">Whether a key with an account counts.</param>
/// <param name="rest">What a key that is not needed goes back to; null: it is not there.</param>
/// <param name="kept">The key that is never needless: the default that is there; −1: none.</param>
/// <param name="given">Whether a key may be given another account to make others needless.</param>
internal sealed class Fewer(
    CellField field,
    IReadOnlySet<Cell> free,
    Func<int, string?, bool> costs,
    Func<int, string?> rest,
    int kept,
    Func<int, bool> given
)
{
    /// <summary>Cells looked at, up to which it goes on.</summary>
    public const long Most = 100_000_000;

    private readonly List<Cell>[] holders = Holding(field);
    private readonly string?[] uniform = Uniform(field, free);
    private long looked;

    /// <summary>The cells that a key could decide for.</summary>
    public IReadOnlyList<Cell> Holders(int key) => holders[key];

    /// <summary>Goes on until nothing is gained.</summary>
    public void Run()
    {
        while (Lift()) { }
    }

    /// <summary>Gives a key an account; null: takes it away.</summary>
    public void Give(int key, string? account)
    {
        field.Accounts[key] = account;
        foreach (var cell in holders[key])
            cell.At = field.Place(cell);
    }

    /// <summary>Lets a key go back to what it was where nothing lands wrong by it.</summary>
    public bool TryWithout(int key) => TryWithout(key, null);

    private static List<Cell>[] Holding(CellField field)
    {
        var holders = new List<Cell>[field.Count];
        for (var k = 0; k < holders.Length; k++)
            holders[k] = [];
        foreach (var cell in field.Cells)
        foreach (var key in cell.Keys)
            holders[key].Add(cell);
        return holders;
    }

    // Keys of which every cell wants one account.
    private static string?[] Uniform(CellField field, IReadOnlySet<Cell> free)
    {
        var (uniform, mixed) = (new string?[field.Count], new bool[field.Count]);
        foreach (var cell in field.Cells)
        {
            if (free.Contains(cell))
                continue;
            foreach (var key in cell.Keys)
            {
                mixed[key] |= cell.Wanted is null || uniform[key] is { } one && one != cell.Wanted;
                uniform[key] = cell.Wanted;
            }
        }
        for (var k = 0; k < uniform.Length; k++)
            if (mixed[k])
                uniform[k] = null;
        return uniform;
    }

    private bool Right(Cell cell) =>
        free.Contains(cell) ? field.Landed(cell) is not null : field.Landed(cell) == cell.Wanted;

    private void Give(int key, string? account, List<(int Key, string? Was)>? done)
    {
        done?.Add((key, field.Accounts[key]));
        Give(key, account);
    }

    private void Undo(List<(int Key, string? Was)> done)
    {
        for (var i = done.Count - 1; i >= 0; i--)
            Give(done[i].Key, done[i].Was);
        done.Clear();
    }

    private bool MayGo(int key) => key != kept && field.Own(key) && costs(key, field.Accounts[key]);

    private int Cost(int key, string? account) => costs(key, account) ? 1 : 0;

    private bool TryWithout(int key, List<(int Key, string? Was)>? done)
    {
        if (!MayGo(key) || costs(key, rest(key)))
            return false;
        var account = field.Accounts[key];
        Give(key, rest(key), done);
        if (holders[key].TrueForAll(Right))
            return true;
        done?.RemoveAt(done.Count - 1);
        Give(key, account);
        return false;
    }

    private bool Lift()
    {
        // What an account on a key could make needless: assignments that decide for that account beside it.
        var gains = new Dictionary<(int Key, string Account), HashSet<int>>();
        // Most keys have one decider below them: only those with more are looked at closer.
        var (first, several) = (new int[field.Count], new bool[field.Count]);
        IEnumerable<(Cell Cell, int Decider)> Deciding() =>
            field
                .Cells.Where(c => c.At < c.Keys.Length && !free.Contains(c))
                .Select(c => (c, c.Keys[c.At]))
                .Where(c => MayGo(c.Item2));
        foreach (var (cell, decider) in Deciding())
        foreach (var key in cell.Keys)
            if (first[key] == 0)
                first[key] = decider + 1;
            else
                several[key] |= first[key] != decider + 1;
        foreach (var (cell, decider) in Deciding())
        foreach (var key in cell.Keys)
            if (
                key != decider
                && field.Own(key)
                && given(key)
                && (several[key] || Cost(key, cell.Wanted) == Cost(key, field.Accounts[key]))
            )
            {
                var at = (key, cell.Wanted!);
                (gains.TryGetValue(at, out var set) ? set : gains[at] = []).Add(decider);
            }
        var any = false;
        foreach (
            var ((key, account), needless) in gains
                .Where(g => g.Value.Count > Cost(g.Key.Key, g.Key.Account) - Cost(g.Key.Key, field.Accounts[g.Key.Key]))
                .OrderByDescending(g => g.Value.Count)
                .ThenBy(g => field[g.Key.Key].Parts.Count)
                .ThenBy(g => g.Key.Key)
                .ThenBy(g => g.Key.Account, StringComparer.Ordinal)
        )
        {
            looked += holders[key].Count;
            if (looked > Most)
                return false;
            any |= TryLift(key, account, needless);
        }
        return any;
    }

    private bool TryLift(int key, string account, HashSet<int> needless)
    {
        if (field.Accounts[key] == account)
            return false;
        var done = new List<(int Key, string? Was)>();
        var more = Cost(key, account) - Cost(key, field.Accounts[key]);
        Give(key, account, done);
        var wrong = holders[key].Where(c => !Right(c)).ToList();
        // Exceptions: keys under which all want one account, those that mend most first.
        while (wrong.Count > 0)
        {
            var mends = new Dictionary<int, int>();
            foreach (var cell in wrong)
                for (var i = 0; i < cell.At; i++)
                    if (uniform[cell.Keys[i]] is { } one && one == cell.Wanted && field.Own(cell.Keys[i]))
                        mends[cell.Keys[i]] = mends.GetValueOrDefault(cell.Keys[i]) + 1;
            if (mends.Count == 0 || more > needless.Count)
            {
                Undo(done);
                return false;
            }
            var best = mends
                .OrderByDescending(m => m.Value)
                .ThenBy(m => field[m.Key].Parts.Count)
                .ThenBy(m => m.Key)
                .First()
                .Key;
            more += Cost(best, uniform[best]) - Cost(best, field.Accounts[best]);
            Give(best, uniform[best], done);
            wrong.RemoveAll(Right);
            if (holders[best].Exists(c => !Right(c)))
            {
                Undo(done);
                return false;
            }
        }
        foreach (var one in needless)
            if (TryWithout(one, done))
                more--;
        // What the exceptions make needless beside.
        if (more >= 0)
            foreach (var one in done.Select(d => d.Key).Distinct().ToList())
                if (TryWithout(one, done))
                    more--;
        if (more < 0)
            return true;
        Undo(done);
        return false;
    }
}
