using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Assignum.Core.Tables;
using Microsoft.AspNetCore.Mvc.Rendering;
using Microsoft.AspNetCore.Mvc.TagHelpers;
using Microsoft.AspNetCore.Mvc.ViewFeatures;
using Microsoft.AspNetCore.Razor.TagHelpers;

namespace Assignum.Web.Pages;

/// <summary>
/// <c>&lt;a to="item" code="CAL-A"&gt;</c>: a link to whatever is named, in the entity of the page. Without words of its
/// own it shows the code; without a code there is nothing; what has no page is text.
/// </summary>
[HtmlTargetElement("a", Attributes = "to")]
public sealed class LinkTo : TagHelper
{
    /// <summary>What is named: <c>account</c>, <c>purpose</c>, <c>entry</c>, <c>edition</c>, <c>entity</c>, or a
    /// dimension.</summary>
    public string To { get; set; } = "";

    public string? Code { get; set; }

    [ViewContext, HtmlAttributeNotBound]
    public ViewContext ViewContext { get; set; } = null!;

    /// <summary>What a part's rows are called here.</summary>
    /// <param name="kind">Of groups, whose.</param>
    public static string Word(Part part, GroupKind? kind) => kind is { } of ? $"{Words.Of(of)}-group" : Parts.One(part);

    /// <summary>The grid of a purpose's assignments with rows begun: each a key, <c>dimension:value</c> joined by
    /// <c>+</c>, the mark in the account that is wanted.</summary>
    /// <param name="again">What is rehearsed again afterwards, see <see cref="Again"/>; null: nothing.</param>
    public static string Begin(string entity, string purpose, IEnumerable<string> keys, string? again = null) =>
        $"/e/{entity}/assignments?purpose={purpose}"
        + string.Concat(keys.Select(k => $"&begin={Uri.EscapeDataString(k)}"))
        + (again is null ? "" : $"&again={Uri.EscapeDataString(again)}");

    /// <summary>Rehearses something again under what is being edited.</summary>
    /// <param name="what">The number of an entry, or <c>last</c>: the document that was rehearsed last.</param>
    public static string Again(string entity, string what) =>
        $"/e/{entity}/rehearse?entry={Uri.EscapeDataString(what)}&edition=draft&go=true";

    /// <summary>The address of something named; null: it has no page.</summary>
    public static string? Address(string entity, string to, string code)
    {
        var (home, name) = ($"/e/{Uri.EscapeDataString(entity)}", Uri.EscapeDataString(code));
        return to switch
        {
            "account" or "line" => $"{home}/chart/{name}",
            "purpose" => $"{home}/ladders/{name}",
            "entry" => $"{home}/journal/{name}",
            "edition" => $"{home}/editions",
            "entity" or "counterparty" => $"/e/{name}",
            "tax-code" => $"{home}/tax?show=codes&code={name}",
            "item-group" or "project-group" or "customer-group" or "supplier-group" =>
                $"{home}/group/{to.Split('-')[0]}/{name}",
            // Customers and suppliers have groups; the page finds whose it is.
            "party-group" => $"{home}/record/party-group/{name}",
            _ => Words.TryParse<Dimension>(to, out var dimension) && RecordOnLines.Kinds.Contains(dimension)
                ? $"{home}/record/{to}/{name}"
                : null,
        };
    }

    /// <summary>A sentence with links to what it names.</summary>
    public static Microsoft.AspNetCore.Html.IHtmlContent Sentence(
        string? entity,
        string sentence,
        IEnumerable<Mention> mentions
    )
    {
        var html = new Microsoft.AspNetCore.Html.HtmlContentBuilder();
        foreach (var (text, named) in Mention.In(sentence, mentions))
            if (named is not null && entity is not null && Address(entity, named.To, named.Code) is { } address)
            {
                var link = new TagBuilder("a");
                link.Attributes["href"] = address;
                link.InnerHtml.Append(text);
                html.AppendHtml(link);
            }
            else
                html.Append(text);
        return html;
    }

    /// <inheritdoc/>
    public override async Task ProcessAsync(TagHelperContext context, TagHelperOutput output)
    {
        if (string.IsNullOrEmpty(Code))
        {
            output.SuppressOutput();
            return;
        }
        var words = await output.GetChildContentAsync();
        if (words.IsEmptyOrWhiteSpace)
        {
            output.Content.SetContent(Code);
            output.AddClass("code", System.Text.Encodings.Web.HtmlEncoder.Default);
        }
        var entity = ViewContext.RouteData.Values["entity"]?.ToString();
        if (entity is not null && Address(entity, To, Code) is { } address)
            output.Attributes.SetAttribute("href", address);
        else
            output.TagName = "span";
    }
}
