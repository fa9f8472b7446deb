using System.Globalization;
using System.Net;
using System.Text;

namespace Assignum.Bench;

/// <summary>A system of this machine that answers over the link what it is told to.</summary>
internal sealed class FarLink : IDisposable
{
    private readonly HttpListener listener = new();
    private readonly Func<HttpListenerRequest, string> answer;

    /// <param name="answer">The JSON of an answer.</param>
    public FarLink(Func<HttpListenerRequest, string> answer)
    {
        this.answer = answer;
        Host = $"127.0.0.1:{ServedApp.FreePort()}";
        listener.Prefixes.Add($"http://{Host}/");
        listener.Start();
        _ = ServeAsync();
    }

    /// <summary>Its host and port.</summary>
    public string Host { get; }

    private async Task ServeAsync()
    {
        while (true)
        {
            HttpListenerContext context;
            try
            {
                context = await listener.GetContextAsync();
            }
            catch (Exception e) when (e is HttpListenerException or ObjectDisposedException)
            {
                return;
            }
            var bytes = Encoding.UTF8.GetBytes(answer(context.Request));
            context.Response.ContentType = "application/json";
            await context.Response.OutputStream.WriteAsync(bytes);
            context.Response.Close();
        }
    }

    /// <summary>A page of rows, as the request asks for it.</summary>
    public static string Page(HttpListenerRequest request, string name, List<string> rows)
    {
        int Number(string key, int otherwise) =>
            int.TryParse(request.QueryString[key], NumberStyles.None, CultureInfo.InvariantCulture, out var n)
                ? n
                : otherwise;
        var (after, limit) = (Number("after", 0), Number("limit", 1000));
        var page = rows.Skip(after).Take(limit).ToList();
        var more = after + page.Count < rows.Count ? "true" : "false";
        return $$"""{"{{name}}":[{{string.Join(',', page)}}],"next":"{{after + page.Count}}","more":{{more}}}""";
    }

    /// <inheritdoc/>
    public void Dispose() => listener.Close();
}
