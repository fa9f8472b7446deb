using Assignum.Core;
using Assignum.Core.Statements;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The tax return by tax date, tied to the tax accounts.</summary>
public sealed class TaxReturnModel(DeskContext desk, ReadStatements statements) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? To { get; set; }

    public DateOnly First { get; private set; }
    public DateOnly Last { get; private set; }
    public TaxReturn? Return { get; private set; }
    public IReadOnlyList<FiledReturn> Filed { get; private set; } = [];

    /// <summary>What the return is looked through for.</summary>
    public TaxChecks? Checks { get; private set; }

    /// <summary>That of the days shown, where it is filed.</summary>
    public FiledReturn? Now => Filed.FirstOrDefault(f => f.From == First && f.To == Last);
    public bool MayFile => May(Role.Reviewer);

    /// <summary>Marks the return of the days shown as filed.</summary>
    public async Task<IActionResult> OnPostAsync()
    {
        Last = DayOf(To, LastMonthEnd, "to");
        First = DayOf(From, new DateOnly(Last.Year, Last.Month, 1), "from");
        if (Faults.Count == 0)
        {
            var done = await statements.FileAsync(Visit, First, Last, HttpContext.RequestAborted);
            if (done.Refused is null)
            {
                Done = "The return is marked as filed; what comes into its days from here on is listed.";
                return LocalRedirect($"/e/{EntityCode}/tax-return?from={Iso(First)}&to={Iso(Last)}");
            }
            await ReadAsync();
            Faults = [.. Faults, .. done.Faults];
        }
        return Page();
    }

    public async Task<IActionResult> OnGetAsync()
    {
        await ReadAsync();
        return Page();
    }

    /// <summary>Boxes and codes as a file.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        await ReadAsync();
        return ListFile.Of(
            $"{EntityCode}-tax-return-{Iso(Last)}",
            format ?? "csv",
            ["what", "name", "direction", "capital", "base", "tax", "not deductible", "entries"],
            (Return?.Boxes ?? [])
                .Select(b => new object?[] { "box", b.Box, null, null, null, b.Amount, null, null })
                .Concat(
                    (Return?.Codes ?? []).Select(c =>
                        new object?[]
                        {
                            "code",
                            c.Code,
                            c.Direction,
                            c.Capital ? "yes" : "no",
                            c.Base,
                            c.Tax,
                            c.NonDeductible,
                            c.Entries,
                        }
                    )
                )
        );
    }

    /// <summary>A cause as people say it.</summary>
    public static string Said(TaxTieCause cause) =>
        cause switch
        {
            TaxTieCause.OtherPeriod => "posted in one period and taxed in another",
            TaxTieCause.HandEntry => "written by hand without a tax code",
            TaxTieCause.OtherPurpose => "of another purpose",
            TaxTieCause.LandedElsewhere => "landed on an account that is no tax account",
            TaxTieCause.Opening => "opening balances",
            TaxTieCause.TaxSettled => "paid to or by the authority",
            TaxTieCause.Reclassified => "put elsewhere later",
            _ => "rounding",
        };

    private async Task ReadAsync()
    {
        Last = DayOf(To, LastMonthEnd, "to");
        First = DayOf(From, new DateOnly(Last.Year, Last.Month, 1), "from");
        if (First > Last)
            Faults = [.. Faults, new Fault("bad-date", "The first day is after the last.", "from")];
        if (Faults.Count > 0)
            return;
        var found = await statements.TaxReturnAsync(Visit, First, Last, HttpContext.RequestAborted);
        (Return, Faults) = (found.Result, found.Faults);
        Filed = await statements.FiledAsync(Visit, HttpContext.RequestAborted);
        Checks = (await statements.TaxChecksAsync(Visit, First, Last, HttpContext.RequestAborted)).Result;
    }
}
