using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Checks;

/// <summary>Where a record lands too, for some of what its legs can have.</summary>
/// <param name="Account">Null: nothing decides.</param>
/// <param name="By">The rung that decides, or <c>borrowed from</c> and the purpose.</param>
/// <param name="For">What the deciding key asks for beside the record itself, in codes; empty: nothing.</param>
/// <param name="Share">Of the record's combinations, 0 to 1.</param>
public sealed record AlsoLands(string? Account, string By, string For, double Share, Severity? Severity);

/// <summary>Something that a record needs before documents about it can be posted.</summary>
/// <param name="What">In a word or two: a purpose, the group, the tax code for a standing.</param>
/// <param name="Purpose">Where it is a landing.</param>
/// <param name="Account">Where most of its legs land; null: nowhere.</param>
/// <param name="By">The rung that decides there, or what decided a tax code.</param>
/// <param name="Severity">Null: it is there and suits, wherever the record lands.</param>
/// <param name="Says">What is wrong and what to do; null: nothing.</param>
public sealed record Need(string What, Purpose? Purpose, string? Account, string? By, Severity? Severity, string? Says)
{
    /// <summary>Where other legs of the record land, by rungs that ask for more than the record, the largest share
    /// first.</summary>
    public IReadOnlyList<AlsoLands> Also { get; init; } = [];

    /// <summary>Why it is asked for at all, where that is not plain; null: it is.</summary>
    public string? Only { get; init; }
}

/// <summary>Everything that a record needs, and what of it is missing.</summary>
public sealed record Readiness(string Subject, IReadOnlyList<Need> Needs)
{
    /// <summary>What keeps documents from posting.</summary>
    public int Missing => Needs.Count(n => n.Severity == Core.Severity.Error);

    /// <summary>What somebody should look at: weak, or wrong for some of its legs only.</summary>
    public int Remarks => Needs.Count(n => n.Severity == Core.Severity.Warning);

    /// <summary>What a record needs; null: there is none of that code, or nothing is asked of its kind.</summary>
    public static Readiness? Of(CompiledSetUp setUp, Dimension dimension, string code) =>
        dimension switch
        {
            Dimension.Item => setUp.Item(code) is { } item ? Of(setUp, item.Item) : null,
            Dimension.Party => setUp.Party(code) is { } party ? Of(setUp, party.Party) : null,
            Dimension.Project => setUp.Project(code) is { } project ? Of(setUp, project.Project) : null,
            _ => null,
        };

    /// <summary>What an item needs: a group, tax for whoever buys it, a cost where it has a standard, and an account
    /// for every purpose of its life.</summary>
    public static Readiness Of(CompiledSetUp setUp, Item item)
    {
        var needs = new List<Need>();
        void Add(string what, bool there, Severity severity, string says) =>
            needs.Add(new Need(what, null, null, null, there ? null : severity, there ? null : says));
        Add(
            "group",
            item.Group is not null,
            Core.Severity.Warning,
            "It has no group: it lands by assignments of its own or by defaults."
        );
        if (item.Costing == Costing.Standard)
            Add(
                "standard cost",
                item.StandardCost is not null,
                Core.Severity.Error,
                "It is costed at standard and has no standard cost."
            );
        if (item.Nature != ItemNature.GiftCard && setUp.Entity.TaxRegistered)
        {
            Add(
                "tax category",
                item.TaxCategory is not null,
                Core.Severity.Warning,
                "It has no tax category: only the line, or the default tax code of the account it lands on, decides "
                    + "its tax."
            );
            if (item.TaxCategory is not null && item.Nature is ItemNature.Goods or ItemNature.Service)
                foreach (
                    var standing in setUp
                        .SetUp.Parties.Where(p =>
                            p.Status == RecordStatus.Active && p.Kind is PartyKind.Customer or PartyKind.Both
                        )
                        .Select(p => p.TaxStanding)
                        .OfType<string>()
                        .Distinct()
                        .Order(StringComparer.Ordinal)
                )
                    needs.Add(Tax(setUp, standing, item.TaxCategory, TaxDirection.Output));
        }
        if (setUp.Item(item.Code) is { } known)
        {
            var values = default(LegValues);
            (values[Dimension.Item], values[Dimension.ItemGroup]) = (known.Number, known.Group);
            needs.AddRange(
                LifeBands.Of(item, setUp).Select(p => Landing(setUp, p, RecordShares.Of(setUp, p, known), values))
            );
        }
        return new Readiness($"item {item.Code} {item.Name}", needs);
    }

