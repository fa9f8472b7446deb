namespace Assignum.Core.Money;

/// <summary>How a half minor unit is rounded; a policy of the entity.</summary>
public enum RoundingMode
{
    /// <summary>0.125 → 0.13, −0.125 → −0.13.</summary>
    HalfAwayFromZero,

    /// <summary>0.125 → 0.12, 0.135 → 0.14 (statistician's rounding).</summary>
    HalfToEven,
}

/// <summary>Rounding of an amount to a currency's minor unit.</summary>
public readonly record struct Rounding(RoundingMode Mode)
{
    /// <summary>Rounds to <paramref name="decimals"/> places, 0 to 4.</summary>
    public decimal Round(decimal amount, int decimals) =>
        decimal.Round(
            amount,
            decimals,
            Mode == RoundingMode.HalfToEven ? MidpointRounding.ToEven : MidpointRounding.AwayFromZero
        );

    /// <summary>One minor unit, e.g. 0.01 for two decimals.</summary>
    public static decimal Unit(int decimals) => new(1, 0, 0, false, (byte)decimals);
}
