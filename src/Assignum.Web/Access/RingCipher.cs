using System.Security.Cryptography;
using System.Text;
using System.Xml.Linq;
using Assignum.Web.Start;
using Microsoft.AspNetCore.DataProtection.XmlEncryption;

namespace Assignum.Web.Access;

/// <summary>Encrypts the keys that protect cookies before they are kept in the database: AES-256-GCM by a secret that is in
/// the data folder, not in the database.</summary>
internal sealed class RingCipher(string secret) : IXmlEncryptor
{
    private const int Nonce = 12,
        Tag = 16;
    private readonly byte[] key = SHA256.HashData(Encoding.UTF8.GetBytes("Assignum ring " + secret));

    public EncryptedXmlInfo Encrypt(XElement plaintextElement)
    {
        var text = Encoding.UTF8.GetBytes(plaintextElement.ToString(SaveOptions.DisableFormatting));
        var sealedText = new byte[Nonce + Tag + text.Length];
        RandomNumberGenerator.Fill(sealedText.AsSpan(0, Nonce));
        using var aes = new AesGcm(key, Tag);
        aes.Encrypt(sealedText.AsSpan(0, Nonce), text, sealedText.AsSpan(Nonce + Tag), sealedText.AsSpan(Nonce, Tag));
        return new EncryptedXmlInfo(new XElement("ring", Convert.ToBase64String(sealedText)), typeof(RingOpener));
    }

    /// <summary>What was encrypted.</summary>
    /// <exception cref="CryptographicException">By another secret, or it was changed.</exception>
    public XElement Open(XElement element)
    {
        var sealedText = Convert.FromBase64String(element.Value);
        var text = new byte[sealedText.Length - Nonce - Tag];
        using var aes = new AesGcm(key, Tag);
        aes.Decrypt(sealedText.AsSpan(0, Nonce), sealedText.AsSpan(Nonce + Tag), sealedText.AsSpan(Nonce, Tag), text);
        return XElement.Parse(Encoding.UTF8.GetString(text));
    }
}

/// <summary>Decrypts them; made by the framework.</summary>
internal sealed class RingOpener(IServiceProvider services) : IXmlDecryptor
{
    public XElement Decrypt(XElement encryptedElement) =>
        services.GetRequiredService<StartOptions>().Ring is { } secret
            ? new RingCipher(secret).Open(encryptedElement)
            : throw new CryptographicException("The keys of cookies are encrypted, and ASSIGNUM_RING is not given.");
}
