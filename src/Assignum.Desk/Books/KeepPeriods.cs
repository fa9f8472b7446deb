using System.Globalization;
using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>A stretch of days for posting.</summary>
/// <param name="Status"><c>open</c>, <c>closed</c>, or <c>proposed</c>: a month that no period holds yet.</param>
/// <param name="Passed">What was in the way when it was closed, and was passed over.</param>
public sealed record PeriodView(
    DateOnly From,
    DateOnly To,
    string Status,
    string? Reason,
    string? Who,
    DateTime? At,
    IReadOnlyList<string> Passed
);

/// <summary>What is in the way of closing a month.</summary>
/// <param name="Code">A stable word.</param>
/// <param name="Link">Where it is mended, below the entity's own address.</param>
public sealed record Obstacle(string Code, string Message, string Link, int Count);

/// <summary>Closes and opens periods.</summary>
public sealed class KeepPeriods(DeskContext desk, ViewSetUp view, EditSetUp edit, ReadTieOuts ties, KeepCutOff cutOff)
{
    private const int MostDoubles = 20;

    /// <summary>The periods, and the months about today that no period holds, proposed.</summary>
    public async Task<Outcome<IReadOnlyList<PeriodView>>> ListAsync(Visit visit, CancellationToken stop)
    {
        var looked = await view.OfAsync(visit, "draft", null, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<IReadOnlyList<PeriodView>>();
        await using var db = await desk.Database.OpenAsync(stop);
        var acts = (await PeriodStore.NewestAsync(db, visit.State.Id, stop)).ToDictionary(a => (a.From, a.To));
        var rows = setUp
            .SetUp.Periods.Select(p =>
            {
                var act = acts.GetValueOrDefault((p.From, p.To));
                return new PeriodView(
                    p.From,
                    p.To,
                    p.Closed ? "closed" : "open",
                    act?.Reason,
                    act?.Who,
                    act?.At,
                    act?.Passed ?? []
                );
            })
            .ToList();
        var month = new DateOnly(visit.State.Today.Year, visit.State.Today.Month, 1).AddMonths(-12);
        for (var i = 0; i < 14; i++, month = month.AddMonths(1))
        {
            var last = month.AddMonths(1).AddDays(-1);
            if (!setUp.SetUp.Periods.Any(p => p.From <= last && month <= p.To))
                rows.Add(new PeriodView(month, last, "proposed", null, null, null, []));
        }
        return new Outcome<IReadOnlyList<PeriodView>>([.. rows.OrderBy(r => r.From)], null, []);
    }

    /// <summary>What is in the way of closing the days up to and with the last.</summary>
    public async Task<Outcome<IReadOnlyList<Obstacle>>> ObstaclesAsync(
        Visit visit,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        var found = new List<Obstacle>();
        var day = to.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        var looked = await view.OfAsync(visit, "draft", null, stop);
        if (looked.Result is not { SetUp: var draft })
            return looked.Pass<IReadOnlyList<Obstacle>>();
        if (visit.State.Draft is not null)
        {
            var dated = draft.SetUp.TaxRates.Count(r => r.From >= from && r.From <= to);
            var live = (await view.OnAsync(visit, to, stop)).Result;
            var before = live?.SetUp.SetUp.TaxRates.Count(r => r.From >= from && r.From <= to) ?? 0;
            if (dated != before)
                found.Add(
                    new Obstacle(
                        "draft-dated",
                        "The draft has changes dated in these days that are not in force.",
                        "/editions",
                        Math.Abs(dated - before)
                    )
                );
        }
        var tied = await ties.AllAsync(visit, to, stop);
        if (tied.Result is not { } all)
            return tied.Pass<IReadOnlyList<Obstacle>>();
        foreach (var tie in all.Controls.Where(t => t.Difference != 0))
            found.Add(
                new Obstacle(
                    "tie-out",
                    $"{Words.Title(Words.Of(tie.Control))} and its documents differ by {tie.Difference}.",
                    $"/books?at={day}&control={Words.Of(tie.Control)}",
                    1
                )
            );
        var inForce = (await view.OnAsync(visit, to, stop)).Result;
        if (inForce?.SetUp.Policies.CutOff == true && !await cutOff.PostedAsync(visit, to, stop))
        {
            var cut = await cutOff.ShowAsync(visit, to, stop);
            if (cut.Result is { } open && open.ShippedNotInvoiced.Count + open.InvoicedNotShipped.Count > 0)
                found.Add(
                    new Obstacle(
                        "cut-off",
                        "The cut-off of the last day is not posted.",
                        $"/cut-off?at={day}",
                        open.ShippedNotInvoiced.Count + open.InvoicedNotShipped.Count
                    )
                );
        }
        await using var db = await desk.Database.OpenAsync(stop);
        var doubles = await PeriodStore.LikelyDoublesAsync(db, visit.State.Id, from, to, MostDoubles, stop);
        if (doubles.Count > 0)
            found.Add(
                new Obstacle(
                    "likely-doubles",
                    $"{doubles[0].First} and {doubles[0].Second} are of one party, day and total"
                        + (doubles.Count > 1 ? $", and so are {doubles.Count - 1} other pairs." : "."),
                    $"/journal/{doubles[0].Second}",
                    doubles.Count
                )
            );
        return new Outcome<IReadOnlyList<Obstacle>>(found, null, []);
    }

    /// <summary>Closes or opens a stretch of days. What is in the way of closing it refuses, unless a reason is
    /// given.</summary>
    public async Task<Outcome<PeriodView>> SetAsync(
        Visit visit,
        DateOnly from,
        DateOnly to,
        bool closed,
        string? reason,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Reviewer) is { } refused)
            return Outcome<PeriodView>.No(refused.Why, [refused.Fault]);
        if (to < from)
            return Outcome<PeriodView>.No(
                Refusal.Invalid,
                "bad-date",
                "A period ends on or after its first day.",
                "to"
            );
        IReadOnlyList<string> passed = [];
        if (closed)
        {
            var ways = await ObstaclesAsync(visit, from, to, stop);
            if (ways.Result is not { } obstacles)
                return ways.Pass<PeriodView>();
            passed = [.. obstacles.Select(o => o.Message)];
            if (obstacles.Count > 0 && string.IsNullOrWhiteSpace(reason))
                return Outcome<PeriodView>.No(
                    Refusal.Conflict,
                    [.. obstacles.Select(o => new Fault(o.Code, $"{o.Message} ({o.Link})", "reason"))]
                );
        }
        var status = closed ? "closed" : "open";
        var done = await edit.ChangeAsync(
            actor,
            state.Code,
            closed ? "period closed" : "period opened",
            reason,
            (_, _, now) =>
            {
                var touched = now.Periods.Where(p => p.From <= to && from <= p.To).ToList();
                if (touched is [{ } only] && only.From <= from && to <= only.To && only.Closed == closed)
                    return Task.FromResult(
                        Outcome<IReadOnlyList<RowChange>>.No(
                            Refusal.Conflict,
                            "changed-meanwhile",
                            $"These days are {status} already.",
                            "status"
                        )
                    );
                return Task.FromResult(
                    new Outcome<IReadOnlyList<RowChange>>(Pieces(now, touched, from, to, closed), null, [])
                );
            },
            null,
            stop,
            (db, held) => PeriodStore.AddAsync(db, held.Id, from, to, status, reason, passed, actor.Name, stop)
        );
        return done.Result is null
            ? done.Pass<PeriodView>()
            : new PeriodView(from, to, status, reason, actor.Name, desk.Clock.GetUtcNow().UtcDateTime, passed);
    }

    // A period that reaches over the days is cut: what is beside them stays as it was.
    private static IReadOnlyList<RowChange> Pieces(
        SetUp now,
        IReadOnlyList<Period> touched,
        DateOnly from,
        DateOnly to,
        bool closed
    )
    {
        static string Iso(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        string?[]? Held(DateOnly first, DateOnly last) =>
            Parts.Periods.Row(now, Parts.Periods.KeyOf([Iso(first), Iso(last), null]));
        RowChange Row(DateOnly first, DateOnly last, bool shut) =>
            SetUpEdit.Row(
                Parts.Periods,
                Held(first, last),
                new Dictionary<string, string?>
                {
                    ["from"] = Iso(first),
                    ["to"] = Iso(last),
                    ["status"] = shut ? "closed" : "open",
                }
            );
        var edits = new List<RowChange>();
        foreach (var period in touched.Where(p => p.From != from || p.To != to))
        {
            edits.Add(SetUpEdit.Row(Parts.Periods, Held(period.From, period.To), null));
            if (period.From < from)
                edits.Add(Row(period.From, from.AddDays(-1), period.Closed));
            if (period.To > to)
                edits.Add(Row(to.AddDays(1), period.To, period.Closed));
        }
        edits.Add(Row(from, to, closed));
        return edits;
    }
}
