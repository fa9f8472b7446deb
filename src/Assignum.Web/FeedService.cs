using Assignum.Desk.Connections;

namespace Assignum.Web;

/// <summary>Keeps the connections going inside the application.</summary>
internal sealed partial class FeedService(Feeder feeder, IConfiguration configuration, ILogger<FeedService> log)
    : BackgroundService
{
    private static readonly TimeSpan Looks = TimeSpan.FromMilliseconds(500);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        Guid? here = Guid.TryParse(configuration["ASSIGNUM_INSTALLATION"], out var id) ? id : null;
        var begun = false;
        try
        {
            while (!stoppingToken.IsCancellationRequested)
            {
                try
                {
                    if (!begun)
                        await feeder.BeginAsync(here, stoppingToken);
                    begun = true;
                    await feeder.NextAsync(stoppingToken);
                }
                catch (Exception e) when (e is Npgsql.NpgsqlException or TimeoutException)
                {
                    LogAway(e);
                }
                // Whatever it is, also a wait that was too long: the program goes on.
                catch (Exception e) when (!stoppingToken.IsCancellationRequested)
                {
                    LogBroken(e);
                }
                await Task.Delay(Looks, stoppingToken);
            }
        }
        catch (OperationCanceledException) { }
        await feeder.EndAsync();
    }

    [LoggerMessage(LogLevel.Warning, "The database is away; feeds wait.")]
    private partial void LogAway(Exception e);

    [LoggerMessage(LogLevel.Error, "A fault of the program met a feed; it is tried again.")]
    private partial void LogBroken(Exception e);
}
