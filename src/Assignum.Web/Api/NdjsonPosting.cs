using System.Buffers;
using System.Text.Json;
using Assignum.Desk.Posting;
using Assignum.Web.Access;

namespace Assignum.Web.Api;

/// <summary>Posts an NDJSON body as it comes and answers line by line, each only after its event is durable.</summary>
internal sealed class NdjsonPosting(string entity, PostEvents post) : IResult
{
    // Events in one commit: enough that the disk does not rule, few enough that the first answers come soon.
    private const int Batch = 500;

    public async Task ExecuteAsync(HttpContext http)
    {
        var row = 1;
        await foreach (var events in BodyReader.LinesAsync(http.Request.BodyReader, Batch, http.RequestAborted))
        {
            var outcome = await post.RunAsync(http.Actor(), entity, events, row, http.RequestAborted);
            if (outcome.Result is not { } answers)
            {
                await ApiProblem.Of(outcome).ExecuteAsync(http);
                return;
            }
            if (!http.Response.HasStarted) http.Response.ContentType = "application/x-ndjson";
            foreach (var answer in answers)
            {
                JsonSerializer.Serialize(new Utf8JsonWriter(http.Response.BodyWriter), answer, ApiJson.WithoutNulls);
                http.Response.BodyWriter.Write("\n"u8);
            }
            await http.Response.BodyWriter.FlushAsync(http.RequestAborted);
            row += events.Count;
        }
        if (!http.Response.HasStarted) http.Response.ContentType = "application/x-ndjson";
    }
}
