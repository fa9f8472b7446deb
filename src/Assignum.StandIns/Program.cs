using System.Globalization;

namespace Assignum.StandIns;

/// <summary>Made-up systems that Assignum can be joined to: a warehouse, a shop, a payment provider and a general ledger, on
/// one port, told apart by their path.</summary>
internal static class Program
{
    private static async Task Main(string[] args)
    {
        static string? Given(string name) => Environment.GetEnvironmentVariable("ASSIGNUM_STANDINS_" + name);
        using var world = new World(
            int.Parse(Given("SEED") ?? "210", CultureInfo.InvariantCulture),
            DateOnly.ParseExact(Given("BEGIN") ?? "2026-11-01", "yyyy-MM-dd", CultureInfo.InvariantCulture),
            Given("KEY") ?? "stand-in-key"
        );
        // Business of the days that have passed: after a restart everything is as it was.
        if (
            Given("UNTIL") is { } until
            && DateOnly.ParseExact(until, "yyyy-MM-dd", CultureInfo.InvariantCulture) is var day
            && day > world.Day
        )
            world.Advance(Math.Min(day.DayNumber - world.Day.DayNumber, 1000));
        // But what a ledger was told cannot be made again: it has forgotten it, and says so.
        foreach (var ledger in world.Systems.Where(s => s.Kind == "ledger"))
            ledger.BeginAnotherLife(Guid.NewGuid().ToString("n")[..8]);
        var builder = WebApplication.CreateBuilder(args);
        builder.Logging.SetMinimumLevel(LogLevel.Warning);
        await using var app = LinkServer.Build(builder, world);
        await app.RunAsync();
    }
}
