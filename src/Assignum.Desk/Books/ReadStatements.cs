using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Statements;
using Assignum.Core.Tax;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>A statement of a stretch of days or at a day.</summary>
/// <param name="From">Null: a balance sheet.</param>
/// <param name="Against">The days that it is compared with; null: none.</param>
public sealed record StatementView(
    DateOnly? From,
    DateOnly To,
    (DateOnly? From, DateOnly To)? Against,
    IReadOnlyList<StatementLine> Lines
);

/// <summary>Makes profit and loss accounts, balance sheets and tax returns.</summary>
public sealed class ReadStatements(DeskContext desk, ViewSetUp view)
{
    /// <summary>The profit and loss account; an account stands by its class in the edition in force at the end.</summary>
    public async Task<Outcome<StatementView>> ProfitAndLossAsync(
        Visit visit,
        DateOnly from,
        DateOnly to,
        (DateOnly From, DateOnly To)? against,
        CancellationToken stop
    )
    {
        var looked = await view.OnAsync(visit, to, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<StatementView>();
        await using var db = await desk.Database.OpenAsync(stop);
        var now = await StatementStore.BetweenAsync(db, visit.State.Id, from, to, false, stop);
        var then = against is { } other
            ? await StatementStore.BetweenAsync(db, visit.State.Id, other.From, other.To, false, stop)
            : null;
        return new StatementView(
            from,
            to,
            against is { } days ? (days.From, days.To) : null,
            Statement.ProfitAndLoss(setUp.SetUp.Accounts, now, then)
        );
    }

    /// <summary>The balance sheet at the end of a day.</summary>
    /// <param name="gross">Customers in credit stand among what is owed, suppliers in debit among what is owned.</param>
    public async Task<Outcome<StatementView>> BalanceSheetAsync(
        Visit visit,
        DateOnly at,
        DateOnly? against,
        CancellationToken stop,
        bool gross = false
    )
    {
        var looked = await view.OnAsync(visit, at, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<StatementView>();
        await using var db = await desk.Database.OpenAsync(stop);
        var now = await StatementStore.BetweenAsync(db, visit.State.Id, null, at, true, stop);
        var then = against is { } day
            ? await StatementStore.BetweenAsync(db, visit.State.Id, null, day, true, stop)
            : null;
        var accounts = setUp.SetUp.Accounts;
        if (gross)
        {
            string[] Of(Control control) => [.. accounts.Where(a => a.Control == control).Select(a => a.Number)];
            async Task<IReadOnlyDictionary<string, decimal>> OtherAsync(DateOnly on) =>
                await StatementStore.OtherSideAsync(
                    db,
                    visit.State.Id,
                    on,
                    Of(Control.Receivables),
                    Of(Control.Payables),
                    stop
                );
            var (laid, balances) = Grossed.Of(accounts, now, await OtherAsync(at));
            now = balances;
            if (against is { } earlier)
            {
                var (both, before) = Grossed.Of(accounts, then!, await OtherAsync(earlier));
                (laid, then) = ([.. laid.UnionBy(both, a => a.Number)], before);
            }
            accounts = laid;
        }
        return new StatementView(
            null,
            at,
            against is { } other ? (null, other) : null,
            Statement.BalanceSheet(accounts, now, then)
        );
    }

    /// <summary>Balances, or what moved over some days, by the codes of a report system.</summary>
    /// <param name="from">Null: balances at the end of the last day.</param>
    public async Task<Outcome<IReadOnlyList<ReportCodeLine>>> ByReportCodesAsync(
        Visit visit,
        string system,
        DateOnly? from,
        DateOnly to,
        (DateOnly? From, DateOnly To)? against,
        CancellationToken stop
    )
    {
        var looked = await view.OnAsync(visit, to, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<IReadOnlyList<ReportCodeLine>>();
        if (!ReportCodes.Systems(setUp.SetUp.Accounts).Contains(system))
            return Outcome<IReadOnlyList<ReportCodeLine>>.No(
                Refusal.NotFound,
                "unknown-record",
                $"No account has a report code of {system}.",
                "codes"
            );
        await using var db = await desk.Database.OpenAsync(stop);
        var now = await StatementStore.BetweenAsync(db, visit.State.Id, from, to, from is null, stop);
        var then = against is { } other
            ? await StatementStore.BetweenAsync(db, visit.State.Id, other.From, other.To, other.From is null, stop)
            : null;
        return new Outcome<IReadOnlyList<ReportCodeLine>>(
            ReportCodes.Of(setUp.SetUp.Accounts, system, now, then),
            null,
            []
        );
    }

    /// <summary>The systems whose report codes accounts have.</summary>
    public async Task<IReadOnlyList<string>> SystemsAsync(Visit visit, DateOnly at, CancellationToken stop) =>
        (await view.OnAsync(visit, at, stop)).Result is { SetUp: var setUp }
            ? ReportCodes.Systems(setUp.SetUp.Accounts)
            : [];

    /// <summary>Gross profit by month and family of accounts: revenue less cost of sales.</summary>
    /// <param name="months">How many months, the last one with <paramref name="last"/>.</param>
    public async Task<IReadOnlyList<(DateOnly Month, string Family, decimal Gross)>> GrossProfitAsync(
        Visit visit,
        DateOnly last,
        int months,
        CancellationToken stop
    )
    {
        if ((await view.OnAsync(visit, last, stop)).Result is not { SetUp: var setUp })
            return [];
        var end = new DateOnly(last.Year, last.Month, 1);
        await using var db = await desk.Database.OpenAsync(stop);
        var rows = await StatementStore.MonthsAsync(db, visit.State.Id, end.AddMonths(1 - months), end, stop);
        return
        [
            .. rows.Select(r => (r.Month, Account: setUp.Account(r.Account), r.Amount))
                .Where(r => r.Account is { Class: AccountClass.Revenue or AccountClass.CostOfSales })
                .GroupBy(r => (r.Month, Family: r.Account!.Family ?? ""))
                .Select(g => (g.Key.Month, g.Key.Family, -g.Sum(r => r.Amount))),
        ];
    }

    /// <summary>What the return of some days is looked through for.</summary>
    public async Task<Outcome<TaxChecks>> TaxChecksAsync(
        Visit visit,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        var looked = await view.OnAsync(visit, to, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<TaxChecks>();
        string[] Codes(Func<TaxCode, bool> where) => [.. setUp.SetUp.TaxCodes.Where(where).Select(c => c.Code)];
        string[] Accounts(Func<Account, bool> where) =>
            [.. setUp.SetUp.Accounts.Where(a => a.Kind == AccountKind.Posting && where(a)).Select(a => a.Number)];
        await using var db = await desk.Database.OpenAsync(stop);
        var (revenue, unboxed, uses, capital) = await StatementStore.ChecksAsync(
            db,
            visit.State.Id,
            from,
            to,
            (Codes(c => c.Direction == TaxDirection.Output), Codes(c => (c.BaseBox ?? c.CapitalBaseBox) is not null)),
            (Accounts(a => a.Class == AccountClass.Revenue), Accounts(a => a.Class.IsResult() || a.Capital)),
            stop
        );
        return new TaxChecks(revenue, unboxed, MatrixChecks.Of(setUp, uses), capital);
    }

    /// <summary>The tax return over tax dates, tied to the tax accounts.</summary>
    public async Task<Outcome<TaxReturn>> TaxReturnAsync(
        Visit visit,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        var looked = await view.OnAsync(visit, to, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<TaxReturn>();
        await using var db = await desk.Database.OpenAsync(stop);
        return await ReturnAsync(db, visit.State.Id, setUp.SetUp, from, to, stop);
    }

    /// <summary>Marks the return of some days as filed: what it says now is kept, and what comes into its days later is
    /// told.</summary>
    public async Task<Outcome<TaxReturn>> FileAsync(Visit visit, DateOnly from, DateOnly to, CancellationToken stop)
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<TaxReturn>.No(refused.Why, [refused.Fault]);
        if (to < from)
            return Outcome<TaxReturn>.No(Refusal.Invalid, "bad-date", "A return ends on or after its first day.", "to");
        var looked = await view.OnAsync(visit, to, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<TaxReturn>();
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var of = await ReturnAsync(db, state.Id, setUp.SetUp, from, to, stop);
        if (!await StatementStore.FileAsync(db, state.Id, of, actor.Name, stop))
            return Outcome<TaxReturn>.No(
                Refusal.Conflict,
                "filed",
                "The return of these days is filed already: what has come since is told with it."
            );
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "return filed",
            $"{from:yyyy-MM-dd} to {to:yyyy-MM-dd}",
            null,
            of.Boxes,
            stop
        );
        await transaction.CommitAsync(stop);
        return of;
    }

    /// <summary>The returns filed, with the newest of what has come into their days since.</summary>
    public async Task<IReadOnlyList<FiledReturn>> FiledAsync(Visit visit, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await StatementStore.FiledAsync(db, visit.State.Id, 100, stop);
    }

    internal static async Task<TaxReturn> ReturnAsync(
        Npgsql.NpgsqlConnection db,
        int entity,
        SetUp setUp,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        var sums = await StatementStore.TaxAsync(db, entity, from, to, stop);
        string[] accounts =
        [
            .. setUp
                .Accounts.Where(a => a is { Control: Control.Tax, Kind: AccountKind.Posting })
                .Select(a => a.Number),
        ];
        string[] capital = [.. setUp.Accounts.Where(a => a.Capital).Select(a => a.Number)];
        var byHand = await StatementStore.ByHandAsync(db, entity, from, to, (accounts, capital), stop);
        bool In(DateOnly day) => day >= from && day <= to;
        var (boxes, codes) = TaxReturns.Of(
            sums,
            [.. byHand.Where(h => In(h.TaxDate))],
            setUp.TaxCodes.ToDictionary(c => c.Code, StringComparer.Ordinal)
        );
        var (causes, ledger, lines) = await StatementStore.TieAsync(
            db,
            entity,
            from,
            to,
            accounts,
            [.. setUp.TaxCodes.Select(Sign)],
            stop
        );
        // What is written by hand with a code is a tax line of its tax date.
        var onTax = byHand.Where(h => h.OnTax).ToList();
        var moved = onTax.Where(h => In(h.Date) != In(h.TaxDate)).ToList();
        var other = causes.FirstOrDefault(c => c.Cause == TaxTieCause.OtherPeriod);
        var all = causes.Where(c => c.Cause != TaxTieCause.OtherPeriod).ToList();
        if (other is not null || moved.Count > 0)
            all.Add(
                new TaxTieSum(
                    TaxTieCause.OtherPeriod,
                    (other?.Amount ?? 0) + moved.Sum(h => In(h.Date) ? h.Amount : -h.Amount),
                    (other?.Count ?? 0) + moved.Count
                )
            );
        return new TaxReturn(
            from,
            to,
            boxes,
            codes,
            new TaxTie(
                ledger,
                lines + onTax.Where(h => In(h.TaxDate)).Sum(h => h.Amount),
                [.. all.OrderBy(c => c.Cause)]
            )
        );
    }

    // What is owed stands as a credit, what is reclaimed as a debit; under reverse charge both.
    private static (string Code, int Reclaimed, int Owed) Sign(TaxCode code) =>
        code.Direction == TaxDirection.Output ? (code.Code, 0, -1)
        : code.ReverseCharge ? (code.Code, 1, -1)
        : (code.Code, 1, 0);
}
