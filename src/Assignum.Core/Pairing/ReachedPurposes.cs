using System.Runtime.CompilerServices;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Upkeep;

namespace Assignum.Core.Pairing;

/// <summary>On what a purpose lands for what a connection sends.</summary>
/// <param name="Channel">Ours; empty where the purpose's ladder does not ask for one. Likewise the two after it.</param>
/// <param name="Account">Null: on nothing yet.</param>
/// <param name="Rung">Which rung decides; null: none.</param>
/// <param name="Kinds">Kinds of event on which it appears.</param>
public sealed record PurposeLanding(
    Purpose Purpose,
    string Channel,
    string Method,
    string Location,
    string? Account,
    string? Rung,
    IReadOnlyCollection<string> Kinds
)
{
    /// <summary>What tells it from others.</summary>
    public (string Purpose, string Channel, string Method, string Location) Key =>
        (Purpose.Name, Channel, Method, Location);

    /// <summary>On which accounts examples of it land, by which rungs: more than one where items or parties decide
    /// too.</summary>
    public IReadOnlyCollection<(string Rung, string Account)> Examples { get; init; } = [];

    /// <summary>As it stands for whoever settled it: the example that still lands as was said then, whichever comes first
    /// now. Null: it lands elsewhere, or on nothing.</summary>
    public PurposeLanding? As(SettledPurpose said)
    {
        if (Account is null)
            return null;
        if (said.Account == Account)
            return this;
        foreach (var (rung, account) in Examples)
            // What was given an account then is decided by another rung since.
            if (account == said.Account && (rung == said.Rung || said.How == "account"))
                return this with { Account = account, Rung = rung };
        return null;
    }
}

/// <summary>Which purposes the events of a connection reach, before the first one comes and after.</summary>
public static class ReachedPurposes
{
    /// <summary>Most combinations of channel, method and location that an example of a kind is made for.</summary>
    private const int MostPlaces = 2_000;

    private static readonly Dimension[] Axes = [Dimension.Channel, Dimension.Method, Dimension.Location];

    /// <summary>Where each purpose lands, by what the kinds of event call for.</summary>
    /// <param name="channels">Ours that are paired with some of theirs; likewise the two after it.</param>
    /// <param name="real">Events that came, in our codes.</param>
    /// <param name="lacks">Takes what an example of a kind needs and is not there, in words.</param>
    public static IReadOnlyList<PurposeLanding> Of(
        CompiledSetUp setUp,
        IEnumerable<EventKind> kinds,
        (IReadOnlyList<string> Channels, IReadOnlyList<string> Methods, IReadOnlyList<string> Locations) places,
        IEnumerable<BusinessEvent> real,
        DateOnly day,
        IDictionary<string, string> lacks
    )
    {
        var (filled, made) = Filled.GetValue(setUp, FillIn);
        var builder = new EntryBuilder(filled, null, new ExampleDocuments(filled));
        var found =
            new Dictionary<
                (string, string, string, string),
                (PurposeLanding Landing, HashSet<string> Kinds, HashSet<(string, string)> On)
            >();
        void Take(BusinessEvent e)
        {
            foreach (var (purpose, context, account, rung) in builder.Reached(e))
            {
                // What settles a document stands where that does: it is decided by the document.
                if (rung == LegLanding.Document)
                    continue;
                var asked = AskedBy(filled, purpose);
                string At(Dimension dimension, string? value) => asked.Contains(dimension) ? value ?? "" : "";
                var missing = rung == "default" && made.Contains(purpose.Name);
                var landing = new PurposeLanding(
                    purpose,
                    At(Dimension.Channel, context.Channel),
                    At(Dimension.Method, context.Method),
                    At(Dimension.Location, context.Location),
                    missing ? null : account,
                    missing ? null : rung,
                    []
                );
                if (!found.TryGetValue(landing.Key, out var there))
                    found[landing.Key] = there = (landing, [], []);
                there.Kinds.Add(e.Kind);
                if (landing is { Rung: { } by, Account: { } on })
                    there.On.Add((by, on));
            }
        }
        foreach (var kind in kinds)
        {
            var (example, lack) = Examples.Of(kind, filled, day);
            if (example is null)
            {
                if (lack is not null)
                    lacks[kind.Name] = lack;
                continue;
            }
            foreach (var at in Places(kind, places).Take(MostPlaces))
            {
                var plain = Examples.Of(kind, filled, day).Event!;
                Put(plain, at);
                Take(plain);
                var full = Examples.Of(kind, filled, day).Event!;
                Put(full, at);
                Complete(full, kind);
                Take(full);
            }
        }
        foreach (var e in real)
            Take(e);
        return
        [
            .. found
                .Values.Select(f =>
                    f.Landing with
                    {
                        Kinds = [.. f.Kinds.Order(StringComparer.Ordinal)],
                        Examples = f.On,
                    }
                )
                .OrderBy(l => l.Purpose.Index)
                .ThenBy(l => l.Channel, StringComparer.Ordinal)
                .ThenBy(l => l.Method, StringComparer.Ordinal)
                .ThenBy(l => l.Location, StringComparer.Ordinal),
        ];
    }

