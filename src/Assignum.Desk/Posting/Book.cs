using Assignum.Core.Editions;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Posting;

/// <summary>An entity's next numbers while a batch is made, and where they began.</summary>
internal sealed class Book
{
    private readonly (long Event, long Entry) first;
    private readonly Dictionary<int, int> firstOfYears;
    private readonly Dictionary<int, int> years;
    private readonly HashSet<int> touched = [];
    private long nextEvent;
    private long nextEntry;

    private Book(EntityState state, (long Event, long Entry) next, Dictionary<int, int> years)
    {
        (State, first, firstOfYears, this.years) = (state, next, years, new(years));
        (nextEvent, nextEntry) = next;
    }

    public EntityState State { get; }

    /// <summary>The id of the first event that it gives.</summary>
    public long FirstEvent => first.Event;

    /// <summary>Reads the numbers; <paramref name="hold"/>: and takes the right to post until the transaction
    /// ends.</summary>
    public static async Task<Book> OpenAsync(
        NpgsqlConnection db,
        EntityState state,
        bool hold,
        CancellationToken stop
    ) =>
        new(
            state,
            await PostingNumbers.NextAsync(db, state.Id, stop, hold),
            await PostingNumbers.YearsAsync(db, state.Id, stop)
        );

    /// <summary>The book of whoever goes on where this one ends.</summary>
    public Book After() => new(State, (nextEvent, nextEntry), years);

    /// <summary>Whether another begins where this one began.</summary>
    public bool BeganAs(Book other) =>
        State.Id == other.State.Id
        && first == other.first
        && firstOfYears.Count == other.firstOfYears.Count
        && firstOfYears.All(y => other.firstOfYears.TryGetValue(y.Key, out var next) && next == y.Value);

    public long NextEvent() => nextEvent++;

    public long NextEntry() => nextEntry++;

    /// <summary>The next number of the fiscal year of a day.</summary>
    public (int Year, int Sequence) NextNumber(DateOnly date)
    {
        var year = State.Calendar.YearOf(date);
        var next = years.GetValueOrDefault(year, 1);
        years[year] = next + 1;
        touched.Add(year);
        return (year, next);
    }

    /// <summary>Stores where it ended.</summary>
    public Task CloseAsync(NpgsqlConnection db, CancellationToken stop) =>
        PostingNumbers.AdvanceAsync(
            db,
            State.Id,
            nextEvent,
            nextEntry,
            touched.ToDictionary(y => y, y => years[y]),
            stop
        );
}
