namespace Assignum.Core.Landing;

/// <summary>What came of asking a rung.</summary>
public enum TryOutcome
{
    /// <summary>The leg has no value for one of the rung's dimensions.</summary>
    Absent,

    /// <summary>The key was looked for and no assignment has it.</summary>
    Miss,

    /// <summary>An assignment has the key; it decided.</summary>
    Hit,

    /// <summary>An assignment has the key but names a tripwire, which only a default may.</summary>
    Tripwire,

    /// <summary>The account written on the document may not be written here.</summary>
    Refused,
}

/// <summary>One rung tried with one key. A nested rung gives one row for each key looked for.</summary>
/// <param name="Purpose">Named where the ladder is that of the purpose borrowed from.</param>
public sealed record TriedRung(string Rung, IReadOnlyList<KeyPart> Key, TryOutcome Outcome, string? Purpose = null);

/// <summary>What a rung below the one that decided would give, were it asked.</summary>
/// <param name="Key">The key it would be found by; empty where the leg has no value or nothing fits.</param>
/// <param name="Account">Null: it would give nothing.</param>
public sealed record RungGives(string Rung, IReadOnlyList<KeyPart> Key, string? Account, TryOutcome Outcome);

/// <summary>The whole reasoning of a landing.</summary>
/// <param name="Account">Null when nothing fits: the leg is unresolved.</param>
/// <param name="Rung">The rung that decided, null when nothing fits.</param>
/// <param name="Key">The key that decided, as the assignment names it.</param>
/// <param name="Unneeded">The rungs below the one that decided, in ladder order.</param>
/// <param name="BorrowedFrom">The purpose whose ladder decided in place of its own.</param>
public sealed record Trace(
    string Purpose,
    string? Account,
    string? Rung,
    IReadOnlyList<KeyPart> Key,
    IReadOnlyList<TriedRung> Tried,
    IReadOnlyList<string> Unneeded,
    string? BorrowedFrom,
    string? Note
)
{
    /// <summary>Whether the account came from the line rung of a control purpose and is not allowed there.</summary>
    public bool LineRefused => Tried.Any(t => t.Outcome == TryOutcome.Refused);
}
