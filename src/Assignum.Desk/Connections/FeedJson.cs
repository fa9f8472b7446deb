using System.Text.Json;
using Assignum.Core;

namespace Assignum.Desk.Connections;

/// <summary>Why an event waits or is dead, as it is kept and told: a list of code, message and place, with the record or
/// the event that it waits for.</summary>
internal static class FeedJson
{
    private const int Most = 20;

    /// <summary>Faults as they are kept; at most 20.</summary>
    public static string Reasons(IEnumerable<Fault> faults) =>
        JsonSerializer.Serialize(
            faults
                .Take(Most)
                .Select(f => new
                {
                    code = f.Code,
                    message = f.Message,
                    path = f.Path,
                    purpose = f.Purpose,
                    account = f.Account,
                }),
            Formats.Json.TraceJson.Settings
        );

    /// <summary>One reason that names a record or an event.</summary>
    public static string Reason(string code, string message, string? record = null, string? @event = null) =>
        JsonSerializer.Serialize(
            new[]
            {
                new
                {
                    code,
                    message,
                    record,
                    @event,
                },
            },
            Formats.Json.TraceJson.Settings
        );
}
