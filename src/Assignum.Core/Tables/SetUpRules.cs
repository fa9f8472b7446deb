using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>Faults of form that only the whole set-up shows: references to nothing, cycles, assignments off their
/// ladder.</summary>
/// <remarks>Weak choices (an account of the wrong class, say) are no faults here; they import and become
/// findings.</remarks>
public static class SetUpRules
{
    /// <summary>Every fault, in the order of the parts.</summary>
    public static IReadOnlyList<Fault> Check(SetUp setUp) => Check(setUp, null);

    /// <summary>Every fault that changes brought into a set-up that had none: only what they can have touched is looked
    /// at.</summary>
    public static IReadOnlyList<Fault> CheckAfter(SetUp setUp, IReadOnlyList<RowChange> changes) =>
        Check(setUp, changes);

    private static List<Fault> Check(SetUp setUp, IReadOnlyList<RowChange>? changes)
    {
        var faults = new List<Fault>();
        var names = new Names(setUp);
        var parts = changes?.Select(c => c.Part).ToHashSet();
        bool Touched(params Part[] any) => parts is null || any.Any(parts.Contains);
        if (Touched(Parts.Accounts, Parts.TaxCodes, Parts.ReliefAccounts, Parts.Crosswalk))
            CheckChart(setUp, names, faults);
        if (Touched(Parts.Groups))
            CheckGroups(setUp, faults);
        if (Touched(Parts.Groups, Parts.Policies))
            foreach (var policy in setUp.Policies)
                if (DefaultGroup.KindOf(policy.Policy) is { } kind && !names.Groups.Contains((kind, policy.Value)))
                    faults.Add(
                        Parts.Policies.Fault(
                            policy.Policy,
                            "value",
                            "unknown-reference",
                            $"{policy.Policy}: there is no {Words.Of(kind)} group {policy.Value}."
                        )
                    );
        if (Touched(Parts.Groups, Parts.Items, Parts.Parties, Parts.Projects))
            CheckRecords(setUp, names, faults);
        if (Touched(Parts.TaxCodes, Parts.TaxRates, Parts.TaxMatrix))
            CheckTax(setUp, names, faults);
        if (Touched(Parts.Ladders, Parts.Borrows))
            CheckLadders(setUp, faults);
        // An assignment goes wrong by its own change, by another ladder, or because what it names goes away.
        var all =
            changes is null
            || changes.Any(c => c.Part == Parts.Ladders || c.After is null && c.Part != Parts.Assignments);
        if (all)
            CheckAssignments(setUp, setUp.Assignments, names, faults);
        else if (Touched(Parts.Assignments))
            CheckAssignments(
                setUp,
                Parts
                    .Assignments.Read(
                        new SetUp { Entity = setUp.Entity },
                        changes!
                            .Where(c => c.Part == Parts.Assignments && c.After is not null)
                            .Select(c => (0, c.After!)),
                        []
                    )
                    .Assignments,
                names,
                faults
            );
        if (Touched(Parts.Periods))
            CheckPeriods(setUp, faults);
        return faults;
    }

    // Each set is made when it is first asked for.
    private sealed class Names(SetUp s)
    {
        private readonly Lazy<HashSet<string>> accounts = Set(s.Accounts, a => a.Number),
            items = Set(s.Items, i => i.Code),
            parties = Set(s.Parties, p => p.Code),
            projects = Set(s.Projects, p => p.Code),
            locations = Set(s.Locations, p => p.Code),
            channels = Set(s.Channels, p => p.Code),
            methods = Set(s.Methods, p => p.Code),
            reasons = Set(s.Reasons, p => p.Code),
            taxCodes = Set(s.TaxCodes, p => p.Code);
        private readonly Lazy<HashSet<(GroupKind, string)>> groups = new(() =>
            [.. s.Groups.Select(g => (g.Kind, g.Code))]
        );