    /// <summary>What a party needs: a group and tax standing for what it is, and its accounts.</summary>
    public static Readiness Of(CompiledSetUp setUp, Party party)
    {
        var needs = new List<Need>();
        var known = setUp.Party(party.Code);
        foreach (
            var (of, group, number, direction) in new[]
            {
                (LifeOf.Customer, party.CustomerGroup, known?.CustomerGroup ?? 0, TaxDirection.Output),
                (LifeOf.Supplier, party.SupplierGroup, known?.SupplierGroup ?? 0, TaxDirection.Input),
            }
        )
        {
            if (
                party.Kind != PartyKind.Both
                && party.Kind != (of == LifeOf.Customer ? PartyKind.Customer : PartyKind.Supplier)
            )
                continue;
            needs.Add(
                new Need(
                    $"{Words.Of(of)} group",
                    null,
                    null,
                    null,
                    group is null ? Core.Severity.Warning : null,
                    group is null
                        ? $"It has no {Words.Of(of)} group: it lands by assignments of its own or by defaults."
                        : null
                )
            );
            if (setUp.Entity.TaxRegistered && party.TaxStanding is not null)
                foreach (
                    var category in setUp
                        .SetUp.Items.Where(i =>
                            i.Status == RecordStatus.Active
                            && (of == LifeOf.Supplier || i.Nature is ItemNature.Goods or ItemNature.Service)
                        )
                        .Select(i => i.TaxCategory)
                        .OfType<string>()
                        .Distinct()
                        .Order(StringComparer.Ordinal)
                )
                    needs.Add(Tax(setUp, party.TaxStanding, category, direction));
            var values = default(LegValues);
            (values[Dimension.Party], values[Dimension.PartyGroup]) = (known?.Number ?? 0, number);
            values[Dimension.Currency] = setUp.Index.Of(Dimension.Currency, party.Currency ?? setUp.Entity.Currency);
            if (known is not null)
                needs.AddRange(
                    LifeBands
                        .Of(of, setUp)
                        .SelectMany(b => b.Purposes)
                        .Select(p =>
                            Landing(
                                setUp,
                                p,
                                RecordShares.Of(
                                    setUp,
                                    p,
                                    known,
                                    of == LifeOf.Customer ? GroupKind.Customer : GroupKind.Supplier
                                ),
                                values
                            )
                        )
                );
        }
        if (setUp.Entity.TaxRegistered && party.Kind != PartyKind.Other)
            needs.Insert(
                0,
                new Need(
                    "tax standing",
                    null,
                    null,
                    null,
                    party.TaxStanding is null ? Core.Severity.Warning : null,
                    party.TaxStanding is null
                        ? "It has no tax standing: only the line, or the default tax code of an account, decides its "
                            + "tax."
                        : null
                )
            );
        return new Readiness($"party {party.Code} {party.Name}", needs);
    }

    /// <summary>What a project needs: a group (its own or its project's), a customer where it is billed, and its
    /// accounts.</summary>
    public static Readiness Of(CompiledSetUp setUp, Project project)
    {
        var known = setUp.Project(project.Code);
        var values = default(LegValues);
        if (known is not null)
            (values[Dimension.Project], values[Dimension.ProjectGroup]) = (known.Number, known.Group);
        var billed = known?.Recognise == Recognise.AsBilled;
        return new Readiness(
            $"project {project.Code} {project.Name}",
            [
                new Need(
                    "project group",
                    null,
                    null,
                    null,
                    known is { Group: > 0 } ? null : Core.Severity.Warning,
                    known is { Group: > 0 }
                        ? null
                        : "Neither it nor its project has a group: it lands by assignments of its own or by defaults."
                ),
                // As billed: usage is cost and an invoice is revenue at once; nothing waits in between.
                .. LifeBands
                    .Of(LifeOf.Project, setUp)
                    .SelectMany(b => b.Purposes)
                    .Where(p =>
                        !billed
                        || p != Purposes.ProjectWip && p != Purposes.ProjectBillings && p != Purposes.AccruedRevenue
                    )
                    .Select(p => Landing(setUp, p, known is null ? [] : RecordShares.Of(setUp, p, known), values)),
            ]
        );
    }

