using System.Text.Json;

namespace Assignum.Web.Tests;

/// <summary>Brings an answer of the interface and a worked case into the same words.</summary>
internal static class Cases
{
    public static string Seen(JsonElement answer)
    {
        var entry = answer.GetProperty("entry");
        if (answer.GetProperty("errors").GetArrayLength() > 0)
            return "refused ";
        if (entry.ValueKind == JsonValueKind.Null)
            return "nothing ";
        bool Bad(JsonElement e) =>
            e.GetProperty("remarks").EnumerateArray().Any(r => r.GetProperty("severity").GetString() == "error");
        var mirror = entry.GetProperty("mirror");
        var refused = Bad(entry) || mirror.ValueKind != JsonValueKind.Null && Bad(mirror.GetProperty("entry"));
        return (refused ? "refused " : "posted ")
            + Lines(
                entry
                    .GetProperty("lines")
                    .EnumerateArray()
                    .GroupBy(l =>
                        (
                            Account: Text(l, "account"),
                            Purpose: Text(l, "purpose"),
                            Rung: Text(l.GetProperty("landing"), "rung"),
                            Debit: Number(l, "debit") > 0
                        )
                    )
                    .Select(g =>
                        $"{g.Key.Account}/{g.Key.Purpose}/{g.Key.Rung} "
                        + $"{g.Sum(l => Number(l, "debit")):0.000}:{g.Sum(l => Number(l, "credit")):0.000}"
                    )
            )
            + Taxes(entry);
    }

    public static string Expected(JsonElement json)
    {
        var outcome = Text(json, "outcome");
        if (json.GetProperty("lines").GetArrayLength() == 0)
            return outcome + " ";
        return outcome
            + " "
            + Lines(
                json.GetProperty("lines")
                    .EnumerateArray()
                    .Select(l =>
                        $"{Text(l, "account")}/{Text(l, "purpose")}/{Text(l, "rung")} "
                        + $"{Number(l, "debit"):0.000}:{Number(l, "credit"):0.000}"
                    )
            )
            + Taxes(json);
    }

    private static string Taxes(JsonElement json) =>
        " tax "
        + Lines(
            json.GetProperty("tax")
                .EnumerateArray()
                .Select(t =>
                    $"{Text(t, "code")} {Number(t, "base"):0.000} {Number(t, "rate"):0.000} {Number(t, "tax"):0.000} "
                    + $"{Number(t, "nonDeductible"):0.000} {Text(t, "decidedBy")} "
                    + $"{t.GetProperty("capital").GetBoolean()} {Text(t, "baseBox")} {Text(t, "taxBox")}"
                )
        );

    private static string? Text(JsonElement json, string name) => json.GetProperty(name).GetString();

    private static decimal Number(JsonElement json, string name) => json.GetProperty(name).GetDecimal();

    private static string Lines(IEnumerable<string> parts) =>
        string.Join("; ", parts.Order(StringComparer.Ordinal)).Replace("-0.000", "0.000", StringComparison.Ordinal);
}
