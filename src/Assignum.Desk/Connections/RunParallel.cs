using System.Collections.Concurrent;
using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Feeding;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Lists;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>A day that runs beside the old way.</summary>
/// <param name="Events">How many events it had.</param>
/// <param name="Waiting">How many of them cannot post as things stand.</param>
/// <param name="Why">Why, the most money first.</param>
/// <param name="Accounts">Every account that either side has.</param>
public sealed record ParallelDay(
    DateOnly Day,
    int Events,
    int Waiting,
    IReadOnlyList<(string Code, string Says, int Events, decimal Amount)> Why,
    IReadOnlyList<ParallelAccount> Accounts
)
{
    /// <summary>Accounts that differ.</summary>
    public int Differs => Accounts.Count(a => a.Difference != 0);

    /// <summary>All that differs, whatever its sign.</summary>
    public decimal Amount => Accounts.Sum(a => Math.Abs(a.Difference));
}

/// <summary>What a connection's events would post beside what was booked the old way.</summary>
/// <param name="Names">Of the accounts.</param>
/// <param name="Booked">Whether anything is known of the old way.</param>
public sealed record ParallelView(
    Connection Link,
    IReadOnlyList<ParallelDay> Days,
    IReadOnlyDictionary<string, string> Names,
    bool Booked
);

/// <summary>Runs connections beside the old way before they go live: their events are fed and rehearsed, nothing posts, and
/// day by day the result stands beside a list of what was booked, or beside a ledger's own journals.</summary>
public sealed class RunParallel(LinkDesk links)
{
    private readonly ConcurrentDictionary<int, (SemaphoreSlim One, ParallelBook? Book)> books = new();

