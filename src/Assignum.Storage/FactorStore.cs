using Assignum.Core.Access;
using Npgsql;
using static Assignum.Storage.PeopleStore;

namespace Assignum.Storage;

/// <summary>Second factors, recovery codes and sessions of one person.</summary>
public static class FactorStore
{
    /// <summary>The hidden secret, and since when it is confirmed; null: there is none.</summary>
    public static async Task<(string Secret, DateTime? ConfirmedAt)?> OfAsync(
        NpgsqlConnection db,
        int user,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select secret, confirmed_at from second_factor where user_id = $1",
            db
        );
        command.Parameters.Add(new() { Value = user });
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop)
            ? (reader.GetString(0), reader.IsDBNull(1) ? null : reader.GetDateTime(1))
            : null;
    }

    /// <summary>Keeps a secret that is to be confirmed; one that is confirmed stays.</summary>
    public static Task<int> BeginAsync(NpgsqlConnection db, int user, string secret, CancellationToken stop) =>
        DoAsync(
            db,
            "insert into second_factor (user_id, secret) values ($1, $2) on conflict (user_id) do update set secret = "
                + "excluded.secret, last_step = 0 where second_factor.confirmed_at is null",
            stop,
            user,
            secret
        );

    /// <summary>Notes that a step of time opened; false where it, or a later one, did before.</summary>
    public static async Task<bool> StepAsync(NpgsqlConnection db, int user, long step, CancellationToken stop) =>
        await DoAsync(
            db,
            "update second_factor set last_step = $2 where user_id = $1 and last_step < $2",
            stop,
            user,
            step
        ) > 0;

    /// <summary>The secret is in use from here on, with these recovery codes.</summary>
    public static async Task ConfirmAsync(NpgsqlConnection db, int user, byte[][] codes, CancellationToken stop)
    {
        await DoAsync(db, "update second_factor set confirmed_at = now() where user_id = $1", stop, user);
        await DoAsync(db, "delete from recovery_code where user_id = $1", stop, user);
        await DoAsync(
            db,
            "insert into recovery_code (user_id, code_hash) select $1, c from unnest($2) as u(c)",
            stop,
            user,
            codes
        );
    }

    /// <summary>Uses a recovery code up; false where there is none like it.</summary>
    public static async Task<bool> UseAsync(NpgsqlConnection db, int user, byte[] code, CancellationToken stop) =>
        await DoAsync(db, "delete from recovery_code where user_id = $1 and code_hash = $2", stop, user, code) > 0;

    /// <summary>How many recovery codes are left.</summary>
    public static async Task<int> LeftAsync(NpgsqlConnection db, int user, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select count(*)::int from recovery_code where user_id = $1", db);
        command.Parameters.Add(new() { Value = user });
        return (int)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>There is no second factor any more.</summary>
    public static async Task DropAsync(NpgsqlConnection db, int user, CancellationToken stop)
    {
        await DoAsync(db, "delete from recovery_code where user_id = $1", stop, user);
        await DoAsync(db, "delete from second_factor where user_id = $1", stop, user);
    }

    /// <summary>The sessions that go on, the latest seen first.</summary>
    public static async Task<IReadOnlyList<SessionRow>> SessionsAsync(
        NpgsqlConnection db,
        int user,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select session_id, started_at, seen_at, address from session where user_id = $1 and started_at > now() - $2 "
                + "and seen_at > now() - $3 order by seen_at desc",
            db
        )
        {
            Parameters =
            {
                new() { Value = user },
                new() { Value = AccessStore.LongestSession },
                new() { Value = AccessStore.LongestIdle },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var sessions = new List<SessionRow>();
        while (await reader.ReadAsync(stop))
            sessions.Add(new(reader.GetGuid(0), reader.GetDateTime(1), reader.GetDateTime(2), reader.GetString(3)));
        return sessions;
    }

    /// <summary>Ends one session of somebody, or all but one.</summary>
    public static Task EndAsync(NpgsqlConnection db, int user, Guid session, bool others, CancellationToken stop) =>
        DoAsync(
            db,
            $"delete from session where user_id = $1 and session_id {(others ? "<>" : "=")} $2",
            stop,
            user,
            session
        );
}
