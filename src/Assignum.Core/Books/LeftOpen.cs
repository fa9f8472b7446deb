using Assignum.Core.Chart;

namespace Assignum.Core.Books;

/// <summary>A row on an account between two events, with its subledger.</summary>
public sealed record WaitingRow(Control Control, SubledgerRow Row);

/// <summary>An account whose balance stands on the side that is unusual for it.</summary>
/// <param name="Side">The side on which it stands.</param>
public sealed record UnusualBalance(string Account, string Name, string Side, decimal Amount);

/// <summary>A line on the side that is unusual for its account.</summary>
/// <param name="Amount">Debit less credit.</param>
/// <param name="Purpose">Null: by hand.</param>
public sealed record UnusualLine(
    string Number,
    DateOnly Date,
    string Kind,
    string Account,
    string? Purpose,
    string? Party,
    decimal Amount,
    string? Text
);

/// <summary>The subledgers whose accounts lie between two events: what stands on them waits for the second.</summary>
public static class LeftOpen
{
    /// <summary>In the order in which a month is looked through.</summary>
    public static IReadOnlyList<Control> Between { get; } =
    [
        Control.Receipts,
        Control.Stock,
        Control.Production,
        Control.Projects,
        Control.Deposits,
        Control.GiftCards,
        Control.Clearing,
        Control.Intercompany,
    ];

    /// <summary>Whether a row waits for a second event: of goods, those that are held do not.</summary>
    public static bool Waits(Control control, SubledgerRow row) =>
        control != Control.Stock || row.Of(SubledgerKey.State) is not null and not "held";
}
