using Assignum.Core.Books;
using Assignum.Desk;
using Assignum.Desk.Books;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Everything that has to do with a document or an order, in the order of its days.</summary>
public sealed class FootprintModel(DeskContext desk, ReadSubledgers books) : BooksPage(desk)
{
    [BindProperty(SupportsGet = true)]
    public string? Party { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Reference { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Order { get; set; }

    public IReadOnlyList<FootprintRow> Rows { get; private set; } = [];

    public bool Asked => !string.IsNullOrWhiteSpace(Reference) || !string.IsNullOrWhiteSpace(Order);

    public async Task<IActionResult> OnGetAsync()
    {
        if (!Asked)
            return Page();
        var byOrder = string.IsNullOrWhiteSpace(Reference);
        Rows = await books.FootprintAsync(
            Visit,
            Party?.Trim() ?? "",
            byOrder,
            (byOrder ? Order : Reference)!.Trim(),
            HttpContext.RequestAborted
        );
        return Page();
    }
}
