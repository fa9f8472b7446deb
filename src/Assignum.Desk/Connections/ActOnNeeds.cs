using Assignum.Core;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>What is decided about a need.</summary>
/// <param name="Id">As <see cref="ReadNeeds"/> gives it.</param>
/// <param name="Do">pair, not-needed, create, account, default, word, accept (of a purpose: it is meant so), or open to take back
/// what was decided.</param>
public sealed record NeedAct(
    string? Id,
    string? Do,
    string? Ours = null,
    string? Account = null,
    string? Word = null,
    string? Reason = null
);

/// <summary>What came of deciding needs.</summary>
/// <param name="Changes">The changes that were made, by which they are undone.</param>
/// <param name="Effects">In words, what stays as it was posted though what it was posted by is taken back, and what was
/// archived there.</param>
public sealed record Decided(int Done, IReadOnlyList<long> Changes, IReadOnlyList<string> Effects);

/// <summary>Decides needs, each by one act of its own, all of them or none: records, purposes, words and differences, then
/// what is made there. Where a later one is refused the ones before it are taken back.</summary>
public sealed class ActOnNeeds(
    LinkDesk links,
    PairRecords pair,
    SettlePurposes purposes,
    CreateThere there,
    SetUps.EditSetUp edit
)
{
    /// <summary>Decides.</summary>
    public async Task<Outcome<Decided>> RunAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<NeedAct> acts,
        CancellationToken stop
    )
    {
        var link = (
            await links.LookAsync(actor, entity, code, at => Task.FromResult<Outcome<Connection>>(at.Link), stop)
        );
        if (link.Result is null)
            return link.Pass<Decided>();
        if (DeskContext.Refused(actor, entity, Role.Preparer) is { } refused)
            return Outcome<Decided>.No(refused.Why, [refused.Fault]);
        var ledger = link.Result.Of.TakesEntries;
        var faults = new List<Fault>();
        var pairs = new List<PairAct>();
        var lands = new List<PurposeAct>();
        var words = new List<(string Field, string Theirs, string? Ours)>();
        var accepts = new List<(string Record, string Theirs, string? Reason, bool Back)>();
        var madeThere = new List<(string Record, string Ours)>();
        foreach (var (i, act) in acts.Index())
        {
            void No(string fault, string message, string path) =>
                faults.Add(new Fault(fault, message, $"[{i}].{path}"));
            if (ReadNeeds.Read(act.Id) is not { } id)
            {
                No("unknown-need", "There is no need of that id; GET needs gives them.", "id");
                continue;
            }
            switch (id.Need, act.Do)
            {
                case ("record", "create") when ledger:
                    madeThere.Add((id.Parts[0], id.Parts[1]));
                    break;
                case ("record", "pair" or "not-needed" or "create" or "accept" or "open"):
                    pairs.Add(
                        ledger
                            ? new PairAct(
                                id.Parts[0],
                                act.Do is "pair" or "accept" ? act.Ours ?? "" : PairAct.NoCounterpart,
                                id.Parts[1],
                                act.Do!,
                                act.Reason
                            )
                            : new PairAct(id.Parts[0], id.Parts[1], act.Ours, act.Do!, act.Reason)
                    );
                    break;
                case ("purpose", "account" or "default" or "accept" or "confirm" or "open"):
                    lands.Add(
                        new PurposeAct(
                            id.Parts[0],
                            id.Parts[1],
                            id.Parts[2],
                            id.Parts[3],
                            act.Do is "confirm" or "accept" ? "confirmed" : act.Do!,
                            act.Account,
                            act.Reason
                        )
                    );
                    break;
                case ("word", "word" or "open"):
                    if (act.Do == "word" && act.Word is not { Length: > 0 and <= 100 })
                        No("missing-value", "Say which word of ours it is.", "word");
                    else
                        words.Add((id.Parts[0], id.Parts[1], act.Do == "open" ? null : act.Word));
                    break;
                case ("difference", "accept" or "open"):
                    if (act.Do == "accept" && string.IsNullOrWhiteSpace(act.Reason))
                        No("reason-needed", "Say why the difference is accepted.", "reason");
                    else
                        accepts.Add((id.Parts[0], id.Parts[1], act.Reason, act.Do == "open"));
                    break;
                default:
                    No(
                        "unknown-word",
                        id.Need switch
                        {
                            "record" => "A record is settled by pair, create, not-needed or accept.",
                            "purpose" => "A purpose is settled by accept, account or default.",
                            "word" => "A word is settled by word.",
                            _ => "A difference is settled by accept, or by changing either side.",
                        },
                        "do"
                    );
                    break;
            }
        }
        if (faults.Count > 0)
            return Outcome<Decided>.No(Refusal.Invalid, faults);
        var before = await BeforeAsync(actor, entity, code, words, stop);
        var changes = new List<long>();
        async Task<Outcome<Decided>> BackAsync(Outcome<Decided> refused, bool beside)
        {
            foreach (var change in Enumerable.Reverse(changes))
                await edit.UndoAsync(actor, entity, change, stop);
            if (beside)
                await BesideAsync(
                    actor,
                    entity,
                    code,
                    [.. words.Select(w => (w.Field, w.Theirs, before.GetValueOrDefault((w.Field, w.Theirs))))],
                    [.. accepts.Where(a => !a.Back).Select(a => (a.Record, a.Theirs, (string?)null, true))],
                    stop
                );
            return refused;
        }
        var opened = await OpenedAsync(actor, entity, code, pairs, stop);
        if (pairs.Count > 0)
        {
            var done = await pair.SettleAsync(actor, entity, code, pairs, stop);
            if (done.Refused is not null)
                return done.Pass<Decided>();
            changes.AddRange(done.Result!.Id is { } change ? [change] : []);
        }
        if (lands.Count > 0)
        {
            var settled = await purposes.SettleAsync(actor, entity, code, lands, stop);
            if (settled.Refused is not null)
                return await BackAsync(settled.Pass<Decided>(), false);
            changes.AddRange(settled.Result is { } change ? [change] : []);
        }
        if (await BesideAsync(actor, entity, code, words, accepts, stop) is { Refused: not null } wrong)
            return await BackAsync(wrong.Pass<Decided>(), false);
        var archived = 0;
        if (opened.Count > 0)
        {
            var back = await there.TakeBackAsync(actor, entity, code, opened, stop);
            if (back.Refused is not null)
                return await BackAsync(back.Pass<Decided>(), true);
            archived = back.Result;
        }
        if (madeThere.Count > 0)
        {
            var made = await there.RunAsync(actor, entity, code, madeThere, stop);
            if (made.Refused is not null)
                return await BackAsync(made.Pass<Decided>(), true);
            changes.AddRange(made.Result!.Change is { } change ? [change] : []);
        }
        return new Decided(
            acts.Count,
            changes,
            await EffectsAsync(
                actor,
                entity,
                code,
                [
                    .. opened,
                    .. words.Where(w => w.Ours is null).Select(w => ($"{Named.WordPrefix}{w.Field}", w.Theirs)),
                ],
                lands.Any(l => l.How == "open"),
                archived,
                stop
            )
        );
    }

    // Theirs of the pairings that are taken back.
    private async Task<IReadOnlyList<(string Record, string Theirs)>> OpenedAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<PairAct> pairs,
        CancellationToken stop
    )
    {
        var open = pairs.Where(p => p.Do == "open").ToList();
        if (open.Count == 0)
            return [];
        var found = await links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                return set.Result is { SetUp.SetUp: var setUp }
                    ? new Outcome<IReadOnlyList<(string, string)>>(
                        [
                            .. open.Select(p =>
                                    (
                                        p.Record,
                                        p.Theirs == PairAct.NoCounterpart
                                            ? Pairs.Of(setUp, code, p.Record).OfOurs(p.Ours ?? "")?.Theirs ?? ""
                                            : p.Theirs
                                    )
                                )
                                .Where(p => p.Item2.Length > 0),
                        ],
                        null,
                        []
                    )
                    : set.Pass<IReadOnlyList<(string, string)>>();
            },
            stop
        );
        return found.Result ?? [];
    }

    private async Task<IReadOnlyDictionary<(string Field, string Theirs), string?>> BeforeAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyCollection<(string Field, string Theirs, string? Ours)> words,
        CancellationToken stop
    )
    {
        if (words.Count == 0)
            return new Dictionary<(string, string), string?>();
        var said = await links.LookAsync(
            actor,
            entity,
            code,
            async at => new Outcome<IReadOnlyList<LinkWord>>(
                await LinkSettleStore.WordsAsync(at.Db, at.At, stop),
                null,
                []
            ),
            stop
        );
        return (said.Result ?? []).ToDictionary(w => (w.Field, w.Theirs), w => w.Ours);
    }

    // What was posted by a pairing is not posted anew when that is taken back.
    private async Task<IReadOnlyList<string>> EffectsAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<(string Record, string Theirs)> opened,
        bool purposes,
        int archived,
        CancellationToken stop
    )
    {
        if (opened.Count == 0 && !purposes)
            return [];
        var effects = await links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var posted = await LinkRecordStore.PostedByAsync(at.Db, at.At, opened, stop);
                return new Outcome<IReadOnlyList<string>>(
                    [
                        .. posted
                            .OrderByDescending(p => p.Value)
                            .Take(20)
                            .Select(p =>
                                $"{p.Value} posted {(p.Value == 1 ? "event names" : "events name")} {p.Key.Record} {p.Key.Theirs}: "
                                + "they stay as they were posted; to have them otherwise, turn them back."
                            ),
                        .. purposes
                        && (await LinkEventStore.CountsAsync(at.Db, at.At, stop)).Any(c => c.State == "posted")
                            ? (string[])
                                ["What was posted until now stays where it landed; to have it elsewhere, turn it back."]
                            : [],
                    ],
                    null,
                    []
                );
            },
            stop
        );
        return
        [
            .. effects.Result ?? [],
            .. archived == 0
                ? (string[])[]
                :
                [
                    $"{archived} {(archived == 1 ? "record that was" : "records that were")} made there from here {(archived == 1 ? "is" : "are")} archived there.",
                ],
        ];
    }

    // Words and accepted differences.
    private Task<Outcome<bool>> BesideAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<(string Field, string Theirs, string? Ours)> words,
        IReadOnlyList<(string Record, string Theirs, string? Reason, bool Back)> accepts,
        CancellationToken stop
    ) =>
        links.ActAsync<bool>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                if (words.Count + accepts.Count == 0)
                    return true;
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                if (set.Result is not { SetUp.SetUp: var setUp })
                    return set.Pass<bool>();
                foreach (var (field, theirs, ours) in words)
                {
                    var known = WordList.Ours(field, setUp);
                    if (ours is not null && !known.Contains(ours))
                        return Outcome<bool>.No(
                            Refusal.Invalid,
                            "unknown-word",
                            known.Count == 0
                                ? $"There is no word list of '{field}'."
                                : $"That is none of our words: {string.Join(", ", known)}.",
                            "word"
                        );
                    await LinkSettleStore.SetWordAsync(at.Db, at.At, field, theirs, ours, at.Actor.Name, stop);
                    await at.AuditAsync(
                        ours is null ? "word opened again" : "word settled",
                        null,
                        new
                        {
                            field,
                            theirs,
                            ours,
                        },
                        stop
                    );
                }
                var differences =
                    accepts.Count == 0
                        ? []
                        : await ReadNeeds.DifferencesAsync(at.Db, at.At, at.State, at.Link, setUp, stop);
                foreach (var (record, theirs, reason, back) in accepts)
                {
                    if (back)
                    {
                        await LinkSettleStore.UnacceptAsync(at.Db, at.At, record, theirs, stop);
                        await at.AuditAsync("difference opened again", null, new { record, theirs }, stop);
                        continue;
                    }
                    if (differences.FirstOrDefault(d => d.Record == record && d.Theirs == theirs) is not { } difference)
                        return Outcome<bool>.No(
                            Refusal.Conflict,
                            "no-difference",
                            $"{theirs} does not differ any more: look at the list again."
                        );
                    if (record == "tax-code" && difference.Says.Length > 0)
                        await LinkSettleStore.AcceptAsync(
                            at.Db,
                            at.At,
                            new AcceptedDifference(
                                record,
                                theirs,
                                difference.Says,
                                reason!.Trim(),
                                at.Actor.Name,
                                default
                            ),
                            stop
                        );
                    await LinkRecordStore.LookedAtAsync(at.Db, at.At, record, [theirs], stop);
                    await at.AuditAsync(
                        "difference accepted",
                        null,
                        new
                        {
                            record,
                            theirs,
                            difference.Says,
                            reason,
                        },
                        stop
                    );
                }
                return true;
            },
            stop
        );
}
