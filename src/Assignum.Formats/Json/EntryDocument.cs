using System.Text.Json;
using System.Text.Json.Serialization;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.Landing;

namespace Assignum.Formats.Json;

/// <summary>The source and id of an event.</summary>
public sealed record EventName(string Source, string Id);

/// <summary>A rung that was tried, as it is written in JSON.</summary>
/// <param name="Purpose">Named where the rung is of the purpose borrowed from.</param>
/// <param name="Tripwire">True where the assignment found names a tripwire and so counts as a miss.</param>
public sealed record TriedDocument(
    string Rung,
    IReadOnlyDictionary<string, string>? Key,
    string Outcome,
    string? Purpose,
    bool? Tripwire
);

/// <summary>The reasoning of a landing, as it is written in JSON and stored.</summary>
/// <param name="Unneeded">Rungs below the one that decided.</param>
public sealed record LandingDocument(
    string? Rung,
    IReadOnlyDictionary<string, string> Key,
    IReadOnlyList<TriedDocument> Tried,
    IReadOnlyList<string>? Unneeded,
    string? BorrowedFrom,
    string? Note
);

/// <summary>A line of an entry, as it is written in JSON.</summary>
/// <param name="AccountNow">The account's number today, where it was renumbered since.</param>
public sealed record LineDocument(
    string Account,
    string? AccountNow,
    string Name,
    decimal Debit,
    decimal Credit,
    decimal? CurrencyDebit,
    decimal? CurrencyCredit,
    string? Purpose,
    string? Party,
    string? Item,
    string? TaxCode,
    string? Text,
    int? EventLine,
    LandingDocument Landing
)
{
    /// <summary>What the line has of each dimension, by name, for pages.</summary>
    [JsonIgnore]
    public IReadOnlyDictionary<string, string> Has { get; init; } = new Dictionary<string, string>();

    /// <summary>What the rungs below the one that decided would give, for pages; null: it is not known.</summary>
    [JsonIgnore]
    public Func<IReadOnlyList<RungGives>>? Below { get; init; }
}

