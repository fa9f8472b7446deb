using System.Globalization;
using System.Text;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.SetUps;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>A list that was fetched.</summary>
/// <param name="Rows">How many rows it has.</param>
public sealed record FetchedList(string Connection, string Control, int Rows);

/// <summary>What came of asking for lists.</summary>
/// <param name="Faults">What could not be had, with which system.</param>
public sealed record FetchedLists(DateOnly At, IReadOnlyList<FetchedList> Lists, IReadOnlyList<Fault> Faults);

/// <summary>Fetches the subledger lists of connected systems, for tie-outs to hold the documents here against: each night
/// by itself for the day before, and when asked for any day.</summary>
public sealed class FetchTheirLists(LinkDesk links, KeepTieOuts keep)
{
    private static readonly IReadOnlyList<Control> Controls =
    [
        .. Enum.GetValues<Control>().Where(c => c != Control.None && Subledgers.KeysOf(c).Count > 0),
    ];

    /// <summary>Asks every connection that is joined for its lists of a day.</summary>
    /// <param name="control">Of one control; null: of all.</param>
    public async Task<Outcome<FetchedLists>> RunAsync(
        Actor actor,
        string entity,
        DateOnly at,
        Control? control,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Preparer, false, stop);
        if (entered.Result is not { } visit)
            return entered.Pass<FetchedLists>();
        var lists = new List<FetchedList>();
        var faults = new List<Fault>();
        foreach (
            var link in (await ConnectionStore.ListAsync(db, visit.State.Id, stop)).Where(c =>
                c.State is "joining" or "live" && c.IsAsked && !c.Of.TakesEntries
            )
        )
        {
            var (client, closed) = await links.OpenAsync(db, visit.State.Id, link, stop);
            if (client is null)
            {
                faults.Add(closed! with { Message = $"{link.Name}: {closed.Message}" });
                continue;
            }
            using (client)
                await OneAsync(db, visit, link, client, at, control, lists, faults, stop);
        }
        if (lists.Count == 0 && faults.Count > 0)
            return Outcome<FetchedLists>.No(Refusal.Invalid, faults);
        return lists.Count == 0
            ? Outcome<FetchedLists>.No(
                Refusal.Conflict,
                "nothing-there",
                $"No connected system has a list of {at.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture)}."
            )
            : new FetchedLists(at, lists, faults);
    }

    /// <summary>Asks one for the lists that it offers.</summary>
    internal async Task OneAsync(
        NpgsqlConnection db,
        Visit visit,
        Connection link,
        LinkClient client,
        DateOnly at,
        Control? control,
        List<FetchedList> lists,
        List<Fault> faults,
        CancellationToken stop
    )
    {
        var about = await client.GetAsync("about", stop);
        if (about.Fault is { } silent)
        {
            faults.Add(silent with { Message = $"{link.Name}: {silent.Message}" });
            return;
        }
        var offered = AskSystem.Many(about.Json!.Value, "lists");
        var set = await new ViewSetUp(links.Desk).OfAsync(visit.State, "main", null, stop);
        if (set.Result is not { SetUp.SetUp: var setUp })
            return;
        foreach (var of in Controls.Where(c => offered.Contains(Words.Of(c)) && (control is null || c == control)))
        {
            var word = Words.Of(of);
            var (rows, fault) = await TheirLists.AskAsync(client, word, at, links.Settings.Pause, stop);
            if (rows is null)
            {
                faults.Add(fault! with { Message = $"{link.Name}, {word}: {fault.Message}" });
                continue;
            }
            // What is not paired stands there under its own code: it is in their list, and not here.
            var ours = TheirLists.Translated(
                rows,
                link,
                setUp,
                new HashSet<(string Record, string Theirs)>(),
                all: true
            );
            var body = Encoding.UTF8.GetBytes(new JsonArray([.. ours.Select(Listed)]).ToJsonString());
            var kept = await keep.ListAsync(visit, of, at, link.Code, body, true, stop);
            if (kept.Result is { } list)
                lists.Add(new FetchedList(link.Code, word, list.Rows));
            else
                faults.AddRange(
                    kept.Faults.Take(5).Select(f => f with { Message = $"{link.Name}, {word}: {f.Message}" })
                );
        }
    }

    // The columns that a list can have; what else a system says of a row is of no use here.
    private static JsonObject Listed(JsonObject row)
    {
        var listed = new JsonObject();
        foreach (var column in Formats.Lists.TheirListReader.Columns)
            if (row[column] is { } value)
                listed[column] = value.DeepClone();
        return listed;
    }
}