    /// <summary>Begins to run it beside the old way from a day on, or ends that.</summary>
    /// <param name="from">The first day; null: it ends.</param>
    public Task<Outcome<Connection>> StartAsync(
        Actor actor,
        string entity,
        string code,
        DateOnly? from,
        CancellationToken stop
    ) =>
        links.ActAsync<Connection>(
            actor,
            entity,
            Role.Reviewer,
            code,
            async at =>
            {
                if (at.Link.State != "joining" && !(at.Link.Of.TakesEntries && at.Link.State == "live"))
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        "wrong-state",
                        at.Link.State == "live"
                            ? $"{at.Link.Name} is live: what it tells posts, and is not rehearsed any more."
                            : $"{at.Link.Name} is {at.Link.State}: only what is joining runs beside the old way."
                    );
                if (from is { } day && Math.Abs(day.DayNumber - at.State.Today.DayNumber) > FeedRules.FarthestDay)
                    return Outcome<Connection>.No(
                        Refusal.Invalid,
                        "far-date",
                        $"The first day is within {FeedRules.FarthestDay} days of today.",
                        "from"
                    );
                var next = at.Link with { ParallelFrom = from };
                if (!await ConnectionStore.ChangeAsync(at.Db, at.State.Id, next, null, stop))
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        "changed-meanwhile",
                        $"Somebody changed {at.Link.Name} meanwhile: nothing was overwritten. Look at it again."
                    );
                await at.AuditAsync(
                    from is null ? "parallel run ended" : "parallel run begun",
                    new { at.Link.ParallelFrom },
                    new { ParallelFrom = from },
                    stop
                );
                if (from is not null && at.Link.IsAsked)
                    await LeaseStore.AskNowAsync(at.Db, at.At, stop);
                return (await ConnectionStore.FindAsync(at.Db, at.State.Id, code, false, stop))!;
            },
            stop
        );

    private static readonly string[] Columns = ["date", "account", "document", "amount", "debit", "credit", "text"];

    /// <summary>Takes a list of what was booked the old way: rows of day, account (ours, or a joined ledger's), document and
    /// amount. The days that it has are replaced whole.</summary>
    /// <returns>How many rows, and of how many days.</returns>
    public Task<Outcome<(int Rows, int Days)>> BookedAsync(
        Actor actor,
        string entity,
        string code,
        byte[] body,
        bool json,
        CancellationToken stop
    ) =>
        links.ActAsync<(int Rows, int Days)>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                var faults = new List<Fault>();
                var rows = TheirListReader.Read(body, json, faults, Columns);
                var setUp = (await new ViewSetUp(links.Desk).OfAsync(at.State, "main", null, stop)).Result!.SetUp.SetUp;
                var ledgers = (await ConnectionStore.ListAsync(at.Db, at.State.Id, stop))
                    .Where(c => c.Of.TakesEntries && c.State != "closed")
                    .Select(c => Pairs.Of(setUp, c.Code, "account"))
                    .ToList();
                var ours = setUp.Accounts.Select(a => a.Number).ToHashSet(StringComparer.Ordinal);
                var booked = new List<BookedSum>();
                for (var i = 0; i < rows.Count && faults.Count < 50; i++)
                {
                    var row = rows[i];
                    if (row.Text("date") is not { } date || TheirListReader.Day(date) is not { } day)
                    {
                        if (row.Text("date") is null)
                            faults.Add(
                                new Fault("missing-field", $"Row {i + 1}, date: the day is missing.", $"rows[{i}].date")
                            );
                        continue;
                    }
                    var said = row.Text("account") ?? "";
                    var account = ours.Contains(said)
                        ? said
                        : ledgers.Select(l => l.OursOf(said)).FirstOrDefault(a => !string.IsNullOrEmpty(a));
                    if (account is null)
                        faults.Add(
                            new Fault(
                                "unknown-account",
                                $"Row {i + 1}, account: '{(said.Length > 40 ? said[..40] : said)}' is no account here, and none "
                                    + "that a joined ledger's is paired with.",
                                $"rows[{i}].account"
                            )
                        );
                    decimal Number(string column) =>
                        row.Text(column) is { } text ? TheirListReader.Number(text) ?? 0 : 0;
                    booked.Add(
                        new BookedSum(
                            day,
                            account ?? "",
                            row.Text("document") ?? "",
                            row.Text("amount") is null ? Number("debit") - Number("credit") : Number("amount")
                        )
                    );
                }
                if (rows.Count == 0 && faults.Count == 0)
                    faults.Add(new Fault("empty", "The list has no rows."));
                if (faults.Count > 0)
                    return Outcome<(int, int)>.No(Refusal.Invalid, faults);
                await ParallelStore.KeepAsync(at.Db, at.At, booked, stop);
                var days = booked.Select(b => b.Day).Distinct().Count();
                await at.AuditAsync(
                    "booked list taken",
                    null,
                    new
                    {
                        rows = booked.Count,
                        days,
                        amount = booked.Sum(b => Math.Abs(b.Amount)),
                    },
                    stop
                );
                return (booked.Count, days);
            },
            stop
        );

    /// <summary>Day by day what it would post beside what was booked.</summary>
    public async Task<Outcome<ParallelView>> ReadAsync(Actor actor, string entity, string code, CancellationToken stop)
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<ParallelView>();
        var all = await ConnectionStore.ListAsync(db, state.Id, stop);
        if (all.FirstOrDefault(c => c.Code == code) is not { } link)
            return Outcome<ParallelView>.No(
                Refusal.NotFound,
                "unknown-connection",
                $"There is no connection {code} here."
            );
        if (link.ParallelFrom is not { } from)
            return Outcome<ParallelView>.No(
                Refusal.Conflict,
                "not-parallel",
                $"{link.Name} does not run beside the old way: say from which day on it does."
            );
        var beside = all.Where(c => c is { State: "joining", ParallelFrom: not null } && !c.Of.TakesEntries).ToList();
        var set = (await new ViewSetUp(links.Desk).OfAsync(state, "main", null, stop)).Result!.SetUp.SetUp;
        // A ledger has what all of them were booked as.
        var of = (link.Of.TakesEntries ? beside : [.. beside.Where(c => c.Id == link.Id)])
            .Select(c => c.Id)
            .ToHashSet();
        var names = set.Accounts.ToDictionary(a => a.Number, a => a.Name, StringComparer.Ordinal);
        Func<BookedSum, BookedSum> told = s => s;
        IReadOnlyList<BookedSum> there;
        if (link.Of.TakesEntries)
        {
            var pairs = Pairs.Of(set, link.Code, "account");
            // Several of ours may be one there, never the other way round.
            told = s => pairs.OfOurs(s.Account) is { } pair ? s with { Account = pair.Theirs } : s;
            there = await ParallelStore.JournalsAsync(db, (state.Id, link.Id), from, stop);
            foreach (
                var (id, record) in await LinkRecordStore.FindAsync(
                    db,
                    (state.Id, link.Id),
                    "account",
                    [.. there.Select(t => t.Account).Distinct()],
                    stop
                )
            )
                names[id] = record.Name;
        }
        else
            there = await ParallelStore.BookedAsync(db, (state.Id, link.Id), from, stop);
        var (one, _) = books.GetOrAdd(state.Id, _ => (new SemaphoreSlim(1), null));
        await one.WaitAsync(stop);
        try
        {
            var book = await BookAsync(db, state, beside, stop);
            books[state.Id] = (one, book);
            var compared = BesideTheOldWay
                .Compare(book.Of(of).Where(s => s.Day >= from).Select(told), there, book.Waiting(of))
                .ToLookup(a => a.Day);
            var days = book.Days(of)
                .Where(d => d >= from)
                .Concat(compared.Select(c => c.Key))
                .Distinct()
                .Order()
                .Select(d =>
                {
                    var (events, waits) = book.OfDay(of, d);
                    return new ParallelDay(d, events, waits, book.Reasons(of, d), [.. compared[d]]);
                })
                .ToList();
            return new ParallelView(link, days, names, there.Count > 0);
        }
        finally
        {
            one.Release();
        }
    }

    private async Task<ParallelBook> BookAsync(
        NpgsqlConnection db,
        EntityState state,
        IReadOnlyList<Connection> beside,
        CancellationToken stop
    )
    {
        var under = new System.Text.StringBuilder();
        foreach (var link in beside)
        {
            var at = (state.Id, link.Id);
            var (_, voided) = await ParallelStore.StandAsync(db, at, stop);
            under.Append(
                System.Globalization.CultureInfo.InvariantCulture,
                $"{link.Code} {link.ParallelFrom:O} {link.Version} {voided} {await LeaseStore.StampAsync(db, at, stop)};"
            );
        }
        var book =
            books[state.Id].Book is { } there && there.Under == under.ToString()
                ? there
                : new ParallelBook(under.ToString(), beside);
        // What failed half way is not gone on with.
        books[state.Id] = (books[state.Id].One, null);
        await book.GoOnAsync(links.Desk, db, state, stop);
        return book;
    }
}
