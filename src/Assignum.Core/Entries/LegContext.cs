using Assignum.Core.Landing;

namespace Assignum.Core.Entries;

/// <summary>Whose values a leg carries: those of a line, or those of the document.</summary>
/// <param name="Values">The dimensions that decide its landing.</param>
/// <param name="Written">The account written on the document, for purposes whose ladder asks for it.</param>
/// <param name="Line">Which line of the event, from 0; null for the document.</param>
/// <param name="Quantity">Units moved with the leg, for stock; signed.</param>
/// <param name="Reference">The document a settlement settles; null: the event's own.</param>
/// <param name="Settled">How much of that document is settled in its own currency, where that is another than the
/// event's; signed as the settlement.</param>
/// <param name="Order">The order it belongs to.</param>
/// <param name="Due">When the document that it opens is to be paid.</param>
/// <param name="Opened">The document that a hand-written line opens or adds to; null: the event's own.</param>
public sealed record LegContext(
    LegValues Values,
    string? Written = null,
    int? Line = null,
    string? Item = null,
    string? Party = null,
    string? Location = null,
    string? Channel = null,
    string? Method = null,
    string? Project = null,
    string? Reason = null,
    string? Counterparty = null,
    string? Text = null,
    IReadOnlyDictionary<string, string>? Dimensions = null,
    decimal Quantity = 0,
    string? Reference = null,
    string? TaxCode = null,
    string? LegCurrency = null,
    (string Currency, decimal Amount)? Settled = null,
    string? Order = null,
    DateOnly? Due = null,
    string? Opened = null
)
{
    /// <summary>The same values with the tax code of a tax leg.</summary>
    public LegContext ForTax(LandingIndex index, string code)
    {
        var values = Values;
        values[Dimension.TaxCode] = index.Of(Dimension.TaxCode, code);
        return this with { Values = values, Written = null, TaxCode = code };
    }

    /// <summary>The same values at another method.</summary>
    public LegContext AtMethod(LandingIndex index, string? method)
    {
        var values = Values;
        values[Dimension.Method] = index.Of(Dimension.Method, method);
        return this with { Values = values, Method = method };
    }

    /// <summary>The same values at another location.</summary>
    public LegContext AtLocation(LandingIndex index, string? location)
    {
        var values = Values;
        values[Dimension.Location] = index.Of(Dimension.Location, location);
        return this with { Values = values, Location = location };
    }

    /// <summary>The same values in another channel.</summary>
    public LegContext InChannel(LandingIndex index, string? channel)
    {
        var values = Values;
        values[Dimension.Channel] = index.Of(Dimension.Channel, channel);
        return this with { Values = values, Channel = channel };
    }
}

/// <summary>An amount of a leg in base currency and, where it has one, in the event's currency. Signed: negative swaps
/// sides.</summary>
public readonly record struct LegAmount(decimal Base, decimal? Foreign)
{
    /// <summary>Nothing to post.</summary>
    public bool IsZero => Base == 0 && Foreign is null or 0m;

    /// <summary>Both parts added; the sum has a foreign amount where either has.</summary>
    public static LegAmount operator +(LegAmount a, LegAmount b) =>
        new(a.Base + b.Base, a.Foreign is null && b.Foreign is null ? null : (a.Foreign ?? 0) + (b.Foreign ?? 0));
}

/// <summary>One debit or credit an event calls for.</summary>
/// <param name="Account">Written on the document (hand entries, settlements); null: the ladder decides.</param>
/// <param name="Bound">What was posted before and is settled by it: it stands on that account, by no ladder.</param>
/// <param name="TaxUse">The tax code whose direction the account must admit; null: none.</param>
public sealed record Leg(
    Purpose? Purpose,
    Side Side,
    LegAmount Amount,
    LegContext Context,
    string? Account,
    Tax.TaxCode? TaxUse,
    decimal? Rate,
    PostedOn? Bound = null
);
