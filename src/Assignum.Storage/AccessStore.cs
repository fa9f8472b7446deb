using Npgsql;

namespace Assignum.Storage;

/// <summary>A role for all entities (<paramref name="Entity"/> null) or for one.</summary>
public sealed record RoleRow(string Role, string? Entity);

/// <summary>A user as sign-in needs it.</summary>
public sealed record UserRow(
    int Id,
    string SignIn,
    string Name,
    string PasswordHash,
    bool Active,
    Guid Stamp,
    DateTime? LockedUntil,
    IReadOnlyList<RoleRow> Roles
);

/// <summary>A key of the HTTP interface. <paramref name="Entities"/> null: all.</summary>
public sealed record KeyRow(int Id, string Name, string Role, IReadOnlyList<string>? Entities);

/// <summary>Users, roles, keys, and the keys that protect cookies.</summary>
public static class AccessStore
{
    /// <summary>The user of a sign-in name (lower case), or null.</summary>
    public static async Task<UserRow?> UserAsync(NpgsqlConnection db, string signIn, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select u.user_id, u.sign_in, u.name, u.password_hash, u.active, u.stamp, u.locked_until, r.role, e.code
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
                reader.IsDBNull(6) ? null : reader.GetDateTime(6),
                roles
            );
            if (!reader.IsDBNull(7))
                roles.Add(new RoleRow(reader.GetString(7), reader.IsDBNull(8) ? null : reader.GetString(8)));
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

    /// <summary>Notes a wrong password: the account is locked for a while after five in a row.</summary>
    public static async Task FailedAsync(NpgsqlConnection db, string signIn, string address, CancellationToken stop)
    {
        await using var batch = new NpgsqlBatch(db);
        var user = new NpgsqlBatchCommand(
            """
            update app_user set failures = failures + 1,
              locked_until = case when failures + 1 >= 5 then now() + least(interval '15 minutes', interval '30 seconds'
                * power(2, failures - 4)) else locked_until end
            where sign_in = $1
            """
        );
        user.Parameters.Add(new() { Value = signIn });
        batch.BatchCommands.Add(user);
        var failure = new NpgsqlBatchCommand("insert into sign_in_failure (address) values ($1)");
        failure.Parameters.Add(new() { Value = address });
        batch.BatchCommands.Add(failure);
        batch.BatchCommands.Add(
            new NpgsqlBatchCommand("delete from sign_in_failure where at < now() - interval '1 hour'")
        );
        await batch.ExecuteNonQueryAsync(stop);
    }

    /// <summary>How many wrong passwords came from an address in the last five minutes.</summary>
    public static async Task<int> RecentFailuresAsync(NpgsqlConnection db, string address, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "select count(*)::int from sign_in_failure where address = $1 and at > now() - interval '5 minutes'",
            db
        )
        {
            Parameters = { new() { Value = address } },
        };
        return (int)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Forgets wrong passwords after a right one.</summary>
    public static async Task SucceededAsync(NpgsqlConnection db, int user, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            "update app_user set failures = 0, locked_until = null where user_id = $1",
            db
        )
        {
            Parameters = { new() { Value = user } },
        };
        await command.ExecuteNonQueryAsync(stop);
    }

    /// <summary>The key with this hash, if it is not revoked.</summary>
    public static async Task<KeyRow?> KeyAsync(NpgsqlConnection db, byte[] hash, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select k.key_id, k.name, k.role, case when k.entities is null then null else (select
              coalesce(array_agg(e.code), '{}') from entity e where e.entity_id = any(k.entities)) end
            from api_key k where k.key_hash = $1 and k.revoked_at is null
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
                reader.IsDBNull(3) ? null : reader.GetFieldValue<string[]>(3)
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
        using var command = database.Command("select xml from data_protection_key order by name");
        using var reader = command.ExecuteReader();
        var keys = new List<string>();
        while (reader.Read())
            keys.Add(reader.GetString(0));
        return keys;
    }

    /// <summary>Stores a data-protection key.</summary>
    public static void StoreProtectionKey(Database database, string name, string xml)
    {
        using var command = database.Command(
            "insert into data_protection_key values ($1, $2) on conflict (name) do nothing"
        );
        command.Parameters.Add(new() { Value = name });
        command.Parameters.Add(new() { Value = xml });
        command.ExecuteNonQuery();
    }
}
