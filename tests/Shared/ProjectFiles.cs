namespace Assignum.Testing;

/// <summary>Finds files of the project.</summary>
public static class ProjectFiles
{
    /// <summary>The folder that holds Assignum.slnx.</summary>
    public static string Root { get; } = Find(AppContext.BaseDirectory);

    private static string Find(string from)
    {
        for (var at = new DirectoryInfo(from); at is not null; at = at.Parent)
            if (File.Exists(Path.Combine(at.FullName, "Assignum.slnx")))
                return at.FullName;
        throw new InvalidOperationException("Assignum.slnx was not found above " + from);
    }
}
