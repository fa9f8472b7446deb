using System.Security.Cryptography;
using Assignum.Desk.Access;

namespace Assignum.Web.Start;

/// <summary>Makes what an empty database needs, and loads the demo through the importers users use.</summary>
public sealed partial class FirstStart(
    FirstAccess access,
    StartOptions options,
    StartProgress progress,
    DemoLoader demo,
    IHostApplicationLifetime lifetime,
    ILogger<FirstStart> log
) : BackgroundService
{
    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        try
        {
            if (
                options.Ring is null
                && access.ProtectionKeys().Any(k => k.Contains(nameof(Access.RingOpener), StringComparison.Ordinal))
            )
                Console.WriteLine(
                    "The keys of cookies are encrypted by another process of this database: give this one the same "
                        + "ASSIGNUM_RING, or sessions and second factors of the others mean nothing here."
                );
            await KeyAsync(stoppingToken);
            if (!await access.AnybodyAsync(stoppingToken))
                await UsersAsync(stoppingToken);
            if (options.Demo != "none")
                await demo.RunAsync(options.Demo, progress, stoppingToken);
            progress.Doing = "ready";
            progress.Ready = true;
        }
        catch (OperationCanceledException) when (stoppingToken.IsCancellationRequested) { }
        catch (Exception e)
        {
            LogFailed(e, progress.Doing);
            Environment.ExitCode = 1;
            lifetime.StopApplication();
        }
    }

    private async Task KeyAsync(CancellationToken stop)
    {
        var key = options.ApiKey ?? Random(32);
        // Only the first start makes the administrator's key.
        if (await access.KeyAsync(key, stop))
        {
            if (options.ApiKey is null)
                Console.WriteLine($"Key for the HTTP interface (shown once): {key}");
        }
        else if (options.ApiKey is not null && !await access.IsKeyAsync(key, stop))
            Console.WriteLine(
                "ASSIGNUM_API_KEY is not a key of this database: the one that its first start made counts, and this one "
                    + "opens nothing."
            );
    }

    private async Task UsersAsync(CancellationToken stop)
    {
        if (options.Demo == "none")
        {
            var password = options.AdminPassword ?? Random(12);
            await access.PersonAsync("admin", "Administrator", password, "administrator", stop);
            if (options.AdminPassword is null)
                Console.WriteLine($"Sign in as admin with the password (shown once): {password}");
            return;
        }
        foreach (var (name, full, role) in DemoLoader.People)
            await access.PersonAsync(name, full, DemoLoader.Password, role, stop);
    }

    private static string Random(int bytes) => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(bytes));

    [LoggerMessage(LogLevel.Critical, "The start failed while {Doing}")]
    private partial void LogFailed(Exception e, string doing);
}
