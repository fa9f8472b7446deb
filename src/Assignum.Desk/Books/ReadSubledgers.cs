using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>Rows of a subledger at a day.</summary>
/// <param name="Next">Where the next page begins; null: these are all.</param>
public sealed record SubledgerView(
    DateOnly At,
    Control Control,
    IReadOnlyList<string> Accounts,
    IReadOnlyList<SubledgerRow> Rows,
    int? Next
);

/// <summary>What is open of a control by age.</summary>
public sealed record AgeingView(DateOnly At, Control Control, IReadOnlyList<AgeingRow> Rows);

/// <summary>Reads what subledgers keep: rows, ages, and what has to do with a document.</summary>
public sealed class ReadSubledgers(DeskContext desk, ControlAccounts controls)
{
    /// <summary>Most events of a footprint that are told.</summary>
    public const int MostEvents = 2_000;

    /// <summary>A page of a subledger's rows.</summary>
    public async Task<Outcome<SubledgerView>> RowsAsync(
        Visit visit,
        Control control,
        SubledgerQuery query,
        CancellationToken stop
    )
    {
        var found = await controls.OnAsync(visit, query.At, stop);
        if (found.Result is not { } of)
            return found.Pass<SubledgerView>();
        string[] accounts = [.. of.Where(c => c.Value == control).Select(c => c.Key).Order(StringComparer.Ordinal)];
        await using var db = await desk.Database.OpenAsync(stop);
        var rows = await SubledgerStore.RowsAsync(
            db,
            visit.State.Id,
            control,
            await SubledgerStore.AccountsAsync(db, visit.State.Id, control, accounts, stop),
            query with
            {
                Limit = query.Limit + 1,
            },
            stop
        );
        var more = rows.Count > query.Limit;
        return new SubledgerView(
            query.At,
            control,
            accounts,
            more ? [.. rows.Take(query.Limit)] : rows,
            more ? query.After + query.Limit : null
        );
    }

    /// <summary>What is open of receivables or payables, by party, currency and age.</summary>
    public async Task<Outcome<AgeingView>> AgeingAsync(
        Visit visit,
        Control control,
        DateOnly at,
        CancellationToken stop
    )
    {
        var found = await controls.OnAsync(visit, at, stop);
        if (found.Result is not { } of)
            return found.Pass<AgeingView>();
        await using var db = await desk.Database.OpenAsync(stop);
        var accounts = await SubledgerStore.AccountsAsync(
            db,
            visit.State.Id,
            control,
            [.. of.Where(c => c.Value == control).Select(c => c.Key)],
            stop
        );
        return new AgeingView(
            at,
            control,
            await SubledgerStore.AgeingAsync(db, visit.State.Id, control, accounts, at, stop)
        );
    }

    /// <summary>All that has to do with a document or an order of a party.</summary>
    /// <param name="party">Empty: of nobody.</param>
    public async Task<IReadOnlyList<FootprintRow>> FootprintAsync(
        Visit visit,
        string party,
        bool order,
        string name,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await SubledgerStore.FootprintAsync(db, visit.State.Id, party, order, name, MostEvents, stop);
    }
}
