using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>A batch of events on its way into the journal: what it is made by, what it becomes, and the rows to be
/// written.</summary>
/// <remarks>It is made of what is known at a moment, and fits only if nothing was posted or changed between that and
/// its writing; see <see cref="Fits"/>.</remarks>
internal sealed class PostingBatch(
    DeskContext desk,
    Actor actor,
    EntityState state,
    IReadOnlyDictionary<string, Book> books,
    PostingDocuments documents,
    OtherEntities others,
    IReadOnlyList<ReadEvent> events,
    IPostsInOrder? order = null
) : IEntrySink, IDisposable
{
    private readonly EventRun run = new(others.On, documents.Register, desk.Unforeseen);
    private readonly ViewSetUp view = new(desk);
    private readonly Dictionary<DateOnly, Outcome<SetUpView>> views = [];
    private readonly Dictionary<(string, string), KeptEvent> kept = [];
    private readonly JournalWriter writer = new(state.Id, actor.Name, desk.IdsOf, TraceJson.Text);
    private bool rowsMade;

    public EntityState State => state;
    public IReadOnlyDictionary<string, Book> Books => books;
    public PostingDocuments Documents => documents;
    public IReadOnlyList<ReadEvent> Events => events;

    /// <summary>The answers, once it is made.</summary>
    public IReadOnlyList<PostedEvent> Answers { get; private set; } = [];

    /// <summary>Whether there is anything to be written.</summary>
    public bool Posts => Answers.Any(a => a.Outcome is "posted" or "nothing");

    /// <summary>Events that can be read, whatever becomes of them.</summary>
    public static IReadOnlyList<BusinessEvent> Sound(IEnumerable<ReadEvent> events) =>
        [.. events.Where(e => e.Faults.Count == 0).Select(e => e.Event)];

    /// <summary>The editions that events are made by.</summary>
    public static IEnumerable<int> SetUpsOf(EntityState state, IEnumerable<BusinessEvent> events) =>
        events.Select(e => e.Date).Distinct().Select(d => state.InForce(d)?.Number).OfType<int>().Distinct();

    /// <summary>Whether what it was made by is what holds now.</summary>
    public bool Fits(EntityState now, OtherEntities othersNow, IReadOnlyDictionary<string, Book> booksNow) =>
        state.SameAs(now)
        && others.States.Count == othersNow.States.Count
        && others.States.All(o => othersNow.States.TryGetValue(o.Key, out var other) && o.Value.SameAs(other))
        && books.Count == booksNow.Count
        && books.All(b => booksNow.TryGetValue(b.Key, out var other) && b.Value.BeganAs(other));

    // Codes of connections, whose events nobody but their feed posts.
    private IReadOnlySet<string> joined = new HashSet<string>();

    /// <summary>Reads what was posted before of what these events name.</summary>
    /// <param name="before">Batches that may not be written yet, in their order.</param>
    public async Task ReadAsync(NpgsqlConnection db, IReadOnlyList<PostingBatch> before, CancellationToken stop)
    {
        var sound = Sound(events);
        joined = await ConnectionStore.CodesAsync(db, state.Id, stop);
        await documents.ReadAsync(db, state.Id, sound, stop);
        foreach (
            var there in await JournalStore.KeptAsync(
                db,
                state.Id,
                [.. sound.Select(e => e.Source)],
                [.. sound.Select(e => e.Id)],
                stop
            )
        )
            kept[(there.Source, there.ExternalId)] = there;
        foreach (var batch in before)
        foreach (var e in sound)
            if (batch.kept.TryGetValue((e.Source, e.Id), out var there))
                kept[(e.Source, e.Id)] = there;
    }

    /// <summary>Makes the entries. It asks no connection: the set-ups are on the shelf.</summary>
    public async Task MakeAsync(int firstRow, CancellationToken stop)
    {
        var answers = new List<PostedEvent>(events.Count);
        order?.Begin();
        foreach (var read in events)
        {
            var answer = order?.Before(read.Event) is { } behind
                ? new PostedEvent(
                    new EventName(read.Event.Source, read.Event.Id),
                    firstRow + answers.Count,
                    "refused",
                    null,
                    [behind]
                )
                : await PostAsync(read, firstRow + answers.Count, stop);
            if (answer.Outcome is "refused" or "conflict")
                order?.Refused(read.Event);
            answers.Add(answer);
        }
        Answers = answers;
    }

    /// <summary>Makes the rows to be written, once. It asks for the accounts that are not known yet.</summary>
    public async Task MakeRowsAsync(NpgsqlConnection db, AccountIds accounts, CancellationToken stop)
    {
        if (rowsMade)
            return;
        await accounts.ReadAsync(db, writer.Accounts, stop);
        writer.Make(accounts.Of);
        rowsMade = true;
    }

    /// <summary>Writes what need not wait until the books are held; see <see
    /// cref="JournalWriter.WriteDetailsAsync"/>.</summary>
    public Task WriteDetailsAsync(NpgsqlConnection db, CancellationToken stop) => writer.WriteDetailsAsync(db, stop);

    /// <summary>Writes what is not written yet, in the transaction that holds the books.</summary>
    public async Task WriteAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await writer.WriteAsync(db, stop);
        foreach (var book in books.Values)
            await book.CloseAsync(db, stop);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "events posted",
            Subject(Answers),
            null,
            new
            {
                posted = Answers.Count(a => a.Outcome == "posted"),
                nothing = Answers.Count(a => a.Outcome == "nothing"),
                refused = Answers.Count(a => a.Outcome == "refused"),
            },
            stop
        );
    }

    /// <summary>To be called after the commit.</summary>
    public void Committed()
    {
        writer.Committed();
        foreach (var (outcome, count) in Answers.CountBy(a => a.Outcome))
            DeskFigures.Events(outcome, count);
    }

    /// <inheritdoc/>
    public void Dispose() => writer.Dispose();

    private static string Subject(IReadOnlyList<PostedEvent> answers)
    {
        var numbers = answers.Where(a => a is { Outcome: "posted" }).Select(a => a.Number).ToList();
        return numbers.Count switch
        {
            0 => "no entry",
            1 => numbers[0]!,
            _ => $"{numbers[0]} to {numbers[^1]}",
        };
    }

    private async Task<PostedEvent> PostAsync(ReadEvent read, int row, CancellationToken stop)
    {
        var e = read.Event;
        var name = new EventName(e.Source, e.Id);
        PostedEvent Answer(string outcome, string? number = null, IReadOnlyList<Fault>? errors = null) =>
            new(name, row, outcome, number, errors ?? []);
        if (read.Faults.Count > 0)
            return Answer("refused", null, read.Faults);
        if (actor.Sources is { } sources && !sources.Contains(e.Source))
            return Answer(
                "refused",
                null,
                [
                    new Fault(
                        "role-needed",
                        $"This key sends events of {string.Join(", ", sources)} only, not of {e.Source}.",
                        "source"
                    ),
                ]
            );
        if (joined.Contains(e.Source) && actor.Feeds != e.Source)
            return Answer(
                "refused",
                null,
                [
                    new Fault(
                        "source-joined",
                        $"{e.Source} is a connection: its events are fetched from it, and nobody else posts under its name.",
                        "source"
                    ),
                ]
            );
        if (kept.TryGetValue((e.Source, e.Id), out var there))
            return there.Body == read.Canonical
                ? Answer("duplicate", there.Number)
                : Answer(
                    "conflict",
                    there.Number,
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
            views[e.Date] = set = await view.OfAsync(state, null, e.Date == default ? DateOnly.MinValue : e.Date, stop);
        if (set.Result is not { } setUp)
            return Answer(
                "refused",
                null,
                e.Date == default
                    ? [new Fault("bad-date", "The date is missing or wrong: write it as YYYY-MM-DD.", "date")]
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

        if (EventKinds.Find(e.Kind) is { MadeHere: true } && !actor.May(Role.Reviewer, state.Code))
            return Answer("refused", null, [new Fault("role-needed", $"{e.Kind} is posted by a reviewer.", "kind")]);
        (posting, edition, errors, number) = (read, setUp.Edition!.Value, [], null);
        var result = run.Step(e, setUp.SetUp, this);
        if (errors.Count > 0)
            return Answer("refused", null, errors);
        var outcome = result.Entry is null ? "nothing" : "posted";
        kept[(e.Source, e.Id)] = new KeptEvent(e.Source, e.Id, read.Canonical, outcome, number);
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
        if (errors.Count == 0 && order?.Checked(source, result) is { } wrong)
            errors = [wrong];
        if (errors.Count > 0)
            return false;
        number = Write(posting, edition, result);
        return true;
    }

    private string? Write(ReadEvent read, int of, EntryResult result)
    {
        var e = read.Event;
        var book = books[state.Code];
        var eventId = book.NextEvent();
        var own = EventLinks.Own(e);
        writer.Add(
            new EventRow(
                eventId,
                e.Source,
                e.Id,
                e.Kind,
                e.Date,
                read.Canonical,
                result.Entry is null ? "nothing" : "posted",
                of,
                result.Entry?.CountsAs ?? documents.Register.Posted(e.Reverses ?? "")?.Kind ?? e.Kind,
                own,
                e.Reverses
            ),
            [.. EventFields.AccountsOf(e).Select(a => (a, views[e.Date].Result!.SetUp.NumberOf(a)))],
            EntryEffects.Of(result.Quiet, e.Currency ?? views[e.Date].Result!.SetUp.Entity.Currency, own.Name),
            EventLinks.Of(e, result),
            Core.Books.GoodsLines.Of(e, result)
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
