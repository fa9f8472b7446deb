using System.Runtime.CompilerServices;

namespace Assignum.Core.Landing;

/// <summary>
/// A leg's values, one slot a <see cref="Dimension"/>, as indices of a <see cref="LandingIndex"/>; zero is "absent".
/// </summary>
[InlineArray(Count)]
public struct LegValues
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
}
