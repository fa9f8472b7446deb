using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>What a subledger keeps of an event without a line of an entry: goods that move without value, value that
/// goes from one key to another on one account, an open item that is moved to another document.</summary>
/// <param name="Quantity">Units, debit less credit.</param>
/// <param name="Amount">Debit less credit, in base currency and, where there is one, in the document's.</param>
/// <param name="Bound">Where it stands; null: the ladder decides.</param>
/// <param name="Rate">Base units for one unit of the document's currency; null: the event's.</param>
public sealed record QuietLeg(
    Purpose Purpose,
    LegContext Context,
    decimal Quantity,
    LegAmount Amount,
    PostedOn? Bound,
    decimal? Rate = null
);

/// <summary>The same on its account.</summary>
/// <param name="Account">Null: no assignment fits, and nothing but goods moves.</param>
public sealed record QuietMove(QuietLeg Leg, string? Account, Account? Record, bool ByDefault);
