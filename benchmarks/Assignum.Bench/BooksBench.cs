using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Json;
using System.Text;

namespace Assignum.Bench;

/// <summary>The books over a million entry lines, fifty thousand open items among them: filters, balances, ages, stock,
/// tie-outs, cut-off, close of a year, asked over HTTP of a server with its usual durability.</summary>
internal static class BooksBench
{
    private const int Orders = 75_000,
        Paid = 25_000,
        Tail = 10_000;

    private const string Books = "/api/v1/entities/SKERROW";

    public static async Task RunAsync(string owner, string application, string root)
    {
        await using var app = await ServedApp.StartAsync(root, owner, application);
        var bundle = Path.Combine(root, "demo", "skerrow", "1-skerrow", "bundle");
        await PostingBench.SetUpAsync(
            app,
            "SKERROW",
            "2026-01-01",
            Directory
                .GetFiles(bundle, "*.csv")
                .Where(f => Path.GetFileName(f) != "periods.csv")
                .Select(f => (Path.GetFileName(f), File.ReadAllText(f)))
        );
        string[] Codes(string file, Func<string[], bool> where) =>
            [
                .. File.ReadAllLines(Path.Combine(bundle, file))
                    .Skip(1)
                    .Select(l => l.Split(','))
                    .Where(where)
                    .Select(c => c[0]),
            ];
        var items = Codes("items.csv", c => c.Contains("goods") && c.Contains("average"));
        var customers = Codes("parties.csv", c => c[0].StartsWith("SCH-", StringComparison.Ordinal));
        var suppliers = Codes("parties.csv", c => c[0].StartsWith("SUP-", StringComparison.Ordinal));
        var watch = Stopwatch.StartNew();
        var counts = await app.PostAsync(
            "SKERROW",
            Enumerable.Range(0, Orders).SelectMany(i => Order(i, items, customers, suppliers))
        );
        var posted = counts.GetValueOrDefault("posted");
        Say(
            "posted",
            $"{ServedApp.Number(posted)} events, {ServedApp.Number(posted / watch.Elapsed.TotalSeconds)} a second; "
                + string.Join(", ", counts.Select(c => $"{ServedApp.Number(c.Value)} {c.Key}"))
        );
        await AskAsync(app, "entries by account", $"{Books}/entries?account=1210&limit=100");
        await AskAsync(app, "entries by source", $"{Books}/entries?source=bank&limit=100");
        await AskAsync(app, "entries of some days", $"{Books}/entries?from=2026-06-01&to=2026-06-03&limit=100");
        await AskAsync(app, "trial balance", $"{Books}/trial-balance?at=2026-06-15");
        await AskAsync(app, "ageing of receivables", $"{Books}/subledgers/receivables/ageing?at=2026-12-31");
        await AskAsync(
            app,
            "stock by item and location",
            $"{Books}/subledgers/stock?at=2026-12-31&open=true&limit=500"
        );
        await AskAsync(
            app,
            "open receivables, a page",
            $"{Books}/subledgers/receivables?at=2026-12-31&open=true&limit=500"
        );
        await AskAsync(app, "all tie-outs", $"{Books}/tie-outs?at=2026-12-31");
        await AskAsync(
            app,
            "profit and loss of a half year",
            $"{Books}/statements/profit-and-loss?from=2026-01-01&to=2026-06-30"
        );
        await AskAsync(app, "balance sheet", $"{Books}/statements/balance-sheet?at=2026-06-15");
        await AskAsync(app, "tax return of a month", $"{Books}/tax-return?from=2026-06-01&to=2026-06-30");
        await AskAsync(app, "tax return looked through", $"{Books}/tax-return/checks?from=2026-06-01&to=2026-06-30");
        await AskAsync(app, "cut-off at a month's end", $"{Books}/cut-off?at=2026-06-30", 3);
        await AskAsync(
            app,
            "footprint of a document",
            $"{Books}/documents?party={customers[7 % customers.Length]}&reference=INV-7"
        );
        watch.Restart();
        counts = await app.PostAsync(
            "SKERROW",
            Enumerable.Range(Orders, Tail).SelectMany(i => Order(i, items, customers, suppliers))
        );
        posted = counts.GetValueOrDefault("posted");
        Say("posted on top of them", $"{ServedApp.Number(posted / watch.Elapsed.TotalSeconds)} events a second");
        watch.Restart();
        var closed = await app.Client.PostAsJsonAsync($"{Books}/year-ends?apply=true", new { year = 2026 });
        Say("close of the year", $"{watch.Elapsed.TotalMilliseconds:0} ms, {closed.StatusCode}");
        Say("memory", $"{app.Memory} MB");
    }

