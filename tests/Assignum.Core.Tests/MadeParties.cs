using Assignum.Core.Pairing;

namespace Assignum.Core.Tests;

/// <summary>Two lists of made-up parties and which of theirs is which of ours: renumbered, with slips, other legal forms,
/// lost accents, words turned or cut off, doubles, records that only one side has, and numbers that mean somebody
/// else.</summary>
internal sealed class MadeParties
{
    private readonly HashSet<string> numbers = [];
    private static readonly string[] Beginnings = """
        ar bel bran cal dor el far gil hal ing jor kal lan mar nor or pel quin ros sel tor ul van wes
        yar zel
        """.Split((char[])[' ', '\n'], StringSplitOptions.RemoveEmptyEntries);
    private static readonly string[] Middles =
        "a an ber da den e en gar i il ka len lo ma mer na nor o ra ri ro sa ten ter u va ven".Split(' ');
    private static readonly string[] Ends =
        "berg by dal feld gard holm ik kamp lund mann mar nes rud sen son stad tal vik wald worth øy ström".Split(' ');
    private static readonly string[] Trades = """
        Trading Services Logistics Foods Paper Print Optics Timber Metals Ceramics Textiles Supplies
        Consulting Marine Tools
        """.Split((char[])[' ', '\n'], StringSplitOptions.RemoveEmptyEntries);
    private static readonly string[] Towns = """
        Aldermoor Brekkesund Callowgate Dunvale Eskholm Farrowby Gråvik Hollerup Ivarsnes Junipero
        Källby Lindau
        """.Split((char[])[' ', '\n'], StringSplitOptions.RemoveEmptyEntries);
    private static readonly string[][] Forms =
    [
        ["GmbH", "AG", "GmbH & Co. KG", "KG"],
        ["Ltd", "Limited", "PLC", "LLP"],
        ["S.r.l.", "S.p.A.", "Srl"],
        ["SARL", "S.A.", "SAS"],
        ["AB", "AS", "A/S", "ApS", "Oy"],
        ["B.V.", "N.V."],
        ["Sp. z o.o.", "s.r.o.", "Kft."],
        ["Inc.", "LLC", "Corp."],
    ];
    private static readonly string[] Countries = ["DE", "GB", "IT", "FR", "SE", "NL", "PL", "US"];

    public List<PairRecord> Theirs { get; } = [];
    public List<PairRecord> Ours { get; } = [];

    /// <summary>For each of theirs the one of ours that it is, or -1.</summary>
    public List<int> Truth { get; } = [];

    /// <summary>Which of theirs are a second time there.</summary>
    public HashSet<int> Second { get; } = [];

    /// <summary>Which of theirs have the number of somebody else.</summary>
    public HashSet<int> Traps { get; } = [];

    public MadeParties(int seed, int count, bool withTax)
    {
        var random = new Random(seed);
        T Pick<T>(IReadOnlyList<T> of) => of[random.Next(of.Count)];
        string Word()
        {
            var word = Pick(Beginnings);
            for (var i = random.Next(1, 3); i > 0; i--)
                word += Pick(Middles);
            word += Pick(Ends);
            return char.ToUpperInvariant(word[0]) + word[1..];
        }
        var names = new HashSet<string>(StringComparer.OrdinalIgnoreCase);
        for (var i = 0; i < count; i++)
        {
            var land = random.Next(Forms.Length);
            string name;
            do name = random.Next(10) switch
            {
                < 5 => $"{Word()} {Pick(Trades)}",
                < 7 => $"{Word()} & {Word()}",
                < 8 => $"{Word()} {Pick(Trades)} {Pick(Towns)}",
                < 9 => Word(),
                _ => $"{Pick(Trades)} {Pick(Towns)} {random.Next(1, 400)}",
            };
            while (!names.Add(name));
            var form = random.Next(8) == 0 ? "" : " " + Pick(Forms[land]);
            var tax =
                withTax && random.Next(10) < 5 ? Countries[land] + random.NextInt64(100_000_000, 999_999_999) : null;
            var ours = new PairRecord($"{10_000 + i}", name + form) { Country = Countries[land], TaxNumber = tax };
            var kind = random.Next(100);
            // Only theirs, only ours, or both.
            if (kind >= 9)
                Ours.Add(ours);
            if (kind is >= 9 and < 19)
                continue;
            var place = kind >= 9 ? Ours.Count - 1 : -1;
            Put(random, Changed(random, ours, name, land), place);
            if (place >= 0 && random.Next(100) < 2)
            {
                Second.Add(Theirs.Count);
                Put(random, Changed(random, ours, name, land), place);
            }
        }
        // Numbers that are somebody else's.
        for (var i = 0; i < Theirs.Count; i++)
            if (random.Next(100) < 3)
            {
                var other = random.Next(Ours.Count);
                if (other == Truth[i] || !numbers.Add(Ours[other].Id))
                    continue;
                Theirs[i] = Theirs[i] with { Id = Ours[other].Id };
                Traps.Add(i);
            }
    }

    private void Put(Random random, PairRecord record, int place)
    {
        // Most were numbered anew; the old numbers of the others are theirs.
        var kept = place >= 0 && random.Next(100) < 25 && numbers.Add(record.Id);
        Theirs.Add(kept ? record : record with { Id = $"K{Theirs.Count:00000}" });
        Truth.Add(place);
    }

    private static PairRecord Changed(Random random, PairRecord of, string name, int land)
    {
        T Pick<T>(IReadOnlyList<T> from) => from[random.Next(from.Count)];
        var words = name.Split(' ').ToList();
        if (random.Next(100) < 15)
            Slip(random, words);
        if (random.Next(100) < 5 && words.Count == 2)
            words.Reverse();
        if (random.Next(100) < 4 && words is [.., { Length: > 6 } last])
            words[^1] = last[..4] + ".";
        var changed = string.Join(' ', words);
        if (random.Next(100) < 10)
            changed = Plain(changed);
        if (random.Next(100) < 10)
            changed = changed.ToUpperInvariant();
        if (random.Next(100) < 10)
            changed = changed.Replace("&", "und");
        var form = random.Next(4) == 0 ? "" : " " + Pick(Forms[land]);
        return of with
        {
            Name = changed + form,
            Country = random.Next(5) == 0 ? null : of.Country,
            TaxNumber =
                of.TaxNumber is not { } tax || random.Next(5) == 0 ? null
                : random.Next(2) == 0 ? $"{tax[..2]} {tax[2..5]} {tax[5..]}"
                : tax,
        };
    }

    private static void Slip(Random random, List<string> words)
    {
        var at = Enumerable.Range(0, words.Count).MaxBy(i => words[i].Length);
        var word = words[at];
        if (word.Length < 5)
            return;
        var place = random.Next(1, word.Length - 1);
        words[at] = random.Next(4) switch
        {
            0 => word.Remove(place, 1),
            1 => word.Insert(place, word[place].ToString()),
            2 => word[..place] + word[place + 1] + word[place] + word[(place + 2)..],
            _ => word[..place] + (char)('a' + random.Next(26)) + word[(place + 1)..],
        };
    }

    private static string Plain(string text) =>
        text.Replace('å', 'a').Replace('ö', 'o').Replace('ä', 'a').Replace('ø', 'o').Replace('Ø', 'O');
}
