using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Checks;

/// <summary>What was found in a compiled set-up, kept with it: one that was changed from it takes over what the change
/// cannot have touched.</summary>
internal sealed class CheckMemory
{
    private readonly CompiledSetUp setUp;
    private readonly Lock held = new();
    private readonly Dictionary<string, IReadOnlyList<Finding>> found = new(StringComparer.Ordinal);
    private (DateOnly Today, PostedFacts Posted)? of;

    // What was found row by row where rows alone were changed.
    private readonly Dictionary<string, IReadOnlyList<Finding>> byRow = new(StringComparer.Ordinal);
    private readonly Lazy<(IReadOnlyList<Assignment> Went, IReadOnlyList<Assignment> Came)> rows;

    // Of the set-up before this one: what it was, as far as it was asked.
    private SetUp? was;
    private LandingIndex? wasIndex;

    /// <summary>That of a set-up.</summary>
    public static CheckMemory Of(CompiledSetUp setUp) =>
        setUp.Workings.Of<CheckMemory>((now, before) => new CheckMemory(now, before));

    private CheckMemory(CompiledSetUp now, CheckMemory? before)
    {
        setUp = now;
        rows = new(Differing);
        if (before is null)
            return;
        lock (before.held)
        {
            if (before.of is null)
                return;
            (of, was, wasIndex, StockItems) = (before.of, before.setUp.SetUp, before.setUp.Index, before.StockItems);
            foreach (var (code, findings) in before.found)
                found[code] = findings;
        }
        if (ReferenceEquals(was.Items, now.SetUp.Items) && ReferenceEquals(was.Groups, now.SetUp.Groups))
            StockItemsBelow = before.StockItemsBelow;
        var changed = Changed(was, now.SetUp);
        foreach (var check in Findings.All)
            if ((check.Reads & changed) == 0)
                continue;
            else if (
                check is AssignmentCheck
                && (check.Reads & changed) == Reads.Assignments
                && found.Remove(check.Code, out var rows)
            )
                byRow[check.Code] = rows;
            else
                found.Remove(check.Code);
    }

    /// <summary>Where stock items land; of the set-up before this one until it is asked anew, null where nobody
    /// asked.</summary>
    public IReadOnlyList<(Item Item, IReadOnlyList<ItemLanding> Landings)>? StockItems { get; set; }

    /// <summary>How many stock items stand in and below each group; null: nobody asked.</summary>
    public Dictionary<string, int>? StockItemsBelow { get; set; }

    /// <summary>What checks find, check by check.</summary>
    public IReadOnlyList<Finding> All(DateOnly today, PostedFacts posted)
    {
        lock (held)
        {
            if (of is not { } known || known.Today != today || !ReferenceEquals(known.Posted.Balances, posted.Balances))
            {
                found.Clear();
                byRow.Clear();
            }
            // The same books, and connections that say something else: no other check looks at those.
            else if (!ReferenceEquals(known.Posted.Links, posted.Links))
                foreach (var check in Findings.All.OfType<LinkCheck>())
                    found.Remove(check.Code);
            of = (today, posted);
            var missing = Findings.All.Where(c => !found.ContainsKey(c.Code)).ToList();
            if (missing.Count > 0)
            {
                var input = new CheckInput(setUp, today, posted);
                // What several of them need is worked out before they go side by side.
                if (missing.Exists(c => c is MixedFamily or FamilyStray or HalfOwn))
                    _ = input.StockItems.Count;
                foreach (var (code, findings) in missing.AsParallel().Select(c => (c.Code, Find(c, input))))
                    found[code] = findings;
            }
            byRow.Clear();
            (was, wasIndex) = (null, null);
            return [.. found.Values.SelectMany(f => f).Order(Findings.Order)];
        }
    }

    private IReadOnlyList<Finding> Find(Check check, CheckInput input)
    {
        if (check is not AssignmentCheck own || !byRow.TryGetValue(check.Code, out var known))
            return [.. check.Of(input)];
        var (went, came) = rows.Value;
        var gone = went.Select(a => CheckInput.Place(a).Identity).ToHashSet(StringComparer.Ordinal);
        return [.. known.Where(f => !gone.Contains(f.Places[0].Identity)), .. own.Of(input, came)];
    }

