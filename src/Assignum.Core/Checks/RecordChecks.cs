using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Checks;

/// <summary>A stock item that is costed at standard and has no standard cost.</summary>
public sealed class CostingIncomplete() : Check("costing-incomplete", "No standard cost", "groups")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Items;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input
            .SetUp.Items.Where(i =>
                i.IsStockItem && i is { Status: RecordStatus.Active, Costing: Costing.Standard, StandardCost: null }
            )
            .Select(i => new Finding(
                Code,
                FindingSeverity.Error,
                [CheckInput.Place(i)],
                null,
                null,
                null,
                1,
                0,
                $"{i.Code} {i.Name} is costed at standard and has no standard cost.",
                "Its receipts and shipments are refused."
            ));
}

/// <summary>A group that nothing is in.</summary>
public sealed class GroupEmpty() : Check("group-empty", "Group without members", "groups")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Groups | Reads.Items | Reads.Parties | Reads.Projects;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var parents = input.SetUp.Groups.ToDictionary(g => (g.Kind, g.Code), g => g.Parent);
        var filled = new HashSet<(GroupKind, string)>();
        void Fill(GroupKind kind, string? code)
        {
            for (var at = code; at is not null && filled.Add((kind, at)); at = parents.GetValueOrDefault((kind, at)))
            { }
        }
        foreach (var item in input.SetUp.Items.Where(i => i.Status == RecordStatus.Active))
            Fill(GroupKind.Item, item.Group);
        foreach (var party in input.SetUp.Parties.Where(p => p.Status == RecordStatus.Active))
        {
            if (party.Kind is PartyKind.Customer or PartyKind.Both)
                Fill(GroupKind.Customer, party.CustomerGroup);
            if (party.Kind is PartyKind.Supplier or PartyKind.Both)
                Fill(GroupKind.Supplier, party.SupplierGroup);
        }
        foreach (var project in input.SetUp.Projects.Where(p => p.Status == RecordStatus.Active))
            Fill(GroupKind.Project, NoGroup.GroupOf(input, project));
        return input
            .SetUp.Groups.Where(g => !filled.Contains((g.Kind, g.Code)))
            .Select(g => new Finding(
                Code,
                FindingSeverity.Info,
                [CheckInput.Place(g)],
                null,
                null,
                null,
                1,
                0,
                $"{g.Code} {g.Name}, a group of {Words.Of(g.Kind)}s, has no active member.",
                "What is assigned to it waits for somebody to come."
            ));
    }
}

/// <summary>Records without a group where groups decide.</summary>
public sealed class NoGroup() : Check("no-group", "No group", "groups")
{
    /// <inheritdoc/>
    public override Reads Reads =>
        Reads.Accounts | Reads.Assignments | Reads.Items | Reads.Parties | Reads.Projects | Reads.Policies;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        // Needed purposes where an assignment stands on a rung with the dimension.
        List<Purpose> Asking(Dimension dimension) =>
            [
                .. input
                    .Needed.Where(p =>
                        input
                            .Compiled.Landings.AssignmentsOf(p)
                            .Any(a => !input.IsMiss(a) && a.Value(dimension) is not null)
                    )
                    .OrderBy(p => p.Index),
            ];
        var sides = Asking(Dimension.ItemGroup).Select(ItemReach.Of).Distinct().ToList();
        var parties = Asking(Dimension.PartyGroup);
        var perpetual = input.Compiled.Policies.Perpetual;
        var setUp = input.SetUp;
        var found = new List<(string Of, List<FindingPlace> Places)>
        {
            (
                "items",
                [
                    .. setUp
                        .Items.Where(i =>
                            i is { Status: RecordStatus.Active, Group: null } && sides.Any(s => s.Takes(i, perpetual))
                        )
                        .Select(CheckInput.Place),
                ]
            ),
        };
        foreach (
            var (of, side, kind) in new[]
            {
                ("customers", PartySide.Customers, PartyKind.Customer),
                ("suppliers", PartySide.Suppliers, PartyKind.Supplier),
            }
        )
            found.Add(
                (
                    of,
                    parties.Any(p => PartySides.Of(p) == side || PartySides.Of(p) == PartySide.Any)
                        ?
                        [
                            .. setUp
                                .Parties.Where(p =>
                                    p.Status == RecordStatus.Active
                                    && (p.Kind == kind || p.Kind == PartyKind.Both)
                                    && (kind == PartyKind.Customer ? p.CustomerGroup : p.SupplierGroup) is null
                                )
                                .Select(p => CheckInput.Place(Parts.Parties, ("code", p.Code))),
                        ]
                        : []
                )
            );
        found.Add(
            (
                "projects",
                Asking(Dimension.ProjectGroup).Count == 0
                    ? []
                    :
                    [
                        .. setUp
                            .Projects.Where(p => p.Status == RecordStatus.Active && GroupOf(input, p) is null)
                            .Select(p => CheckInput.Place(Parts.Projects, ("code", p.Code))),
                    ]
            )
        );
        return found
            .Where(f => f.Places.Count > 0)
            .Select(f =>
                Grouped(
                    FindingSeverity.Warning,
                    f.Of,
                    f.Places,
                    $"{CheckInput.Some(f.Places.Count, f.Of[..^1])} {(f.Places.Count == 1 ? "has" : "have")} no group, and groups "
                        + "decide where others land.",
                    "They land by assignments of their own or by defaults."
                )
            );
    }

    /// <summary>A project's group; of a task its own, else its project's.</summary>
    internal static string? GroupOf(CheckInput input, Project project)
    {
        var number = input.Compiled.Project(project.Code)?.Group ?? 0;
        return number == 0 ? null : input.Compiled.Index.Key(Dimension.ProjectGroup, number);
    }
}

