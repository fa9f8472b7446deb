using System.Collections.Concurrent;
using Assignum.Core.Editions;
using Assignum.Core.Events;
using Assignum.Core.Pairing;
using Assignum.Core.SetUps;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>Where an event is: its kind, with the channel, method and location that it names, in our codes.</summary>
internal readonly record struct FeedPlace(string Kind, string Channel, string Method, string Location)
{
    /// <summary>The place in words.</summary>
    public string Where => string.Join(", ", new[] { Channel, Method, Location }.Where(w => w.Length > 0));
}

/// <summary>Knows at which places a purpose is reached that nobody settled: a new channel, method or location opens the
/// question again.</summary>
/// <remarks>Worked out anew only when something changed here, or a place comes that was not seen before.</remarks>
internal sealed class FeedPlaces
{
    private readonly ConcurrentDictionary<(int Entity, int Connection), Known> known = new();

    private sealed record Known(string Under, HashSet<FeedPlace> Seen, IReadOnlyList<PurposeStanding> Open);

    /// <summary>The place of an event in our codes.</summary>
    public static FeedPlace Of(BusinessEvent e) =>
        new(e.Kind, e.Channel ?? "", e.Method ?? e.ClearingMethod ?? "", e.Location ?? e.FromLocation ?? "");

    /// <summary>Of the places those at which something is open, with the purpose.</summary>
    public async Task<IReadOnlyDictionary<FeedPlace, string>> OpenAsync(
        NpgsqlConnection db,
        EntityState state,
        Connection link,
        CompiledSetUp? setUp,
        IReadOnlyCollection<FeedPlace> at,
        CancellationToken stop
    )
    {
        if (setUp is null || at.Count == 0)
            return new Dictionary<FeedPlace, string>();
        var settled = await Storage.LinkSettleStore.PurposesAsync(db, (state.Id, link.Id), stop);
        var under =
            $"{state.RecordsRevision}.{string.Join(',', state.Editions.Select(e => e.Number))}."
            + $"{settled.Count}.{settled.Select(s => s.At).DefaultIfEmpty().Max():O}";
        var there = known.GetValueOrDefault((state.Id, link.Id));
        if (there is null || there.Under != under || !at.All(there.Seen.Contains))
        {
            var standing = await SettlePurposes.StandingAsync(db, state, link, setUp, stop);
            there = known[(state.Id, link.Id)] = new Known(
                under,
                [.. there?.Under == under ? there.Seen : [], .. at],
                [.. standing.Purposes.Where(p => p.Settled is null)]
            );
        }
        var open = new Dictionary<FeedPlace, string>();
        if (there.Open.Count == 0)
            return open;
        foreach (var place in at)
            if (
                there.Open.FirstOrDefault(p =>
                    p.Landing.Kinds.Contains(place.Kind)
                    && (p.Landing.Channel.Length == 0 || p.Landing.Channel == place.Channel)
                    && (p.Landing.Method.Length == 0 || p.Landing.Method == place.Method)
                    && (p.Landing.Location.Length == 0 || p.Landing.Location == place.Location)
                ) is
                { Landing: var landing }
            )
                open[place] = landing.Purpose.Title;
        return open;
    }
}
