using System.Text.Encodings.Web;
using System.Text.Json;
using System.Text.Json.Serialization;
using Assignum.Formats.Json;

namespace Assignum.Web.Api;

/// <summary>How the interface reads and writes JSON.</summary>
internal static class ApiJson
{
    /// <summary>As <see cref="Configure"/>, leaving nulls out.</summary>
    public static readonly JsonSerializerOptions WithoutNulls = Make(o =>
        o.DefaultIgnoreCondition = JsonIgnoreCondition.WhenWritingNull
    );

    public static void Configure(JsonSerializerOptions options)
    {
        options.PropertyNamingPolicy = JsonNamingPolicy.CamelCase;
        options.Encoder = JavaScriptEncoder.UnsafeRelaxedJsonEscaping;
        options.NumberHandling = JsonNumberHandling.Strict;
        options.Converters.Add(new FaultJson());
    }

    private static JsonSerializerOptions Make(Action<JsonSerializerOptions> more)
    {
        var options = new JsonSerializerOptions();
        Configure(options);
        more(options);
        return options;
    }
}