/// <summary>Customers and suppliers that no tax can be worked out for.</summary>
public sealed class NoStanding() : Check("no-standing", "No tax standing", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Parties | Reads.Policies;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var without = !input.Registered
            ? []
            : input
                .SetUp.Parties.Where(p =>
                    p is { Status: RecordStatus.Active, TaxStanding: null } && p.Kind != PartyKind.Other
                )
                .Select(p => CheckInput.Place(Parts.Parties, ("code", p.Code)))
                .ToList();
        if (without.Count > 0)
            yield return Grouped(
                FindingSeverity.Warning,
                "parties",
                without,
                $"{(without.Count == 1 ? "1 party has" : CheckInput.Some(without.Count, "partie") + " have")} no tax standing.",
                "Their tax is the account's own, whatever they buy, or their documents are refused."
            );
    }
}

/// <summary>Goods and services that no tax can be worked out for.</summary>
public sealed class NoCategory() : Check("no-category", "No tax category", "tax")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Items | Reads.Policies;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var without = !input.Registered
            ? []
            : input
                .SetUp.Items.Where(i =>
                    i is { Status: RecordStatus.Active, TaxCategory: null }
                    && i.Nature is ItemNature.Goods or ItemNature.Service
                )
                .Select(CheckInput.Place)
                .ToList();
        if (without.Count > 0)
            yield return Grouped(
                FindingSeverity.Warning,
                "items",
                without,
                $"{CheckInput.Some(without.Count, "item")} {(without.Count == 1 ? "has" : "have")} no tax category.",
                "Their tax is the account's own, whoever buys them, or their documents are refused."
            );
    }
}

/// <summary>Projects of one group that recognise in different ways and share its accounts.</summary>
public sealed class MethodMixed() : Check("method-mixed", "Ways of recognising mixed", "groups")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.All;

    private static readonly Dictionary<Recognise, Purpose[]> Ways = new()
    {
        [Recognise.AsBilled] = [Purposes.ProjectCost, Purposes.ProjectRevenue],
        [Recognise.OnCompletion] =
        [
            Purposes.ProjectWip,
            Purposes.ProjectBillings,
            Purposes.ProjectCost,
            Purposes.ProjectRevenue,
        ],
        [Recognise.ByCostShare] =
        [
            Purposes.ProjectWip,
            Purposes.ProjectBillings,
            Purposes.AccruedRevenue,
            Purposes.ProjectCost,
            Purposes.ProjectRevenue,
        ],
    };

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input)
    {
        var ways = new Dictionary<string, HashSet<Recognise>>(StringComparer.Ordinal);
        var projects = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var project in input.SetUp.Projects.Where(p => p.Status == RecordStatus.Active))
        {
            if (input.Compiled.Project(project.Code) is not { Group: > 0 } known)
                continue;
            var values = default(LegValues);
            (values[Dimension.Project], values[Dimension.ProjectGroup]) = (known.Number, known.Group);
            foreach (
                var group in Ways[known.Recognise]
                    .Select(p => input.Lands(p, values).By?.Value(Dimension.ProjectGroup))
                    .OfType<string>()
                    .Distinct(StringComparer.Ordinal)
            )
            {
                (ways.TryGetValue(group, out var of) ? of : ways[group] = []).Add(known.Recognise);
                projects[group] = projects.GetValueOrDefault(group) + 1;
            }
        }
        return input
            .SetUp.Groups.Where(g =>
                g.Kind == GroupKind.Project && ways.TryGetValue(g.Code, out var of) && of.Count > 1
            )
            .Select(g => new Finding(
                Code,
                FindingSeverity.Warning,
                [CheckInput.Place(g)],
                null,
                null,
                null,
                projects[g.Code],
                0,
                $"Projects of {g.Code} {g.Name} recognise in different ways "
                    + $"({string.Join(", ", ways[g.Code].Order().Select(w => Words.Of(w).Replace('-', ' ')))}) and "
                    + "land on the same accounts.",
                "What is billed and what is earned cannot be told apart on them."
            ));
    }
}

/// <summary>Two events that may be one.</summary>
public sealed class LikelyDoubles() : Check("likely-double", "Likely posted twice", "books")
{
    /// <inheritdoc/>
    public override Reads Reads => Reads.Books;

    /// <inheritdoc/>
    public override IEnumerable<Finding> Of(CheckInput input) =>
        input.Posted.Doubles.Select(d =>
        {
            static FindingPlace Event(string source, string id) =>
                new("events", [new("source", source), new("id", id)]);
            return new Finding(
                Code,
                FindingSeverity.Warning,
                [Event(d.Source, d.Id), Event(d.OtherSource, d.OtherId)],
                null,
                null,
                null,
                1,
                d.Total,
                $"{d.Source} {d.Id}{(d.Party is null ? "" : $", {d.Party},")} says what {d.OtherSource} {d.OtherId} said.",
                "If both are one, cost, revenue and tax are there twice."
            );
        });
}
