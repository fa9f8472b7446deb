using Assignum.Core.Tables;

namespace Assignum.Web.Pages;

/// <summary>Conflicts of something that was taken out and comes back, listed to be decided.</summary>
/// <param name="Rows">With the id that names each in the form and, in a bundle, its file.</param>
/// <param name="Decided">Of those that were decided: whether what comes back wins.</param>
/// <param name="Source">What comes back, as "the workbook".</param>
public sealed record ConflictList(
    IReadOnlyList<(string Id, string File, SheetConflict Of)> Rows,
    IReadOnlyDictionary<string, bool> Decided,
    string Source
);

/// <summary>How conflicts are decided in a form.</summary>
public static class ConflictFields
{
    /// <summary>Conflicts that are decided on one page.</summary>
    public const int Most = 1000;

    private const string Prefix = "stays:";

    /// <summary>The name of a conflict's field.</summary>
    public static string Of(string id) => Prefix + Convert.ToBase64String(System.Text.Encoding.UTF8.GetBytes(id));

    /// <summary>What a form decided, by the conflict's id: whether what comes back wins.</summary>
    public static IReadOnlyDictionary<string, bool> Decided(IFormCollection form) =>
        form.Where(f => f.Key.StartsWith(Prefix, StringComparison.Ordinal))
            .Select(f => (Id: Text(f.Key[Prefix.Length..]), Theirs: f.Value.ToString() == "theirs"))
            .Where(d => d.Id is not null)
            .ToDictionary(d => d.Id!, d => d.Theirs);

    private static string? Text(string base64)
    {
        Span<byte> bytes = new byte[base64.Length];
        return Convert.TryFromBase64String(base64, bytes, out var length)
            ? System.Text.Encoding.UTF8.GetString(bytes[..length])
            : null;
    }
}
