using System.Net;
using System.Net.Http.Headers;
using System.Net.Sockets;
using System.Runtime.CompilerServices;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Polly;
using Polly.Retry;

namespace Assignum.Desk.Connections;

/// <summary>How long and how often a system is asked, and how much it may answer.</summary>
/// <param name="Timeout">For one request with its answer.</param>
/// <param name="MostBytes">Of one answer, unpacked.</param>
/// <param name="Retries">How often a question is asked again where the system broke or was not there.</param>
/// <param name="Pause">Before it is asked again for the first time; doubled each time, with some chance.</param>
public sealed record LinkLimits(TimeSpan Timeout, long MostBytes, int Retries, TimeSpan Pause)
{
    /// <summary>30 seconds, 32 MB, two more times after half a second.</summary>
    public static LinkLimits Usual { get; } =
        new(TimeSpan.FromSeconds(30), 32 << 20, 2, TimeSpan.FromMilliseconds(500));
}

/// <summary>What a system answered.</summary>
/// <param name="Status">Of HTTP; 0: it did not answer.</param>
/// <param name="Json">What it said, where that could be read.</param>
/// <param name="Fault">Why it is of no use; null: it is good.</param>
/// <param name="RetryAfter">How long it asks to be left alone.</param>
public sealed record LinkAnswer(
    int Status,
    JsonElement? Json,
    Fault? Fault,
    TimeSpan? RetryAfter = null,
    string? Tag = null
);

/// <summary>A page of what a system tells.</summary>
/// <param name="Next">From where to go on, now or another day; null with a fault.</param>
/// <param name="Fault">Why there is no page; code <c>gone</c>: start anew.</param>
public sealed record LinkPage(
    IReadOnlyList<JsonElement> Rows,
    string? Next,
    bool More,
    Fault? Fault,
    TimeSpan? RetryAfter
);

/// <summary>Asks a connected system over the link (docs/link.md): with its key, never through a redirect, at the address that its
/// name had when the client was opened, and with limits to time and size.</summary>
/// <remarks>
/// Codes of faults: <c>not-reached</c>, <c>timeout</c>, <c>key-refused</c> (401, 403), <c>redirect</c>, <c>gone</c> (410), <c>busy</c>
/// (429, 503), <c>broken</c> (other 5xx), <c>refused</c> (other 4xx), <c>no-content</c> (all went well,
/// and nothing is said), <c>not-json</c>, <c>too-large</c>, <c>bad-shape</c>, <c>repeated-cursor</c>.
/// </remarks>
public sealed class LinkClient : IDisposable
{
    private const int MostRows = 1000;

    private static readonly JsonDocumentOptions Strict = new() { MaxDepth = 32, AllowDuplicateProperties = false };

    private readonly HttpClient client;
    private readonly LinkLimits limits;
    private readonly ResiliencePipeline<LinkAnswer> again;

    private LinkClient(HttpClient client, LinkLimits limits)
    {
        (this.client, this.limits) = (client, limits);
        again = new ResiliencePipelineBuilder<LinkAnswer>()
            .AddRetry(
                new RetryStrategyOptions<LinkAnswer>
                {
                    ShouldHandle = args =>
                        ValueTask.FromResult(args.Outcome.Result is { Fault.Code: "not-reached" or "broken" }),
                    MaxRetryAttempts = Math.Max(limits.Retries, 1),
                    Delay = limits.Pause,
                    BackoffType = DelayBackoffType.Exponential,
                    UseJitter = true,
                }
            )
            .Build();
    }

