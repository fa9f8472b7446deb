using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Statements;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>What a new account begins with, and where one that is being written down would stand.</summary>
public static class NewAccount
{
    /// <summary>
    /// The cells of an account beside a neighbour, or under it where it is a heading: everything of it but what is its
    /// own (number, name, short code, note), with the next free number. Empty where there is no neighbour.
    /// </summary>
    public static Dictionary<string, string?> Beside(SetUp setUp, Account? neighbour)
    {
        if (neighbour is null)
            return [];
        var numbers = new ChartNumbers(setUp.Accounts, setUp.NumberBands);
        var cells = Parts.Accounts.Write(setUp with { Accounts = [neighbour] })[0];
        var values = Parts
            .Accounts.Columns.Select((c, i) => (c.Name, Cell: cells[i]))
            .ToDictionary(x => x.Name, x => x.Cell);
        var heading = neighbour.Kind == AccountKind.Heading;
        if (heading)
            (values["kind"], values["parent"]) = ("posting", neighbour.Number);
        values["number"] = heading ? numbers.Under(neighbour.Number) : numbers.Beside(neighbour.Number);
        values["name"] = values["short_code"] = values["note"] = null;
        values["status"] = "active";
        return values;
    }

    /// <summary>The cells of a posting account that is missed for a purpose: beside the one that serves it, or of a
    /// class and control that it accepts.</summary>
    /// <param name="written">What was typed for it: a number where it begins with a digit and has no blank, else a
    /// name.</param>
    /// <param name="like">The neighbour, or null: nothing serves the purpose yet.</param>
    public static Dictionary<string, string?> For(SetUp setUp, Purpose? purpose, string? written, out Account? like)
    {
        like = purpose is null ? null : Serving(setUp, purpose);
        var values = Beside(setUp, like);
        written = written?.Trim() ?? "";
        if (written.Length > 0)
            values[char.IsAsciiDigit(written[0]) && !written.Contains(' ') ? "number" : "name"] = written;
        if (purpose is not null && like is null)
            (values["class"], values["control"]) = (
                Words.Of(purpose.Classes[0]),
                purpose.Control == Control.None ? null : Words.Of(purpose.Control)
            );
        values["kind"] = "posting";
        return values;
    }

    /// <summary>The account that most assignments of a purpose name, else any that suits it; null: there is
    /// none.</summary>
    public static Account? Serving(SetUp setUp, Purpose purpose)
    {
        var fit = setUp
            .Accounts.Where(a => Fitness.Of(a, purpose, false) is null)
            .ToDictionary(a => a.Number, StringComparer.Ordinal);
        return setUp
            .Assignments.Where(a => a.Purpose == purpose.Name && fit.ContainsKey(a.Account))
            .CountBy(a => a.Account)
            .OrderByDescending(g => g.Value)
            .ThenBy(g => g.Key, StringComparer.Ordinal)
            .Select(g => fit[g.Key])
            .FirstOrDefault()
            ?? setUp.Accounts.FirstOrDefault(a => fit.ContainsKey(a.Number));
    }

    /// <summary>The statement around an account as it is being written, before it is saved; no row where what is
    /// written has no place: no class yet, a number that is taken, a heading below itself.</summary>
    /// <param name="old">The account that is changed; null: it is new.</param>
    /// <param name="typed">What is written of it, by column; what is not there is as it was, or unsaid.</param>
    /// <param name="balances">Debit less credit by account.</param>
    /// <param name="number">The number that its row has.</param>
    public static IReadOnlyList<StatementRow> Place(
        SetUp setUp,
        Account? old,
        IReadOnlyDictionary<string, string?> typed,
        IReadOnlyDictionary<string, decimal> balances,
        out string number
    )
    {
        string? Typed(string column) => typed.GetValueOrDefault(column) is { Length: > 0 } text ? text.Trim() : null;
        var wanted = number = Typed("number") ?? old?.Number ?? "?";
        var said = Words.TryParse<AccountClass>(Typed("class") ?? "", out var @class);
        if (old is null && (!said || setUp.Accounts.Any(a => a.Number == wanted)))
            return [];
        var parent = typed.ContainsKey("parent") ? Typed("parent") : old?.Parent;
        var kind = Typed("kind") switch
        {
            null when old is not null => old.Kind,
            "heading" => AccountKind.Heading,
            _ => AccountKind.Posting,
        };
        var account = (old ?? new Account(wanted, "", @class, kind)) with
        {
            Name = Typed("name") ?? old?.Name ?? "this account",
            Class = Typed("class") is null ? old!.Class : @class,
            Kind = kind,
            Parent = setUp.Accounts.Any(a => a.Number == parent && a.Kind == AccountKind.Heading && a.Number != wanted)
                ? parent
                : null,
        };
        var next = setUp with { Accounts = [.. setUp.Accounts.Where(a => a.Number != account.Number), account] };
        return SetUpRules.Check(next).Any(f => f is { Code: "cycle" } && f.Part == Parts.Accounts.Name)
            ? []
            : StatementTree.Around(StatementTree.Lay(next.Accounts, balances), account.Number, 2);
    }
}
