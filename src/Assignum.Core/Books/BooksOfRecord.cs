using Assignum.Core.Chart;

namespace Assignum.Core.Books;

/// <summary>Why a control here and the general ledger's balances of its paired accounts differ.</summary>
public enum RecordCause
{
    /// <summary>Posted here, and not yet there: it waits or is on its way.</summary>
    NotSent,

    /// <summary>The ledger refused it.</summary>
    RefusedThere,

    /// <summary>Made there by hand.</summary>
    Foreign,

    /// <summary>Dated before the first day that goes on.</summary>
    BeforeOpening,

    /// <summary>Nothing of these explains it.</summary>
    Amount,
}

/// <summary>What a cause explains of the ledger here less the book of record.</summary>
public sealed record RecordCauseSum(RecordCause Cause, decimal Amount, int Count);

/// <summary>A control held against the connected general ledger.</summary>
/// <param name="Connection">Code of the ledger.</param>
/// <param name="Amount">Its balances of the accounts that are paired with those of the control.</param>
/// <param name="Difference">The ledger here less that.</param>
/// <param name="Causes">They sum to the difference, always.</param>
public sealed record RecordTie(
    Control Control,
    string Connection,
    decimal Amount,
    decimal Difference,
    IReadOnlyList<RecordCauseSum> Causes
);

/// <summary>Holds controls against the book of record.</summary>
public static class BooksOfRecord
{
    /// <summary>A control against it.</summary>
    /// <param name="ledger">Its balance here.</param>
    /// <param name="known">What of the difference has a cause.</param>
    public static RecordTie Of(
        Control control,
        string connection,
        decimal ledger,
        decimal there,
        IEnumerable<RecordCauseSum> known
    )
    {
        var causes = known.Where(k => k.Amount != 0).ToList();
        var rest = ledger - there - causes.Sum(c => c.Amount);
        if (rest != 0)
            causes.Add(new RecordCauseSum(RecordCause.Amount, rest, 1));
        return new RecordTie(control, connection, there, ledger - there, causes);
    }
}
