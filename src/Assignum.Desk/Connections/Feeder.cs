using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Desk.Posting;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Keeps the live connections going: asks them each minute and when they call, posts what they told, and sends on
/// what was posted. Several processes share them by leases.</summary>
public sealed class Feeder(LinkDesk links, ProposePairs propose, PostEvents post)
{
    /// <summary>How often a system is asked that answers.</summary>
    public static readonly TimeSpan Each = TimeSpan.FromMinutes(1);

    /// <summary>The longest that one is left that does not answer.</summary>
    public static readonly TimeSpan Longest = TimeSpan.FromMinutes(5);

    /// <summary>Failures in a row after which it is shown as failing.</summary>
    public const int Failing = 20;

    private const int MostAtOnce = 4;

    private readonly FeedPlaces places = new();

    /// <summary>Does what is due.</summary>
    /// <returns>How many connections there was something to do for.</returns>
    public async Task<int> NextAsync(CancellationToken stop)
    {
        IReadOnlyList<DueLink> due;
        await using (var db = await links.Desk.Database.OpenAsync(stop))
            due = await LeaseStore.DueAsync(db, stop);
        await Parallel.ForEachAsync(
            due,
            new ParallelOptions { MaxDegreeOfParallelism = MostAtOnce, CancellationToken = stop },
            async (one, token) => await TurnAsync(one, token)
        );
        return due.Count;
    }

    private async Task TurnAsync(DueLink due, CancellationToken stop)
    {
        await using var lease = await FeedLease.TakeAsync(links.Desk, (due.Entity, due.Connection), stop);
        if (lease is null)
            return;
        try
        {
            var held = lease.Held;
            await using var db = await links.Desk.Database.OpenAsync(held);
            var actor = PostFeed.ActorOf(due.EntityCode, due.Code);
            if (
                (await links.Desk.EnterAsync(db, actor, due.EntityCode, Access.Role.Preparer, false, held)).Result
                    is not { State: var state }
                || await ConnectionStore.FindAsync(db, state.Id, due.Code, false, held) is not { State: "live" } link
            )
                return;
            var asked = due.Asks ? await AskAsync(db, lease, state, link, held) : null;
            link = (await ConnectionStore.FindAsync(db, state.Id, due.Code, false, held))!;
            if (link.State != "live")
                return;
            if (link.Of.TakesEntries)
                return;
            // Whoever posts waits for nobody, and holds no second connection.
            await db.CloseAsync();
            await new PostFeed(links, post, places, lease, state, link).RunAsync(held);
            if (asked is null)
                return;
            await db.OpenAsync(held);
            await asked.ProposeAsync(held);
        }
        // It is another's by now, or the program ends.
        catch (OperationCanceledException) when (!stop.IsCancellationRequested) { }
    }

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
        // Chance keeps those that failed together from coming back together.
        var wait = good
            ? Each
            : TimeSpan.FromSeconds(
                Math.Min(Math.Pow(2, Math.Min(failures, 16) - 1), Longest.TotalSeconds)
                    * (0.8 + 0.4 * Random.Shared.NextDouble())
            );
        await LeaseStore.NextAskAsync(db, at, wait, failures, stop);
        return good ? asked : null;
    }
}
