using System.Text.Json;
using Assignum.Core.Books;
using Assignum.Core.Editions;
using Assignum.Core.Pairing;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Books;

/// <summary>Reads what of connections waits or is dead, by what it is about.</summary>
internal static class WaitingEvents
{
    private const int Most = 50_000;

    /// <summary>Their keys in our codes, as far as they are paired.</summary>
    public static async Task<WaitingKeys> KeysAsync(
        DeskContext desk,
        NpgsqlConnection db,
        EntityState state,
        CancellationToken stop
    )
    {
        var open = await LinkEventStore.OpenAsync(db, state.Id, Most, stop);
        if (
            open.Count == 0
            || (await new ViewSetUp(desk).OfAsync(state, "main", null, stop)).Result is not { SetUp.SetUp: var setUp }
        )
            return WaitingKeys.None;
        var translators = open.Select(o => o.Code)
            .Distinct()
            .ToDictionary(
                c => c,
                c => new Translator((kind, id) => Pairs.Of(setUp, c, kind.Name).OursOf(id), LinkWords.Of([], setUp)),
                StringComparer.Ordinal
            );
        return new WaitingKeys(
            open.Select(o =>
            {
                using var json = JsonDocument.Parse(o.Body);
                var read = LinkJson.Event(o.Code, json.RootElement);
                translators[o.Code].Translate(read.Event);
                return read.Event;
            })
        );
    }
}
