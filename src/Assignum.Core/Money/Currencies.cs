using System.Collections.Frozen;

namespace Assignum.Core.Money;

/// <summary>The currencies of ISO 4217 and their minor units.</summary>
public static class Currencies
{
    /// <summary>Number of decimals of a currency's minor unit, 0 to 4 (ISO 4217); null when the code is
    /// unknown.</summary>
    public static int? Decimals(string code) => Table.TryGetValue(code, out var digits) ? digits : null;

    /// <summary>Whether the three-letter code is a currency in use.</summary>
    public static bool Exists(string code) => Table.ContainsKey(code);

    /// <summary>Every code, in alphabetical order.</summary>
    public static IReadOnlyList<string> All { get; }

    private static readonly FrozenDictionary<string, int> Table = Build();

    static Currencies() => All = [.. Table.Keys.Order(StringComparer.Ordinal)];

    // ISO 4217:2015 active codes, funds and test codes left out.
    private static FrozenDictionary<string, int> Build()
    {
        const string none = "BIF CLP DJF GNF ISK JPY KMF KRW PYG RWF UGX UYI VND VUV XAF XOF XPF";
        const string three = "BHD IQD JOD KWD LYD OMR TND";
        const string four = "CLF UYW";
        const string two = """
            AED AFN ALL AMD AOA ARS AUD AWG AZN BAM BBD BDT BMD BND BOB BOV BRL BSD BTN BWP BYN BZD CAD CDF CHE CHF CHW
            CNY COP COU CRC CUP CVE CZK DKK DOP DZD EGP ERN ETB EUR FJD FKP GBP GEL GHS GIP GMD GTQ GYD HKD HNL HTG HUF
            IDR ILS INR IRR JMD KES KGS KHR KPW KYD KZT LAK LBP LKR LRD LSL MAD MDL MGA MKD MMK MNT MOP MRU MUR MVR MWK
            MXN MXV MYR MZN NAD NGN NIO NOK NPR NZD PAB PEN PGK PHP PKR PLN QAR RON RSD RUB SAR SBD SCR SDG SEK SGD SHP
            SLE SOS SRD SSP STN SVC SYP SZL THB TJS TMT TOP TRY TTD TWD TZS UAH USD USN UYU UZS VED VES WST XCD YER ZAR
            ZMW ZWG
            """;
        var table = new Dictionary<string, int>(StringComparer.Ordinal);
        foreach (var (codes, digits) in new[] { (none, 0), (two, 2), (three, 3), (four, 4) })
        foreach (var code in codes.Split([' ', '\n', '\r'], StringSplitOptions.RemoveEmptyEntries))
            table[code] = digits;
        return table.ToFrozenDictionary(StringComparer.Ordinal);
    }
}
