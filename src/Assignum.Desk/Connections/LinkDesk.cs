using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Where connected systems may be, and how patiently they are asked.</summary>
/// <param name="Hosts">Hosts and ports that may be private or this machine.</param>
/// <param name="Pause">Before something that failed is asked again for the first time.</param>
/// <param name="Folders">Folders of the server under which files may be taken.</param>
public sealed record LinkSettings(
    IReadOnlyCollection<string> Hosts,
    LinkLimits Limits,
    TimeSpan Pause,
    IReadOnlyCollection<string> Folders
)
{
    /// <summary>Of what whoever runs the server lists: <c>host:port</c>, apart by commas or blanks.</summary>
    /// <param name="folders">Folders, apart by colons.</param>
    public static LinkSettings Of(string? hosts, string? folders = null) =>
        new(
            (hosts ?? "").Split(
                [',', ' ', ';'],
                StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries
            ),
            LinkLimits.Usual,
            TimeSpan.FromSeconds(1),
            (folders ?? "").Split(':', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries)
        );
}

/// <summary>Somebody at a connection, in one transaction.</summary>
internal sealed record AtLink(NpgsqlConnection Db, Visit Visit, Connection Link)
{
    public Actor Actor => Visit.Actor;
    public EntityState State => Visit.State;
    public (int Entity, int Connection) At => (State.Id, Link.Id);

    /// <summary>Leaves an audit line about the connection.</summary>
    public Task AuditAsync(string what, object? before, object? after, CancellationToken stop) =>
        EntityStore.AuditAsync(Db, State.Id, Actor.Name, what, $"connection {Link.Code}", before, after, stop);
}

/// <summary>What all tasks about connections share: who may, which one, and how it is asked.</summary>
public sealed class LinkDesk(DeskContext desk, ISecrets secrets, LinkSettings settings)
{
    internal DeskContext Desk => desk;
    internal ISecrets Secrets => secrets;
    internal LinkSettings Settings => settings;

    /// <summary>Looks at a connection.</summary>
    internal async Task<Outcome<T>> LookAsync<T>(
        Actor actor,
        string entity,
        string code,
        Func<AtLink, Task<Outcome<T>>> what,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { } visit)
            return entered.Pass<T>();
        return await ConnectionStore.FindAsync(db, visit.State.Id, code, false, stop) is { } link
            ? await what(new AtLink(db, visit, link))
            : None<T>(code);
    }

    /// <summary>Does something at a connection, in one transaction that holds it; what is refused is rolled back.</summary>
    internal async Task<Outcome<T>> ActAsync<T>(
        Actor actor,
        string entity,
        Role role,
        string code,
        Func<AtLink, Task<Outcome<T>>> what,
        CancellationToken stop,
        bool closed = false
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, role, false, stop);
        if (entered.Result is not { } visit)
            return entered.Pass<T>();
        await using var transaction = await db.BeginTransactionAsync(stop);
        if (await ConnectionStore.FindAsync(db, visit.State.Id, code, true, stop) is not { } link)
            return None<T>(code);
        if (link.State == "closed" && !closed)
            return Outcome<T>.No(
                Refusal.Conflict,
                "closed",
                $"{link.Name} is closed: nothing of it is changed any more."
            );
        var outcome = await what(new AtLink(db, visit, link));
        if (outcome.Refused is null)
            await transaction.CommitAsync(stop);
        return outcome;
    }

    /// <summary>Opens the way to a connected system.</summary>
    internal async Task<(LinkClient? Client, Fault? Fault)> OpenAsync(
        NpgsqlConnection db,
        int entity,
        Connection link,
        CancellationToken stop
    )
    {
        var (address, wrong) = LinkAddress.Read(link.Address, settings.Hosts);
        if (address is null)
            return (null, wrong);
        var hidden = await ConnectionStore.SecretsAsync(db, entity, link.Id, stop);
        if (hidden.Key is null || secrets.Show(hidden.Key) is not { Length: > 0 } key)
            return (
                null,
                new Fault(
                    "key-needed",
                    $"The key of {link.Name} cannot be read here any more: enter it again where the connection is kept.",
                    "key"
                )
            );
        return await LinkClient.OpenAsync(address, key, settings.Limits, stop);
    }

    private static Outcome<T> None<T>(string code) =>
        Outcome<T>.No(
            Refusal.NotFound,
            "unknown-connection",
            $"There is no connection {(code.Length > 60 ? code[..60] : code)} here."
        );
}