        public HashSet<string> Accounts => accounts.Value;
        public HashSet<(GroupKind, string)> Groups => groups.Value;
        public HashSet<string> Parties => parties.Value;
        public HashSet<string> TaxCodes => taxCodes.Value;

        private static Lazy<HashSet<string>> Set<T>(IReadOnlyList<T> records, Func<T, string> code) =>
            new(() => [.. records.Select(code)]);

        public bool Has(Dimension dimension, string value) =>
            dimension switch
            {
                Dimension.Item => items.Value.Contains(value),
                Dimension.ItemGroup => Groups.Contains((GroupKind.Item, value)),
                Dimension.Party => Parties.Contains(value),
                Dimension.PartyGroup => Groups.Contains((GroupKind.Customer, value))
                    || Groups.Contains((GroupKind.Supplier, value)),
                Dimension.Location => locations.Value.Contains(value),
                Dimension.Channel => channels.Value.Contains(value),
                Dimension.Method => methods.Value.Contains(value),
                Dimension.Project => projects.Value.Contains(value),
                Dimension.ProjectGroup => Groups.Contains((GroupKind.Project, value)),
                Dimension.Reason => reasons.Value.Contains(value),
                Dimension.TaxCode => TaxCodes.Contains(value),
                Dimension.Currency => Money.Currencies.Exists(value),
                _ => true,
            };
    }

    private static void CheckChart(SetUp setUp, Names names, List<Fault> faults)
    {
        var accounts = setUp.Accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
        foreach (var account in setUp.Accounts)
        {
            void Say(string column, string code, string message) =>
                faults.Add(Parts.Accounts.Fault(account.Number, column, code, message));
            if (account.TaxCode is not null && !names.TaxCodes.Contains(account.TaxCode))
                Say(
                    "tax_code",
                    "unknown-reference",
                    $"Account {account.Number}: tax code {account.TaxCode} does not exist."
                );
            if (account.Parent is null)
                continue;
            if (!accounts.TryGetValue(account.Parent, out var parent))
                Say(
                    "parent",
                    "unknown-reference",
                    $"Account {account.Number}: its parent {account.Parent} does not exist."
                );
            else if (parent.Kind != AccountKind.Heading)
                Say(
                    "parent",
                    "not-a-heading",
                    $"Account {account.Number}: its parent {account.Parent} is a posting account; only headings have "
                        + "accounts below them."
                );
            else if (Cycles(account.Number, n => accounts.GetValueOrDefault(n)?.Parent))
                Say(
                    "parent",
                    "cycle",
                    account.Parent == account.Number
                        ? $"Account {account.Number} is its own parent."
                        : $"Account {account.Number} stands under itself: its parents come back to it."
                );
        }
        foreach (var relief in setUp.ReliefAccounts)
        foreach (var (column, number) in new[] { ("account", relief.Account), ("relief", relief.Relief) })
            if (!accounts.ContainsKey(number))
                faults.Add(
                    Parts.ReliefAccounts.Fault(
                        relief.Account + "\u001f" + relief.Relief,
                        column,
                        "unknown-reference",
                        $"Account {number} does not exist."
                    )
                );
        foreach (var row in setUp.Crosswalk.Where(r => !accounts.ContainsKey(r.Account)))
            faults.Add(
                Parts.Crosswalk.Fault(
                    row.Account + "\u001f" + row.Balance,
                    "account",
                    "unknown-reference",
                    $"Account {row.Account} does not exist."
                )
            );
    }

    private static void CheckGroups(SetUp setUp, List<Fault> faults)
    {
        var parents = setUp.Groups.ToDictionary(g => (g.Kind, g.Code), g => g.Parent);
        foreach (var group in setUp.Groups)
        {
            if (group.Parent is null)
                continue;
            void Say(string code, string message) =>
                faults.Add(Parts.Groups.Fault(Words.Of(group.Kind) + "\u001f" + group.Code, "parent", code, message));
            if (!parents.ContainsKey((group.Kind, group.Parent)))
                Say(
                    "unknown-reference",
                    $"Group {group.Code}: there is no {Words.Of(group.Kind)} group {group.Parent}."
                );
            else if (Cycles(group.Code, c => parents.GetValueOrDefault((group.Kind, c))))
                Say("cycle", $"Group {group.Code} stands under itself: its parents come back to it.");
        }
    }

