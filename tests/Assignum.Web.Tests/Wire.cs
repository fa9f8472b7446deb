using System.Collections.Concurrent;
using System.Net;
using System.Net.Sockets;

namespace Assignum.Web.Tests;

/// <summary>Passes bytes between the application and the database, until it is cut.</summary>
public sealed class Wire : IDisposable
{
    private readonly TcpListener listener = new(IPAddress.Loopback, 0);
    private readonly ConcurrentBag<TcpClient> ends = [];
    private volatile bool cut;

    public Wire(int target)
    {
        listener.Start();
        _ = Task.Run(async () =>
        {
            while (true)
            {
                TcpClient near;
                try
                {
                    near = await listener.AcceptTcpClientAsync();
                }
                catch (Exception e) when (e is SocketException or ObjectDisposedException)
                {
                    return;
                }
                if (cut)
                {
                    near.Dispose();
                    continue;
                }
                var far = new TcpClient();
                await far.ConnectAsync(IPAddress.Loopback, target);
                ends.Add(near);
                ends.Add(far);
                _ = PassAsync(near, far);
                _ = PassAsync(far, near);
            }
        });
    }

    public int Port => ((IPEndPoint)listener.LocalEndpoint).Port;

    /// <summary>Breaks every connection and lets no new one through.</summary>
    public void Cut()
    {
        cut = true;
        while (ends.TryTake(out var end))
            end.Dispose();
    }

    /// <summary>Lets connections through again.</summary>
    public void Mend() => cut = false;

    public void Dispose()
    {
        Cut();
        listener.Dispose();
    }

    private static async Task PassAsync(TcpClient from, TcpClient to)
    {
        try
        {
            await from.GetStream().CopyToAsync(to.GetStream());
        }
        catch (Exception e)
            when (e is IOException or ObjectDisposedException or SocketException or InvalidOperationException) { }
        finally
        {
            to.Dispose();
        }
    }
}
