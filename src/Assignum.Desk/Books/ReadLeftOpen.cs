using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>What is left open at a day: rows between two events, balances and lines on the unusual side.</summary>
/// <param name="More">There are more rows than are told; the subledgers have all.</param>
public sealed record LeftOpenView(
    DateOnly At,
    IReadOnlyList<WaitingRow> Rows,
    bool More,
    IReadOnlyList<UnusualBalance> Balances,
    IReadOnlyList<UnusualLine> Lines
);

/// <summary>Reads what is left open.</summary>
public sealed class ReadLeftOpen(DeskContext desk, ViewSetUp view, ReadSubledgers subledgers)
{
    /// <summary>Most rows of a subledger, and most lines, that are told.</summary>
    public const int Most = 200;

    /// <summary>What is left open at a day; lines of its month.</summary>
    /// <param name="only">One subledger; null: all that lie between two events.</param>
    public async Task<Outcome<LeftOpenView>> RunAsync(Visit visit, DateOnly at, Control? only, CancellationToken stop)
    {
        var looked = await view.OnAsync(visit, at, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<LeftOpenView>();
        var rows = new List<WaitingRow>();
        var more = false;
        foreach (var control in LeftOpen.Between.Where(c => only is null || c == only))
        {
            var found = await subledgers.RowsAsync(
                visit,
                control,
                new SubledgerQuery(at, OpenOnly: true, Limit: control == Control.Stock ? 2_000 : Most),
                stop
            );
            if (found.Result is not { } of)
                return found.Pass<LeftOpenView>();
            rows.AddRange(
                of.Rows.Where(r => LeftOpen.Waits(control, r)).Take(Most).Select(r => new WaitingRow(control, r))
            );
            more |= of.Next is not null;
        }
        await using var db = await desk.Database.OpenAsync(stop);
        var balances = await StatementStore.BetweenAsync(db, visit.State.Id, null, at, true, stop);
        var posting = setUp.SetUp.Accounts.Where(a => a.Kind == AccountKind.Posting).ToList();
        string[] Usual(UsualSide side) =>
            [.. posting.Where(a => a.UsualSide == side && a.Control == Control.None).Select(a => a.Number)];
        return new LeftOpenView(
            at,
            [.. rows.OrderBy(r => r.Row.Since).ThenByDescending(r => Math.Abs(r.Row.Amount))],
            more,
            [
                .. posting
                    .Select(a => (Account: a, Balance: balances.GetValueOrDefault(a.Number)))
                    .Where(a => a.Account.Unusual(a.Balance) is not null)
                    .OrderByDescending(a => Math.Abs(a.Balance))
                    .Select(a => new UnusualBalance(
                        a.Account.Number,
                        a.Account.Name,
                        a.Account.Unusual(a.Balance)!,
                        Math.Abs(a.Balance)
                    )),
            ],
            await SideStore.LinesAsync(
                db,
                visit.State.Id,
                new DateOnly(at.Year, at.Month, 1),
                at,
                Usual(UsualSide.Debit),
                Usual(UsualSide.Credit),
                Most,
                stop
            )
        );
    }
}
