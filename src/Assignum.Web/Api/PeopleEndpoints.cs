using Assignum.Core.Access;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Web.Access;

namespace Assignum.Web.Api;

/// <summary>People, keys, audit and seals by the interface: the same tasks as the pages', for the same rights.</summary>
internal static class PeopleEndpoints
{
    private sealed record NewPerson(string? SignIn, string? Name, string? Role, string? Entity);

    private sealed record ARole(string? Role, string? Entity);

    private sealed record NewKey(string? Name, string? Role, string[]? Entities, string[]? Sources, int? Days);

    public static void Map(RouteGroupBuilder api)
    {
        api.MapGet("/people", PeopleAsync).WithSummary("Who may come in, with roles, and duties in one hand");
        api.MapPost("/people", InviteAsync)
            .WithSummary("Invite somebody: the token sets a password once, by /join?token=");
        api.MapPost("/people/{signIn}/roles", (HttpContext http, string signIn, KeepPeople keep) =>
                RoleAsync(http, signIn, keep, true)
            )
            .WithSummary("Give a role, everywhere or in an entity");
        api.MapDelete("/people/{signIn}/roles", (HttpContext http, string signIn, KeepPeople keep) =>
                RoleAsync(http, signIn, keep, false)
            )
            .WithSummary("Take a role away");
        api.MapPost("/people/{signIn}/{act}", ActAsync)
            .WithSummary("link, keep-out, let-in, unlock, end-sessions, drop-second-factor");
        api.MapGet("/keys", KeysAsync).WithSummary("The keys, without what opens");
        api.MapPost("/keys", MakeKeyAsync).WithSummary("Make a key; it is told once");
        api.MapPost("/keys/{name}/anew", RotateAsync)
            .WithSummary("Give a key another secret; the former opens nothing");
        api.MapDelete("/keys/{name}", RevokeAsync).WithSummary("Revoke a key for good");
        api.MapGet("/audit", AuditAsync)
            .WithSummary("The audit, newest first: who, what, entity, text, from, to, before");
        api.MapPost("/audit/check", CheckAsync).WithSummary("Check the seals of all entries and audit lines");
    }

    private static async Task<IResult> PeopleAsync(HttpContext http, KeepPeople keep)
    {
        var found = await keep.ListAsync(http.Actor(), http.RequestAborted);
        return found.Result is { } access
            ? Results.Json(new { people = access.People, conflicts = access.Conflicts })
            : ApiProblem.Of(found);
    }

    private static async Task<IResult> KeysAsync(HttpContext http, KeepPeople keep)
    {
        var found = await keep.ListAsync(http.Actor(), http.RequestAborted);
        return found.Result is { } access ? Results.Json(access.Keys) : ApiProblem.Of(found);
    }

    private static async Task<IResult> InviteAsync(HttpContext http, KeepPeople keep)
    {
        var (body, problem) = await Endpoints.SmallJsonAsync<NewPerson>(http);
        if (problem is not null)
            return problem;
        var made = await keep.InviteAsync(
            http.Actor(),
            body?.SignIn,
            body?.Name,
            body?.Role,
            body?.Entity,
            http.RequestAborted
        );
        return Secret(made, "token", 201);
    }

    private static async Task<IResult> RoleAsync(HttpContext http, string signIn, KeepPeople keep, bool gives)
    {
        var (body, problem) = await Endpoints.SmallJsonAsync<ARole>(http);
        if (problem is not null)
            return problem;
        return await OfAsync(http, signIn, keep, async id =>
            Done(await keep.RoleAsync(http.Actor(), id, body?.Role, body?.Entity, gives, http.RequestAborted))
        );
    }

    private static Task<IResult> ActAsync(HttpContext http, string signIn, string act, KeepPeople keep)
    {
        var (actor, stop) = (http.Actor(), http.RequestAborted);
        return OfAsync(http, signIn, keep, async id => act switch
            {
                "link" => Secret(await keep.HelpAsync(actor, id, stop), "token", 200),
                "keep-out" => Done(await keep.ActiveAsync(actor, id, false, stop)),
                "let-in" => Done(await keep.ActiveAsync(actor, id, true, stop)),
                "unlock" => Done(await keep.UnlockAsync(actor, id, stop)),
                "end-sessions" => Done(await keep.EndSessionsAsync(actor, id, stop)),
                "drop-second-factor" => Done(await keep.DropFactorAsync(actor, id, stop)),
                _ => ApiProblem.Result(404, "Not found", [new("unknown-act", $"Nobody can {act} somebody.")]),
            });
    }

