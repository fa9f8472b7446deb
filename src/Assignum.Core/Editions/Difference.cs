using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Editions;

/// <summary>One difference as a person reads it.</summary>
/// <param name="Under">What it is grouped under: a purpose, or a part of the set-up.</param>
/// <param name="Sentence">Such as "Instruments sold to Schools: 4012 Instruments, schools → 4010 Instruments, by a
/// changed assignment".</param>
public sealed record DifferenceLine(string Under, string Sentence, RowChange Change)
{
    /// <summary>What the sentence names.</summary>
    public IReadOnlyList<Mention> Named { get; init; } = [];
}

/// <summary>The difference of two set-ups in words.</summary>
public static class Difference
{
    /// <summary>
    /// The parts in which editions and drafts differ: what editions hold, and the records that are in groups, of which
    /// a place in a group can
    /// wait with a draft.
    /// </summary>
    public static IReadOnlyList<Part> Compared { get; } =
    [.. Parts.All.Where(p => p.HeldBy == HeldBy.Edition), Parts.Items, Parts.Parties, Parts.Projects];

    /// <summary>Changes as sentences, those of assignments by purpose in the order of the purposes, then the other
    /// parts.</summary>
    /// <param name="before">Where names of what is gone are found.</param>
    /// <param name="after">Where names of what is new are found.</param>
    public static IReadOnlyList<DifferenceLine> Words(IReadOnlyList<RowChange> changes, SetUp before, SetUp after)
    {
        var names = new Names(before, after);
        return
        [
            .. changes
                .Select(c => Line(c, names))
                .OrderBy(l => Purposes.Find(l.Under.Replace(' ', '-'))?.Index ?? 1000 + Order(l.Change.Part)),
        ];
    }

    /// <summary>
    /// The edits that make what an edition held hold again: every row that editions hold, and of accounts that are
    /// there
    /// the fields that editions hold. Records stay as they are; a row that names a record that is gone is a fault then.
    /// </summary>
    public static IReadOnlyList<RowChange> BringBack(SetUp current, SetUp past)
    {
        var edits = SetUpImport
            .Difference(current, past, [.. Parts.All.Where(p => p.HeldBy == HeldBy.Edition && p != Parts.Accounts)])
            .ToList();
        var then = Parts.Accounts.Write(past).ToDictionary(Parts.Accounts.KeyOf, StringComparer.Ordinal);
        foreach (var row in Parts.Accounts.Write(current))
        {
            if (!then.TryGetValue(Parts.Accounts.KeyOf(row), out var old))
                continue;
            var held = Parts
                .Accounts.Columns.Select((c, i) => (c.Name, i))
                .Where(x => Parts.AccountColumnsHeld.Contains(x.Name) && row[x.i] != old[x.i])
                .ToDictionary(x => x.Name, x => old[x.i]);
            if (held.Count > 0)
                edits.Add(SetUpEdit.Row(Parts.Accounts, row, held));
        }
        return edits;
    }

    private static int Order(Part part) => Parts.All.ToList().IndexOf(part);

    private static DifferenceLine Line(RowChange change, Names names)
    {
        if (change.Part == Parts.Assignments)
            return Assigned(change, names);
        var what = change.Part.Name.Replace('-', ' ');
        var label = change.Part == Parts.Accounts ? names.Account(change.Key) : names.Row(change);
        var cells = change
            .Cells.Where(c => !change.Part.Columns.First(x => x.Name == c.Column).Key)
            .Select(c => (Column: c.Column.Replace('_', ' '), c.Before, c.After))
            .ToList();
        var sentence =
            change.Before is null
                ? $"{label} is new: "
                    + $"{string.Join(", ", cells.Where(c => c.After is not null).Select(c => $"{c.Column} {c.After}"))}"
            : change.After is null ? $"{label} is gone"
            : $"{label}: "
                + string.Join(", ", cells.Select(c => $"{c.Column} {c.Before ?? "nothing"} → {c.After ?? "nothing"}"));
        return new DifferenceLine(what, sentence, change) { Named = names.Taken() };
    }

