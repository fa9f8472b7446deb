using Assignum.Core.Chart;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;

namespace Assignum.Desk.Books;

/// <summary>Which accounts are of which control on a day.</summary>
public sealed class ControlAccounts(ViewSetUp view)
{
    /// <summary>The control of each account by the edition in force on the day; before any was, by the newest.</summary>
    public async Task<Outcome<IReadOnlyDictionary<string, Control>>> OnAsync(
        Visit visit,
        DateOnly day,
        CancellationToken stop
    )
    {
        var looked = await view.OnAsync(visit, day, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<IReadOnlyDictionary<string, Control>>();
        return new Outcome<IReadOnlyDictionary<string, Control>>(
            setUp
                .SetUp.Accounts.Where(a => a.Control != Control.None && a.Kind == AccountKind.Posting)
                .ToDictionary(a => a.Number, a => a.Control, StringComparer.Ordinal),
            null,
            []
        );
    }
}
