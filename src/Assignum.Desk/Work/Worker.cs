using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Work;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Work;

/// <summary>One kind of work. It may be begun again from its start at any time: after a crash, or by another process.
/// What it did before must then be no different from doing it once.</summary>
public interface IWorkKind
{
    /// <summary>Its name, as it is kept.</summary>
    string Kind { get; }

    /// <summary>Does it.</summary>
    /// <returns>The result that is kept, or why it cannot be done.</returns>
    Task<Outcome<object>> RunAsync(WorkAtHand work, CancellationToken stop);
}

/// <summary>Work on its way.</summary>
public sealed class WorkAtHand
{
    private readonly Func<int, int?, string?, Task> report;
    private readonly Func<NpgsqlConnection, object, CancellationToken, Task> end;

    internal WorkAtHand(
        Actor actor,
        string entity,
        string subject,
        JsonElement input,
        byte[]? file,
        Func<int, int?, string?, Task> report,
        Func<NpgsqlConnection, object, CancellationToken, Task> end
    ) =>
        (Actor, Entity, Subject, Input, File, this.report, this.end) = (
            actor,
            entity,
            subject,
            input,
            file,
            report,
            end
        );

    /// <summary>Whose rights it is done with.</summary>
    public Actor Actor { get; }

    /// <summary>Code of the entity.</summary>
    public string Entity { get; }

    /// <summary>What it is about, for people.</summary>
    public string Subject { get; }

    /// <summary>What it works on.</summary>
    public JsonElement Input { get; }

    /// <summary>The file that it works on.</summary>
    public byte[]? File { get; }

    /// <summary>Says how far it is; whoever asked it to stop is heard here.</summary>
    /// <exception cref="OperationCanceledException">It is to stop, or it is another's by now.</exception>
    public Task ReportAsync(int done, int? steps, string? says) => report(done, steps, says);

    /// <summary>Notes that it is done, in the transaction that does it: so it is done once, whatever breaks off.</summary>
    /// <exception cref="OperationCanceledException">It is another's by now.</exception>
    internal Task EndAsync(NpgsqlConnection db, object result, CancellationToken stop) => end(db, result, stop);
}

/// <summary>Does work, one piece after the other, in whichever process has time. Several workers share what there is by
/// leases.</summary>
public sealed class Worker(DeskContext desk, IEnumerable<IWorkKind> kinds)
{
    /// <summary>How long nobody else takes what somebody took and says nothing more about.</summary>
    public TimeSpan Lease { get; init; } = TimeSpan.FromSeconds(30);

    /// <summary>How often work is tried where something fails that is not its own fault.</summary>
    public int MostAttempts { get; init; } = 5;

    /// <summary>How long after the first failure it is tried again; doubled with each.</summary>
    public TimeSpan BackOff { get; init; } = TimeSpan.FromSeconds(5);

    private readonly Guid holder = Guid.NewGuid();
    private readonly Dictionary<string, IWorkKind> byName = kinds.ToDictionary(k => k.Kind, StringComparer.Ordinal);

