namespace Assignum.Core;

/// <summary>How much a fault weighs: an error keeps things from being done, a warning does not.</summary>
public enum Severity
{
    /// <summary>It is refused.</summary>
    Error,

    /// <summary>It goes on; somebody should look.</summary>
    Warning,
}

/// <summary>
/// One thing that is wrong, said so that its author can mend it: in an event, a landing, a file, a row of the set-up.
/// Everything that checks speaks in this one shape; what does not apply is empty. As JSON it is its code, message, path,
/// purpose and account; where it stands in a table is told by those who answer.
/// </summary>
/// <param name="Code">Stable machine code, kebab case.</param>
/// <param name="Message">A plain sentence: what is wrong and how to mend it.</param>
/// <param name="Path">Where: a JSON path (<c>lines[2].item</c>), or empty.</param>
/// <param name="Purpose">The purpose concerned, when there is one.</param>
/// <param name="Account">The account number concerned, when there is one.</param>
public sealed record Fault(
    string Code,
    string Message,
    string Path = "",
    string? Purpose = null,
    string? Account = null
)
{
    /// <summary>What a guard says of a landing.</summary>
    /// <param name="line">The event's line, from 0.</param>
    public Fault(
        string code,
        Severity severity,
        string message,
        string? account = null,
        string? purpose = null,
        int? line = null
    )
        : this(code, message, "", purpose, account)
    {
        Severity = severity;
        Line = line;
    }

    /// <summary>What is wrong in a file.</summary>
    /// <param name="part">The file's name without its ending.</param>
    /// <param name="row">Line of the file, the header being 1; 0 where it concerns the whole.</param>
    public Fault(string part, int row, string column, string code, string message)
        : this(code, message)
    {
        Part = part;
        Row = row;
        Column = column;
    }

    /// <summary>What its message may name, that has a page.</summary>
    public IEnumerable<Mention> Mentions()
    {
        if (Account is not null)
            yield return new Mention(Account, "account", Account);
        if (Purpose is not null)
            yield return new Mention(Purpose, "purpose", Purpose);
        if (Part.Length > 0 && Key.Length > 0 && !Key.Contains('\u001f'))
            yield return new Mention(Key, Part == "accounts" ? "account" : Part.TrimEnd('s'), Key);
    }

    /// <summary>How much it weighs.</summary>
    public Severity Severity { get; init; } = Severity.Error;

    /// <summary>The event's line, from 0; null: none in particular.</summary>
    public int? Line { get; init; }

    /// <summary>The file, or part of the set-up, it stands in; empty: none.</summary>
    public string Part { get; init; } = "";

    /// <summary>The line of the file, the header being 1; 0 where it concerns the whole.</summary>
    public int Row { get; init; }

    /// <summary>The key of the set-up's row; empty: none.</summary>
    public string Key { get; init; } = "";

    /// <summary>The column; empty: the row as a whole.</summary>
    public string Column { get; init; } = "";
}
