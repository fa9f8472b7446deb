using System.Text.RegularExpressions;

namespace Assignum.Core.Events;

/// <summary>Places in an event in the words of its form: <c>lines[1].unitPrice</c> is "Line 2, unit price".</summary>
public static partial class EventPlace
{
    /// <summary>A field's name in words: <c>unitPrice</c> as "unit price".</summary>
    public static string Label(string name) =>
        string.Concat(name.Select(c => char.IsUpper(c) ? " " + char.ToLowerInvariant(c) : c.ToString()));

    /// <summary>A path in words, as a sentence begins; empty for an empty path.</summary>
    public static string InWords(string path)
    {
        if (path.Length == 0)
            return "";
        var match = Listed().Match(path);
        if (!match.Success)
            return Capital(Label(path.Replace('.', ' ')));
        var at = int.Parse(match.Groups["at"].ValueSpan, System.Globalization.CultureInfo.InvariantCulture) + 1;
        var list = match.Groups["list"].Value switch
        {
            "lines" => $"Line {at}",
            "charges" => $"Charge {at}",
            "settles" => $"Settled document {at}",
            "settlesPayables" => $"Settled payable {at}",
            "deposits" => $"Deposit {at}",
            var other => $"{Capital(Label(other))} {at}",
        };
        var field = match.Groups["field"].Value;
        return field.Length == 0 ? list : $"{list}, {Label(field.Replace('.', ' '))}";
    }

    private static string Capital(string text) => char.ToUpperInvariant(text[0]) + text[1..];

    [GeneratedRegex(@"^(?<list>[A-Za-z]+)\[(?<at>[0-9]{1,7})\](\.(?<field>.+))?$")]
    private static partial Regex Listed();
}
