using System.Globalization;
using Assignum.Core.Landing;

namespace Assignum.Core.Ledger;

/// <summary>A stored entry without its lines.</summary>
public sealed record EntryHead(
    long Id,
    string Number,
    string Source,
    string ExternalId,
    DateOnly Date,
    int Edition,
    string Kind,
    string Role,
    string Currency,
    decimal Rate,
    string? Reference,
    string? Party,
    decimal Total,
    string? RemarksJson,
    DateTime PostedAt,
    string PostedBy
);

/// <summary>Which entries a list asks for; null does not narrow.</summary>
public sealed record EntryQuery(
    string? Source = null,
    string? ExternalId = null,
    string? Account = null,
    DateOnly? From = null,
    DateOnly? To = null,
    string? Text = null,
    long? After = null,
    int Limit = 500,
    bool NewestFirst = false,
    string? Number = null,
    RecordOnLines? Record = null
);

/// <summary>A record that lines of an entry name.</summary>
/// <param name="Dimension">One of <see cref="Kinds"/>.</param>
public sealed record RecordOnLines(Dimension Dimension, string Code)
{
    /// <summary>What lines keep of the records that they are about.</summary>
    public static readonly IReadOnlyList<Dimension> Kinds =
    [
        Dimension.Item,
        Dimension.Party,
        Dimension.Project,
        Dimension.Location,
        Dimension.Channel,
        Dimension.Method,
        Dimension.Reason,
    ];

    /// <summary>Reads <c>item:CAL-A</c>; null: it is nothing of the kind.</summary>
    public static RecordOnLines? Read(string? text) =>
        text?.Split(':', 2) is [var kind, { Length: > 0 and <= 100 } code]
        && Words.TryParse<Dimension>(kind, out var dimension)
        && Kinds.Contains(dimension)
            ? new(dimension, code)
            : null;

    /// <summary>As it is read.</summary>
    public override string ToString() => $"{Words.Of(Dimension)}:{Code}";
}

/// <summary>An entry's number: the year it was posted into and its place there, written <c>2026-000123</c>.</summary>
public static class EntryNumber
{
    /// <summary>Writes the number.</summary>
    public static string Of(int year, int sequence) =>
        string.Create(CultureInfo.InvariantCulture, $"{year}-{sequence:000000}");

    /// <summary>Reads a number; (0, 0), which no entry has, for anything else.</summary>
    public static (int Year, int Sequence) Parse(string? number)
    {
        var parts = number?.Split('-') ?? [];
        return
            parts.Length == 2
            && int.TryParse(parts[0], NumberStyles.None, CultureInfo.InvariantCulture, out var year)
            && int.TryParse(parts[1], NumberStyles.None, CultureInfo.InvariantCulture, out var sequence)
            ? (year, sequence)
            : (0, 0);
    }
}

/// <summary>A row of the trial balance; balance is debit minus credit.</summary>
public sealed record BalanceRow(string Account, string Name, string Class, decimal Debit, decimal Credit);

/// <summary>A line on an account's card.</summary>
/// <param name="AsPosted">The number as posted, where it is another today; else null.</param>
/// <param name="Rung">The rung that decided the landing, from the trace kept with it.</param>
/// <param name="Before">Debit less credit of the account before this line, in the order of the card.</param>
public sealed record CardLine(
    long EntryId,
    int Line,
    string Entry,
    DateOnly Date,
    string Kind,
    string? Reference,
    string? AsPosted,
    decimal Debit,
    decimal Credit,
    string? Purpose,
    string? Rung,
    string? Party,
    string? Item,
    string? Text,
    decimal Before,
    string Account
);

/// <summary>What a rung decided in a stretch of days.</summary>
/// <param name="Rung">As the trace says it; <c>borrowed</c> where another purpose's ladder decided.</param>
/// <param name="Amount">Debits and credits together, base currency.</param>
public sealed record RungVolume(string Purpose, string Rung, string Account, long Lines, decimal Amount);

/// <summary>What a tax code put into a box of the return. Base currency.</summary>
/// <param name="What"><c>base</c>, <c>tax</c>, <c>reverse base</c> or <c>reverse tax</c>.</param>
public sealed record BoxAmount(string Box, string What, string Code, int Lines, decimal Amount);

/// <summary>How often a cell of the tax matrix occurred.</summary>
public sealed record MatrixUse(string Standing, string Category, string Direction, int Lines);

/// <summary>A stored tax line.</summary>
public sealed record StoredTax(
    long EntryId,
    string Code,
    decimal Base,
    decimal Rate,
    decimal Tax,
    string DecidedBy,
    decimal EntityBase,
    decimal EntityTax,
    decimal NonDeductible,
    bool Capital,
    string? BaseBox,
    string? TaxBox,
    string? ReverseBaseBox,
    string? ReverseTaxBox
);
