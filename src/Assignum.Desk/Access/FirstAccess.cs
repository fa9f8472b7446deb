using Assignum.Storage;

namespace Assignum.Desk.Access;

/// <summary>What an empty database needs before anybody can come in, and the keys that all processes share.</summary>
public sealed class FirstAccess(DeskContext desk)
{
    /// <summary>Makes the administrator's key, where there is none.</summary>
    /// <returns>Whether it was made.</returns>
    public async Task<bool> KeyAsync(string key, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await AccessStore.CreateKeyAsync(db, "administrator", SignIn.HashKey(key), "administrator", null, stop);
    }

    /// <summary>Whether a key is known and not revoked.</summary>
    public async Task<bool> IsKeyAsync(string key, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await AccessStore.KeyAsync(db, SignIn.HashKey(key), stop) is not null;
    }

    /// <summary>Whether anybody can sign in.</summary>
    public async Task<bool> AnybodyAsync(CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await AccessStore.AnyUserAsync(db, stop);
    }

    /// <summary>Makes somebody who may sign in, with one role for all entities.</summary>
    public async Task PersonAsync(string signIn, string name, string password, string role, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        await AccessStore.CreateUserAsync(
            db,
            signIn,
            name,
            SignIn.HashPassword(signIn, password),
            [(role, null)],
            stop
        );
    }

    /// <summary>The keys that protect cookies, as XML.</summary>
    public IReadOnlyList<string> ProtectionKeys() => [.. AccessStore.ProtectionKeys(desk.Database)];

    /// <summary>Keeps such a key.</summary>
    public void KeepProtectionKey(string name, string xml) => AccessStore.StoreProtectionKey(desk.Database, name, xml);
}
