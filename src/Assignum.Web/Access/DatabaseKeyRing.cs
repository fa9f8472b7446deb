using System.Xml.Linq;
using Assignum.Desk.Access;
using Microsoft.AspNetCore.DataProtection.KeyManagement;
using Microsoft.AspNetCore.DataProtection.Repositories;
using Microsoft.Extensions.Options;

namespace Assignum.Web.Access;

/// <summary>Keeps the keys that protect cookies in the database, so that all processes share them and a restart keeps
/// sessions.</summary>
internal sealed class DatabaseKeyRing(FirstAccess access, Start.StartOptions start)
    : IConfigureOptions<KeyManagementOptions>,
        IXmlRepository
{
    public void Configure(KeyManagementOptions options)
    {
        options.XmlRepository = this;
        if (start.Ring is { } secret)
            options.XmlEncryptor = new RingCipher(secret);
    }

    public IReadOnlyCollection<XElement> GetAllElements() =>
        [.. access.ProtectionKeys().Select(xml => XElement.Parse(xml))];

    public void StoreElement(XElement element, string friendlyName) =>
        access.KeepProtectionKey(friendlyName, element.ToString(SaveOptions.DisableFormatting));
}
