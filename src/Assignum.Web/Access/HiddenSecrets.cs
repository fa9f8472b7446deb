using System.Security.Cryptography;
using Assignum.Desk.Access;
using Microsoft.AspNetCore.DataProtection;

namespace Assignum.Web.Access;

/// <summary>Hides secrets with the keys that protect cookies.</summary>
internal sealed class HiddenSecrets(IDataProtectionProvider provider, Start.StartOptions options) : ISecrets
{
    private readonly IDataProtector protector = provider.CreateProtector("Assignum.Secrets.1");

    public bool Outside => options.Ring is not null;

    public string Hide(string text) => protector.Protect(text);

    public string? Show(string hidden)
    {
        try
        {
            return protector.Unprotect(hidden);
        }
        catch (CryptographicException)
        {
            return null;
        }
    }
}