    private static void CheckRecords(SetUp setUp, Names names, List<Fault> faults)
    {
        void Group(Part part, string key, string column, GroupKind kind, string? code)
        {
            if (code is not null && !names.Groups.Contains((kind, code)))
                faults.Add(
                    part.Fault(key, column, "unknown-reference", $"{key}: there is no {Words.Of(kind)} group {code}.")
                );
        }
        foreach (var item in setUp.Items)
            Group(Parts.Items, item.Code, "group", GroupKind.Item, item.Group);
        foreach (var party in setUp.Parties)
        {
            Group(Parts.Parties, party.Code, "customer_group", GroupKind.Customer, party.CustomerGroup);
            Group(Parts.Parties, party.Code, "supplier_group", GroupKind.Supplier, party.SupplierGroup);
        }
        var parents = setUp.Projects.ToDictionary(p => p.Code, p => p.Parent, StringComparer.Ordinal);
        foreach (var project in setUp.Projects)
        {
            Group(Parts.Projects, project.Code, "group", GroupKind.Project, project.Group);
            void Say(string column, string code, string message) =>
                faults.Add(Parts.Projects.Fault(project.Code, column, code, message));
            if (project.Customer is not null && !names.Parties.Contains(project.Customer))
                Say(
                    "customer",
                    "unknown-reference",
                    $"Project {project.Code}: party {project.Customer} does not exist."
                );
            if (project.Parent is null)
                continue;
            if (!parents.ContainsKey(project.Parent))
                Say(
                    "parent",
                    "unknown-reference",
                    $"Project {project.Code}: its project {project.Parent} does not exist."
                );
            else if (Cycles(project.Code, c => parents.GetValueOrDefault(c)))
                Say("parent", "cycle", $"Project {project.Code} stands under itself.");
        }
    }

    private static void CheckTax(SetUp setUp, Names names, List<Fault> faults)
    {
        foreach (var rate in setUp.TaxRates)
            if (!names.TaxCodes.Contains(rate.Code))
                faults.Add(
                    Parts.TaxRates.Fault(
                        rate.Code + "\u001f" + Parts.Day(rate.From),
                        "code",
                        "unknown-reference",
                        $"Tax code {rate.Code} does not exist."
                    )
                );
        var directions = setUp.TaxCodes.ToDictionary(c => c.Code, c => c.Direction, StringComparer.Ordinal);
        foreach (var cell in setUp.TaxMatrix)
        {
            var key = string.Join('\u001f', cell.Standing, cell.Category, Words.Of(cell.Direction));
            if (!directions.TryGetValue(cell.Code, out var direction))
                faults.Add(
                    Parts.TaxMatrix.Fault(key, "code", "unknown-reference", $"Tax code {cell.Code} does not exist.")
                );
            else if (direction != cell.Direction)
                faults.Add(
                    Parts.TaxMatrix.Fault(
                        key,
                        "code",
                        "wrong-direction",
                        $"Tax code {cell.Code} is for {Words.Of(direction)} tax; this cell needs an "
                            + $"{Words.Of(cell.Direction)} code."
                    )
                );
        }
    }

