using Assignum.Core.SetUps;

namespace Assignum.Core.Checks;

/// <summary>Every check, and what they find.</summary>
public static class Findings
{
    /// <summary>The checks in the order in which they are told where nothing else says.</summary>
    public static IReadOnlyList<Check> All { get; } =
    [
        new NoDefault(),
        new Unresolved(),
        new TripwireReached(),
        new MatrixGap(),
        new TaxUnplaced(),
        new NoGroupAccount(),
        new NoReportCode(),
        new ClassUnfit(),
        new ControlUnfit(),
        new AccountClosed(),
        new RecordArchived(),
        new TripwireAboveDefault(),
        new ReliefUnfit(),
        new TwoSubledgers(),
        new OutsideBand(),
        new HandEntriesOpen(),
        new HandEntriesMade(),
        new TaxDefaultContradicts(),
        new TaxDirectionUnfit(),
        new MixedFamily(),
        new FamilyStray(),
        new CostingIncomplete(),
        new NeverWins(),
        new ChangesNothing(),
        new Idle(),
        new GroupEmpty(),
        new NoGroup(),
        new AccountIdle(),
        new NoStanding(),
        new NoCategory(),
        new MethodMixed(),
        new WrongSide(),
        new LikelyDoubles(),
        new KeyUnfit(),
        new PartyKindUnfit(),
        new CurrencyUnfit(),
        new TaxUnfit(),
        new RateMissing(),
        new BoxMissing(),
        new HalfOwn(),
        new BetweenSplit(),
        new NameDoubled(),
        new Unpaired(),
        new RateDiffers(),
        new ChangedThere(),
        new ForeignOnControl(),
    ];

    private static readonly Dictionary<string, Check> ByCode = All.ToDictionary(c => c.Code, StringComparer.Ordinal);

    /// <summary>The check of a code, or null.</summary>
    public static Check? Find(string code) => ByCode.GetValueOrDefault(code);

    /// <summary>What is found, the gravest first, then by what passed there, then by code and place.</summary>
    /// <param name="today">The entity's day.</param>
    public static IReadOnlyList<Finding> Of(CompiledSetUp setUp, DateOnly today, PostedFacts? posted = null) =>
        CheckMemory.Of(setUp).All(today, posted ?? PostedFacts.None);

    /// <summary>The order in which findings are told.</summary>
    public static Comparer<Finding> Order { get; } =
        Comparer<Finding>.Create(
            (a, b) =>
                a.Severity != b.Severity ? a.Severity.CompareTo(b.Severity)
                : a.Amount != b.Amount ? b.Amount.CompareTo(a.Amount)
                : string.CompareOrdinal(a.Code, b.Code) is var code and not 0 ? code
                : string.CompareOrdinal(a.Identity, b.Identity)
        );

    /// <summary>Which of some findings are new, beside others, and which are gone.</summary>
    public static (IReadOnlyList<Finding> New, IReadOnlyList<Finding> Gone) Between(
        IReadOnlyList<Finding> before,
        IReadOnlyList<Finding> after
    )
    {
        var (was, now) = (
            before.Select(f => f.Identity).ToHashSet(StringComparer.Ordinal),
            after.Select(f => f.Identity).ToHashSet(StringComparer.Ordinal)
        );
        return ([.. after.Where(f => !was.Contains(f.Identity))], [.. before.Where(f => !now.Contains(f.Identity))]);
    }
}
