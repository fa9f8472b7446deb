using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk.Work;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Which connection is asked.</summary>
internal sealed record FetchOrder(string Connection);

/// <summary>Asks a connected system for its records and for what happened, page by page. Begun again it goes on where it
/// was: every page is kept with the place after it.</summary>
public sealed class FetchRecords(LinkDesk links, ProposePairs propose) : IWorkKind
{
    /// <summary>Its name.</summary>
    public const string Name = "fetch-records";

    private const int MostTries = 6;

    /// <inheritdoc/>
    public string Kind => Name;

    /// <inheritdoc/>
    public async Task<Outcome<object>> RunAsync(WorkAtHand work, CancellationToken stop)
    {
        var code = JsonSerializer.Deserialize<FetchOrder>(work.Input)!.Connection;
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, work.Actor, work.Entity, Access.Role.Preparer, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<object>();
        if (await ConnectionStore.FindAsync(db, state.Id, code, false, stop) is not { } link)
            return Outcome<object>.No(Refusal.NotFound, "unknown-connection", $"There is no connection {code}.");
        if (link.State is "paused" or "closed")
            return Outcome<object>.No(Refusal.Conflict, "wrong-state", $"{link.Name} is {link.State}.");
        if (await ConnectionStore.QuietAsync(db, state.Id, link.Id, stop) is { } quiet)
        {
            // Work of others waits behind this: whoever wants to be left alone for long is asked later.
            if (quiet > AskSystem.LongestQuiet)
                return Outcome<object>.No(Refusal.Conflict, [AskSystem.LeftAlone(link, quiet)]);
            await Task.Delay(quiet, stop);
        }
        var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
        if (client is null)
            return Outcome<object>.No(Refusal.Invalid, [closed!]);
        using (client)
        {
            await using var lease = await FeedLease.WaitAsync(links.Desk, (state.Id, link.Id), stop);
            var asked = await new AskSystem(links, propose, lease, work.Actor.Name, db, state, link, client)
            {
                Report = (done, says) => work.ReportAsync(done, null, says),
                Tries = MostTries,
            }.RunAsync(true, stop);
            return asked.Result is { } fetched ? fetched : asked.Pass<object>();
        }
    }
}
