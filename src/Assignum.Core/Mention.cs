namespace Assignum.Core;

/// <summary>Something that a sentence names and that has a page of its own.</summary>
/// <param name="Text">How it stands in the sentence.</param>
/// <param name="To">What it is: <c>account</c>, <c>purpose</c>, <c>tax-code</c>, a dimension by its word.</param>
/// <param name="Code">Its code.</param>
public sealed record Mention(string Text, string To, string Code)
{
    /// <summary>A sentence in pieces: plain text, and what is named in it. The longest names are found first, whole words
    /// only, each wherever it stands.</summary>
    public static IReadOnlyList<(string Text, Mention? Named)> In(string sentence, IEnumerable<Mention> mentions)
    {
        var pieces = new List<(string Text, Mention? Named)> { (sentence, null) };
        foreach (
            var mention in mentions
                .Where(m => m.Text.Length > 0)
                .Distinct()
                .OrderByDescending(m => m.Text.Length)
                .ThenBy(m => m.Text, StringComparer.Ordinal)
        )
            for (var i = 0; i < pieces.Count; i++)
            {
                if (pieces[i] is not { Named: null, Text: var text })
                    continue;
                var at = Find(text, mention.Text);
                if (at < 0)
                    continue;
                pieces[i] = (text[..at], null);
                pieces.Insert(i + 1, (mention.Text, mention));
                pieces.Insert(i + 2, (text[(at + mention.Text.Length)..], null));
            }
        return [.. pieces.Where(p => p.Text.Length > 0)];
    }

    private static int Find(string text, string word)
    {
        static bool Inside(char c) => char.IsLetterOrDigit(c) || c is '-' or '_';
        for (
            var at = text.IndexOf(word, StringComparison.Ordinal);
            at >= 0;
            at = text.IndexOf(word, at + 1, StringComparison.Ordinal)
        )
        {
            var end = at + word.Length;
            // 1,234 is an amount and no account of that number.
            var part =
                at > 0 && (Inside(text[at - 1]) || text[at - 1] is ',' or '.' && at > 1 && char.IsDigit(text[at - 2]))
                || end < text.Length
                    && (
                        Inside(text[end])
                        || text[end] is ',' or '.' && end + 1 < text.Length && char.IsDigit(text[end + 1])
                    );
            if (!part)
                return at;
        }
        return -1;
    }
}
