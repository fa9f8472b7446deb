using Assignum.Core;
using Assignum.Core.Pairing;

namespace Assignum.Desk.Connections;

/// <summary>A folder of the server into which others lay files: each is taken once by its content, and left where it
/// is.</summary>
internal sealed class WatchedFolder
{
    /// <summary>A file that was written to a moment ago may not be whole.</summary>
    public static readonly TimeSpan Rest = TimeSpan.FromSeconds(5);

    private const int MostAtOnce = 200;

    // Looked at by name, size and time, so that nothing is read twice for nothing; a restart reads them once more.
    private readonly Dictionary<string, (long Length, DateTime At)> seen = new(StringComparer.Ordinal);

    /// <summary>Why a folder is not watched; null: it can be.</summary>
    public static Fault? Wrong(string folder, IReadOnlyCollection<string> allowed)
    {
        if (!Path.IsPathFullyQualified(folder) || folder.Any(char.IsControl) || folder.Length > 500)
            return new Fault("bad-folder", "A folder is given by its whole path on the server.", "folder");
        var whole = Path.TrimEndingDirectorySeparator(Path.GetFullPath(folder));
        if (!allowed.Any(a => IsWithin(whole, Path.TrimEndingDirectorySeparator(Path.GetFullPath(a)))))
            return new Fault(
                "folder-not-listed",
                "Files are taken only from folders that whoever runs the server lists in ASSIGNUM_FILE_FOLDERS.",
                "folder"
            );
        return Directory.Exists(whole)
            ? null
            : new Fault("no-folder", "There is no such folder on the server.", "folder");
    }

    private static bool IsWithin(string folder, string root) =>
        folder == root || folder.StartsWith(root + Path.DirectorySeparatorChar, StringComparison.Ordinal);

    /// <summary>Files that were not seen as they are now, by name: those in <c>sold</c> and <c>bought</c> say by that which
    /// side they are.</summary>
    public IReadOnlyList<(string Path, string? Side)> Fresh(Connection link, IReadOnlyCollection<string> allowed)
    {
        if (link.Folder is not { } folder || Wrong(folder, allowed) is not null)
            return [];
        var found = new List<(string, string?)>();
        foreach (var side in new[] { null, "sold", "bought" })
        {
            var within = side is null ? folder : Path.Combine(folder, side);
            // What leads elsewhere is not followed.
            if (!Directory.Exists(within) || new DirectoryInfo(within).LinkTarget is not null)
                continue;
            foreach (
                var file in new DirectoryInfo(within).EnumerateFiles().OrderBy(f => f.Name, StringComparer.Ordinal)
            )
                if (
                    file.LinkTarget is null
                    && file.Length > 0
                    && !file.Name.StartsWith('.')
                    && !file.Name.EndsWith(".part", StringComparison.OrdinalIgnoreCase)
                    && DateTime.UtcNow - file.LastWriteTimeUtc > Rest
                    && !(seen.TryGetValue(file.FullName, out var was) && was == (file.Length, file.LastWriteTimeUtc))
                    && found.Count < MostAtOnce
                )
                    found.Add((file.FullName, side));
        }
        return found;
    }

    private readonly SortedDictionary<string, string> troubles = new(StringComparer.Ordinal);

    /// <summary>What is wrong with a file that still lies there; null: nothing.</summary>
    public string? Trouble
    {
        get
        {
            foreach (var gone in troubles.Keys.Where(p => !File.Exists(p)).ToList())
                troubles.Remove(gone);
            return troubles.Count == 0 ? null : troubles.First().Value;
        }
    }

    /// <summary>A file was looked at.</summary>
    /// <param name="trouble">Why it was not taken; null: it was.</param>
    public void Note(string path, string? trouble)
    {
        var file = new FileInfo(path);
        if (file.Exists)
            seen[path] = (file.Length, file.LastWriteTimeUtc);
        if (trouble is null)
            troubles.Remove(path);
        else
            troubles[path] = $"{file.Name}: {trouble}";
    }
}
