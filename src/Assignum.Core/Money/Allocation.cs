namespace Assignum.Core.Money;

/// <summary>Sharing a total over weights without losing or making a minor unit.</summary>
public static class Allocation
{
    /// <summary>
    /// Shares <paramref name="total"/> in proportion to <paramref name="weights"/>: quotas are rounded down, the minor
    /// units left over go to the largest remainders, ties to the earlier share.
    /// </summary>
    /// <remarks>
    /// A negative total is mirrored: shared as its absolute value, then negated. Where the weights add up to zero the
    /// whole total goes to the first share. The shares always add up to the total exactly.
    /// </remarks>
    /// <param name="total">The amount, a whole number of minor units.</param>
    /// <param name="weights">At least one weight.</param>
    /// <param name="decimals">Decimals of the currency.</param>
    public static decimal[] ByLargestRemainder(decimal total, ReadOnlySpan<decimal> weights, int decimals)
    {
        var shares = new decimal[weights.Length];
        if (weights.Length == 0 || total == 0)
            return shares;
        if (weights.Length == 1)
        {
            shares[0] = total;
            return shares;
        }
        var sum = 0m;
        foreach (var weight in weights)
            sum += weight;
        if (sum == 0)
        {
            shares[0] = total;
            return shares;
        }

        var unit = Rounding.Unit(decimals);
        var mirrored = total < 0 ? -total : total;
        var left = mirrored;
        var remainders = new decimal[weights.Length];
        for (var i = 0; i < weights.Length; i++)
        {
            var quota = mirrored * weights[i] / sum / unit;
            var whole = decimal.Floor(quota);
            remainders[i] = quota - whole;
            shares[i] = whole * unit;
            left -= shares[i];
        }
        for (; left > 0; left -= unit)
        {
            var best = 0;
            for (var i = 1; i < remainders.Length; i++)
                if (remainders[i] > remainders[best])
                    best = i;
            shares[best] += unit;
            remainders[best] -= 1;
        }
        if (total < 0)
            for (var i = 0; i < shares.Length; i++)
                shares[i] = -shares[i];
        return shares;
    }
}
