using System.Globalization;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Calendar;
using Assignum.Core.Statements;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Web.Access;
using static Assignum.Web.Api.ApiBody;

namespace Assignum.Web.Api;

/// <summary>Periods, the year's end, statements, the tax return and the cut-off over the interface.</summary>
internal static class StatementEndpoints
{
    public static void Map(RouteGroupBuilder entity)
    {
        entity
            .MapGet("/periods", PeriodsAsync)
            .WithSummary("Periods with who closed them and why, and months proposed");
        entity
            .MapPost("/periods", SetPeriodAsync)
            .WithSummary("Close or open a period: {from, to, status, reason}; 409 names what is in the way")
            .Needs(Role.Reviewer)
            .TakesBody("application/json");
        entity
            .MapPost("/year-ends", YearEndAsync)
            .WithSummary(
                "Propose or post the close of the year that ends in {year}: {apply}; {reopen: true} turns it back"
            )
            .Needs(Role.Viewer)
            .TakesBody("application/json");
        entity
            .MapGet("/statements/profit-and-loss", ProfitAndLossAsync)
            .WithSummary(
                "The profit and loss account: {from, to, against: from..to or previous, codes: by a report system's}"
            );
        entity
            .MapGet("/statements/balance-sheet", BalanceSheetAsync)
            .WithSummary(
                "The balance sheet: {at, against: a day, gross: customers in credit and suppliers in debit apart, codes}"
            );
        entity
            .MapGet("/tax-return", TaxReturnAsync)
            .WithSummary("The tax return by tax date, tied to the tax accounts: {from, to}");
        entity
            .MapGet("/tax-return/checks", TaxChecksAsync)
            .WithSummary(
                "Revenue against output tax, accounts that feed no box, codes against the matrix, capital purchases: "
                    + "{from, to}"
            );
        entity
            .MapGet("/tax-returns", FiledAsync)
            .WithSummary("The returns filed, each with what has come into its days since");
        entity
            .MapPost("/tax-returns", FileAsync)
            .WithSummary("Mark the return of some days as filed: {from, to}")
            .Needs(Role.Reviewer)
            .TakesBody("application/json");
        entity
            .MapGet("/cut-off", CutOffAsync)
            .WithSummary("What is shipped and not invoiced, invoiced and not shipped, received and not invoiced: {at}");
        entity
            .MapPost("/cut-off", PostCutOffAsync)
            .WithSummary("Propose or post the cut-off of a day: {at, apply}")
            .Needs(Role.Viewer);
    }

    private static async Task<IResult> PeriodsAsync(
        HttpContext http,
        string entity,
        DeskContext desk,
        KeepPeriods periods
    )
    {
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        if (entered.Refused is not null)
            return ApiProblem.Of(entered);
        var found = await periods.ListAsync(entered.Result.Visit, http.RequestAborted);
        return found.Result is { } rows ? Results.Json(rows.Select(Told)) : ApiProblem.Of(found);
    }

