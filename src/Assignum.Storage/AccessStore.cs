using Assignum.Core.Access;
using Npgsql;

namespace Assignum.Storage;

/// <summary>A user as sign-in needs it.</summary>
public sealed record UserRow(
    int Id,
    string SignIn,
    string Name,
    string PasswordHash,
    bool Active,
    Guid Stamp,
    bool SecondFactor,
    IReadOnlyList<RoleRow> Roles
);

/// <summary>A key of the HTTP interface. <paramref name="Entities"/> null: all.</summary>
/// <param name="Sources">Whose events it may send; null: all.</param>
public sealed record KeyRow(
    int Id,
    string Name,
    string Role,
    IReadOnlyList<string>? Entities,
    IReadOnlyList<string>? Sources
);

/// <summary>Users, roles, keys, and the keys that protect cookies.</summary>
public static class AccessStore
{
    /// <summary>The user of a sign-in name (lower case), or null.</summary>
    public static async Task<UserRow?> UserAsync(NpgsqlConnection db, string signIn, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select u.user_id, u.sign_in, u.name, u.password_hash, u.active, u.stamp, r.role, e.code,
              exists (select from second_factor f where f.user_id = u.user_id and f.confirmed_at is not null)
            from app_user u left join user_role r using (user_id) left join entity e on e.entity_id = r.entity_id where
              u.sign_in = $1
            """,
            db
        )
        {
            Parameters = { new() { Value = signIn } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        UserRow? user = null;
        var roles = new List<RoleRow>();
        while (await reader.ReadAsync(stop))
        {
            user ??= new UserRow(
                reader.GetInt32(0),
                reader.GetString(1),
                reader.GetString(2),
                reader.GetString(3),
                reader.GetBoolean(4),
                reader.GetGuid(5),
                reader.GetBoolean(8),
                roles
            );
            if (!reader.IsDBNull(6))
                roles.Add(new RoleRow(reader.GetString(6), reader.IsDBNull(7) ? null : reader.GetString(7)));
        }
        return user;
    }

    /// <summary>Creates a user, or returns false when the name is taken.</summary>
    public static async Task<bool> CreateUserAsync(
        NpgsqlConnection db,
        string signIn,
        string name,
        string passwordHash,
        IReadOnlyList<(string Role, int? Entity)> roles,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            with made as (insert into app_user (sign_in, name, password_hash) values ($1, $2, $3) on conflict (sign_in)
              do nothing returning user_id)
            insert into user_role (user_id, role, entity_id) select user_id, r.role, r.entity from made, unnest($4, $5)
              as r(role, entity)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = signIn },
                new() { Value = name },
                new() { Value = passwordHash },
                new() { Value = roles.Select(r => r.Role).ToArray() },
                new() { Value = roles.Select(r => r.Entity).ToArray() },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) > 0;
    }

    /// <summary>Whether any user exists.</summary>
    public static async Task<bool> AnyUserAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("select exists (select from app_user)", db);
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Notes a wrong password of a name at an address.</summary>
    /// <param name="name">The name's hash: it is noted whether there is one or not.</param>
    public static async Task FailedAsync(NpgsqlConnection db, byte[] name, string address, CancellationToken stop)
    {
        await using var batch = new NpgsqlBatch(db);
        var failure = new NpgsqlBatchCommand("insert into sign_in_failure (name, address) values ($1, $2)");
        failure.Parameters.Add(new() { Value = name });
        failure.Parameters.Add(new() { Value = address });
        batch.BatchCommands.Add(failure);
        batch.BatchCommands.Add(
            new NpgsqlBatchCommand("delete from sign_in_failure where at < now() - interval '1 hour'")
        );
        await batch.ExecuteNonQueryAsync(stop);
    }

    /// <summary>How many wrong passwords came from an address in the last five minutes; how many of them and before for
    /// one name, in the last hour, and how long ago the latest was.</summary>
    public static async Task<(int OfAddress, int OfName, TimeSpan Ago)> FailuresAsync(
        NpgsqlConnection db,
        byte[] name,
        string address,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select (select count(*)::int from sign_in_failure where address = $2 and at > now() - interval '5 minutes'),
              count(*)::int, coalesce(now() - max(at), interval '1 day')
            from sign_in_failure where name = $1 and address = $2 and at > now() - interval '1 hour'
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = name },
                new() { Value = address },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        await reader.ReadAsync(stop);
        return (reader.GetInt32(0), reader.GetInt32(1), reader.GetTimeSpan(2));
    }

    /// <summary>Begins a session after a right password: wrong ones of that name at that address are forgotten, and
    /// sessions that are over.</summary>
    public static async Task<Guid> BeginSessionAsync(
        NpgsqlConnection db,
        int user,
        byte[] name,
        string address,
        CancellationToken stop
    )
    {
        var session = Guid.NewGuid();
        await using var batch = new NpgsqlBatch(db);
        var begin = new NpgsqlBatchCommand("insert into session (session_id, user_id, address) values ($1, $2, $3)");
        begin.Parameters.Add(new() { Value = session });
        begin.Parameters.Add(new() { Value = user });
        begin.Parameters.Add(new() { Value = address });
        var forget = new NpgsqlBatchCommand("delete from sign_in_failure where name = $1 and address = $2");
        forget.Parameters.Add(new() { Value = name });
        forget.Parameters.Add(new() { Value = address });
        var over = new NpgsqlBatchCommand("delete from session where started_at < now() - $1 or seen_at < now() - $2");
        over.Parameters.Add(new() { Value = LongestSession });
        over.Parameters.Add(new() { Value = LongestIdle });
        foreach (var command in new[] { begin, forget, over })
            batch.BatchCommands.Add(command);
        await batch.ExecuteNonQueryAsync(stop);
        return session;
    }

    /// <summary>How long a session lasts in all, and without a request.</summary>
    public static readonly TimeSpan LongestSession = TimeSpan.FromHours(24),
        LongestIdle = TimeSpan.FromHours(10);

    /// <summary>Whether a session of a user goes on; that it was seen is noted once a minute.</summary>
    public static async Task<bool> GoesOnAsync(NpgsqlConnection db, Guid session, int user, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            with seen as (
              update session set seen_at = now() where session_id = $1 and seen_at < now() - interval '1 minute'
                and seen_at > now() - $4)
            select exists (select from session where session_id = $1 and user_id = $2 and started_at > now() - $3
              and seen_at > now() - $4)
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = session },
                new() { Value = user },
                new() { Value = LongestSession },
                new() { Value = LongestIdle },
            },
        };
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Ends a session.</summary>
    public static async Task EndSessionAsync(NpgsqlConnection db, Guid session, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand("delete from session where session_id = $1", db)
        {
            Parameters = { new() { Value = session } },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The key with this hash, if it is not revoked and its time is not over; that it was used is noted once a
    /// minute.</summary>
    public static async Task<KeyRow?> KeyAsync(NpgsqlConnection db, byte[] hash, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            with used as (
              update api_key set last_used_at = now() where key_hash = $1 and revoked_at is null
                and coalesce(last_used_at, '-infinity') < now() - interval '1 minute')
            select k.key_id, k.name, k.role, case when k.entities is null then null else (select
              coalesce(array_agg(e.code), '{}') from entity e where e.entity_id = any(k.entities)) end, k.sources
            from api_key k where k.key_hash = $1 and k.revoked_at is null and coalesce(k.expires_at, 'infinity') > now()
            """,
            db
        )
        {
            Parameters = { new() { Value = hash } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop)
            ? new KeyRow(
                reader.GetInt32(0),
                reader.GetString(1),
                reader.GetString(2),
                reader.IsDBNull(3) ? null : reader.GetFieldValue<string[]>(3),
                reader.IsDBNull(4) ? null : reader.GetFieldValue<string[]>(4)
            )
            : null;
    }

