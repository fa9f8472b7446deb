using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>Gives groups other codes. A group is the same group: all that names it follows, in every edition.</summary>
public static class GroupRenaming
{
    /// <summary>Whether a change gives a group another code.</summary>
    public static bool Renames(RowChange change) =>
        change.Part == Parts.Groups
        && change is { Before: [{ } kind, { } from, ..], After: [var still, var to, ..] }
        && kind == still
        && from != to
        && Words.TryParse<GroupKind>(kind, out _);

    /// <summary>New codes by kind and old code, of those edits that rename a group.</summary>
    public static IReadOnlyDictionary<(GroupKind Kind, string Code), string> In(IEnumerable<RowChange> edits) =>
        edits
            .Where(Renames)
            .ToDictionary(
                e => (Words.TryParse<GroupKind>(e.Before![0]!, out var kind) ? kind : default, e.Before[1]!),
                e => e.After![1] ?? ""
            );

    /// <summary>A set-up in which groups bear other codes, wherever they are named.</summary>
    public static SetUp Carry(SetUp setUp, IReadOnlyDictionary<(GroupKind Kind, string Code), string> codes)
    {
        if (codes.Count == 0)
            return setUp;
        string? Now(GroupKind kind, string? code) => code is null ? null : codes.GetValueOrDefault((kind, code), code);
        KeyPart Key(KeyPart key) =>
            key.Dimension switch
            {
                Dimension.ItemGroup => key with { Value = Now(GroupKind.Item, key.Value)! },
                Dimension.ProjectGroup => key with { Value = Now(GroupKind.Project, key.Value)! },
                Dimension.PartyGroup => key with
                {
                    Value = codes.GetValueOrDefault((GroupKind.Customer, key.Value))
                        ?? Now(GroupKind.Supplier, key.Value)!,
                },
                _ => key,
            };
        return setUp with
        {
            Groups =
            [
                .. setUp.Groups.Select(g =>
                    Now(g.Kind, g.Code) is var code && (code != g.Code || Now(g.Kind, g.Parent) != g.Parent)
                        ? g with
                        {
                            Code = code!,
                            Parent = Now(g.Kind, g.Parent),
                        }
                        : g
                ),
            ],
            Items =
            [
                .. setUp.Items.Select(i =>
                    Now(GroupKind.Item, i.Group) is var g && g != i.Group ? i with { Group = g } : i
                ),
            ],
            Parties =
            [
                .. setUp.Parties.Select(p =>
                    Now(GroupKind.Customer, p.CustomerGroup) != p.CustomerGroup
                    || Now(GroupKind.Supplier, p.SupplierGroup) != p.SupplierGroup
                        ? p with
                        {
                            CustomerGroup = Now(GroupKind.Customer, p.CustomerGroup),
                            SupplierGroup = Now(GroupKind.Supplier, p.SupplierGroup),
                        }
                        : p
                ),
            ],
            Projects =
            [
                .. setUp.Projects.Select(p =>
                    Now(GroupKind.Project, p.Group) is var g && g != p.Group ? p with { Group = g } : p
                ),
            ],
            Assignments =
            [
                .. setUp.Assignments.Select(a =>
                    a.Key.Any(k => Key(k) != k) ? a with { Key = [.. a.Key.Select(Key)] } : a
                ),
            ],
            Policies =
            [
                .. setUp.Policies.Select(p =>
                    DefaultGroup.KindOf(p.Policy) is { } kind && Now(kind, p.Value) is var g && g != p.Value
                        ? p with
                        {
                            Value = g!,
                        }
                        : p
                ),
            ],
        };
    }

    /// <summary>Why groups cannot bear the codes asked for, by the edit that asks.</summary>
    public static IEnumerable<(int Edit, string Code, string Message)> Faults(
        SetUp setUp,
        IReadOnlyList<RowChange> edits
    )
    {
        var held = setUp.Groups.Select(g => (g.Kind, g.Code)).ToHashSet();
        var (taken, renamed) = (new HashSet<(GroupKind, string)>(), new HashSet<(GroupKind, string)>());
        for (var i = 0; i < edits.Count; i++)
        {
            if (!Renames(edits[i]) || !Words.TryParse<GroupKind>(edits[i].Before![0]!, out var kind))
                continue;
            var (from, to) = (edits[i].Before![1]!, edits[i].After![1]);
            if (!renamed.Add((kind, from)))
                yield return (i, "duplicate-key", $"Group {from} is given two codes: keep one of them.");
            else if (string.IsNullOrEmpty(to))
                yield return (i, "missing-value", $"Group {from} needs a code.");
            else if (held.Contains((kind, to)) || !taken.Add((kind, to)))
                yield return (i, "exists", $"There is another {Words.Of(kind)} group {to}: choose a free code.");
            else if (
                kind is GroupKind.Customer or GroupKind.Supplier
                && held.Contains((kind == GroupKind.Customer ? GroupKind.Supplier : GroupKind.Customer, from))
                && setUp.Assignments.Any(a => a.Value(Dimension.PartyGroup) == from)
            )
                yield return (
                    i,
                    "shared-code",
                    $"Customers and suppliers both have a group {from}, and assignments name the two of them "
                        + "together: give those assignments codes of their own first."
                );
        }
    }
}

/// <summary>The group that a new record gets where none is said: a policy for each kind.</summary>
public static class DefaultGroup
{
    /// <summary>The policies, by kind.</summary>
    public static IReadOnlyList<(GroupKind Kind, string Policy)> Policies { get; } =
    [
        (GroupKind.Item, "group-for-new-items"),
        (GroupKind.Customer, "group-for-new-customers"),
        (GroupKind.Supplier, "group-for-new-suppliers"),
        (GroupKind.Project, "group-for-new-projects"),
    ];

    /// <summary>The kind of group that a policy names one of; null: it is another policy.</summary>
    public static GroupKind? KindOf(string policy) =>
        Policies.Where(p => p.Policy == policy).Select(p => (GroupKind?)p.Kind).FirstOrDefault();

    /// <summary>The code of the default group of a kind, or null.</summary>
    public static string? Of(SetUp setUp, GroupKind kind) =>
        setUp.Policies.FirstOrDefault(p => KindOf(p.Policy) == kind)?.Value;

    /// <summary>
    /// A new record with the default group where its author said none; any other row as it is. A task is left alone: it
    /// has its project's
    /// group. Files come in as they are and are not filled.
    /// </summary>
    public static RowChange Filled(SetUp setUp, RowChange change)
    {
        if (change.Before is not null || change.After is null)
            return change;
        var (part, after) = (change.Part, change.After.ToArray());
        int At(string column) => part.Columns.ToList().FindIndex(c => c.Name == column);
        void Fill(string column, GroupKind kind)
        {
            if (string.IsNullOrEmpty(after[At(column)]))
                after[At(column)] = Of(setUp, kind);
        }
        if (part == Parts.Items)
            Fill("group", GroupKind.Item);
        else if (part == Parts.Projects && string.IsNullOrEmpty(after[At("parent")]))
            Fill("group", GroupKind.Project);
        else if (part == Parts.Parties)
        {
            if (after[At("kind")] is "customer" or "both")
                Fill("customer_group", GroupKind.Customer);
            if (after[At("kind")] is "supplier" or "both")
                Fill("supplier_group", GroupKind.Supplier);
        }
        return change with { After = after };
    }
}
