using System.Collections.Frozen;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Money;
using Assignum.Core.Records;
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
        Index = Number(setUp, previous?.Index);
        accounts = ReferenceEquals(was?.Accounts, setUp.Accounts)
            ? previous!.accounts
            : setUp.Accounts.ToFrozenDictionary(a => a.Number, StringComparer.Ordinal);
        var byCode = setUp.Projects.ToDictionary(p => p.Code, StringComparer.Ordinal);
        projects = setUp.Projects.ToFrozenDictionary(p => p.Code, p => Known(p, byCode), StringComparer.Ordinal);
        dimensionValues = setUp.DimensionValues.Select(v => (v.Dimension, v.Code)).ToFrozenSet();
        Taxes = new TaxTable(setUp.TaxCodes, setUp.TaxRates, setUp.TaxMatrix);
        Landings = new LandingResolver(
            new LandingTerms(setUp.Accounts, setUp.ReliefAccounts, setUp.Ladders, setUp.Borrows, setUp.Assignments),
            Index,
            accounts,
            previous?.Landings
        );
        ClosedPeriods = [.. setUp.Periods.Where(p => p.Closed)];
        Workings = new Workings(this, previous?.Workings);
    }

    // The same records and landings under other policies, which decide neither.
    private CompiledSetUp(CompiledSetUp other, IReadOnlyList<PolicyRow> policies)
    {
        (accounts, projects, dimensionValues) = (other.accounts, other.projects, other.dimensionValues);
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
        Workings = Policies.Perpetual == other.Policies.Perpetual ? other.Workings : new Workings(this, other.Workings);
    }

    /// <summary>The same set-up under other policies; nothing is compiled anew.</summary>
    public CompiledSetUp Under(IReadOnlyList<PolicyRow> policies) => new(this, policies);

    /// <summary>What others worked out of this set-up, as far as they were asked for.</summary>
    public Workings Workings { get; }

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

    public KnownItem? Item(string code) =>
        Index.Items.Entry(code) is (var number, { } item)
            ? new KnownItem(item, number, Index.OfGroup(GroupKind.Item, item.Group))
            : null;

    public KnownParty? Party(string code) =>
        Index.Parties.Entry(code) is (var number, { } party)
            ? new KnownParty(
                party,
                number,
                Index.OfGroup(GroupKind.Customer, party.CustomerGroup),
                Index.OfGroup(GroupKind.Supplier, party.SupplierGroup)
            )
            : null;

    public KnownProject? Project(string code) => projects.GetValueOrDefault(code);

    /// <summary>Whether a reporting dimension has this value; a dimension without any listed value takes all.</summary>
    public bool AdmitsDimensionValue(string dimension, string code) =>
        dimensionValues.Contains((dimension, code)) || !dimensionValues.Any(v => v.Item1 == dimension);

    private static LandingIndex Number(SetUp setUp, LandingIndex? before) =>
        new(
            new LandingValues(
                setUp.Groups,
                setUp.Items,
                setUp.Parties,
                setUp.Projects,
                setUp.Locations,
                setUp.Channels,
                setUp.Methods,
                setUp.Reasons,
                setUp.TaxCodes,
                setUp.OtherEntities,
                setUp.Assignments
            ),
            before
        );

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
