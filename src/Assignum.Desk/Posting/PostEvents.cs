using Assignum.Core;
using Assignum.Desk.Access;
using Assignum.Formats.Json;

namespace Assignum.Desk.Posting;

/// <summary>What became of an event that was sent for posting.</summary>
/// <param name="Outcome"><c>posted</c>, <c>duplicate</c>, <c>conflict</c>, <c>refused</c> or <c>nothing</c>.</param>
/// <param name="Number">The entry's number, for posted and for duplicates of posted.</param>
public sealed record PostedEvent(EventName Event, int Row, string Outcome, string? Number, IReadOnlyList<Fault> Errors);

/// <summary>
/// Posts events: in the order sent, each wholly or not at all, once however often it is sent. The answers are given
/// only after everything that was posted is durable.
/// </summary>
public sealed class PostEvents(DeskContext desk)
{
    /// <summary>Posts a batch in one transaction; a fault of one event does not touch the others.</summary>
    /// <param name="firstRow">Row of the first event, counting from 1.</param>
    public async Task<Outcome<IReadOnlyList<PostedEvent>>> RunAsync(
        Actor actor,
        string entity,
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        CancellationToken stop
    )
    {
        await using var stream = Stream(actor, entity);
        return await stream.PostAsync(events, firstRow, null, stop);
    }

    /// <summary>For whoever posts batch after batch.</summary>
    public PostingStream Stream(Actor actor, string entity) => new(desk, actor, entity);

    /// <summary>Posts a batch in order, see <see cref="IPostsInOrder"/>.</summary>
    internal async Task<Outcome<IReadOnlyList<PostedEvent>>> RunAsync(
        Actor actor,
        string entity,
        IReadOnlyList<ReadEvent> events,
        IPostsInOrder order,
        CancellationToken stop
    )
    {
        await using var stream = new PostingStream(desk, actor, entity, order);
        return await stream.PostAsync(events, 1, null, stop);
    }
}
