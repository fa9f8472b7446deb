using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Money;

namespace Assignum.Core.Tables;

/// <summary>Cells as people write them, in a grid or a sheet: turned into what the set-up holds.</summary>
public static class TypedCell
{
    /// <summary>
    /// The canonical cell: words in any case and with spaces ("Cost of sales" is cost-of-sales, "Y" is yes), numbers
    /// without idle zeros, an empty
    /// cell what it means. What is none of these stays as it was typed, and its column says what is wrong with it.
    /// </summary>
    public static string? Of(Column column, string? text)
    {
        text = text?.Trim();
        if (string.IsNullOrEmpty(text))
            return column.Unset;
        if (column.Type == CellType.Number && WrittenNumber.Of(text, out _) is { } number)
            return Parts.Num(number);
        if (column.Words.Count == 0)
            return text;
        var word = text.ToLowerInvariant().Replace(' ', '-');
        if (column.Type == CellType.YesNo)
            return word switch
            {
                "y" or "true" or "1" => "yes",
                "n" or "false" or "0" => "no",
                _ => word,
            };
        return column.Words.Contains(text) ? text : word;
    }

    /// <summary>The same for a cell that may name an account by number, short code, name or path, or a purpose in
    /// words.</summary>
    /// <param name="why">What is wrong, as a sentence; empty where nothing is. Then the cell is as it was
    /// typed.</param>
    public static string? Of(Part part, Column column, string? text, AccountWords accounts, out string why)
    {
        why = "";
        var cell = Of(column, text);
        if (cell is null)
            return null;
        if (column.Name == "purpose" || (part, column.Name) == (Parts.Borrows, "from"))
            return Purposes.Meant(cell)?.Name ?? cell.ToLowerInvariant().Replace(' ', '-');
        if (Parts.Refers(part, column.Name)?.Part != Parts.Accounts || part == Parts.Accounts)
            return cell;
        return accounts.Find(cell, out why) ?? cell;
    }
}