    private static async Task<IResult> SetPeriodAsync(
        HttpContext http,
        string entity,
        DeskContext desk,
        KeepPeriods periods
    )
    {
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        if (entered.Refused is not null)
            return ApiProblem.Of(entered);
        var (body, wrong) = await BodyAsync(http, ["from", "to", "status", "reason"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var from = Needed(body, "from", faults);
        var to = Needed(body, "to", faults);
        var status = Text(body, "status", faults);
        if (status is not ("open" or "closed"))
            faults.Add(new Fault("unknown-word", "'status' is 'open' or 'closed'.", "status"));
        var reason = Text(body, "reason", faults);
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await periods.SetAsync(
            entered.Result.Visit,
            from,
            to,
            status == "closed",
            reason,
            http.RequestAborted
        );
        return done.Result is { } row ? Results.Json(Told(row)) : ApiProblem.Of(done);
    }

    private static object Told(PeriodView of) =>
        new
        {
            from = Iso(of.From),
            to = Iso(of.To),
            status = of.Status,
            reason = of.Reason,
            by = of.Who,
            at = of.At,
            passed = of.Passed,
        };

    private static async Task<IResult> YearEndAsync(HttpContext http, string entity, bool? apply, CloseYears close)
    {
        var (body, wrong) = await BodyAsync(http, ["year", "reopen"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var year = 0;
        if (
            !body.TryGetValue("year", out var given)
            || given.ValueKind != JsonValueKind.Number
            || !given.TryGetInt32(out year)
        )
            faults.Add(
                new Fault("bad-number", "'year' is the year in which the fiscal year ends, such as 2026.", "year")
            );
        var reopen = false;
        if (body.TryGetValue("reopen", out var again))
            if (again.ValueKind is JsonValueKind.True or JsonValueKind.False)
                reopen = again.GetBoolean();
            else
                faults.Add(new Fault("wrong-type", "'reopen' is true or false.", "reopen"));
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await close.RunAsync(http.Actor(), entity, year, reopen, apply == true, http.RequestAborted);
        return done.Result is { } end
            ? Results.Json(
                new
                {
                    year = end.Year,
                    date = Iso(end.On),
                    number = end.Number,
                    lines = end.Entry?.Lines ?? [],
                    warnings = end.Warnings.Select(w => new
                    {
                        w.Code,
                        w.Message,
                        w.Account,
                    }),
                }
            )
            : ApiProblem.Of(done);
    }

    private static async Task<IResult> ProfitAndLossAsync(
        HttpContext http,
        string entity,
        string? from,
        string? to,
        string? against,
        string? codes,
        DeskContext desk,
        ReadStatements statements
    )
    {
        var (visit, first, last, wrong) = await SpanAsync(http, entity, from, to, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        var other = Against(against, first, last, faults);
        if (faults.Count > 0)
            return Unusable(faults);
        if (!string.IsNullOrEmpty(codes))
            return Told(
                await statements.ByReportCodesAsync(
                    visit,
                    codes,
                    first,
                    last,
                    other is { } span ? (span.From, span.To) : null,
                    http.RequestAborted
                )
            );
        var found = await statements.ProfitAndLossAsync(visit, first, last, other, http.RequestAborted);
        return found.Result is { } view ? Results.Json(view.Lines.Select(Told)) : ApiProblem.Of(found);
    }

    /// <summary>What a statement is compared with: a stretch of days, or the same a year before.</summary>
    internal static (DateOnly From, DateOnly To)? Against(string? text, DateOnly from, DateOnly to, List<Fault> faults)
    {
        if (string.IsNullOrEmpty(text))
            return null;
        if (text == "previous")
            return (from.AddYears(-1), EndOf(to));
        if (text.Split("..") is [var a, var b] && Iso(a) is { } first && Iso(b) is { } last && first <= last)
            return (first, last);
        faults.Add(new Fault("bad-date", "'against' is 'previous', or two days as 2026-01-01..2026-03-31.", "against"));
        return null;
        // The last day of a month stays one.
        static DateOnly EndOf(DateOnly to) =>
            to.Day == DateTime.DaysInMonth(to.Year, to.Month)
                ? new DateOnly(to.Year - 1, to.Month, DateTime.DaysInMonth(to.Year - 1, to.Month))
                : to.AddYears(-1);
    }

    private static async Task<IResult> BalanceSheetAsync(
        HttpContext http,
        string entity,
        string? at,
        string? against,
        bool? gross,
        string? codes,
        DeskContext desk,
        ReadStatements statements
    )
    {
        var faults = new List<Fault>();
        var day = Endpoints.Day(at, "at", faults);
        var other = Endpoints.Day(against, "against", faults);
        if (faults.Count > 0)
            return Unusable(faults);
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        if (entered.Refused is not null)
            return ApiProblem.Of(entered);
        var visit = entered.Result.Visit;
        var on = day ?? visit.State.Today;
        if (!string.IsNullOrEmpty(codes))
            return Told(
                await statements.ByReportCodesAsync(
                    visit,
                    codes,
                    null,
                    on,
                    other is { } then ? (null, then) : null,
                    http.RequestAborted
                )
            );
        var found = await statements.BalanceSheetAsync(visit, on, other, http.RequestAborted, gross == true);
        return found.Result is { } view ? Results.Json(view.Lines.Select(Told)) : ApiProblem.Of(found);
    }

    private static object Told(StatementLine of) =>
        new
        {
            kind = Words.Of(of.Kind),
            code = of.Code,
            account = of.Account,
            name = of.Name,
            @class = of.Class is { } c ? Words.Of(c) : null,
            amount = of.Amount,
            against = of.Against,
        };

    private static IResult Told(Outcome<IReadOnlyList<ReportCodeLine>> found) =>
        found.Result is { } lines
            ? Results.Json(
                lines.Select(l => new
                {
                    code = l.Code,
                    amount = l.Amount,
                    against = l.Against,
                    accounts = l.Accounts,
                })
            )
            : ApiProblem.Of(found);

    // What is asked over a stretch of days and told as an object.
    private static async Task<IResult> OverDaysAsync<T>(
        HttpContext http,
        string entity,
        (string? From, string? To) days,
        DeskContext desk,
        Func<Visit, DateOnly, DateOnly, CancellationToken, Task<Outcome<T>>> read,
        Func<T, object> told
    )
    {
        var (visit, first, last, wrong) = await SpanAsync(http, entity, days.From, days.To, desk);
        if (visit is null)
            return wrong!;
        var found = await read(visit, first, last, http.RequestAborted);
        return found.Result is { } of ? Results.Json(told(of)) : ApiProblem.Of(found);
    }

    private static Task<IResult> TaxChecksAsync(
        HttpContext http,
        string entity,
        string? from,
        string? to,
        DeskContext desk,
        ReadStatements statements
    ) => OverDaysAsync(http, entity, (from, to), desk, statements.TaxChecksAsync, of => new
        {
            revenue = of.Revenue.Select(r => new
            {
                code = r.Code,
                rate = r.Rate,
                revenue = r.Revenue,
                @base = r.Base,
                tax = r.Tax,
                difference = r.Difference,
            }),
            noBox = of.Unboxed.Select(a => new
            {
                account = a.Account,
                amount = a.Amount,
                lines = a.Lines,
            }),
            againstMatrix = of.AgainstMatrix.Select(c => new
            {
                standing = c.Standing,
                category = c.Category,
                code = c.Code,
                matrix = c.Matrix,
                amount = c.Amount,
                lines = c.Lines,
                example = c.Example,
            }),
            capitalPurchases = of.Capital.Select(c => new
            {
                entry = c.Number,
                taxDate = Iso(c.TaxDate),
                party = c.Party,
                code = c.Code,
                @base = c.Base,
                tax = c.Tax,
            }),
        });

    private static Task<IResult> TaxReturnAsync(
        HttpContext http,
        string entity,
        string? from,
        string? to,
        DeskContext desk,
        ReadStatements statements
    ) => OverDaysAsync(http, entity, (from, to), desk, statements.TaxReturnAsync, of => new
        {
            boxes = of.Boxes.Select(b => new { box = b.Box, amount = b.Amount }),
            codes = of.Codes.Select(c => new
            {
                code = c.Code,
                direction = c.Direction,
                capital = c.Capital,
                @base = c.Base,
                tax = c.Tax,
                nonDeductible = c.NonDeductible,
                entries = c.Entries,
            }),
            tie = new
            {
                ledger = of.Tie.Ledger,
                taxLines = of.Tie.TaxLines,
                difference = of.Tie.Difference,
                causes = of.Tie.Causes.Select(c => new
                {
                    cause = Words.Of(c.Cause),
                    amount = c.Amount,
                    count = c.Count,
                }),
            },
        });

    private static async Task<IResult> FiledAsync(
        HttpContext http,
        string entity,
        DeskContext desk,
        ReadStatements statements
    )
    {
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        return entered.Refused is not null
            ? ApiProblem.Of(entered)
            : Results.Json(
                (await statements.FiledAsync(entered.Result.Visit, http.RequestAborted)).Select(f => new
                {
                    from = Iso(f.From),
                    to = Iso(f.To),
                    by = f.Who,
                    at = f.At,
                    boxes = f.Boxes.Select(b => new { box = b.Box, amount = b.Amount }),
                    later = f.Later.Select(l => new
                    {
                        entry = l.Entry,
                        date = Iso(l.Date),
                        code = l.Code,
                        @base = l.Base,
                        tax = l.Tax,
                    }),
                })
            );
    }

    private static async Task<IResult> FileAsync(
        HttpContext http,
        string entity,
        DeskContext desk,
        ReadStatements statements
    )
    {
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        if (entered.Refused is not null)
            return ApiProblem.Of(entered);
        var (body, wrong) = await BodyAsync(http, ["from", "to"]);
        if (body is null)
            return wrong!;
        var faults = new List<Fault>();
        var (from, to) = (Needed(body, "from", faults), Needed(body, "to", faults));
        if (faults.Count > 0)
            return Unusable(faults);
        var done = await statements.FileAsync(entered.Result.Visit, from, to, http.RequestAborted);
        return done.Result is { } of
            ? Results.Json(
                new
                {
                    from = Iso(of.From),
                    to = Iso(of.To),
                    boxes = of.Boxes.Select(b => new { box = b.Box, amount = b.Amount }),
                }
            )
            : ApiProblem.Of(done);
    }

    private static async Task<IResult> CutOffAsync(
        HttpContext http,
        string entity,
        string? at,
        DeskContext desk,
        KeepCutOff cutOff
    )
    {
        var (visit, day, wrong) = await DayAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var found = await cutOff.ShowAsync(visit, day, http.RequestAborted);
        return found.Result is { } cut
            ? Results.Json(
                new
                {
                    shippedNotInvoiced = cut.ShippedNotInvoiced.Select(r => Told(r, day)),
                    invoicedNotShipped = cut.InvoicedNotShipped.Select(r => Told(r, day)),
                    receivedNotInvoiced = cut.ReceivedNotInvoiced.Select(r => Told(r, day)),
                    acrossMonths = cut.AcrossMonths.Select(r => new
                    {
                        party = r.Party,
                        order = r.Order,
                        item = r.Item,
                        quantity = r.Quantity,
                        revenueMonth = r.RevenueMonth.ToString("yyyy-MM", CultureInfo.InvariantCulture),
                        costMonth = r.CostMonth.ToString("yyyy-MM", CultureInfo.InvariantCulture),
                        revenue = r.Revenue,
                        cost = r.Cost,
                        effect = r.Effect,
                        documents = r.Documents,
                    }),
                }
            )
            : ApiProblem.Of(found);
    }

    private static object Told(CutOffRow of, DateOnly at) =>
        new
        {
            party = of.Party,
            order = of.Order,
            item = of.Item,
            quantity = of.Quantity,
            amount = of.Amount,
            cost = of.Cost,
            since = Iso(of.Since),
            age = at.DayNumber - of.Since.DayNumber,
            documents = of.Documents,
        };

    private static async Task<IResult> PostCutOffAsync(
        HttpContext http,
        string entity,
        string? at,
        bool? apply,
        DeskContext desk,
        KeepCutOff cutOff
    )
    {
        var (visit, day, wrong) = await DayAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var done = await cutOff.RunAsync(visit, day, apply == true, http.RequestAborted);
        return done.Result is { } of
            ? Results.Json(
                new
                {
                    number = of.Number,
                    lines = of.Entry?.Lines ?? [],
                    withoutPrice = of.Unpriced.Select(r => Told(r, day)),
                }
            )
            : ApiProblem.Of(done);
    }
}
