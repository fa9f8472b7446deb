using Assignum.Core.SetUps;

namespace Assignum.Core.Books;

/// <summary>When an entry made of a template turns itself back.</summary>
public enum TurnsBack
{
    Never,

    /// <summary>On the first day of the month after its own.</summary>
    NextMonth,
}

/// <summary>A line of a template.</summary>
/// <param name="Debit">A formula; null: the line is a credit.</param>
/// <param name="Credit">A formula; null: the line is a debit.</param>
/// <param name="Cells">The other fields of the line by name.</param>
public sealed record TemplateLine(
    string Account,
    string? Debit,
    string? Credit,
    IReadOnlyDictionary<string, string> Cells
);

/// <summary>An entry that is written again and again: its lines over one amount.</summary>
/// <param name="Version">Counts its changes: whoever changes it names the one they saw.</param>
public sealed record EntryTemplate(
    string Name,
    string? Text,
    TurnsBack TurnsBack,
    IReadOnlyList<TemplateLine> Lines,
    int Version = 0
)
{
    /// <summary>Fields of a line that a template keeps beside account and sides.</summary>
    public static readonly IReadOnlyList<string> Kept =
    [
        "text",
        "party",
        "item",
        "location",
        "project",
        "channel",
        "method",
        "taxCode",
    ];

    /// <summary>What is wrong with it, by the place of it.</summary>
    public IReadOnlyList<Fault> Faults()
    {
        var faults = new List<Fault>();
        if (string.IsNullOrWhiteSpace(Name) || Name.Length > 80)
            faults.Add(new Fault("missing-field", "Give the template a name of at most 80 characters.", "name"));
        if (Lines.Count is 0 or > 200)
            faults.Add(new Fault("missing-field", "A template has 1 to 200 lines.", "lines"));
        var rests = 0;
        for (var i = 0; i < Lines.Count; i++)
        {
            var line = Lines[i];
            var at = $"lines[{i}]";
            if (string.IsNullOrWhiteSpace(line.Account))
                faults.Add(new Fault("missing-field", $"Line {i + 1} needs an account.", at + ".account"));
            if (line.Debit is null == line.Credit is null)
            {
                faults.Add(new Fault("one-side", $"Line {i + 1} needs a formula for debit or for credit.", at));
                continue;
            }
            var formula = line.Debit ?? line.Credit!;
            if (Formula.IsRest(formula))
                rests++;
            else if (Formula.Of(formula, 1, out var wrong) is null)
                faults.Add(
                    new Fault("bad-formula", $"Line {i + 1}: {wrong}", at + (line.Debit is null ? ".credit" : ".debit"))
                );
        }
        if (rests > 1)
            faults.Add(new Fault("bad-formula", "At most one line is the rest.", "lines"));
        return faults;
    }

    /// <summary>What its lines come to, debit less credit, each rounded; what cannot be worked out is null.</summary>
    public IReadOnlyList<decimal?> For(decimal amount, CompiledSetUp setUp)
    {
        return
        [
            .. Formula
                .Work([.. Lines.Select(l => (l.Debit, l.Credit))], amount, v =>
                    setUp.Rounding.Round(v, setUp.BaseDecimals)
                )
                .Select(v => v.Value),
        ];
    }

    /// <summary>The day on which an entry of a day turns itself back; null: never.</summary>
    public DateOnly? TurnsBackOn(DateOnly day) =>
        TurnsBack == TurnsBack.NextMonth ? new DateOnly(day.Year, day.Month, 1).AddMonths(1) : null;
}
