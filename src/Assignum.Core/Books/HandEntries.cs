namespace Assignum.Core.Books;

/// <summary>An entry by hand that passes over a warning.</summary>
/// <param name="Amount">Debit less credit of the line.</param>
public sealed record PassedOver(
    string Number,
    DateOnly Date,
    string Account,
    decimal Amount,
    string Because,
    string Who,
    DateTime At
);

/// <summary>What is said of an entry that is being written.</summary>
/// <param name="Line">Which line, from 0; null: the document.</param>
/// <param name="Severity"><c>error</c>, <c>warning</c> or <c>hint</c>.</param>
/// <param name="Field">The field that it is about, where one is.</param>
public sealed record HandSaid(int? Line, string Severity, string Message, string? Field);

/// <summary>How an entry that is being written stands.</summary>
/// <param name="Names">The names of the accounts that its lines are on, by their numbers.</param>
public sealed record HandCheck(
    IReadOnlyList<HandSaid> Said,
    decimal Debit,
    decimal Credit,
    IReadOnlyDictionary<string, string> Names
)
{
    /// <summary>Debits less credits.</summary>
    public decimal Difference => Debit - Credit;
}
