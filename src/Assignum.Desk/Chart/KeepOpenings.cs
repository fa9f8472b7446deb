using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core.Tables;
using Assignum.Core.Work;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Storage;

namespace Assignum.Desk.Chart;

/// <summary>The balances that came with a chart, until an opening is made of them.</summary>
public sealed class KeepOpenings(DeskContext desk, Workbench bench)
{
    /// <summary>What is kept.</summary>
    public async Task<IReadOnlyList<OpeningRow>> ListAsync(Visit visit, CancellationToken stop)
    {
        var state = visit.State;
        await using var db = await desk.Database.OpenAsync(stop);
        return await OpeningStore.ListAsync(db, state.Id, stop);
    }

    /// <summary>Puts an opening of what is kept into the life cycle of whoever asks, as a document like any other:
    /// nothing is posted.</summary>
    /// <param name="day">The day it is of.</param>
    public async Task<Outcome<WorkbenchRow>> RehearseAsync(
        Actor actor,
        string entity,
        DateOnly day,
        CancellationToken stop
    )
    {
        IReadOnlyList<OpeningRow> rows;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
            if (entered.Result is not { State: var state } visit)
                return entered.Pass<WorkbenchRow>();
            rows = await OpeningStore.ListAsync(db, state.Id, stop);
        }
        if (rows.Count == 0)
            return Outcome<WorkbenchRow>.No(
                Refusal.Conflict,
                "no-openings",
                "No balances are kept: bring in a chart with a column of balances."
            );
        var lines = new JsonArray();
        foreach (var row in rows)
            lines.Add(
                new JsonObject
                {
                    ["account"] = row.Account,
                    [row.Amount >= 0 ? "debit" : "credit"] = Math.Abs(row.Amount),
                }
            );
        var text = new JsonObject
        {
            ["source"] = "own",
            ["id"] = $"opening-{day:yyyyMMdd}",
            ["kind"] = "opening",
            ["date"] = day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            ["reference"] = "opening",
            ["text"] = $"Balances of {rows[0].File}",
            ["lines"] = lines,
        }.ToJsonString();
        return await bench.ChangeAsync(actor, entity, null, now => [.. now.Documents, text], stop);
    }

    /// <summary>Forgets what is kept.</summary>
    public Task<Outcome<int>> ForgetAsync(Actor actor, string entity, CancellationToken stop) =>
        desk.HoldAsync(actor, entity, Role.Preparer, _ => [], held => ForgotAsync(held, stop), stop);

    private static async Task<Outcome<int>> ForgotAsync(Held held, CancellationToken stop)
    {
        var (db, state, actor) = (held.Db, held.State, held.Actor);
        var rows = await OpeningStore.ListAsync(db, state.Id, stop);
        await OpeningStore.ForgetAsync(db, state.Id, null, stop);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "opening amounts forgotten",
            state.Code,
            rows.Select(r => new { r.Account, r.Amount }),
            null,
            stop
        );
        return rows.Count;
    }
}
