using System.Runtime.CompilerServices;

namespace Assignum.Core.Landing;

/// <summary>
/// A leg's values, one slot a <see cref="Dimension"/>, as indices of a <see cref="LandingIndex"/>; zero is "absent".
/// </summary>
[InlineArray(Count)]
public struct LegValues : IEquatable<LegValues>
{
    /// <summary>Number of dimensions.</summary>
    public const int Count = 14;

    private int slot;

    /// <summary>The value's index for a dimension, 0 when absent.</summary>
    public int this[Dimension dimension]
    {
        readonly get => this[(int)dimension];
        set => this[(int)dimension] = value;
    }

    /// <inheritdoc/>
    public readonly bool Equals(LegValues other) => ((ReadOnlySpan<int>)this).SequenceEqual(other);

    /// <inheritdoc/>
    public override readonly bool Equals(object? obj) => obj is LegValues other && Equals(other);

    /// <inheritdoc/>
    public override readonly int GetHashCode()
    {
        var hash = new HashCode();
        foreach (var value in (ReadOnlySpan<int>)this)
            hash.Add(value);
        return hash.ToHashCode();
    }

    /// <summary>Slot by slot.</summary>
    public static bool operator ==(LegValues left, LegValues right) => left.Equals(right);

    /// <summary>Slot by slot.</summary>
    public static bool operator !=(LegValues left, LegValues right) => !left.Equals(right);
}
