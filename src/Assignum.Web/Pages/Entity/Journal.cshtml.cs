using Assignum.Core.Ledger;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>The entries, a page at a time.</summary>
public sealed class JournalModel(DeskContext desk, ReadJournal journal) : EntityPage(desk)
{
    private const int PageSize = 100;
    private const int MostExported = 100_000;

    public override string Place => "journal";

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Account { get; set; }

    /// <summary>A record that lines name, as <c>item:CAL-A</c>.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Names { get; set; }

    /// <summary>The record that was asked for; null: none, or no such kind.</summary>
    public RecordOnLines? Record => RecordOnLines.Read(Names);

    [BindProperty(SupportsGet = true)]
    public DateOnly? From { get; set; }

    [BindProperty(SupportsGet = true)]
    public DateOnly? To { get; set; }

    [BindProperty(SupportsGet = true)]
    public long? After { get; set; }

    public IReadOnlyList<EntryHead> Entries { get; private set; } = [];
    public bool Filtered =>
        Q is not null || Account is not null || Names is not null || From is not null || To is not null;

    /// <summary>Where one account is asked for: what each entry does on it.</summary>
    public IReadOnlyDictionary<long, (decimal Debit, decimal Credit)>? OnAccount { get; private set; }

    /// <summary>Address of the next page, or null.</summary>
    public string? Next { get; private set; }

    public async Task OnGetAsync()
    {
        Entries = await ReadAsync(PageSize);
        if (Empty(Account) is { } account)
            OnAccount = await journal.OnAccountAsync(Visit, account, Entries, HttpContext.RequestAborted);
        if (Entries.Count == PageSize)
            Next = Address($"after={Entries[^1].Id}");
    }

    public async Task<IActionResult> OnGetListAsync(string format) =>
        ListFile.Of(
            "journal",
            format,
            ["number", "date", "kind", "reference", "party", "source", "event", "edition", "currency", "amount"],
            (await ReadAsync(MostExported)).Select(e =>
                new object?[]
                {
                    e.Number,
                    e.Date,
                    e.Kind,
                    e.Reference,
                    e.Party,
                    e.Source,
                    e.ExternalId,
                    e.Edition,
                    e.Currency,
                    e.Total,
                }
            )
        );

    /// <summary>Address of this list as a file.</summary>
    public string Link(string format) => Address($"handler=List&format={format}");

    private async Task<IReadOnlyList<EntryHead>> ReadAsync(int limit) =>
        (
            await journal.HeadsAsync(
                Actor,
                EntityCode,
                new EntryQuery(
                    Account: Empty(Account),
                    From: From,
                    To: To,
                    Text: Empty(Q),
                    After: After,
                    Limit: limit,
                    NewestFirst: true,
                    Record: Record
                ),
                HttpContext.RequestAborted
            )
        ).Result!;

    private string Address(string more) =>
        $"/e/{EntityCode}/journal?q={Uri.EscapeDataString(Q ?? "")}&account={Uri.EscapeDataString(Account ?? "")}&"
        + $"names={Uri.EscapeDataString(Names ?? "")}&from={From:yyyy-MM-dd}&to={To:yyyy-MM-dd}&{more}";

    private static string? Empty(string? text) => string.IsNullOrWhiteSpace(text) ? null : text.Trim();
}
