using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>A close of a year, or its opening again: proposed, or posted.</summary>
/// <param name="Number">The entry's number; null: proposed.</param>
/// <param name="Warnings">What to look at before.</param>
public sealed record YearEnd(
    int Year,
    DateOnly On,
    EntryDocument? Entry,
    string? Number,
    IReadOnlyList<Fault> Warnings
);

/// <summary>Closes fiscal years, one entry each, and opens them again.</summary>
public sealed class CloseYears(DeskContext desk, ViewSetUp view, OwnEvents own)
{
    /// <summary>Proposes or posts the close of the year that ends in a calendar year.</summary>
    /// <param name="reopen">Turns back what was closed.</param>
    public async Task<Outcome<YearEnd>> RunAsync(
        Actor actor,
        string entity,
        int year,
        bool reopen,
        bool apply,
        CancellationToken stop
    )
    {
        if (year is < 1900 or > 9998)
            return Outcome<YearEnd>.No(Refusal.Invalid, "bad-number", "'year' is no year, such as 2026.", "year");
        DateOnly on;
        Dictionary<string, decimal> lines;
        long closes;
        IReadOnlyList<Fault> warnings;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            var entered = await desk.EnterAsync(db, actor, entity, apply ? Role.Reviewer : Role.Viewer, false, stop);
            if (entered.Result is not { State: var state } visit)
                return entered.Pass<YearEnd>();
            on = state.Calendar.LastDay(year);
            var looked = await view.OnAsync(visit, on, stop);
            if (looked.Result is not { SetUp: var setUp })
                return looked.Pass<YearEnd>();
            // Counted before balances are read: where somebody closes in between, this one bears the same name and is told.
            closes = await StatementStore.ClosesAsync(db, state.Id, on, stop);
            var all = await StatementStore.BetweenAsync(db, state.Id, null, on, true, stop);
            var results = setUp
                .SetUp.Accounts.Where(a => a.Class.IsResult())
                .ToDictionary(a => a.Number, StringComparer.Ordinal);
            if (reopen)
            {
                var open = await StatementStore.BetweenAsync(db, state.Id, on, on, false, stop);
                var with = await StatementStore.BetweenAsync(db, state.Id, on, on, true, stop);
                // What closes did on the day, turned round.
                lines = results.Keys.ToDictionary(
                    n => n,
                    n => open.GetValueOrDefault(n) - with.GetValueOrDefault(n),
                    StringComparer.Ordinal
                );
            }
            else
                lines = results.Keys.ToDictionary(n => n, n => -all.GetValueOrDefault(n), StringComparer.Ordinal);
            warnings = Warnings(setUp.SetUp, state.Calendar, on, all);
        }
        var document = new JsonObject
        {
            ["id"] = $"year-closed-{year.ToString(CultureInfo.InvariantCulture)}-{closes + 1}",
            ["kind"] = "year-closed",
            ["date"] = on.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            ["reference"] = $"YEAR-{year.ToString(CultureInfo.InvariantCulture)}",
            ["text"] = reopen ? $"Year {year} opened again" : $"Year {year} closed",
            ["lines"] = new JsonArray([
                .. lines
                    .Where(l => l.Value != 0)
                    .OrderBy(l => l.Key, StringComparer.Ordinal)
                    .Select(l =>
                        (JsonNode)
                            new JsonObject
                            {
                                ["account"] = l.Key,
                                [l.Value > 0 ? "debit" : "credit"] = Math.Abs(l.Value),
                            }
                    ),
            ]),
        };
        if (((JsonArray)document["lines"]!).Count == 0)
            return apply
                ? Outcome<YearEnd>.No(
                    Refusal.Conflict,
                    reopen ? "not-closed" : "nothing-to-close",
                    reopen
                        ? $"The year that ends in {year} is not closed: there is nothing to open."
                        : $"No result account has a balance on the last day of the year that ends in {year}.",
                    "year"
                )
                : new YearEnd(year, on, null, null, warnings);
        var made = await own.RunAsync(actor, entity, document, apply, stop);
        // Whoever was quicker closed it.
        if (made.Refused == Refusal.Conflict || made.Result is { Before: true })
            return Outcome<YearEnd>.No(
                Refusal.Conflict,
                "closed-meanwhile",
                $"Somebody else closed or opened the year {year} meanwhile: look at it again.",
                "year"
            );
        return made.Result is { } of ? new YearEnd(year, on, of.Entry, of.Number, warnings) : made.Pass<YearEnd>();
    }

    // Accounts on the side that is unusual for their class, in the number band of another class, and months still open.
    private static IReadOnlyList<Fault> Warnings(
        Core.SetUps.SetUp setUp,
        Core.Calendar.EntityCalendar calendar,
        DateOnly on,
        IReadOnlyDictionary<string, decimal> balances
    )
    {
        var found = new List<Fault>();
        foreach (var account in setUp.Accounts.Where(a => a.Kind == AccountKind.Posting))
        {
            var balance = balances.GetValueOrDefault(account.Number);
            if (balance == 0)
                continue;
            if (account.Unusual(balance) is { } side)
                found.Add(
                    new Fault(
                        "unusual-side",
                        Severity.Warning,
                        $"{account.Number} {account.Name} has a {side} balance of "
                            + $"{Math.Abs(balance)}: that is not its usual side.",
                        account.Number
                    )
                );
            if (
                setUp.NumberBands.FirstOrDefault(b => ChartNumbers.Within(b, account.Number)) is { } band
                && band.Class != account.Class
                && !setUp.NumberBands.Any(b => b.Class == account.Class && ChartNumbers.Within(b, account.Number))
            )
                found.Add(
                    new Fault(
                        "number-band",
                        Severity.Warning,
                        $"{account.Number} {account.Name} is of {Words.Of(account.Class)} and stands in the numbers of "
                            + $"{Words.Of(band.Class)}: is its class right?",
                        account.Number
                    )
                );
        }
        var first = calendar.FirstDay(calendar.YearOf(on));
        for (var month = first; month <= on; month = month.AddMonths(1))
        {
            var last = month.AddMonths(1).AddDays(-1);
            if (!setUp.Periods.Any(p => p.Closed && p.From <= month && p.To >= last))
                found.Add(
                    new Fault(
                        "month-open",
                        Severity.Warning,
                        $"{month.ToString("MMMM yyyy", CultureInfo.InvariantCulture)} is not closed."
                    )
                );
        }
        return found;
    }
}
