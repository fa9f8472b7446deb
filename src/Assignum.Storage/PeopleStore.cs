using Assignum.Core.Access;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>People, their roles and links, and keys.</summary>
public static class PeopleStore
{
    /// <summary>Everybody, by sign-in.</summary>
    public static async Task<IReadOnlyList<PersonRow>> ListAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select u.user_id, u.sign_in, u.name, u.active, u.password_hash <> '',
              array(select r.role from user_role r left join entity e using (entity_id) where r.user_id = u.user_id
                order by e.code nulls first, r.role),
              array(select coalesce(e.code, '') from user_role r left join entity e using (entity_id)
                where r.user_id = u.user_id order by e.code nulls first, r.role),
              count(s.session_id)::int, max(s.seen_at),
              exists (select from second_factor f where f.user_id = u.user_id and f.confirmed_at is not null)
            from app_user u left join session s on s.user_id = u.user_id and s.started_at > now() - $1
              and s.seen_at > now() - $2
            group by u.user_id order by u.sign_in
            """,
            db
        )
        {
            Parameters =
            {
                new() { Value = AccessStore.LongestSession },
                new() { Value = AccessStore.LongestIdle },
            },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        var people = new List<PersonRow>();
        while (await reader.ReadAsync(stop))
        {
            var (roles, entities) = (reader.GetFieldValue<string[]>(5), reader.GetFieldValue<string[]>(6));
            people.Add(
                new PersonRow(
                    reader.GetInt32(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.GetBoolean(3),
                    reader.GetBoolean(4),
                    [.. roles.Select((r, i) => new RoleRow(r, entities[i].Length == 0 ? null : entities[i]))],
                    reader.GetInt32(7),
                    reader.IsDBNull(8) ? null : reader.GetDateTime(8),
                    reader.GetBoolean(9)
                )
            );
        }
        return people;
    }

    /// <summary>Every key, those that open something first.</summary>
    public static async Task<IReadOnlyList<KeyInfo>> KeysAsync(NpgsqlConnection db, CancellationToken stop)
    {
        await using var command = new NpgsqlCommand(
            """
            select key_id, name, role, case when entities is null then null else array(select e.code from entity e
              where e.entity_id = any(entities) order by e.code) end, made_by, created_at, expires_at, last_used_at,
              revoked_at, sources
            from api_key order by revoked_at is not null, name
            """,
            db
        );
        await using var reader = await command.ExecuteReaderAsync(stop);
        var keys = new List<KeyInfo>();
        DateTime? Time(int at) => reader.IsDBNull(at) ? null : reader.GetDateTime(at);
        while (await reader.ReadAsync(stop))
            keys.Add(
                new KeyInfo(
                    reader.GetInt32(0),
                    reader.GetString(1),
                    reader.GetString(2),
                    reader.IsDBNull(3) ? null : reader.GetFieldValue<string[]>(3),
                    reader.GetString(4),
                    reader.GetDateTime(5),
                    Time(6),
                    Time(7),
                    Time(8),
                    reader.IsDBNull(9) ? null : reader.GetFieldValue<string[]>(9)
                )
            );
        return keys;
    }

    /// <summary>Holds all of it until the transaction ends: who is the last administrator is asked and changed in
    /// one.</summary>
    public static Task HoldAsync(NpgsqlConnection db, CancellationToken stop) =>
        DoAsync(db, "lock table app_user in share row exclusive mode", stop);

    /// <summary>Gives a role; <paramref name="entity"/> null: everywhere.</summary>
    public static Task GiveAsync(NpgsqlConnection db, int user, string role, int? entity, CancellationToken stop) =>
        DoAsync(
            db,
            "insert into user_role values ($1, $2, $3) on conflict do nothing",
            stop,
            user,
            role,
            Maybe(entity)
        );

    /// <summary>Takes a role away.</summary>
    public static Task TakeAsync(NpgsqlConnection db, int user, string role, int? entity, CancellationToken stop) =>
        DoAsync(
            db,
            "delete from user_role where user_id = $1 and role = $2 and entity_id is not distinct from $3",
            stop,
            user,
            role,
            Maybe(entity)
        );

    /// <summary>Lets somebody in, or no longer.</summary>
    public static Task ActiveAsync(NpgsqlConnection db, int user, bool active, CancellationToken stop) =>
        DoAsync(db, "update app_user set active = $2 where user_id = $1", stop, user, active);

    /// <summary>Forgets wrong passwords of a name, wherever they were typed.</summary>
    public static Task UnlockAsync(NpgsqlConnection db, byte[] name, CancellationToken stop) =>
        DoAsync(db, "delete from sign_in_failure where name = $1", stop, name);

    /// <summary>Ends all sessions of somebody.</summary>
    public static Task EndSessionsAsync(NpgsqlConnection db, int user, CancellationToken stop) =>
        DoAsync(db, "delete from session where user_id = $1", stop, user);

    /// <summary>Keeps a link in place of earlier ones of the same person.</summary>
    public static async Task LinkAsync(
        NpgsqlConnection db,
        int user,
        byte[] token,
        TimeSpan lasts,
        string who,
        CancellationToken stop
    )
    {
        await DoAsync(db, "delete from password_link where user_id = $1 or until < now()", stop, user);
        await DoAsync(
            db,
            "insert into password_link (token_hash, user_id, until, made_by) values ($1, $2, now() + $3, $4)",
            stop,
            token,
            user,
            lasts,
            who
        );
    }

    /// <summary>Whose link it is, as long as it lasts: the sign-in and the name; null: nobody's.</summary>
    public static async Task<(int Id, string SignIn, string Name)?> OfLinkAsync(
        NpgsqlConnection db,
        byte[] token,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            """
            select u.user_id, u.sign_in, u.name from password_link l join app_user u using (user_id)
            where l.token_hash = $1 and l.until > now() and u.active for update of l
            """,
            db
        )
        {
            Parameters = { new() { Value = token } },
        };
        await using var reader = await command.ExecuteReaderAsync(stop);
        return await reader.ReadAsync(stop) ? (reader.GetInt32(0), reader.GetString(1), reader.GetString(2)) : null;
    }

    /// <summary>Sets a password: sessions of before and links end.</summary>
    public static async Task SetPasswordAsync(NpgsqlConnection db, int user, string hash, CancellationToken stop)
    {
        await DoAsync(
            db,
            "update app_user set password_hash = $2, stamp = gen_random_uuid() where user_id = $1",
            stop,
            user,
            hash
        );
        await DoAsync(db, "delete from password_link where user_id = $1", stop, user);
        await EndSessionsAsync(db, user, stop);
    }

    /// <summary>Makes a key; false where its name is taken.</summary>
    public static async Task<bool> MakeKeyAsync(
        NpgsqlConnection db,
        string name,
        byte[] hash,
        string role,
        int[]? entities,
        string[]? sources,
        DateTime? expires,
        string who,
        CancellationToken stop
    ) =>
        await DoAsync(
            db,
            "insert into api_key (name, key_hash, role, entities, expires_at, made_by, sources) values ($1, $2, $3, $4, $5, $6, $7) "
                + "on conflict (name) do nothing",
            stop,
            name,
            hash,
            role,
            new NpgsqlParameter
            {
                Value = (object?)entities ?? DBNull.Value,
                NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Integer,
            },
            new NpgsqlParameter { Value = (object?)expires ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.TimestampTz },
            who,
            new NpgsqlParameter
            {
                Value = (object?)sources ?? DBNull.Value,
                NpgsqlDbType = NpgsqlDbType.Array | NpgsqlDbType.Text,
            }
        ) > 0;

    /// <summary>Takes a key's right away for good.</summary>
    public static async Task<bool> RevokeAsync(NpgsqlConnection db, int key, CancellationToken stop) =>
        await DoAsync(db, "update api_key set revoked_at = now() where key_id = $1 and revoked_at is null", stop, key)
        > 0;

    /// <summary>Gives a key another secret; false where it is revoked or not there.</summary>
    public static async Task<bool> RotateAsync(NpgsqlConnection db, int key, byte[] hash, CancellationToken stop) =>
        await DoAsync(db, "update api_key set key_hash = $2 where key_id = $1 and revoked_at is null", stop, key, hash)
        > 0;

    private static NpgsqlParameter Maybe(int? value) =>
        new() { Value = (object?)value ?? DBNull.Value, NpgsqlDbType = NpgsqlDbType.Integer };

    internal static async Task<int> DoAsync(
        NpgsqlConnection db,
        string sql,
        CancellationToken stop,
        params object[] values
    )
    {
        await using var command = new NpgsqlCommand(sql, db);
        foreach (var value in values)
            command.Parameters.Add(value as NpgsqlParameter ?? new NpgsqlParameter { Value = value });
        return await command.ExecuteNonQueryAsync(stop);
    }
}
