using System.Security.Cryptography;
using Assignum.Core;
using Assignum.Core.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Access;

/// <summary>Who may come in, and with which keys.</summary>
/// <param name="Conflicts">Duties that one person holds together.</param>
public sealed record Access(
    IReadOnlyList<PersonRow> People,
    IReadOnlyList<KeyInfo> Keys,
    IReadOnlyList<DutyConflict> Conflicts
);

/// <summary>Lets an administrator of everything look after people and keys. What is shown once is kept as a hash.</summary>
public sealed class KeepPeople(DeskContext desk)
{
    /// <summary>How long a link lets somebody set a password.</summary>
    public static readonly TimeSpan LinkLasts = TimeSpan.FromDays(3);

    private const int LongestName = 100;

    /// <summary>Everybody and every key.</summary>
    public async Task<Outcome<Access>> ListAsync(Actor actor, CancellationToken stop)
    {
        if (!actor.MayEverywhere(Role.Administrator))
            return No<Access>();
        await using var db = await desk.Database.OpenAsync(stop);
        var (people, keys) = (await PeopleStore.ListAsync(db, stop), await PeopleStore.KeysAsync(db, stop));
        var entities = await EntityStore.AllWithAsync(db, "four-eyes", stop);
        return new Access(people, keys, Duties.Of(people, keys, entities, desk.Clock.GetUtcNow().UtcDateTime));
    }

    /// <summary>Adds somebody with a first role.</summary>
    /// <param name="entity">Its code; empty: everywhere.</param>
    /// <returns>The token of a link that sets the first password.</returns>
    public async Task<Outcome<string>> InviteAsync(
        Actor actor,
        string? signIn,
        string? name,
        string? role,
        string? entity,
        CancellationToken stop
    )
    {
        signIn = signIn?.Trim().ToLowerInvariant() ?? "";
        name = name?.Trim() ?? "";
        if (
            signIn.Length is 0 or > LongestName
            || !signIn.All(c => char.IsLetterOrDigit(c) || c is '.' or '-' or '_' or '@')
        )
            return Outcome<string>.No(
                Refusal.Invalid,
                "bad-name",
                "A name to sign in with is letters, digits, points, hyphens and @.",
                "signIn"
            );
        if (name.Length is 0 or > LongestName)
            return Outcome<string>.No(Refusal.Invalid, "missing-value", "Write the person's name.", "name");
        return await HoldAsync(
            actor,
            async (db, people) =>
            {
                if (await RoleAsync(db, role, entity, stop) is not { } given)
                    return BadRole<string>();
                if (people.Any(p => p.SignIn == signIn))
                    return Outcome<string>.No(
                        Refusal.Conflict,
                        "name-taken",
                        $"Somebody signs in as {signIn} already: take another name.",
                        "signIn"
                    );
                await AccessStore.CreateUserAsync(db, signIn, name, "", [given], stop);
                var made = (await PeopleStore.ListAsync(db, stop)).Single(p => p.SignIn == signIn);
                await AuditAsync(
                    db,
                    actor,
                    "person invited",
                    signIn,
                    null,
                    new
                    {
                        name,
                        role,
                        entity,
                    },
                    stop
                );
                return await LinkAsync(db, actor, made.Id, stop);
            },
            stop
        );
    }

    /// <summary>A link for somebody who forgot the password; the one of before counts until it is used.</summary>
    public Task<Outcome<string>> HelpAsync(Actor actor, int id, CancellationToken stop) =>
        OfAsync<string>(
            actor,
            id,
            async (db, person, _) =>
            {
                await AuditAsync(db, actor, "password link made", person.SignIn, null, null, stop);
                return await LinkAsync(db, actor, id, stop);
            },
            stop
        );

