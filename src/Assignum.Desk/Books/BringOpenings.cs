using System.Globalization;
using System.Text.Json;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Formats.Lists;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>An opening of a day: the lists that are there, how they agree, and what was posted of it.</summary>
/// <param name="Counts">How many rows each list has, by its word; a trial balance among them.</param>
/// <param name="Against">The account that everything is set against.</param>
/// <param name="Posted">The entries of it that stand.</param>
public sealed record OpeningView(
    DateOnly At,
    IReadOnlyDictionary<string, int> Counts,
    OpeningPlan Plan,
    string? Against,
    IReadOnlyList<string> Posted
);

/// <summary>Brings openings in as lists: they are kept, held against the trial balance, and posted once.</summary>
/// <remarks>The trial balance posts the accounts of no subledger, each list those of its own; all of it against one
/// account, on which nothing is left where they agree.</remarks>
public sealed class BringOpenings(DeskContext desk, ViewSetUp view, PostEvents post, Rehearse rehearse)
{
    /// <summary>The word of the trial balance among the lists.</summary>
    public const string TrialBalance = "trial-balance";

    // Each event has a line more, against which it is balanced.
    private const int LinesAnEvent = EventReader.MostLines - 1;

    /// <summary>Takes a list in place of the one of the same day.</summary>
    public async Task<Outcome<int>> TakeAsync(
        Visit visit,
        DateOnly at,
        string list,
        byte[] body,
        bool json,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<int>.No(refused.Why, [refused.Fault]);
        if (!IsList(list))
            return Outcome<int>.No(Refusal.NotFound, "unknown-list", $"'{list}' is no list of an opening.", "list");
        var faults = new List<Fault>();
        var rows = TheirListReader.Read(
            body,
            json,
            faults,
            list == TrialBalance ? TheirListReader.OfTrialBalance : TheirListReader.OfOpenings
        );
        if (faults.Count == 0 && rows.Count == 0)
            faults.Add(new Fault("empty", "The list has no row.", "file"));
        if (faults.Count > 0)
            return Outcome<int>.No(Refusal.Invalid, faults);
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        await OpeningStore.KeepListAsync(
            db,
            state.Id,
            at,
            list,
            JsonSerializer.Serialize(rows.Select(r => r.Cells)),
            actor.Name,
            stop
        );
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "opening list brought in",
            $"{list} of {at:yyyy-MM-dd}",
            null,
            new { rows = rows.Count },
            stop
        );
        await transaction.CommitAsync(stop);
        return rows.Count;
    }

    /// <summary>Takes a list away again.</summary>
    public async Task<Outcome<bool>> DropAsync(Visit visit, DateOnly at, string list, CancellationToken stop)
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<bool>.No(refused.Why, [refused.Fault]);
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        if (!await OpeningStore.DropListAsync(db, state.Id, at, list, stop))
            return Outcome<bool>.No(Refusal.NotFound, "unknown-list", "That list is not there any more.", "list");
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "opening list taken away",
            $"{list} of {at:yyyy-MM-dd}",
            null,
            null,
            stop
        );
        await transaction.CommitAsync(stop);
        return true;
    }

    /// <summary>The lists of a day held against each other.</summary>
    public async Task<Outcome<OpeningView>> ShowAsync(Visit visit, DateOnly at, CancellationToken stop)
    {
        var looked = await view.OnAsync(visit, at, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<OpeningView>();
        IReadOnlyDictionary<string, string> kept;
        IReadOnlyList<(string Id, bool TurnedBack)> posted;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            kept = await OpeningStore.ListsAsync(db, visit.State.Id, at, stop);
            posted = await OpeningStore.PostedAsync(db, visit.State.Id, at, stop);
        }
        var counts = new Dictionary<string, int>(StringComparer.Ordinal);
        var trial = new Dictionary<string, decimal>(StringComparer.Ordinal);
        var lists = new Dictionary<Control, IReadOnlyList<OpeningItem>>();
        foreach (var (list, json) in kept)
        {
            var rows = JsonSerializer.Deserialize<List<Dictionary<string, string>>>(json) ?? [];
            counts[list] = rows.Count;
            static decimal Number(Dictionary<string, string> row, string column) =>
                row.GetValueOrDefault(column) is { } text ? TheirListReader.Number(text) ?? 0 : 0;
            if (list == TrialBalance)
                foreach (var row in rows)
                    trial[row["account"]] =
                        trial.GetValueOrDefault(row["account"])
                        + Number(row, "amount")
                        + Number(row, "debit")
                        - Number(row, "credit");
            else if (Words.TryParse<Control>(list, out var control))
                lists[control] =
                [
                    .. rows.Select(r => new OpeningItem(
                        r.GetValueOrDefault("account"),
                        Number(r, "amount"),
                        r.Where(c => c.Key is not "account" and not "amount" and not "date")
                            .ToDictionary(StringComparer.Ordinal)
                    )),
                ];
        }
        var values = default(LegValues);
        return new OpeningView(
            at,
            counts,
            Openings.Of(setUp, trial, lists),
            setUp.Landings.Resolve(Purposes.RetainedEarnings, values, null).Account,
            [.. posted.Where(p => !p.TurnedBack).Select(p => p.Id)]
        );
    }

    /// <summary>Posts an opening: the accounts of no subledger, and each list.</summary>
    /// <param name="against">The account that all is set against.</param>
    /// <param name="reason">Why it is posted although control accounts differ; null: none do.</param>
    public async Task<Outcome<IReadOnlyList<Posting.PostedEvent>>> PostAsync(
        Visit visit,
        DateOnly at,
        string? against,
        string? reason,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<IReadOnlyList<PostedEvent>>.No(refused.Why, [refused.Fault]);
        var shown = await ShowAsync(visit, at, stop);
        if (shown.Result is not { } opening)
            return shown.Pass<IReadOnlyList<PostedEvent>>();
        var plan = opening.Plan;
        var faults = plan.Faults.ToList();
        against = string.IsNullOrWhiteSpace(against) ? opening.Against : against.Trim();
        if (against is null)
            faults.Add(new Fault("missing-field", "Name the account that the opening is set against.", "against"));
        if (plan.Others.Count == 0 && plan.Lists.All(l => l.Value.Count == 0))
            faults.Add(new Fault("empty", "Bring in a list first: there is nothing to post.", "list"));
        if (plan.Ties.Any(t => t.Difference != 0) && string.IsNullOrWhiteSpace(reason))
            faults.Add(
                new Fault(
                    "differs",
                    $"Lists and trial balance differ on {Named(plan.Ties.Where(t => t.Difference != 0))}: mend a list, or "
                        + "say why it is posted all the same.",
                    "reason"
                )
            );
        if (faults.Count > 0)
            return Outcome<IReadOnlyList<PostedEvent>>.No(Refusal.Invalid, faults);
        IReadOnlyList<(string Id, bool TurnedBack)> before;
        await using (var db = await desk.Database.OpenAsync(stop))
            before = await OpeningStore.PostedAsync(db, state.Id, at, stop);
        var turned = before.Where(b => b.TurnedBack).Select(b => b.Id).ToHashSet(StringComparer.Ordinal);
        var events = new List<ReadEvent>();
        var day = at.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        void Add(string list, IEnumerable<JsonObject> lines)
        {
            var part = 0;
            foreach (var chunk in lines.Chunk(LinesAnEvent))
            {
                part++;
                // What was turned back is posted anew under another name; what stands is never posted twice.
                var id = $"opening-{day}-{list}-{part}";
                for (var again = 2; turned.Contains(id); again++)
                    id = $"opening-{day}-{list}-{part}-{again}";
                var sum = chunk.Sum(l => (decimal?)l["debit"] ?? -(decimal)l["credit"]!);
                var all = new JsonArray([.. chunk]);
                if (sum != 0)
                    all.Add(Line(against!, -sum, new Dictionary<string, string>()));
                events.Add(
                    EventReader.Parse(
                        new JsonObject
                        {
                            ["source"] = "own",
                            ["id"] = id,
                            ["kind"] = "opening",
                            ["date"] = day,
                            ["reference"] = $"OPENING-{list.ToUpperInvariant()}-{part}",
                            ["text"] = string.IsNullOrWhiteSpace(reason) ? "Opening" : $"Opening: {reason.Trim()}",
                            ["lines"] = all,
                        }.ToJsonString()
                    )
                );
            }
        }
        Add(TrialBalance, plan.Others.Where(o => o.Amount != 0).Select(o => Line(o.Account, o.Amount, null)));
        foreach (var (control, items) in plan.Lists.OrderBy(l => l.Key))
            Add(Words.Of(control), items.Where(i => i.Amount != 0).Select(i => Line(i.Account!, i.Amount, i.Cells)));
        // All of it or none: what cannot be posted is told before anything is.
        var known = before.Where(b => !b.TurnedBack).Select(b => b.Id).ToHashSet(StringComparer.Ordinal);
        var fresh = events.Where(e => !known.Contains(e.Event.Id)).ToList();
        var tried = await rehearse.RunAsync(actor, state.Code, fresh, null, stop);
        if (tried.Result is not { } rehearsed)
            return tried.Pass<IReadOnlyList<PostedEvent>>();
        Fault[] wrong =
        [
            .. rehearsed
                .SelectMany(r =>
                    Core.Ledger.PostingRules.Errors(r.Source.Event, r.Result)
                        .Where(f => f.Code != "because-needed")
                        .Select(f => f with { Message = $"{r.Source.Event.Reference}: {f.Message}" })
                )
                .Take(50),
        ];
        if (wrong.Length > 0)
            return Outcome<IReadOnlyList<PostedEvent>>.No(Refusal.Invalid, wrong);
        var posted = await post.RunAsync(actor, state.Code, events, 1, stop);
        if (posted.Result is not { } answers)
            return posted;
        Fault[] refusedOnes =
        [
            .. answers
                .Where(a => a.Errors.Count > 0)
                .SelectMany(a =>
                    a.Outcome == "conflict"
                        ?
                        [
                            new Fault(
                                "posted-before",
                                $"{a.Event.Id} was posted with other rows: turn that entry back ({a.Number}), then "
                                    + "post the list again.",
                                "list"
                            ),
                        ]
                        : a.Errors
                ),
        ];
        return refusedOnes.Length > 0 ? Outcome<IReadOnlyList<PostedEvent>>.No(Refusal.Conflict, refusedOnes) : posted;
    }

    private static string Named(IEnumerable<OpeningTie> ties) => string.Join(", ", ties.Select(t => t.Account));

    private static bool IsList(string list) =>
        list == TrialBalance || Words.TryParse<Control>(list, out var control) && Openings.Listed.Contains(control);

    private static JsonObject Line(string account, decimal amount, IReadOnlyDictionary<string, string>? cells)
    {
        var line = new JsonObject
        {
            ["account"] = account,
            [amount > 0 ? "debit" : "credit"] = Math.Abs(amount),
            ["because"] = "opening",
        };
        foreach (var (name, value) in cells ?? new Dictionary<string, string>())
            line[name] = TheirListReader.Numbers.Contains(name)
                ? JsonValue.Create(TheirListReader.Number(value)!.Value)
                : JsonValue.Create(value);
        return line;
    }
}
