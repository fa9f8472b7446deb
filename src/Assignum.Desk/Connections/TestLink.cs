using System.Globalization;
using System.Text.Json;
using Assignum.Core.Pairing;

namespace Assignum.Desk.Connections;

/// <summary>Something that stands in the way of joining a system.</summary>
/// <param name="Mend">What to do about it, and where.</param>
public sealed record LinkProblem(string Code, string Message, string Mend);

/// <summary>Looks whether a system can be joined: every problem at once, before anything is kept.</summary>
public sealed class TestLink(IReadOnlyCollection<string> hosts, LinkLimits limits, TimeProvider clock)
{
    /// <summary>Every problem that there is; none: it can be joined.</summary>
    /// <param name="kind">What it is to be joined as.</param>
    /// <param name="currency">The currency that it is expected to keep its books in.</param>
    public async Task<IReadOnlyList<LinkProblem>> ProblemsAsync(
        string kind,
        string address,
        string key,
        string currency,
        CancellationToken stop
    )
    {
        var problems = new List<LinkProblem>();
        string[] needed = [.. LinkKind.Find(kind)?.Has.Select(h => h.Plural) ?? []];
        if (needed.Length == 0)
            problems.Add(
                new LinkProblem(
                    "unknown-kind",
                    $"'{kind}' is no kind of connection.",
                    $"Take {string.Join(", ", LinkKind.All.Select(k => k.Name))}."
                )
            );
        if (key.Length == 0)
            problems.Add(
                new LinkProblem("no-key", "No key was entered.", "Enter the key that the system gave for us.")
            );
        var (read, fault) = LinkAddress.Read(address, hosts);
        if (read is null)
        {
            problems.Add(new LinkProblem(fault!.Code, fault.Message, "Enter another address, or have it listed."));
            return problems;
        }
        var (client, closed) = await LinkClient.OpenAsync(read, key, limits, stop);
        if (client is null)
        {
            problems.Add(new LinkProblem(closed!.Code, closed.Message, "Look whether the name is spelt right."));
            return problems;
        }
        using (client)
        {
            var about = await client.GetAsync("about", stop);
            if (about.Fault is not null)
            {
                problems.Add(new LinkProblem(about.Fault.Code, about.Fault.Message, MendOf(about.Fault.Code)));
                return problems;
            }
            About(about.Json!.Value, kind, currency, needed, problems);
            foreach (var path in PathsOf(kind, needed))
                if ((await client.GetAsync(path, stop)).Fault is { } no)
                    problems.Add(new LinkProblem(no.Code, $"{path.Split('?')[0]}: {no.Message}", MendOf(no.Code)));
        }
        return problems;
    }

    private IEnumerable<string> PathsOf(string kind, string[] needed)
    {
        foreach (var kinds in needed)
            yield return $"records/{kinds}?limit=1";
        var today = clock.GetUtcNow().ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        if (kind == "ledger")
        {
            yield return "journals?limit=1";
            yield return $"balances?at={today}";
        }
        else
        {
            yield return "events?limit=1";
            yield return $"totals?day={today}";
        }
    }

    private void About(JsonElement about, string kind, string currency, string[] needed, List<LinkProblem> problems)
    {
        string? Text(string name) =>
            about.ValueKind == JsonValueKind.Object
            && about.TryGetProperty(name, out var value)
            && value.ValueKind == JsonValueKind.String
                ? value.GetString()
                : null;
        List<string> Many(string name) =>
            about.ValueKind == JsonValueKind.Object
            && about.TryGetProperty(name, out var value)
            && value.ValueKind == JsonValueKind.Array
                ?
                [
                    .. value
                        .EnumerateArray()
                        .Where(v => v.ValueKind == JsonValueKind.String)
                        .Select(v => v.GetString()!),
                ]
                : [];
        if (Text("life") is not { Length: > 0 })
            problems.Add(
                new LinkProblem(
                    "bad-shape",
                    "It does not say of which life it is.",
                    "Its 'about' needs a 'life' that changes when it is restored or copied (docs/link.md)."
                )
            );
        if (Text("kind") is var said && said != kind)
            problems.Add(
                new LinkProblem(
                    "other-kind",
                    said is null ? "It does not say what it is." : $"It says that it is {said}, not {kind}.",
                    "Join it as what it is, or enter the address of the other system."
                )
            );
        if (Text("currency") is { } other && other != currency)
            problems.Add(
                new LinkProblem(
                    "other-currency",
                    $"It keeps its books in {other}, not in {currency}.",
                    $"Enter {other} as its currency, or the address of the right system."
                )
            );
        foreach (var kinds in needed.Except(Many("records")))
            problems.Add(
                new LinkProblem(
                    "no-records",
                    $"It does not offer its {kinds}.",
                    $"Its administrator opens {kinds} for the link; without them its documents cannot be understood."
                )
            );
        if (
            DateTimeOffset.TryParse(
                Text("time"),
                CultureInfo.InvariantCulture,
                DateTimeStyles.AssumeUniversal,
                out var time
            )
            && (time - clock.GetUtcNow()).Duration() > TimeSpan.FromHours(12)
        )
            problems.Add(
                new LinkProblem(
                    "clock",
                    $"For it it is {time:yyyy-MM-dd HH:mm}, {(time - clock.GetUtcNow()).Duration().TotalHours:0} hours away from "
                        + "here.",
                    "Have its clock put right: which day a document is of is taken from the document, and would be wrong."
                )
            );
    }

    private static string MendOf(string code) =>
        code switch
        {
            "key-refused" => "Enter its key anew, and look there whether it is still good and may read.",
            "not-reached" => "Look whether it runs, and whether a wall stands between it and this server.",
            "timeout" => "Look whether it is overloaded; try again later.",
            "redirect" => "Open the address in a browser and enter the one where it ends.",
            "not-json" => "The address leads to a page for people; enter that of its link.",
            "busy" => "Wait a while and test again.",
            "refused" => "It may not offer this part of the link, or the key may not read it: ask its administrator.",
            _ => "Ask its administrator; what it answered is said here.",
        };
}
