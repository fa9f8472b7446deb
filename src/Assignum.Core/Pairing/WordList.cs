using Assignum.Core.Chart;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Pairing;

/// <summary>A word of theirs and what it is here.</summary>
/// <param name="Field">Which field it stands in: <c>type</c> of accounts, <c>kind</c> of parties, <c>nature</c> of
/// items, <c>direction</c> of tax codes, <c>standing</c>, <c>taxCategory</c>.</param>
/// <param name="Ours">Null: nothing is said or proposed.</param>
/// <param name="Sure">Whether a person said it, or it can be nothing else.</param>
public sealed record LinkWord(string Field, string Theirs, string? Ours, bool Sure);

/// <summary>What the words of other systems usually mean.</summary>
public static class WordList
{
    private static readonly (string Field, string Ours, string Theirs)[] Usual =
    [
        ("type", "asset", "asset assets possession property"),
        ("type", "liability", "liability liabilities debt owed"),
        ("type", "equity", "equity capital owners"),
        ("type", "revenue", "revenue revenues income sales turnover"),
        ("type", "cost-of-sales", "cost-of-sales cogs costofsales directcost directexpenditure costofgoodssold"),
        ("type", "operating-cost", "operating-cost operatingcost expense expenses expenditure overhead cost"),
        ("type", "other-income", "other-income otherincome otherrevenue"),
        ("type", "other-cost", "other-cost othercost otherexpense otherexpenditure"),
        ("kind", "customer", "customer client buyer debtor"),
        ("kind", "supplier", "supplier vendor seller creditor"),
        ("kind", "both", "both customerandsupplier"),
        ("kind", "other", "other contact"),
        ("nature", "goods", "goods physical product purchased assembled stock material part made bought manufactured"),
        ("nature", "service", "service services digital intangible"),
        ("nature", "labour", "labour labor hours work"),
        ("nature", "overhead", "overhead surcharge"),
        ("nature", "gift-card", "gift-card giftcard voucher"),
        ("direction", "output", "output sales out sale"),
        ("direction", "input", "input purchases in purchase"),
    ];

    /// <summary>The words that a field takes here.</summary>
    public static IReadOnlyList<string> Ours(string field, SetUp setUp) =>
        field switch
        {
            "type" => Words.All<AccountClass>(),
            "kind" => Words.All<PartyKind>(),
            "nature" => Words.All<ItemNature>(),
            "direction" => Words.All<TaxDirection>(),
            "standing" => [.. setUp.TaxMatrix.Select(c => c.Standing).Distinct().Order(StringComparer.Ordinal)],
            "taxCategory" => [.. setUp.TaxMatrix.Select(c => c.Category).Distinct().Order(StringComparer.Ordinal)],
            _ => [],
        };

    /// <summary>What a word of theirs is likely to mean: the same word, or one that is used for it.</summary>
    public static LinkWord Propose(string field, string theirs, SetUp setUp)
    {
        var ours = Ours(field, setUp);
        // Where we have no words of that sort, theirs does.
        if (ours.Count == 0)
            return new LinkWord(field, theirs, theirs, true);
        var plain = Plain(theirs);
        if (ours.FirstOrDefault(o => Plain(o) == plain) is { } same)
            return new LinkWord(field, theirs, same, true);
        var usual = Usual
            .Where(u => u.Field == field && ours.Contains(u.Ours) && u.Theirs.Split(' ').Any(t => Plain(t) == plain))
            .Select(u => u.Ours)
            .FirstOrDefault();
        return new LinkWord(field, theirs, usual, usual is not null);
    }

    private static string Plain(string text) =>
        string.Concat(text.Where(char.IsLetterOrDigit).Select(char.ToLowerInvariant));
}
