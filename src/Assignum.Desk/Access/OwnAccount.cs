using System.Security.Cryptography;
using Assignum.Core.Access;
using Assignum.Storage;
using Npgsql;
using OtpNet;

namespace Assignum.Desk.Access;

/// <summary>Hides what must be kept but not read in the database.</summary>
public interface ISecrets
{
    /// <summary>A text that only <see cref="Show"/> reads.</summary>
    string Hide(string text);

    /// <summary>What was hidden; null: it was not hidden by us.</summary>
    string? Show(string hidden);

    /// <summary>Whether what it hides with lies outside the database and its backups.</summary>
    bool Outside { get; }
}

/// <summary>What somebody sees of the own account.</summary>
/// <param name="Codes">Recovery codes left.</param>
public sealed record OwnView(
    string SignIn,
    string Name,
    bool SecondFactor,
    int Codes,
    IReadOnlyList<SessionRow> Sessions
);

/// <summary>A second factor that is to be confirmed: for the eye and for a device's camera.</summary>
/// <param name="Secret">Base 32, in fours.</param>
/// <param name="Address">An <c>otpauth</c> address (the open convention of authenticator applications).</param>
public sealed record FactorBegun(string Secret, string Address);

/// <summary>One's own password, second factor (RFC 6238: SHA-1, 6 digits, 30 seconds) and sessions.</summary>
/// <remarks>Whatever makes the account weaker asks for the password again.</remarks>
public sealed class OwnAccount(DeskContext desk, ISecrets secrets)
{
    private const int RecoveryCodes = 10;

    /// <summary>The account; null: whoever acts is not a person.</summary>
    public async Task<OwnView?> SeeAsync(Actor actor, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        if (await AccessStore.UserAsync(db, actor.Name, stop) is not { } user)
            return null;
        return new OwnView(
            user.SignIn,
            user.Name,
            user.SecondFactor,
            await FactorStore.LeftAsync(db, user.Id, stop),
            await FactorStore.SessionsAsync(db, user.Id, stop)
        );
    }

    /// <summary>Sets another password: all sessions end, this one too.</summary>
    public Task<Outcome<bool>> PasswordAsync(Actor actor, string? now, string? wanted, CancellationToken stop) =>
        ProvedAsync(
            actor,
            now,
            "password changed",
            async (db, user) =>
            {
                if (Passwords.Wrong(wanted ?? "", user.SignIn, user.Name) is { } wrong)
                    return Outcome<bool>.No(Refusal.Invalid, [wrong]);
                await PeopleStore.SetPasswordAsync(db, user.Id, SignIn.HashPassword(user.SignIn, wanted!), stop);
                return true;
            },
            stop
        );

    /// <summary>Makes a secret; it counts once a code of it was typed.</summary>
    public async Task<Outcome<FactorBegun>> BeginAsync(Actor actor, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        if (await AccessStore.UserAsync(db, actor.Name, stop) is not { } user)
            return NoPerson<FactorBegun>();
        var secret = Base32Encoding.ToString(RandomNumberGenerator.GetBytes(20)).TrimEnd('=');
        if (await FactorStore.BeginAsync(db, user.Id, secrets.Hide(secret), stop) == 0)
            return Outcome<FactorBegun>.No(
                Refusal.Conflict,
                "exists",
                "A second factor is set up already: take it away first."
            );
        return Begun(user.SignIn, secret);
    }

    /// <summary>Confirms it by a code.</summary>
    /// <returns>Recovery codes, shown once.</returns>
    public async Task<Outcome<IReadOnlyList<string>>> ConfirmAsync(Actor actor, string? code, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await using var all = await db.BeginTransactionAsync(stop);
        if (await AccessStore.UserAsync(db, actor.Name, stop) is not { } user)
            return NoPerson<IReadOnlyList<string>>();
        if (
            await FactorStore.OfAsync(db, user.Id, stop) is not { ConfirmedAt: null }
            || !await OpensAsync(db, user.Id, code ?? "", secrets, desk.Clock, stop, true)
        )
            return Outcome<IReadOnlyList<string>>.No(
                Refusal.Invalid,
                "wrong-code",
                "That is not the code of now: look at the device's clock, and type the next one.",
                "code"
            );
        var codes = Enumerable
            .Range(0, RecoveryCodes)
            .Select(_ => Convert.ToHexStringLower(RandomNumberGenerator.GetBytes(8)))
            .ToList();
        await FactorStore.ConfirmAsync(db, user.Id, [.. codes.Select(SignIn.HashKey)], stop);
        await EntityStore.AuditAsync(db, null, user.SignIn, "second factor set up", "", null, null, stop);
        await all.CommitAsync(stop);
        return codes;
    }