    // Every order is invoiced and shipped, a third is paid, and for a third of them goods are bought.
    private static IEnumerable<string> Order(int i, string[] items, string[] customers, string[] suppliers)
    {
        var random = new Random(i);
        var day = new DateOnly(2026, 1, 2).AddDays(i * 330 / (Orders + Tail));
        string Iso(DateOnly on) => on.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        var party = customers[i % customers.Length];
        int[] at = [.. Enumerable.Range(0, 4).Select(_ => random.Next(items.Length))];
        string Lines(Func<int, string> line, int count) =>
            string.Join(',', at.Take(count).Distinct().Select(x => $$"""{"item":"{{items[x]}}",{{line(x)}}}"""));
        string Event(string source, string kind, DateOnly on, string name, string fields) =>
            $$"""{"source":"{{source}}","id":"{{name}}","kind":"{{kind}}","date":"{{Iso(on)}}","""
            + $$""" "reference":"{{name}}",{{fields}}}""";
        if (i % 3 == 0)
        {
            var whose = $$""" "party":"{{suppliers[i % suppliers.Length]}}","order":"BUY-{{i}}","location":"CORK" """;
            var lines = Lines(x => $$""" "quantity":9,"unitCost":{{5 + x % 40}}.25""", 4);
            yield return Event("warehouse", "goods-received", day, $"PO-{i}", $"{whose},\"lines\":[{lines}]");
            lines = Lines(x => $$""" "quantity":9,"unitPrice":{{5 + x % 40}}.25,"receipt":"PO-{{i}}" """, 4);
            yield return Event("own", "supplier-invoice", day.AddDays(4), $"SI-{i}", $"{whose},\"lines\":[{lines}]");
        }
        var sold = $$""" "party":"{{party}}","order":"SO-{{i}}","location":"CORK" """;
        var sale = Lines(x => $$""" "quantity":3,"unitPrice":{{10 + x % 60}}.40""", 3);
        var due = Iso(day.AddDays(30));
        yield return Event("own", "sales-invoice", day, $"INV-{i}", $"\"due\":\"{due}\",{sold},\"lines\":[{sale}]");
        sale = Lines(x => $$""" "quantity":3,"unitCost":{{5 + x % 40}}.25""", 3);
        yield return Event("warehouse", "goods-shipped", day, $"DN-{i}", $"{sold},\"lines\":[{sale}]");
        if (i % (Orders / Paid) != 1)
            yield break;
        var paid =
            $$""" "party":"{{party}}","amount":60,"method":"BANK","settles":[{"reference":"INV-{{i}}","amount":60}]""";
        yield return Event("bank", "customer-payment", day.AddDays(20), $"PAY-{i}", paid);
    }

    private static async Task AskAsync(ServedApp app, string what, string path, int times = 9)
    {
        var took = new List<double>();
        var size = 0;
        for (var i = 0; i < times; i++)
        {
            var watch = Stopwatch.StartNew();
            using var answer = await app.Client.GetAsync(path);
            var bytes = await answer.Content.ReadAsByteArrayAsync();
            took.Add(watch.Elapsed.TotalMilliseconds);
            size = bytes.Length;
            if (answer.IsSuccessStatusCode)
                continue;
            Say(what, $"{answer.StatusCode}: {Encoding.UTF8.GetString(bytes)}");
            return;
        }
        took.Sort();
        Say(what, $"{took[took.Count / 2]:0} ms, worst of {times} {took[^1]:0} ms ({size >> 10} kB)");
    }

    private static void Say(string what, string measured) => Console.WriteLine($"books: {what, -40} {measured}");
}