    /// <summary>Gives a role, or takes it away; at least one administrator of everything who can sign in stays.</summary>
    public Task<Outcome<bool>> RoleAsync(
        Actor actor,
        int id,
        string? role,
        string? entity,
        bool gives,
        CancellationToken stop
    ) =>
        OfAsync<bool>(
            actor,
            id,
            async (db, person, people) =>
            {
                if (await RoleAsync(db, role, entity, stop) is not { } given)
                    return BadRole<bool>();
                if (!gives && given is ("administrator", null) && IsLast(people, id))
                    return LastOne<bool>();
                if (gives)
                    await PeopleStore.GiveAsync(db, id, given.Role, given.Entity, stop);
                else
                    await PeopleStore.TakeAsync(db, id, given.Role, given.Entity, stop);
                object said = new { role, entity };
                await AuditAsync(
                    db,
                    actor,
                    gives ? "role given" : "role taken away",
                    person.SignIn,
                    gives ? null : said,
                    gives ? said : null,
                    stop
                );
                return true;
            },
            stop
        );

    /// <summary>Lets somebody in again, or no longer: sessions end at once.</summary>
    public Task<Outcome<bool>> ActiveAsync(Actor actor, int id, bool active, CancellationToken stop) =>
        OfAsync<bool>(
            actor,
            id,
            async (db, person, people) =>
            {
                if (!active && IsLast(people, id))
                    return LastOne<bool>();
                await PeopleStore.ActiveAsync(db, id, active, stop);
                if (!active)
                    await PeopleStore.EndSessionsAsync(db, id, stop);
                await AuditAsync(
                    db,
                    actor,
                    active ? "person let in again" : "person kept out",
                    person.SignIn,
                    new { person.Active },
                    new { active },
                    stop
                );
                return true;
            },
            stop
        );

    /// <summary>Lets somebody try again at once who is held back for wrong passwords.</summary>
    public Task<Outcome<bool>> UnlockAsync(Actor actor, int id, CancellationToken stop) =>
        OfAsync<bool>(
            actor,
            id,
            async (db, person, _) =>
            {
                await PeopleStore.UnlockAsync(db, SignIn.HashKey(person.SignIn), stop);
                await AuditAsync(db, actor, "wrong passwords forgotten", person.SignIn, null, null, stop);
                return true;
            },
            stop
        );

    /// <summary>Ends all sessions of somebody.</summary>
    public Task<Outcome<bool>> EndSessionsAsync(Actor actor, int id, CancellationToken stop) =>
        OfAsync<bool>(
            actor,
            id,
            async (db, person, _) =>
            {
                await PeopleStore.EndSessionsAsync(db, id, stop);
                await AuditAsync(db, actor, "sessions ended", person.SignIn, new { person.Sessions }, null, stop);
                return true;
            },
            stop
        );

    /// <summary>Makes a key.</summary>
    /// <param name="entities">Codes, separated by blanks or commas; empty: all.</param>
    /// <param name="days">How long it opens; null: until it is revoked.</param>
    /// <returns>The key, which is shown once.</returns>
    public async Task<Outcome<string>> MakeKeyAsync(
        Actor actor,
        string? name,
        string? role,
        string? entities,
        int? days,
        CancellationToken stop,
        string? sources = null
    )
    {
        name = name?.Trim() ?? "";
        var from = (sources ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries);
        if (from.Any(s => s.Length > LongestName))
            return Outcome<string>.No(
                Refusal.Invalid,
                "too-long",
                $"A source has at most {LongestName} characters.",
                "sources"
            );
        if (name.Length is 0 or > LongestName)
            return Outcome<string>.No(
                Refusal.Invalid,
                "missing-value",
                "Name the system that will hold the key.",
                "name"
            );
        if (!Words.TryParse<Role>(role ?? "", out _))
            return BadRole<string>();
        if (days is < 1 or > 3650)
            return Outcome<string>.No(
                Refusal.Invalid,
                "out-of-range",
                "A key lasts from 1 to 3,650 days, or has no end.",
                "days"
            );
        return await HoldAsync(
            actor,
            async (db, _) =>
            {
                var codes = (entities ?? "").Split([' ', ','], StringSplitOptions.RemoveEmptyEntries);
                var ids = new List<int>();
                foreach (var code in codes)
                    if (await EditionStore.StateAsync(db, code, false, stop) is { } state)
                        ids.Add(state.Id);
                    else
                        return Outcome<string>.No(
                            Refusal.Invalid,
                            "unknown-entity",
                            $"There is no entity {code}.",
                            "entities"
                        );
                var key = Secret();
                DateTime? expires = days is { } lasts ? desk.Clock.GetUtcNow().UtcDateTime.AddDays(lasts) : null;
                if (
                    !await PeopleStore.MakeKeyAsync(
                        db,
                        name,
                        SignIn.HashKey(key),
                        role!,
                        codes.Length == 0 ? null : [.. ids],
                        from.Length == 0 ? null : from,
                        expires,
                        actor.Name,
                        stop
                    )
                )
                    return Outcome<string>.No(
                        Refusal.Conflict,
                        "name-taken",
                        $"There is a key {name} already, perhaps revoked: take another name.",
                        "name"
                    );
                await AuditAsync(
                    db,
                    actor,
                    "key made",
                    name,
                    null,
                    new
                    {
                        role,
                        entities = codes,
                        sources = from,
                        expires,
                    },
                    stop
                );
                return key;
            },
            stop
        );
    }

