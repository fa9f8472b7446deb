using System.Collections.Frozen;
using System.Text;

namespace Assignum.Core.Pairing;

/// <summary>A name as pairing compares it: its words, without case, accents, order of little words and legal form.</summary>
/// <param name="Words">In the order of the name.</param>
/// <param name="Joined">The same without spaces.</param>
/// <param name="Form">The legal form, as one word; empty: none.</param>
public sealed record NameWords(IReadOnlyList<string> Words, string Joined, string Form)
{
    // Legal forms in the languages of the people who trade with us, as they are written without dots and spaces.
    private static readonly FrozenSet<string> Forms = """
        gmbh mbh ggmbh ag kg kgaa ohg gbr ug ev eg ek ekfr se co company cie ltd limited plc llp llc lp inc incorporated corp
        corporation pty pte sa sas sasu sarl srl sl slu spa snc sca scs eurl sci bv nv vof cv cvba bvba ab hb kb as asa ans da
        aps ivs is oy oyj ky tmi ehf hf spzoo zoo sp spk sro spol doo dd jdoo kft zrt nyrt bt ltda lda ee ae epe ooo oao zao
        uab sia ou tov ad eood ood sprl scrl gesmbh
        """.Split([' ', '\n'], StringSplitOptions.RemoveEmptyEntries).ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenSet<string> Little = "and und et og och en y the der die das of"
        .Split(' ')
        .ToFrozenSet(StringComparer.Ordinal);

    private static readonly FrozenDictionary<string, string> Short = new Dictionary<string, string>
    {
        ["intl"] = "international",
        ["bros"] = "brothers",
        ["gebr"] = "gebruder",
        ["mfg"] = "manufacturing",
        ["mfr"] = "manufacturer",
        ["svc"] = "services",
        ["svcs"] = "services",
        ["dist"] = "distribution",
        ["eng"] = "engineering",
        ["bldg"] = "building",
        ["mgmt"] = "management",
        ["assoc"] = "associates",
        ["natl"] = "national",
        ["hldg"] = "holding",
        ["whse"] = "warehouse",
        ["st"] = "saint",
        ["sankt"] = "saint",
    }.ToFrozenDictionary(StringComparer.Ordinal);

    /// <summary>Takes a name apart.</summary>
    public static NameWords Of(string name)
    {
        var words = new List<string>();
        var single = new StringBuilder();
        var form = new SortedSet<string>(StringComparer.Ordinal);
        void Add(string word)
        {
            if (Little.Contains(word))
                return;
            words.Add(Short.GetValueOrDefault(word, word));
        }
        // Letters that stand alone belong together: S. A., z o. o.
        void Flush()
        {
            if (single.Length > 0)
                Add(single.ToString());
            single.Clear();
        }
        foreach (var word in Split(name))
            if (word.Length == 1 && char.IsLetter(word[0]))
                single.Append(word);
            else
            {
                Flush();
                Add(word);
            }
        Flush();
        // A name that is nothing but forms keeps them.
        var kept = words.Where((w, i) => i == 0 || !Forms.Contains(w)).ToList();
        foreach (var word in words.Skip(1).Where(Forms.Contains))
            form.Add(word);
        return new NameWords(kept, string.Concat(kept), string.Concat(form));
    }

    /// <summary>A tax number without what is written between its digits, in capitals.</summary>
    /// <param name="country">Its country, two letters: a number that does not begin with a country gets it.</param>
    public static string? TaxNumber(string? number, string? country)
    {
        if (number is null)
            return null;
        var plain = string.Concat(number.Where(char.IsLetterOrDigit)).ToUpperInvariant();
        return plain.Length == 0 ? null
            : country is { Length: 2 } && char.IsDigit(plain[0]) ? country.ToUpperInvariant() + plain
            : plain;
    }

    private static IEnumerable<string> Split(string name)
    {
        var word = new StringBuilder();
        foreach (var c in name)
        {
            // Combining marks, and what is written within words.
            if (c is >= '\u0300' and <= '\u036f' or '\'' or '\u2019' or '`')
                continue;
            if (char.IsLetterOrDigit(c))
            {
                var lower = char.ToLowerInvariant(c);
                _ = Plain.TryGetValue(lower, out var plain) ? word.Append(plain) : word.Append(lower);
            }
            else if (word.Length > 0)
            {
                yield return Folded(word.ToString());
                word.Clear();
            }
        }
        if (word.Length > 0)
            yield return Folded(word.ToString());
    }

    // Not by normalisation of the platform, which does nothing where no language data are installed.
    private static readonly FrozenDictionary<char, string> Plain = Plains();

    private static FrozenDictionary<char, string> Plains()
    {
        var plain = new Dictionary<char, string>
        {
            ['ß'] = "ss",
            ['æ'] = "ae",
            ['œ'] = "oe",
            ['þ'] = "th",
        };
        foreach (
            var letters in (string[])
                [
                    "aàáâãäåāăą",
                    "cçćĉċč",
                    "dďđð",
                    "eèéêëēĕėęě",
                    "gĝğġģ",
                    "hĥħ",
                    "iìíîïĩīĭįı",
                    "jĵ",
                    "kķ",
                    "lĺļľŀł",
                    "nñńņňŉ",
                    "oòóôõöøōŏő",
                    "rŕŗř",
                    "sśŝşšș",
                    "tţťŧț",
                    "uùúûüũūŭůűų",
                    "wŵ",
                    "yýÿŷ",
                    "zźżž",
                ]
        )
        foreach (var letter in letters[1..])
            plain[letter] = letters[..1];
        return plain.ToFrozenDictionary();
    }

    // Where accents were written out: Mueller is Müller.
    private static string Folded(string word) =>
        word.Length < 4 ? word : word.Replace("ue", "u").Replace("oe", "o").Replace("ae", "a");
}
