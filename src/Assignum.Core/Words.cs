using System.Collections.Frozen;
using System.Text;

namespace Assignum.Core;

/// <summary>The one place where an enum value and the word users and files know it by are turned into each
/// other.</summary>
/// <remarks>A member <c>CostOfSales</c> is the word <c>cost-of-sales</c>. Words are lower case and matched
/// exactly.</remarks>
public static class Words
{
    /// <summary>The word for a value, e.g. <c>cost-of-sales</c>.</summary>
    public static string Of<T>(T value)
        where T : struct, Enum => Table<T>.Word[value];

    /// <summary>The value for a word; false when the word is none of <see cref="All{T}"/>.</summary>
    public static bool TryParse<T>(string word, out T value)
        where T : struct, Enum => Table<T>.Value.TryGetValue(word, out value);

    /// <summary>Every word of the enum, in declaration order.</summary>
    public static IReadOnlyList<string> All<T>()
        where T : struct, Enum => Table<T>.Ordered;

    /// <summary>A word as a title: <c>goods-received</c> as "Goods received".</summary>
    public static string Title(string word) =>
        word.Length == 0 ? "" : char.ToUpperInvariant(word[0]) + word[1..].Replace('-', ' ');

    private static class Table<T>
        where T : struct, Enum
    {
        internal static readonly string[] Ordered = [.. Enum.GetNames<T>().Select(Kebab)];
        internal static readonly FrozenDictionary<T, string> Word = Enum.GetValues<T>()
            .ToFrozenDictionary(v => v, v => Kebab(v.ToString()));
        internal static readonly FrozenDictionary<string, T> Value = Enum.GetValues<T>()
            .ToFrozenDictionary(v => Kebab(v.ToString()), v => v, StringComparer.Ordinal);
    }

    private static string Kebab(string name)
    {
        var text = new StringBuilder(name.Length + 4);
        for (var i = 0; i < name.Length; i++)
        {
            if (char.IsUpper(name[i]) && i > 0)
                text.Append('-');
            text.Append(char.ToLowerInvariant(name[i]));
        }
        return text.ToString();
    }
}
