using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>What a list of accounts is narrowed to; what is null or empty narrows nothing.</summary>
/// <param name="Text">How its number or short code begins, or somewhere in its name.</param>
/// <param name="Class">A class by its word.</param>
/// <param name="Control">A subledger by its word, posting accounts alone, or <c>any</c>.</param>
/// <param name="Lacking"><c>active</c>, <c>archived</c>, <c>unused</c>, <c>no-tax</c>, <c>no-report</c> or
/// <c>off-band</c>.</param>
public sealed record ChartNarrowing(string? Text, string? Class, string? Control, string? Lacking)
{
    /// <summary>Whether anything narrows the list.</summary>
    public bool Narrows =>
        !string.IsNullOrWhiteSpace(Text)
        || !string.IsNullOrEmpty(Class)
        || !string.IsNullOrEmpty(Control)
        || !string.IsNullOrEmpty(Lacking);

    /// <summary>Which accounts it leaves.</summary>
    /// <param name="setUp">What is looked at.</param>
    /// <param name="live">What the published edition names; null: nothing is published.</param>
    /// <param name="isPosted">Whether an account has a balance or entries.</param>
    public Func<Account, bool> In(SetUp setUp, SetUp? live, Func<string, bool> isPosted)
    {
        var text = Text?.Trim() ?? "";
        bool Fits(Account account) =>
            (string.IsNullOrEmpty(Class) || Words.Of(account.Class) == Class)
            && (
                string.IsNullOrEmpty(Control)
                || (
                    Control == "any"
                        ? account.Control != Chart.Control.None
                        : Words.Of(account.Control) == Control && account.Kind == AccountKind.Posting
                )
            )
            && (
                text.Length == 0
                || account.Number.StartsWith(text, StringComparison.OrdinalIgnoreCase)
                || account.Name.Contains(text, StringComparison.OrdinalIgnoreCase)
                || account.ShortCode?.StartsWith(text, StringComparison.OrdinalIgnoreCase) == true
            );
        Func<Account, bool> lacks;
        switch (Lacking)
        {
            case "active":
                lacks = a => a.Status == RecordStatus.Active;
                break;
            case "archived":
                lacks = a => a.Status == RecordStatus.Archived;
                break;
            case "unused":
                var (named, there) = (
                    ChartReferences.Counts(setUp),
                    live is null ? new Dictionary<string, int>() : ChartReferences.Counts(live)
                );
                lacks = a => !isPosted(a.Number) && !named.ContainsKey(a.Number) && !there.ContainsKey(a.Number);
                break;
            case "no-tax":
                lacks = a => a is { Kind: AccountKind.Posting, TaxCode: null };
                break;
            case "no-report":
                lacks = a => a is { Kind: AccountKind.Posting, ReportCodes: null };
                break;
            case "off-band":
                var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
                lacks = a => numbers.Disagrees(a.Number, a.Class) is not null;
                break;
            default:
                lacks = _ => true;
                break;
        }
        return a => Fits(a) && lacks(a);
    }
}
