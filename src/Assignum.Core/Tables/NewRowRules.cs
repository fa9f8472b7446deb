using Assignum.Core.SetUps;

namespace Assignum.Core.Tables;

/// <summary>
/// Rules that rows must keep from now on. Only what a change brings is held to them: what stands already, from before a
/// rule was made, can
/// be read, exported and changed in other cells, so that a stricter rule never locks an entity out.
/// </summary>
public static class NewRowRules
{
    /// <summary>Every fault of the rows that changes bring into a set-up without faults of form.</summary>
    /// <param name="next">The set-up with the changes.</param>
    public static IReadOnlyList<Fault> Check(SetUp next, IReadOnlyList<RowChange> changes)
    {
        var faults = new List<Fault>();
        foreach (var change in changes)
            if (change.After is { } after)
                CheckCodes(next, change, after, faults);
        var accounts = changes.Where(c => c.Part == Parts.Accounts && c.After is not null).ToList();
        if (accounts.Count > 0)
            CheckAccounts(next, accounts, faults);
        return faults;
    }

    // The columns that hold a row's own code, not one it refers to.
    private static bool IsCode(Part part, string column) =>
        (part.Name, column) switch
        {
            ("accounts", "number" or "short_code") or ("dimension-values", "dimension" or "code") => true,
            (
                "entity"
                    or "groups"
                    or "items"
                    or "parties"
                    or "locations"
                    or "channels"
                    or "methods"
                    or "reasons"
                    or "projects"
                    or "tax-codes",
                "code"
            ) => true,
            _ => false,
        };

    private static void CheckCodes(SetUp next, RowChange change, string?[] after, List<Fault> faults)
    {
        var part = change.Part;
        for (var i = 0; i < after.Length; i++)
        {
            var column = part.Columns[i];
            if (after[i] is not { } code || !IsCode(part, column.Name) || change.Before?[i] == code)
                continue;
            var number = part == Parts.Accounts && column.Name == "number";
            if (Codes.Wrong(code, number) is not { } why)
                continue;
            var proposal = Codes.Propose(
                code,
                c => !column.Key || part.Keys.Count > 1 ? false : part.Row(next, c) is not null,
                number
            );
            faults.Add(
                part.Fault(
                    part.KeyOf(after),
                    column.Name,
                    "bad-code",
                    $"{(code.Length > 60 ? code[..60] + "…" : code)} {why}: use {proposal}."
                )
            );
        }
    }

    private static void CheckAccounts(SetUp next, List<RowChange> changes, List<Fault> faults)
    {
        var byNumber = next.Accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
        // An account that was renumbered and changed otherwise is one change.
        var changed = changes
            .GroupBy(c => Parts.Accounts.KeyOf(c.After!), StringComparer.Ordinal)
            .ToDictionary(g => g.Key, g => g.Last() with { Before = g.First().Before }, StringComparer.Ordinal);
        var shortCodes = next
            .Accounts.Where(a => a.ShortCode is not null)
            .ToLookup(a => a.ShortCode!, StringComparer.OrdinalIgnoreCase);
        var columns = Parts
            .Accounts.Columns.Select((c, i) => (c.Name, i))
            .ToDictionary(x => x.Name, x => x.i, StringComparer.Ordinal);
        // A parent under another number is the same parent.
        var numbers = Renumbering.In(changes);
        bool Differs(RowChange change, string column)
        {
            var before = change.Before?[columns[column]];
            if (column == "parent" && before is not null)
                before = numbers.GetValueOrDefault(before, before);
            return before != change.After![columns[column]];
        }

        foreach (var (number, change) in changed)
        {
            if (!byNumber.TryGetValue(number, out var account))
                continue;
            void Say(string column, string code, string message) =>
                faults.Add(Parts.Accounts.Fault(number, column, code, message));
            if (
                account.Parent is not null
                && byNumber.TryGetValue(account.Parent, out var parent)
                && parent.Class != account.Class
                && (Differs(change, "parent") || Differs(change, "class"))
            )
                Say(
                    "parent",
                    "parent-class",
                    $"Account {number} is of class {Words.Of(account.Class)} and its parent {parent.Number} "
                        + $"{parent.Name} of {Words.Of(parent.Class)}: choose a heading of its own class."
                );
            if (account.ShortCode is { } code && (Differs(change, "short_code") || Differs(change, "number")))
            {
                if (shortCodes[code].FirstOrDefault(a => a.Number != number) is { } other)
                    Say(
                        "short_code",
                        "short-code-taken",
                        $"{code} is the short code of {other.Number} {other.Name}: choose another."
                    );
                else if (byNumber.TryGetValue(code, out var holder))
                    Say(
                        "short_code",
                        "short-code-taken",
                        $"{code} is the number of {(holder == account ? "the account itself" : holder.Name)}: a "
                            + "short code is no account's number."
                    );
            }
            // A new number may be what another account is called for short.
            if (Differs(change, "number") && shortCodes[number].FirstOrDefault(a => a.Number != number) is { } named)
                Say(
                    "number",
                    "short-code-taken",
                    $"{number} is the short code of {named.Number} {named.Name}: choose another number, or change "
                        + "that short code first."
                );
        }
        // A heading that changes its class takes none with it.
        var turned = changed
            .Where(c => c.Value.Before is not null && Differs(c.Value, "class"))
            .Select(c => c.Key)
            .ToHashSet(StringComparer.Ordinal);
        if (turned.Count == 0)
            return;
        foreach (
            var child in next.Accounts.Where(a =>
                a.Parent is not null
                && turned.Contains(a.Parent)
                && byNumber[a.Parent].Class != a.Class
                && !(changed.TryGetValue(a.Number, out var own) && (Differs(own, "parent") || Differs(own, "class")))
            )
        )
            faults.Add(
                Parts.Accounts.Fault(
                    child.Parent!,
                    "class",
                    "parent-class",
                    $"{child.Number} {child.Name} below it is of class {Words.Of(child.Class)}: change that too, or "
                        + "move it to another heading."
                )
            );
    }
}
