using System.Security.Cryptography;
using System.Text;
using Assignum.Storage;
using Microsoft.AspNetCore.Identity;

namespace Assignum.Desk.Access;

/// <summary>Somebody who is signed in.</summary>
/// <param name="Stamp">Changes with the password: an older session ends.</param>
/// <param name="Session">The session that began with signing in.</param>
/// <param name="Actor">With the roles held.</param>
/// <param name="Ticket">Not empty: the password was right, and a code of the second factor is still needed; this says
/// for whom.</param>
public sealed record Person(string SignIn, string Name, Guid Stamp, Guid Session, Actor Actor, string Ticket = "");

/// <summary>Signs users in and recognises keys.</summary>
/// <remarks>
/// Five wrong passwords of a name from an address hold that name back from there for a growing while: whoever guesses
/// elsewhere keeps nobody out. An address with very many of them is held back whole. The answers are the same, and take
/// as long, for names that there are and names that there are not.
/// </remarks>
public sealed class SignIn(DeskContext desk, ISecrets? secrets = null)
{
    private static readonly PasswordHasher<string> Hasher = new();
    private static readonly string NobodysHash = Hasher.HashPassword("", Guid.NewGuid().ToString());
    private const int NameLimit = 5,
        AddressLimit = 300;

    /// <summary>Shortest password taken.</summary>
    public const int ShortestPassword = 12;

    /// <summary>The user, or a refusal in words for the page.</summary>
    public async Task<Outcome<Person>> RunAsync(string name, string password, string address, CancellationToken stop)
    {
        var signIn = name.Trim().ToLowerInvariant();
        var hash = HashKey(signIn);
        await using var db = await desk.Database.OpenAsync(stop);
        if (await HeldBackAsync<Person>(db, hash, address, stop) is { } held)
            return held;
        var user = password.Length > 1000 ? null : await AccessStore.UserAsync(db, signIn, stop);
        var verdict = Hasher.VerifyHashedPassword(
            signIn,
            user?.PasswordHash ?? NobodysHash,
            password.Length > 1000 ? "" : password
        );
        if (user is not { Active: true } || verdict == PasswordVerificationResult.Failed)
        {
            await AccessStore.FailedAsync(db, hash, address, stop);
            DeskFigures.SignIn("refused");
            await EntityStore.AuditAsync(
                db,
                null,
                user?.SignIn ?? "unknown",
                "sign-in refused",
                address,
                null,
                null,
                stop
            );
            return Outcome<Person>.No(Refusal.Invalid, "wrong-sign-in", "The name or the password is wrong.");
        }
        if (user.SecondFactor)
            return PersonOf(user, default) with
            {
                Ticket = Secrets.Hide($"{desk.Clock.GetUtcNow().ToUnixTimeSeconds()} {user.Stamp} {user.SignIn}"),
            };
        return await BeginAsync(db, user, hash, address, stop);
    }

    /// <summary>Goes on after the right password with a code of the second factor, or a recovery code.</summary>
    public async Task<Outcome<Person>> CodeAsync(string ticket, string code, string address, CancellationToken stop)
    {
        var over = Outcome<Person>.No(Refusal.NotFound, "sign-in-over", "Too much time has passed: sign in again.");
        if (
            Secrets.Show(ticket)?.Split(' ', 3) is not [var began, var stamp, var signIn]
            || !long.TryParse(began, out var at)
            || desk.Clock.GetUtcNow() - DateTimeOffset.FromUnixTimeSeconds(at) > TicketLasts
        )
            return over;
        var hash = HashKey(signIn);
        await using var db = await desk.Database.OpenAsync(stop);
        if (await HeldBackAsync<Person>(db, hash, address, stop) is { } held)
            return held;
        if (
            await AccessStore.UserAsync(db, signIn, stop) is not { Active: true } user
            || user.Stamp.ToString() != stamp
        )
            return over;
        if (!await OwnAccount.OpensAsync(db, user.Id, code, Secrets, desk.Clock, stop))
        {
            await AccessStore.FailedAsync(db, hash, address, stop);
            DeskFigures.SignIn("refused");
            await EntityStore.AuditAsync(db, null, user.SignIn, "code refused", address, null, null, stop);
            return Outcome<Person>.No(
                Refusal.Invalid,
                "wrong-code",
                "The code is wrong, or was used before: wait for the next one."
            );
        }
        return await BeginAsync(db, user, hash, address, stop);
    }

