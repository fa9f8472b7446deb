using Assignum.Core.Editions;
using Assignum.Core.Events;
using Assignum.Desk.Access;
using Assignum.Formats.Json;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>
/// Posts batch after batch of one sender. While one is written the next is made and its details are written, and that
/// after it is made, all by what will hold if nobody else posts or changes anything in between; where somebody did, it is
/// taken back and made anew.
/// </summary>
/// <remarks>Not for several callers at once. Whoever holds the books waits for no connection: what is on its way has one
/// of its own, or is not on its way.</remarks>
public sealed class PostingStream : IAsyncDisposable
{
    private const int MostTurns = 50,
        MostDocuments = 100_000,
        MostAhead = 2,
        MostCalm = 16;

    private static int others;

    /// <summary>Whether anybody in this process posts just now who is no feed.</summary>
    internal static bool OthersPost => Volatile.Read(ref others) > 0;

    // Batches on their way in this process; each has a connection.
    private static readonly SemaphoreSlim Places = new(16);

    private readonly DeskContext desk;
    private readonly Actor actor;
    private readonly string entity;
    private readonly IPostsInOrder? order;
    private readonly AccountIds accounts = new();
    private readonly Queue<IReadOnlyList<ReadEvent>> given = [];
    private readonly Queue<BatchAhead> ahead = [];

    // Where others post all the time, what is made ahead is made for nothing: for how many batches it is left, and for how
    // many after the next time.
    private int calm,
        calmNext;

    internal PostingStream(DeskContext desk, Actor actor, string entity, IPostsInOrder? order = null) =>
        (this.desk, this.actor, this.entity, this.order) = (desk, actor, entity, order);

    /// <summary>How many batches were written as they had been made while those before were written.</summary>
    public int MadeAhead { get; private set; }

    /// <summary>Posts a batch in one transaction; a fault of one event does not touch the others.</summary>
    /// <param name="firstRow">Row of the first event, counting from 1.</param>
    /// <param name="next">Gives the batch that will be posted after this one and those it gave before, or null where none
    /// has come yet. Asked until two are on their way, before this one is written.</param>
    /// <remarks>The set-ups are made before anything is held: whoever holds the postings of an entity waits for nobody,
    /// and for no second connection. Where another edition is in force by then, it looks again.</remarks>
    public async Task<Outcome<IReadOnlyList<PostedEvent>>> PostAsync(
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        Func<IReadOnlyList<ReadEvent>?>? next,
        CancellationToken stop
    )
    {
        if (order is not null)
            return await PostedAsync(events, firstRow, next, stop);
        Interlocked.Increment(ref others);
        try
        {
            return await PostedAsync(events, firstRow, next, stop);
        }
        finally
        {
            Interlocked.Decrement(ref others);
        }
    }

    private async Task<Outcome<IReadOnlyList<PostedEvent>>> PostedAsync(
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        Func<IReadOnlyList<ReadEvent>?>? next,
        CancellationToken stop
    )
    {
        var sound = PostingBatch.Sound(events);
        await using (var mine = await TakeAheadAsync(events))
            if (mine is { Batch: { } made, Db: { } own, Transaction: { } begun })
            {
                var looked = await LookAsync(own, sound, stop);
                if (looked.Result is not { } now)
                    return looked.Pass<IReadOnlyList<PostedEvent>>();
                if (await WriteAsync(own, begun, made, now, events, firstRow, next, false, stop) is { } posted)
                {
                    calmNext = 0;
                    return posted;
                }
                (calm, calmNext) = (calmNext, Math.Clamp(calmNext * 2, 1, MostCalm));
            }
        // What follows was made as if this had been written.
        await LetGoAsync();
        for (var turn = 0; ; turn++)
        {
            Outcome<Looked> looked;
            await using (var look = await desk.Database.OpenAsync(stop))
                looked = await LookAsync(look, sound, stop);
            if (looked.Result is not { } now)
                return looked.Pass<IReadOnlyList<PostedEvent>>();
            foreach (var number in PostingBatch.SetUpsOf(now.State, sound))
                await desk.Shelf.GetAsync(desk.Database, now.State, number, null, stop);
            await now.Others.LoadAsync(desk, stop);
            await using var db = await desk.Database.OpenAsync(stop);
            await using var transaction = await db.BeginTransactionAsync(stop);
            var last = turn >= MostTurns;
            if (await WriteAsync(db, transaction, null, now, events, firstRow, next, last, stop) is { } posted)
                return posted;
        }
    }

    /// <summary>Lets go of what was made for later.</summary>
    public async ValueTask DisposeAsync() => await LetGoAsync();

