namespace Assignum.Core.Chart;

/// <summary>Finds the account that a person means: by its number, its short code, its name, its path from the top of
/// the chart, or a number it bore before.</summary>
/// <remarks>
/// A path names headings by name or number, from the top down, with <c>›</c>, <c>&gt;</c>, <c>/</c> or <c>:</c> between
/// them:
/// <c>Assets › Stock › Instruments</c>. Upper and lower case are alike except in numbers. What fits several accounts is
/// no answer.
/// </remarks>
public sealed class AccountWords
{
    private static readonly char[] Between = ['›', '>', '/', ':'];
    private readonly Dictionary<string, Account> byNumber;
    private readonly IReadOnlyDictionary<string, string> former;
    private readonly ILookup<string, Account> byShortCode;
    private readonly ILookup<string, Account> byName;

    /// <param name="former">Numbers that accounts bore before, with their number today.</param>
    public AccountWords(IReadOnlyList<Account> accounts, IReadOnlyDictionary<string, string>? former = null)
    {
        this.former = former ?? new Dictionary<string, string>();
        byNumber = accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
        byShortCode = accounts
            .Where(a => a.ShortCode is not null)
            .ToLookup(a => a.ShortCode!, StringComparer.OrdinalIgnoreCase);
        byName = accounts.ToLookup(a => Plain(a.Name), StringComparer.OrdinalIgnoreCase);
    }

    /// <summary>The account's number; null, with the reason as a sentence, when none or several are meant.</summary>
    public string? Find(string text, out string why)
    {
        why = "";
        text = text.Trim();
        if (byNumber.ContainsKey(text))
            return text;
        // A number may stand before its name, as lists show it.
        if (
            text.IndexOf(' ', StringComparison.Ordinal) is var space and > 0
            && byNumber.TryGetValue(text[..space], out var led)
            && Same(led.Name, text[(space + 1)..])
        )
            return led.Number;
        foreach (var found in new[] { byShortCode[text], byName[Plain(text)], ByPath(text) })
        {
            var posting = found.Where(a => a.Kind == AccountKind.Posting).ToList();
            var fit = posting.Count > 0 ? posting : [.. found];
            if (fit.Count == 1)
                return fit[0].Number;
            if (fit.Count < 2)
                continue;
            why =
                $"'{Cut(text)}' may be "
                + $"{string.Join(" or ", fit.Take(3).Select(a => $"{a.Number} {a.Name}"))}"
                + $"{(fit.Count > 3 ? $" or {fit.Count - 3} others" : "")}: "
                + "write the number.";
            return null;
        }
        if (former.TryGetValue(text, out var now))
            return now;
        why = $"Account {Cut(text)} does not exist: write a number, a short code, a name or a whole path.";
        return null;
    }

    /// <summary>An account's names from the top of the chart down.</summary>
    public string PathOf(Account account) => string.Join(" › ", Up(account).Reverse().Select(a => a.Name));

    private IEnumerable<Account> ByPath(string text)
    {
        var names = text.Split(Between, StringSplitOptions.TrimEntries | StringSplitOptions.RemoveEmptyEntries);
        if (names.Length < 2)
            return [];
        return Named(names[^1])
            .Where(a =>
            {
                var up = Up(a).Skip(1).ToList();
                // From the bottom up, every name in turn; headings that nobody wrote may stand between.
                var at = 0;
                for (var i = names.Length - 2; i >= 0; i--)
                {
                    while (at < up.Count && !Same(up[at].Name, names[i]) && up[at].Number != names[i])
                        at++;
                    if (at++ >= up.Count)
                        return false;
                }
                return true;
            });
    }

    private IEnumerable<Account> Named(string text) =>
        byNumber.TryGetValue(text, out var account) ? [account] : byName[Plain(text)];

    private IEnumerable<Account> Up(Account account)
    {
        var steps = 0;
        for (
            var at = account;
            at is not null && steps++ < 100;
            at = at.Parent is null ? null : byNumber.GetValueOrDefault(at.Parent)
        )
            yield return at;
    }

    private static bool Same(string a, string b) =>
        string.Equals(Plain(a), Plain(b), StringComparison.OrdinalIgnoreCase);

    private static string Plain(string text) =>
        string.Join(' ', text.Split(' ', StringSplitOptions.RemoveEmptyEntries));

    private static string Cut(string text) => text.Length > 60 ? text[..60] + "…" : text;
}
