using System.Text.Json.Nodes;
using Assignum.Core.Calendar;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Money;

namespace Assignum.Web.Pages.Entity;

/// <summary>A field of the form: name, value, and how it is filled.</summary>
public sealed record FormField(string Name, string Label, FieldType Type, string? Value, bool Needed)
{
    /// <summary>Whether choices are offered while typing.</summary>
    public bool Picks =>
        Type
            is FieldType.Item
                or FieldType.Party
                or FieldType.Location
                or FieldType.Channel
                or FieldType.Method
                or FieldType.Project
                or FieldType.Reason
                or FieldType.TaxCode
                or FieldType.Account
                or FieldType.Currency
                or FieldType.Entity
                or FieldType.TaxStanding
                or FieldType.TaxCategory;

    /// <summary>The purpose that an account written here stands for, or null where it depends on more.</summary>
    public string? Purpose { get; init; }

    /// <summary>Name as an id.</summary>
    public string Id => IdOf(Name);

    /// <summary>A name as an id.</summary>
    public static string IdOf(string name) => string.Concat(name.Select(c => char.IsAsciiLetterOrDigit(c) ? c : '-'));
}

/// <summary>A document as a form: the fields its kind takes, made from the table of event fields, and back into
/// JSON.</summary>
public static class DocumentForm
{
    /// <summary>The event's own fields, in the order of the table.</summary>
    public static IEnumerable<FormField> Fields(EventKind kind, JsonObject document) =>
        DocumentShape
            .Fields(kind)
            .Select(f => new FormField(
                "f." + f.Name,
                EventPlace.Label(f.Name),
                f.Type,
                Text(document[f.Name]),
                DocumentShape.IsNeeded(kind, f.Name)
            )
            {
                Purpose = f.Type == FieldType.Account ? DocumentShape.PurposeOf(kind, f.Name) : null,
            });

    /// <summary>Whether a field stands in the open: it is needed, filled, or what most documents of its kind
    /// have.</summary>
    public static bool IsOften(FormField field) =>
        field.Needed || field.Value is not null || DocumentShape.IsUsual(field.Name[2..]);

    /// <summary>The rows of a list, an empty one where none is filled.</summary>
    public static IEnumerable<IReadOnlyList<FormField>> Rows(EventKind kind, string list, JsonObject document)
    {
        var columns = DocumentShape.Columns(kind, list);
        var filled = document[list] as JsonArray ?? [];
        for (var i = 0; i < Math.Max(1, filled.Count); i++)
        {
            var row = i < filled.Count ? filled[i] as JsonObject : null;
            yield return
            [
                .. columns.Select(c => new FormField(
                    $"{list}[{i}].{c.Name}",
                    EventPlace.Label(c.Name),
                    c.Type,
                    Text(row?[c.Name]),
                    false
                )
                {
                    Purpose = c.Type == FieldType.Account ? DocumentShape.PurposeOf(kind, list) : null,
                }),
            ];
        }
    }

    /// <summary>The JSON of what the form holds; empty fields and empty rows are left out.</summary>
    public static JsonObject Read(IFormCollection form, string kind)
    {
        var document = new JsonObject
        {
            ["source"] = "own",
            ["id"] = form["id"].ToString(),
            ["kind"] = kind,
        };
        foreach (var field in EventFields.OfEvent)
            Put(document, field.Name, field.Type, form["f." + field.Name].ToString());
        foreach (var list in EventFields.Lists)
            List(form, document, list, EventFields.Of(list));
        return document;
    }

    private static void List(
        IFormCollection form,
        JsonObject document,
        string list,
        IEnumerable<(string Name, FieldType Type)> fields
    )
    {
        var rows = new JsonArray();
        for (
            var i = 0;
            i < EventMost && form.Keys.Any(k => k.StartsWith($"{list}[{i}].", StringComparison.Ordinal));
            i++
        )
        {
            var row = new JsonObject();
            foreach (var (name, type) in fields)
                Put(row, name, type, form[$"{list}[{i}].{name}"].ToString());
            if (row.Count > 0)
                rows.Add(row);
        }
        if (rows.Count > 0)
            document[list] = rows;
    }

    private const int EventMost = 500;

    // A number that is no number stays text, so that the reader of events says what is wrong with it.
    internal static void Put(JsonObject target, string name, FieldType type, string value)
    {
        value = value.Trim();
        if (value.Length == 0)
            return;
        target[name] = type switch
        {
            FieldType.Amount
            or FieldType.Price
            or FieldType.Quantity
            or FieldType.Rate
            or FieldType.Percent
            or FieldType.Share => WrittenNumber.Of(value, out _) is { } number
                ? JsonValue.Create(number)
                : JsonValue.Create(value),
            FieldType.Date => JsonValue.Create(WrittenDay.Canonical(value)),
            FieldType.Flag => JsonValue.Create(value is "true" or "on"),
            _ => JsonValue.Create(value),
        };
    }

    private static string? Text(JsonNode? node) =>
        node switch
        {
            null => null,
            JsonValue value when value.TryGetValue<bool>(out var flag) => flag ? "true" : null,
            JsonValue value => value.ToString(),
            _ => null,
        };
}
