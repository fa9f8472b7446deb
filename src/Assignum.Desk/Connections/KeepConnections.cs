using System.Security.Cryptography;
using Assignum.Core;
using Assignum.Core.Money;
using Assignum.Core.Pairing;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>What is said of a connection; null: as it was, or as is usual.</summary>
/// <param name="Version">The version that was seen; null: whatever there is.</param>
public sealed record ConnectionForm(
    string? Code,
    string? Kind,
    string? Name,
    string? Address,
    string? Key,
    string? Currency,
    int? GapMinutes,
    int? PatienceDays,
    string? ClosedPeriod,
    IReadOnlyList<string>? Admits,
    int? Version,
    string? Sends = null,
    string? SendsBy = null,
    string? Folder = null
);

/// <summary>A connection that was just made, with the secret of its hooks: told once.</summary>
public sealed record NewConnection(Connection Link, string HookSecret);

/// <summary>Makes connections, changes them, tests them, and takes them from state to state.</summary>
public sealed class KeepConnections(LinkDesk links)
{
    /// <summary>How long the secret of hooks before the newest is good.</summary>
    public static readonly TimeSpan Overlap = TimeSpan.FromHours(24);

    private const int LongestKey = 2000;

    /// <summary>All of an entity, closed ones last.</summary>
    public async Task<Outcome<IReadOnlyList<Connection>>> ListAsync(Actor actor, string entity, CancellationToken stop)
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        return entered.Result is { State: var state }
            ? new Outcome<IReadOnlyList<Connection>>(
                [.. (await ConnectionStore.ListAsync(db, state.Id, stop)).OrderBy(c => c.State == "closed")],
                null,
                []
            )
            : entered.Pass<IReadOnlyList<Connection>>();
    }

    /// <summary>One of them.</summary>
    public Task<Outcome<Connection>> FindAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.LookAsync(actor, entity, code, at => Task.FromResult<Outcome<Connection>>(at.Link), stop);

    /// <summary>Makes one, in state draft.</summary>
    public async Task<Outcome<NewConnection>> CreateAsync(
        Actor actor,
        string entity,
        ConnectionForm form,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Administrator, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<NewConnection>();
        var blank = new Connection(
            0,
            form.Code?.Trim() ?? "",
            form.Kind ?? "",
            "",
            "",
            state.Currency,
            10,
            3,
            "refuse",
            "draft",
            null,
            null,
            null,
            [],
            null,
            0,
            false,
            0,
            null,
            null,
            actor.Name,
            default
        );
        var faults = new List<Fault>();
        if (blank.Code.Length == 0)
            faults.Add(
                new Fault("missing-value", "Give it a code: the source under which its events are known.", "code")
            );
        else if (blank.Code.Length > 40 || Codes.Wrong(blank.Code) is not null)
            faults.Add(new Fault("bad-code", Codes.Wrong(blank.Code) ?? "A code has at most 40 characters.", "code"));
        else if (blank.Code.Equals("own", StringComparison.OrdinalIgnoreCase))
            faults.Add(new Fault("bad-code", "'own' is Assignum itself: choose another code.", "code"));
        if (LinkKind.Find(form.Kind) is null)
            faults.Add(
                new Fault(
                    "unknown-word",
                    $"'kind' is one of {string.Join(", ", LinkKind.All.Select(k => k.Name))}.",
                    "kind"
                )
            );
        if (!links.Secrets.Outside)
            faults.Add(
                new Fault(
                    "no-ring",
                    "Keys are kept only where what encrypts them is outside the database: whoever runs the server sets ASSIGNUM_RING.",
                    "key"
                )
            );
        // A ledger that gets files is asked only where it says an address.
        var asked =
            LinkKind.Find(form.Kind) is not { IsAsked: false }
            && !(form.SendsBy == "file" && string.IsNullOrWhiteSpace(form.Address));
        if (asked && string.IsNullOrEmpty(form.Key))
            faults.Add(new Fault("missing-value", "Enter the key that the system gave for us.", "key"));
        var link = Filled(
            blank,
            form with
            {
                Name = form.Name ?? "",
                Address = asked ? form.Address ?? "" : null,
                Key = asked ? form.Key : null,
            },
            state.Currency,
            faults
        );
        if (faults.Count > 0)
            return Outcome<NewConnection>.No(Refusal.Invalid, faults);
        var secret = NewSecret();
        await using var transaction = await db.BeginTransactionAsync(stop);
        if (
            await ConnectionStore.AddAsync(
                db,
                state.Id,
                link,
                asked ? links.Secrets.Hide(form.Key!) : null,
                links.Secrets.Hide(secret),
                stop
            )
            is not { } made
        )
            return Outcome<NewConnection>.No(
                Refusal.Conflict,
                "exists",
                $"{link.Code} is or was the code of another connection, and codes are never used again: choose another.",
                "code"
            );
        if (!asked)
        {
            // Nothing has to be fetched first: what is uploaded is what there is.
            await ConnectionStore.ChangeAsync(
                db,
                state.Id,
                made with
                {
                    State = "joining",
                    Life = made.Kind,
                },
                null,
                stop
            );
            made = (await ConnectionStore.FindAsync(db, state.Id, made.Code, false, stop))!;
        }
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "connection made",
            $"connection {made.Code}",
            null,
            Told(made),
            stop
        );
        await transaction.CommitAsync(stop);
        return new NewConnection(made, secret);
    }

    /// <summary>Changes what is said of one. A changed address needs the key again.</summary>
    public Task<Outcome<Connection>> ChangeAsync(
        Actor actor,
        string entity,
        string code,
        ConnectionForm form,
        CancellationToken stop
    ) =>
        links.ActAsync<Connection>(
            actor,
            entity,
            Role.Administrator,
            code,
            async at =>
            {
                if (form.Version is { } seen && seen != at.Link.Version)
                    return Meanwhile(at.Link);
                var faults = new List<Fault>();
                if (form.Code is { } other && other != at.Link.Code || form.Kind is { } kind && kind != at.Link.Kind)
                    faults.Add(
                        new Fault(
                            "fixed",
                            "Code and kind of a connection stay: make another connection instead.",
                            form.Kind is { } k && k != at.Link.Kind ? "kind" : "code"
                        )
                    );
                var next = Filled(at.Link, form, at.State.Currency, faults);
                if (next.Address != at.Link.Address && string.IsNullOrEmpty(form.Key))
                    faults.Add(
                        new Fault(
                            "key-needed",
                            "Another address needs the key again: it is never sent where it was not entered for.",
                            "key"
                        )
                    );
                if (faults.Count > 0)
                    return Outcome<Connection>.No(Refusal.Invalid, faults);
                var hidden = string.IsNullOrEmpty(form.Key) ? null : links.Secrets.Hide(form.Key);
                if (!await ConnectionStore.ChangeAsync(at.Db, at.State.Id, next, hidden, stop))
                    return Meanwhile(at.Link);
                await at.AuditAsync(
                    "connection changed",
                    Told(at.Link),
                    new { Now = Told(next), NewKey = hidden is not null },
                    stop
                );
                return (await ConnectionStore.FindAsync(at.Db, at.State.Id, code, false, stop))!;
            },
            stop
        );

    /// <summary>Another secret for hooks; the one before it holds for a day.</summary>
    public Task<Outcome<string>> RenewHookAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.ActAsync<string>(
            actor,
            entity,
            Role.Administrator,
            code,
            async at =>
            {
                var secret = NewSecret();
                await ConnectionStore.RenewHookAsync(
                    at.Db,
                    at.State.Id,
                    at.Link.Id,
                    links.Secrets.Hide(secret),
                    Overlap,
                    stop
                );
                await at.AuditAsync("hook secret renewed", null, null, stop);
                return secret;
            },
            stop
        );

    /// <summary>Every problem that stands in the way of asking it.</summary>
    public async Task<Outcome<IReadOnlyList<LinkProblem>>> TestAsync(
        Actor actor,
        string entity,
        string code,
        CancellationToken stop
    )
    {
        (string? Key, string, string?) hidden = default;
        var found = await links.ActAsync<Connection>(
            actor,
            entity,
            Role.Preparer,
            code,
            async at =>
            {
                hidden = await ConnectionStore.SecretsAsync(at.Db, at.State.Id, at.Link.Id, stop);
                await at.AuditAsync("connection tested", null, null, stop);
                return at.Link;
            },
            stop
        );
        if (found.Result is not { } link)
            return found.Pass<IReadOnlyList<LinkProblem>>();
        var key = hidden.Key is null ? null : links.Secrets.Show(hidden.Key);
        return new Outcome<IReadOnlyList<LinkProblem>>(
            await new TestLink(
                links.Settings.Hosts,
                links.Settings.Limits with
                {
                    Timeout = TimeSpan.FromSeconds(10),
                },
                links.Desk.Clock
            ).ProblemsAsync(link.Kind, link.Address, key ?? "", link.Currency, stop),
            null,
            []
        );
    }

    /// <summary>Pauses it: nothing is asked of it until it is resumed.</summary>
    public Task<Outcome<Connection>> PauseAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        TurnAsync(
            actor,
            entity,
            code,
            "connection paused",
            link =>
                link.State is "joining" or "live"
                    ? link with
                    {
                        State = "paused",
                        PausedFrom = link.State,
                        Why = null,
                    }
                    : null,
            "Only what is joining or live can be paused.",
            stop
        );

    /// <summary>Resumes it. Where it lives another life, its lists are read from their beginning.</summary>
    public Task<Outcome<Connection>> ResumeAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        TurnAsync(
            actor,
            entity,
            code,
            "connection resumed",
            link =>
                link.State == "paused"
                    ? link with
                    {
                        State = link.PausedFrom ?? "joining",
                        PausedFrom = null,
                        Why = null,
                        Refusals = 0,
                        Life = link.Why == "another-life" ? null : link.Life,
                    }
                    : null,
            "Only what is paused can be resumed.",
            stop
        );

    /// <summary>Closes it for good, once nothing of it waits.</summary>
    public Task<Outcome<Connection>> CloseAsync(Actor actor, string entity, string code, CancellationToken stop) =>
        links.ActAsync<Connection>(
            actor,
            entity,
            Role.Administrator,
            code,
            async at =>
            {
                var open = (await LinkEventStore.CountsAsync(at.Db, at.At, stop))
                    .Where(c => c.State is "received" or "waiting" or "dead")
                    .Sum(c => c.Waits.Events);
                if (open > 0)
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        "still-waiting",
                        $"{open} of its events wait: settle what they wait for, or set them aside, then close it."
                    );
                var unsent = (await LinkJournalStore.CountsAsync(at.Db, at.At, stop))
                    .Where(c => c.State is "received" or "waiting" or "dead")
                    .Sum(c => c.Waits.Events);
                if (unsent > 0)
                    return Outcome<Connection>.No(
                        Refusal.Conflict,
                        "still-unsent",
                        $"{unsent} journals are not there yet: settle what they wait for, then close it."
                    );
                return await TurnedAsync(at, at.Link with { State = "closed", Why = null }, "connection closed", stop);
            },
            stop
        );

    private Task<Outcome<Connection>> TurnAsync(
        Actor actor,
        string entity,
        string code,
        string what,
        Func<Connection, Connection?> turn,
        string why,
        CancellationToken stop
    ) =>
        links.ActAsync<Connection>(
            actor,
            entity,
            Role.Reviewer,
            code,
            async at =>
                turn(at.Link) is { } next
                    ? await TurnedAsync(at, next, what, stop)
                    : Outcome<Connection>.No(
                        Refusal.Conflict,
                        "wrong-state",
                        $"{at.Link.Name} is {at.Link.State}. {why}"
                    ),
            stop
        );

    internal static async Task<Outcome<Connection>> TurnedAsync(
        AtLink at,
        Connection next,
        string what,
        CancellationToken stop
    )
    {
        if (!await ConnectionStore.ChangeAsync(at.Db, at.State.Id, next, null, stop))
            return Meanwhile(at.Link);
        await at.AuditAsync(
            what,
            new { at.Link.State, at.Link.Why },
            new
            {
                next.State,
                next.Why,
                next.LiveFrom,
            },
            stop
        );
        return (await ConnectionStore.FindAsync(at.Db, at.State.Id, at.Link.Code, false, stop))!;
    }

    private static Outcome<Connection> Meanwhile(Connection link) =>
        Outcome<Connection>.No(
            Refusal.Conflict,
            "changed-meanwhile",
            $"Somebody changed {link.Name} meanwhile: nothing was overwritten. Look at it again."
        );

    private static object Told(Connection link) =>
        new
        {
            link.Kind,
            link.Name,
            link.Address,
            link.Currency,
            link.GapMinutes,
            link.PatienceDays,
            link.ClosedPeriod,
            link.Sends,
            link.SendsBy,
            link.Folder,
            link.Admits,
        };

    private static string NewSecret() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));

    private Connection Filled(Connection link, ConnectionForm form, string usual, List<Fault> faults)
    {
        var name = (form.Name ?? link.Name).Trim();
        if (name.Length is 0 or > 200 || name.Any(char.IsControl))
            faults.Add(new Fault("bad-text", "Give it a name of at most 200 characters.", "name"));
        var address = (form.Address ?? link.Address).Trim();
        if (form.Address is not null)
        {
            var (read, wrong) = LinkAddress.Read(address, links.Settings.Hosts);
            if (wrong is not null)
                faults.Add(wrong);
            else
                address = read!.Root.AbsoluteUri;
        }
        if (form.Key is { } key && (key.Length > LongestKey || key.Any(c => c is < '!' or > '~')))
            faults.Add(
                new Fault(
                    "bad-text",
                    "A key is of letters, digits and signs without blanks, as a header may have.",
                    "key"
                )
            );
        var currency = (form.Currency ?? link.Currency).Trim();
        if (!Currencies.Exists(currency))
            faults.Add(
                new Fault("unknown-currency", $"'{Short(currency)}' is no currency, such as {usual}.", "currency")
            );
        var (gap, patience) = (form.GapMinutes ?? link.GapMinutes, form.PatienceDays ?? link.PatienceDays);
        if (gap is < 0 or > 1440)
            faults.Add(new Fault("out-of-range", "A missing number is waited for 0 to 1440 minutes.", "gapMinutes"));
        if (patience is < 0 or > 365)
            faults.Add(new Fault("out-of-range", "Documents of others are waited for 0 to 365 days.", "patienceDays"));
        var closed = form.ClosedPeriod ?? link.ClosedPeriod;
        if (closed is not ("refuse" or "next-open"))
            faults.Add(new Fault("unknown-word", "'closedPeriod' is 'refuse' or 'next-open'.", "closedPeriod"));
        var by = form.SendsBy ?? link.SendsBy;
        if (by is not ("interface" or "file"))
            faults.Add(new Fault("unknown-word", "'sendsBy' is 'interface' or 'file'.", "sendsBy"));
        else if (by == "file" && LinkKind.Find(link.Kind) is { TakesEntries: false })
            faults.Add(new Fault("unknown-word", "Only to a ledger journals go on, by file or otherwise.", "sendsBy"));
        else if (
            by == "interface"
            && link.Id > 0
            && LinkKind.Find(link.Kind) is { IsAsked: true }
            && address.Length == 0
        )
            faults.Add(new Fault("missing-value", "By its interface it needs an address and a key.", "address"));
        var folder =
            form.Folder is null ? link.Folder
            : form.Folder.Trim() is { Length: > 0 } said ? said
            : null;
        if (folder is not null && folder != link.Folder)
        {
            if (LinkKind.Find(link.Kind) is { IsAsked: true })
                faults.Add(new Fault("unknown-word", "Only a connection of files has a folder.", "folder"));
            else if (WatchedFolder.Wrong(folder, links.Settings.Folders) is { } wrong)
                faults.Add(wrong);
        }
        var sends = form.Sends ?? link.Sends;
        if (sends is not ("entries" or "day-sums"))
            faults.Add(new Fault("unknown-word", "'sends' is 'entries' or 'day-sums'.", "sends"));
        var admits = form.Admits ?? link.Admits;
        foreach (var kind in admits.Where(k => Core.Entries.EventKinds.Find(k) is null or { MadeHere: true }))
            faults.Add(
                new Fault("unknown-kind", $"'{Short(kind)}' is no kind of event that another can send.", "admits")
            );
        return link with
        {
            Name = name,
            Address = address,
            Currency = currency,
            GapMinutes = gap,
            PatienceDays = patience,
            ClosedPeriod = closed,
            Sends = sends,
            SendsBy = by,
            Folder = folder,
            Admits = [.. admits.Distinct(StringComparer.Ordinal)],
        };
    }

    private static string Short(string text) => text.Length > 40 ? text[..40] : text;
}
