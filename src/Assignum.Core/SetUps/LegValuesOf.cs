using Assignum.Core.Landing;
using Assignum.Core.Records;

namespace Assignum.Core.SetUps;

/// <summary>Values of legs made of codes.</summary>
public static class LegValuesOf
{
    /// <summary>
    /// The values of an assignment's own key, with the groups of the records it names. A code that customers and
    /// suppliers both have a
    /// group of means the group of the side that its purpose has; of either side, the customers'.
    /// </summary>
    public static LegValues Key(CompiledSetUp setUp, Assignment assignment)
    {
        var side = PartySides.Of(Purposes.Find(assignment.Purpose)!);
        int PartyGroup(string code)
        {
            var customers = side == PartySide.Suppliers ? 0 : setUp.Index.OfGroup(GroupKind.Customer, code);
            return customers > 0 || side == PartySide.Customers
                ? customers
                : setUp.Index.OfGroup(GroupKind.Supplier, code);
        }
        var values = default(LegValues);
        foreach (var (dimension, code) in assignment.Key)
            values[dimension] = dimension switch
            {
                Dimension.ItemGroup => setUp.Index.OfGroup(GroupKind.Item, code),
                Dimension.ProjectGroup => setUp.Index.OfGroup(GroupKind.Project, code),
                Dimension.PartyGroup => PartyGroup(code),
                _ => setUp.Index.Of(dimension, code),
            };
        if (values[Dimension.ItemGroup] == 0 && assignment.Value(Dimension.Item) is { } item)
            values[Dimension.ItemGroup] = setUp.Item(item)?.Group ?? 0;
        if (values[Dimension.ProjectGroup] == 0 && assignment.Value(Dimension.Project) is { } project)
            values[Dimension.ProjectGroup] = setUp.Project(project)?.Group ?? 0;
        if (
            values[Dimension.PartyGroup] == 0
            && assignment.Value(Dimension.Party) is { } party
            && setUp.Party(party) is { } known
        )
            values[Dimension.PartyGroup] =
                side == PartySide.Suppliers || side == PartySide.Any && known.CustomerGroup == 0
                    ? known.SupplierGroup
                    : known.CustomerGroup;
        return values;
    }
}
