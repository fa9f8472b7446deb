using System.Globalization;
using System.Text.Json;
using Assignum.Core;
using Assignum.Desk;
using Assignum.Web.Access;

namespace Assignum.Web.Api;

/// <summary>Reads what calls are given: small bodies by field, days and spans of days.</summary>
internal static class ApiBody
{
    internal static async Task<(Visit? Visit, DateOnly Day, IResult? Wrong)> DayAsync(
        HttpContext http,
        string entity,
        string? at,
        DeskContext desk
    )
    {
        var faults = new List<Fault>();
        var day = Endpoints.Day(at, "at", faults);
        if (faults.Count > 0)
            return (null, default, Unusable(faults));
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        return entered.Refused is null
            ? (entered.Result.Visit, day ?? entered.Result.Visit.State.Today, null)
            : (null, default, ApiProblem.Of(entered));
    }

    internal static async Task<(Visit? Visit, DateOnly From, DateOnly To, IResult? Wrong)> SpanAsync(
        HttpContext http,
        string entity,
        string? from,
        string? to,
        DeskContext desk
    )
    {
        var faults = new List<Fault>();
        var (first, last) = (Endpoints.Day(from, "from", faults), Endpoints.Day(to, "to", faults));
        if (first is null && faults.Count == 0)
            faults.Add(new Fault("missing-field", "'from' is missing: the first day.", "from"));
        if (last is null && faults.Count == 0)
            faults.Add(new Fault("missing-field", "'to' is missing: the last day.", "to"));
        if (first > last)
            faults.Add(new Fault("bad-date", "'to' is before 'from'.", "to"));
        if (faults.Count > 0)
            return (null, default, default, Unusable(faults));
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        return entered.Refused is null
            ? (entered.Result.Visit, first!.Value, last!.Value, null)
            : (null, default, default, ApiProblem.Of(entered));
    }

    internal static async Task<(Dictionary<string, JsonElement>? Body, IResult? Wrong)> BodyAsync(
        HttpContext http,
        IReadOnlyList<string> known
    )
    {
        var bytes = await BodyReader.WholeAsync(http.Request, Limits.Json, http.RequestAborted);
        try
        {
            using var json = JsonDocument.Parse(bytes, Formats.Json.EventReader.Options);
            if (json.RootElement.ValueKind != JsonValueKind.Object)
                return (
                    null,
                    ApiProblem.Result(
                        400,
                        "The body cannot be read",
                        [new Fault("bad-json", "A JSON object is wanted.")]
                    )
                );
            var body = new Dictionary<string, JsonElement>(StringComparer.Ordinal);
            foreach (var property in json.RootElement.EnumerateObject())
                if (known.Contains(property.Name))
                    body[property.Name] = property.Value.Clone();
                else
                    return (
                        null,
                        Unusable([
                            new Fault(
                                "unknown-field",
                                $"There is no such field here; there are {string.Join(", ", known)}.",
                                property.Name.Length > 100 ? "" : property.Name
                            ),
                        ])
                    );
            return (body, null);
        }
        catch (Exception e) when (e is JsonException or InvalidOperationException)
        {
            return (
                null,
                ApiProblem.Result(400, "The body cannot be read", [new Fault("bad-json", "This is no valid JSON.")])
            );
        }
    }

    internal static DateOnly Needed(Dictionary<string, JsonElement> body, string name, List<Fault> faults)
    {
        if (Text(body, name, faults) is { } text && Iso(text) is { } day)
            return day;
        faults.Add(new Fault("bad-date", $"'{name}' is a day, written as YYYY-MM-DD.", name));
        return default;
    }

    internal static string? Text(Dictionary<string, JsonElement> body, string name, List<Fault> faults)
    {
        if (!body.TryGetValue(name, out var value) || value.ValueKind == JsonValueKind.Null)
            return null;
        if (value.ValueKind == JsonValueKind.String)
            return value.GetString();
        faults.Add(new Fault("wrong-type", $"'{name}' is a text.", name));
        return null;
    }

    internal static DateOnly? Iso(string text) =>
        DateOnly.TryParseExact(text, "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
            ? day
            : null;

    internal static string Iso(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    internal static IResult Unusable(IReadOnlyList<Fault> faults) =>
        ApiProblem.Result(422, "What was sent cannot be used", faults);
}