    /// <summary>Takes the second factor away.</summary>
    public Task<Outcome<bool>> DropAsync(Actor actor, string? password, CancellationToken stop) =>
        ProvedAsync(
            actor,
            password,
            "second factor taken away",
            async (db, user) =>
            {
                await FactorStore.DropAsync(db, user.Id, stop);
                return true;
            },
            stop
        );

    /// <summary>Ends a session of one's own, or with <paramref name="others"/> all but that.</summary>
    public async Task EndAsync(Actor actor, Guid session, bool others, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        if (await AccessStore.UserAsync(db, actor.Name, stop) is not { } user)
            return;
        await FactorStore.EndAsync(db, user.Id, session, others, stop);
        var what = others ? "other sessions ended" : "session ended";
        await EntityStore.AuditAsync(db, null, user.SignIn, what, "", null, null, stop);
    }

    /// <summary>Whether a code opens: of the second factor, each step of time once, or a recovery code, which is then
    /// used up.</summary>
    /// <param name="begun">Also of one that is to be confirmed.</param>
    internal static async Task<bool> OpensAsync(
        NpgsqlConnection db,
        int user,
        string code,
        ISecrets secrets,
        TimeProvider clock,
        CancellationToken stop,
        bool begun = false
    )
    {
        code = code.Replace(" ", "", StringComparison.Ordinal).Replace("-", "", StringComparison.Ordinal);
        if (await FactorStore.OfAsync(db, user, stop) is not { } factor || !begun && factor.ConfirmedAt is null)
            return false;
        if (code.Length != 6)
            return !begun
                && code.Length <= 100
                && await FactorStore.UseAsync(db, user, SignIn.HashKey(code.ToLowerInvariant()), stop);
        if (secrets.Show(factor.Secret) is not { } secret)
            return false;
        return new Totp(Base32Encoding.ToBytes(secret)).VerifyTotp(
                clock.GetUtcNow().UtcDateTime,
                code,
                out var step,
                new VerificationWindow(1, 1)
            ) && await FactorStore.StepAsync(db, user, step, stop);
    }

    private static FactorBegun Begun(string signIn, string secret) =>
        new(
            string.Join(' ', secret.Chunk(4).Select(c => new string(c))),
            $"otpauth://totp/Assignum:{Uri.EscapeDataString(signIn)}?secret={secret}&issuer=Assignum"
        );

    private async Task<Outcome<bool>> ProvedAsync(
        Actor actor,
        string? password,
        string what,
        Func<NpgsqlConnection, UserRow, Task<Outcome<bool>>> act,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        if (await AccessStore.UserAsync(db, actor.Name, stop) is not { } user)
            return NoPerson<bool>();
        var hash = SignIn.HashKey(user.SignIn);
        // Whoever found an open session guesses the password here no faster than at the door.
        if (await SignIn.HeldBackAsync<bool>(db, hash, OwnPlace, stop) is { } held)
            return held;
        if (!SignIn.IsPassword(user, password ?? ""))
        {
            await AccessStore.FailedAsync(db, hash, OwnPlace, stop);
            return Outcome<bool>.No(Refusal.Invalid, "wrong-password", "The password of now is wrong.", "now");
        }
        await using var all = await db.BeginTransactionAsync(stop);
        var outcome = await act(db, user);
        if (outcome.Refused is not null)
            return outcome;
        await EntityStore.AuditAsync(db, null, user.SignIn, what, "", null, null, stop);
        await all.CommitAsync(stop);
        return outcome;
    }

    private const string OwnPlace = "own page";

    private static Outcome<T> NoPerson<T>() =>
        Outcome<T>.No(Refusal.NotFound, "unknown-person", "Only people have an own page.");
}
