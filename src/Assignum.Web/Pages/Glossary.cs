using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Assignum.Web.Pages;

/// <summary>The product's own words and what they mean, in a sentence each: behind <c>?</c>, and where a word is
/// pointed at.</summary>
public static class Glossary
{
    /// <summary>Each word with its meaning, in the order that explains them.</summary>
    public static IReadOnlyList<(string Word, string Meaning)> All { get; } =
    [
        (
            "leg",
            "One side of an entry that an event calls for: an amount, a side and a purpose, before it has an account."
        ),
        ("purpose", "What a leg's account is for, such as Sales revenue or Stock."),
        ("assignment", "For this purpose, with these values, use this account."),
        (
            "rung",
            "One question on a purpose's ladder, such as item group + party group: is there an assignment for it?"
        ),
        ("ladder", "The rungs of a purpose from the most particular down; the first that has an answer decides."),
        ("default", "The last rung: the account that takes whatever no other rung decides."),
        ("tripwire", "A default on an account where nothing should ever stand: what lands there was forgotten."),
        ("borrowed", "Where no rung of a purpose has an answer, it may look on another purpose's ladder."),
        ("firm and light", "Firm is an account of a group's own; light is one that it has from above."),
        ("held share", "The part of a receipt's goods that is still in stock when its invoice comes at another price."),
        (
            "may be used instead",
            "An account that may be written on a document in place of the one that a control purpose gives."
        ),
        ("account on the line", "An account that the document itself names; it comes before every other rung."),
        ("edition", "The mapping as it decides from a day on; it is published from the draft and never changes after."),
        ("between", "What stands on an account between two steps, such as received and not yet invoiced."),
    ];

    /// <summary>What a word means; null: it is none of them.</summary>
    public static string? Of(string word) => All.FirstOrDefault(w => w.Word == word).Meaning;
}

/// <summary><c>&lt;abbr word="rung"&gt;</c>: a word that says what it means where it is pointed at.</summary>
[HtmlTargetElement("abbr", Attributes = "word")]
public sealed class GlossaryWord : TagHelper
{
    public string Word { get; set; } = "";

    /// <inheritdoc/>
    public override void Process(TagHelperContext context, TagHelperOutput output) =>
        output.Attributes.SetAttribute("title", Glossary.Of(Word));
}
