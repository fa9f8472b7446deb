using Assignum.Desk.Posting;
using Assignum.Formats.Json;

namespace Assignum.Web.Pages;

/// <summary>One leg in two rehearsals. A side without the leg is null.</summary>
public sealed record BesideRow(string Purpose, LineDocument? First, LineDocument? Second)
{
    /// <summary>Whether account, side or amount differ.</summary>
    public bool Differs =>
        First?.Account != Second?.Account || First?.Debit != Second?.Debit || First?.Credit != Second?.Credit;
}

/// <summary>The same document rehearsed twice: for two parties or in two editions.</summary>
public sealed record Beside(
    string FirstName,
    string SecondName,
    IReadOnlyList<BesideRow> Rows,
    IReadOnlyList<string> Errors,
    string Currency
)
{
    /// <summary>Puts legs side by side by what called for them: the line of the document and the purpose.</summary>
    public static Beside Of(Rehearsed first, Rehearsed second, string currency)
    {
        static string Name(Rehearsed r) =>
            $"{r.Source.Event.Party ?? "no party"}, {(r.Edition is { } n ? $"edition {n}" : "the draft")}";
        static string Key(LineDocument l) => $"{l.EventLine}|{l.Purpose}";
        var left = Keyed(first.Document?.Lines ?? []);
        var right = Keyed(second.Document?.Lines ?? []);
        var rows = left.Select(l => new BesideRow(l.Value.Purpose ?? "", l.Value, right.GetValueOrDefault(l.Key)))
            .Concat(
                right
                    .Where(r => !left.ContainsKey(r.Key))
                    .Select(r => new BesideRow(r.Value.Purpose ?? "", null, r.Value))
            );
        return new Beside(
            Name(first),
            Name(second),
            [.. rows],
            [.. second.Result.Errors.Select(e => e.Message)],
            currency
        );

        // Several legs of one key (two account lines of an entry by hand) are told apart by their order.
        static Dictionary<string, LineDocument> Keyed(IEnumerable<LineDocument> lines) =>
            lines
                .GroupBy(Key)
                .SelectMany(g => g.Select((l, i) => (Key: $"{g.Key}|{i}", Line: l)))
                .ToDictionary(x => x.Key, x => x.Line);
    }
}