    /// <summary>The most specific rung of a purpose's ladder that asks for nothing but channel, method and location, with
    /// what fills it; null: there is none.</summary>
    public static IReadOnlyList<KeyPart>? KeyFor(CompiledSetUp setUp, PurposeLanding of)
    {
        var values = new Dictionary<Dimension, string>
        {
            [Dimension.Channel] = of.Channel,
            [Dimension.Method] = of.Method,
            [Dimension.Location] = of.Location,
        };
        var rung = setUp
            .Landings.LadderOf(of.Purpose)
            .Rungs.FirstOrDefault(r =>
                r.Dimensions.Count > 0 && r.Dimensions.All(d => values.GetValueOrDefault(d) is { Length: > 0 })
            );
        return rung is null ? null : [.. rung.Dimensions.Select(d => new KeyPart(d, values[d]))];
    }

    // Every purpose lands somewhere, so that an entry is made and all it reaches is seen; what was put in is known.
    private static readonly ConditionalWeakTable<CompiledSetUp, Tuple<CompiledSetUp, HashSet<string>>> Filled = [];

    private static Tuple<CompiledSetUp, HashSet<string>> FillIn(CompiledSetUp setUp)
    {
        var given = setUp.SetUp.Assignments.Where(a => a.Key.Count == 0).Select(a => a.Purpose).ToHashSet();
        var rows = new List<Assignment>();
        foreach (var purpose in Purposes.All.Where(p => !given.Contains(p.Name)))
            if (NewAccount.Serving(setUp.SetUp, purpose) is { } account)
                rows.Add(new Assignment(purpose.Name, account.Number, []));
        return rows.Count == 0
            ? Tuple.Create(setUp, new HashSet<string>())
            : Tuple.Create(
                new CompiledSetUp(setUp.SetUp with { Assignments = [.. setUp.SetUp.Assignments, .. rows] }, setUp),
                rows.Select(r => r.Purpose).ToHashSet()
            );
    }

    private static HashSet<Dimension> AskedBy(CompiledSetUp setUp, Purpose purpose)
    {
        var asked = new HashSet<Dimension>();
        var seen = new HashSet<Purpose>();
        for (var at = purpose; at is not null && seen.Add(at); at = setUp.Landings.BorrowOf(at))
            foreach (var rung in setUp.Landings.LadderOf(at).Rungs)
                asked.UnionWith(rung.Dimensions.Intersect(Axes));
        return asked;
    }

    private static readonly IEnumerable<string?> Nowhere = [null];

    private static IEnumerable<(string? Channel, string? Method, string? Location)> Places(
        EventKind kind,
        (IReadOnlyList<string> Channels, IReadOnlyList<string> Methods, IReadOnlyList<string> Locations) places
    )
    {
        IEnumerable<string?> Of(string field, IReadOnlyList<string> codes) =>
            kind.Takes.Contains(field) && codes.Count > 0 ? codes : Nowhere;
        var stock = kind.Takes.Contains("location") || kind.Takes.Contains("fromLocation");
        foreach (var channel in Of("channel", places.Channels))
        foreach (var method in Of("method", places.Methods))
        foreach (var location in stock && places.Locations.Count > 0 ? places.Locations : Nowhere)
            yield return (channel, method, location);
    }

    private static void Put(BusinessEvent e, (string? Channel, string? Method, string? Location) at)
    {
        e.Channel = at.Channel ?? e.Channel;
        if (at.Method is not null)
        {
            e.Method = at.Method;
            if (e.ClearingMethod is not null)
                e.ClearingMethod = at.Method;
        }
        if (at.Location is null)
            return;
        if (e.FromLocation is not null)
            e.FromLocation = at.Location;
        else
            e.Location = at.Location;
    }

    // With everything that such an event can have beside what it must.
    private static void Complete(BusinessEvent e, EventKind kind)
    {
        if (kind.TakesCharges && e.Charges.Count == 0)
            e.Charges = [new EventCharge { Amount = 5 }];
        if (kind.Takes.Contains("giftCardApplied"))
            e.GiftCardApplied = 1;
        if (kind.Takes.Contains("fee"))
            e.Fee = 1;
        if (kind.Takes.Contains("discountGiven"))
            e.DiscountGiven = 1;
        if (kind.Takes.Contains("discountTaken"))
            e.DiscountTaken = 1;
        if (kind.LineTakes.Contains("discountPercent") && e.Lines.Count > 0)
            e.Lines[0].DiscountPercent = 10;
    }
}
