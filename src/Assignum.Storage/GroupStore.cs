using Assignum.Core;
using Assignum.Core.Records;
using Assignum.Core.Tables;
using Npgsql;

namespace Assignum.Storage;

/// <summary>Landing groups across all editions and drafts.</summary>
public static class GroupStore
{
    /// <summary>Whether any edition or draft has, or had, a group of that code.</summary>
    public static async Task<bool> KnownAsync(
        NpgsqlConnection db,
        int entity,
        GroupKind kind,
        string code,
        CancellationToken stop
    )
    {
        await using var command = new NpgsqlCommand(
            "select exists (select from groups where entity_id = $1 and kind = $2 and code = $3)",
            db
        )
        {
            Parameters =
            {
                new() { Value = entity },
                new() { Value = Words.Of(kind) },
                new() { Value = code },
            },
        };
        return (bool)(await command.ExecuteScalarAsync(stop))!;
    }

    /// <summary>Gives a group another code in every edition and draft, and in all that names it. Inside the caller's
    /// transaction.</summary>
    /// <remarks>Stored traces keep the code as it was: they say what was looked for then.</remarks>
    public static async Task RenameAsync(
        NpgsqlConnection db,
        int entity,
        GroupKind kind,
        string from,
        string to,
        CancellationToken stop
    )
    {
        var word = Words.Of(kind);
        var (records, column, key) = kind switch
        {
            GroupKind.Item => ("items", "\"group\"", "item_group"),
            GroupKind.Project => ("projects", "\"group\"", "project_group"),
            GroupKind.Customer => ("parties", "customer_group", "party_group"),
            _ => ("parties", "supplier_group", "party_group"),
        };
        await using var batch = new NpgsqlBatch(db);
        void Add(string sql)
        {
            var command = new NpgsqlBatchCommand(sql);
            command.Parameters.Add(new() { Value = entity });
            command.Parameters.Add(new() { Value = from });
            command.Parameters.Add(new() { Value = to });
            batch.BatchCommands.Add(command);
        }
        Add($"update groups set code = $3 where entity_id = $1 and kind = '{word}' and code = $2");
        Add($"update groups set parent = $3 where entity_id = $1 and kind = '{word}' and parent = $2");
        Add($"update {records} set {column} = $3 where entity_id = $1 and {column} = $2");
        Add(
            $"update membership set \"group\" = $3 where entity_id = $1 and part = '{records}' "
                + $"and \"column\" = '{column.Trim('"')}' and \"group\" = $2"
        );
        Add($"update assignments set {key} = $3 where entity_id = $1 and {key} = $2");
        Add(
            "update policies set value = $3 where entity_id = $1 and policy = "
                + $"'{DefaultGroup.Policies.First(p => p.Kind == kind).Policy}' and value = $2"
        );
        await batch.ExecuteNonQueryAsync(stop);
    }
}
