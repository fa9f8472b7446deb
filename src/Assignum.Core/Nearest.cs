namespace Assignum.Core;

/// <summary>Finds the word somebody probably meant.</summary>
public static class Nearest
{
    /// <summary>The candidate with the fewest single-letter edits from <paramref name="word"/>; the first of
    /// equals.</summary>
    public static string To(string word, IEnumerable<string> candidates) =>
        candidates.MinBy(c => Distance(word, c)) ?? "";

    /// <summary>The candidates that are at most so many edits away, the nearest first.</summary>
    public static IEnumerable<string> Among(string word, IEnumerable<string> candidates, int most) =>
        candidates
            .Where(c => Math.Abs(c.Length - word.Length) <= most)
            .Select(c => (Word: c, Away: Distance(word, c)))
            .Where(c => c.Away <= most)
            .OrderBy(c => c.Away)
            .ThenBy(c => c.Word, StringComparer.Ordinal)
            .Select(c => c.Word);

    /// <summary>Levenshtein distance: single letters added, taken away or changed.</summary>
    public static int Distance(string a, string b)
    {
        if (a.Length > 100)
            a = a[..100];
        var row = b.Length < 200 ? stackalloc int[b.Length + 1] : new int[b.Length + 1];
        for (var j = 0; j <= b.Length; j++)
            row[j] = j;
        for (var i = 1; i <= a.Length; i++)
        {
            var diagonal = row[0];
            row[0] = i;
            for (var j = 1; j <= b.Length; j++)
            {
                var above = row[j];
                row[j] = Math.Min(Math.Min(row[j], row[j - 1]) + 1, diagonal + (a[i - 1] == b[j - 1] ? 0 : 1));
                diagonal = above;
            }
        }
        return row[^1];
    }
}
