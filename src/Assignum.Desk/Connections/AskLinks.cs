using Assignum.Core.Pairing;
using Assignum.Core.Work;
using Assignum.Desk.Access;
using Assignum.Desk.Work;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>Gives the work of asking a connected system for its records and for what happened.</summary>
public sealed class AskLinks(DeskContext desk, WorkDesk work)
{
    /// <summary>Asks it, as work.</summary>
    public async Task<Outcome<WorkRow>> StartAsync(Actor actor, string entity, string code, CancellationToken stop)
    {
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
            if (entered.Result is not { State: var state })
                return entered.Pass<WorkRow>();
            if (await ConnectionStore.FindAsync(db, state.Id, code, false, stop) is not { } link)
                return Outcome<WorkRow>.No(
                    Refusal.NotFound,
                    "unknown-connection",
                    $"There is no connection {code} here."
                );
            if (link.State is "paused" or "closed")
                return Outcome<WorkRow>.No(
                    Refusal.Conflict,
                    "wrong-state",
                    $"{link.Name} is {link.State}: "
                        + (link.State == "paused" ? "resume it, then ask it." : "it is not asked any more.")
                );
            if (!link.IsAsked)
                return Outcome<WorkRow>.No(
                    Refusal.Conflict,
                    "no-system",
                    $"There is no system behind {link.Name} that could be asked: upload its files."
                );
            // What is live is asked by its feed, which posts and sends on too.
            if (link.State == "live")
                await LeaseStore.AskNowAsync(db, (state.Id, link.Id), stop);
            // Whoever asks twice waits for the same.
            var subject = SubjectOf(link);
            if (
                (await WorkStore.ListAsync(db, state.Id, WorkDesk.Listed, stop)).FirstOrDefault(w =>
                    w.Kind == FetchRecords.Name && w.Subject == subject && w.Status == "waiting"
                ) is
                { } given
            )
                return given;
            return await work.StartAsync(
                actor,
                entity,
                Role.Preparer,
                FetchRecords.Name,
                subject,
                new FetchOrder(link.Code),
                null,
                stop
            );
        }
    }

    /// <summary>Asks it because it called.</summary>
    internal Task SoonAsync(string entity, Connection link, CancellationToken stop) =>
        StartAsync(
            new Actor($"call of {link.Code}", null, new Dictionary<string, Role> { [entity] = Role.Preparer }),
            entity,
            link.Code,
            stop
        );

    private static string SubjectOf(Connection link) => $"what {link.Name} has";
}
