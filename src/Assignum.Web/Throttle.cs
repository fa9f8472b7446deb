using System.Globalization;
using System.Threading.RateLimiting;
using Assignum.Desk.Access;

namespace Assignum.Web;

/// <summary>How often somebody may ask: people, keys, and addresses that nobody signed in from, each by itself.</summary>
/// <remarks>Far above what a person or a feed needs; what streams is one request. Health is asked freely.</remarks>
internal static class Throttle
{
    private static readonly (int AtOnce, int ASecond) Person = (1_200, 40),
        Key = (20_000, 1_000),
        Address = (2_000, 50);

    /// <param name="factor">Times as much; for tests and load.</param>
    public static void Add(IServiceCollection services, int factor) =>
        services.AddRateLimiter(limiter =>
        {
            limiter.GlobalLimiter = PartitionedRateLimiter.Create<HttpContext, string>(http => Of(http, factor));
            limiter.OnRejected = async (rejected, _) =>
            {
                var http = rejected.HttpContext;
                var wait = rejected.Lease.TryGetMetadata(MetadataName.RetryAfter, out var after)
                    ? after.TotalSeconds
                    : 1;
                http.Response.Headers.RetryAfter = Math.Max(1, Math.Ceiling(wait))
                    .ToString(CultureInfo.InvariantCulture);
                await Gate.RefuseAsync(
                    http,
                    http.Request.Path.StartsWithSegments("/api"),
                    429,
                    "Too many requests",
                    "More was asked than is answered at once: wait a moment, then go on."
                );
            };
        });

    private static RateLimitPartition<string> Of(HttpContext http, int factor)
    {
        if (http.Request.Path.StartsWithSegments("/healthz") || http.Request.Path.StartsWithSegments("/readyz"))
            return RateLimitPartition.GetNoLimiter("");
        var (name, (atOnce, aSecond)) =
            http.Items[typeof(Actor)] is not Actor actor ? ("from " + http.Connection.RemoteIpAddress, Address)
            : actor.Name.StartsWith("key ", StringComparison.Ordinal) ? (actor.Name, Key)
            : ("person " + actor.Name, Person);
        return RateLimitPartition.GetTokenBucketLimiter(name, _ => new TokenBucketRateLimiterOptions
        {
            TokenLimit = atOnce * factor,
            TokensPerPeriod = aSecond * factor,
            ReplenishmentPeriod = TimeSpan.FromSeconds(1),
            AutoReplenishment = true,
            QueueLimit = 0,
        });
    }
}
