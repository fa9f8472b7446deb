namespace Assignum.Core.Access;

/// <summary>A role for all entities (<paramref name="Entity"/> null) or for one.</summary>
public sealed record RoleRow(string Role, string? Entity);

/// <summary>Somebody who may sign in, as the administrator sees them.</summary>
/// <param name="HasPassword">False: invited, and the link was not used yet.</param>
/// <param name="Sessions">How many sessions go on.</param>
/// <param name="SeenAt">When one of them was last seen.</param>
public sealed record PersonRow(
    int Id,
    string SignIn,
    string Name,
    bool Active,
    bool HasPassword,
    IReadOnlyList<RoleRow> Roles,
    int Sessions,
    DateTime? SeenAt,
    bool SecondFactor
);

/// <summary>A key of the HTTP interface as the administrator sees it, without what opens.</summary>
/// <param name="Entities">Null: all.</param>
/// <param name="MadeBy">Who made it, and whom it counts as.</param>
/// <param name="Sources">Whose events it may send; null: all.</param>
public sealed record KeyInfo(
    int Id,
    string Name,
    string Role,
    IReadOnlyList<string>? Entities,
    string MadeBy,
    DateTime CreatedAt,
    DateTime? ExpiresAt,
    DateTime? LastUsedAt,
    DateTime? RevokedAt,
    IReadOnlyList<string>? Sources = null
);

/// <summary>A session of somebody that goes on.</summary>
public sealed record SessionRow(Guid Id, DateTime StartedAt, DateTime SeenAt, string Address);
