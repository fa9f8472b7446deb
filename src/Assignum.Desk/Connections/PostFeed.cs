using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Feeding;
using Assignum.Core.Ledger;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Posts what a connection told, in the order of its numbers. What cannot post waits or is dead, with its reasons;
/// what comes after it about the same documents waits behind it, and everything else goes on.</summary>
internal sealed class PostFeed(
    LinkDesk links,
    PostEvents post,
    FeedPlaces places,
    FeedLease lease,
    EntityState entered,
    Connection link
) : IPostsInOrder
{
    private const int Batch = 1_000,
        MostMissing = 10_000,
        LongestSubject = 200;

    private readonly (int Entity, int Connection) at = (entered.Id, link.Id);
    private readonly string entity = entered.Code;
    private readonly Actor actor = ActorOf(entered.Code, link.Code);

    /// <summary>As whom a connection's events are posted.</summary>
    public static Actor ActorOf(string entity, string code) =>
        new($"feed of {code}", null, new Dictionary<string, Role> { [entity] = Role.Reviewer }) { Feeds = code };

    // As it is now, with the day that it is for the entity.
    private async Task<EntityState> StateAsync(NpgsqlConnection db, CancellationToken stop) =>
        (await links.Desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop)).Result?.State
        ?? throw new OperationCanceledException($"There is no entity {entity} any more.");

    /// <summary>How many were posted.</summary>
    public int Posted { get; private set; }

    /// <summary>Tries everything that can be tried.</summary>
    public async Task RunAsync(CancellationToken stop)
    {
        await using (var db = await links.Desk.Database.OpenAsync(stop))
            await WokenAsync(db, true, stop);
        while (true)
        {
            var begun = Posted;
            while (await NextAsync(stop)) { }
            if (Posted == begun)
                break;
            // What was posted may be what others wait for.
            await using var db = await links.Desk.Database.OpenAsync(stop);
            await WokenAsync(db, false, stop);
        }
        if (Posted == 0)
            return;
        await using var end = await links.Desk.Database.OpenAsync(stop);
        await LeaseStore.WakeOthersAsync(end, at.Entity, link.Id, stop);
    }

    private async Task WokenAsync(NpgsqlConnection db, bool first, CancellationToken stop)
    {
        var state = await StateAsync(db, stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        await lease.RequireAsync(db, stop);
        var (now, before) = first ? await LeaseStore.BeginAsync(db, at, stop) : ("", "");
        await FeedStore.WakeAsync(db, at, link.Code, now != before, link.PatienceDays, state.Today, stop);
        if (first)
            await LeaseStore.TriedAsync(db, at, now, stop);
        await transaction.CommitAsync(stop);
    }

    // Whether there is more.
    private async Task<bool> NextAsync(CancellationToken stop)
    {
        EntityState state;
        IReadOnlyList<FeedRow> rows;
        FeedOrder order;
        IReadOnlyList<Connection> others;
        await using (var db = await links.Desk.Database.OpenAsync(stop))
        {
            state = await StateAsync(db, stop);
            var (passed, highest, missing, now) = await FeedStore.NumbersAsync(db, at, MostMissing, stop);
            order = FeedOrder.Of(passed, highest, missing, TimeSpan.FromMinutes(link.GapMinutes), now);
            if (order.Passed > passed || order.GivenUp.Count > 0)
            {
                await using var transaction = await db.BeginTransactionAsync(stop);
                await lease.RequireAsync(db, stop);
                await FeedStore.PassAsync(db, at, order, stop);
                await transaction.CommitAsync(stop);
            }
            rows = await FeedStore.NextAsync(db, at, Batch, stop);
            var dead = await FeedStore.UnnamedAsync(db, at, Batch, stop);
            others =
            [
                .. (await ConnectionStore.ListAsync(db, state.Id, stop)).Where(c =>
                    c.State == "live" && c.Id != link.Id && !c.Of.TakesEntries
                ),
            ];
            if (rows.Count == 0 && dead.Count == 0)
                return false;
            var clock = System.Diagnostics.Stopwatch.StartNew();
            var batch = new FeedBatch(link, state, order, others);
            await batch.ReadAsync(db, at, rows, dead, new ViewSetUp(links.Desk), places, stop);
            await db.CloseAsync();
            if (!await WriteAsync(batch, stop))
                return false;
            // While others post, a feed takes half of the time at most.
            if (PostingStream.OthersPost)
                await Task.Delay(clock.Elapsed, stop);
        }
        return true;
    }

    private FeedBatch? current;

    private async Task<bool> WriteAsync(FeedBatch batch, CancellationToken stop)
    {
        current = batch;
        if (batch.Candidates.Count == 0)
        {
            await using var db = await links.Desk.Database.OpenAsync(stop);
            await using var transaction = await db.BeginTransactionAsync(stop);
            await lease.RequireAsync(db, stop);
            await FeedStore.MarkAsync(db, at, batch.Marks([]), stop);
            await transaction.CommitAsync(stop);
            return true;
        }
        var done = await post.RunAsync(actor, entity, [.. batch.Candidates.Select(c => c.Read)], this, stop);
        if (done.Result is null)
            return false;
        Posted += done.Result.Count(a => a.Outcome is "posted" or "nothing");
        return true;
    }

    void IPostsInOrder.Begin() => current!.Begin();

    Fault? IPostsInOrder.Before(BusinessEvent source) => current!.Before(source);

    Fault? IPostsInOrder.Checked(BusinessEvent source, EntryResult result) => current!.Checked(source, result);

    void IPostsInOrder.Refused(BusinessEvent source) => current!.Refused(source);

    async Task IPostsInOrder.WrittenAsync(
        NpgsqlConnection db,
        IReadOnlyList<PostedEvent> answers,
        CancellationToken stop
    )
    {
        await lease.RequireAsync(db, stop);
        await FeedStore.MarkAsync(db, at, current!.Marks(answers), stop);
    }

    internal static string Short(string text) => text.Length > LongestSubject ? text[..LongestSubject] : text;
}
