using System.Globalization;
using Assignum.Core;
using Assignum.Core.Statements;
using Assignum.Desk;
using Assignum.Desk.Books;
using Assignum.Web.Drawing;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The profit and loss account and the balance sheet.</summary>
public sealed class StatementsModel(DeskContext desk, ReadStatements statements) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? To { get; set; }

    /// <summary><c>previous</c>: beside the same days a year before; <c>before</c>: beside as many months before.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Against { get; set; }

    public DateOnly First { get; private set; }
    public DateOnly Last { get; private set; }
    public StatementView? Result { get; private set; }
    public StatementView? Sheet { get; private set; }

    /// <summary>Gross profit by month and family of accounts.</summary>
    public Bars? Profit { get; private set; }

    /// <summary>Customers in credit and suppliers in debit stand apart.</summary>
    [BindProperty(SupportsGet = true)]
    public bool Gross { get; set; }

    /// <summary>A report system whose codes the amounts are added up by; empty: the chart.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Codes { get; set; }

    public IReadOnlyList<string> Systems { get; private set; } = [];
    public IReadOnlyList<ReportCodeLine>? Moved { get; private set; }
    public IReadOnlyList<ReportCodeLine>? Stand { get; private set; }

    public async Task<IActionResult> OnGetAsync()
    {
        await ReadAsync();
        return Page();
    }

    /// <summary>Both statements as a file.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await ReadAsync();
        return ListFile.Of(
            $"{EntityCode}-statements-{Iso(Last)}",
            format ?? "csv",
            ["statement", "kind", "code", "account", "name", "class", "amount", "against"],
            (Moved ?? [])
                .Select(l => CodeRow("moved", l))
                .Concat((Stand ?? []).Select(l => CodeRow("balance", l)))
                .Concat(
                    new[] { ("profit and loss", Result), ("balance sheet", Sheet) }.SelectMany(s =>
                        (s.Item2?.Lines ?? []).Select(l =>
                            new object?[]
                            {
                                s.Item1,
                                Words.Of(l.Kind),
                                l.Code,
                                l.Account,
                                l.Name,
                                l.Class is { } c ? Words.Of(c) : null,
                                l.Amount,
                                l.Against,
                            }
                        )
                    )
                )
        );
    }

    private object?[] CodeRow(string what, ReportCodeLine line) =>
        [what, "code", line.Code, string.Join(' ', line.Accounts), Codes, null, line.Amount, line.Against];

    private async Task ReadAsync()
    {
        var stop = HttpContext.RequestAborted;
        Last = DayOf(To, LastMonthEnd, "to");
        First = DayOf(From, State.Calendar.FirstDay(State.Calendar.YearOf(Last)), "from");
        if (First > Last)
            Faults = [.. Faults, new Fault("bad-date", "The first day is after the last.", "from")];
        if (Faults.Count > 0)
            return;
        (DateOnly, DateOnly)? other = Against switch
        {
            "previous" => (First.AddYears(-1), Last.AddYears(-1)),
            "before" => (First.AddMonths(-Months), First.AddDays(-1)),
            _ => null,
        };
        var result = await statements.ProfitAndLossAsync(Visit, First, Last, other, stop);
        var sheet = await statements.BalanceSheetAsync(Visit, Last, other?.Item2, stop, Gross);
        (Result, Sheet) = (result.Result, sheet.Result);
        Faults = [.. result.Faults, .. sheet.Faults];
        Systems = await statements.SystemsAsync(Visit, Last, stop);
        if (!string.IsNullOrEmpty(Codes))
        {
            (DateOnly? From, DateOnly To)? span = other is { } days ? (days.Item1, days.Item2) : null;
            var moved = await statements.ByReportCodesAsync(Visit, Codes, First, Last, span, stop);
            Faults = [.. Faults, .. moved.Faults];
            Moved = moved.Result;
            Stand = (
                await statements.ByReportCodesAsync(
                    Visit,
                    Codes,
                    null,
                    Last,
                    other is { } o ? (null, o.Item2) : null,
                    stop
                )
            ).Result;
        }
        var gross = await statements.GrossProfitAsync(Visit, Last, 6, stop);
        if (gross.Count == 0)
            return;
        var families = gross
            .GroupBy(g => g.Family)
            .OrderByDescending(g => g.Sum(x => Math.Abs(x.Gross)))
            .Select(g => g.Key)
            .ToList();
        var shown = families.Take(MostFamilies).ToList();
        var end = new DateOnly(Last.Year, Last.Month, 1);
        var months = Enumerable.Range(-5, 6).Select(end.AddMonths).ToList();
        decimal Of(DateOnly month, Func<string, bool> family) =>
            gross.Where(g => g.Month == month && family(g.Family)).Sum(g => g.Gross);
        Profit = new Bars(
            "Gross profit by family and month",
            [.. months.Select(m => m.ToString("MMM yyyy", CultureInfo.InvariantCulture))],
            [
                .. shown.Select(f => f.Length == 0 ? "of no family" : f),
                .. families.Count > MostFamilies ? new[] { "all others" } : [],
            ],
            [
                .. months.Select(m =>
                    (IReadOnlyList<decimal>)
                        [
                            .. shown.Select(f => Of(m, x => x == f)),
                            .. families.Count > MostFamilies ? new[] { Of(m, x => !shown.Contains(x)) } : [],
                        ]
                ),
            ]
        );
    }

    private const int MostFamilies = 5;

    private int Months => Math.Max(1, (Last.Year - First.Year) * 12 + Last.Month - First.Month + 1);

    /// <summary>Where an account's lines of the days shown are.</summary>
    public string CardOf(StatementLine line, bool sheet) =>
        $"/e/{EntityCode}/chart/{Uri.EscapeDataString(Grossed.NumberOf(line.Account!))}/card?"
        + (sheet ? "" : $"from={Iso(First)}&")
        + $"to={Iso(Last)}";
}
