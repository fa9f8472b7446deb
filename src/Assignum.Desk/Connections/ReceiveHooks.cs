using System.Globalization;
using System.Security.Cryptography;
using System.Text;
using Assignum.Core.Pairing;
using Assignum.Storage;

namespace Assignum.Desk.Connections;

/// <summary>Takes calls of connected systems: they only make us ask sooner.</summary>
public sealed class ReceiveHooks(LinkDesk links, AskLinks ask)
{
    /// <summary>How far a call's time may be from ours.</summary>
    public static readonly TimeSpan Window = TimeSpan.FromSeconds(300);

    /// <summary>Most bytes that are looked at.</summary>
    public const int MostBytes = 1 << 20;

    /// <summary>Takes a call.</summary>
    /// <param name="time">Seconds since 1970, or a moment as ISO 8601 writes it.</param>
    /// <param name="signature"><c>sha256=</c> and the HMAC of time, a point and the body, in hex.</param>
    /// <returns>Whether it is theirs, in time and new. Nothing else is told: whoever calls is not known yet.</returns>
    public async Task<bool> TakeAsync(
        string entity,
        string code,
        string? time,
        string? signature,
        byte[] body,
        CancellationToken stop
    )
    {
        if (
            When(time) is not { } when
            || (links.Desk.Clock.GetUtcNow() - when).Duration() > Window
            || signature is not { Length: 71 }
            || !signature.StartsWith("sha256=", StringComparison.Ordinal)
        )
            return false;
        byte[] given;
        try
        {
            given = Convert.FromHexString(signature.AsSpan(7));
        }
        catch (FormatException)
        {
            return false;
        }
        await using var db = await links.Desk.Database.OpenAsync(stop);
        if (
            await EntityStore.IdAsync(db, entity, stop) is not { } id
            || await ConnectionStore.FindAsync(db, id, code, false, stop) is not { State: not "closed" } link
        )
            return false;
        var (_, hook, before) = await ConnectionStore.SecretsAsync(db, id, link.Id, stop);
        byte[] signed = [.. Encoding.UTF8.GetBytes(time + "."), .. body];
        var good = false;
        foreach (var hidden in new[] { hook, before })
            if (hidden is not null && links.Secrets.Show(hidden) is { } secret)
                good |= CryptographicOperations.FixedTimeEquals(
                    HMACSHA256.HashData(Encoding.UTF8.GetBytes(secret), signed),
                    given
                );
        if (
            !good
            || !await ConnectionStore.TakeHookAsync(
                db,
                id,
                link.Id,
                Convert.ToHexStringLower(given),
                Window + Window + Window,
                stop
            )
        )
            return false;
        // What is paused is told that it was heard, and is asked nothing.
        if (link.State is "joining" or "live")
            await ask.SoonAsync(entity, link, stop);
        return true;
    }

    private static DateTimeOffset? When(string? time) =>
        long.TryParse(time, NumberStyles.None, CultureInfo.InvariantCulture, out var seconds)
        && seconds is > 0 and < 99_999_999_999
            ? DateTimeOffset.FromUnixTimeSeconds(seconds)
        : DateTimeOffset.TryParse(time, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out var moment)
            ? moment
        : null;
}
