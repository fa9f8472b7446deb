using Assignum.Core.Entries;
using Assignum.Core.Events;

namespace Assignum.Core.Ledger;

/// <summary>What posting asks beyond what makes an entry.</summary>
public static class PostingRules
{
    /// <summary>Why an event cannot be posted; empty: it can. A guard's error is an error, and a warned-of line on an
    /// account that somebody wrote must say why it is passed over.</summary>
    public static IReadOnlyList<Fault> Errors(BusinessEvent source, EntryResult result)
    {
        if (result.Entry is not { } entry)
            return result.Errors;
        var errors = result.Errors.ToList();
        foreach (
            var remark in entry
                .Remarks.Concat(entry.Mirror?.Entry.Remarks ?? [])
                .Concat(entry.Reversal?.Remarks ?? [])
                .Where(r => r.Severity == Severity.Error)
        )
            errors.Add(
                new Fault(
                    remark.Code,
                    remark.Message,
                    remark.Line is { } n ? $"lines[{n}]" : "",
                    remark.Purpose,
                    remark.Account
                )
            );
        if (EventKinds.Find(source.Kind) is not { ByHand: true })
            return errors;
        foreach (
            var remark in entry.Remarks.Where(r =>
                r is { Severity: Severity.Warning, Line: not null }
                && string.IsNullOrWhiteSpace(source.Lines[r.Line!.Value].Because)
            )
        )
            errors.Add(
                new Fault(
                    "because-needed",
                    $"{remark.Message} Say in 'because' why it is passed over.",
                    $"lines[{remark.Line}].because",
                    null,
                    remark.Account
                )
            );
        return errors;
    }
}
