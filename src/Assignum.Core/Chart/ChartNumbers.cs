using System.Globalization;

namespace Assignum.Core.Chart;

/// <summary>Which numbers of a chart are held, which are free beside or under an account, and whether a number suits
/// its class.</summary>
/// <remarks>
/// A number is text. Its last run of digits counts up and keeps its width (<c>4010</c>, <c>A-07</c>, <c>4010.02</c>);
/// what
/// stands before it stays. Nothing here changes a chart.
/// </remarks>
public sealed class ChartNumbers
{
    private readonly Dictionary<string, Account> held;
    private readonly IReadOnlyList<Account> accounts;
    private readonly IReadOnlyList<NumberBand> bands;

    /// <summary>Reads a chart and its number bands; numbers are unique.</summary>
    public ChartNumbers(IReadOnlyList<Account> accounts, IReadOnlyList<NumberBand> bands)
    {
        this.accounts = accounts;
        this.bands = bands;
        held = accounts.ToDictionary(a => a.Number, StringComparer.Ordinal);
    }

    /// <summary>Who holds a number, or null when it is free.</summary>
    public Account? Holder(string number) => held.GetValueOrDefault(number);

    /// <summary>
    /// Why a number does not suit a class, as a sentence; null when it does or when no band speaks of it. Bands compare
    /// with numbers of their own length or longer, by their first characters.
    /// </summary>
    public string? Disagrees(string number, AccountClass @class)
    {
        var own = bands.Where(b => b.Class == @class).ToList();
        if (own.Any(b => Within(b, number)))
            return null;
        var other = bands.FirstOrDefault(b => b.Class != @class && Within(b, number));
        if (other is not null)
            return $"{number} lies in the numbers of {Words.Of(other.Class)} ({other.From} to {other.To}), and the "
                + $"account is {Words.Of(@class)}.";
        return own.Count == 0
            ? null
            : $"{number} lies outside the numbers of {Words.Of(@class)} "
                + $"({string.Join(", ", own.Select(b => $"{b.From} to {b.To}"))}).";
    }

    /// <summary>The class in whose numbers a number lies, or null where no band speaks of it.</summary>
    public AccountClass? BandOf(string number) => bands.FirstOrDefault(b => Within(b, number))?.Class;

    /// <summary>
    /// The nearest free number after an account, in the step its neighbours stand in, before the numbers of another
    /// heading begin
    /// and within its class's band where it is in one; else the next free one at all in those bounds; null when none is
    /// left.
    /// </summary>
    public string? Beside(string number)
    {
        if (Holder(number) is not { } account || Split(number) is not { } shape)
            return null;
        return After(shape, account.Class, Step(account.Parent, shape), Bound(account.Parent, shape));
    }

    /// <summary>The next free number under a heading: after its last account, or, where it has none, where the first of
    /// a like heading stands. Null when none is left.</summary>
    public string? Under(string heading)
    {
        if (Holder(heading) is not { } parent)
            return null;
        var children = accounts
            .Where(a => a.Parent == heading && Split(a.Number) is not null)
            .OrderBy(a => a.Number, StringComparer.Ordinal)
            .ToList();
        if (children.Count > 0)
            return Beside(children[^1].Number);
        foreach (
            var like in accounts
                .Where(a => a.Kind == AccountKind.Heading && a.Number != heading && a.Number.Length == heading.Length)
                .OrderBy(a => a.Parent == parent.Parent ? 0 : 1)
        )
            if (
                accounts.Where(a => a.Parent == like.Number).MinBy(a => a.Number, StringComparer.Ordinal) is { } first
                && Alike(like.Number, first.Number, heading) is { } number
            )
                return Holder(number) is null ? number : Beside(number);
        // No heading to follow: 4000 begins at 4010, 40 at 4001, 7-A at 7-A1.
        var zeros = heading.Length - heading.TrimEnd('0').Length;
        var guess =
            Split(heading) is not { } shape ? heading + "1"
            : heading.Length <= 2 ? heading + "01"
            : zeros == 0 ? heading + "1"
            : Write(shape with { Digits = shape.Digits + (zeros > 1 ? 10 : 1) });
        return guess is null ? null
            : Holder(guess) is null ? guess
            : Beside(guess);
    }