/// <summary>A tax line of an entry, as it is written in JSON.</summary>
/// <param name="Capital">Whether it is of the lines that land on capital accounts.</param>
public sealed record TaxDocument(
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

/// <summary>A remark of a guard, as it is written in JSON.</summary>
public sealed record RemarkDocument(string Code, string Severity, string Message, string? Account, string? Purpose);

/// <summary>An entry, rehearsed (number null) or stored, as it is written in JSON and shown on pages.</summary>
/// <param name="Edition">Null for a draft.</param>
public sealed record EntryDocument(
    string? Number,
    EventName Event,
    DateOnly Date,
    int? Edition,
    string Currency,
    decimal Rate,
    string? Reference,
    IReadOnlyList<LineDocument> Lines,
    IReadOnlyList<TaxDocument> Tax,
    IReadOnlyList<RemarkDocument> Remarks
)
{
    /// <summary>The reversal that the event asked for.</summary>
    public EntryDocument? Reversal { get; init; }

    /// <summary>The other entity's side of a charge between entities.</summary>
    public MirrorDocument? Mirror { get; init; }

    // In the order in which a line is told apart from its like.
    private static Dictionary<string, string> ValuesOf(LegContext context)
    {
        var has = new Dictionary<string, string>();
        foreach (
            var (name, value) in new[]
            {
                ("item", context.Item),
                ("party", context.Party),
                ("location", context.Location),
                ("channel", context.Channel),
                ("method", context.Method),
                ("project", context.Project),
                ("reason", context.Reason),
                ("counterparty", context.Counterparty),
            }
        )
            if (value is not null)
                has[name] = value;
        return has;
    }

    /// <summary>Writes an entry of the core as JSON says it.</summary>
    public static EntryDocument Of(JournalEntry entry, EventName source, int? edition, string? number = null) =>
        new(
            number,
            source,
            entry.Date,
            edition,
            entry.Currency,
            entry.Rate,
            entry.Reference,
            [
                .. entry.Lines.Select(l => new LineDocument(
                    l.Account,
                    null,
                    l.AccountRecord?.Name ?? "",
                    l.Debit,
                    l.Credit,
                    l.CurrencyDebit,
                    l.CurrencyCredit,
                    l.Purpose?.Name,
                    l.Context.Party,
                    l.Context.Item,
                    l.TaxCode,
                    l.Text,
                    l.EventLine,
                    TraceJson.Document(l.Landing.Trace)
                )
                {
                    Has = ValuesOf(l.Context),
                    Below = l.Landing.Below,
                }),
            ],
            [
                .. entry.Tax.Select(t => new TaxDocument(
                    t.Code,
                    t.Base,
                    t.Rate,
                    t.Tax,
                    t.DecidedBy,
                    t.EntityBase,
                    t.EntityTax,
                    t.NonDeductible,
                    t.Capital,
                    t.BaseBox,
                    t.TaxBox,
                    t.ReverseBaseBox,
                    t.ReverseTaxBox
                )),
            ],
            [.. entry.Remarks.Select(RemarkOf)]
        )
        {
            Reversal = entry.Reversal is null ? null : Of(entry.Reversal, source, edition),
            Mirror = entry.Mirror is null
                ? null
                : new MirrorDocument(entry.Mirror.Entity, Of(entry.Mirror.Entry, source, null)),
        };

    /// <summary>Writes a remark as JSON says it.</summary>
    public static RemarkDocument RemarkOf(Fault remark) =>
        new(remark.Code, Words.Of(remark.Severity), remark.Message, remark.Account, remark.Purpose);
}

/// <summary>The entry of another entity.</summary>
public sealed record MirrorDocument(string Entity, EntryDocument Entry);

/// <summary>Traces as JSON, and the settings that all JSON of the product is written with.</summary>
public static class TraceJson
{
    /// <summary>Names in camel case, nulls written only where a fixed name asks for them, text not escaped beyond
    /// need.</summary>
    public static readonly JsonSerializerOptions Settings = new(JsonSerializerDefaults.Web)
    {
        Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping,
        NumberHandling = JsonNumberHandling.Strict,
        Converters = { new FaultJson() },
    };

    private static readonly JsonSerializerOptions Compact = new(Settings)
    {
        DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull,
    };

    /// <summary>A trace as JSON says it. An assignment to a tripwire above the default is a miss.</summary>
    public static LandingDocument Document(Trace trace) =>
        new(
            trace.Rung,
            Key(trace.Key)!,
            [
                .. trace.Tried.Select(t => new TriedDocument(
                    t.Rung,
                    t.Key.Count == 0 ? null : Key(t.Key),
                    t.Outcome == TryOutcome.Tripwire ? "miss" : Words.Of(t.Outcome),
                    t.Purpose,
                    t.Outcome == TryOutcome.Tripwire ? true : null
                )),
            ],
            trace.Unneeded.Count == 0 ? null : trace.Unneeded,
            trace.BorrowedFrom,
            trace.Note
        );

    /// <summary>The text that is stored of a trace.</summary>
    public static string Text(Trace trace) => JsonSerializer.Serialize(Document(trace), Compact);

    /// <summary>Reads a stored trace.</summary>
    public static LandingDocument Read(string text) => JsonSerializer.Deserialize<LandingDocument>(text, Settings)!;

    /// <summary>The text that is stored of a pattern: a trace with places instead of values.</summary>
    public static string Text(LandingPattern pattern) => Text(pattern.Places);

    /// <summary>The trace of a stored pattern with the values of a line.</summary>
    /// <param name="values">By dimension: the line's own first, then outward.</param>
    public static LandingDocument Read(string pattern, IReadOnlyDictionary<string, string[]> values, string? note)
    {
        IReadOnlyDictionary<string, string> Fill(IReadOnlyDictionary<string, string> key) =>
            key.ToDictionary(
                k => k.Key,
                k => LandingPattern.Value(k.Value, values.TryGetValue(k.Key, out var own) ? own : [])
            );
        var read = Read(pattern);
        return read with
        {
            Key = Fill(read.Key),
            Tried = [.. read.Tried.Select(t => t with { Key = t.Key is null ? null : Fill(t.Key) })],
            Note = note,
        };
    }

    private static Dictionary<string, string> Key(IReadOnlyList<KeyPart> key) =>
        key.ToDictionary(p => Words.Of(p.Dimension), p => p.Value);
}
