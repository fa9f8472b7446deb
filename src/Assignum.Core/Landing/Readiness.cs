using Assignum.Core.Chart;
using Assignum.Core.Groups;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Landing;

/// <summary>Something that a record needs before documents about it can be posted.</summary>
/// <param name="What">In a word or two: a purpose, the group, the tax code for a standing.</param>
/// <param name="Purpose">Where it is a landing.</param>
/// <param name="Account">Where that lands with nothing else said; null: nowhere.</param>
/// <param name="By">The rung that decides, or what decided a tax code.</param>
/// <param name="Severity">Null: it is there and suits.</param>
/// <param name="Says">What is wrong and what to do; null: nothing.</param>
public sealed record Need(string What, Purpose? Purpose, string? Account, string? By, Severity? Severity, string? Says);

/// <summary>Everything that a record needs, and what of it is missing.</summary>
public sealed record Readiness(string Subject, IReadOnlyList<Need> Needs)
{
    /// <summary>What keeps documents from posting.</summary>
    public int Missing => Needs.Count(n => n.Severity == Core.Severity.Error);

    /// <summary>What an item needs: a group, tax for whoever buys it, a cost where it has a standard, and an account for every purpose of its life.</summary>
    public static Readiness Of(CompiledSetUp setUp, Item item)
    {
        var needs = new List<Need>();
        void Add(string what, bool there, Severity severity, string says) => needs.Add(new Need(what, null, null, null, there ? null : severity, there ? null : says));
        Add("group", item.Group is not null, Core.Severity.Warning, "It has no group: it lands by assignments of its own or by defaults.");
        if (item.Costing == Costing.Standard) Add("standard cost", item.StandardCost is not null, Core.Severity.Error, "It is costed at standard and has no standard cost.");
        if (item.Nature != ItemNature.GiftCard && setUp.Entity.TaxRegistered)
        {
            Add("tax category", item.TaxCategory is not null, Core.Severity.Warning, "It has no tax category: only the line, or the default tax code of the account it lands on, decides its tax.");
            if (item.TaxCategory is not null && item.Nature is ItemNature.Goods or ItemNature.Service)
                foreach (var standing in setUp.SetUp.Parties.Where(p => p.Status == RecordStatus.Active && p.Kind is PartyKind.Customer or PartyKind.Both).Select(p => p.TaxStanding).OfType<string>().Distinct().Order(StringComparer.Ordinal))
                    needs.Add(Tax(setUp, standing, item.TaxCategory, TaxDirection.Output));
        }
        var values = default(LegValues);
        if (setUp.Item(item.Code) is { } known) (values[Dimension.Item], values[Dimension.ItemGroup]) = (known.Number, known.Group);
        needs.AddRange(LifeBands.Of(item, setUp).Select(p => Landing(setUp, p, values)));
        return new Readiness($"item {item.Code} {item.Name}", needs);
    }

    /// <summary>What a party needs: a group and tax standing for what it is, and its accounts.</summary>
    public static Readiness Of(CompiledSetUp setUp, Party party)
    {
        var needs = new List<Need>();
        var known = setUp.Party(party.Code);
        foreach (var (of, group, number, direction) in new[] { (LifeOf.Customer, party.CustomerGroup, known?.CustomerGroup ?? 0, TaxDirection.Output), (LifeOf.Supplier, party.SupplierGroup, known?.SupplierGroup ?? 0, TaxDirection.Input) })
        {
            if (party.Kind != PartyKind.Both && party.Kind != (of == LifeOf.Customer ? PartyKind.Customer : PartyKind.Supplier)) continue;
            needs.Add(new Need($"{Words.Of(of)} group", null, null, null, group is null ? Core.Severity.Warning : null, group is null ? $"It has no {Words.Of(of)} group: it lands by assignments of its own or by defaults." : null));
            if (setUp.Entity.TaxRegistered && party.TaxStanding is not null)
                foreach (var category in setUp.SetUp.Items.Where(i => i.Status == RecordStatus.Active && (of == LifeOf.Supplier || i.Nature is ItemNature.Goods or ItemNature.Service)).Select(i => i.TaxCategory).OfType<string>().Distinct().Order(StringComparer.Ordinal))
                    needs.Add(Tax(setUp, party.TaxStanding, category, direction));
            var values = default(LegValues);
            (values[Dimension.Party], values[Dimension.PartyGroup]) = (known?.Number ?? 0, number);
            values[Dimension.Currency] = setUp.Index.Of(Dimension.Currency, party.Currency ?? setUp.Entity.Currency);
            needs.AddRange(LifeBands.Of(of, setUp).SelectMany(b => b.Purposes).Select(p => Landing(setUp, p, values)));
        }
        if (setUp.Entity.TaxRegistered && party.Kind != PartyKind.Other)
            needs.Insert(0, new Need("tax standing", null, null, null, party.TaxStanding is null ? Core.Severity.Warning : null, party.TaxStanding is null ? "It has no tax standing: only the line, or the default tax code of an account, decides its tax." : null));
        return new Readiness($"party {party.Code} {party.Name}", needs);
    }

    /// <summary>What a project needs: a group (its own or its project's), a customer where it is billed, and its accounts.</summary>
    public static Readiness Of(CompiledSetUp setUp, Project project)
    {
        var known = setUp.Project(project.Code);
        var values = default(LegValues);
        if (known is not null) (values[Dimension.Project], values[Dimension.ProjectGroup]) = (known.Number, known.Group);
        var billed = known?.Recognise == Recognise.AsBilled;
        return new Readiness($"project {project.Code} {project.Name}",
        [
            new Need("project group", null, null, null, known is { Group: > 0 } ? null : Core.Severity.Warning, known is { Group: > 0 } ? null : "Neither it nor its project has a group: it lands by assignments of its own or by defaults."),
            // As billed: usage is cost and an invoice is revenue at once; nothing waits in between.
            .. LifeBands.Of(LifeOf.Project, setUp).SelectMany(b => b.Purposes).Where(p => !billed || p != Purposes.ProjectWip && p != Purposes.ProjectBillings && p != Purposes.AccruedRevenue).Select(p => Landing(setUp, p, values)),
        ]);
    }

    private static Need Landing(CompiledSetUp setUp, Purpose purpose, in LegValues values)
    {
        var trace = setUp.Landings.TraceOf(purpose, values);
        if (trace.Account is null) return new Need(purpose.Name, purpose, null, null, Core.Severity.Error, "Nothing decides where it lands: assign an account, or give the purpose a default.");
        var account = setUp.Account(trace.Account);
        var wrong = account is null ? Fitness.Usable(trace.Account, null) : Fitness.Of(account, purpose, trace.Rung == "default");
        return new Need(purpose.Name, purpose, trace.Account, trace.BorrowedFrom is null ? trace.Rung : $"borrowed from {trace.BorrowedFrom}", wrong?.Severity, wrong?.Message);
    }

    private static Need Tax(CompiledSetUp setUp, string standing, string category, TaxDirection direction)
    {
        var what = $"{(direction == TaxDirection.Output ? "tax on sales" : "tax on purchases")}: {standing} × {category}";
        return setUp.Taxes.Matrix(standing, category, direction) is { } code ? new Need(what, null, code, "matrix", null, null)
            : new Need(what, null, null, null, Core.Severity.Warning, $"The tax matrix has no code for {standing} and {category}: without one on the line or the account it cannot post.");
    }
}