    // A record that is asked about alone says little of a purpose whose rungs ask for more: what decides most of its
    // legs stands first.
    private static Need Landing(
        CompiledSetUp setUp,
        Purpose purpose,
        IReadOnlyList<DecidedShare> shares,
        in LegValues values
    )
    {
        if (shares.Count == 0)
            shares = Alone(setUp, purpose, values);
        var (own, all) = (values, shares.Aggregate(Int128.Zero, (sum, s) => sum + s.Combinations));
        var lands = shares
            .Select(s =>
                (
                    Wrong: Wrong(setUp, purpose, s),
                    Lands: new AlsoLands(
                        s.By?.Account,
                        Rung(setUp, purpose, s),
                        For(s.By, own, s.Keys),
                        (double)s.Combinations / (double)all,
                        null
                    )
                )
            )
            .ToList();
        var (wrong, main) = lands[0];
        List<AlsoLands> also = [.. lands.Skip(1).Select(l => l.Lands with { Severity = l.Wrong?.Severity })];
        // Where most of its legs land well, what is wrong for the rest is told and does not make it missing.
        var (severity, says) =
            wrong is not null ? (wrong.Severity, wrong.Message)
            : lands.Skip(1).FirstOrDefault(l => l.Wrong is not null) is { Wrong: { } some }
                ? (Core.Severity.Warning, "For some of it: " + some.Message)
            : ((Severity?)null, (string?)null);
        return new Need(purpose.Name, purpose, main.Account, main.Account is null ? null : main.By, severity, says)
        {
            Also = also,
            Only = Reach.ForGiftCardsAlone(purpose, setUp.Policies) ? "for gift cards sold at a discount alone" : null,
        };
    }

    // Nobody is there to make a combination with: the record with nothing else said.
    private static IReadOnlyList<DecidedShare> Alone(CompiledSetUp setUp, Purpose purpose, in LegValues values)
    {
        var landed = setUp.Landings.Resolve(purpose, values);
        return
        [
            new DecidedShare(
                landed.Assignment < 0
                    ? null
                    : setUp.Landings.AssignmentsOf(landed.Borrowed ? setUp.Landings.BorrowOf(purpose)! : purpose)[
                        landed.Assignment
                    ],
                landed.Borrowed,
                1,
                1
            ),
        ];
    }

    private static Fault? Wrong(CompiledSetUp setUp, Purpose purpose, DecidedShare share) =>
        share.By is null
            ? new Fault(
                "unresolved",
                Core.Severity.Error,
                "Nothing decides where it lands: assign an account, or give the purpose a default."
            )
        : setUp.Account(share.By.Account) is { } account ? Fitness.Of(account, purpose, share.By.Key.Count == 0)
        : Fitness.Usable(share.By.Account, null);

    private static string Rung(CompiledSetUp setUp, Purpose purpose, DecidedShare share) =>
        share.By is null ? "nothing"
        : share.Borrowed ? $"borrowed from {setUp.Landings.BorrowOf(purpose)!.Name}"
        : share.By.Key.Count == 0 ? "default"
        : share.By.RungName;

    // What a key asks for that the record does not bring itself.
    private static string For(Assignment? by, LegValues own, int keys)
    {
        var more = by?.Key.Where(k => own[k.Dimension] == 0).Select(k => k.Value).ToList() ?? [];
        return more.Count == 0 ? "" : string.Join(" \u00b7 ", more) + (keys > 1 ? $" and {keys - 1} more" : "");
    }

    private static Need Tax(CompiledSetUp setUp, string standing, string category, TaxDirection direction)
    {
        var what =
            $"{(direction == TaxDirection.Output ? "tax on sales" : "tax on purchases")}: {standing} × {category}";
        return setUp.Taxes.Matrix(standing, category, direction) is { } code
            ? new Need(what, null, code, "matrix", null, null)
            : new Need(
                what,
                null,
                null,
                null,
                Core.Severity.Warning,
                $"The tax matrix has no code for {standing} and {category}: without one on the line or the account "
                    + "it cannot post."
            );
    }
}