    private static void CheckLadders(SetUp setUp, List<Fault> faults)
    {
        foreach (var ladder in setUp.Ladders.GroupBy(l => l.Purpose))
        {
            var seen = new HashSet<int>();
            foreach (var row in ladder)
            {
                void Say(string code, string message) =>
                    faults.Add(Parts.Ladders.Fault(row.Purpose + "\u001f" + row.Position, "rung", code, message));
                if (!seen.Add(row.Rung.Set))
                    Say("duplicate-rung", $"The ladder of {row.Purpose} has the rung {row.Rung} twice.");
                if (row.Rung == Rung.Default && row.Position < ladder.Max(l => l.Position))
                    Say("default-last", $"'default' is the last rung of the ladder of {row.Purpose}.");
            }
            if (seen.Count > PurposeResolver.MaxRungs)
                faults.Add(
                    Parts.Ladders.Fault(
                        ladder.Key + "\u001f1",
                        "rung",
                        "too-many-rungs",
                        $"The ladder of {ladder.Key} has {seen.Count} rungs; at most {PurposeResolver.MaxRungs} are "
                            + "taken."
                    )
                );
        }
        var from = setUp.Borrows.ToDictionary(b => b.Purpose, b => b.From, StringComparer.Ordinal);
        foreach (var borrow in setUp.Borrows)
            if (from.ContainsKey(borrow.From) || borrow.From == borrow.Purpose)
                faults.Add(
                    Parts.Borrows.Fault(
                        borrow.Purpose,
                        "from",
                        "cycle",
                        $"{borrow.Purpose} borrows from {borrow.From}, which borrows itself: a purpose borrows once."
                    )
                );
    }

    private static void CheckAssignments(
        SetUp setUp,
        IReadOnlyList<Assignment> assignments,
        Names names,
        List<Fault> faults
    )
    {
        var ladders = Ladder.InForce(setUp.Ladders);
        foreach (var assignment in assignments)
        {
            string? key = null;
            void Say(string column, string code, string message) =>
                faults.Add(Parts.Assignments.Fault(key ??= RowKey(assignment), column, code, message));
            if (!names.Accounts.Contains(assignment.Account))
                Say("account", "unknown-reference", $"Account {assignment.Account} does not exist.");
            foreach (var part in assignment.Key)
                if (!names.Has(part.Dimension, part.Value))
                    Say(
                        Words.Of(part.Dimension).Replace('-', '_'),
                        "unknown-reference",
                        $"There is no {Words.Of(part.Dimension)} {part.Value}."
                    );
            var ladder = ladders[Purposes.Find(assignment.Purpose)!.Index];
            if (ladder.Holding(assignment.Set) is null)
                Say(
                    assignment.Key.Count == 0 ? "purpose" : Words.Of(assignment.Key[0].Dimension).Replace('-', '_'),
                    "off-ladder",
                    $"{assignment.Purpose} has no rung {assignment.RungName}; the nearest is "
                        + $"{ladder.Nearest(assignment.Set)}. Fill its columns, or add the rung to its ladder."
                );
        }
    }

    private static void CheckPeriods(SetUp setUp, List<Fault> faults)
    {
        var ordered = setUp.Periods.OrderBy(p => p.From).ToList();
        for (var i = 0; i < ordered.Count; i++)
        {
            void Say(string message) =>
                faults.Add(
                    Parts.Periods.Fault(
                        Parts.Day(ordered[i].From) + "\u001f" + Parts.Day(ordered[i].To),
                        "from",
                        "bad-period",
                        message
                    )
                );
            if (ordered[i].To < ordered[i].From)
                Say($"The period ends on {Parts.Day(ordered[i].To)}, before it begins.");
            else if (i > 0 && ordered[i].From <= ordered[i - 1].To)
                Say($"The period overlaps the one from {Parts.Day(ordered[i - 1].From)}.");
        }
    }

    private static string RowKey(Assignment assignment) => Parts.Assignments.KeyOf(Parts.CellsOf(assignment));

    private static bool Cycles(string start, Func<string, string?> parent)
    {
        var steps = 0;
        for (var at = parent(start); at is not null && steps++ < 10_000; at = parent(at))
            if (at == start)
                return true;
        return false;
    }
}