    private static DifferenceLine Assigned(RowChange change, Names names)
    {
        var columns = change.Part.Columns;
        var row = change.After ?? change.Before!;
        var purpose = row[0]!;
        var who = string.Join(
            ", ",
            columns
                .Select((c, i) => (c.Name, Value: row[i]))
                .Where(x => x.Value is not null && x.Name is not ("purpose" or "account" or "note"))
                .Select(x => names.Of(x.Name, x.Value!, purpose))
        );
        // Purpose and account are the first columns of an assignment.
        var (from, to) = (change.Before?[1], change.After?[1]);
        var of = who.Length == 0 ? "by default" : who;
        var sentence =
            from is null ? $"{of}: {names.Account(to!)}, by a new assignment"
            : to is null ? $"{of}: no longer {names.Account(from)}, its assignment is taken away"
            : from == to ? $"{of}: {names.Account(from)}, another note"
            : $"{of}: {names.Account(from)} → {names.Account(to)}, by a changed assignment";
        return new DifferenceLine(purpose.Replace('-', ' '), sentence, change) { Named = names.Taken() };
    }

    private sealed class Names(SetUp before, SetUp after)
    {
        private readonly Lazy<Dictionary<string, string>> accounts = new(() =>
            Of(before.Accounts, after.Accounts, a => a.Number, a => a.Name)
        );
        private readonly Lazy<Dictionary<string, string>> items = new(() =>
            Of(before.Items, after.Items, i => i.Code, i => i.Name)
        );
        private readonly Lazy<Dictionary<string, string>> parties = new(() =>
            Of(before.Parties, after.Parties, p => p.Code, p => p.Name)
        );
        private readonly Lazy<Dictionary<string, string>> groups = new(() =>
            Of(before.Groups, after.Groups, g => Core.Words.Of(g.Kind) + "\u001f" + g.Code, g => g.Name)
        );

        // What was named since this was asked last.
        private readonly List<Mention> named = [];

        public IReadOnlyList<Mention> Taken()
        {
            Mention[] taken = [.. named];
            named.Clear();
            return taken;
        }

        public string Account(string number)
        {
            var said = accounts.Value.GetValueOrDefault(number) is { } name ? $"{number} {name}" : number;
            named.Add(new Mention(said, "account", number));
            return said;
        }

        // A row of records or tax codes has a page where its key is one code.
        public string Row(RowChange change)
        {
            if (!change.Key.Contains('\u001f'))
                Named(change.Label, Parts.One(change.Part), change.Key);
            foreach (var (column, code) in change.Part.Columns.Zip(change.After ?? change.Before!))
                if (code is not null && Parts.Refers(change.Part, column.Name) is { } to)
                    named.Add(new Mention(code, to.Part == Parts.Accounts ? "account" : Parts.One(to.Part), code));
            return change.Label;
        }

        private string Named(string said, string column, string code)
        {
            named.Add(new Mention(said, column.Replace('_', '-'), code));
            return said;
        }

        // A key column's value in words: what is sold, to whom, where, how.
        public string Of(string column, string code, string purpose) =>
            column switch
            {
                "item" => Named(items.Value.GetValueOrDefault(code, code), column, code),
                "item_group" => Named(groups.Value.GetValueOrDefault("item\u001f" + code, code), column, code),
                "party" => $"{Towards(purpose)} {Named(parties.Value.GetValueOrDefault(code, code), column, code)}",
                "party_group" => $"{Towards(purpose)} "
                    + Named(
                        groups.Value.GetValueOrDefault("customer\u001f" + code)
                            ?? groups.Value.GetValueOrDefault("supplier\u001f" + code, code),
                        column,
                        code
                    ),
                "project_group" => "on projects of "
                    + Named(groups.Value.GetValueOrDefault("project\u001f" + code, code), column, code),
                "project" => $"on project {Named(code, column, code)}",
                "location" => $"at {Named(code, column, code)}",
                "channel" => $"through {Named(code, column, code)}",
                "method" => $"by {Named(code, column, code)}",
                "tax_code" => $"tax {Named(code, column, code)}",
                "counterparty" => $"with {Named(code, column, code)}",
                var other => $"{other.Replace('_', ' ')} {Named(code, column, code)}",
            };

        private static string Towards(string purpose) =>
            purpose.StartsWith("sales", StringComparison.Ordinal) || purpose is "cost-of-sales" or "shipping-income"
                ? "sold to"
            : purpose.Contains("purchase", StringComparison.Ordinal)
            || purpose is "non-stock-cost" or "received-not-invoiced"
                ? "bought from"
            : "of";

        private static Dictionary<string, string> Of<T>(
            IReadOnlyList<T> before,
            IReadOnlyList<T> after,
            Func<T, string> code,
            Func<T, string> name
        )
        {
            var names = new Dictionary<string, string>(after.Count, StringComparer.Ordinal);
            if (!ReferenceEquals(before, after))
                foreach (var record in before)
                    names[code(record)] = name(record);
            foreach (var record in after)
                names[code(record)] = name(record);
            return names;
        }
    }
}
