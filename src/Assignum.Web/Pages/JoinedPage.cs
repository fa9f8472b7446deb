using Assignum.Core.Pairing;
using Assignum.Desk;
using Assignum.Desk.Connections;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages;

/// <summary>A page of one connection.</summary>
public abstract class JoinedPage(DeskContext desk, EditSetUp edit, KeepConnections keep) : ActingPage(desk, edit)
{
    public override string Place => "connections";

    /// <summary>Code of the connection, from the address.</summary>
    [BindProperty(SupportsGet = true, Name = "code"), FromRoute(Name = "code")]
    public string LinkCode
    {
        get => linkCode;
        set => linkCode = value ?? "";
    }
    private string linkCode = "";

    /// <summary>The connection.</summary>
    public Connection Link { get; protected set; } = null!;

    /// <summary>Where the connection's pages are.</summary>
    public string Home => $"/e/{EntityCode}/connections/{Uri.EscapeDataString(LinkCode)}";

    private protected KeepConnections Keep => keep;

    /// <summary>Finds the connection; false: there is none.</summary>
    private protected async Task<bool> FoundAsync()
    {
        var found = await keep.FindAsync(Actor, EntityCode, LinkCode, HttpContext.RequestAborted);
        if (found.Result is not { } link)
            return false;
        Link = link;
        return true;
    }

    /// <summary>A state as people say it.</summary>
    public static string Says(Connection link) =>
        link.State switch
        {
            "draft" => "not asked yet",
            "paused" => link.Why switch
            {
                "key-refused" => "paused: it refuses the key",
                "another-life" => "paused: it was restored or copied",
                { Length: > 0 } why =>
                    $"paused: {why.Replace("another-life of", "another life of", StringComparison.Ordinal)}",
                _ => "paused",
            },
            var state => state,
        };

    /// <summary>A count that is said also where it is nothing.</summary>
    public static string Many(long count) => count == 0 ? "0" : Show.Count((int)Math.Min(count, int.MaxValue));

    /// <summary>The shape beside a state, so that it is not told by colour alone.</summary>
    public static string Mark(Connection link) =>
        link.State switch
        {
            "live" => "good",
            "paused" => "bad",
            "draft" or "joining" => "watch",
            _ => "quiet",
        };
}
