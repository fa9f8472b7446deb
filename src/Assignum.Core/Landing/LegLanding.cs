using System.Collections.Concurrent;

namespace Assignum.Core.Landing;

/// <summary>How a leg came to its account. The reasoning is worked out when it is asked for: most legs are posted
/// without anybody reading it.</summary>
public sealed class LegLanding
{
    private static readonly ConcurrentDictionary<string, LandingPattern> Given = new(StringComparer.Ordinal);

    private readonly LandingResolver? resolver;
    private readonly Purpose? purpose;
    private readonly LegValues values;
    private readonly string? written;
    private readonly Landed landed;
    private Trace? trace;

    private LegLanding(Trace given) => trace = given;

    internal LegLanding(
        LandingResolver resolver,
        Purpose purpose,
        in LegValues values,
        string? written,
        in Landed landed
    ) =>
        (this.resolver, this.purpose, this.values, this.written, this.landed) = (
            resolver,
            purpose,
            values,
            written,
            landed
        );

    /// <summary>The rung of what settles, corrects or relieves something posted before: it stands where that
    /// does.</summary>
    public const string Document = "document";

    /// <summary>An account that was written by hand before anything was asked.</summary>
    /// <param name="purpose">Empty: none.</param>
    public static LegLanding Fixed(string purpose, string account) => Of("line", purpose, account);

    /// <summary>The account on which what is settled stands.</summary>
    public static LegLanding OfDocument(string purpose, string account) => Of(Document, purpose, account);

    private static LegLanding Of(string rung, string purpose, string account)
    {
        IReadOnlyList<KeyPart> key = [new KeyPart(Dimension.Line, account)];
        return new LegLanding(
            new Trace(purpose, account, rung, key, [new TriedRung(rung, key, TryOutcome.Hit)], [], null, null)
        );
    }

    /// <summary>The whole reasoning.</summary>
    public Trace Trace => trace ??= resolver!.TraceOf(purpose!, values, written);

    /// <summary>The rung that decided.</summary>
    public string? Rung => Trace.Rung;

    /// <summary>The key that decided.</summary>
    public IReadOnlyList<KeyPart> Key => Trace.Key;

    /// <summary>What was looked for, in order.</summary>
    public IReadOnlyList<TriedRung> Tried => Trace.Tried;

    /// <summary>The rungs below the one that decided.</summary>
    public IReadOnlyList<string> Unneeded => Trace.Unneeded;

    /// <summary>What the rungs below the one that decided would give; empty where none was asked.</summary>
    public IReadOnlyList<RungGives> Below() =>
        resolver is null ? [] : resolver.Below(purpose!, values, Unneeded, BorrowedFrom);

    /// <summary>The purpose whose ladder decided in place of its own, or null.</summary>
    public string? BorrowedFrom => Trace.BorrowedFrom;

    /// <summary>What the deciding assignment notes, or null.</summary>
    public string? Note => resolver is null ? null : resolver.NoteOf(purpose!, landed);

    /// <summary>A value of a nested dimension with all that it is in, outward; empty where the leg has none.</summary>
    public IReadOnlyList<string> Chain(Dimension dimension) =>
        resolver is null ? [] : resolver.Index.Chain(dimension, values[dimension]);

    /// <summary>The reasoning without its values.</summary>
    /// <param name="own">What the line has of a dimension that does not nest, or null.</param>
    /// <param name="account">The account of the line.</param>
    public LandingPattern Pattern(Func<Dimension, string?> own, string account) =>
        resolver is null
            ? Given.GetOrAdd(Trace.Rung + " " + Trace.Purpose, _ =>
                LandingPattern.Of(Trace, d => d == Dimension.Line ? [account] : [])
            )
            : resolver.PatternOf(purpose!, values, written, landed, own, account, this);
}
