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

    /// <summary>Gross profit by month.</summary>
    public Bars? Profit { get; private set; }

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
        );
    }

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
        var sheet = await statements.BalanceSheetAsync(Visit, Last, other?.Item2, stop);
        (Result, Sheet) = (result.Result, sheet.Result);
        Faults = [.. result.Faults, .. sheet.Faults];
        var months = new List<(string Month, decimal Gross)>();
        var month = new DateOnly(Last.Year, Last.Month, 1).AddMonths(-5);
        for (var i = 0; i < 6; i++, month = month.AddMonths(1))
            if (
                (
                    await statements.ProfitAndLossAsync(Visit, month, month.AddMonths(1).AddDays(-1), null, stop)
                ).Result is
                { } of
            )
                months.Add(
                    (
                        month.ToString("MMM yyyy", CultureInfo.InvariantCulture),
                        of.Lines.First(l => l.Code == "grossProfit").Amount
                    )
                );
        Profit = new Bars(
            "Gross profit by month",
            [.. months.Select(m => m.Month)],
            ["gross profit"],
            [.. months.Select(m => new[] { m.Gross })]
        );
    }

    private int Months => Math.Max(1, (Last.Year - First.Year) * 12 + Last.Month - First.Month + 1);

    /// <summary>Where an account's lines of the days shown are.</summary>
    public string CardOf(StatementLine line, bool sheet) =>
        $"/e/{EntityCode}/chart/{Uri.EscapeDataString(line.Account!)}/card?"
        + (sheet ? "" : $"from={Iso(First)}&")
        + $"to={Iso(Last)}";
}