    /// <summary>The number of a child where a like heading's child stands so; null when it cannot be carried
    /// over.</summary>
    internal static string? Alike(string likeHeading, string likeChild, string heading)
    {
        if (likeChild.StartsWith(likeHeading, StringComparison.Ordinal))
            return heading + likeChild[likeHeading.Length..];
        return
            Split(likeHeading) is { } a
            && Split(likeChild) is { } b
            && Split(heading) is { } h
            && a.Prefix == b.Prefix
            && a.Width == b.Width
            && b.Digits > a.Digits
            ? Write(h with { Digits = h.Digits + b.Digits - a.Digits })
            : null;
    }

    private string? After(Shape start, AccountClass @class, long step, long bound)
    {
        var inBand = Disagrees(Write(start)!, @class) is null;
        foreach (var by in step > 1 ? [step, 1] : new[] { 1L })
            for (var next = start.Digits + by; next < bound; next += by)
            {
                if (
                    Write(start with { Digits = next }) is not { } number
                    || inBand && Disagrees(number, @class) is not null
                )
                    break;
                if (Holder(number) is null)
                    return number;
            }
        return null;
    }

    // The step that neighbours under one heading keep most often, the smaller of two that are as frequent; of tens and
    // hundreds, tens: the
    // nearest gap is wanted, not the next jump. 1 where there are no neighbours.
    private long Step(string? parent, Shape shape)
    {
        var digits = Neighbours(shape).Where(a => a.Account.Parent == parent).Select(a => a.Digits).Order().ToList();
        var step = digits
            .Zip(digits.Skip(1), (a, b) => b - a)
            .Where(d => d > 0)
            .GroupBy(d => d)
            .OrderByDescending(g => g.Count())
            .ThenBy(g => g.Key)
            .FirstOrDefault()
            ?.Key
            ?? 1;
        return step % 10 == 0 ? 10 : step;
    }

    // The first number after it that an account under another heading holds.
    private long Bound(string? parent, Shape start) =>
        Neighbours(start)
            .Where(a => a.Digits > start.Digits && a.Account.Parent != parent && !Below(a.Account, parent))
            .Select(a => a.Digits)
            .DefaultIfEmpty(long.MaxValue)
            .Min();

    private bool Below(Account account, string? heading)
    {
        if (heading is null)
            return false;
        var at = account.Parent;
        for (var steps = 0; at is not null && steps < 100; steps++, at = Holder(at)?.Parent)
            if (at == heading)
                return true;
        return false;
    }

    private IEnumerable<(Account Account, long Digits)> Neighbours(Shape shape)
    {
        foreach (var account in accounts)
            if (
                account.Number.Length == shape.Prefix.Length + shape.Width
                && Split(account.Number) is { } other
                && other.Prefix == shape.Prefix
                && other.Width == shape.Width
            )
                yield return (account, other.Digits);
    }

    /// <summary>Whether a number lies in a band, by as many of its first characters as the band's ends have; a shorter one
    /// does not.</summary>
    public static bool Within(NumberBand band, string number)
    {
        if (number.Length < band.From.Length || number.Length < band.To.Length)
            return false;
        return string.CompareOrdinal(number[..band.From.Length], band.From) >= 0
            && string.CompareOrdinal(number[..band.To.Length], band.To) <= 0;
    }

    private readonly record struct Shape(string Prefix, long Digits, int Width);

    private static Shape? Split(string number)
    {
        var at = number.Length;
        while (at > 0 && char.IsAsciiDigit(number[at - 1]) && number.Length - at < 18)
            at--;
        return at == number.Length
            ? null
            : new Shape(
                number[..at],
                long.Parse(number.AsSpan(at), NumberStyles.None, CultureInfo.InvariantCulture),
                number.Length - at
            );
    }

    private static string? Write(Shape shape)
    {
        var digits = shape.Digits.ToString(CultureInfo.InvariantCulture).PadLeft(shape.Width, '0');
        return digits.Length > shape.Width ? null : shape.Prefix + digits;
    }
}
