using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using static Assignum.Core.Tables.Foreign.ForeignReader;

namespace Assignum.Core.Tables.Foreign;

/// <summary>Decides what the rows of somebody else's chart leave open: kinds, numbers of headings, classes, and the
/// heading each stands under.</summary>
internal static class ForeignDrafts
{
    public static void Kinds(List<Draft> drafts, Dictionary<string, Account> existing, List<Fault> faults)
    {
        foreach (var draft in drafts)
        {
            if (draft.Children.Count > 0 && draft.KindSaid == AccountKind.Posting)
                foreach (var child in draft.Children)
                    faults.Add(
                        Fault(
                            child.Line,
                            "parent",
                            "not-a-heading",
                            $"{child.Number ?? child.Name} stands under {draft.Number ?? draft.Name} (line "
                                + $"{draft.Line}), which the file calls a posting account: only headings have "
                                + "accounts below them."
                        )
                    );
            draft.KindSaid =
                draft.Children.Count > 0
                    ? AccountKind.Heading
                    : draft.KindSaid
                        ?? (
                            draft.Number is not null && existing.TryGetValue(draft.Number, out var old)
                                ? old.Kind
                                : AccountKind.Posting
                        );
        }
    }

    // Headings without a number get one: that of the heading of that name in the chart, else what their accounts'
    // numbers begin with.
    public static void Numbers(
        List<Draft> drafts,
        Dictionary<string, Account> existing,
        List<Fault> faults,
        List<string> notes
    )
    {
        var taken = drafts.Where(d => d.Number is not null).Select(d => d.Number!).ToHashSet(StringComparer.Ordinal);
        var byName = existing
            .Values.Where(a => a.Kind == AccountKind.Heading)
            .GroupBy(a => a.Name, StringComparer.OrdinalIgnoreCase)
            .ToDictionary(g => g.Key, g => g.First(), StringComparer.OrdinalIgnoreCase);
        var made = 0;
        var open = new Stack<Draft>(drafts.Where(d => d.Parent is null).Reverse());
        while (open.TryPop(out var draft))
        {
            foreach (var child in Enumerable.Reverse(draft.Children))
                open.Push(child);
            if (draft.Number is not null)
                continue;
            if (draft.Children.Count == 0)
            {
                faults.Add(
                    Fault(
                        draft.Line,
                        "number",
                        "missing-value",
                        $"'{Cut(draft.Name)}' has no number and no account below it: give it a number, or leave the "
                            + "row out."
                    )
                );
                continue;
            }
            made++;
            draft.Number =
                byName.GetValueOrDefault(draft.Name) is { } same && taken.Add(same.Number)
                    ? same.Number
                    : Made(draft, taken, existing);
        }
        foreach (var draft in drafts.Where(d => d.Number is null && d.Children.Count > 0))
            faults.Add(
                Fault(
                    draft.Line,
                    "parent",
                    "cycle",
                    $"'{Cut(draft.Name)}' stands under itself: its parents come back to it."
                )
            );
        if (made > 0)
            notes.Add($"{made} headings have no number in the file; they get what the numbers below them begin with.");
    }

    private static string Made(Draft draft, HashSet<string> taken, Dictionary<string, Account> existing)
    {
        var numbers = new List<string>();
        var open = new Stack<Draft>(draft.Children);
        while (open.TryPop(out var below))
        {
            if (below.Number is not null)
                numbers.Add(below.Number);
            foreach (var child in below.Children)
                open.Push(child);
        }
        var stem = numbers.Count == 0 ? "H" : numbers.Aggregate(Common);
        var width = numbers.Count == 0 ? 1 : numbers.Min(n => n.Length);
        foreach (
            var candidate in new[] { stem.PadRight(width, '0'), stem }
                .Where(c => c.Length > 0)
                .Concat(Enumerable.Range(1, 10_000).Select(i => $"{stem}-{i}"))
        )
            if (!existing.ContainsKey(candidate) && taken.Add(candidate))
                return candidate;
        return stem;
    }

    private static string Common(string a, string b)
    {
        var length = 0;
        while (length < a.Length && length < b.Length && a[length] == b[length])
            length++;
        return a[..length];
    }

