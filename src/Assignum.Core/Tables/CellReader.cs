using System.Globalization;
using Assignum.Core.Money;

namespace Assignum.Core.Tables;

/// <summary>Reads the cells of one row by column name and writes down what is wrong with them.</summary>
internal sealed class CellReader(Part part, int row, string?[] cells, List<Fault> faults)
{
    private const int LongestText = 4000;
    private const int LongestCode = 100;

    public void Fault(string column, string code, string message) =>
        faults.Add(new Fault(part.Name, row, column, code, message));

    /// <summary>The cell, trimmed of nothing; null when empty. A key or code may not be longer than 100
    /// characters.</summary>
    public string? Text(string column)
    {
        var position = Position(column);
        var definition = part.Columns[position];
        var text = cells[position];
        if (string.IsNullOrEmpty(text))
        {
            if (definition.Required)
                Fault(column, "missing-value", $"'{column}' must not be empty.");
            return null;
        }
        var longest = definition.Key ? LongestCode : LongestText;
        if (text.Length > longest)
            Fault(column, "too-long", $"'{column}' has {text.Length} characters; at most {longest} are taken.");
        if (
            text.Any(c => char.IsControl(c) && c is not '\n' and not '\r' and not '\t')
            || definition.Key && text.AsSpan().IndexOfAny('\n', '\r', '\t') >= 0
        )
            Fault(column, "bad-character", $"'{column}' holds a control character: remove it.");
        if (definition.Key && (text[0] == ' ' || text[^1] == ' '))
            Fault(column, "bad-character", $"'{column}' begins or ends with a space: remove it.");
        return text;
    }

    /// <summary>A required text; empty when missing (a fault is written).</summary>
    public string Need(string column) => Text(column) ?? "";

    public T Word<T>(string column, T unset = default)
        where T : struct, Enum
    {
        if (Text(column) is not { } text)
            return unset;
        if (Words.TryParse<T>(text, out var value))
            return value;
        Fault(
            column,
            "unknown-word",
            $"'{text}' is not known here; use {string.Join(", ", part.Columns[Position(column)].Words)}."
        );
        return unset;
    }

    public bool YesNo(string column, bool unset = false)
    {
        switch (Text(column))
        {
            case null:
                return unset;
            case "yes":
                return true;
            case "no":
                return false;
            case var other:
                Fault(column, "unknown-word", $"'{other}' is neither yes nor no.");
                return unset;
        }
    }

    /// <summary>A decimal with a point, at most 12 digits before and 10 after it.</summary>
    public decimal? Number(string column, decimal smallest, decimal largest)
    {
        if (Text(column) is not { } text)
            return null;
        if (
            text.Length > 24
            || !decimal.TryParse(
                text,
                NumberStyles.AllowLeadingSign | NumberStyles.AllowDecimalPoint,
                CultureInfo.InvariantCulture,
                out var number
            )
        )
        {
            // What a person may write is no number in a file: there is one way to write it.
            var why = WrittenNumber.Of(text, out var unclear) is null ? unclear : WrittenNumber.Plainly;
            Fault(column, "bad-number", $"'{Short(text)}' {why}.");
            return null;
        }
        if (number < smallest || number > largest)
        {
            Fault(column, "out-of-range", $"{text} is out of range; {smallest} to {largest} is taken.");
            return null;
        }
        if (number.Scale > 10)
        {
            Fault(column, "bad-number", $"{text} has more than 10 decimals.");
            return null;
        }
        return number;
    }

    public DateOnly Date(string column)
    {
        if (Text(column) is not { } text)
            return default;
        if (
            DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var date)
            && date.Year is >= 1900 and <= 2200
        )
            return date;
        Fault(column, "bad-date", $"'{Short(text)}' is no date between 1900 and 2200: write it as YYYY-MM-DD.");
        return default;
    }

    public string? Currency(string column)
    {
        if (Text(column) is not { } text)
            return null;
        if (!Currencies.Exists(text))
            Fault(column, "unknown-currency", $"'{Short(text)}' is no currency of ISO 4217.");
        return text;
    }

    private int Position(string column)
    {
        for (var i = 0; i < part.Columns.Count; i++)
            if (part.Columns[i].Name == column)
                return i;
        throw new ArgumentException($"{part.Name} has no column {column}.", nameof(column));
    }

    private static string Short(string text) => text.Length > 40 ? text[..40] + "…" : text;
}
