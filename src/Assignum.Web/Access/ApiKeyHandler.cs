using System.Security.Claims;
using System.Text.Encodings.Web;
using Assignum.Desk.Access;
using Assignum.Web.Api;
using Microsoft.AspNetCore.Authentication;
using Microsoft.Extensions.Options;

namespace Assignum.Web.Access;

/// <summary>Recognises <c>Authorization: Bearer</c> keys.</summary>
internal sealed class ApiKeyHandler(
    IOptionsMonitor<AuthenticationSchemeOptions> options,
    ILoggerFactory logs,
    UrlEncoder encoder,
    SignIn signIn
) : AuthenticationHandler<AuthenticationSchemeOptions>(options, logs, encoder)
{
    /// <summary>Name of the scheme and of the policy that asks for it.</summary>
    public new const string Scheme = "key";

    protected override async Task<AuthenticateResult> HandleAuthenticateAsync()
    {
        var header = Request.Headers.Authorization.ToString();
        if (!header.StartsWith("Bearer ", StringComparison.Ordinal))
            return AuthenticateResult.NoResult();
        if (await signIn.KeyAsync(header["Bearer ".Length..].Trim(), Context.RequestAborted) is not { } actor)
            return AuthenticateResult.Fail("unknown key");
        Context.Items[typeof(Actor)] = actor;
        var identity = new ClaimsIdentity([new Claim(ClaimTypes.Name, actor.Name)], Scheme);
        return AuthenticateResult.Success(new AuthenticationTicket(new ClaimsPrincipal(identity), Scheme));
    }

    protected override Task HandleChallengeAsync(AuthenticationProperties properties)
    {
        Response.Headers.WWWAuthenticate = "Bearer";
        return ApiProblem.WriteAsync(
            Context,
            401,
            "A key is needed",
            [new("key-needed", "Send 'Authorization: Bearer' with a key that is known and not revoked.")]
        );
    }
}
