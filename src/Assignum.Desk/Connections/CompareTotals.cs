using System.Text.Json;
using Assignum.Core;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.Connections;

/// <summary>How many events of a kind there are of a day, and what they come to.</summary>
public sealed record DayCount(string Kind, long Count, decimal Amount);

/// <summary>What a system counted of a day beside what came here.</summary>
/// <param name="Differs">In words, where the two are not the same.</param>
public sealed record DayTotals(
    DateOnly Day,
    long Theirs,
    long Ours,
    IReadOnlyList<DayCount> TheirKinds,
    IReadOnlyList<DayCount> OurKinds,
    IReadOnlyList<string> Differs
);

/// <summary>Compares what systems counted with what came: each night by itself, or when asked.</summary>
public sealed class CompareTotals(LinkDesk links)
{
    /// <summary>Asks a system for its totals of a day and compares them.</summary>
    public async Task<Outcome<DayTotals>> RunAsync(
        Actor actor,
        string entity,
        string code,
        DateOnly day,
        CancellationToken stop
    )
    {
        await using var db = await links.Desk.Database.OpenAsync(stop);
        var entered = await links.Desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state })
            return entered.Pass<DayTotals>();
        if (await ConnectionStore.FindAsync(db, state.Id, code, false, stop) is not { } link)
            return Outcome<DayTotals>.No(Refusal.NotFound, "unknown-connection", "There is no such connection here.");
        if (link.State is "closed" or "paused" || link.Of.TakesEntries)
            return Outcome<DayTotals>.No(
                Refusal.Conflict,
                "wrong-state",
                link.Of.TakesEntries ? "A ledger tells no events." : $"{link.Name} is {link.State}."
            );
        var (client, closed) = await links.OpenAsync(db, state.Id, link, stop);
        if (client is null)
            return Outcome<DayTotals>.No(Refusal.Invalid, [closed!]);
        using (client)
            return await AskAsync(db, (state.Id, link.Id), client, day, stop);
    }

    internal static async Task<Outcome<DayTotals>> AskAsync(
        NpgsqlConnection db,
        (int Entity, int Connection) at,
        LinkClient client,
        DateOnly day,
        CancellationToken stop
    )
    {
        var answer = await client.GetAsync($"totals?day={day:yyyy-MM-dd}", stop);
        if (answer.Fault is { } fault)
            return Outcome<DayTotals>.No(Refusal.Invalid, [fault]);
        if (Read(answer.Json!.Value) is not { } theirs)
            return Outcome<DayTotals>.No(Refusal.Invalid, "bad-shape", "Its totals cannot be read.");
        await TotalStore.KeepAsync(db, at, day, answer.Json.Value.GetRawText(), stop);
        return Compared(day, theirs, await TotalStore.OursAsync(db, at, day, stop));
    }

    /// <summary>Their totals, where they can be read.</summary>
    internal static (long Count, IReadOnlyList<DayCount> Kinds)? Read(JsonElement json)
    {
        if (
            json.ValueKind != JsonValueKind.Object
            || !json.TryGetProperty("count", out var c)
            || c.ValueKind != JsonValueKind.Number
            || !c.TryGetInt64(out var count)
        )
            return null;
        var kinds = new List<DayCount>();
        if (json.TryGetProperty("byKind", out var all) && all.ValueKind == JsonValueKind.Array)
            foreach (var one in all.EnumerateArray())
                if (
                    one.ValueKind == JsonValueKind.Object
                    && one.TryGetProperty("kind", out var kind)
                    && kind.ValueKind == JsonValueKind.String
                    && one.TryGetProperty("count", out var n)
                    && n.ValueKind == JsonValueKind.Number
                    && n.TryGetInt64(out var of)
                )
                    kinds.Add(
                        new DayCount(
                            kind.GetString()!,
                            of,
                            one.TryGetProperty("amount", out var a)
                            && a.ValueKind == JsonValueKind.Number
                            && a.TryGetDecimal(out var amount)
                                ? amount
                                : 0
                        )
                    );
        return (count, kinds);
    }

    /// <summary>The two beside each other.</summary>
    internal static DayTotals Compared(
        DateOnly day,
        (long Count, IReadOnlyList<DayCount> Kinds) theirs,
        IReadOnlyList<(string Kind, long Count, decimal Amount)> ours
    )
    {
        var mine = ours.Select(o => new DayCount(o.Kind, o.Count, o.Amount)).ToList();
        var differs = new List<string>();
        foreach (
            var kind in theirs
                .Kinds.Select(k => k.Kind)
                .Concat(mine.Select(k => k.Kind))
                .Distinct(StringComparer.Ordinal)
                .Order(StringComparer.Ordinal)
        )
        {
            var (there, here) = (
                theirs.Kinds.FirstOrDefault(k => k.Kind == kind)?.Count ?? 0,
                mine.FirstOrDefault(k => k.Kind == kind)?.Count ?? 0
            );
            if (there != here)
                differs.Add($"{kind}: {there} there, {here} here");
        }
        var total = mine.Sum(k => k.Count);
        if (differs.Count == 0 && theirs.Count != total)
            differs.Add($"{theirs.Count} there, {total} here");
        return new DayTotals(day, theirs.Count, total, theirs.Kinds, mine, differs);
    }
}
