namespace Assignum.Core.Access;

/// <summary>A line of the audit.</summary>
/// <param name="Entity">Code; null: it belongs to none.</param>
/// <param name="Before">JSON.</param>
/// <param name="After">JSON.</param>
public sealed record AuditRow(
    long Id,
    DateTime At,
    string? Entity,
    string Who,
    string What,
    string Subject,
    string? Before,
    string? After
);

/// <summary>Which lines of the audit are looked for; what is null does not narrow.</summary>
/// <param name="Entities">Codes of those that may be seen; null: all, and what belongs to none.</param>
/// <param name="Text">Any part of subject, before or after.</param>
/// <param name="From">The first day, UTC.</param>
/// <param name="To">The last day, UTC.</param>
/// <param name="Before">Only lines with a smaller number: the next page.</param>
public sealed record AuditAsked(
    IReadOnlyList<string>? Entities,
    string? Who,
    string? What,
    string? Text,
    DateOnly? From,
    DateOnly? To,
    long? Before
)
{
    /// <summary>What somebody wrote; null: a day is none.</summary>
    public static AuditAsked? Of(string? who, string? what, string? text, string? from, string? to, long? before) =>
        Day(from, out var first) && Day(to, out var last)
            ? new(null, Given(who), Given(what), Given(text), first, last, before)
            : null;

    private static string? Given(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();

    private static bool Day(string? text, out DateOnly? day)
    {
        day = DateOnly.TryParseExact(
            text?.Trim(),
            "yyyy-MM-dd",
            System.Globalization.CultureInfo.InvariantCulture,
            0,
            out var read
        )
            ? read
            : null;
        return day is not null || string.IsNullOrWhiteSpace(text);
    }
}

/// <summary>Where a chain of seals breaks first.</summary>
/// <param name="Where">Number of the entry, or of the audit line.</param>
/// <param name="Why">A sentence.</param>
public sealed record SealBreak(string Where, string Why);

/// <summary>What came of checking a chain.</summary>
/// <param name="Checked">How many were found to be as they were sealed.</param>
/// <param name="Last">The last seal, to be noted elsewhere: a chain that was made anew has another one.</param>
public sealed record SealCheck(long Checked, string Last, SealBreak? Break);