    /// <summary>Stores a key's hash; false when a key of that name exists.</summary>
    public static async Task<bool> CreateKeyAsync(
        NpgsqlConnection db,
        string name,
        byte[] hash,
        string role,
        int[]? entities,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "insert into api_key (name, key_hash, role, entities) values ($1, $2, $3, $4) on conflict (name) do "
                + "nothing",
            db
        )
        {
            Parameters =
            {
                new() { Value = name },
                new() { Value = hash },
                new() { Value = role },
                new()
                {
                    Value = (object?)entities ?? DBNull.Value,
                    NpgsqlDbType = NpgsqlTypes.NpgsqlDbType.Array | NpgsqlTypes.NpgsqlDbType.Integer,
                },
            },
        };
        return await command.ExecuteNonQueryAsync(stop) > 0;
    }

    /// <summary>Every stored data-protection key.</summary>
    public static IReadOnlyList<string> ProtectionKeys(Database database)
    {
        using var db = database.Open();
        using var command = new NpgsqlCommand("select xml from data_protection_key order by name", db);
        using var reader = command.ExecuteReader();
        var keys = new List<string>();
        while (reader.Read())
            keys.Add(reader.GetString(0));
        return keys;
    }

    /// <summary>Stores a data-protection key.</summary>
    public static void StoreProtectionKey(Database database, string name, string xml)
    {
        using var db = database.Open();
        using var command = new NpgsqlCommand(
            "insert into data_protection_key values ($1, $2) on conflict (name) do nothing",
            db
        );
        command.Parameters.Add(new() { Value = name });
        command.Parameters.Add(new() { Value = xml });
        command.ExecuteNonQuery();
    }
}
