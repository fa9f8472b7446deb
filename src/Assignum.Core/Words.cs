using System.Globalization;
using System.Runtime.CompilerServices;
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
        where T : struct, Enum =>
        Known<T>.Words.Ordered[
            Unsafe.SizeOf<T>() == sizeof(byte) ? Unsafe.As<T, byte>(ref value) : Unsafe.As<T, int>(ref value)
        ];

    /// <summary>The value for a word; false when the word is none of <see cref="All{T}"/>.</summary>
    public static bool TryParse<T>(string word, out T value)
        where T : struct, Enum
    {
        var found = Known<T>.Words.Place.TryGetValue(word, out var place);
        var small = (byte)place;
        value = Unsafe.SizeOf<T>() == sizeof(byte) ? Unsafe.As<byte, T>(ref small) : Unsafe.As<int, T>(ref place);
        return found;
    }

    /// <summary>Every word of the enum, in declaration order.</summary>
    public static IReadOnlyList<string> All<T>()
        where T : struct, Enum => Known<T>.Words.Ordered;

    /// <summary>A word as a title: <c>goods-received</c> as "Goods received".</summary>
    public static string Title(string word) =>
        word.Length == 0 ? "" : char.ToUpperInvariant(word[0]) + word[1..].Replace('-', ' ');

    private static class Known<T>
        where T : struct, Enum
    {
        internal static readonly WordsOf Words = new(typeof(T));
    }

    // The same code for every enum: what is made anew for each is compiled anew for each at every start.
    private sealed class WordsOf
    {
        internal WordsOf(Type type)
        {
            Ordered = [.. Enum.GetNames(type).Select(Kebab)];
            var values = Enum.GetValuesAsUnderlyingType(type);
            for (var i = 0; i < Ordered.Length; i++)
            {
                var value = values.GetValue(i);
                if (value is not (int or byte) || Convert.ToInt32(value, CultureInfo.InvariantCulture) != i)
                    throw new NotSupportedException($"{type.Name} does not count its members from 0 by one.");
                Place.Add(Ordered[i], i);
            }
        }

        /// <summary>The word of each value.</summary>
        internal string[] Ordered { get; }

        /// <summary>The value of each word.</summary>
        internal Dictionary<string, int> Place { get; } = new(StringComparer.Ordinal);
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
