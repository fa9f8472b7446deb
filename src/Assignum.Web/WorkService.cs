using Assignum.Desk.Work;

namespace Assignum.Web;

/// <summary>Does work inside the application: as soon as it is given here, and every few seconds what others left.</summary>
internal sealed partial class WorkService(Worker worker, WorkDesk given, ILogger<WorkService> log) : BackgroundService
{
    private static readonly TimeSpan Looks = TimeSpan.FromSeconds(3);
    private readonly SemaphoreSlim called = new(0, 1);

    /// <inheritdoc/>
    protected override async Task ExecuteAsync(CancellationToken stoppingToken)
    {
        void Call()
        {
            if (called.CurrentCount == 0)
                called.Release();
        }
        given.Given += Call;
        try
        {
            while (!stoppingToken.IsCancellationRequested)
            {
                try
                {
                    if (await worker.NextAsync(stoppingToken))
                        continue;
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
                await called.WaitAsync(Looks, stoppingToken);
            }
        }
        catch (OperationCanceledException) { }
        finally
        {
            given.Given -= Call;
        }
    }

    [LoggerMessage(LogLevel.Warning, "The database is away; work waits.")]
    private partial void LogAway(Exception e);

    [LoggerMessage(LogLevel.Error, "A fault of the program met the taking of work; it is tried again.")]
    private partial void LogBroken(Exception e);
}
