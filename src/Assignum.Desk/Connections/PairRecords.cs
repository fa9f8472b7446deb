using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>What is done with a record.</summary>
/// <param name="Theirs">Their id; of our account that a ledger does not need it is <see cref="NoCounterpart"/>.</param>
/// <param name="Ours">Our code; of a record that is made here the sibling that it is like, or the code it is to
/// have.</param>
/// <param name="Do">pair, not-needed, create, accept (pair in spite of a difference), or open (take the pairing
/// back).</param>
public sealed record PairAct(string Record, string Theirs, string? Ours, string Do, string? Reason)
{
    /// <summary>Stands for their account where one of ours needs none.</summary>
    public const string NoCounterpart = "-";
}

/// <summary>What came of accepting proposals in bulk.</summary>
/// <param name="HeldBack">Proposals above the score that were left, by why: not mutual, no lead, doubles, a tax code that
/// differs.</param>
public sealed record Accepted(int Paired, long? Change, int HeldBack);

/// <summary>Says which record of theirs is which of ours. What is said is a change of the records: in History, undone
/// like any other.</summary>
public sealed class PairRecords(EditSetUp edit)
{
    private static readonly Part Rows = Parts.Pairings;

    /// <summary>Settles records: all of them, or none.</summary>
    public Task<Outcome<EditResult>> SettleAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<PairAct> acts,
        CancellationToken stop,
        Func<NpgsqlConnection, EntityState, Task>? beside = null
    )
    {
        var looked = new List<(string Record, string Theirs)>();
        var accepted = new List<AcceptedDifference>();
        return edit.ChangeAsync(
            actor,
            entity,
            WhatOf(code, acts),
            acts.Select(a => a.Reason).FirstOrDefault(r => r is { Length: > 0 }),
            async (db, state, current) =>
            {
                (looked, accepted) = ([], []);
                if (await ConnectionStore.FindAsync(db, state.Id, code, true, stop) is not { } link)
                    return Outcome<IReadOnlyList<RowChange>>.No(
                        Refusal.NotFound,
                        "unknown-connection",
                        $"There is no connection {code} here."
                    );
                if (link.State == "closed")
                    return Outcome<IReadOnlyList<RowChange>>.No(
                        Refusal.Conflict,
                        "closed",
                        $"{link.Name} is closed: nothing of it is changed any more."
                    );
                return await new Settling(db, state, link, current, actor, looked, accepted, stop).RowsAsync(acts);
            },
            null,
            stop,
            async (db, state) =>
            {
                var link = (await ConnectionStore.FindAsync(db, state.Id, code, true, stop))!;
                foreach (var of in looked.GroupBy(l => l.Record))
                    await LinkRecordStore.LookedAtAsync(
                        db,
                        (state.Id, link.Id),
                        of.Key,
                        of.Select(l => l.Theirs).Distinct(),
                        stop
                    );
                foreach (var of in accepted)
                {
                    await LinkSettleStore.AcceptAsync(db, (state.Id, link.Id), of, stop);
                    await EntityStore.AuditAsync(
                        db,
                        state.Id,
                        actor.Name,
                        "difference accepted",
                        $"connection {code}, {of.Record} {of.Theirs}",
                        null,
                        new { of.Said, of.Reason },
                        stop
                    );
                }
                if (beside is not null)
                    await beside(db, state);
            }
        );
    }

    private static string WhatOf(string code, IReadOnlyList<PairAct> acts) =>
        acts.Select(a => a.Do).Distinct().ToList() switch
        {
            ["pair"] or ["accept"] => $"records of {code} paired",
            ["not-needed"] => $"records of {code} said not to be needed",
            ["create"] => $"records of {code} made here and paired",
            ["open"] => $"pairings with {code} taken back",
            _ => $"records of {code} settled",
        };

    /// <summary>Accepts every best proposal that has a score, is mutual and leads the next of its record; what is settled
    /// already stays as it is.</summary>
    public async Task<Outcome<Accepted>> AcceptAsync(
        Actor actor,
        string entity,
        string code,
        string record,
        double above,
        CancellationToken stop
    )
    {
        if (RecordKind.Find(record) is not { Ours: not null } kind)
            return Outcome<Accepted>.No(
                Refusal.Invalid,
                "unknown-word",
                $"'record' is one of {string.Join(", ", RecordKind.All.Where(k => k.Ours is not null).Select(k => k.Name))}.",
                "record"
            );
        if (above is not (>= 0.5 and <= 1))
            return Outcome<Accepted>.No(
                Refusal.Invalid,
                "out-of-range",
                "'above' is a score from 0.5 to 1: what is less sure is looked at one by one.",
                "above"
            );
        var (paired, held) = (0, 0);
        var looked = new List<string>();
        var done = await edit.ChangeAsync(
            actor,
            entity,
            $"{kind.Plural.Replace('-', ' ')} of {code} paired above {above.ToString("0.##", Invariant)}",
            null,
            async (db, state, current) =>
            {
                (paired, held, looked) = (0, 0, []);
                if (await ConnectionStore.FindAsync(db, state.Id, code, true, stop) is not { } link)
                    return Outcome<IReadOnlyList<RowChange>>.No(
                        Refusal.NotFound,
                        "unknown-connection",
                        $"There is no connection {code} here."
                    );
                var pairs = Pairs.Of(current, code, record);
                var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, (state.Id, link.Id), stop), current);
                var taxes =
                    record == "tax-code"
                        ? (await LinkRecordStore.ListAsync(db, (state.Id, link.Id), record, stop)).ToDictionary(r =>
                            r.Id
                        )
                        : null;
                var rows = new List<RowChange>();
                foreach (var p in await ProposalStore.BestAsync(db, (state.Id, link.Id), record, stop))
                {
                    var ledger = link.Of.TakesEntries;
                    var (theirs, ours) = ledger ? (p.Candidate, p.Subject) : (p.Subject, p.Candidate);
                    if (p.Score < above || (ledger ? pairs.OfOurs(ours) : pairs.OfTheirs(theirs)) is not null)
                        continue;
                    if (
                        p.Trap
                        || !p.Mutual
                        || p.Lead < Proposals.Lead
                        || kind.Ours!.Row(current, ours) is null
                        || taxes?.GetValueOrDefault(theirs) is { } tax
                            && TaxLikeness.Differences(ReadNeeds.TaxOf(tax, words), ours, current, state.Today).Count
                                > 0
                    )
                    {
                        held++;
                        continue;
                    }
                    rows.Add(Row(code, record, theirs, ours, "paired", null));
                    looked.Add(theirs);
                }
                paired = rows.Count;
                return new Outcome<IReadOnlyList<RowChange>>(rows, null, []);
            },
            null,
            stop,
            async (db, state) =>
            {
                var link = (await ConnectionStore.FindAsync(db, state.Id, code, true, stop))!;
                await LinkRecordStore.LookedAtAsync(db, (state.Id, link.Id), record, looked, stop);
            }
        );
        return done.Refused is null
            ? new Accepted(paired, paired > 0 ? done.Result!.Id : null, held)
            : done.Pass<Accepted>();
    }

    private static readonly System.Globalization.CultureInfo Invariant = System
        .Globalization
        .CultureInfo
        .InvariantCulture;

    private static RowChange Row(string code, string record, string theirs, string? ours, string state, string? note)
    {
        string?[] cells = [code, record, theirs, ours, state, note];
        return new RowChange(Rows, Rows.KeyOf(cells), null, cells);
    }

    /// <summary>Works out the rows of some acts.</summary>
    private sealed class Settling(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        SetUp current,
        Actor actor,
        List<(string Record, string Theirs)> looked,
        List<AcceptedDifference> accepted,
        CancellationToken stop
    )
    {
        private readonly List<Fault> faults = [];
        private readonly List<RowChange> rows = [];
        private readonly Dictionary<string, HashSet<string>> taken = [];

        public async Task<Outcome<IReadOnlyList<RowChange>>> RowsAsync(IReadOnlyList<PairAct> acts)
        {
            var at = (state.Id, link.Id);
            var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), current);
            var theirs = new Dictionary<(string, string), LinkRecord>();
            foreach (var of in acts.GroupBy(a => a.Record))
            foreach (
                var (id, record) in await LinkRecordStore.FindAsync(db, at, of.Key, of.Select(a => a.Theirs), stop)
            )
                theirs[(of.Key, id)] = record;
            foreach (var (i, act) in acts.Index())
            {
                var before = faults.Count;
                One(act, theirs.GetValueOrDefault((act.Record, act.Theirs)), words);
                for (var f = before; f < faults.Count; f++)
                    faults[f] = faults[f] with { Path = acts.Count == 1 ? faults[f].Path : $"[{i}].{faults[f].Path}" };
            }
            return faults.Count == 0
                ? new Outcome<IReadOnlyList<RowChange>>(rows, null, [])
                : Outcome<IReadOnlyList<RowChange>>.No(
                    faults.Any(f => f.Code is "paired-already") ? Refusal.Conflict : Refusal.Invalid,
                    faults
                );
        }

        private void One(PairAct act, LinkRecord? record, Func<string, string, string?> words)
        {
            if (RecordKind.Find(act.Record) is not { } kind)
            {
                Fault("unknown-word", $"'{act.Record}' is no kind of record.", "record");
                return;
            }
            if (act.Theirs.Length is 0 or > 200)
            {
                Fault("missing-value", "Say which record of theirs it is.", "theirs");
                return;
            }
            var pairs = Pairs.Of(current, link.Code, kind.Name);
            switch (act.Do)
            {
                case "open":
                    TakeBack(pairs, act);
                    break;
                case "not-needed":
                    if (string.IsNullOrWhiteSpace(act.Reason))
                        Fault("reason-needed", "Say why it is not needed.", "reason");
                    else
                        Put(pairs, act, link.Of.TakesEntries ? act.Ours : null, "not-needed", act.Reason.Trim());
                    break;
                case "pair" or "accept":
                    Pair(kind, pairs, act, record, words);
                    break;
                case "create":
                    Create(kind, pairs, act, record, words);
                    break;
                default:
                    Fault("unknown-word", "'do' is pair, not-needed, create, accept or open.", "do");
                    break;
            }
        }

        private void Pair(
            RecordKind kind,
            Pairs pairs,
            PairAct act,
            LinkRecord? record,
            Func<string, string, string?> words
        )
        {
            if (act.Ours is not { Length: > 0 } ours)
            {
                Fault("missing-value", $"Say which {kind.Title.ToLowerInvariant()} of ours it is.", "ours");
                return;
            }
            if (kind.Ours is { } part)
            {
                if (kind.Name == "account")
                    ours = current.FormerNumbers.GetValueOrDefault(ours, ours);
                if (part.Row(current, ours) is not { } row)
                {
                    var near = Nearest.To(ours, part.Write(current).Select(r => r[part.Keys[0]] ?? ""));
                    Fault(
                        "unknown-record",
                        $"There is no {kind.Title.ToLowerInvariant()} {Short(ours)} here"
                            + (near.Length > 0 ? $"; did you mean {near}?" : "."),
                        "ours"
                    );
                    return;
                }
                if (part.Columns.Any(c => c.Name == "status") && row[part.At("status")] == "archived")
                {
                    Fault(
                        "archived",
                        $"{ours} is archived: pair it with one in use, or take it into use again.",
                        "ours"
                    );
                    return;
                }
                if (kind.Name == "account" && row[part.At("kind")] == "heading")
                {
                    Fault("heading", $"{ours} is a heading: nothing is posted on it. Pair a posting account.", "ours");
                    return;
                }
            }
            if (link is { Of.TakesEntries: true, IsAsked: true } && record is null)
            {
                Fault(
                    "unknown-record",
                    $"{link.Name} has no {kind.Title.ToLowerInvariant()} {Short(act.Theirs)}.",
                    "theirs"
                );
                return;
            }
            if (
                kind.Name == "tax-code"
                && record is not null
                && TaxLikeness.Differences(ReadNeeds.TaxOf(record, words), ours, current, state.Today)
                    is { Count: > 0 } says
            )
            {
                if (act.Do != "accept")
                {
                    Fault("rate-differs", string.Join(' ', says) + " Or accept it with a reason.", "ours");
                    return;
                }
                if (string.IsNullOrWhiteSpace(act.Reason))
                {
                    Fault("reason-needed", "Say why the difference is accepted.", "reason");
                    return;
                }
                accepted.Add(
                    new AcceptedDifference(
                        kind.Name,
                        act.Theirs,
                        string.Join(' ', says),
                        act.Reason.Trim(),
                        actor.Name,
                        default
                    )
                );
            }
            Put(pairs, act, ours, "paired", act.Reason);
        }

        private void Create(
            RecordKind kind,
            Pairs pairs,
            PairAct act,
            LinkRecord? record,
            Func<string, string, string?> words
        )
        {
            if (link.Of.TakesEntries)
            {
                Fault("not-here", "What a ledger lacks is made there.", "do");
                return;
            }
            if (pairs.OfTheirs(act.Theirs) is { } there)
            {
                Already(kind, there);
                return;
            }
            var groups = kind.Name == "item" ? Groups(pairs) : null;
            var into = taken.TryGetValue(kind.Name, out var set) ? set : taken[kind.Name] = [];
            var like = act.Ours is { Length: > 0 } given && kind.Ours?.Row(current, given) is not null ? given : null;
            var made = CreatedHere.Of(
                kind,
                record
                    ?? new LinkRecord(
                        act.Theirs,
                        act.Theirs,
                        "active",
                        null,
                        null,
                        new Dictionary<string, string>(),
                        "{}",
                        act.Theirs,
                        "active",
                        null,
                        null
                    ),
                like is null && act.Ours is { Length: > 0 } ? act.Ours : null,
                like,
                current,
                words,
                pairs.OursOf,
                g => groups?.GetValueOrDefault(g),
                into,
                faults
            );
            if (made is null)
                return;
            rows.AddRange(made.Value.Rows);
            Put(pairs, act, made.Value.Code, "paired", act.Reason);
        }

        private IReadOnlyDictionary<string, string> Groups(Pairs pairs) =>
            groupsLearnt ??= current
                .Groups.Where(g => g.Kind == Core.Records.GroupKind.Item)
                .ToDictionary(g => g.Code, g => g.Code, StringComparer.Ordinal);

        private Dictionary<string, string>? groupsLearnt;

        private void Put(Pairs pairs, PairAct act, string? ours, string said, string? note)
        {
            var mine = link.Of.TakesEntries ? (ours is null ? null : pairs.OfOurs(ours)) : pairs.OfTheirs(act.Theirs);
            if (mine is not null)
            {
                Already(RecordKind.Find(act.Record)!, mine);
                return;
            }
            var row = Row(
                link.Code,
                act.Record,
                act.Theirs,
                ours,
                said,
                string.IsNullOrWhiteSpace(note) ? null : note.Trim()
            );
            if (rows.Any(r => r.Part == Rows && Subject(r.After!) == Subject(row.After!)))
            {
                Fault("twice", $"{Subject(row.After!)} is settled twice here: say it once.", "theirs");
                return;
            }
            rows.Add(row);
            looked.Add((act.Record, act.Theirs));
        }

        private (string?, string?) Subject(string?[] cells) => (cells[1], cells[link.Of.TakesEntries ? 3 : 2]);

        private void Already(RecordKind kind, PairingRow row) =>
            Fault(
                "paired-already",
                $"{kind.Title} {row.Theirs} is "
                    + (row.Ours is null ? "said not to be needed" : $"paired with {row.Ours}")
                    + " already, perhaps by somebody else just now: take that back first.",
                "theirs"
            );

        private void TakeBack(Pairs pairs, PairAct act)
        {
            var row =
                link.Of.TakesEntries && act.Ours is not null ? pairs.OfOurs(act.Ours) : pairs.OfTheirs(act.Theirs);
            if (row is null)
            {
                Fault(
                    "not-paired",
                    $"{Short(act.Theirs)} is not paired: somebody may have taken it back just now.",
                    "theirs"
                );
                return;
            }
            string?[] cells = [row.Connection, row.Record, row.Theirs, row.Ours, row.State, row.Note];
            rows.Add(new RowChange(Rows, Rows.KeyOf(cells), cells, null));
        }

        private void Fault(string code, string message, string path) => faults.Add(new Fault(code, message, path));

        private static string Short(string text) => text.Length > 60 ? text[..60] : text;
    }
}
