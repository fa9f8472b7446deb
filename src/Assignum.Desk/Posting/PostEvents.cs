using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

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
    /// <remarks>The set-ups are made before anything is held: whoever holds the postings of an entity waits for nobody.
    /// Where another edition is in force by then, it looks again.</remarks>
    public async Task<Outcome<IReadOnlyList<PostedEvent>>> RunAsync(
        Actor actor,
        string entity,
        IReadOnlyList<ReadEvent> events,
        int firstRow,
        CancellationToken stop
    )
    {
        var sound = events.Where(e => e.Faults.Count == 0).Select(e => e.Event).ToList();
        for (var turn = 0; ; turn++)
        {
            var looked = await LookAsync(actor, entity, sound, stop);
            if (looked.Result is not { } before)
                return looked.Pass<IReadOnlyList<PostedEvent>>();
            await using var db = await desk.Database.OpenAsync(stop);
            await using var transaction = await db.BeginTransactionAsync(stop);
            var books = new Dictionary<string, Book>();
            // Always in the order of ids: two charges against each other do not wait for each other.
            foreach (
                var book in before.Others.States.Values.Append(before.State).DistinctBy(s => s.Id).OrderBy(s => s.Id)
            )
                books[book.Code] = await Book.OpenAsync(db, book, stop);
            // Publishing holds the same row, so what is in force is read after it is held.
            var state = (await EditionStore.StateAsync(db, entity, false, stop))!;
            var others = await before.Others.AgainAsync(desk, db, stop);
            if (
                (!SetUpsOf(state, sound).All(n => desk.Shelf.Has(state, n, null)) || others is null)
                && turn < MostTurns
            )
                continue;
            var run = new Run(
                desk,
                actor,
                state,
                books,
                await PostingDocuments.ForAsync(db, state.Id, sound, stop),
                others ?? before.Others,
                new JournalWriter(db, state.Id, actor.Name, desk.IdsOf, TraceJson.Text)
            );
            foreach (
                var kept in await JournalStore.KeptAsync(
                    db,
                    state.Id,
                    [.. sound.Select(e => e.Source)],
                    [.. sound.Select(e => e.Id)],
                    stop
                )
            )
                run.Kept[(kept.Source, kept.ExternalId)] = kept;

            var answers = new List<PostedEvent>(events.Count);
            foreach (var read in events)
                answers.Add(await run.PostAsync(read, firstRow + answers.Count, stop));
            if (answers.Any(a => a.Outcome is "posted" or "nothing"))
            {
                await run.Writer.WriteAsync(stop);
                foreach (var book in books.Values)
                    await book.CloseAsync(db, stop);
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    "events posted",
                    Subject(answers),
                    null,
                    new
                    {
                        posted = answers.Count(a => a.Outcome == "posted"),
                        nothing = answers.Count(a => a.Outcome == "nothing"),
                        refused = answers.Count(a => a.Outcome == "refused"),
                    },
                    stop
                );
                await transaction.CommitAsync(stop);
                run.Writer.Committed();
            }
            return answers;
        }
    }

    private sealed record Looked(EntityState State, OtherEntities Others);

    private const int MostTurns = 50;

    // Enters, and makes what the events need while nothing is held.
    private async Task<Outcome<Looked>> LookAsync(
        Actor actor,
        string entity,
        IReadOnlyList<BusinessEvent> sound,
        CancellationToken stop
    )
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
        foreach (var number in SetUpsOf(state, sound))
            await desk.Shelf.GetAsync(desk.Database, state, number, null, stop);
        await others.LoadAsync(desk, stop);
        return new Looked(state, others);
    }

    private static IEnumerable<int> SetUpsOf(EntityState state, IEnumerable<BusinessEvent> events) =>
        events.Select(e => e.Date).Distinct().Select(d => state.InForce(d)?.Number).OfType<int>().Distinct();

    private static string Subject(List<PostedEvent> answers)
    {
        var numbers = answers.Where(a => a is { Outcome: "posted" }).Select(a => a.Number).ToList();
        return numbers.Count switch
        {
            0 => "no entry",
            1 => numbers[0]!,
            _ => $"{numbers[0]} to {numbers[^1]}",
        };
    }

    /// <summary>An entity's numbers while a batch holds them.</summary>
    private sealed class Book(EntityState state, long nextEvent, long nextEntry, Dictionary<int, int> years)
    {
        private readonly HashSet<int> touched = [];

        public EntityState State => state;

        public static async Task<Book> OpenAsync(Npgsql.NpgsqlConnection db, EntityState state, CancellationToken stop)
        {
            var (nextEvent, nextEntry) = await JournalStore.HoldAsync(db, state.Id, stop);
            return new Book(state, nextEvent, nextEntry, await JournalStore.YearsAsync(db, state.Id, stop));
        }

        public long NextEvent() => nextEvent++;

        public long NextEntry() => nextEntry++;

        /// <summary>The next number of the fiscal year of a day.</summary>
        public (int Year, int Sequence) NextNumber(DateOnly date)
        {
            var year = state.Calendar.YearOf(date);
            var next = years.GetValueOrDefault(year, 1);
            years[year] = next + 1;
            touched.Add(year);
            return (year, next);
        }

        public Task CloseAsync(Npgsql.NpgsqlConnection db, CancellationToken stop) =>
            JournalStore.AdvanceAsync(
                db,
                state.Id,
                nextEvent,
                nextEntry,
                touched.ToDictionary(y => y, y => years[y]),
                stop
            );
    }

    /// <summary>One batch on its way.</summary>
    private sealed class Run(
        DeskContext desk,
        Actor actor,
        EntityState state,
        Dictionary<string, Book> books,
        DocumentRegister documents,
        OtherEntities others,
        JournalWriter writer
    ) : IEntrySink
    {
        private readonly EventRun run = new(others.On, documents);
        private readonly ViewSetUp view = new(desk);
        private readonly Dictionary<DateOnly, Outcome<SetUpView>> views = [];

        public Dictionary<(string, string), KeptEvent> Kept { get; } = [];
        public JournalWriter Writer => writer;

        public async Task<PostedEvent> PostAsync(ReadEvent read, int row, CancellationToken stop)
        {
            var e = read.Event;
            var name = new EventName(e.Source, e.Id);
            PostedEvent Answer(string outcome, string? number = null, IReadOnlyList<Fault>? errors = null) =>
                new(name, row, outcome, number, errors ?? []);
            if (read.Faults.Count > 0)
                return Answer("refused", null, read.Faults);
            if (Kept.TryGetValue((e.Source, e.Id), out var kept))
                return kept.Body == read.Canonical
                    ? Answer("duplicate", kept.Number)
                    : Answer(
                        "conflict",
                        kept.Number,
                        [
                            new Fault(
                                "conflict",
                                $"An event {e.Source}/{e.Id} with other content was posted before; send the change "
                                    + "as a new event.",
                                "id"
                            ),
                        ]
                    );
            if (!views.TryGetValue(e.Date, out var set))
                views[e.Date] = set = await view.OfAsync(
                    state,
                    null,
                    e.Date == default ? DateOnly.MinValue : e.Date,
                    stop
                );
            if (set.Result is not { } setUp)
                return Answer(
                    "refused",
                    null,
                    e.Date == default
                        ? [new Fault("bad-date", "The date is missing or wrong: send it as YYYY-MM-DD.", "date")]
                        : set.Faults
                );
            if (
                e.Counterparty is { } other
                && EventKinds.Find(e.Kind) is { ChargesAnother: true }
                && !actor.May(Role.Preparer, other)
            )
                return Answer(
                    "refused",
                    null,
                    [
                        new Fault(
                            "role-needed",
                            $"A charge posts in {other} too, and needs the role preparer there.",
                            "counterparty"
                        ),
                    ]
                );

            (posting, edition, errors, number) = (read, setUp.Edition!.Value, [], null);
            var result = run.Step(e, setUp.SetUp, this);
            if (errors.Count > 0)
                return Answer("refused", null, errors);
            var outcome = result.Entry is null ? "nothing" : "posted";
            Kept[(e.Source, e.Id)] = new KeptEvent(e.Source, e.Id, read.Canonical, outcome, number);
            return Answer(outcome, number);
        }

        // What the event on its way is, and what came of it.
        private ReadEvent posting = null!;
        private int edition;
        private IReadOnlyList<Fault> errors = [];
        private string? number;

        /// <summary>Writes what can be posted.</summary>
        public bool Take(BusinessEvent source, EntryResult result)
        {
            errors = PostingRules.Errors(source, result);
            if (errors.Count > 0)
                return false;
            number = Write(posting, edition, result);
            return result.Entry is not null;
        }

        private string? Write(ReadEvent read, int of, EntryResult result)
        {
            var e = read.Event;
            var book = books[state.Code];
            var eventId = book.NextEvent();
            writer.Add(
                new EventRow(
                    eventId,
                    e.Source,
                    e.Id,
                    e.Kind,
                    e.Date,
                    read.Canonical,
                    result.Entry is null ? "nothing" : "posted",
                    of
                ),
                result.Moves,
                [.. EventFields.AccountsOf(e).Select(a => (a, views[e.Date].Result!.SetUp.NumberOf(a)))]
            );
            if (result.Entry is not { } entry)
                return null;
            var number = Write(book, eventId, "entry", e, of, entry);
            if (entry.Reversal is { } reversal)
                Write(book, eventId, "reversal", e, of, reversal);
            if (entry.Mirror is { } mirror)
                Write(
                    books[mirror.Entity],
                    eventId,
                    "mirror",
                    e,
                    others.States[mirror.Entity].InForce(e.Date)!.Number!.Value,
                    mirror.Entry
                );
            return number;
        }

        private string Write(Book book, long eventId, string role, BusinessEvent e, int edition, JournalEntry entry)
        {
            var (year, sequence) = book.NextNumber(entry.Date);
            var number = EntryNumber.Of(year, sequence);
            var remarks =
                entry.Remarks.Count == 0
                    ? null
                    : System.Text.Json.JsonSerializer.Serialize(
                        entry.Remarks.Select(EntryDocument.RemarkOf),
                        TraceJson.Settings
                    );
            writer.Add(
                new EntryToPost(
                    book.State.Id,
                    book.NextEntry(),
                    number,
                    year,
                    sequence,
                    state.Id,
                    eventId,
                    role,
                    e.Kind,
                    edition,
                    e.Party,
                    entry,
                    remarks
                )
            );
            return number;
        }
    }
}
