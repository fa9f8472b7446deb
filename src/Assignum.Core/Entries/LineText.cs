namespace Assignum.Core.Entries;

/// <summary>The text of an entry line, from the policy's template.</summary>
internal static class LineText
{
    private const int Longest = 500;

    public static string? For(EntrySheet sheet, LegContext context)
    {
        var template = sheet.Policies.LineText;
        if (template == "{text}")
            return context.Text;
        var party = context.Party is null ? null : sheet.SetUp.Party(context.Party)?.Party.Name;
        var item = context.Item is null ? null : sheet.SetUp.Item(context.Item)?.Item.Name;
        var text = template
            .Replace("{reference}", sheet.Event.Reference, StringComparison.Ordinal)
            .Replace("{party}", party, StringComparison.Ordinal)
            .Replace("{item}", item, StringComparison.Ordinal)
            .Replace("{kind}", sheet.Event.Kind, StringComparison.Ordinal)
            .Replace("{text}", context.Text, StringComparison.Ordinal)
            .Trim();
        return text.Length == 0 ? null
            : text.Length > Longest ? text[..Longest]
            : text;
    }
}