    /// <summary>Opens a client: the name is looked up once, and what was found is used from then on.</summary>
    /// <param name="resolve">Looks up a name; null: as the machine does.</param>
    /// <returns>The client, or why there is none.</returns>
    public static async Task<(LinkClient? Client, Fault? Fault)> OpenAsync(
        LinkAddress address,
        string key,
        LinkLimits limits,
        CancellationToken stop,
        Func<string, CancellationToken, Task<IPAddress[]>>? resolve = null
    )
    {
        IPAddress[] found;
        try
        {
            found = await (resolve ?? Dns.GetHostAddressesAsync)(address.Root.IdnHost, stop);
        }
        catch (SocketException)
        {
            found = [];
        }
        if (found.Length == 0)
            return (null, new Fault("not-reached", $"There is no machine called {address.Root.Host}.", "address"));
        if (!address.Listed && Array.Find(found, LinkAddress.IsPrivate) is { } inside)
            return (
                null,
                new Fault(
                    "bad-address",
                    $"{address.Root.Host} is {inside}, which is this machine or in a private network, and is not listed in "
                        + "ASSIGNUM_LINK_HOSTS.",
                    "address"
                )
            );
        var handler = new SocketsHttpHandler
        {
            AllowAutoRedirect = false,
            UseProxy = false,
            UseCookies = false,
            AutomaticDecompression = DecompressionMethods.All,
            PooledConnectionLifetime = TimeSpan.FromMinutes(5),
            MaxResponseHeadersLength = 32,
            ConnectCallback = async (context, cancel) =>
            {
                var socket = new Socket(SocketType.Stream, ProtocolType.Tcp) { NoDelay = true };
                try
                {
                    await socket.ConnectAsync(found, context.DnsEndPoint.Port, cancel);
                    return new NetworkStream(socket, ownsSocket: true);
                }
                catch
                {
                    socket.Dispose();
                    throw;
                }
            },
        };
        var client = new HttpClient(handler) { BaseAddress = address.Root, Timeout = Timeout.InfiniteTimeSpan };
        client.DefaultRequestHeaders.Authorization = new AuthenticationHeaderValue("Bearer", key);
        client.DefaultRequestHeaders.Accept.ParseAdd("application/json");
        return (new LinkClient(client, limits), null);
    }

    /// <summary>Asks for something, again where the system broke or was not there.</summary>
    /// <param name="path">Below the link, such as <c>about</c>.</param>
    public async Task<LinkAnswer> GetAsync(string path, CancellationToken stop) =>
        limits.Retries == 0
            ? await SendAsync(HttpMethod.Get, path, (string?)null, null, null, stop)
            : await again.ExecuteAsync(
                async cancel => await SendAsync(HttpMethod.Get, path, (string?)null, null, null, cancel),
                stop
            );

    /// <summary>Sends something, once: whether it is sent again is for whoever knows what it does.</summary>
    /// <param name="idempotencyKey">By which the system knows it again.</param>
    /// <param name="tag">What was seen of what is changed.</param>
    public async Task<LinkAnswer> SendAsync(
        HttpMethod method,
        string path,
        JsonNode? body,
        string? idempotencyKey,
        string? tag,
        CancellationToken stop
    ) => await SendAsync(method, path, body?.ToJsonString(), idempotencyKey, tag, stop);

    /// <summary>Posts JSON as it is written, once.</summary>
    public Task<LinkAnswer> SendTextAsync(string path, string json, string? idempotencyKey, CancellationToken stop) =>
        SendAsync(HttpMethod.Post, path, json, idempotencyKey, null, stop);

    private async Task<LinkAnswer> SendAsync(
        HttpMethod method,
        string path,
        string? body,
        string? idempotencyKey,
        string? tag,
        CancellationToken stop
    )
    {
        using var request = new HttpRequestMessage(method, "link/v1/" + path);
        if (body is not null)
            request.Content = new StringContent(body, Encoding.UTF8, "application/json");
        if (idempotencyKey is not null)
            request.Headers.TryAddWithoutValidation("Idempotency-Key", idempotencyKey);
        if (tag is not null)
            request.Headers.TryAddWithoutValidation("If-Match", tag);
        using var limit = CancellationTokenSource.CreateLinkedTokenSource(stop);
        limit.CancelAfter(limits.Timeout);
        try
        {
            using var response = await client.SendAsync(request, HttpCompletionOption.ResponseHeadersRead, limit.Token);
            return await AnswerAsync(response, limit.Token);
        }
        catch (OperationCanceledException) when (!stop.IsCancellationRequested)
        {
            return No(0, "timeout", $"It did not answer within {limits.Timeout.TotalSeconds:0} seconds.");
        }
        catch (Exception e) when (e is HttpRequestException or IOException)
        {
            return No(0, "not-reached", $"It could not be reached: {Sentence(e.GetBaseException().Message)}");
        }
    }

    /// <summary>Page after page from a cursor on; ends with the last one, or with a fault.</summary>
    /// <param name="path">Such as <c>records/items</c>.</param>
    /// <param name="name">What the rows are called in the answer.</param>
    /// <param name="after">The <c>next</c> of an earlier page; null: from the beginning.</param>
    public async IAsyncEnumerable<LinkPage> PagesAsync(
        string path,
        string name,
        string? after,
        [EnumeratorCancellation] CancellationToken stop
    )
    {
        var limit = MostRows;
        var seen = new HashSet<string>(StringComparer.Ordinal);
        while (true)
        {
            var from = after is null ? "" : $"&after={Uri.EscapeDataString(after)}";
            var answer = await GetAsync($"{path}?limit={limit}{from}", stop);
            if (answer.Fault is { Code: "too-large" } && limit > 1)
            {
                limit /= 2;
                continue;
            }
            var page = answer.Fault is null
                ? Page(answer.Json!.Value, name, limit)
                : new LinkPage([], null, false, answer.Fault, answer.RetryAfter);
            if (page is { Fault: null, More: true } && (page.Next == after || !seen.Add(page.Next!)))
                page = new LinkPage(
                    [],
                    null,
                    false,
                    new Fault("repeated-cursor", $"It leads in a circle: the same page of {name} comes again.", path),
                    null
                );
            yield return page;
            if (page.Fault is not null || !page.More)
                yield break;
            after = page.Next;
        }
    }

