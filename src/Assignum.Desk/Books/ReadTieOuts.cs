using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>A line that is in the ledger or in the documents alone, with its cause.</summary>
/// <param name="Amount">What it explains of the ledger less the documents.</param>
public sealed record TieRow(TieLine Line, TieCause Cause, decimal Amount);

/// <summary>The controls at a day.</summary>
/// <param name="Theirs">Those that another system sent a list for, of that day.</param>
public sealed record TieOutsView(
    DateOnly At,
    IReadOnlyList<TieOut> Controls,
    IReadOnlyDictionary<Control, TheirTieOut> Theirs
);

/// <summary>One control at a day, opened.</summary>
/// <param name="More">The entry before which further rows are; null: these are all.</param>
/// <param name="Theirs">Null: no other system sent a list of that day.</param>
public sealed record TieOutView(
    DateOnly At,
    TieOut TieOut,
    IReadOnlyList<TieRow> Rows,
    long? More,
    TheirTieOut? Theirs = null
);

/// <summary>Holds control accounts against their documents.</summary>
public sealed class ReadTieOuts(DeskContext desk, ControlAccounts controlsOf)
{
    /// <summary>Rows that are told at once.</summary>
    public const int MostRows = 200;

    /// <summary>All controls at a day; null: today.</summary>
    public async Task<Outcome<TieOutsView>> AllAsync(Visit visit, DateOnly? at, CancellationToken stop)
    {
        var day = at ?? visit.State.Today;
        var controls = await controlsOf.OnAsync(visit, day, stop);
        if (controls.Result is not { } of)
            return controls.Pass<TieOutsView>();
        await using var db = await desk.Database.OpenAsync(stop);
        var found = TieOuts.Of(of, await TieStore.SumsAsync(db, visit.State.Id, day, stop));
        var theirs = new Dictionary<Control, TheirTieOut>();
        foreach (var (control, list) in await TheirStore.ListsAsync(db, visit.State.Id, day, stop))
            theirs[control] = await CompareAsync(db, visit.State.Id, control, of, day, list, stop);
        return new TieOutsView(day, found, theirs);
    }

    /// <summary>One control with the lines that are in its accounts or in its documents alone.</summary>
    /// <param name="before">Where the page of rows begins; null: with the newest.</param>
    public async Task<Outcome<TieOutView>> OneAsync(
        Visit visit,
        Control control,
        DateOnly? at,
        long? before,
        CancellationToken stop
    )
    {
        var day = at ?? visit.State.Today;
        var controls = await controlsOf.OnAsync(visit, day, stop);
        if (controls.Result is not { } of)
            return controls.Pass<TieOutView>();
        await using var db = await desk.Database.OpenAsync(stop);
        var found = TieOuts.Of(of, await TieStore.SumsAsync(db, visit.State.Id, day, stop));
        var tie = found.FirstOrDefault(t => t.Control == control) ?? new TieOut(control, [], 0, 0, []);
        var lists = await TheirStore.ListsAsync(db, visit.State.Id, day, stop);
        var theirs = lists.TryGetValue(control, out var list)
            ? await CompareAsync(db, visit.State.Id, control, of, day, list, stop)
            : null;
        if (tie.Causes.Count == 0)
            return new TieOutView(day, tie, [], null, theirs);
        var lines = await TieStore.LinesAsync(
            db,
            visit.State.Id,
            day,
            [.. tie.Accounts],
            [.. Purposes.All.Where(p => p.Control == control).Select(p => p.Name)],
            [.. TieOuts.OfDocuments],
            before ?? long.MaxValue,
            MostRows + 1,
            stop
        );
        // A page ends with a whole entry.
        var more = lines.Count > MostRows ? lines[MostRows].Entry : (long?)null;
        var shown = more is { } cut ? lines.TakeWhile(l => l.Entry > cut).ToList() : lines;
        if (shown.Count == 0)
            shown = lines;
        var rows = new List<TieRow>();
        foreach (var line in shown)
        {
            var place = TieOuts.PlaceOf(
                control,
                of.GetValueOrDefault(line.Account),
                line.Purpose,
                line.Kind,
                out var cause
            );
            if (cause is { } why)
                rows.Add(new TieRow(line, why, place.Ledger ? line.Amount : -line.Amount));
        }
        return new TieOutView(day, tie, rows, more is null ? null : shown[^1].Entry, theirs);
    }

    /// <summary>What a control differed by at the ends of the last months, the day asked for last.</summary>
    public async Task<IReadOnlyList<(DateOnly At, decimal Difference)>> OverTimeAsync(
        Visit visit,
        Control control,
        DateOnly day,
        CancellationToken stop
    )
    {
        var found = new List<(DateOnly, decimal)>();
        for (var i = 5; i >= 0; i--)
        {
            var at = i == 0 ? day : new DateOnly(day.Year, day.Month, 1).AddMonths(1 - i).AddDays(-1);
            var controls = await controlsOf.OnAsync(visit, at, stop);
            if (controls.Result is not { } of)
                continue;
            await using var db = await desk.Database.OpenAsync(stop);
            found.Add(
                (
                    at,
                    TieOuts
                        .Of(of, await TieStore.SumsAsync(db, visit.State.Id, at, stop))
                        .FirstOrDefault(t => t.Control == control)
                        ?.Difference
                        ?? 0
                )
            );
        }
        return found;
    }

    private static async Task<TheirTieOut> CompareAsync(
        Npgsql.NpgsqlConnection db,
        int entity,
        Control control,
        IReadOnlyDictionary<string, Control> controls,
        DateOnly day,
        (IReadOnlyList<string> Sources, IReadOnlyList<SubledgerKey> Keys) list,
        CancellationToken stop
    )
    {
        var accounts = await SubledgerStore.AccountsAsync(
            db,
            entity,
            control,
            [.. controls.Where(c => c.Value == control).Select(c => c.Key)],
            stop
        );
        var keys = list.Keys;
        var ours = await SubledgerStore.DocumentsAsync(db, entity, control, accounts, day, null, false, keys, stop);
        var theirs = await TheirStore.SumsAsync(db, entity, control, day, keys, stop);
        var later = await SubledgerStore.DocumentsAsync(
            db,
            entity,
            control,
            accounts,
            day > DateOnly.MaxValue.AddDays(-TheirLists.Days) ? day : day.AddDays(TheirLists.Days),
            day,
            true,
            keys,
            stop
        );
        return TheirLists.Compare(control, list.Sources, ours, theirs, [.. later.Select(l => (l.Keys, l.Amount))]);
    }
}
