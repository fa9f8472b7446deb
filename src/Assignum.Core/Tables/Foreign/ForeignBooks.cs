using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using static Assignum.Core.Tables.Foreign.ForeignReader;

namespace Assignum.Core.Tables.Foreign;

/// <summary>The words of tax columns with what they mean: said by a person first, else proposed.</summary>
internal sealed class TaxBook(IReadOnlyDictionary<string, string> said, SetUp current)
{
    private readonly Dictionary<
        (string Field, string Word),
        (int Count, string Example, string Meaning, double Sure)
    > met = [];

    public string? Of(string field, string? word, string example, int line, List<Fault> faults)
    {
        if (word is null || !TaxWords.Fields.Contains(field))
            return word;
        if (!met.TryGetValue((field, word), out var known))
        {
            var (meaning, sure) = said.TryGetValue(ForeignSettings.Said(field, word), out var person)
                ? (person, 1)
                : TaxWords.Of(field, word, current);
            known = (0, example, meaning, sure);
        }
        met[(field, word)] = known with { Count = known.Count + 1 };
        if (known.Sure == 0)
            faults.Add(Fault(line, field, "unknown-word", $"Choose what '{Cut(word)}' means, or that it is left out."));
        return known.Meaning.Length == 0 ? null : known.Meaning;
    }

    public IReadOnlyList<ForeignTaxWord> All =>
        [
            .. met.OrderBy(m => m.Value.Sure)
                .ThenByDescending(m => m.Value.Count)
                .Select(m => new ForeignTaxWord(
                    m.Key.Field,
                    m.Key.Word,
                    m.Value.Count,
                    m.Value.Example,
                    m.Value.Meaning,
                    m.Value.Sure
                )),
        ];
}

/// <summary>Their words with what they mean: said by a person first, else proposed.</summary>
internal sealed class WordBook(IReadOnlyDictionary<string, TypeMeaning> said)
{
    private readonly Dictionary<string, (int Count, string Example, TypeMeaning Meaning, double Sure)> met = new(
        StringComparer.OrdinalIgnoreCase
    );
    private readonly Dictionary<string, TypeMeaning> said = new(said, StringComparer.OrdinalIgnoreCase);

    public TypeMeaning Of(string word, string example)
    {
        if (met.TryGetValue(word, out var known))
        {
            met[word] = known with { Count = known.Count + 1 };
            return known.Meaning;
        }
        var (meaning, sure) = said.TryGetValue(word, out var person)
            ? (person, 1)
            : TypeWords.Of(word) ?? (new TypeMeaning(null), 0);
        met[word] = (1, example, meaning, sure);
        return meaning;
    }

    public IReadOnlyList<ForeignWord> All =>
        [
            .. met.OrderBy(m => m.Value.Sure)
                .ThenByDescending(m => m.Value.Count)
                .Select(m => new ForeignWord(m.Key, m.Value.Count, m.Value.Example, m.Value.Meaning, m.Value.Sure)),
        ];
}
