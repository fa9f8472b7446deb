using System.Globalization;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Formats.Lists;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>A row of what a ledger's people say became of a file.</summary>
/// <param name="Id">Under which it is there; null: it was refused.</param>
/// <param name="Why">Why it was refused.</param>
public sealed record ConfirmedJournal(string Key, string? Id, string? Why);

/// <summary>What a confirmation came to.</summary>
/// <param name="Open">Journals of the file of which nothing was said yet.</param>
public sealed record RunConfirmed(int Sent, int Refused, int Open);

/// <summary>Sends entries on to a ledger by files: a numbered file a run, the same bytes however often it is fetched, and a
/// confirmation of what became of each journal. Until that comes they are in doubt and in no other file.</summary>
public sealed class WriteRuns(LinkDesk links)
{
    /// <summary>Why a journal waits that is in a file.</summary>
    public const string InFile = "in-file";

    private const int Most = 20_000,
        Page = 2_000;

    /// <summary>The files, the newest first.</summary>
    public Task<Outcome<IReadOnlyList<JournalRun>>> ListAsync(
        Actor actor,
        string entity,
        string code,
        CancellationToken stop
    ) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at => new Outcome<IReadOnlyList<JournalRun>>(
                await LinkRunStore.ListAsync(at.Db, at.At, 100, stop),
                null,
                []
            ),
            stop
        );

    /// <summary>Makes the next file of all that was posted and is in none.</summary>
    public Task<Outcome<JournalRun>> MakeAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.ActAsync<JournalRun>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                if (at.Link is not { Of.TakesEntries: true, SendsBy: "file" })
                    return Outcome<JournalRun>.No(
                        Refusal.Conflict,
                        "no-files",
                        $"Nothing goes on to {at.Link.Name} by files."
                    );
                if (at.Link.State != "live")
                    return Outcome<JournalRun>.No(
                        Refusal.Conflict,
                        "wrong-state",
                        $"{at.Link.Name} is {at.Link.State}: files are made once it is live."
                    );
                var life = (await InstallationStore.IdAsync(at.Db, stop))?.ToString("n")
                    ?? throw new InvalidOperationException("It is not said which installation this is.");
                await JournalBodies.TakeAsync(at.Db, at.State, at.Link, life, what => what(), stop);
                await LinkRunStore.WakeAsync(at.Db, at.At, stop);
                var setUp = (await new ViewSetUp(links.Desk).OfAsync(at.State, "main", null, stop)).Result!.SetUp.SetUp;
                var bodies = new JournalBodies(at.State, at.Link, setUp);
                var held = await JournalBodies.HeldAsync(at.Db, at.At, stop);
                var number = await LinkRunStore.NextAsync(at.Db, at.At, stop);
                var (count, amount) = (0, 0m);
                while (
                    count < Most && await LinkJournalStore.NextAsync(at.Db, at.At, Page, stop) is { Count: > 0 } rows
                )
                {
                    var (heads, lines) = await LinkJournalStore.LinesAsync(
                        at.Db,
                        at.At,
                        [.. rows.Select(r => r.Id)],
                        stop
                    );
                    var marks = new List<JournalMark>();
                    var fresh = new List<(long Id, string Body, byte[] Content)>();
                    foreach (var row in rows)
                    {
                        var names = JournalBodies.Names(heads[row.Id], lines[row.Id]);
                        if (held.Holder(names) is { } by && by < row.Id)
                        {
                            marks.Add(JournalBodies.Behind(row.Id, by));
                            held.Add(names, row.Id);
                            continue;
                        }
                        if (row.Body is null)
                        {
                            var (body, wrong) = bodies.Of(row, [.. heads[row.Id]], [.. lines[row.Id]]);
                            if (body is null)
                            {
                                marks.Add(JournalBodies.Unpaired(row.Id, wrong));
                                held.Add(names, row.Id);
                                continue;
                            }
                            fresh.Add((row.Id, body, JournalJson.Content(body)));
                        }
                        marks.Add(
                            new JournalMark(
                                row.Id,
                                "waiting",
                                InFile,
                                number.ToString(CultureInfo.InvariantCulture),
                                FeedJson.Reason(
                                    InFile,
                                    $"It is in file {number}: what became of it was not confirmed yet."
                                ),
                                null,
                                null
                            )
                        );
                        (count, amount) = (count + 1, amount + row.Amount);
                    }
                    await LinkJournalStore.FreezeAsync(at.Db, at.At, fresh, stop);
                    await LinkJournalStore.MarkAsync(at.Db, at.At, marks, stop);
                    var gone = marks.Where(m => m.Reason == InFile).Select(m => m.Id).ToList();
                    await LinkJournalStore.TryAsync(at.Db, at.At, gone, stop);
                    await LinkRunStore.PutAsync(at.Db, at.At, number, gone, stop);
                }
                if (count == 0)
                    return Outcome<JournalRun>.No(
                        Refusal.Conflict,
                        "nothing-new",
                        "Nothing can go on that is not in a file already."
                    );
                var made = await LinkRunStore.AddAsync(at.Db, at.At, number, count, amount, actor.Name, stop);
                await at.AuditAsync(
                    "file of journals made",
                    null,
                    new
                    {
                        number,
                        journals = count,
                        amount,
                    },
                    stop
                );
                return made;
            },
            stop
        );

    private static readonly string[] Header =
    [
        "key",
        "date",
        "number",
        "reference",
        "text",
        "currency",
        "rate",
        "account",
        "debit",
        "credit",
        "currencyDebit",
        "currencyCredit",
        "party",
        "document",
        "due",
        "lineText",
        "taxCode",
    ];

    /// <summary>A file: as JSON an array of journals, as CSV a row a line with its journal's head before it.</summary>
    public Task<Outcome<byte[]>> FileAsync(
        Actor actor,
        string entity,
        string code,
        int number,
        bool json,
        CancellationToken stop
    ) =>
        links.LookAsync<byte[]>(
            actor,
            entity,
            code,
            async at =>
            {
                var journals = await LinkRunStore.BodiesAsync(at.Db, at.At, number, stop);
                if (journals.Count == 0)
                    return None<byte[]>(number);
                using var to = new MemoryStream();
                if (json)
                {
                    to.Write(Encoding.UTF8.GetBytes("[" + string.Join(",\n", journals.Select(j => j.Body)) + "]\n"));
                    return to.ToArray();
                }
                ListWriter.Csv(Header, journals.SelectMany(j => Rows(j.Body)), to);
                return to.ToArray();
            },
            stop
        );

    private static IEnumerable<object?[]> Rows(string body)
    {
        var journal = JsonNode.Parse(body)!;
        object? Of(JsonNode? node) =>
            node is not JsonValue value ? null
            : value.GetValueKind() == JsonValueKind.Number ? value.GetValue<decimal>()
            : value.ToString();
        var head = Header.Take(7).Select(h => Of(journal[h])).ToArray();
        foreach (var line in journal["lines"]!.AsArray())
            yield return [.. head, .. Header.Skip(7).Select(h => Of(line![h == "lineText" ? "text" : h]))];
    }

    /// <summary>Takes what became of the journals of a file: those that are there with their ids, those that were refused
    /// with why. What is not in it stays in doubt.</summary>
    public Task<Outcome<RunConfirmed>> ConfirmAsync(
        Actor actor,
        string entity,
        string code,
        int number,
        byte[] body,
        bool json,
        CancellationToken stop
    ) =>
        links.ActAsync<RunConfirmed>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                var faults = new List<Fault>();
                var rows = ConfirmationReader.Read(body, json, faults);
                var journals = await LinkRunStore.BodiesAsync(at.Db, at.At, number, stop);
                if (journals.Count == 0)
                    return None<RunConfirmed>(number);
                var byKey = journals.ToDictionary(j => j.Key, StringComparer.Ordinal);
                var said = new HashSet<string>(StringComparer.Ordinal);
                for (var i = 0; i < rows.Count && faults.Count < 50; i++)
                {
                    var row = rows[i];
                    if (!byKey.TryGetValue(row.Key, out var there))
                        faults.Add(
                            new Fault(
                                "unknown-key",
                                $"Row {i + 1}: file {number} has no journal '{PostFeed.Short(row.Key)}'.",
                                $"rows[{i}].key"
                            )
                        );
                    else if (!said.Add(row.Key))
                        faults.Add(new Fault("twice", $"Row {i + 1}: {row.Key} is there twice.", $"rows[{i}].key"));
                    else if ((row.Id is null) == (row.Why is null))
                        faults.Add(
                            new Fault(
                                "missing-field",
                                $"Row {i + 1}: give the id under which it is there, or why it was refused.",
                                $"rows[{i}]"
                            )
                        );
                    else if (there.State == "sent" && row.Id != there.TheirId)
                        faults.Add(
                            new Fault(
                                "confirmed-before",
                                $"Row {i + 1}: {row.Key} was confirmed before as {there.TheirId}.",
                                $"rows[{i}].id"
                            )
                        );
                }
                if (rows.Count == 0 && faults.Count == 0)
                    faults.Add(new Fault("empty", "The confirmation says nothing of any journal."));
                if (faults.Count > 0)
                    return Outcome<RunConfirmed>.No(Refusal.Invalid, faults);
                var open = rows.Where(r => byKey[r.Key].State is "waiting" or "elsewhere").ToList();
                await LinkJournalStore.MarkAsync(
                    at.Db,
                    at.At,
                    [
                        .. open.Select(r =>
                            r.Id is { } id
                                ? new JournalMark(byKey[r.Key].Id, "sent", null, null, "[]", id, null)
                                : new JournalMark(
                                    byKey[r.Key].Id,
                                    "dead",
                                    "refused-there",
                                    PostFeed.Short(r.Why!),
                                    FeedJson.Reason("refused-there", r.Why!),
                                    null,
                                    null
                                )
                        ),
                    ],
                    stop
                );
                var left = journals.Count(j => j.State == "waiting" && !said.Contains(j.Key));
                if (left == 0)
                    await LinkRunStore.ConfirmedAsync(at.Db, at.At, number, actor.Name, stop);
                var done = new RunConfirmed(open.Count(r => r.Id is not null), open.Count(r => r.Id is null), left);
                await at.AuditAsync("file of journals confirmed", new { number }, done, stop);
                return done;
            },
            stop
        );

    private static Outcome<T> None<T>(int number) =>
        Outcome<T>.No(Refusal.NotFound, "unknown-file", $"There is no file {number} here.");
}

/// <summary>Reads confirmations: CSV or JSON rows of key, and id or why.</summary>
internal static class ConfirmationReader
{
    private static readonly string[] Columns = ["key", "id", "why"];

    public static IReadOnlyList<ConfirmedJournal> Read(byte[] body, bool json, List<Fault> faults)
    {
        var rows = TheirListReader.Read(body, json, faults, Columns, false);
        var read = new List<ConfirmedJournal>();
        foreach (var row in rows)
        {
            var (id, why) = (row.Text("id"), row.Text("why"));
            if (id is { Length: > LinkJson.LongestId } || why is { Length: > 2_000 })
                faults.Add(new Fault("too-long", $"'{PostFeed.Short(id ?? why!)}' is too long."));
            read.Add(new ConfirmedJournal(row.Text("key") ?? "", id, why));
        }
        return read;
    }
}
