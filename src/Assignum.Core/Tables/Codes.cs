namespace Assignum.Core.Tables;

/// <summary>What a code or an account number may be made of: one rule for all of them.</summary>
public static class Codes
{
    /// <summary>The most characters that a code has.</summary>
    public const int Longest = 40;

    // Addresses of pages beside those of accounts.
    private static readonly HashSet<string> OfPages = new(StringComparer.OrdinalIgnoreCase)
    {
        "new",
        "bring",
        "in-place",
    };

    /// <summary>What is wrong with a code, as the end of a sentence; null when nothing is.</summary>
    /// <param name="account">It is an account's number, which is also an address.</param>
    public static string? Wrong(string code, bool account = false)
    {
        if (code.Length == 0)
            return "is empty";
        if (code.Length > Longest)
            return $"has {code.Length} characters; at most {Longest} are taken";
        foreach (var c in code)
            if (!May(c))
                return $"holds {(char.IsControl(c) ? "a control character" : c == ' ' ? "a space" : $"'{c}'")}; "
                    + "letters, digits, '.', '-' and '_' are taken";
        if (!code.Any(char.IsLetterOrDigit))
            return "holds neither a letter nor a digit";
        return account && OfPages.Contains(code) ? "is the address of another page" : null;
    }

    /// <summary>A code like one that is none and that nobody has: what may not stand in it is a hyphen.</summary>
    /// <param name="taken">Whether a code is somebody's already.</param>
    public static string Propose(string code, Func<string, bool> taken, bool account = false)
    {
        var plain = string.Join(
            '-',
            new string([.. code.Select(c => May(c) ? c : ' ')]).Split(' ', StringSplitOptions.RemoveEmptyEntries)
        );
        if (plain.Length > Longest)
            plain = plain[..Longest];
        if (!plain.Any(char.IsLetterOrDigit))
            plain = "1";
        if (Wrong(plain, account) is null && !taken(plain))
            return plain;
        for (var n = 2; ; n++)
        {
            var end = "-" + n.ToString(System.Globalization.CultureInfo.InvariantCulture);
            var numbered = plain[..Math.Min(plain.Length, Longest - end.Length)] + end;
            if (Wrong(numbered, account) is null && !taken(numbered))
                return numbered;
        }
    }

    private static bool May(char c) => char.IsLetter(c) || char.IsDigit(c) || c is '.' or '-' or '_';
}
