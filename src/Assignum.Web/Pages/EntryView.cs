using Assignum.Formats.Json;

namespace Assignum.Web.Pages;

/// <summary>An entry as a page shows it.</summary>
/// <param name="Prefix">Tells the lines of several entries on one page apart.</param>
/// <param name="First">Whether its first line is the chosen one.</param>
public sealed record EntryView(EntryDocument Entry, string BaseCurrency, string Prefix = "e", bool First = true)
{
    /// <summary>Why what a guard says of an account was passed over, as the lines by hand say it.</summary>
    public ILookup<string, string> Because { get; init; } =
        Array.Empty<(string, string)>().ToLookup(b => b.Item1, b => b.Item2);

    /// <summary>What an event in JSON says so, by the account of each line.</summary>
    public static ILookup<string, string> BecauseIn(System.Text.Json.JsonElement source) =>
        (
            source.ValueKind == System.Text.Json.JsonValueKind.Object
            && source.TryGetProperty("lines", out var lines)
            && lines.ValueKind == System.Text.Json.JsonValueKind.Array
                ? lines.EnumerateArray().ToList()
                : []
        )
            .Where(l =>
                l.TryGetProperty("account", out var a)
                && a.ValueKind == System.Text.Json.JsonValueKind.String
                && l.TryGetProperty("because", out var b)
                && b.ValueKind == System.Text.Json.JsonValueKind.String
                && b.GetString()!.Length > 0
            )
            .ToLookup(l => l.GetProperty("account").GetString()!, l => l.GetProperty("because").GetString()!);

    /// <summary>What a remark's message names.</summary>
    public static IEnumerable<Core.Mention> Mentions(RemarkDocument remark) =>
        new Core.Fault(remark.Code, remark.Message, "", remark.Purpose, remark.Account).Mentions();

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
