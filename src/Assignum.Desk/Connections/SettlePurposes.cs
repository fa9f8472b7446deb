using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>A purpose that a connection's events reach, as it stands.</summary>
/// <param name="Settled">What somebody said of it; null: nothing yet.</param>
/// <param name="Open">Whether it is still to be settled: nothing was said, or it lands elsewhere than when it was.</param>
/// <param name="Waits">What waits in events of its kinds at its channel, method and location.</param>
/// <param name="Given">Whether an account can be given here: its ladder asks for one of these, or it has none yet.</param>
public sealed record PurposeStanding(
    PurposeLanding Landing,
    SettledPurpose? Settled,
    bool Open,
    Waits Waits,
    bool Given
);

/// <summary>The purposes of a connection.</summary>
/// <param name="Lacks">Kinds of event of which no example can be made yet, with what is missing for it.</param>
/// <param name="Held">Where events wait that reach one which is open; in the codes of the system.</param>
public sealed record PurposesOfLink(
    IReadOnlyList<PurposeStanding> Purposes,
    IReadOnlyDictionary<string, string> Lacks,
    IReadOnlyList<ReachedAt> Held
);

/// <summary>What is said of a purpose.</summary>
/// <param name="How"><c>confirmed</c>, <c>account</c>, <c>default</c>, or <c>open</c> to take back what was said.</param>
public sealed record PurposeAct(
    string Purpose,
    string Channel,
    string Method,
    string Location,
    string How,
    string? Account,
    string? Reason
);

