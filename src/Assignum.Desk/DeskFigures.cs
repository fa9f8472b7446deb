using System.Diagnostics.Metrics;

namespace Assignum.Desk;

/// <summary>What the desk counts for whoever watches it.</summary>
public static class DeskFigures
{
    /// <summary>Name of the meter.</summary>
    public const string Meter = "Assignum";

    private static readonly Meter Own = new(Meter);
    private static readonly Counter<long> EventsTold = Own.CreateCounter<long>(
        "assignum.events",
        "{event}",
        "Events answered, by outcome"
    );
    private static readonly Counter<long> EditionsTold = Own.CreateCounter<long>(
        "assignum.editions",
        "{edition}",
        "Editions published"
    );
    private static readonly Counter<long> SignInsTold = Own.CreateCounter<long>(
        "assignum.signins",
        "{attempt}",
        "Attempts to sign in, by outcome"
    );

    /// <summary>Counts events of one outcome.</summary>
    public static void Events(string outcome, long count) =>
        EventsTold.Add(count, new KeyValuePair<string, object?>("outcome", outcome));

    /// <summary>Counts an edition.</summary>
    public static void Published() => EditionsTold.Add(1);

    /// <summary>Counts an attempt.</summary>
    public static void SignIn(string outcome) =>
        SignInsTold.Add(1, new KeyValuePair<string, object?>("outcome", outcome));
}
