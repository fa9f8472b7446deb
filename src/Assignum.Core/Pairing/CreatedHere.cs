using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;

namespace Assignum.Core.Pairing;

/// <summary>Makes records of ours out of theirs, like a sibling where one is chosen.</summary>
public static class CreatedHere
{
    /// <summary>The rows that a record of theirs becomes here.</summary>
    /// <param name="kind">Which kind of record it is.</param>
    /// <param name="code">The code it is to have; null: theirs, or one like it.</param>
    /// <param name="like">Code of a record of ours that it is like; null: of none.</param>
    /// <param name="word">Our word of one of theirs, by field.</param>
    /// <param name="parent">Our record of one of theirs of the same kind.</param>
    /// <param name="group">Our item group of one of theirs.</param>
    /// <param name="taken">Codes that are about to be taken beside those that are.</param>
    /// <param name="faults">Takes why it cannot be made.</param>
    /// <returns>The code it gets, and the rows.</returns>
    public static (string Code, IReadOnlyList<RowChange> Rows)? Of(
        RecordKind kind,
        LinkRecord record,
        string? code,
        string? like,
        SetUp setUp,
        Func<string, string, string?> word,
        Func<string, string?> parent,
        Func<string, string?> group,
        ISet<string> taken,
        List<Fault> faults
    )
    {
        if (kind.Ours is not { } part)
        {
            faults.Add(
                new Fault(
                    "not-here",
                    $"{kind.Title}s are not kept here: pair it with a name, or say that it is not needed."
                )
            );
            return null;
        }
        bool Taken(string c) => part.Row(setUp, c) is not null || taken.Contains(c);
        var account = kind.Name == "account";
        if (code is not null && (Codes.Wrong(code, account) is not null || Taken(code)))
        {
            faults.Add(
                new Fault("bad-code", Codes.Wrong(code, account) ?? $"{code} is taken: choose another code.", "ours")
            );
            return null;
        }
        var wanted = code
            ?? (
                Codes.Wrong(record.Id, account) is null && !Taken(record.Id)
                    ? record.Id
                    : Codes.Propose(record.Id, Taken, account)
            );
        var sibling = like is null ? null : part.Row(setUp, like);
        if (like is not null && sibling is null)
        {
            faults.Add(
                new Fault(
                    "unknown-record",
                    $"There is no {kind.Title.ToLowerInvariant()} {like} to make it like.",
                    "ours"
                )
            );
            return null;
        }
        var cells = part
            .Columns.Select((c, i) => (c.Name, Cell: sibling?[i] ?? c.Unset))
            .ToDictionary(c => c.Name, c => c.Cell, StringComparer.Ordinal);
        var of = new LinkFields(record.Fields);
        string? Ours(string field) => of.Text(field) is { } theirs ? word(field, theirs) : null;
        var first = part.Columns[part.Keys[0]].Name;
        (cells[first], cells["name"]) = (wanted, record.Name.Length > 0 ? record.Name : record.Id);
        if (cells.ContainsKey("status"))
            cells["status"] = "active";
        var rows = new List<RowChange>();
        switch (kind.Name)
        {
            case "item":
                cells["nature"] =
                    sibling is null || Ours("nature") is not null ? Ours("nature") ?? cells["nature"] : cells["nature"];
                if (cells["nature"] is null)
                    return Unsaid("nature", of.Text("nature"));
                if (sibling is null)
                {
                    cells["stocked"] = cells["nature"] == "goods" ? "yes" : "no";
                    cells["group"] = of.Text("group") is { } theirs ? group(theirs) : null;
                }
                else if (cells["nature"] != "goods")
                    cells["stocked"] = "no";
                cells["standard_cost"] = cells["costing"] == "standard" ? Parts.Num(of.Number("cost")) : null;
                break;
            case "party":
                cells["kind"] = sibling is null ? Ours("kind") : cells["kind"];
                if (cells["kind"] is null)
                    return Unsaid("kind", of.Text("kind"));
                cells["tax_number"] = of.Text("taxNumber");
                cells["country"] = of.Text("country") ?? cells["country"];
                cells["currency"] = of.Text("currency") ?? cells["currency"];
                break;
            case "project":
                cells["parent"] = of.Text("parent") is { } above && parent(above) is { Length: > 0 } ours ? ours : null;
                break;
            case "account":
                if (sibling is not null)
                {
                    var beside = NewAccount.Beside(setUp, setUp.Accounts.First(a => a.Number == like));
                    foreach (var (column, cell) in beside.Where(c => c.Key is not "number" and not "name"))
                        cells[column] = cell;
                    if (code is null && beside["number"] is { } free && !Taken(free))
                        cells["number"] = wanted = free;
                }
                else
                {
                    if (Ours("type") is not { } type)
                        return Unsaid("type", of.Text("type"));
                    (cells["class"], cells["kind"]) = (type, "posting");
                    cells["parent"] =
                        of.Text("parent") is { } over && parent(over) is { Length: > 0 } heading ? heading : null;
                }
                break;
            case "tax-code":
                if (sibling is null)
                {
                    // Boxes of the return are entered on the page of tax.
                    if (Ours("direction") is not { } way)
                        return Unsaid("direction", of.Text("direction"));
                    (cells["direction"], cells["category"]) = (way, record.Rate is > 0 ? "S" : "Z");
                    cells["authority"] = of.Text("authority");
                }
                var rate = (record.Rate ?? 0) / 100;
                var from = of.Day("from") ?? new DateOnly(2000, 1, 1);
                rows.Add(
                    new RowChange(
                        Parts.TaxRates,
                        Parts.TaxRates.KeyOf([wanted, Parts.Day(from), Parts.Num(rate)]),
                        null,
                        [wanted, Parts.Day(from), Parts.Num(rate)]
                    )
                );
                break;
        }
        taken.Add(wanted);
        var made = part.CellsOf(cells);
        rows.Insert(0, new RowChange(part, part.KeyOf(made), null, made));
        return (wanted, rows);

        (string, IReadOnlyList<RowChange>)? Unsaid(string field, string? theirs)
        {
            faults.Add(
                new Fault(
                    "word-needed",
                    theirs is null
                        ? $"{record.Id} does not say its {field}: choose a sibling that it is like."
                        : $"What is '{theirs}' here? Settle that word, or choose a sibling that {record.Id} is like.",
                    "ours"
                )
            );
            return null;
        }
    }
}
