namespace Assignum.Desk.Access;

/// <summary>What a role lets its holder do; each includes the ones before it.</summary>
public enum Role
{
    /// <summary>Read, rehearse, explain, export.</summary>
    Viewer,

    /// <summary>Edit drafts and records, import, post.</summary>
    Preparer,

    /// <summary>Approve and publish, open and close periods.</summary>
    Reviewer,

    /// <summary>Users, keys, entities.</summary>
    Administrator,
}

/// <summary>Who acts: a signed-in user or a key, with the role held for each entity.</summary>
/// <param name="Everywhere">The role held for all entities, or null.</param>
/// <param name="In">Roles held for named entities.</param>
public sealed record Actor(string Name, Role? Everywhere, IReadOnlyDictionary<string, Role> In)
{
    /// <summary>Whether the actor holds at least this role in an entity.</summary>
    public bool May(Role role, string entity) =>
        Everywhere >= role || In.TryGetValue(entity, out var here) && here >= role;

    /// <summary>Whether the actor holds at least this role for all entities.</summary>
    public bool MayEverywhere(Role role) => Everywhere >= role;

    /// <summary>The what-ifs that the actor works in, by entity; where there is none: in the draft. A negative one is a
    /// published edition that is looked at.</summary>
    public IReadOnlyDictionary<string, int> WorksIn { get; init; } = new Dictionary<string, int>();

    /// <summary>False: somebody who signed in with a password alone.</summary>
    public bool Strong { get; init; } = true;

    /// <summary>Sources whose events may be sent; null: all.</summary>
    public IReadOnlyList<string>? Sources { get; init; }

    /// <summary>Code of the connection whose events it posts; null: of none.</summary>
    public string? Feeds { get; init; }

    /// <summary>The same actor, working in the draft itself.</summary>
    public Actor InDraft => WorksIn.Count == 0 ? this : this with { WorksIn = new Dictionary<string, int>() };

    /// <summary>The product itself, at first start.</summary>
    public static readonly Actor Product = new("Assignum", Role.Administrator, new Dictionary<string, Role>());
}
