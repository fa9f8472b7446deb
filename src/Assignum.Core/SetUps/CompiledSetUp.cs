using System.Collections.Frozen;
using Assignum.Core.Chart;
using Assignum.Core.Coverage;
using Assignum.Core.Groups;
using Assignum.Core.Landing;
using Assignum.Core.Money;
using Assignum.Core.Tax;

namespace Assignum.Core.SetUps;

/// <summary>An item with its numbers in the landing index.</summary>
public sealed record KnownItem(Item Item, int Number, int Group);

/// <summary>A party with its numbers in the landing index.</summary>
public sealed record KnownParty(Party Party, int Number, int CustomerGroup, int SupplierGroup);

/// <summary>A project or task with what it inherits from its project.</summary>
/// <param name="Group">Number of the nearest group: its own, else its project's.</param>
public sealed record KnownProject(Project Project, int Number, int Group, Recognise Recognise);

/// <summary>A set-up made ready for landing events: records by code, ladders compiled, taxes by date.
/// Immutable.</summary>
public sealed class CompiledSetUp
{
    private readonly FrozenDictionary<string, Account> accounts;
    private readonly FrozenDictionary<string, KnownItem> items;
    private readonly FrozenDictionary<string, KnownParty> parties;
    private readonly FrozenDictionary<string, KnownProject> projects;
    private readonly FrozenSet<(string, string)> dimensionValues;

    /// <summary>Compiles a set-up without faults of form (see <see cref="SetUpRules"/>).</summary>
    /// <param name="previous">What this set-up was changed from: lists that are the same are not compiled anew.</param>
    public CompiledSetUp(SetUp setUp, CompiledSetUp? previous = null)
    {
        var was = previous?.SetUp;
        SetUp = setUp;
        Policies = Policies.From(setUp.Policies);
        Rounding = new Rounding(Policies.RoundingMode);
        BaseDecimals = Currencies.Decimals(setUp.Entity.Currency) ?? 2;
        Index = previous is not null && previous.Index.Serves(was!, setUp) ? previous.Index : new LandingIndex(setUp);
        var sameIndex = ReferenceEquals(Index, previous?.Index);
        accounts = ReferenceEquals(was?.Accounts, setUp.Accounts)
            ? previous!.accounts
            : setUp.Accounts.ToFrozenDictionary(a => a.Number, StringComparer.Ordinal);
        items =
            sameIndex && ReferenceEquals(was!.Items, setUp.Items)
                ? previous!.items
                : setUp.Items.ToFrozenDictionary(
                    i => i.Code,
                    i => new KnownItem(i, Index.Of(Dimension.Item, i.Code), Index.OfGroup(GroupKind.Item, i.Group)),
                    StringComparer.Ordinal
                );
        parties =
            sameIndex && ReferenceEquals(was!.Parties, setUp.Parties)
                ? previous!.parties
                : setUp.Parties.ToFrozenDictionary(
                    p => p.Code,
                    p => new KnownParty(
                        p,
                        Index.Of(Dimension.Party, p.Code),
                        Index.OfGroup(GroupKind.Customer, p.CustomerGroup),
                        Index.OfGroup(GroupKind.Supplier, p.SupplierGroup)
                    ),
                    StringComparer.Ordinal
                );
        var byCode = setUp.Projects.ToDictionary(p => p.Code, StringComparer.Ordinal);
        projects = setUp.Projects.ToFrozenDictionary(p => p.Code, p => Known(p, byCode), StringComparer.Ordinal);
        dimensionValues = setUp.DimensionValues.Select(v => (v.Dimension, v.Code)).ToFrozenSet();
        Taxes = new TaxTable(setUp.TaxCodes, setUp.TaxRates, setUp.TaxMatrix);
        Landings = new LandingResolver(setUp, Index, accounts, previous?.Landings);
        ClosedPeriods = [.. setUp.Periods.Where(p => p.Closed)];
        Memory = new CoverageMemory(this, previous?.Memory);
    }

    // The same records and landings under other policies, which decide neither.
    private CompiledSetUp(CompiledSetUp other, IReadOnlyList<PolicyRow> policies)
    {
        (accounts, items, parties, projects, dimensionValues) = (
            other.accounts,
            other.items,
            other.parties,
            other.projects,
            other.dimensionValues
        );
        (Index, Taxes, Landings, ClosedPeriods, BaseDecimals) = (
            other.Index,
            other.Taxes,
            other.Landings,
            other.ClosedPeriods,
            other.BaseDecimals
        );
        SetUp = other.SetUp with { Policies = policies };
        Policies = Policies.From(policies);
        Rounding = new Rounding(Policies.RoundingMode);
        // The stock method says which items reach a purpose.
        Memory = Policies.Perpetual == other.Policies.Perpetual ? other.Memory : new CoverageMemory(this, other.Memory);
    }

    /// <summary>The same set-up under other policies; nothing is compiled anew.</summary>
    public CompiledSetUp Under(IReadOnlyList<PolicyRow> policies) => new(this, policies);

    /// <summary>Coverage and dead weight, as far as they were asked for.</summary>
    internal CoverageMemory Memory { get; }

    public SetUp SetUp { get; }
    public Entity Entity => SetUp.Entity;
    public Policies Policies { get; }
    public Rounding Rounding { get; }

    /// <summary>Decimals of the base currency.</summary>
    public int BaseDecimals { get; }
    public LandingIndex Index { get; }
    public LandingResolver Landings { get; }
    public TaxTable Taxes { get; }

    /// <summary>The periods in which nothing posts.</summary>
    public IReadOnlyList<Period> ClosedPeriods { get; }

    /// <summary>The number that an account has today, of one that is written by a number it bore before; else what is
    /// written.</summary>
    public string NumberOf(string written) =>
        accounts.ContainsKey(written) ? written : SetUp.FormerNumbers.GetValueOrDefault(written, written);

    public Account? Account(string number) => accounts.GetValueOrDefault(number);

    public KnownItem? Item(string code) => items.GetValueOrDefault(code);

    public KnownParty? Party(string code) => parties.GetValueOrDefault(code);

    public KnownProject? Project(string code) => projects.GetValueOrDefault(code);

    /// <summary>Whether a reporting dimension has this value; a dimension without any listed value takes all.</summary>
    public bool AdmitsDimensionValue(string dimension, string code) =>
        dimensionValues.Contains((dimension, code)) || !dimensionValues.Any(v => v.Item1 == dimension);

    private KnownProject Known(Project project, Dictionary<string, Project> byCode)
    {
        string? group = null;
        Recognise? recognise = null;
        for (var at = project; at is not null; at = at.Parent is null ? null : byCode.GetValueOrDefault(at.Parent))
        {
            group ??= at.Group;
            recognise ??= at.Recognise;
        }
        return new KnownProject(
            project,
            Index.Of(Dimension.Project, project.Code),
            Index.OfGroup(GroupKind.Project, group),
            recognise ?? Recognise.AsBilled
        );
    }
}
