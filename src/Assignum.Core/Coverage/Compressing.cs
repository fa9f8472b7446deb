using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Coverage;

/// <summary>Fewer assignments that land everything as it does.</summary>
/// <param name="Set">Assignments to be there, new or with another account.</param>
/// <param name="Gone">Assignments to go.</param>
/// <param name="Before">How many the purpose has that decide something or could.</param>
/// <param name="After">How many it would have of those.</param>
/// <param name="AtLeast">Fewer than this cannot do it.</param>
/// <param name="Exact">Whether it is proved that none does it with fewer.</param>
/// <param name="Untouched">How many others it has: no combination that there is asks for them, they stay.</param>
/// <param name="Combinations">How many land as before, all that there are and were not let go.</param>
/// <param name="Free">How many reach a tripwire and may land elsewhere; 0 where they may not.</param>
/// <param name="Elsewhere">How many of those would.</param>
public sealed record Compressed(
    IReadOnlyList<Assignment> Set,
    IReadOnlyList<Assignment> Gone,
    int Before,
    int After,
    int AtLeast,
    bool Exact,
    int Untouched,
    Int128 Combinations,
    Int128 Free,
    Int128 Elsewhere
);

/// <summary>
/// Finds a smaller set of assignments on a purpose's ladder that lands every combination exactly as today.
/// </summary>
/// <remarks>
/// First greedily: again and again a key is given an account where that makes more assignments needless than it needs
/// exceptions. Then, where there are few enough, by branch and bound over all sets that could be smaller: a combination
/// that does not land right yet is decided by one of the keys that could decide it, in turn. The bound is how many
/// combinations there are of which no two can be mended by one assignment. The default stays, and one that is a tripwire
/// stays a tripwire: it is there for what comes later. Assignments that nothing active asks for stay too.
/// </remarks>
public sealed class Compressing
{
    /// <summary>Cells with their keys, up to which it is tried.</summary>
    public const int MostKeys = 8_000_000;

    /// <summary>Keys looked at, up to which the smallest set is searched for.</summary>
    public const long MostSteps = 20_000_000;

    private readonly CellField field;
    private readonly Purpose purpose;
    private readonly HashSet<Cell> frees = [];
    private readonly Fewer fewer;
    private readonly int defaultKey;
    private readonly bool hasDefault;
    private readonly bool tripwire;

    private Compressing(CompiledSetUp setUp, CellField field, Purpose purpose, bool freeTripwires)
    {
        (this.field, this.purpose) = (field, purpose);
        var tripwires = setUp.Memory.Tripwires;
        foreach (var cell in field.Cells)
        {
            var lands = field.Landed(cell);
            // Free: it may land on whatever an assignment says, and does on something.
            cell.Wanted = freeTripwires && lands is not null && tripwires.Contains(lands) ? null : lands;
            if (cell.Wanted is not null || lands is null)
                continue;
            Free += cell.Size;
            frees.Add(cell);
        }
        defaultKey = Enumerable.Range(0, field.Count).First(k => field.Own(k) && field[k].Parts.Count == 0);
        hasDefault = field.Accounts[defaultKey] is not null;
        tripwire = hasDefault && tripwires.Contains(field.Accounts[defaultKey]!);
        fewer = new Fewer(
            field,
            frees,
            (_, account) => account is not null,
            _ => null,
            hasDefault ? defaultKey : -1,
            key => !(key == defaultKey && tripwire)
        );
    }

    private Int128 Free { get; }

    /// <summary>Finds it.</summary>
    /// <param name="freeTripwires">Whether what reaches a tripwire today may land elsewhere.</param>
    /// <returns>Null where there are too many combinations to be looked through.</returns>
    public static Compressed? Of(CompiledSetUp setUp, Purpose purpose, bool freeTripwires = false)
    {
        // Every record may be an exception; where that is too much, only those that are named already.
        var tags = new CellField.Tags((_, _) => null);
        var field = CellField.Of(setUp, purpose, tags, true, MostKeys)
            ?? CellField.Of(setUp, purpose, tags, false, MostKeys);
        return field is null ? null
            : field.Cells.Count == 0
                ? new Compressed([], [], 0, 0, 0, true, setUp.Landings.AssignmentsOf(purpose).Count, 0, 0, 0)
            : new Compressing(setUp, field, purpose, freeTripwires).Run(setUp);
    }

