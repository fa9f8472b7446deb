using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core.Books;

/// <summary>Why control accounts and their documents differ.</summary>
public enum TieCause
{
    /// <summary>A line written by hand on an account of the control.</summary>
    HandEntry,

    /// <summary>An automatic line on an account of the control, of a purpose of another control or of none.</summary>
    OtherPurpose,

    /// <summary>A leg of the control's purposes on an account that is not one of it.</summary>
    LandedElsewhere,

    /// <summary>The close of a year.</summary>
    Closing,
}

/// <summary>Lines of one account, purpose and kind of event, added up.</summary>
/// <param name="Purpose">Null: written by hand, or of no purpose.</param>
/// <param name="Amount">Debit less credit, base currency.</param>
public sealed record LandedSum(string Account, string? Purpose, string Kind, decimal Amount, long Lines);

/// <summary>A line that stands in the way of a control's accounts and documents agreeing.</summary>
/// <param name="Number">Its entry's.</param>
/// <param name="Amount">Debit less credit, base currency, as it stands in the ledger.</param>
/// <param name="Because">Why a warning on it was passed over; null: nobody said.</param>
public sealed record TieLine(
    long Entry,
    int Line,
    string Number,
    DateOnly Date,
    string Kind,
    string Source,
    string ExternalId,
    string Account,
    string? Purpose,
    string? Party,
    decimal Amount,
    string? Text,
    string Who,
    string? Because
);

/// <summary>What one cause explains of a difference.</summary>
/// <param name="Count">Lines.</param>
public sealed record CauseSum(TieCause Cause, decimal Amount, long Count);

/// <summary>A control's accounts held against its documents at a day.</summary>
/// <param name="Accounts">The accounts that have the control.</param>
/// <param name="Ledger">What stands on them: debit less credit, base currency.</param>
/// <param name="Documents">Legs of the control's purposes, wherever they landed, and openings, reclassifications and
/// revaluations without a purpose on its accounts.</param>
/// <param name="Causes">They add up to the difference, always.</param>
public sealed record TieOut(
    Control Control,
    IReadOnlyList<string> Accounts,
    decimal Ledger,
    decimal Documents,
    IReadOnlyList<CauseSum> Causes
)
{
    /// <summary>The ledger less the documents.</summary>
    public decimal Difference => Ledger - Documents;
}

/// <summary>Holds every control's accounts against its documents.</summary>
/// <remarks>A line is decided by where it stands and what it is for, so that every cent has one place: in the ledger, in
/// the documents, or in both; what is in one alone has a cause.</remarks>
public static class TieOuts
{
    /// <summary>The controls that are held against their documents.</summary>
    public static IReadOnlyList<Control> Controls { get; } =
    [.. Enum.GetValues<Control>().Where(c => c != Control.None)];

    /// <summary>Kinds whose lines without a purpose are what the control's documents began with or are worth.</summary>
    public static IReadOnlySet<string> OfDocuments { get; } =
        new HashSet<string> { "opening", "reclassified", "currency-revalued" };

    /// <summary>Where a line belongs in the tie-out of a control.</summary>
    /// <param name="onAccount">The control of its account.</param>
    /// <param name="cause">Why it is in one alone; null where it is in both or in neither.</param>
    public static (bool Ledger, bool Documents) PlaceOf(
        Control control,
        Control onAccount,
        string? purpose,
        string kind,
        out TieCause? cause
    )
    {
        var ledger = onAccount == control;
        var documents = purpose is null
            ? ledger && OfDocuments.Contains(kind)
            : Purposes.Find(purpose)?.Control == control;
        cause =
            ledger == documents ? null
            : documents ? TieCause.LandedElsewhere
            : purpose is not null ? TieCause.OtherPurpose
            : kind == "year-closed" ? TieCause.Closing
            : kind == "hand-entry" ? TieCause.HandEntry
            : TieCause.OtherPurpose;
        return (ledger, documents);
    }

    /// <summary>The tie-outs of all controls that have an account or a line.</summary>
    /// <param name="controls">The control of each account; accounts without one may be left out.</param>
    public static IReadOnlyList<TieOut> Of(IReadOnlyDictionary<string, Control> controls, IReadOnlyList<LandedSum> sums)
    {
        var found = new List<TieOut>();
        foreach (var control in Controls)
        {
            var accounts = controls.Where(c => c.Value == control).Select(c => c.Key).Order(StringComparer.Ordinal);
            var (ledger, documents, lines) = (0m, 0m, 0L);
            var causes = new Dictionary<TieCause, (decimal Amount, long Count)>();
            foreach (var sum in sums)
            {
                var at = PlaceOf(
                    control,
                    controls.GetValueOrDefault(sum.Account),
                    sum.Purpose,
                    sum.Kind,
                    out var cause
                );
                ledger += at.Ledger ? sum.Amount : 0;
                documents += at.Documents ? sum.Amount : 0;
                lines += at.Ledger || at.Documents ? sum.Lines : 0;
                if (cause is not { } why)
                    continue;
                var (amount, count) = causes.GetValueOrDefault(why);
                causes[why] = (amount + (at.Ledger ? sum.Amount : -sum.Amount), count + sum.Lines);
            }
            IReadOnlyList<string> own = [.. accounts];
            if (own.Count > 0 || lines > 0)
                found.Add(
                    new TieOut(
                        control,
                        own,
                        ledger,
                        documents,
                        [.. causes.OrderBy(c => c.Key).Select(c => new CauseSum(c.Key, c.Value.Amount, c.Value.Count))]
                    )
                );
        }
        return found;
    }
}
