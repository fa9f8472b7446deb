using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;

namespace Assignum.Formats.Json;

/// <summary>A line of a journal as a ledger gets it: amounts in base currency, codes of the ledger.</summary>
public sealed record JournalRow(
    string Account,
    decimal Debit,
    decimal Credit,
    decimal? CurrencyDebit,
    decimal? CurrencyCredit,
    string? Party,
    string? Document,
    DateOnly? Due,
    string? Text,
    string? TaxCode
);

/// <summary>Writes journals as the link wants them, and reads them back.</summary>
public static class JournalJson
{
    /// <summary>A journal as JSON.</summary>
    public static JsonObject Of(
        string key,
        DateOnly date,
        string number,
        string? reference,
        string text,
        string currency,
        decimal rate,
        IEnumerable<JournalRow> rows
    ) =>
        new()
        {
            ["key"] = key,
            ["date"] = Day(date),
            ["number"] = number,
            ["reference"] = reference,
            ["text"] = text,
            ["currency"] = currency,
            ["rate"] = Plain(rate),
            ["lines"] = new JsonArray([
                .. rows.Select(r => new JsonObject
                {
                    ["account"] = r.Account,
                    ["debit"] = Plain(r.Debit),
                    ["credit"] = Plain(r.Credit),
                    ["currencyDebit"] = r.CurrencyDebit is { } d ? Plain(d) : null,
                    ["currencyCredit"] = r.CurrencyCredit is { } c ? Plain(c) : null,
                    ["party"] = r.Party,
                    ["document"] = r.Document,
                    ["due"] = r.Due is { } due ? Day(due) : null,
                    ["text"] = r.Text,
                    ["taxCode"] = r.TaxCode,
                }),
            ]),
        };

    private static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    // Without zeros at its end: equal amounts are written alike.
    private static decimal Plain(decimal amount) => amount / 1.0000000000000000000000000000m;

    /// <summary>What a journal says whatever its key, its number and its place: two that say the same have the same. Null:
    /// it cannot be read.</summary>
    public static byte[]? Content(JsonElement journal)
    {
        var said = new StringBuilder();
        void Text(JsonElement of, string name) =>
            said.Append(
                    of.TryGetProperty(name, out var value) && value.ValueKind == JsonValueKind.String
                        ? value.GetString()
                        : ""
                )
                .Append('\u001f');
        bool Number(JsonElement of, string name)
        {
            if (!of.TryGetProperty(name, out var value) || value.ValueKind == JsonValueKind.Null)
                said.Append('0');
            else if (value.ValueKind == JsonValueKind.Number && value.TryGetDecimal(out var amount))
                said.Append(Plain(amount).ToString(CultureInfo.InvariantCulture));
            else
                return false;
            said.Append('\u001f');
            return true;
        }
        if (
            journal.ValueKind != JsonValueKind.Object
            || !journal.TryGetProperty("lines", out var lines)
            || lines.ValueKind != JsonValueKind.Array
        )
            return null;
        Text(journal, "date");
        Text(journal, "reference");
        Text(journal, "currency");
        foreach (var line in lines.EnumerateArray())
        {
            if (line.ValueKind != JsonValueKind.Object)
                return null;
            Text(line, "account");
            if (
                !Number(line, "debit")
                || !Number(line, "credit")
                || !Number(line, "currencyDebit")
                || !Number(line, "currencyCredit")
            )
                return null;
            Text(line, "party");
            Text(line, "document");
            said.Append('\u001e');
        }
        return SHA256.HashData(Encoding.UTF8.GetBytes(said.ToString()))[..16];
    }

    /// <inheritdoc cref="Content(JsonElement)"/>
    public static byte[] Content(string journal)
    {
        using var json = JsonDocument.Parse(journal);
        return Content(json.RootElement)!;
    }
}
