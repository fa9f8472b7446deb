using Assignum.Core.Chart;

namespace Assignum.Core.Tables.Foreign;

/// <summary>A row of a foreign chart on its way to an account.</summary>
internal sealed class Draft
{
    public required int Line { get; init; }
    public string? Number { get; set; }
    public string Name { get; init; } = "";
    public int Depth { get; init; }

    /// <summary>What the row says of itself: its type's word, its kind, its parent or its path.</summary>
    public string? TypeWord { get; init; }
    public TypeMeaning? Type { get; set; }
    public AccountKind? KindSaid { get; set; }
    public string? ParentText { get; init; }
    public IReadOnlyList<string> PathSteps { get; init; } = [];

    /// <summary>The balance that the file gives it, debit less credit; null: none.</summary>
    public decimal? Opening { get; init; }

    public Draft? Parent { get; set; }

    /// <summary>Number of a parent that is in the chart and not in the file, or that is nowhere.</summary>
    public string? ParentNumber { get; set; }
    public List<Draft> Children { get; } = [];
    public AccountClass? Class { get; set; }
    public Dictionary<string, string?> Cells { get; } = new(StringComparer.Ordinal);
}

/// <summary>Finds the headings above each row.</summary>
internal static class ForeignTree
{
    public static void Build(List<Draft> drafts, ForeignShape shape, bool typed)
    {
        switch (shape)
        {
            case ForeignShape.Parents:
                ByParents(drafts);
                break;
            case ForeignShape.Path:
                ByPaths(drafts);
                break;
            case ForeignShape.Levels or ForeignShape.Columns or ForeignShape.Indents:
                ByDepth(drafts);
                break;
            case ForeignShape.Titles:
                ByTitles(drafts);
                break;
            case ForeignShape.Numbers:
                ByNumbers(drafts, typed);
                break;
        }
        foreach (var draft in drafts)
            draft.Parent?.Children.Add(draft);
    }

    // The nearest row above that stands less far in.
    private static void ByDepth(List<Draft> drafts)
    {
        var open = new Stack<Draft>();
        foreach (var draft in drafts)
        {
            while (open.TryPeek(out var above) && above.Depth >= draft.Depth)
                open.Pop();
            draft.Parent = open.TryPeek(out var parent) ? parent : null;
            open.Push(draft);
        }
    }

    // A row without a number is the title of those that follow it.
    private static void ByTitles(List<Draft> drafts)
    {
        Draft? title = null;
        foreach (var draft in drafts)
            if (draft.Number is null)
                title = draft;
            else
                draft.Parent = title;
    }

    private static void ByParents(List<Draft> drafts)
    {
        var byNumber = new Dictionary<string, Draft>(StringComparer.Ordinal);
        var byName = new Dictionary<string, Draft>(StringComparer.OrdinalIgnoreCase);
        foreach (var draft in drafts)
        {
            if (draft.Number is not null)
                byNumber.TryAdd(draft.Number, draft);
            byName.TryAdd(draft.Name, draft);
        }
        foreach (var draft in drafts)
        {
            if (draft.ParentText is not { } text)
                continue;
            draft.Parent = byNumber.GetValueOrDefault(text)
                ?? (
                    ForeignProposal.NumberThenName().Match(text) is { Success: true } match
                        ? byNumber.GetValueOrDefault(match.Groups["number"].Value)
                        : null
                )
                ?? byName.GetValueOrDefault(text);
            if (draft.Parent is null)
                draft.ParentNumber = text;
        }
    }

    private static void ByPaths(List<Draft> drafts)
    {
        const char step = '\u001f';
        var at = new Dictionary<string, Draft>(StringComparer.OrdinalIgnoreCase);
        var byNumber = drafts
            .Where(d => d.Number is not null)
            .GroupBy(d => d.Number!)
            .ToDictionary(g => g.Key, g => g.First(), StringComparer.Ordinal);
        var above = new Dictionary<Draft, string[]>();
        foreach (var draft in drafts)
        {
            var steps = draft.PathSteps;
            var own =
                steps.Count > 0
                && (
                    Same(steps[^1], draft.Name)
                    || Same(steps[^1], draft.Number)
                    || Same(steps[^1], $"{draft.Number} {draft.Name}")
                );
            above[draft] = [.. own ? steps.SkipLast(1) : steps];
            at.TryAdd(string.Join(step, above[draft].Append(draft.Name)), draft);
        }
        foreach (var draft in drafts.ToList())
        {
            Draft? parent = null;
            for (var depth = 1; depth <= above[draft].Length; depth++)
            {
                var path = string.Join(step, above[draft].Take(depth));
                var name = above[draft][depth - 1];
                if (!at.TryGetValue(path, out var heading))
                {
                    heading = byNumber.GetValueOrDefault(
                        ForeignProposal.NumberThenName().Match(name) is { Success: true } match
                            ? match.Groups["number"].Value
                            : name
                    );
                    if (heading is null)
                        drafts.Add(
                            heading = new Draft
                            {
                                Line = draft.Line,
                                Name = name,
                                Parent = parent,
                            }
                        );
                    at[path] = heading;
                }
                if (heading != draft)
                    parent = heading;
            }
            draft.Parent = parent;
        }
    }

    // A shorter number that this one begins with; else, of numbers equally long, the nearest heading by trailing zeros.
    private static void ByNumbers(List<Draft> drafts, bool typed)
    {
        var byNumber = new Dictionary<string, Draft>(StringComparer.Ordinal);
        foreach (var draft in drafts)
            if (draft.Number is not null)
                byNumber.TryAdd(draft.Number, draft);
        var capitals = drafts.Count(d => Capital(d.Name)) is > 0 and var many && many < drafts.Count / 2;
        bool HeadingLike(Draft d) =>
            d.KindSaid == AccountKind.Heading
            || d.KindSaid is null && (typed && d.TypeWord is null || capitals && Capital(d.Name));
        foreach (var draft in drafts)
        {
            if (draft.Number is not { } number)
                continue;
            for (var length = number.Length - 1; length >= 1 && draft.Parent is null; length--)
            {
                if (byNumber.TryGetValue(number[..length], out var shorter) && shorter.KindSaid != AccountKind.Posting)
                    draft.Parent = shorter;
                else if (
                    byNumber.TryGetValue(number[..length].PadRight(number.Length, '0'), out var even)
                    && even != draft
                    && HeadingLike(even)
                )
                    draft.Parent = even;
            }
        }
    }

    private static bool Capital(string name) => name.Any(char.IsLetter) && !name.Any(char.IsLower);

    private static bool Same(string a, string? b) =>
        string.Equals(a.Trim(), b?.Trim(), StringComparison.OrdinalIgnoreCase);
}