/// <summary>Settles on what a connection's events land before the first one posts.</summary>
public sealed class SettlePurposes(LinkDesk links, EditSetUp edit)
{
    /// <summary>The purposes as they stand in the draft.</summary>
    public Task<Outcome<PurposesOfLink>> ReadAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.LookAsync(
            actor,
            entity,
            code,
            async at =>
            {
                var set = await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop);
                return set.Result is { SetUp: var setUp }
                    ? await StandingAsync(at.Db, at.State, at.Link, setUp, stop)
                    : set.Pass<PurposesOfLink>();
            },
            stop
        );

    /// <summary>The purposes as they stand in a set-up.</summary>
    internal static async Task<PurposesOfLink> StandingAsync(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        CompiledSetUp setUp,
        CancellationToken stop
    )
    {
        if (link.Of.TakesEntries)
            return new PurposesOfLink([], new Dictionary<string, string>(), []);
        var at = (state.Id, link.Id);
        var s = setUp.SetUp;
        IReadOnlyList<string> Paired(string record) =>
            [
                .. Pairs
                    .Of(s, link.Code, record)
                    .All.Select(p => p.Ours)
                    .OfType<string>()
                    .Distinct(StringComparer.Ordinal)
                    .Order(StringComparer.Ordinal),
            ];
        var reached = await LinkEventStore.ReachedAsync(db, at, stop);
        var words = LinkWords.Of(await LinkSettleStore.WordsAsync(db, at, stop), s);
        var translator = new Translator((kind, id) => Pairs.Of(s, link.Code, kind.Name).OursOf(id), words);
        var samples = await LinkEventStore.PageAsync(
            db,
            at,
            null,
            0,
            int.MaxValue,
            stop,
            [.. reached.Select(r => r.Row).Take(1_000)]
        );
        var real = new List<BusinessEvent>();
        foreach (var sample in samples)
        {
            using var json = System.Text.Json.JsonDocument.Parse(sample.Body);
            var read = LinkJson.Event(link.Code, json.RootElement);
            if (read is { Faults.Count: 0, Voids: null } && translator.Translate(read.Event).Count == 0)
                real.Add(read.Event);
        }
        var kinds = EventKinds.All.Where(k => !k.MadeHere && link.Of.MaySend(k.Name, link.Admits));
        var lacks = new Dictionary<string, string>(StringComparer.Ordinal);
        var landings = ReachedPurposes.Of(
            setUp,
            kinds,
            (Paired("channel"), Paired("method"), Paired("location")),
            real,
            state.Today,
            lacks
        );
        var settled = (await LinkSettleStore.PurposesAsync(db, at, stop)).ToDictionary(p =>
            (p.Purpose, p.Channel, p.Method, p.Location)
        );
        string? Ours(string record, string theirs) =>
            theirs.Length == 0 ? "" : Pairs.Of(s, link.Code, record).OursOf(theirs);
        var waiting = reached
            .Where(r => r.Waits.Events > 0)
            .Select(r =>
                (
                    Of: r,
                    Channel: Ours("channel", r.Channel),
                    Method: Ours("method", r.Method),
                    Location: Ours("location", r.Location)
                )
            )
            .ToList();
        var standing = new List<PurposeStanding>();
        var held = new HashSet<ReachedAt>();
        foreach (var l in landings)
        {
            var said = settled.GetValueOrDefault(l.Key);
            var mine = waiting
                .Where(w =>
                    l.Kinds.Contains(w.Of.Kind)
                    && (l.Channel.Length == 0 || w.Channel == l.Channel)
                    && (l.Method.Length == 0 || w.Method == l.Method)
                    && (l.Location.Length == 0 || w.Location == l.Location)
                )
                .Select(w => w.Of)
                .ToList();
            var stands = said is null ? null : l.As(said);
            var open = stands is null;
            if (open)
                held.UnionWith(mine);
            standing.Add(
                new PurposeStanding(
                    stands ?? l,
                    said,
                    open,
                    new Waits(mine.Sum(w => w.Waits.Events), mine.Sum(w => w.Waits.Amount)),
                    l.Account is null || ReachedPurposes.KeyFor(setUp, l) is not null
                )
            );
        }
        return new PurposesOfLink(standing, lacks, [.. held]);
    }

    /// <summary>Settles purposes: all of them, or none.</summary>
    /// <returns>The change of the draft that gives accounts, to be undone; null: none was given.</returns>
    public async Task<Outcome<long?>> SettleAsync(
        Actor actor,
        string entity,
        string code,
        IReadOnlyList<PurposeAct> acts,
        CancellationToken stop
    )
    {
        var read = await ReadAsync(actor, entity, code, stop);
        if (read.Result is not { } standing)
            return read.Pass<long?>();
        var faults = new List<Fault>();
        var rows = new List<RowChange>();
        var made = new List<(PurposeAct Act, PurposeLanding Landing, string Account)>();
        CompiledSetUp? setUp = null;
        await links.LookAsync<bool>(
            actor,
            entity,
            code,
            async at =>
            {
                setUp = (await new ViewSetUp(links.Desk).OfAsync(at.State, "draft", null, stop)).Result?.SetUp;
                return true;
            },
            stop
        );
        foreach (var (i, act) in acts.Index())
        {
            var key = (act.Purpose, act.Channel, act.Method, act.Location);
            if (standing.Purposes.FirstOrDefault(p => p.Landing.Key == key) is not { Landing: var landing })
            {
                faults.Add(
                    new Fault(
                        "unknown-purpose",
                        $"Nothing of this connection reaches {act.Purpose} there.",
                        $"[{i}].purpose"
                    )
                );
                continue;
            }
            if (Wrong(act, landing, setUp!, rows, out var account) is { } wrong)
                faults.Add(wrong with { Path = $"[{i}].{wrong.Path}" });
            else
                made.Add((act, landing, account));
        }
        if (faults.Count > 0)
            return Outcome<long?>.No(Refusal.Invalid, faults);
        async Task KeepAsync(NpgsqlConnection db, EntityState state)
        {
            var link = (await ConnectionStore.FindAsync(db, state.Id, code, true, stop))!;
            foreach (var (act, landing, account) in made)
            {
                if (act.How == "open")
                    await LinkSettleStore.OpenPurposeAsync(db, (state.Id, link.Id), landing.Key, stop);
                else
                    await LinkSettleStore.SetPurposeAsync(
                        db,
                        (state.Id, link.Id),
                        new SettledPurpose(
                            landing.Purpose.Name,
                            landing.Channel,
                            landing.Method,
                            landing.Location,
                            act.How,
                            account,
                            landing.Rung ?? "",
                            act.Reason,
                            actor.Name,
                            default
                        ),
                        stop
                    );
                await EntityStore.AuditAsync(
                    db,
                    state.Id,
                    actor.Name,
                    act.How == "open" ? "purpose opened again" : "purpose settled",
                    $"connection {code}, {landing.Purpose.Name}",
                    null,
                    new
                    {
                        act.Channel,
                        act.Method,
                        act.Location,
                        act.How,
                        account,
                        act.Reason,
                    },
                    stop
                );
            }
        }
        var done = await edit.ChangeAsync(
            actor,
            entity,
            $"purposes of {code} settled",
            null,
            (_, _, _) => Task.FromResult(new Outcome<IReadOnlyList<RowChange>>(rows, null, [])),
            null,
            stop,
            KeepAsync
        );
        return done.Refused is null
            ? new Outcome<long?>(rows.Count > 0 ? done.Result!.Id : null, null, [])
            : done.Pass<long?>();
    }

    private static Fault? Wrong(
        PurposeAct act,
        PurposeLanding landing,
        CompiledSetUp setUp,
        List<RowChange> rows,
        out string account
    )
    {
        account = landing.Account ?? "";
        switch (act.How)
        {
            case "open":
                return null;
            case "confirmed" when landing.Account is null:
                return new Fault(
                    "no-account",
                    $"{landing.Purpose.Title} lands on nothing yet: give it an account.",
                    "how"
                );
            case "confirmed" when landing.Rung == "default":
                return new Fault(
                    "only-default",
                    $"Nobody chose {landing.Account} for it: give it an account, or leave it to the default and say why.",
                    "how"
                );
            case "confirmed":
                return null;
            case "default" when landing.Rung != "default":
                return new Fault(
                    "no-default",
                    landing.Account is null
                        ? $"{landing.Purpose.Title} has no default: give it an account."
                        : $"{landing.Purpose.Title} lands by {landing.Rung}, not by its default: confirm it.",
                    "how"
                );
            case "default" when string.IsNullOrWhiteSpace(act.Reason):
                return new Fault("reason-needed", "Say why the default is meant.", "reason");
            case "default":
                return null;
            case "account":
                var number = setUp.NumberOf(act.Account?.Trim() ?? "");
                if (setUp.Account(number) is null)
                    return new Fault("unknown-account", $"There is no account '{act.Account}'.", "account");
                if (ReachedPurposes.KeyFor(setUp, landing) is not { } key)
                {
                    // Only its default is left: that is said, not done in passing.
                    if (landing.Account is not null)
                        return new Fault(
                            "no-rung",
                            $"The ladder of {landing.Purpose.Title.ToLowerInvariant()} asks for none of channel, method and "
                                + "location: change its assignment on the page of assignments.",
                            "account"
                        );
                    key = [];
                }
                var wanted = Parts.CellsOf(new Assignment(landing.Purpose.Name, number, key));
                var rowKey = Parts.Assignments.KeyOf(wanted);
                var before = Parts.Assignments.Row(setUp.SetUp, rowKey);
                if (rows.All(r => r.Key != rowKey))
                    rows.Add(new RowChange(Parts.Assignments, rowKey, before, wanted));
                account = number;
                return null;
            default:
                return new Fault("unknown-word", "'how' is confirmed, account, default or open.", "how");
        }
    }
}