    /// <summary>Gives a key another secret; what opened before opens nothing more.</summary>
    public Task<Outcome<string>> RotateAsync(Actor actor, int id, CancellationToken stop) =>
        HoldAsync<string>(
            actor,
            async (db, _) =>
            {
                var key = (await PeopleStore.KeysAsync(db, stop)).FirstOrDefault(k => k.Id == id);
                var secret = Secret();
                if (key is null || !await PeopleStore.RotateAsync(db, id, SignIn.HashKey(secret), stop))
                    return Outcome<string>.No(
                        Refusal.NotFound,
                        "unknown-key",
                        "There is no such key, or it is revoked."
                    );
                await AuditAsync(db, actor, "key made anew", key.Name, null, null, stop);
                return secret;
            },
            stop
        );

    /// <summary>Takes the second factor of somebody away who lost it, and ends the sessions.</summary>
    public Task<Outcome<bool>> DropFactorAsync(Actor actor, int id, CancellationToken stop) =>
        OfAsync<bool>(
            actor,
            id,
            async (db, person, _) =>
            {
                await FactorStore.DropAsync(db, id, stop);
                await PeopleStore.EndSessionsAsync(db, id, stop);
                await AuditAsync(db, actor, "second factor taken away", person.SignIn, null, null, stop);
                return true;
            },
            stop
        );

    /// <summary>Takes a key's right away for good.</summary>
    public Task<Outcome<bool>> RevokeAsync(Actor actor, int id, CancellationToken stop) =>
        HoldAsync<bool>(
            actor,
            async (db, _) =>
            {
                var key = (await PeopleStore.KeysAsync(db, stop)).FirstOrDefault(k => k.Id == id);
                if (key is null || !await PeopleStore.RevokeAsync(db, id, stop))
                    return Outcome<bool>.No(Refusal.NotFound, "unknown-key", "There is no such key, or it is revoked.");
                await AuditAsync(db, actor, "key revoked", key.Name, new { key.Role }, null, stop);
                return true;
            },
            stop
        );

    /// <summary>Whose link it is; null: nobody's, or it is over.</summary>
    public async Task<string?> OfLinkAsync(string? token, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return (await PeopleStore.OfLinkAsync(db, HashOf(token), stop))?.SignIn;
    }

    /// <summary>Sets a password by a link, which is then over; sessions of before end.</summary>
    public async Task<Outcome<string>> UseLinkAsync(string? token, string? password, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        if (await PeopleStore.OfLinkAsync(db, HashOf(token), stop) is not { } person)
            return Outcome<string>.No(
                Refusal.NotFound,
                "link-over",
                "This link was used, or its time is over. Ask an administrator for another."
            );
        if (Passwords.Wrong(password ?? "", person.SignIn, person.Name) is { } wrong)
            return Outcome<string>.No(Refusal.Invalid, [wrong]);
        await PeopleStore.SetPasswordAsync(db, person.Id, SignIn.HashPassword(person.SignIn, password!), stop);
        await EntityStore.AuditAsync(db, null, person.SignIn, "password set by link", "", null, null, stop);
        await transaction.CommitAsync(stop);
        return person.SignIn;
    }

