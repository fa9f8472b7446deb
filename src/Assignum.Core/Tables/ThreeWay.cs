namespace Assignum.Core.Tables;

/// <summary>A cell, or a row as a whole, that two sides changed differently.</summary>
/// <param name="Column">Where in the row; -1: the row as a whole, which came or went on one side.</param>
public readonly record struct Clash(int Column, string? Was, string? Here, string? Theirs);

/// <summary>
/// The one merge of three states of a row: as it was, as it is here, and as somebody else makes it. What only they
/// changed is taken, what only others changed stays, what both changed alike is there already, and what both changed
/// differently is asked. Drafts, sheets and bundles merge by it.
/// </summary>
public static class ThreeWay
{
    /// <summary>Merges one row; null is no row.</summary>
    /// <param name="said">A row in words, for a clash of whole rows.</param>
    /// <param name="takes">Whether what they make of it is taken; otherwise what is here stays. Asked once a
    /// clash.</param>
    /// <returns>What the row becomes here.</returns>
    public static string?[]? Row(
        string?[]? was,
        string?[]? here,
        string?[]? theirs,
        Func<string?[], string> said,
        Func<Clash, bool> takes
    )
    {
        if (Same(here, theirs) || Same(was, theirs))
            return here;
        if (Same(was, here))
            return theirs;
        if (was is null || here is null || theirs is null)
        {
            string? Said(string?[]? row) => row is null ? null : said(row);
            return takes(new Clash(-1, Said(was), Said(here), Said(theirs))) ? theirs : here;
        }
        string?[] after = [.. here];
        for (var i = 0; i < after.Length; i++)
        {
            if (theirs[i] == was[i] || theirs[i] == here[i])
                continue;
            if (here[i] == was[i] || takes(new Clash(i, was[i], here[i], theirs[i])))
                after[i] = theirs[i];
        }
        return after;
    }

    /// <summary>Two rows, or no rows, are the same.</summary>
    public static bool Same(string?[]? one, string?[]? other) =>
        one is null ? other is null : other is not null && one.AsSpan().SequenceEqual(other);
}