    private static async Task<IResult> MakeKeyAsync(HttpContext http, KeepPeople keep)
    {
        var (body, problem) = await Endpoints.SmallJsonAsync<NewKey>(http);
        if (problem is not null)
            return problem;
        return Secret(
            await keep.MakeKeyAsync(
                http.Actor(),
                body?.Name,
                body?.Role,
                string.Join(' ', body?.Entities ?? []),
                body?.Days,
                http.RequestAborted,
                string.Join(' ', body?.Sources ?? [])
            ),
            "key",
            201
        );
    }

    private static Task<IResult> RotateAsync(HttpContext http, string name, KeepPeople keep) =>
        OfKeyAsync(http, name, keep, async id =>
            Secret(await keep.RotateAsync(http.Actor(), id, http.RequestAborted), "key", 200)
        );

    private static Task<IResult> RevokeAsync(HttpContext http, string name, KeepPeople keep) =>
        OfKeyAsync(http, name, keep, async id => Done(await keep.RevokeAsync(http.Actor(), id, http.RequestAborted)));

    private static async Task<IResult> AuditAsync(
        HttpContext http,
        Evidence evidence,
        string? who,
        string? what,
        string? entity,
        string? text,
        string? from,
        string? to,
        long? before
    )
    {
        if (AuditAsked.Of(who, what, text, from, to, before) is not { } asked)
            return ApiProblem.Result(
                422,
                "What was sent cannot be used",
                [new("bad-date", "Days are written as YYYY-MM-DD.")]
            );
        var read = await evidence.ReadAsync(http.Actor(), entity, asked, http.RequestAborted);
        return read.Refused is null ? Results.Json(read.Result.Lines) : ApiProblem.Of(read);
    }

    private static async Task<IResult> CheckAsync(HttpContext http, Evidence evidence)
    {
        var made = await evidence.VerifyAsync(http.Actor(), http.RequestAborted);
        return made.Result is { } all
            ? Results.Json(new { whole = all.All(s => s.Break is null), entities = all })
            : ApiProblem.Of(made);
    }

    private static Task<IResult> OfAsync(
        HttpContext http,
        string signIn,
        KeepPeople keep,
        Func<int, Task<IResult>> act
    ) =>
        FoundAsync(
            http,
            keep,
            all => all.People.FirstOrDefault(p => p.SignIn == signIn)?.Id,
            new("unknown-person", $"Nobody signs in as {signIn}."),
            act
        );

    private static Task<IResult> OfKeyAsync(
        HttpContext http,
        string name,
        KeepPeople keep,
        Func<int, Task<IResult>> act
    ) =>
        FoundAsync(
            http,
            keep,
            all => all.Keys.FirstOrDefault(k => k.Name == name)?.Id,
            new("unknown-key", $"There is no key {name}."),
            act
        );

    private static async Task<IResult> FoundAsync(
        HttpContext http,
        KeepPeople keep,
        Func<Desk.Access.Access, int?> which,
        Core.Fault unknown,
        Func<int, Task<IResult>> act
    )
    {
        var found = await keep.ListAsync(http.Actor(), http.RequestAborted);
        if (found.Result is not { } all)
            return ApiProblem.Of(found);
        return which(all) is { } id ? await act(id) : ApiProblem.Result(404, "Not found", [unknown]);
    }

    private static IResult Secret(Outcome<string> made, string name, int status) =>
        made.Result is { } secret
            ? Results.Json(new Dictionary<string, string> { [name] = secret }, statusCode: status)
            : ApiProblem.Of(made);

    private static IResult Done(Outcome<bool> made) => made.Refused is null ? Results.NoContent() : ApiProblem.Of(made);
}
