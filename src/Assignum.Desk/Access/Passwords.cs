using Assignum.Core;

namespace Assignum.Desk.Access;

/// <summary>What passwords are taken: long ones that nobody tries first.</summary>
public static class Passwords
{
    private const int Longest = 1000;

    // What lists of passwords that were found out are made of, once digits and signs at their ends are left out.
    private static readonly HashSet<string> Common = new(
        (
            "password passwort passw0rd p@ssword p@ssw0rd motdepasse contrasena qwerty qwertz azerty qwertyuiop "
            + "qwertzuiop asdfghjkl zxcvbnm letmein welcome willkommen bienvenue admin administrator root guest login "
            + "master secret changeme default trustno iloveyou ichliebedich monkey dragon sunshine princess football "
            + "baseball superman batman starwars pokemon michael jennifer jordan hunter shadow summer winter "
            + "spring autumn january march october november december monday friday company business "
            + "finance accounting ledger invoice payment assignum computer internet server database test "
            + "testing demo sample example temporary mypassword thepassword newpassword password1 "
            + "letmeinplease openthedoor correcthorsebatterystaple whatever passwordpassword adminadmin "
            + "welcomewelcome qwertyqwerty abcdefghijklm abcdefghijklmnop"
        ).Split(' '),
        StringComparer.Ordinal
    );

    /// <summary>What is wrong with a password for somebody; null: it is taken.</summary>
    public static Fault? Wrong(string password, string signIn, string name)
    {
        if (password.Length < SignIn.ShortestPassword || password.Length > Longest)
            return new Fault(
                "password-length",
                $"A password has at least {SignIn.ShortestPassword} characters: a few words that only you put together.",
                "password"
            );
        var plain = password.ToLowerInvariant();
        var word = plain.Trim([.. plain.Where(c => !char.IsLetter(c))]);
        var own = new[] { signIn }
            .Concat(name.Split(' '))
            .Select(w => w.ToLowerInvariant())
            .Where(w => w.Length > 2)
            .ToList();
        if (
            plain.Distinct().Count() < 5
            || Common.Contains(word)
            || Common.Contains(plain)
            || IsSequence(plain)
            || own.Aggregate(plain, (rest, w) => rest.Replace(w, "", StringComparison.Ordinal))
                .Count(char.IsLetterOrDigit) < 5
        )
            return new Fault(
                "password-common",
                "This is among the passwords that are tried first, or made of your own name. Take a few words that only "
                    + "you put together.",
                "password"
            );
        return null;
    }

    // Mostly one step after the other: 123456789012, abcdefghijkl.
    private static bool IsSequence(string text)
    {
        var steps = text.Zip(text.Skip(1), (a, b) => b - a).ToList();
        return steps.CountBy(s => s).Where(s => Math.Abs(s.Key) <= 1).Sum(s => s.Value) >= text.Length * 3 / 4;
    }
}
