using System.Globalization;
using Assignum.Core.Money;

namespace Assignum.Core.Books;

/// <summary>What a line of a template comes to, worked out of one amount: numbers, the amount as <c>amount</c>,
/// <c>+ - * / ( )</c> and <c>%</c> after a number. <c>rest</c> alone is what the entry still lacks to balance.</summary>
/// <remarks>It is worked out exactly and rounded once, to the entity's currency. It knows no names beside, calls nothing
/// and reaches nothing.</remarks>
public sealed class Formula
{
    /// <summary>What balances the entry.</summary>
    public const string Rest = "rest";

    /// <summary>How long a formula may be.</summary>
    public const int Longest = 200;

    private const int Deepest = 20;
    private readonly string text;
    private readonly decimal amount;
    private int at;
    private int depth;

    private Formula(string text, decimal amount) => (this.text, this.amount) = (text, amount);

    /// <summary>Whether a formula is that which balances the entry.</summary>
    public static bool IsRest(string formula) => formula.Trim().Equals(Rest, StringComparison.OrdinalIgnoreCase);

    /// <summary>What a formula comes to.</summary>
    /// <param name="wrong">What is wrong with it, as a sentence; null: nothing.</param>
    public static decimal? Of(string formula, decimal amount, out string? wrong)
    {
        wrong = null;
        if (formula.Length > Longest)
        {
            wrong = $"A formula has at most {Longest} characters.";
            return null;
        }
        var read = new Formula(formula, amount);
        try
        {
            var value = read.Sum();
            read.Skip();
            if (read.at == formula.Length)
                return value;
            wrong =
                $"'{read.text[read.at..]}' is not understood: write numbers, amount, + - * / ( ) and %, such as amount * "
                + "25 %.";
        }
        catch (FormatException e)
        {
            wrong = e.Message;
        }
        catch (DivideByZeroException)
        {
            wrong = "It divides by nothing.";
        }
        catch (OverflowException)
        {
            wrong = "It comes to more than can be counted.";
        }
        return null;
    }

    /// <summary>What lines of formulas come to, each rounded; the one that is the rest takes what balances them.</summary>
    /// <param name="lines">A formula for debit or for credit each.</param>
    /// <param name="amount">Null: none was given, and a formula that asks for it is wrong.</param>
    /// <returns>Debit less credit, or why a line cannot be worked out.</returns>
    public static IReadOnlyList<(decimal? Value, string? Wrong)> Work(
        IReadOnlyList<(string? Debit, string? Credit)> lines,
        decimal? amount,
        Func<decimal, decimal> round
    )
    {
        var values = new (decimal?, string?)[lines.Count];
        var rest = -1;
        var sum = 0m;
        for (var i = 0; i < lines.Count; i++)
        {
            var formula = lines[i].Debit ?? lines[i].Credit ?? "";
            if (IsRest(formula))
            {
                if (rest >= 0)
                    values[i] = (null, "At most one line is the rest.");
                else
                    rest = i;
            }
            else if (amount is null && formula.Contains("amount", StringComparison.OrdinalIgnoreCase))
                values[i] = (null, "Give the amount that it is worked out of.");
            else if (Of(formula, amount ?? 0, out var wrong) is { } value)
            {
                value = round(value);
                values[i] = (lines[i].Debit is null ? -value : value, null);
                sum += values[i].Item1!.Value;
            }
            else
                values[i] = (null, wrong);
        }
        if (rest >= 0)
            values[rest] = (-sum, null);
        return values;
    }

    private decimal Sum()
    {
        var value = Product();
        while (true)
            if (Take('+'))
                value += Product();
            else if (Take('-') || Take('−'))
                value -= Product();
            else
                return value;
    }

    private decimal Product()
    {
        var value = Signed();
        while (true)
            if (Take('*') || Take('×'))
                value *= Signed();
            else if (Take('/') || Take('÷'))
                value /= Signed();
            else
                return value;
    }

    private decimal Signed()
    {
        if (++depth > Deepest)
            throw new FormatException("It is nested too deeply.");
        var value =
            Take('-') || Take('−') ? -Signed()
            : Take('(') ? Within()
            : Value();
        depth--;
        return Take('%') ? value / 100 : value;
    }

    private decimal Within()
    {
        var value = Sum();
        return Take(')') ? value : throw new FormatException("A bracket is not closed.");
    }

    private decimal Value()
    {
        Skip();
        var begin = at;
        while (at < text.Length && (char.IsAsciiDigit(text[at]) || text[at] is '.' or ',' || at > begin && IsGap()))
            at++;
        if (at > begin)
            return WrittenNumber.Of(text[begin..at], out _) is { } number
                ? number
                : throw new FormatException($"'{text[begin..at]}' is no number.");
        while (at < text.Length && char.IsLetter(text[at]))
            at++;
        return text[begin..at].ToLower(CultureInfo.InvariantCulture) switch
        {
            "amount" => amount,
            Rest => throw new FormatException("'rest' stands alone: it is what the entry lacks to balance."),
            "" => throw new FormatException("A number or 'amount' is missing at the end or between two signs."),
            var other => throw new FormatException($"'{other}' is not known: the one name in a formula is 'amount'."),
        };
    }

    // A space within a number: three digits follow, and no fourth.
    private bool IsGap()
    {
        if (text[at] is not (' ' or '\u00a0' or '\u202f' or '\u2009') || at + 3 >= text.Length)
            return false;
        for (var i = 1; i <= 3; i++)
            if (!char.IsAsciiDigit(text[at + i]))
                return false;
        return at + 4 == text.Length || !char.IsAsciiDigit(text[at + 4]);
    }

    private bool Take(char sign)
    {
        Skip();
        if (at >= text.Length || text[at] != sign)
            return false;
        at++;
        return true;
    }

    private void Skip()
    {
        while (at < text.Length && char.IsWhiteSpace(text[at]))
            at++;
    }
}
