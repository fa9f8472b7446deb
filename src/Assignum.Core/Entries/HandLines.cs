using Assignum.Core.Events;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>Looks at the lines of an entry that is being written by hand, each by itself, before it balances.</summary>
public static class HandLines
{
    /// <summary>What is wrong with each line and what the guards say of it: faults by their path, remarks by their
    /// line. A line with a fault is looked at no further; the others are.</summary>
    public static (IReadOnlyList<Fault> Faults, IReadOnlyList<Fault> Remarks) Check(
        BusinessEvent source,
        CompiledSetUp setUp
    )
    {
        var faults = EventRules.Check(source, setUp, out var kind, out var remarks);
        if (kind is not { ByHand: true })
            return (faults, remarks);
        bool Faulty(int line) => faults.Any(f => f.Path.StartsWith($"lines[{line}]", StringComparison.Ordinal));
        // What is of the document as a whole is asked of it when it is posted.
        if (source.Currency is not null && faults.Any(f => f.Path is "currency" or "rate"))
            return (faults, remarks);
        var sound = Enumerable.Range(0, source.Lines.Count).Where(i => !Faulty(i)).ToArray();
        var all = source.Lines;
        try
        {
            source.Lines = [.. sound.Select(i => all[i])];
            var sheet = new EntrySheet(setUp, kind, source, NoDocuments.Instance);
            kind.Write(sheet);
            var said = EntryBuilder.Guarded(sheet, kind);
            return (
                [
                    .. faults,
                    .. sheet.Errors.Select(e => e with { Path = Moved(e.Path, sound) }),
                    .. said.Where(s => s.Severity == Severity.Error && s.Line is null),
                ],
                [
                    .. remarks,
                    .. said.Where(s => s.Severity != Severity.Error || s.Line is not null)
                        .Select(r => r.Line is { } line ? r with { Line = sound[line] } : r),
                ]
            );
        }
        finally
        {
            source.Lines = all;
        }
    }

    private static string Moved(string path, int[] sound)
    {
        const string Begin = "lines[";
        if (!path.StartsWith(Begin, StringComparison.Ordinal) || path.IndexOf(']') is not (> 0 and var end))
            return path;
        return int.TryParse(path.AsSpan(Begin.Length, end - Begin.Length), out var line)
            ? $"{Begin}{sound[line]}{path[end..]}"
            : path;
    }
}
