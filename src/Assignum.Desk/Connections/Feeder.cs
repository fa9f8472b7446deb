using System.Collections.Concurrent;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Desk.Posting;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Keeps the live connections going: asks them each minute and when they call, posts what they told, and sends on
/// what was posted. Several processes share them by leases.</summary>
public sealed class Feeder(
    LinkDesk links,
    ProposePairs propose,
    PostEvents post,
    TakeFiles files,
    FetchTheirLists lists
)
{
    /// <summary>How often a system is asked that answers.</summary>
    public static readonly TimeSpan Each = TimeSpan.FromMinutes(1);

    /// <summary>The longest that one is left that does not answer.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromMinutes(5);

    /// <summary>Failures in a row after which it is shown as failing.</summary>
    public const int Failing = 20;

    private const int MostAtOnce = 4;

    private readonly FeedPlaces places = new();

    private readonly Dictionary<(int Entity, int Connection), Task> turns = [];

    /// <summary>Begins what is due, beside what goes on: a long turn of one connection keeps no other waiting.</summary>
    /// <remarks>Not for several callers at once.</remarks>
    public async Task NextAsync(CancellationToken stop)
    {
        foreach (var (ended, turn) in turns.Where(t => t.Value.IsCompleted).ToList())
        {
            turns.Remove(ended);
            await turn;
        }
        IReadOnlyList<DueLink> due;
        await using (var db = await links.Desk.Database.OpenAsync(stop))
            due = await LeaseStore.DueAsync(db, stop);
        foreach (var one in due.Where(d => !turns.ContainsKey((d.Entity, d.Connection))))
            if (turns.Count < MostAtOnce)
                turns[(one.Entity, one.Connection)] = Task.Run(() => TurnAsync(one, stop), CancellationToken.None);
    }

    /// <summary>Waits until what goes on has ended.</summary>
    public async Task EndAsync()
    {
        foreach (var turn in turns.Values)
            await turn.ConfigureAwait(ConfigureAwaitOptions.SuppressThrowing);
        turns.Clear();
    }

    private async Task TurnAsync(DueLink due, CancellationToken stop)
    {
        await using var lease = await FeedLease.TakeAsync(links.Desk, (due.Entity, due.Connection), stop);
        if (lease is null)
            return;
        try
        {
            await links.Desk.Database.ServeAsync(() => TurnAsync(due, lease));
        }
        // It is another's by now, or the program ends.
        catch (OperationCanceledException) when (!stop.IsCancellationRequested) { }
        // What is wrong with one keeps no other from going on.
        catch (Exception e)
            when (e is PostgresException || e is not (NpgsqlException or TimeoutException or OperationCanceledException)
            )
        {
            links.Desk.Unforeseen?.Invoke(e);
            await using var db = await links.Desk.Database.OpenAsync(stop);
            await ConnectionStore.AskedAsync(
                db,
                due.Entity,
                due.Connection,
                $"A fault of the program met its feed ({e.GetType().Name}): it is tried again.",
                false,
                (0, 0),
                null,
                stop
            );
            await Task.Delay(Each / 6, stop);
        }
    }

    private async Task TurnAsync(DueLink due, FeedLease lease)
    {
        var held = lease.Held;
        await using var db = await links.Desk.Database.OpenAsync(held);
        var actor = PostFeed.ActorOf(due.EntityCode, due.Code);
        if (
            (await links.Desk.EnterAsync(db, actor, due.EntityCode, Access.Role.Preparer, false, held)).Result
                is not { State: var state }
            || await ConnectionStore.FindAsync(db, state.Id, due.Code, false, held) is not { } link
            || !(
                link.State == "live"
                || link.State == "joining" && (link.ParallelFrom is not null || link.Folder is not null)
            )
        )
            return;
        if (due.Asks && !link.IsAsked)
            await LookAsync(db, actor, state, link, held);
        var asked = due.Asks && link.IsAsked ? await AskAsync(db, lease, state, link, held) : null;
        link = (await ConnectionStore.FindAsync(db, state.Id, due.Code, false, held))!;
        if (link.State == "joining")
        {
            if (asked is not null && link.Of.TakesEntries)
                await ReadThereAsync(db, lease, state, link, held);
            else if (asked is not null)
                await asked.ProposeAsync(held);
            return;
        }
        if (link.State != "live")
            return;
        if (link.Of.TakesEntries)
        {
            if (link.SendsBy == "interface")
                await SendAsync(db, lease, state, link, asked is not null, held);
            else if (asked is not null)
                await ReadThereAsync(db, lease, state, link, held);
            return;
        }
        // Whoever posts waits for nobody, and holds no second connection.
        await db.CloseAsync();
        await new PostFeed(links, post, places, lease, state, link).RunAsync(held);
        if (asked is null)
            return;
        await links.Desk.Database.OpenAsync(db, held);
        await TellAsync(db, lease, state, link, asked.Offers("writes", "outcomes"), held);
        await asked.ProposeAsync(held);
    }

    private const int MostTold = 500;

    // What became of its events, and each night whether they are as many as it counted.
    private async Task TellAsync(
        NpgsqlConnection db,
        FeedLease lease,
        EntityState state,
        Connection link,
        bool tells,
        CancellationToken stop
    )
    {
        var at = (state.Id, link.Id);
        var yesterday = state.Today.AddDays(-1);
        var counted = await TotalStore.KeptAsync(db, at, 1, stop);
        var counts = counted is not [var last] || last.Day < yesterday;
        if (!tells && !counts)
            return;
        var (client, _) = await links.OpenAsync(db, state.Id, link, stop);
        if (client is null)
            return;
        using (client)
        {
            if (counts)
            {
                var visit = new Visit(PostFeed.ActorOf(state.Code, link.Code), state, Access.Role.Reviewer);
                await lists.OneAsync(db, visit, link, client, yesterday, null, [], [], stop);
                await CompareTotals.AskAsync(db, at, client, yesterday, stop);
            }
            while (tells && await TotalStore.UntoldAsync(db, at, MostTold, stop) is { Count: > 0 } untold)
            {
                var outcomes = new JsonArray([
                    .. untold.Select(u => new JsonObject
                    {
                        ["id"] = u.Id,
                        ["state"] = u.State,
                        ["number"] = u.Number,
                        ["reasons"] = JsonNode.Parse(u.Reasons),
                    }),
                ]);
                var answer = await client.SendTextAsync("outcomes", outcomes.ToJsonString(), null, lease.Held);
                // A page for people is no word of its own: something stands before it.
                if (answer.Fault is not (null or { Code: "no-content" }))
                    return;
                await using var transaction = await db.BeginTransactionAsync(stop);
                await lease.RequireAsync(db, stop);
                await TotalStore.ToldAsync(db, at, [.. untold.Select(u => (u.Row, u.State))], stop);
                await transaction.CommitAsync(stop);
            }
        }
    }

    private readonly ConcurrentDictionary<(int Entity, int Connection), WatchedFolder> folders = new();

    // What lies in its folder; what cannot be taken is said where the connection stands, and keeps no other file waiting.
    private async Task LookAsync(
        NpgsqlConnection db,
        Access.Actor actor,
        EntityState state,
        Connection link,
        CancellationToken stop
    )
    {
        string? trouble = null;
        if (link.Folder is not null)
        {
            var folder = folders.GetOrAdd((state.Id, link.Id), _ => new WatchedFolder());
            trouble = WatchedFolder.Wrong(link.Folder, links.Settings.Folders)?.Message;
            foreach (var (path, side) in folder.Fresh(link, links.Settings.Folders))
            {
                Outcome<FileTaken> taken;
                try
                {
                    await using var file = File.OpenRead(path);
                    taken = await files.RunAsync(
                        actor,
                        state.Code,
                        link.Code,
                        Path.GetFileName(path),
                        file,
                        side,
                        false,
                        stop
                    );
                }
                catch (Exception e) when (e is IOException or UnauthorizedAccessException)
                {
                    folder.Note(path, "it cannot be read.");
                    continue;
                }
                if (taken.Faults is not [{ Code: "wrong-state" or "changed-meanwhile" }, ..])
                    folder.Note(
                        path,
                        taken.Refused is null || taken.Faults is [{ Code: "taken-before" }, ..]
                            ? null
                            : taken.Faults[0].Message
                    );
            }
            trouble ??= folder.Trouble;
            await ConnectionStore.AskedAsync(db, state.Id, link.Id, trouble, false, (0, 0), null, stop);
        }
        await LeaseStore.NextAskAsync(db, (state.Id, link.Id), Each, 0, stop);
    }

    // What was booked there the old way.
    private async Task ReadThereAsync(
        NpgsqlConnection db,
        FeedLease lease,
        EntityState state,
        Connection link,
        CancellationToken stop
    )
    {
        var (client, _) = await links.OpenAsync(db, state.Id, link, stop);
        if (client is null)
            return;
        using (client)
            await new SendJournals(links, lease, state, link, client, "").ReadThereAsync(stop);
    }

    private async Task SendAsync(
        NpgsqlConnection db,
        FeedLease lease,
        EntityState state,
        Connection link,
        bool asks,
        CancellationToken stop
    )
    {
        var at = (state.Id, link.Id);
        var (now, before) = await LeaseStore.BeginAsync(db, at, stop);
        var failures = await LeaseStore.FailuresAsync(db, at, stop);
        if (failures > 0 && !asks)
            return;
        var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
        Core.Fault? trouble = closed;
        if (client is not null)
            using (client)
            {
                var sending = new SendJournals(
                    links,
                    lease,
                    state,
                    link,
                    client,
                    (await InstallationStore.IdAsync(db, stop))?.ToString("n")
                        ?? throw new InvalidOperationException("It is not said which installation this is.")
                );
                await sending.RunAsync(asks, asks || now != before, stop);
                trouble = sending.Trouble;
            }
        await LeaseStore.TriedAsync(db, at, now, stop);
        if (trouble is null)
            return;
        await ConnectionStore.AskedAsync(db, state.Id, link.Id, trouble.Message, false, (0, 0), null, stop);
        await LeaseStore.NextAskAsync(db, at, Wait(failures + 1), failures + 1, stop);
    }

    /// <summary>Says which installation this is. A database that is another's was copied or restored: all its connections are
    /// paused, so that nothing is asked or sent twice, until somebody resumes them.</summary>
    public async Task BeginAsync(Guid? installation, CancellationToken stop)
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var known = await InstallationStore.IdAsync(db, stop);
        if (installation is { } here && known != here)
        {
            if (known is not null)
                foreach (var (entity, code, was) in await InstallationStore.PauseAllAsync(db, "our-other-life", stop))
                    await EntityStore.AuditAsync(
                        db,
                        entity,
                        "Assignum",
                        "connection paused",
                        $"connection {code}",
                        new { State = was },
                        new { State = "paused", Why = "our-other-life" },
                        stop
                    );
            await InstallationStore.SetAsync(db, here, stop);
        }
        else if (known is null)
            await InstallationStore.SetAsync(db, Guid.NewGuid(), stop);
        await transaction.CommitAsync(stop);
    }

    // Chance keeps those that failed together from coming back together.
    private static TimeSpan Wait(int failures) =>
        TimeSpan.FromSeconds(
            Math.Min(Math.Pow(2, Math.Min(failures, 16) - 1), Longest.TotalSeconds)
                * (0.8 + 0.2 * Random.Shared.NextDouble())
        );

    private async Task<AskSystem?> AskAsync(
        NpgsqlConnection db,
        FeedLease lease,
        EntityState state,
        Connection link,
        CancellationToken stop
    )
    {
        var at = (state.Id, link.Id);
        var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
        AskSystem? asked = null;
        var good = false;
        if (client is null)
            await ConnectionStore.AskedAsync(db, state.Id, link.Id, closed!.Message, false, (0, 0), null, stop);
        else
            using (client)
            {
                asked = new AskSystem(links, propose, lease, $"feed of {link.Code}", db, state, link, client);
                good = (await asked.RunAsync(false, stop)).Result is not null;
            }
        var failures = good ? 0 : await LeaseStore.FailuresAsync(db, at, stop) + 1;
        var wait = good ? Each : Wait(failures);
        await LeaseStore.NextAskAsync(db, at, wait, failures, stop);
        return good ? asked : null;
    }
}