    public static void Classes(
        List<Draft> drafts,
        Dictionary<string, Account> existing,
        SetUp current,
        List<Fault> faults,
        bool typed
    )
    {
        var numbers = new ChartNumbers(current.Accounts, current.NumberBands);
        foreach (var draft in drafts)
            draft.Class = draft.Type?.Class
                ?? (
                    !typed && draft.Number is not null && existing.TryGetValue(draft.Number, out var old)
                        ? old.Class
                        : null
                );
        // What the first character of typed numbers says, where nine in ten agree.
        var first = drafts
            .Where(d => d is { Class: not null, Number.Length: > 0, KindSaid: AccountKind.Posting })
            .GroupBy(d => d.Number![0])
            .Select(g => (g.Key, Count: g.Count(), Most: g.GroupBy(d => d.Class!.Value).MaxBy(c => c.Count())!))
            .Where(x => x.Most.Count() * 10 >= x.Count * 9)
            .ToDictionary(x => x.Key, x => x.Most.Key);
        foreach (var draft in drafts.Where(d => d.KindSaid == AccountKind.Posting && d.Class is null))
        {
            var steps = 0;
            for (
                var above = draft.Parent;
                above is not null && draft.Class is null && steps++ < 100;
                above = above.Parent
            )
                draft.Class = above.Type?.Class
                    ?? (TypeWords.Of(above.Name) is { Sure: >= 0.7 } said ? said.Meaning.Class : null);
            draft.Class ??= draft.Number is null
                ? null
                : numbers.BandOf(draft.Number)
                    ?? (
                        first.TryGetValue(draft.Number.Length > 0 ? draft.Number[0] : ' ', out var likely)
                            ? likely
                            : null
                    );
            if (draft.Class is null)
                faults.Add(
                    Fault(
                        draft.Line,
                        "class",
                        "no-class",
                        draft.TypeWord is null
                            ? $"{draft.Number} {Cut(draft.Name)}: nothing says its class. Take a column for the "
                                + "class, or give it a heading that says it."
                            : $"{draft.Number} {Cut(draft.Name)}: choose what '{Cut(draft.TypeWord)}' means."
                    )
                );
        }
        // A heading's class is what it says, else that of most accounts below it.
        foreach (var draft in drafts.Where(d => d.KindSaid == AccountKind.Heading))
            draft.Class ??= Most(draft)
                ?? (TypeWords.Of(draft.Name)?.Meaning.Class)
                ?? (draft.Number is null ? null : numbers.BandOf(draft.Number));
        foreach (var draft in drafts.Where(d => d.KindSaid == AccountKind.Heading && d.Class is null))
            faults.Add(
                Fault(
                    draft.Line,
                    "class",
                    "no-class",
                    $"{draft.Number} {Cut(draft.Name)}: nothing says the class of this heading. Give it a type, or "
                        + "leave the row out."
                )
            );
    }

    // An account stands under a heading of its own class: the nearest above it that is one, else at the top, where its
    // class places it.
    public static void Places(List<Draft> drafts, Dictionary<string, Account> existing, List<string> notes)
    {
        var moved = 0;
        foreach (var draft in drafts.Where(d => d.Class is not null))
        {
            var (parent, steps) = (draft.Parent, 0);
            while (parent is not null && parent.Class != draft.Class && steps++ < 100)
                parent = parent.Parent;
            if (parent == draft.Parent)
            {
                // A parent that is in the chart and not in the file.
                if (
                    parent is null
                    && draft.ParentNumber is not null
                    && existing.TryGetValue(draft.ParentNumber, out var held)
                    && held.Class != draft.Class
                )
                {
                    draft.ParentNumber = null;
                    moved++;
                }
                continue;
            }
            (draft.Parent, draft.ParentNumber, moved) = (parent, null, moved + 1);
        }
        if (moved > 0)
            notes.Add(
                $"{(moved == 1 ? "One account stands" : $"{moved} accounts stand")} under a heading of another "
                    + $"class; {(moved == 1 ? "it goes" : "they go")} under the nearest heading of "
                    + $"{(moved == 1 ? "its" : "their")} own class, or to the top of it."
            );
    }

    private static AccountClass? Most(Draft heading)
    {
        var counts = new Dictionary<AccountClass, int>();
        var (open, seen) = (new Stack<Draft>(heading.Children), new HashSet<Draft>());
        while (open.TryPop(out var at))
        {
            if (!seen.Add(at))
                continue;
            if (at is { KindSaid: AccountKind.Posting, Class: { } its })
                counts[its] = counts.GetValueOrDefault(its) + 1;
            foreach (var child in at.Children)
                open.Push(child);
        }
        return counts.Count == 0 ? null : counts.OrderByDescending(c => c.Value).ThenBy(c => c.Key).First().Key;
    }
}
