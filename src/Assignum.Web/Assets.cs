using System.Security.Cryptography;
using System.Text;
using Microsoft.Extensions.FileProviders;

namespace Assignum.Web;

/// <summary>
/// Styles, scripts and fonts, at an address that is another as soon as any of them is. So a browser keeps them for good,
/// and never runs a script of this program beside one of the program before it: what a script asks for by its own address
/// is of the same program.
/// </summary>
public sealed class Assets(IWebHostEnvironment host)
{
    /// <summary>The fonts that every page begins with: asked for before the style that names them is read, so that a page
    /// is laid out once.</summary>
    public static readonly IReadOnlyList<string> Fonts =
    [
        "fonts/atkinson-hyperlegible-next-latin-400-normal.woff2",
        "fonts/atkinson-hyperlegible-next-latin-600-normal.woff2",
    ];

    /// <summary>The font of codes and amounts, which every page has but those of whoever is not signed in.</summary>
    public const string CodeFont = "fonts/atkinson-hyperlegible-mono-latin-400-normal.woff2";

    /// <summary>Where all of them are.</summary>
    public string Root { get; } = $"/as/{Digest(host.WebRootFileProvider)}";

    /// <summary>The address of one.</summary>
    /// <param name="name">Below <c>wwwroot</c>, such as <c>js/app.js</c>.</param>
    public string this[string name] => $"{Root}/{name}";

    private static string Digest(IFileProvider files)
    {
        using var digest = IncrementalHash.CreateHash(HashAlgorithmName.SHA256);
        void Take(string folder)
        {
            foreach (var file in files.GetDirectoryContents(folder).OrderBy(f => f.Name, StringComparer.Ordinal))
            {
                var path = $"{folder}/{file.Name}";
                if (file.IsDirectory)
                {
                    Take(path);
                    continue;
                }
                using var content = file.CreateReadStream();
                digest.AppendData(Encoding.UTF8.GetBytes($"{path}\0{file.Length}\0"));
                digest.AppendData(SHA256.HashData(content));
            }
        }
        Take("");
        return Convert.ToHexStringLower(digest.GetHashAndReset().AsSpan(0, 8));
    }
}