    // Most rows stand where they stood: what is the same at both ends is passed over.
    private (IReadOnlyList<Assignment> Went, IReadOnlyList<Assignment> Came) Differing()
    {
        var (before, after) = (was!.Assignments, setUp.SetUp.Assignments);
        int first = 0,
            last = 0;
        while (first < before.Count && first < after.Count && ReferenceEquals(before[first], after[first]))
            first++;
        while (
            last < before.Count - first
            && last < after.Count - first
            && ReferenceEquals(before[before.Count - 1 - last], after[after.Count - 1 - last])
        )
            last++;
        var (old, now) = (
            before.Skip(first).Take(before.Count - first - last).ToList(),
            after.Skip(first).Take(after.Count - first - last).ToList()
        );
        var (olds, news) = (
            old.ToHashSet<Assignment>(ReferenceEqualityComparer.Instance),
            now.ToHashSet<Assignment>(ReferenceEqualityComparer.Instance)
        );
        return ([.. old.Where(a => !news.Contains(a))], [.. now.Where(a => !olds.Contains(a))]);
    }

    /// <summary>Which stock items the change from the set-up before can have moved; null: nothing is known of before, or
    /// any of them.</summary>
    public Func<Item, bool>? MovedItems(CheckInput input)
    {
        if (StockItems is null || was is null || !setUp.Index.Same(wasIndex!))
            return null;
        var now = setUp.SetUp;
        if ((Changed(was, now) & ~Reads.Assignments) != 0)
            return null;
        var purposes = input.FamilyPurposes.SelectMany(p => new[] { p, setUp.Landings.BorrowOf(p) }).ToHashSet();
        var changed = rows
            .Value.Went.Concat(rows.Value.Came)
            .Where(a => purposes.Contains(Purposes.Find(a.Purpose)))
            // What asks for more than the item and its group decides for none of them.
            .Where(a => a.Key.All(k => k.Dimension is Dimension.Item or Dimension.ItemGroup))
            .ToList();
        if (changed.Exists(a => a.Key.Count == 0))
            return null;
        var items = changed.Select(a => a.Value(Dimension.Item)).OfType<string>().ToHashSet(StringComparer.Ordinal);
        var groups = changed
            .Where(a => a.Value(Dimension.Item) is null)
            .SelectMany(a => GroupMembers.Below(now, GroupKind.Item, a.Value(Dimension.ItemGroup)!))
            .ToHashSet(StringComparer.Ordinal);
        return item => items.Contains(item.Code) || item.Group is not null && groups.Contains(item.Group);
    }

    // By the lists that hold it: what is the same list has the same rows.
    private static Reads Changed(SetUp was, SetUp now)
    {
        var changed = (Reads)0;
        void Of(Reads what, params ReadOnlySpan<(object Was, object Now)> lists)
        {
            foreach (var (before, after) in lists)
                if (!ReferenceEquals(before, after))
                    changed |= what;
        }
        Of(
            Reads.Accounts,
            (was.Accounts, now.Accounts),
            (was.ReliefAccounts, now.ReliefAccounts),
            (was.NumberBands, now.NumberBands),
            (was.Crosswalk, now.Crosswalk)
        );
        Of(Reads.Assignments, (was.Assignments, now.Assignments));
        Of(Reads.Ladders, (was.Ladders, now.Ladders), (was.Borrows, now.Borrows));
        Of(Reads.Groups, (was.Groups, now.Groups));
        Of(Reads.Items, (was.Items, now.Items));
        Of(Reads.Parties, (was.Parties, now.Parties));
        Of(Reads.Projects, (was.Projects, now.Projects));
        Of(Reads.Tax, (was.TaxCodes, now.TaxCodes), (was.TaxRates, now.TaxRates), (was.TaxMatrix, now.TaxMatrix));
        Of(Reads.Policies, (was.Policies, now.Policies));
        // The entity says whether tax is registered for; places are asked for by whatever asks for all.
        if (was.Entity != now.Entity || !was.OtherEntities.SequenceEqual(now.OtherEntities))
            changed = Reads.All;
        Of(
            Reads.Policies,
            (was.Locations, now.Locations),
            (was.Channels, now.Channels),
            (was.Methods, now.Methods),
            (was.Reasons, now.Reasons)
        );
        return changed;
    }
}
