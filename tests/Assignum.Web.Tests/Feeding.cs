using System.Net;
using System.Text.Json.Nodes;

namespace Assignum.Web.Tests;

/// <summary>What live systems tell becomes entries: in order, once, and what cannot post waits where it is seen.</summary>
public sealed class Feeding(LinkedApp app) : IClassFixture<LinkedApp>, IAsyncLifetime
{
    private HttpClient client = null!;
    private ToldSystems told = null!;
    private LinkedBooks books = null!;
    private static int made;

    public async ValueTask InitializeAsync()
    {
        client = app.Client();
        told = await ToldSystems.StartAsync(app.Port);
        books = new LinkedBooks(client, app.Port);
    }

    public async ValueTask DisposeAsync()
    {
        client.Dispose();
        await told.DisposeAsync();
    }

    private static string Day(int back = 0) => DateTime.UtcNow.AddDays(-back).ToString("yyyy-MM-dd");

    private static string Sale(string id, string party = "SCH-LOUGH", string reference = "", string item = "BK-1") =>
        $$"""
            {"id":"{{id}}","kind":"sales-invoice","date":"{{Day()}}","reference":"{{(
                reference.Length > 0 ? reference : id
            )}}","party":"{{party}}",
              "location":"CORK","lines":[{"item":"{{item}}","quantity":2,"unitPrice":10.00}]}
            """;

    private static string Payment(string id, string settles, decimal amount = 24.60m) =>
        $$"""
            {"id":"{{id}}","kind":"customer-payment","date":"{{Day()}}","reference":"{{id}}","party":"SCH-LOUGH",
              "method":"bank",
              "amount":{{Written(amount)}},"settles":[{"reference":"{{settles}}","amount":{{Written(amount)}}}]}
            """;

    private static string Written(decimal amount) => amount.ToString(System.Globalization.CultureInfo.InvariantCulture);

    // A shop and a provider whose payments settle what the shop sells, both live.
    private async Task<(string Shop, string Pay)> LiveAsync(object? shopWith = null)
    {
        var number = Interlocked.Increment(ref made);
        var (shop, pay) = ($"SHOP-{number}", $"PAY-{number}");
        told.Add($"shop{number}", "shop");
        told.Add($"pay{number}", "payments");
        await books.JoinAsync(shop, $"shop{number}", "shop", shopWith);
        await books.JoinAsync(pay, $"pay{number}", "payments");
        await books.PairAsync(
            shop,
            ("party", "SCH-LOUGH", "SCH-LOUGH"),
            ("item", "BK-1", "BK-1"),
            ("location", "CORK", "CORK")
        );
        await books.PairAsync(pay, ("party", "SCH-LOUGH", "SCH-LOUGH"), ("method", "bank", "BANK"));
        await books.LiveAsync(shop, Day(10));
        await books.LiveAsync(pay, Day(10));
        return (shop, pay);
    }

    private ToldSystems.System Of(string code) => told.All[code.ToLowerInvariant().Replace("-", "")];

    [Fact]
    public async Task What_comes_in_order_posts_and_what_comes_before_its_document_waits_for_it()
    {
        var (shop, pay) = await LiveAsync();
        Of(pay).Tells(Payment("P1", "S1"));
        await books.AskAsync(pay);
        var waits = await books.BecomesAsync(pay, "P1", "waiting");
        ((string)waits["reasons"]![0]!["code"]!).ShouldBe("awaits-document");
        Of(shop).Tells(Sale("S1"));
        await books.AskAsync(shop);
        await books.BecomesAsync(shop, "S1", "posted");
        var paid = await books.BecomesAsync(pay, "P1", "posted");
        paid["number"].ShouldNotBeNull();
        // Told again, it is posted once.
        Of(shop).Events.Add((JsonObject)Of(shop).Events[0].DeepClone());
        Of(shop).Tells(Sale("S2", party: "UNKNOWN"));
        Of(shop).Tells(Sale("S3"));
        await books.AskAsync(shop);
        var unpaired = await books.BecomesAsync(shop, "S2", "waiting");
        ((string)unpaired["reasons"]![0]!["code"]!).ShouldBe("unpaired");
        await books.BecomesAsync(shop, "S3", "posted");
        await books.PairAsync(shop, ("party", "UNKNOWN", "SCH-LOUGH"));
        await books.BecomesAsync(shop, "S2", "posted");
        (await books.EventsAsync(shop)).Count.ShouldBe(3);
    }
}
