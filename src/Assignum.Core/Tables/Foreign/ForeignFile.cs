namespace Assignum.Core.Tables.Foreign;

/// <summary>What a cell of somebody else's file holds.</summary>
public enum ForeignCellKind
{
    Text,
    Number,
    Date,
    Error,
}

/// <summary>A cell as its file gave it: numbers and days as the text they mean, text with the spaces it began
/// with.</summary>
public readonly struct ForeignCell(string text, ForeignCellKind kind = ForeignCellKind.Text)
{
    private readonly string? text = text;

    /// <summary>Never null: a cell that is not there is empty.</summary>
    public string Text => text ?? "";
    public ForeignCellKind Kind { get; } = kind;

    /// <summary>The text without spaces around it.</summary>
    public string Trimmed => Text.Trim();
    public bool Empty => string.IsNullOrWhiteSpace(Text);

    /// <summary>How many spaces it begins with; a tab counts for four.</summary>
    public int Spaces => Text.TakeWhile(char.IsWhiteSpace).Sum(c => c == '\t' ? 4 : 1);
}

/// <summary>A row with its line in the file and, by column, how far the format indents a cell.</summary>
public sealed record ForeignRow(int Line, IReadOnlyList<ForeignCell> Cells, IReadOnlyList<int>? Indents = null)
{
    /// <summary>The cell of a column; empty beyond the end.</summary>
    public ForeignCell this[int column] => column >= 0 && column < Cells.Count ? Cells[column] : default;
    public bool Empty => Cells.All(c => c.Empty);

    /// <summary>How far a cell stands in: by its format, else by its spaces.</summary>
    public int Indent(int column) =>
        Indents is not null && column < Indents.Count && Indents[column] > 0
            ? Indents[column] * 2
            : this[column].Spaces;
}

/// <summary>A sheet of a workbook, or the whole of a file that has none.</summary>
/// <param name="Notes">What was done to it on the way: merged cells filled, macros not run.</param>
public sealed record ForeignSheet(string Name, IReadOnlyList<ForeignRow> Rows, IReadOnlyList<string> Notes)
{
    /// <summary>Columns of the widest row.</summary>
    public int Width { get; } = Rows.Count == 0 ? 0 : Rows.Max(r => r.Cells.Count);
}

/// <summary>What a column of the file is taken for.</summary>
/// <param name="Field">A column of accounts.csv, one of <see cref="ForeignFields.Extra"/>, or empty: left out.</param>
/// <param name="Why">Why it was proposed, in words.</param>
public sealed record ForeignColumn(int Index, string Letter, string Header, string Field, string Why);

/// <summary>How the headings above an account are found.</summary>
public enum ForeignShape
{
    Flat,
    Parents,
    Path,
    Levels,
    Columns,
    Indents,
    Titles,
    Numbers,
}

/// <summary>How a foreign file is read: proposed, corrected by people, remembered for the next file like it.</summary>
/// <param name="HeaderLine">Line of the header; 0 where there is none.</param>
/// <param name="Columns">What each column is taken for, by position.</param>
/// <param name="Words">What their words for types mean, by their word.</param>
/// <param name="LeftOut">Lines that are not taken.</param>
public sealed record ForeignSettings(
    string Sheet,
    int HeaderLine,
    IReadOnlyList<string> Columns,
    IReadOnlyDictionary<string, TypeMeaning> Words,
    ForeignShape Shape,
    IReadOnlySet<int> LeftOut
)
{
    /// <summary>What their words in other columns mean, in ours, by field and word (see <see cref="Said"/>); an empty
    /// meaning leaves the cell empty.</summary>
    public IReadOnlyDictionary<string, string> TaxWords { get; init; } = new Dictionary<string, string>();

    /// <summary>The key of a word of a column in <see cref="TaxWords"/>.</summary>
    public static string Said(string field, string word) => field + "\u001f" + word;
}
