using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>A row of a set-up that names an account.</summary>
/// <param name="Part">Whose row it is, with its <paramref name="Cells"/> as they are.</param>
/// <param name="Column">The column that names the account.</param>
/// <param name="What">What the row is, in words: a purpose's name, <c>account below it</c>, <c>relieves</c> …</param>
/// <param name="Where">Which one: the keys of an assignment, the other account.</param>
/// <param name="Purpose">The purpose of an assignment, or null.</param>
/// <param name="ByDefault">Whether it is a purpose's default.</param>
public sealed record AccountReference(
    Part Part,
    string?[] Cells,
    string Column,
    string What,
    string Where,
    Purpose? Purpose = null,
    bool ByDefault = false
);

/// <summary>What refers to an account inside a set-up, and how another account takes its place.</summary>
public static class ChartReferences
{
    /// <summary>Every row that names the account, in the order of the parts.</summary>
    public static IReadOnlyList<AccountReference> To(SetUp setUp, string number)
    {
        var found = new List<AccountReference>();
        foreach (var child in setUp.Accounts.Where(a => a.Parent == number))
            found.Add(
                new(
                    Parts.Accounts,
                    Row(Parts.Accounts, setUp with { Accounts = [child] }),
                    "parent",
                    "account below it",
                    $"{child.Number} {child.Name}"
                )
            );
        foreach (var relief in setUp.ReliefAccounts.Where(r => r.Account == number || r.Relief == number))
            found.Add(
                new(
                    Parts.ReliefAccounts,
                    Row(Parts.ReliefAccounts, setUp with { ReliefAccounts = [relief] }),
                    relief.Account == number ? "account" : "relief",
                    relief.Account == number ? "may be relieved by" : "relieves",
                    relief.Account == number ? relief.Relief : relief.Account
                )
            );
        foreach (var assignment in setUp.Assignments.Where(a => a.Account == number))
            found.Add(
                new(
                    Parts.Assignments,
                    Row(Parts.Assignments, setUp with { Assignments = [assignment] }),
                    "account",
                    assignment.Purpose,
                    assignment.Key.Count == 0
                        ? "default"
                        : string.Join(
                            " · ",
                            assignment.Key.Select(k => $"{Words.Of(k.Dimension).Replace('-', ' ')} {k.Value}")
                        ),
                    Purposes.Find(assignment.Purpose),
                    assignment.Key.Count == 0
                )
            );
        foreach (var row in setUp.Crosswalk.Where(r => r.Account == number))
            found.Add(
                new(
                    Parts.Crosswalk,
                    Row(Parts.Crosswalk, setUp with { Crosswalk = [row] }),
                    "account",
                    "group account",
                    $"{row.GroupAccount} ({row.Balance})"
                )
            );
        foreach (var row in setUp.Pairings.Where(r => r.Record == "account" && r.Ours == number))
            found.Add(
                new(
                    Parts.Pairings,
                    Row(Parts.Pairings, setUp with { Pairings = [row] }),
                    "ours",
                    "paired with",
                    $"{row.Theirs} of {row.Connection}"
                )
            );
        return found;
    }

    /// <summary>Every account number that any row names, with how often.</summary>
    public static IReadOnlyDictionary<string, int> Counts(SetUp setUp)
    {
        var counts = new Dictionary<string, int>(StringComparer.Ordinal);
        void Count(string? number)
        {
            if (number is not null)
                counts[number] = counts.GetValueOrDefault(number) + 1;
        }
        foreach (var account in setUp.Accounts)
            Count(account.Parent);
        foreach (var relief in setUp.ReliefAccounts)
        {
            Count(relief.Account);
            Count(relief.Relief);
        }
        foreach (var assignment in setUp.Assignments)
            Count(assignment.Account);
        foreach (var row in setUp.Crosswalk)
            Count(row.Account);
        foreach (var row in setUp.Pairings.Where(r => r.Record == "account"))
            Count(row.Ours);
        return counts;
    }

    /// <summary>What keeps an account from being archived: all that names it but its group account, which goes with it,
    /// and what is archived below it.</summary>
    public static IReadOnlyList<AccountReference> Holding(SetUp setUp, string number)
    {
        var status = Parts.Accounts.Columns.ToList().FindIndex(c => c.Name == "status");
        return
        [
            .. To(setUp, number)
                .Where(r => r.Part != Parts.Crosswalk && !(r.Part == Parts.Accounts && r.Cells[status] == "archived")),
        ];
    }

    /// <summary>
    /// What uses an account in a way that does not suit it, as it is or as it is about to be: for one that becomes a
    /// control account, every assignment of a purpose that is not its subledger's.
    /// </summary>
    public static IReadOnlyList<(AccountReference Reference, Fault Why)> UnfitUses(SetUp setUp, Account account)
    {
        var wrong = new List<(AccountReference, Fault)>();
        foreach (var reference in To(setUp, account.Number))
            if (
                reference.Purpose is { } purpose
                && Fitness.Of(account, purpose, reference.ByDefault) is { } why
                && why.Code != "tripwire"
            )
                wrong.Add((reference, why));
            else if (
                reference.Part == Parts.ReliefAccounts
                && setUp.Accounts.FirstOrDefault(a => a.Number == reference.Where) is { } other
                && other.Control != account.Control
            )
                wrong.Add(
                    (
                        reference,
                        new Fault(
                            "control-needed",
                            Severity.Error,
                            $"{account.Number} and {other.Number} relieve each other only where both are control "
                                + "accounts of one subledger."
                        )
                    )
                );
        return wrong;
    }