    /// <inheritdoc/>
    public void Dispose() => client.Dispose();

    private static LinkPage Page(JsonElement json, string name, int limit)
    {
        LinkPage No(string why) => new([], null, false, new Fault("bad-shape", why), null);
        if (
            json.ValueKind != JsonValueKind.Object
            || !json.TryGetProperty(name, out var rows)
            || rows.ValueKind != JsonValueKind.Array
        )
            return No($"The answer has no list '{name}'.");
        if (rows.GetArrayLength() > limit)
            return No($"It gave {rows.GetArrayLength()} {name} where at most {limit} were asked for.");
        if (
            !json.TryGetProperty("next", out var next)
            || next.ValueKind != JsonValueKind.String
            || next.GetString() is not { Length: > 0 and <= 4000 } cursor
        )
            return No("The answer has no 'next', from where to go on another day.");
        var more = json.TryGetProperty("more", out var m) && m.ValueKind == JsonValueKind.True;
        return new LinkPage([.. rows.EnumerateArray()], cursor, more, null, null);
    }

    private async Task<LinkAnswer> AnswerAsync(HttpResponseMessage response, CancellationToken stop)
    {
        var status = (int)response.StatusCode;
        var retry = response.Headers.RetryAfter is { } after
            ? after.Delta ?? (after.Date is { } date ? date - DateTimeOffset.UtcNow : null)
            : null;
        if (status is >= 300 and < 400)
            return No(
                status,
                "redirect",
                "It sends elsewhere, and that is never followed: enter the address it is at."
            );
        var text = await ReadAsync(response, stop);
        if (text is null)
            return No(status, "too-large", $"Its answer has more than {limits.MostBytes >> 20} MB.");
        JsonElement? json = null;
        try
        {
            using var document = JsonDocument.Parse(text.Value, Strict);
            json = document.RootElement.Clone();
        }
        catch (JsonException) { }
        var said = Said(json);
        return status switch
        {
            401 or 403 => No(status, "key-refused", $"It refuses the key{said}"),
            410 => No(status, "gone", $"It does not know this place any more{said}"),
            429 or 503 => No(status, "busy", $"It asks to be left alone{said}") with { RetryAfter = retry },
            >= 500 => No(status, "broken", $"It broke (status {status}){said}"),
            >= 400 => No(status, "refused", $"It refuses that (status {status}){said}") with { Json = json },
            _ when text.Value.IsEmpty => No(status, "no-content", "Its answer is empty."),
            _ when json is null => No(status, "not-json", "Its answer is no JSON; something else may stand before it."),
            _ => new LinkAnswer(status, json, null, retry, response.Headers.ETag?.ToString()),
        };
    }

    // Null: it is larger than it may be.
    private async Task<ReadOnlyMemory<byte>?> ReadAsync(HttpResponseMessage response, CancellationToken stop)
    {
        await using var stream = await response.Content.ReadAsStreamAsync(stop);
        var whole = new MemoryStream();
        var buffer = new byte[1 << 16];
        int read;
        while ((read = await stream.ReadAsync(buffer, stop)) > 0)
        {
            if (whole.Length + read > limits.MostBytes)
                return null;
            whole.Write(buffer, 0, read);
        }
        return whole.GetBuffer().AsMemory(0, (int)whole.Length);
    }

    private static string Said(JsonElement? json) =>
        json is { ValueKind: JsonValueKind.Object } problem
        && problem.TryGetProperty("title", out var title)
        && title.ValueKind == JsonValueKind.String
            ? $": {Sentence(title.GetString()!)}"
            : ".";

    // What it said itself, as the end of a sentence.
    private static string Sentence(string text) =>
        text.Length > 200 ? text[..200] + "…."
        : text.EndsWith('.') ? text
        : text + ".";

    private static LinkAnswer No(int status, string code, string why) => new(status, null, new Fault(code, why));
}