    private Compressed Run(CompiledSetUp setUp)
    {
        var was = field.Accounts.ToArray();
        var assignments = setUp.Landings.AssignmentsOf(purpose);
        var asked = Enumerable.Range(0, field.Count).Where(k => field.Own(k) && fewer.Holders(k).Count > 0).ToHashSet();
        var own = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var key in asked)
            own[Assignment.IdentityOf(purpose.Name, field[key].Parts)] = key;
        // Tripwires above the default decide nothing: they go.
        var needless = assignments.Where(a => own.TryGetValue(a.Identity, out var k) && was[k] is null).ToList();
        var before = assignments.Count(a => own.ContainsKey(a.Identity));
        foreach (var key in asked.Where(k => was[k] is not null))
            fewer.TryWithout(key);
        fewer.Run();
        var (least, exact) = Search();
        var after = asked.Count(k => field.Accounts[k] is not null);
        var (set, gone) = field.Changes(was);
        Int128 all = 0,
            elsewhere = 0;
        foreach (var cell in field.Cells)
        {
            if (!frees.Contains(cell))
                all += cell.Size;
            else if (field.Landed(cell) != was[cell.Keys[Array.FindIndex(cell.Keys, k => was[k] is not null)]])
                elsewhere += cell.Size;
        }
        return new Compressed(
            set,
            [.. gone, .. needless],
            before,
            after,
            least,
            exact || least == after,
            assignments.Count - before,
            all,
            Free,
            elsewhere
        );
    }

    // ---- the smallest, where it can be searched for ----

    private const sbyte Open = 0,
        Absent = 1,
        Given = 2;

    private long steps;
    private sbyte[] states = [];
    private string?[] given = [];
    private int bestCount;
    private string?[]? best;
    private List<Cell> all = [];

    private (int AtLeast, bool Exact) Search()
    {
        all = field.Cells.FindAll(c => !frees.Contains(c));
        states = new sbyte[field.Count];
        given = new string?[field.Count];
        for (var k = 0; k < field.Count; k++)
            if (!field.Own(k))
                (states[k], given[k]) = (field.Accounts[k] is null ? Absent : Given, field.Accounts[k]);
        var count = 0;
        if (tripwire)
        {
            (states[defaultKey], given[defaultKey]) = (Given, field.Accounts[defaultKey]);
            count = 1;
        }
        var asked = Enumerable.Range(0, field.Count).Where(k => field.Own(k) && fewer.Holders(k).Count > 0).ToList();
        bestCount = asked.Count(k => field.Accounts[k] is not null);
        var least = count + Math.Max(hasDefault && !tripwire ? 1 : 0, Bound(int.MaxValue, out _));
        var finished = least >= bestCount || Branch(count);
        if (best is not null)
            foreach (var k in asked.Where(k => field.Accounts[k] != best[k]))
                fewer.Give(k, best[k]);
        return (finished ? bestCount : least, finished);
    }

    // Goes through all sets that could have fewer than the best so far; false where that takes too long.
    private bool Branch(int count)
    {
        if (steps > MostSteps)
            return false;
        var bound = Bound(bestCount - count, out var needy);
        if (bound < 0 || count + bound >= bestCount)
            return true;
        if (needy is null)
        {
            // A default that nothing needs yet stays as it is.
            var found = (string?[])given.Clone();
            if (hasDefault && states[defaultKey] == Open)
            {
                count++;
                found[defaultKey] = field.Accounts[defaultKey];
            }
            if (count >= bestCount || !Lands(found))
                return true;
            (bestCount, best) = (count, found);
            return true;
        }
        var absent = new List<int>();
        var finished = true;
        foreach (var key in needy.Keys)
        {
            if (states[key] == Given)
                break;
            if (states[key] == Absent)
                continue;
            (states[key], given[key]) = (Given, needy.Wanted);
            finished &= Branch(count + 1);
            (states[key], given[key]) = (Absent, null);
            absent.Add(key);
            if (!finished)
                break;
        }
        foreach (var key in absent)
            states[key] = Open;
        return finished;
    }

    // All lands right, with everything that is open absent.
    private bool Lands(string?[] accounts)
    {
        foreach (var cell in all)
        {
            steps += cell.Keys.Length;
            var at = Array.FindIndex(cell.Keys, k => accounts[k] is not null);
            if ((at < 0 ? null : accounts[cell.Keys[at]]) != cell.Wanted)
                return false;
        }
        return true;
    }

    // How many assignments are missing at least: combinations that do not land right yet, of which no two can be mended
    // by one. −1: one cannot be mended at all. Of those the one with the fewest ways is told.
    private int Bound(int enough, out Cell? needy)
    {
        needy = null;
        var fewest = int.MaxValue;
        var marked = new HashSet<(int, string)>();
        var apart = 0;
        foreach (var cell in all)
        {
            int ways = 0,
                at = 0;
            for (; at < cell.Keys.Length && states[cell.Keys[at]] != Given; at++)
                if (states[cell.Keys[at]] == Open)
                    ways++;
            steps += at + 1;
            if (at < cell.Keys.Length ? given[cell.Keys[at]] == cell.Wanted : cell.Wanted is null)
                continue;
            if (ways == 0 || cell.Wanted is null)
                return -1;
            if (ways < fewest)
                (fewest, needy) = (ways, cell);
            var shared = false;
            for (var i = 0; i < at && !shared; i++)
                shared = states[cell.Keys[i]] == Open && marked.Contains((cell.Keys[i], cell.Wanted));
            if (shared)
                continue;
            if (++apart >= enough)
                return apart;
            for (var i = 0; i < at; i++)
                if (states[cell.Keys[i]] == Open)
                    marked.Add((cell.Keys[i], cell.Wanted));
        }
        return apart;
    }
}