    /// <summary>Does the next piece of work, if there is any.</summary>
    /// <returns>Whether there was.</returns>
    public async Task<bool> NextAsync(CancellationToken stop)
    {
        WorkRow? row;
        byte[]? file = null;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            row = await WorkStore.TakeAsync(db, holder, Lease, stop);
            if (row is not null)
                file = await WorkStore.FileAsync(db, row.Id, stop);
        }
        if (row is null)
            return false;
        await DoAsync(row, file, stop);
        return true;
    }

    private async Task DoAsync(WorkRow row, byte[]? file, CancellationToken stop)
    {
        using var halt = CancellationTokenSource.CreateLinkedTokenSource(stop);
        var held = new Holding(this, row, halt);
        var keeping = held.KeepAsync();
        try
        {
            if (row.Attempts > MostAttempts)
            {
                await EndAsync(row, "failed", row.Says ?? "It was begun too often and never ended.", null, null);
                return;
            }
            if (!byName.TryGetValue(row.Kind, out var kind))
            {
                await EndAsync(row, "failed", $"Nothing here does work of the kind {row.Kind}.", null, null);
                return;
            }
            var order = JsonSerializer.Deserialize<Order>(row.Input)!;
            Outcome<object>? outcome = null;
            await desk.Database.ServeAsync(async () =>
                outcome = await kind.RunAsync(
                    new WorkAtHand(
                        order.Actor.In(row.Code),
                        row.Code,
                        row.Subject,
                        order.Input,
                        file,
                        held.ReportAsync,
                        async (db, result, within) =>
                        {
                            if (!await WorkStore.EndAsync(db, row.Id, holder, "done", null, Json(result), null, within))
                                throw new OperationCanceledException();
                        }
                    ),
                    halt.Token
                )
            );
            if (outcome!.Refused is null)
                await EndAsync(row, "done", null, Json(outcome.Result!), null);
            else
                await EndAsync(row, "failed", Said(outcome.Faults), null, null);
        }
        catch (OperationCanceledException) when (held.Cancelled)
        {
            await EndAsync(row, "cancelled", "It was stopped.", null, null);
        }
        // The process ends, or it is another's by now: whoever takes it over goes on.
        catch (OperationCanceledException) { }
        // Whatever it is: one piece of work keeps no other from being done.
        catch (Exception e) when (e is not OperationCanceledException)
        {
            var last = row.Attempts >= MostAttempts;
            await EndAsync(
                row,
                last ? "failed" : "waiting",
                $"Attempt {row.Attempts} failed: {e.Message}",
                null,
                last ? null : BackOff * Math.Pow(2, row.Attempts - 1)
            );
        }
        finally
        {
            await halt.CancelAsync();
            await keeping;
        }
    }

    private static string Json(object result) => JsonSerializer.Serialize(result, Formats.Json.TraceJson.Settings);

    private static string Said(IReadOnlyList<Fault> faults) =>
        string.Join(" ", faults.Take(5).Select(f => f.Message))
        + (faults.Count > 5 ? $" And {faults.Count - 5} more." : "");

    // Whoever stops waits for this: what came of it is not lost.
    private async Task EndAsync(WorkRow row, string status, string? says, string? result, TimeSpan? again)
    {
        using var limit = new CancellationTokenSource(TimeSpan.FromSeconds(20));
        await using var db = await desk.Database.OpenAsync(limit.Token);
        await WorkStore.EndAsync(db, row.Id, holder, status, says, result, again, limit.Token);
    }

    /// <summary>Holds a lease while work is done, and hears whether it is to stop.</summary>
    private sealed class Holding(Worker worker, WorkRow row, CancellationTokenSource halt)
    {
        /// <summary>Somebody asked it to stop.</summary>
        public bool Cancelled { get; private set; }

        public async Task ReportAsync(int done, int? steps, string? says)
        {
            await HoldAsync((done, steps, says));
            halt.Token.ThrowIfCancellationRequested();
        }

        // Also while it says nothing for long.
        public async Task KeepAsync()
        {
            try
            {
                while (true)
                {
                    await Task.Delay(worker.Lease / 3, halt.Token);
                    await HoldAsync(null);
                }
            }
            catch (OperationCanceledException) { }
            catch (NpgsqlException)
            {
                // The database is away: so is the lease, and whoever is back first takes it.
                await halt.CancelAsync();
            }
        }

        private async Task HoldAsync((int, int?, string?)? progress)
        {
            await using var db = await worker.Desk.Database.OpenAsync(halt.Token);
            var cancel = await WorkStore.HoldAsync(db, row.Id, worker.holder, worker.Lease, progress, halt.Token);
            if (cancel == false)
                return;
            Cancelled = cancel == true;
            await halt.CancelAsync();
        }
    }

    private DeskContext Desk => desk;
}
