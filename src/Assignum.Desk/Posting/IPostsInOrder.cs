using Assignum.Core;
using Assignum.Core.Events;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>Whoever posts a batch in which one event may have to wait for another, and keeps what became of each in the
/// transaction that posts it.</summary>
internal interface IPostsInOrder
{
    /// <summary>The batch is made, perhaps anew: what was refused before does not count.</summary>
    void Begin();

    /// <summary>Why an event is not tried after those before it; null: it is.</summary>
    Fault? Before(BusinessEvent source);

    /// <summary>What is wrong with what would be posted for an event; null: nothing.</summary>
    Fault? Checked(BusinessEvent source, Core.Entries.EntryResult result) => null;

    /// <summary>An event was refused.</summary>
    void Refused(BusinessEvent source);

    /// <summary>Keeps what became of them.</summary>
    /// <exception cref="OperationCanceledException">It is not to be kept: nothing is posted.</exception>
    Task WrittenAsync(NpgsqlConnection db, IReadOnlyList<PostedEvent> answers, CancellationToken stop);
}
