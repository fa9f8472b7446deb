using Assignum.Core.Editions;
using Assignum.Core.Events;
using Assignum.Desk.Access;
using Assignum.Formats.Json;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>
/// Posts batch after batch of one sender. While one is written the next is made, by what will hold if nobody else posts
/// or changes anything in between; where somebody did, it is made anew.
/// </summary>
/// <remarks>Not for several callers at once.</remarks>
public sealed class PostingStream : IAsyncDisposable
{
    private const int MostTurns = 50,
        MostDocuments = 100_000;

    private readonly DeskContext desk;
    private readonly Actor actor;
    private readonly string entity;
    private readonly AccountIds accounts = new();
    private Task<PostingBatch>? ahead;

    internal PostingStream(DeskContext desk, Actor actor, string entity) =>
        (this.desk, this.actor, this.entity) = (desk, actor, entity);

    /// <summary>How many batches were written as they had been made while those before were written.</summary>
    public int MadeAhead { get; private set; }

    /// <summary>Posts a batch in one transaction; a fault of one event does not touch the others.</summary>
    /// <param name="firstRow">Row of the first event, counting from 1.</param>
    /// <param name="next">Gives the batch that will be posted after this one, or null where none has come yet. Asked
    /// once at most, before this one is written.</param>
    /// <remarks>The set-ups are made before anything is held: whoever holds the postings of an entity waits for nobody,
    /// and for no second connection. Where another edition is in force by then, it looks again.</remarks>
    public async Task<Outcome<IReadOnlyList<PostedEvent>>> PostAsync(
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        Func<IReadOnlyList<ReadEvent>?>? next,
        CancellationToken stop
    )
    {
        var made = await TakeAheadAsync(events);
        try
        {
            var sound = PostingBatch.Sound(events);
            for (var turn = 0; ; turn++)
            {
                var looked = await LookAsync(sound, stop);
                if (looked.Result is not { } before)
                    return looked.Pass<IReadOnlyList<PostedEvent>>();
                await using var db = await desk.Database.OpenAsync(stop);
                await using var transaction = await db.BeginTransactionAsync(stop);
                var books = await OpenAsync(db, before.State, before.Others, true, stop);
                // Publishing holds the same row, so what is in force is read after it is held.
                var state = (await Storage.EditionStore.StateAsync(db, entity, false, stop))!;
                var others = await before.Others.AgainAsync(desk, db, stop);
                if (!(others is not null && IsReady(state, sound)) && turn < MostTurns)
                    continue;
                others ??= before.Others;
                foreach (var of in others.States.Values.Append(state))
                    accounts.At(of);
                if (made?.Fits(state, others, books) == true)
                    MadeAhead++;
                else
                {
                    made?.Dispose();
                    made = new PostingBatch(
                        desk,
                        actor,
                        state,
                        books,
                        new(new(), books[entity].FirstEvent),
                        others,
                        events
                    );
                    await made.ReadAsync(db, null, stop);
                    await made.MakeAsync(firstRow, stop);
                }
                // Before the next is made: it looks at what is known of accounts.
                await made.AskAsync(db, accounts, stop);
                if (next?.Invoke() is { } following)
                    await BeginAheadAsync(db, made, following, firstRow + events.Count, stop);
                if (made.Posts)
                {
                    await made.WriteAsync(db, accounts, stop);
                    await transaction.CommitAsync(stop);
                    made.Committed();
                }
                return new Outcome<IReadOnlyList<PostedEvent>>(made.Answers, null, []);
            }
        }
        finally
        {
            made?.Dispose();
        }
    }

    /// <summary>Lets go of what was made for later.</summary>
    public async ValueTask DisposeAsync()
    {
        if (await TakeAheadAsync([]) is { } made)
            made.Dispose();
    }

    // What was made for these events while those before were written. What went wrong then shows again when it is made
    // anew.
    private async Task<PostingBatch?> TakeAheadAsync(IReadOnlyList<ReadEvent> events)
    {
        if (ahead is not { } task)
            return null;
        ahead = null;
        await task.ContinueWith(_ => { }, TaskScheduler.Default);
        if (!task.IsCompletedSuccessfully)
            return null;
        if (ReferenceEquals(task.Result.Events, events))
            return task.Result;
        task.Result.Dispose();
        return null;
    }

    // Reads by the connection that holds the books what was posted before, then makes the batch beside the writing.
    private async Task BeginAheadAsync(
        NpgsqlConnection db,
        PostingBatch before,
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        CancellationToken stop
    )
    {
        var sound = PostingBatch.Sound(events);
        if (before.Documents.Count > MostDocuments || !IsReady(before.State, sound))
            return;
        var found = await OtherEntities.FindAsync(db, actor, sound, stop);
        if (await found.AgainAsync(desk, db, stop) is not { } others)
            return;
        var books = await OpenAsync(db, before.State, others, false, stop);
        foreach (var (code, book) in before.Books)
            if (books.ContainsKey(code))
                books[code] = book.After();
        foreach (var of in others.States.Values)
            accounts.At(of);
        var batch = new PostingBatch(desk, actor, before.State, books, before.Documents, others, events);
        await batch.ReadAsync(db, before, stop);
        ahead = Task.Run(
            async () =>
            {
                await batch.MakeAsync(firstRow, stop);
                batch.MakeRows(accounts);
                return batch;
            },
            stop
        );
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

    private sealed record Looked(EntityState State, OtherEntities Others);

    // Enters, and makes what the events need while nothing is held.
    private async Task<Outcome<Looked>> LookAsync(IReadOnlyList<BusinessEvent> sound, CancellationToken stop)
    {
        EntityState state;
        OtherEntities others;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
            if (entered.Result is null)
                return entered.Pass<Looked>();
            state = entered.Result.State;
            others = await OtherEntities.FindAsync(db, actor, sound, stop);
        }
        foreach (var number in PostingBatch.SetUpsOf(state, sound))
            await desk.Shelf.GetAsync(desk.Database, state, number, null, stop);
        await others.LoadAsync(desk, stop);
        return new Looked(state, others);
    }
}