    private static bool IsLast(IReadOnlyList<PersonRow> people, int id) =>
        !people.Any(p =>
            p.Id != id
            && p is { Active: true, HasPassword: true }
            && p.Roles.Any(r => r is { Role: "administrator", Entity: null })
        );

    private static async Task<string> LinkAsync(NpgsqlConnection db, Actor actor, int id, CancellationToken stop)
    {
        var token = Secret();
        await PeopleStore.LinkAsync(db, id, HashOf(token), LinkLasts, actor.Name, stop);
        return token;
    }

    private static string Secret() => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(32));

    private static byte[] HashOf(string? token) => SignIn.HashKey(token ?? "");

    private static async Task<(string Role, int? Entity)?> RoleAsync(
        NpgsqlConnection db,
        string? role,
        string? entity,
        CancellationToken stop
    )
    {
        if (!Words.TryParse<Role>(role ?? "", out _))
            return null;
        if (string.IsNullOrWhiteSpace(entity))
            return (role!, null);
        return await EditionStore.StateAsync(db, entity.Trim(), false, stop) is { } state ? (role!, state.Id) : null;
    }

    private Task<Outcome<T>> OfAsync<T>(
        Actor actor,
        int id,
        Func<NpgsqlConnection, PersonRow, IReadOnlyList<PersonRow>, Task<Outcome<T>>> what,
        CancellationToken stop
    ) =>
        HoldAsync(
            actor,
            async (db, people) =>
                people.FirstOrDefault(p => p.Id == id) is { } person
                    ? await what(db, person, people)
                    : Outcome<T>.No(Refusal.NotFound, "unknown-person", "There is no such person."),
            stop
        );

    private async Task<Outcome<T>> HoldAsync<T>(
        Actor actor,
        Func<NpgsqlConnection, IReadOnlyList<PersonRow>, Task<Outcome<T>>> what,
        CancellationToken stop
    )
    {
        if (!actor.MayEverywhere(Role.Administrator))
            return No<T>();
        await using var db = await desk.Database.OpenAsync(stop);
        if (!actor.Strong && await EntityStore.IsOnAsync(db, null, "second-factor", stop))
            return Outcome<T>.No(
                Refusal.Forbidden,
                "second-factor-needed",
                "Administrators act with a second factor here: set yours up on your own page (/me), then sign in again."
            );
        await using var transaction = await db.BeginTransactionAsync(stop);
        await PeopleStore.HoldAsync(db, stop);
        var outcome = await what(db, await PeopleStore.ListAsync(db, stop));
        if (outcome.Refused is null)
            await transaction.CommitAsync(stop);
        return outcome;
    }

    private static Task AuditAsync(
        NpgsqlConnection db,
        Actor actor,
        string what,
        string subject,
        object? before,
        object? after,
        CancellationToken stop
    ) => EntityStore.AuditAsync(db, null, actor.Name, what, subject, before, after, stop);

    private static Outcome<T> No<T>() =>
        Outcome<T>.No(Refusal.Forbidden, "role-needed", "This needs the role administrator for all entities.");

    private static Outcome<T> BadRole<T>() =>
        Outcome<T>.No(
            Refusal.Invalid,
            "bad-role",
            "A role is viewer, preparer, reviewer or administrator, in an entity that there is or everywhere.",
            "role"
        );

    private static Outcome<T> LastOne<T>() =>
        Outcome<T>.No(
            Refusal.Conflict,
            "last-administrator",
            "Nobody else administers everything: give that role to somebody who can sign in, then take it here."
        );
}
