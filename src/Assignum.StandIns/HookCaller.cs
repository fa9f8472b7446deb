using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;

namespace Assignum.StandIns;

/// <summary>Calls whoever has joined a system, when something happened in it.</summary>
internal static class HookCaller
{
    private static readonly HttpClient Client = new() { Timeout = TimeSpan.FromSeconds(5) };

    /// <summary>Calls; what comes of it changes nothing here.</summary>
    /// <param name="wrongly">Whether the call is signed with something else.</param>
    /// <returns>The status of the answer; 0: there was none.</returns>
    public static async Task<int> CallAsync(Uri address, string secret, string system, bool wrongly)
    {
        var time = DateTimeOffset.UtcNow.ToUnixTimeSeconds().ToString(CultureInfo.InvariantCulture);
        var body = new JsonObject { ["system"] = system, ["call"] = Guid.NewGuid().ToString("n") }.ToJsonString();
        var signature = HMACSHA256.HashData(
            Encoding.UTF8.GetBytes(wrongly ? secret + "?" : secret),
            Encoding.UTF8.GetBytes(time + "." + body)
        );
        using var request = new HttpRequestMessage(HttpMethod.Post, address)
        {
            Content = new StringContent(body, Encoding.UTF8, "application/json"),
        };
        request.Headers.Add("X-Link-Time", time);
        request.Headers.Add("X-Link-Signature", "sha256=" + Convert.ToHexStringLower(signature));
        try
        {
            using var answer = await Client.SendAsync(request);
            return (int)answer.StatusCode;
        }
        catch (Exception e) when (e is HttpRequestException or TaskCanceledException)
        {
            return 0;
        }
    }
}
