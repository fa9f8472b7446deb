using Assignum.Core.Chart;
using Assignum.Core.Landing;

namespace Assignum.Core;

/// <summary>One thing that is wrong with what was given, said so that its author can mend it.</summary>
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
);

/// <summary>How much a remark weighs: an error keeps an event from posting, a warning does not.</summary>
public enum Severity
{
    /// <summary>Posting is refused.</summary>
    Error,

    /// <summary>Posting goes on; somebody should look.</summary>
    Warning,
}

/// <summary>What a guard says of one event (see <see cref="Entries.Guards"/>).</summary>
public sealed record Remark(
    string Code,
    Severity Severity,
    string Message,
    string? Account = null,
    string? Purpose = null,
    int? Line = null
);
