using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Books;
using Assignum.Web.Drawing;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>What a subledger keeps, row by row, with ages where its documents fall due.</summary>
public sealed class SubledgersModel(DeskContext desk, ReadSubledgers books) : BooksPage(desk)
{
    private const int AtOnce = 200;

    [BindProperty(SupportsGet = true)]
    public string? At { get; set; }

    [BindProperty(SupportsGet = true, Name = "control")]
    public string? Which { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Party { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Item { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Account { get; set; }

    /// <summary>Rows that are settled too.</summary>
    [BindProperty(SupportsGet = true)]
    public bool All { get; set; }

    [BindProperty(SupportsGet = true)]
    public int After { get; set; }

    public DateOnly Day { get; private set; }
    public Control Control { get; private set; } = Control.Receivables;
    public SubledgerView? View { get; private set; }
    public AgeingView? Ages { get; private set; }
    public IReadOnlyList<SubledgerKey> Keys => Subledgers.KeysOf(Control);

    public async Task<IActionResult> OnGetAsync() => await ReadAsync(AtOnce, Math.Max(0, After)) ?? Page();

    /// <summary>The rows as a file.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        if (await ReadAsync(200_000, 0) is { } wrong)
            return wrong;
        return ListFile.Of(
            $"{EntityCode}-{Words.Of(Control)}-{Iso(Day)}",
            format ?? "csv",
            [
                "account",
                .. Keys.Select(k => Words.Of(k)),
                "amount",
                "currency amount",
                "quantity",
                "since",
                "due",
                "cause",
                "entries",
            ],
            (View?.Rows ?? []).Select(r =>
                new object?[] { r.Account }
                    .Concat(Keys.Select(k => (object?)r.Of(k)))
                    .Concat([r.Amount, r.CurrencyAmount, r.Quantity, r.Since, r.Due, r.Cause, r.Entries])
                    .ToArray()
            )
        );
    }

    /// <summary>A key as a column is headed.</summary>
    public static string Title(SubledgerKey key) => Words.Title(Words.Of(key));

    /// <summary>The ages as bars, all currencies in the entity's by their share.</summary>
    public Bars? Bars =>
        Ages is not { Rows.Count: > 0 } ages
            ? null
            : new Bars(
                "Open by days past due",
                [.. Subledgers.Brackets.Select((_, i) => Subledgers.BracketTitle(i))],
                ["open"],
                [
                    .. Subledgers.Brackets.Select(
                        (_, i) =>
                            new[]
                            {
                                ages.Rows.Sum(r =>
                                    r.Total == 0 ? 0 : decimal.Round(r.Base * r.Brackets[i] / r.Total, 2)
                                ),
                            }
                    ),
                ],
                400
            );

    private async Task<IActionResult?> ReadAsync(int most, int after)
    {
        var stop = HttpContext.RequestAborted;
        if (!string.IsNullOrEmpty(Which))
        {
            if (!Words.TryParse<Control>(Which, out var control) || control == Control.None)
                return NotFound();
            Control = control;
        }
        Day = DayOf(At, State.Today, "at");
        string? Given(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
        var found = await books.RowsAsync(
            Visit,
            Control,
            new SubledgerQuery(Day, null, Given(Account), Given(Party), Given(Item), !All, after, most),
            stop
        );
        View = found.Result;
        Faults = [.. Faults, .. found.Faults];
        if (Subledgers.HasDue(Control) && after == 0)
            Ages = (await books.AgeingAsync(Visit, Control, Day, stop)).Result;
        return null;
    }
}
