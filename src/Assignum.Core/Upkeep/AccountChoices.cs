using Assignum.Core.Chart;
using Assignum.Core.SetUps;

namespace Assignum.Core.Upkeep;

/// <summary>What accounts of a chart say already, offered where another one is filled in: most used first.</summary>
public static class AccountChoices
{
    /// <summary>The families, each with how many accounts are of it.</summary>
    public static IReadOnlyList<(string Family, int Accounts)> Families(SetUp setUp) =>
        Counted(setUp.Accounts.Select(a => a.Family).OfType<string>());

    /// <summary>The names of report codes.</summary>
    public static IReadOnlyList<string> ReportNames(SetUp setUp) =>
        [
            .. Counted(setUp.Accounts.SelectMany(a => Account.Pairs(a.ReportCodes)).Select(p => p.Name))
                .Select(c => c.Item1),
        ];

    /// <summary>The codes that accounts have under a name.</summary>
    public static IReadOnlyList<(string Code, int Accounts)> ReportCodes(SetUp setUp, string name) =>
        Counted(
            setUp.Accounts.SelectMany(a => Account.Pairs(a.ReportCodes)).Where(p => p.Name == name).Select(p => p.Value)
        );

    /// <summary>The reporting dimensions that have values or that a rule names.</summary>
    public static IReadOnlyList<string> ReportingDimensions(SetUp setUp) =>
        [
            .. setUp
                .DimensionValues.Select(v => v.Dimension)
                .Concat(setUp.Accounts.SelectMany(a => Account.Pairs(a.DimensionRules)).Select(p => p.Name))
                .Distinct(StringComparer.Ordinal)
                .Order(StringComparer.Ordinal),
        ];

    private static List<(string, int)> Counted(IEnumerable<string> words) =>
        [
            .. words
                .CountBy(w => w, StringComparer.Ordinal)
                .OrderByDescending(c => c.Value)
                .ThenBy(c => c.Key, StringComparer.Ordinal)
                .Select(c => (c.Key, c.Value)),
        ];
}
