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
)
{
    /// <summary>Those that the connected general ledger told balances for, of that day.</summary>
    public IReadOnlyDictionary<Control, RecordTie> Record { get; init; } = new Dictionary<Control, RecordTie>();
}

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
        var lists = await TheirStore.ListsAsync(db, visit.State.Id, day, stop);
        var waiting = lists.Count == 0 ? WaitingKeys.None : await WaitingEvents.KeysAsync(desk, db, visit.State, stop);
        foreach (var (control, list) in lists)
            theirs[control] = await CompareAsync(db, visit.State.Id, control, of, day, list, waiting, stop);
        return new TieOutsView(day, found, theirs) { Record = await RecordAsync(db, visit, found, day, stop) };
    }

    // Against the first ledger that is live and told its balances of that day.
    private async Task<IReadOnlyDictionary<Control, RecordTie>> RecordAsync(
        Npgsql.NpgsqlConnection db,
        Visit visit,
        IReadOnlyList<TieOut> found,
        DateOnly day,
        CancellationToken stop
    )
    {
        var ties = new Dictionary<Control, RecordTie>();
        var links = (await ConnectionStore.ListAsync(db, visit.State.Id, stop)).Where(c =>
            c.Of.TakesEntries && (c.State is "live" or "paused")
        );
        foreach (var link in links)
        {
            var at = (visit.State.Id, link.Id);
            var balances = await BookOfRecordStore.BalancesAsync(db, at, day, stop);
            if (balances.Count == 0 || link.LiveFrom is not { } from)
                continue;
            var set = await new SetUps.ViewSetUp(desk).OfAsync(visit.State, "main", null, stop);
            if (set.Result is not { SetUp.SetUp: var setUp })
                continue;
            var pairs = Core.Pairing.Pairs.Of(setUp, link.Code, "account");
            var theirs = found.ToDictionary(
                t => t.Control,
                t =>
                    t.Accounts.Select(a => pairs.OfOurs(a)?.Theirs)
                        .OfType<string>()
                        .Distinct(StringComparer.Ordinal)
                        .ToList()
            );
            var missing = await BookOfRecordStore.MissingAsync(
                db,
                at,
                day,
                from,
                [.. found.SelectMany(t => t.Accounts)],
                stop
            );
            var foreign = await BookOfRecordStore.ForeignAsync(
                db,
                at,
                day,
                [.. theirs.Values.SelectMany(t => t)],
                stop
            );
            foreach (var tie in found.Where(t => theirs[t.Control].Count > 0))
            {
                RecordCauseSum Of(RecordCause cause, string word)
                {
                    var of = missing.Where(m => m.Cause == word && tie.Accounts.Contains(m.Account)).ToList();
                    return new RecordCauseSum(cause, of.Sum(m => m.Amount), of.Sum(m => m.Count));
                }
                var made = foreign.Where(f => theirs[tie.Control].Contains(f.Account)).ToList();
                ties[tie.Control] = BooksOfRecord.Of(
                    tie.Control,
                    link.Code,
                    tie.Ledger,
                    theirs[tie.Control].Sum(t => balances.GetValueOrDefault(t)),
                    [
                        Of(RecordCause.BeforeOpening, "before"),
                        Of(RecordCause.NotSent, "unsent"),
                        Of(RecordCause.RefusedThere, "refused"),
                        new RecordCauseSum(RecordCause.Foreign, -made.Sum(f => f.Amount), made.Sum(f => f.Count)),
                    ]
                );
            }
            return ties;
        }
        return ties;
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
            ? await CompareAsync(
                db,
                visit.State.Id,
                control,
                of,
                day,
                list,
                await WaitingEvents.KeysAsync(desk, db, visit.State, stop),
                stop
            )
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
        WaitingKeys waiting,
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
        return TheirLists.Compare(
            control,
            list.Sources,
            ours,
            theirs,
            [.. later.Select(l => (l.Keys, l.Amount))],
            waiting
        );
    }
}
