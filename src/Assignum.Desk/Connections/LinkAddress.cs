using System.Net;
using System.Net.Sockets;
using Assignum.Core;

namespace Assignum.Desk.Connections;

/// <summary>Where a connected system is, as far as it may be asked there.</summary>
/// <remarks>
/// Whoever may enter an address could otherwise make this server look around in the network that it stands in. So addresses are
/// https, or http to this machine; and what is private or this machine itself is asked only where whoever runs the server has
/// listed it.
/// </remarks>
public sealed record LinkAddress
{
    private LinkAddress(Uri root, bool listed) => (Root, Listed) = (root, listed);

    /// <summary>What lies under it begins with this; ends with a slash.</summary>
    public Uri Root { get; }

    /// <summary>Whether it is one of those that may be private.</summary>
    public bool Listed { get; }

    /// <summary>Reads an address.</summary>
    /// <param name="hosts">Hosts and ports, as <c>host:port</c>, that may be private or this machine.</param>
    /// <returns>The address, or what is wrong with it and how to mend it.</returns>
    public static (LinkAddress? Address, Fault? Fault) Read(string text, IReadOnlyCollection<string> hosts)
    {
        static (LinkAddress?, Fault?) No(string why) => (null, new Fault("bad-address", why, "address"));
        if (text.Length > 500 || !Uri.TryCreate(text, UriKind.Absolute, out var uri) || uri.Host.Length == 0)
            return No("The address is not complete: write it as https://host/path.");
        if (uri.UserInfo.Length > 0 || uri.Query.Length > 0 || uri.Fragment.Length > 0)
            return No(
                "The address holds a name, a question or a mark: leave out what stands before @ and after ? or #."
            );
        var listed = hosts.Contains($"{uri.Host}:{uri.Port}", StringComparer.OrdinalIgnoreCase);
        if (uri.Scheme == Uri.UriSchemeHttp)
        {
            if (!uri.IsLoopback)
                return No(
                    "Keys and documents pass here, so the address begins with https; http is for this machine alone."
                );
        }
        else if (uri.Scheme != Uri.UriSchemeHttps)
            return No($"'{uri.Scheme}' is no way to ask: the address begins with https.");
        if (!listed && (uri.IsLoopback || IPAddress.TryParse(uri.Host.Trim('[', ']'), out var ip) && IsPrivate(ip)))
            return No(
                $"{uri.Host}:{uri.Port} is this machine or in a private network, and is not listed: whoever runs the server "
                    + "lists it in ASSIGNUM_LINK_HOSTS."
            );
        var root = uri.AbsoluteUri.EndsWith('/') ? uri : new Uri(uri.AbsoluteUri + "/");
        return (new LinkAddress(root, listed), null);
    }

    /// <summary>Whether an address is of this machine, of a private network, or of no machine at all.</summary>
    public static bool IsPrivate(IPAddress ip)
    {
        if (ip.IsIPv4MappedToIPv6)
            ip = ip.MapToIPv4();
        var b = ip.GetAddressBytes();
        if (ip.AddressFamily == AddressFamily.InterNetwork)
            return b[0] is 0 or 10 or 127 or >= 224
                || b[0] == 100 && b[1] is >= 64 and < 128
                || b[0] == 169 && b[1] == 254
                || b[0] == 172 && b[1] is >= 16 and < 32
                || b[0] == 192 && (b[1] == 168 || b[1] == 0 && b[2] is 0 or 2)
                || b[0] == 198 && b[1] is 18 or 19;
        // Loopback and nobody, unique local, link local, many at once; and those that stand for an address of version 4.
        return IPAddress.IsLoopback(ip)
            || ip.Equals(IPAddress.IPv6Any)
            || (b[0] & 0xfe) == 0xfc
            || b[0] == 0xfe && (b[1] & 0xc0) is 0x80 or 0xc0
            || b[0] == 0xff
            || b is [0, 0x64, 0xff, 0x9b, ..] && IsPrivate(new IPAddress(b[12..]))
            || b is [0x20, 0x02, ..] && IsPrivate(new IPAddress(b[2..6]))
            || b[..12].All(x => x == 0);
    }
}
