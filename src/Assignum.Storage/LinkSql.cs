using Npgsql;
using NpgsqlTypes;

namespace Assignum.Storage;

/// <summary>Commands about connections: every one begins with the entity and the connection.</summary>
internal static class LinkSql
{
    /// <summary>A command whose parameters $1 and $2 are the entity and the connection, and the others follow.</summary>
    public static NpgsqlCommand Of(
        NpgsqlConnection db,
        string sql,
        (int Entity, int Connection) at,
        params Arg[] values
    )
    {
        var command = new NpgsqlCommand(sql, db)
        {
            Parameters =
            {
                new() { Value = at.Entity },
                new() { Value = at.Connection },
            },
        };
        foreach (var value in values)
            command.Parameters.Add(Parameter(value.Value));
        return command;
    }

    /// <summary>A value of a command. Of its own, so that an array is one value and never several.</summary>
    public readonly record struct Arg(object? Value)
    {
        public static implicit operator Arg(string? value) => new(value);

        public static implicit operator Arg(int value) => new(value);

        public static implicit operator Arg(short value) => new(value);

        public static implicit operator Arg(long value) => new(value);

        public static implicit operator Arg(bool value) => new(value);

        public static implicit operator Arg(decimal value) => new(value);

        public static implicit operator Arg(TimeSpan value) => new(value);

        public static implicit operator Arg(Array value) => new(value);

        public static implicit operator Arg(NpgsqlParameter value) => new(value);
    }

    /// <summary>Changes many rows, each joined with what becomes of it. What a table is thought to hold is old while it
    /// grows: thought to be small, all of it would be gone through for each of the rows.</summary>
    /// <remarks>Within a transaction; the rows that are changed are named by an array of their keys.</remarks>
    public static async Task ChangeManyAsync(this NpgsqlCommand command, CancellationToken stop)
    {
        await using var off = new NpgsqlCommand("set local enable_nestloop = off", command.Connection);
        await off.ExecuteNonQueryAsync(stop);
        await command.ExecuteNonQueryAsync(stop);
        await using var on = new NpgsqlCommand("set local enable_nestloop = on", command.Connection);
        await on.ExecuteNonQueryAsync(stop);
    }

    /// <summary>A value; of nothing, text is assumed.</summary>
    public static NpgsqlParameter Parameter(object? value) =>
        value as NpgsqlParameter
        ?? (
            value is null
                ? new NpgsqlParameter { Value = DBNull.Value, NpgsqlDbType = NpgsqlDbType.Text }
                : new NpgsqlParameter { Value = value }
        );

    /// <summary>A value that may be none, of a type.</summary>
    public static NpgsqlParameter Maybe(object? value, NpgsqlDbType type) =>
        new() { Value = value ?? DBNull.Value, NpgsqlDbType = type };

    /// <summary>Every row as something.</summary>
    public static async Task<List<T>> RowsAsync<T>(
        this NpgsqlCommand command,
        Func<NpgsqlDataReader, T> read,
        CancellationToken stop
    )
    {
        await using var reader = await command.ExecuteReaderAsync(stop);
        var rows = new List<T>();
        while (await reader.ReadAsync(stop))
            rows.Add(read(reader));
        return rows;
    }

    public static string? Text(this NpgsqlDataReader reader, int at) =>
        reader.IsDBNull(at) ? null : reader.GetString(at);

    public static decimal? Number(this NpgsqlDataReader reader, int at) =>
        reader.IsDBNull(at) ? null : reader.GetDecimal(at);
}
