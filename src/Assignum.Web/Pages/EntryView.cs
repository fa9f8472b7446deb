using Assignum.Formats.Json;

namespace Assignum.Web.Pages;

/// <summary>An entry as a page shows it.</summary>
/// <param name="Prefix">Tells the lines of several entries on one page apart.</param>
/// <param name="First">Whether its first line is the chosen one.</param>
public sealed record EntryView(EntryDocument Entry, string BaseCurrency, string Prefix = "e", bool First = true)
{
    /// <summary>The line that is chosen as the page opens: the first that a guard says something of, else the first of
    /// all; -1: none of this entry.</summary>
    public int Chosen { get; } =
        !First
            ? -1
            : Entry
                .Lines.Index()
                .FirstOrDefault(l =>
                    Entry.Remarks.Any(r =>
                        r.Account is not null
                        && r.Account == l.Item.Account
                        && (r.Purpose is null || r.Purpose == l.Item.Purpose)
                    )
                )
                .Index;
}
