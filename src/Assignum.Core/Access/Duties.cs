namespace Assignum.Core.Access;

/// <summary>Duties that one person holds together and that are better held by two.</summary>
/// <param name="Who">Sign-in.</param>
/// <param name="Entity">Code.</param>
/// <param name="Why">A sentence.</param>
public sealed record DutyConflict(string Who, string Entity, string Why);

/// <summary>Finds duties in conflict: a person counts together with the keys that the person made.</summary>
public static class Duties
{
    private static readonly string[] Order = ["viewer", "preparer", "reviewer", "administrator"];

    /// <summary>The conflicts of all people who may come in.</summary>
    /// <param name="entities">Each entity, and whether its live edition asks for four eyes.</param>
    /// <param name="now">Keys that are over by then open nothing.</param>
    public static IReadOnlyList<DutyConflict> Of(
        IReadOnlyList<PersonRow> people,
        IReadOnlyList<KeyInfo> keys,
        IReadOnlyList<(string Code, bool FourEyes)> entities,
        DateTime now
    )
    {
        var found = new List<DutyConflict>();
        var open = keys.Where(k => k.RevokedAt is null && !(k.ExpiresAt <= now)).ToList();
        foreach (var person in people.Where(p => p.Active))
        foreach (var (code, fourEyes) in entities)
        {
            var held = person
                .Roles.Where(r => r.Entity is null || r.Entity == code)
                .Select(r => Array.IndexOf(Order, r.Role))
                .DefaultIfEmpty(-1)
                .Max();
            var own = open.Where(k => k.MadeBy == person.SignIn && k.Entities?.Contains(code) != false).ToList();
            var byKey = own.Select(k => Array.IndexOf(Order, k.Role)).DefaultIfEmpty(-1).Max();
            if (held >= 2 && !fourEyes)
                found.Add(
                    new(
                        person.SignIn,
                        code,
                        "changes mappings and publishes them alone: the policy four-eyes is off there."
                    )
                );
            if (held >= 2 && own.FirstOrDefault(k => Array.IndexOf(Order, k.Role) is 1 or 2) is { } key)
                found.Add(
                    new(person.SignIn, code, $"publishes mappings and made the key {key.Name}, which posts by them.")
                );
            if (byKey >= 1 && byKey > held)
                found.Add(
                    new(
                        person.SignIn,
                        code,
                        $"may do more by the key {own.MaxBy(k => Array.IndexOf(Order, k.Role))!.Name} than in person."
                    )
                );
        }
        return found;
    }
}
