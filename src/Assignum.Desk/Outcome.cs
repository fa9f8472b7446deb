using Assignum.Core;

namespace Assignum.Desk;

/// <summary>Why a task was not done.</summary>
public enum Refusal
{
    /// <summary>There is no such thing, or the actor may not know of it.</summary>
    NotFound,

    /// <summary>The actor's role does not allow it.</summary>
    Forbidden,

    /// <summary>Somebody else was first, or the thing exists.</summary>
    Conflict,

    /// <summary>What was given is wrong.</summary>
    Invalid,
}

/// <summary>What came of a task: its result, or why it was refused and every fault found. Nothing was changed when
/// refused.</summary>
public sealed record Outcome<T>(T? Result, Refusal? Refused, IReadOnlyList<Fault> Faults)
{
    /// <summary>It was done.</summary>
    public static implicit operator Outcome<T>(T result) => new(result, null, []);

    /// <summary>It was refused.</summary>
    public static Outcome<T> No(Refusal why, string code, string message, string path = "") =>
        new(default, why, [new Fault(code, message, path)]);

    /// <summary>It was refused for several faults.</summary>
    public static Outcome<T> No(Refusal why, IReadOnlyList<Fault> faults) => new(default, why, faults);

    /// <summary>The same refusal for another kind of result.</summary>
    public Outcome<TOther> Pass<TOther>() => new(default, Refused, Faults);
}