    /// <summary>A refusal where wrong passwords or codes of a name from a place hold it back there; null: they do
    /// not.</summary>
    internal static async Task<Outcome<T>?> HeldBackAsync<T>(
        Npgsql.NpgsqlConnection db,
        byte[] name,
        string place,
        CancellationToken stop
    )
    {
        var (ofPlace, ofName, ago) = await AccessStore.FailuresAsync(db, name, place, stop);
        return ofPlace >= AddressLimit || ofName >= NameLimit && ago < Wait(ofName)
            ? Outcome<T>.No(
                Refusal.Forbidden,
                "throttled",
                "Too many wrong passwords or codes came from here. Wait a few minutes and try again."
            )
            : null;
    }

    private static readonly TimeSpan TicketLasts = TimeSpan.FromMinutes(5);

    private ISecrets Secrets =>
        secrets ?? throw new InvalidOperationException("Second factors need what hides their secrets.");

    private static async Task<Person> BeginAsync(
        Npgsql.NpgsqlConnection db,
        UserRow user,
        byte[] hash,
        string address,
        CancellationToken stop
    )
    {
        var session = await AccessStore.BeginSessionAsync(db, user.Id, hash, address, stop);
        await EntityStore.AuditAsync(db, null, user.SignIn, "signed in", address, null, null, stop);
        DeskFigures.SignIn("signed in");
        return PersonOf(user, session);
    }

    // 30 seconds after the fifth, twice as long with each, at most 15 minutes.
    private static TimeSpan Wait(int failures) =>
        TimeSpan.FromSeconds(Math.Min(900, 30 * Math.Pow(2, Math.Min(10, failures - NameLimit))));

    /// <summary>A user still entitled to a session with this stamp, or null.</summary>
    public async Task<Person?> StillAsync(string signIn, Guid stamp, Guid session, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return
            await AccessStore.UserAsync(db, signIn, stop) is { Active: true } user
            && user.Stamp == stamp
            && await AccessStore.GoesOnAsync(db, session, user.Id, stop)
            ? PersonOf(user, session)
            : null;
    }

    /// <summary>Ends a session, whoever still has its cookie.</summary>
    public async Task EndAsync(string signIn, Guid session, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await AccessStore.EndSessionAsync(db, session, stop);
        await EntityStore.AuditAsync(db, null, signIn, "signed out", "", null, null, stop);
    }

    /// <summary>The actor behind a key of the HTTP interface, or null.</summary>
    public async Task<Actor?> KeyAsync(string key, CancellationToken stop)
    {
        if (key.Length is < 32 or > 500)
            return null;
        await using var db = await desk.Database.OpenAsync(stop);
        if (
            await AccessStore.KeyAsync(db, HashKey(key), stop) is not { } row
            || !Core.Words.TryParse<Role>(row.Role, out var role)
        )
            return null;
        return new Actor(
            "key " + row.Name,
            row.Entities is null ? role : null,
            row.Entities?.ToDictionary(e => e, _ => role) ?? []
        )
        {
            Sources = row.Sources,
        };
    }

    /// <summary>What is stored of a key, a link, or a name that was typed.</summary>
    public static byte[] HashKey(string key) => SHA256.HashData(Encoding.UTF8.GetBytes(key));

    /// <summary>What is stored of a password.</summary>
    public static string HashPassword(string signIn, string password) => Hasher.HashPassword(signIn, password);

    /// <summary>Whether a password is somebody's.</summary>
    internal static bool IsPassword(UserRow user, string password) =>
        password.Length <= 1000
        && Hasher.VerifyHashedPassword(user.SignIn, user.PasswordHash, password) != PasswordVerificationResult.Failed;

    private static Person PersonOf(UserRow user, Guid session) =>
        new(user.SignIn, user.Name, user.Stamp, session, ActorOf(user));

    private static Actor ActorOf(UserRow user)
    {
        Role? everywhere = null;
        var named = new Dictionary<string, Role>(StringComparer.Ordinal);
        foreach (var row in user.Roles)
        {
            if (!Core.Words.TryParse<Role>(row.Role, out var role))
                continue;
            if (row.Entity is null)
                everywhere = everywhere is { } e && e > role ? e : role;
            else if (!named.TryGetValue(row.Entity, out var held) || held < role)
                named[row.Entity] = role;
        }
        return new Actor(user.SignIn, everywhere, named) { Strong = user.SecondFactor };
    }
}