    /// <summary>
    /// The edits that put other accounts in an account's place wherever it is named, and archive it. The replacement is
    /// chosen once for all; a purpose may have one of its own.
    /// </summary>
    /// <param name="chosen">The replacement for everything, or null where each purpose has its own.</param>
    /// <param name="byPurpose">Replacements for single purposes, by name.</param>
    /// <param name="faults">What is missing or does not suit; then nothing should be changed.</param>
    public static IReadOnlyList<RowChange> Replace(
        SetUp setUp,
        string number,
        string? chosen,
        IReadOnlyDictionary<string, string> byPurpose,
        List<Fault> faults
    )
    {
        var accounts = setUp.Accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
        if (!accounts.TryGetValue(number, out var account))
        {
            faults.Add(new Fault("account-missing", $"Account {number} does not exist.", "number"));
            return [];
        }
        var edits = new List<RowChange>();
        var said = new HashSet<string>(StringComparer.Ordinal);
        void Say(string code, string message, string path)
        {
            if (said.Add(message))
                faults.Add(new Fault(code, message, path, Account: number));
        }
        foreach (var reference in To(setUp, number))
        {
            var own =
                reference.Purpose is not null
                && byPurpose.TryGetValue(reference.Purpose.Name, out var given)
                && given.Length > 0
                    ? given
                    : null;
            var path = own is null ? "replacement" : "for." + reference.Purpose!.Name;
            var to = own ?? (string.IsNullOrWhiteSpace(chosen) ? null : chosen);
            if (reference.Part == Parts.Crosswalk)
            {
                edits.Add(SetUpEdit.Row(reference.Part, reference.Cells, null));
                continue;
            }
            if (to is null)
            {
                Say(
                    "no-replacement",
                    $"{reference.What} ({reference.Where}) names {number}: choose the account that takes its place.",
                    path
                );
                continue;
            }
            if (to == number)
            {
                Say("same-account", $"{number} cannot take its own place.", path);
                continue;
            }
            if (!accounts.TryGetValue(to, out var replacement))
            {
                Say("account-missing", $"Account {to} does not exist.", path);
                continue;
            }
            if (reference.Part == Parts.Accounts)
            {
                if (replacement.Kind != AccountKind.Heading)
                    Say(
                        "not-a-heading",
                        $"{to} is a posting account: what stands below {number} needs another heading.",
                        path
                    );
                else if (Under(accounts, replacement, number))
                    Say("cycle", $"{to} itself stands below {number}.", path);
            }
            else if (
                Fitness.Of(replacement, reference.Purpose, reference.ByDefault) is { Severity: Severity.Error } why
                && (reference.Purpose is not null || why.Code is not "control-account")
            )
                Say(why.Code, why.Message, path);
            var cells = reference
                .Part.Columns.Select((c, i) => (c.Name, Cell: reference.Cells[i]))
                .ToDictionary(x => x.Name, x => x.Cell);
            cells[reference.Column] = to;
            // A relief account is another account of the same subledger: one that would relieve itself, or does so
            // already, goes.
            var falls =
                reference.Part == Parts.ReliefAccounts
                && (
                    cells["account"] == cells["relief"]
                    || setUp.ReliefAccounts.Any(r => r.Account == cells["account"] && r.Relief == cells["relief"])
                );
            var after = falls ? null : reference.Part.Columns.Select(c => cells[c.Name]).ToArray();
            if (after is not null && reference.Part.KeyOf(after) != reference.Part.KeyOf(reference.Cells))
            {
                edits.Add(SetUpEdit.Row(reference.Part, reference.Cells, null));
                if (
                    !edits.Any(e =>
                        e.Part == reference.Part && e.After is not null && e.Key == reference.Part.KeyOf(after)
                    )
                )
                    edits.Add(SetUpEdit.Row(reference.Part, null, cells));
            }
            else
                edits.Add(SetUpEdit.Row(reference.Part, reference.Cells, after is null ? null : cells));
        }
        var row = Row(Parts.Accounts, setUp with { Accounts = [account] });
        edits.Add(SetUpEdit.Row(Parts.Accounts, row, new Dictionary<string, string?> { ["status"] = "archived" }));
        return faults.Count > 0 ? [] : edits;
    }

    private static bool Under(Dictionary<string, Account> accounts, Account account, string heading)
    {
        var at = account.Number;
        for (
            var steps = 0;
            at is not null && steps <= accounts.Count;
            steps++, at = accounts.GetValueOrDefault(at)?.Parent
        )
            if (at == heading)
                return true;
        return false;
    }

    private static string?[] Row(Part part, SetUp one) => part.Write(one)[0];
}
