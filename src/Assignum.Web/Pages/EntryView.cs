using Assignum.Formats.Json;

namespace Assignum.Web.Pages;

/// <summary>An entry as a page shows it.</summary>
/// <param name="Prefix">Tells the lines of several entries on one page apart.</param>
/// <param name="First">Whether its first line is the chosen one.</param>
public sealed record EntryView(EntryDocument Entry, string BaseCurrency, string Prefix = "e", bool First = true);