    // Holds the books, and writes what was made before or makes it. Null: it does not fit what holds now, or a set-up has to
    // be made first.
    private async Task<Outcome<IReadOnlyList<PostedEvent>>?> WriteAsync(
        NpgsqlConnection db,
        NpgsqlTransaction transaction,
        PostingBatch? before,
        Looked looked,
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        Func<IReadOnlyList<ReadEvent>?>? next,
        bool last,
        CancellationToken stop
    )
    {
        var books = await OpenAsync(db, looked.State, looked.Others, true, stop);
        // Publishing holds the same row, so what is in force is read after it is held.
        var state = (await Storage.EditionStore.StateAsync(db, entity, false, stop))!;
        var others = await looked.Others.AgainAsync(desk, db, stop);
        if (!(others is not null && IsReady(state, looked.Sound)) && !last)
            return null;
        others ??= looked.Others;
        foreach (var of in others.States.Values.Append(state))
            accounts.At(of);
        if (before?.Fits(state, others, books) == false)
            return null;
        if (before is not null)
            MadeAhead++;
        var made = before
            ?? new PostingBatch(desk, actor, state, books, new(new(), books[entity].FirstEvent), others, events, order);
        using var own = before is null ? made : null;
        if (before is null)
        {
            await made.ReadAsync(db, [], stop);
            await made.MakeAsync(firstRow, stop);
        }
        BeginAhead(made, next, firstRow + events.Count, stop);
        if (made.Posts)
        {
            await made.MakeRowsAsync(db, accounts, stop);
            await made.WriteAsync(db, stop);
        }
        if (order is not null)
            await order.WrittenAsync(db, made.Answers, stop);
        if (made.Posts || order is not null)
            await transaction.CommitAsync(stop);
        if (made.Posts)
            made.Committed();
        return new Outcome<IReadOnlyList<PostedEvent>>(made.Answers, null, []);
    }

    // Those on their way where these events are the first of them; else null, and none is any more.
    private async Task<BatchAhead?> TakeAheadAsync(IReadOnlyList<ReadEvent> events)
    {
        if (given.TryDequeue(out var first) && !ReferenceEquals(first, events))
            given.Clear();
        if (!ahead.TryPeek(out var there) || !ReferenceEquals(there.Events, events))
            return null;
        ahead.Dequeue();
        await there.EndedAsync();
        return there;
    }

    private async Task LetGoAsync()
    {
        while (ahead.TryDequeue(out var there))
            await there.DisposeAsync();
    }

    private void BeginAhead(
        PostingBatch current,
        Func<IReadOnlyList<ReadEvent>?>? next,
        int firstRow,
        CancellationToken stop
    )
    {
        if (calm > 0)
        {
            calm--;
            return;
        }
        while (given.Count < MostAhead && next?.Invoke() is { } following)
            given.Enqueue(following);
        List<Task<PostingBatch?>> before = [Task.FromResult<PostingBatch?>(current), .. ahead.Select(a => a.Made)];
        foreach (var (i, events) in given.Index())
        {
            if (i >= ahead.Count)
            {
                var (those, row) = (before.ToList(), firstRow);
                var one = new BatchAhead(events);
                one.Begin(a => MakeAheadAsync(a, those, row, stop), stop);
                ahead.Enqueue(one);
                before.Add(one.Made);
            }
            firstRow += events.Count;
        }
    }

    // Reads by a connection of its own what was posted before, as far as it was committed before this stream began to make
    // ahead; the rest is noted by the batches before.
    private async Task<PostingBatch?> MakeAheadAsync(
        BatchAhead one,
        List<Task<PostingBatch?>> earlier,
        int firstRow,
        CancellationToken stop
    )
    {
        var before = new List<PostingBatch>();
        foreach (var task in earlier)
            if (await task is { } there)
                before.Add(there);
            else
                return null;
        var last = before[^1];
        var sound = PostingBatch.Sound(one.Events);
        if (last.Documents.Count > MostDocuments || !IsReady(last.State, sound) || !one.Take(Places))
            return null;
        var db = await one.OpenAsync(desk.Database, stop);
        var found = await OtherEntities.FindAsync(db, actor, sound, stop);
        if (await found.AgainAsync(desk, db, stop) is not { } others)
            return null;
        var books = await OpenAsync(db, last.State, others, false, stop);
        foreach (var (code, book) in last.Books)
            if (books.ContainsKey(code))
                books[code] = book.After();
        foreach (var of in others.States.Values)
            accounts.At(of);
        var batch = new PostingBatch(desk, actor, last.State, books, last.Documents, others, one.Events, order);
        try
        {
            await batch.ReadAsync(db, before, stop);
            await batch.MakeAsync(firstRow, stop);
            await batch.MakeRowsAsync(db, accounts, stop);
            return batch;
        }
        catch
        {
            batch.Dispose();
            throw;
        }
    }

    private async Task<Dictionary<string, Book>> OpenAsync(
        NpgsqlConnection db,
        EntityState state,
        OtherEntities others,
        bool hold,
        CancellationToken stop
    )
    {
        var books = new Dictionary<string, Book>();
        // Always in the order of ids: two charges against each other do not wait for each other.
        foreach (var of in others.States.Values.Append(state).DistinctBy(s => s.Id).OrderBy(s => s.Id))
            books[of.Code] = await Book.OpenAsync(db, of, hold, stop);
        return books;
    }

    private bool IsReady(EntityState state, IReadOnlyList<BusinessEvent> sound) =>
        PostingBatch.SetUpsOf(state, sound).All(n => desk.Shelf.Has(state, n, null));

    private sealed record Looked(EntityState State, OtherEntities Others, IReadOnlyList<BusinessEvent> Sound);

    // Enters, and tells what the events need.
    private async Task<Outcome<Looked>> LookAsync(
        NpgsqlConnection db,
        IReadOnlyList<BusinessEvent> sound,
        CancellationToken stop
    )
    {
        var entered = await desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
        if (entered.Result is null)
            return entered.Pass<Looked>();
        var others = await OtherEntities.FindAsync(db, actor, sound, stop);
        return new Looked(entered.Result.State, others, sound);
    }
}
