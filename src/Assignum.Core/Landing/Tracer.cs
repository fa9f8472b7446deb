using Assignum.Core.Chart;

namespace Assignum.Core.Landing;

/// <summary>Walks a ladder rung by rung, word for word as the posting rules say it, and writes down every
/// step.</summary>
/// <remarks>It shares no lookup with <see cref="PurposeResolver"/>; property tests hold the two to the same
/// answers.</remarks>
internal sealed class Tracer(
    Lazy<Dictionary<string, Assignment>>[] identities,
    LandingIndex index,
    Ladder[] ladders,
    Purpose?[] borrows,
    HashSet<(string, string)> relief,
    IReadOnlyDictionary<string, Account> accounts
)
{
    /// <param name="without">An assignment that is taken as not there.</param>
    public Trace Walk(Purpose purpose, in LegValues values, string? line, Assignment? without = null)
    {
        var tried = new List<TriedRung>();
        if (Ladder(purpose, purpose, values, line, tried, without) is { } own)
            return own;
        if (borrows[purpose.Index] is { } from && Ladder(purpose, from, values, line, tried, without) is { } borrowed)
            return borrowed;
        return new Trace(purpose.Name, null, null, [], tried, [], null, null);
    }

    /// <summary>What each of some rungs would give.</summary>
    /// <param name="at">The purpose whose ladder they stand on.</param>
    public IReadOnlyList<RungGives> Below(Purpose at, in LegValues values, IReadOnlyList<string> rungs)
    {
        var gives = new List<RungGives>(rungs.Count);
        foreach (var name in rungs)
        {
            var tried = new List<TriedRung>();
            var found = Ask(at, name == "default" ? Rung.Default : Rung.Known(name), values, null, tried, null);
            gives.Add(new RungGives(name, found?.Key ?? [], found?.Account, tried[^1].Outcome));
        }
        return gives;
    }

    private Trace? Ladder(
        Purpose purpose,
        Purpose at,
        in LegValues values,
        string? line,
        List<TriedRung> tried,
        Assignment? without
    )
    {
        var borrowedFrom = at == purpose ? null : at.Name;
        var rungs = ladders[at.Index].Rungs;
        for (var i = 0; i <= rungs.Count; i++)
        {
            var rung = i < rungs.Count ? rungs[i] : Rung.Default;
            if (rung == Rung.Line)
            {
                if (line is null)
                {
                    tried.Add(new TriedRung("line", [], TryOutcome.Absent, borrowedFrom));
                    continue;
                }
                IReadOnlyList<KeyPart> written = [new KeyPart(Dimension.Line, line)];
                var allowed = MayBeWritten(purpose, values, line);
                tried.Add(new TriedRung("line", written, allowed ? TryOutcome.Hit : TryOutcome.Refused, borrowedFrom));
                if (!allowed)
                    return new Trace(purpose.Name, null, null, [], tried, Below(rungs, i), borrowedFrom, null);
                return new Trace(purpose.Name, line, "line", written, tried, Below(rungs, i), borrowedFrom, null);
            }
            if (Ask(at, rung, values, borrowedFrom, tried, without) is { } found)
                return new Trace(
                    purpose.Name,
                    found.Account,
                    rung.Name,
                    found.Key,
                    tried,
                    Below(rungs, i),
                    borrowedFrom,
                    found.Note
                );
        }
        return null;
    }

    // On a control purpose only what the rest of the ladder gives, or that account's relief accounts, may be written.
    private bool MayBeWritten(Purpose purpose, in LegValues values, string line)
    {
        if (purpose.Control == Control.None)
            return true;
        var rest = Walk(purpose, values, null).Account;
        return rest is not null && (rest == line || relief.Contains((rest, line)));
    }

    private Assignment? Ask(
        Purpose at,
        Rung rung,
        in LegValues values,
        string? borrowedFrom,
        List<TriedRung> tried,
        Assignment? without
    )
    {
        foreach (var dimension in rung.Dimensions)
            if (values[dimension] == 0)
            {
                tried.Add(new TriedRung(rung.Name, [], TryOutcome.Absent, borrowedFrom));
                return null;
            }
        foreach (var key in Keys(rung, 0, values, []))
        {
            var identity = Assignment.IdentityOf(at.Name, key);
            identities[at.Index].Value.TryGetValue(identity, out var found);
            if (ReferenceEquals(found, without))
                found = null;
            var tripped =
                found is not null
                && rung != Rung.Default
                && accounts.TryGetValue(found.Account, out var account)
                && account.Tripwire;
            tried.Add(
                new TriedRung(
                    rung.Name,
                    key,
                    found is null ? TryOutcome.Miss
                        : tripped ? TryOutcome.Tripwire
                        : TryOutcome.Hit,
                    borrowedFrom
                )
            );
            if (found is not null && !tripped)
                return found;
        }
        return null;
    }

    // Every key of the rung from the nearest outward; the last listed nested dimension walks first.
    private List<KeyPart[]> Keys(Rung rung, int position, LegValues values, KeyPart[] so)
    {
        if (position == rung.Dimensions.Count)
            return [so];
        var keys = new List<KeyPart[]>();
        var dimension = rung.Dimensions[position];
        for (var at = values[dimension]; at != 0; at = index.Parent(dimension, at))
            keys.AddRange(Keys(rung, position + 1, values, [.. so, new KeyPart(dimension, index.Key(dimension, at))]));
        return keys;
    }

    private static string[] Below(IReadOnlyList<Rung> rungs, int position) =>
        position >= rungs.Count ? [] : [.. rungs.Skip(position + 1).Select(r => r.Name), "default"];
}
