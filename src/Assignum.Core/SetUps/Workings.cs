using System.Collections.Concurrent;

namespace Assignum.Core.SetUps;

/// <summary>
/// What others worked out of a compiled set-up and keep with it (coverage, dead weight), so that a set-up that was
/// changed from another starts from what that one knew. The set-up itself knows none of them.
/// </summary>
public sealed class Workings
{
    private readonly CompiledSetUp setUp;
    private readonly ConcurrentDictionary<Type, Kept> kept = new();

    private sealed record Kept(object Value, Func<CompiledSetUp, object, object> Renew);

    internal Workings(CompiledSetUp setUp, Workings? previous)
    {
        this.setUp = setUp;
        if (previous is null)
            return;
        // At once, so that nothing holds the set-up before this one.
        foreach (var (type, known) in previous.kept)
            kept[type] = known with { Value = known.Renew(setUp, known.Value) };
    }

    /// <summary>What is kept of a kind; made where nothing is.</summary>
    /// <param name="make">Makes it, of the set-up and of what the one before it had; null: nothing.</param>
    public T Of<T>(Func<CompiledSetUp, T?, T> make)
        where T : class =>
        (T)kept.GetOrAdd(typeof(T), _ => new Kept(make(setUp, null), (now, was) => make(now, (T)was))).Value;
}
