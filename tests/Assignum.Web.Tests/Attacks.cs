using System.Net;
using System.Text;
using System.Text.Json;

namespace Assignum.Web.Tests;

/// <summary>What is sent by somebody who means harm, or whose program is broken: refused where it is wrong, and nothing
/// else suffers.</summary>
[Collection(AppCollection.Name)]
public class Attacks(RunningApp app)
{
    private static CancellationToken Stop => TestContext.Current.CancellationToken;

    private static string Sale(string id, string more = "", string line = "\"item\":\"RG-100\",\"unitPrice\":10") =>
        $$"""{"source":"atk","id":"{{id}}","kind":"sales-invoice","date":"2026-06-15","reference":"{{id}}","""
        + $"\"party\":\"SHOP-GALE\",\"lines\":[{{{line}}}]{more}}}";

    private static byte[] Bytes(string text) => Encoding.UTF8.GetBytes(text);

    // Raw bytes stand where a ~ is.
    private static byte[] With(string text, params byte[] raw)
    {
        var at = text.IndexOf('~', StringComparison.Ordinal);
        return [.. Bytes(text[..at]), .. raw, .. Bytes(text[(at + 1)..])];
    }

    public static TheoryData<string> Broken =>
        [
            "a name of bytes that are no text",
            "a name of half a character",
            "a dimension of half a character",
            "a dimension with a zero character",
            "a text with a zero character",
            "a text of half a character",
            "quantity, price and rate beyond counting",
            "a discount beyond counting",
            "a name that stands twice",
            "a number of a thousand digits",
            "depth",
            "no object",
        ];

    private static byte[] BrokenLine(string what) =>
        what switch
        {
            "a name of bytes that are no text" => With(Sale("X", ",\"~\":1"), 0xff, 0xfe),
            "a name of half a character" => Bytes(Sale("X", ",\"\\ud800\":1")),
            "a dimension of half a character" => Bytes(Sale("X", ",\"dimensions\":{\"\\ud800\":\"a\"}")),
            "a dimension with a zero character" => Bytes(Sale("X", ",\"dimensions\":{\"a\\u0000\":\"a\"}")),
            "a text with a zero character" => Bytes(Sale("X", ",\"text\":\"a\\u0000\"")),
            "a text of half a character" => Bytes(Sale("X", ",\"text\":\"\\udc00\"")),
            "quantity, price and rate beyond counting" => Bytes(
                Sale(
                    "X",
                    ",\"currency\":\"USD\",\"rate\":40000",
                    "\"item\":\"RG-100\",\"quantity\":999999999999,\"unitPrice\":999999999999"
                )
            ),
            "a discount beyond counting" => Bytes(
                Sale(
                    "X",
                    "",
                    "\"item\":\"RG-100\",\"quantity\":999999999999,\"unitPrice\":999999999999,"
                        + "\"discountPercent\":999999999999"
                )
            ),
            "a name that stands twice" => Bytes(Sale("X", ",\"text\":\"a\",\"text\":\"b\"")),
            "a number of a thousand digits" => Bytes(Sale("X", $",\"amount\":{new string('9', 1000)}")),
            "depth" => Bytes(Sale("X", $",\"text\":{new string('[', 40)}{new string(']', 40)}")),
            _ => Bytes("\"x\""),
        };

    [Theory]
    [MemberData(nameof(Broken))]
    public async Task A_broken_event_is_refused_and_those_around_it_are_posted(string what)
    {
        using var client = app.Client();
        var name = Convert.ToHexString(Bytes(what))[..Math.Min(60, what.Length * 2)];
        const string code = "SKERROW";
        var broken = BrokenLine(what);

        var seen = "";
        async Task<List<string>> OutcomesAsync(byte[] body, string type)
        {
            using var request = new HttpRequestMessage(HttpMethod.Post, $"/api/v1/entities/{code}/events")
            {
                Content = new ByteArrayContent(body),
            };
            request.Content.Headers.TryAddWithoutValidation("Content-Type", type);
            var answer = await client.SendAsync(request, Stop);
            var text = seen = await answer.Content.ReadAsStringAsync(Stop);
            answer.StatusCode.ShouldBe(HttpStatusCode.OK, text);
            return
            [
                .. (
                    type == "application/json"
                        ? JsonDocument.Parse(text).RootElement.EnumerateArray()
                        : text.Split('\n', StringSplitOptions.RemoveEmptyEntries)
                            .Select(l => JsonDocument.Parse(l).RootElement)
                ).Select(e => e.GetProperty("outcome").GetString()!),
            ];
        }

        byte[] lines = [.. Bytes(Sale(name + "-1") + "\n"), .. broken, .. Bytes("\n" + Sale(name + "-2") + "\n")];
        (await OutcomesAsync(lines, "application/x-ndjson")).ShouldBe(["posted", "refused", "posted"], seen);
        byte[] array = [.. Bytes("[" + Sale(name + "-3") + ","), .. broken, .. Bytes("," + Sale(name + "-4") + "]")];
        // What is beyond the depth of any event is beyond reading.
        if (what != "depth")
            (await OutcomesAsync(array, "application/json")).ShouldBe(["posted", "refused", "posted"]);
        // The books stand and can be read.
        (await client.GetAsync($"/api/v1/entities/{code}/trial-balance", Stop)).StatusCode.ShouldBe(HttpStatusCode.OK);
    }
}
