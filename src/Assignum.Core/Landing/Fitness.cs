using Assignum.Core.Chart;

namespace Assignum.Core.Landing;

/// <summary>Why an account does not suit a purpose.</summary>
public sealed record Unfit(string Code, Severity Severity, string Message);

/// <summary>
/// Whether an account suits a purpose, by the account alone: what the guards say of every event, and what a picker says
/// before there is one. A purpose of null is a hand entry.
/// </summary>
public static class Fitness
{
    /// <summary>The first reason why an account does not suit, errors before warnings; null when it does.</summary>
    /// <param name="byDefault">It would stand as the purpose's default, where a tripwire may.</param>
    public static Fault? Of(Account account, Purpose? purpose, bool byDefault)
    {
        var first = Usable(account.Number, account) ?? ClassFits(account, purpose, byDefault);
        var control = ControlFits(account, purpose, byDefault);
        if (first is null && control is { Severity: Severity.Error })
            first = control;
        return first ?? Tripwire(account, purpose, byDefault) ?? control;
    }

    /// <summary>It exists, takes amounts and is active.</summary>
    public static Fault? Usable(string number, Account? account) =>
        account switch
        {
            null => Error("account-missing", $"Account {number} does not exist: create it or assign another."),
            { Kind: AccountKind.Heading } => Error(
                "account-heading",
                $"Account {number} is a heading; only posting accounts take amounts."
            ),
            { Status: RecordStatus.Archived } => Error(
                "account-archived",
                $"Account {number} is archived: assign another or make it active."
            ),
            _ => null,
        };

    /// <summary>A tripwire stands as a default only, and even there something is missing.</summary>
    public static Fault? Tripwire(Account account, Purpose? purpose, bool byDefault) =>
        !account.Tripwire ? null
        : byDefault || purpose is null
            ? Warning(
                "tripwire",
                $"Account {account.Number} is a tripwire: an assignment is missing above the default."
            )
        : Error("tripwire-written", $"Account {account.Number} is a tripwire and may not be written on a document.");

    /// <summary>Its class is one the purpose accepts.</summary>
    public static Fault? ClassFits(Account account, Purpose? purpose, bool byDefault) =>
        purpose is not null && !(account.Tripwire && byDefault) && !purpose.Accepts(account.Class)
            ? Error(
                "class",
                $"Account {account.Number} is of class {Words.Of(account.Class)}; {purpose.Name} takes "
                    + $"{string.Join(" or ", purpose.Classes.Select(Words.Of))}."
            )
            : null;

    /// <summary>
    /// It belongs to the purpose's subledger, or to none where the purpose has none; and where it is written on by
    /// hand, it admits that.
    /// </summary>
    /// <remarks>What an account says of hand entries holds for every account; one that says nothing refuses them where
    /// it is a control account.</remarks>
    public static Fault? ControlFits(Account account, Purpose? purpose, bool byDefault)
    {
        if (purpose is null && account.Control == Control.None)
            return Admitted(
                account.HandEntries ?? HandEntries.Accept,
                "hand-entries",
                $"Account {account.Number} should not be written on by hand."
            );
        var needed = purpose?.Control ?? Control.None;
        if (account.Control == needed)
            return null;
        if (account.Control == Control.None)
            return account.Tripwire && byDefault
                ? null
                : Error(
                    "control-needed",
                    $"{purpose!.Name} needs a control account of {Words.Of(needed)}; {account.Number} is none."
                );
        return Admitted(
            account.HandEntries ?? HandEntries.Refuse,
            "control-account",
            $"Account {account.Number} is the control account of {Words.Of(account.Control)}; "
                + $"{purpose?.Name ?? "a hand entry"} should not use it."
        );
    }

    private static Fault? Admitted(HandEntries rule, string code, string message) =>
        rule switch
        {
            HandEntries.Accept => null,
            HandEntries.Warn => Warning(code, message),
            _ => Error(code, message),
        };

    private static Fault Error(string code, string message) => new(code, Severity.Error, message);

    private static Fault Warning(string code, string message) => new(code, Severity.Warning, message);
}
