using System.Globalization;
using Assignum.Core.Chart;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Pairing;

/// <summary>Records of both sides as pairing looks at them.</summary>
public static class PairSides
{
    /// <summary>Ours that can be paired: what is archived cannot.</summary>
    /// <param name="today">The day of tax rates.</param>
    public static IReadOnlyList<PairRecord> Ours(RecordKind kind, SetUp setUp, DateOnly today) =>
        kind.Name switch
        {
            "account" =>
            [
                .. setUp
                    .Accounts.Where(a => a.Kind == AccountKind.Posting && a.Status == RecordStatus.Active)
                    .Select(a => new PairRecord(a.Number, a.Name)
                    {
                        Class = Words.Of(a.Class),
                        Group = a.Parent,
                        Currency = a.Currency,
                    }),
            ],
            "tax-code" =>
            [
                .. setUp.TaxCodes.Select(c => new PairRecord(c.Code, c.Name)
                {
                    Class = Words.Of(c.Direction),
                    Rate =
                        (setUp.TaxRates.Where(r => r.Code == c.Code && r.From <= today).MaxBy(r => r.From)?.Rate ?? 0)
                        * 100,
                }),
            ],
            "item" =>
            [
                .. setUp
                    .Items.Where(i => i.Status == RecordStatus.Active)
                    .Select(i => new PairRecord(i.Code, i.Name) { Class = Words.Of(i.Nature), Group = i.Group }),
            ],
            "party" =>
            [
                .. setUp
                    .Parties.Where(p => p.Status == RecordStatus.Active)
                    .Select(p => new PairRecord(p.Code, p.Name)
                    {
                        // Who is both is like either.
                        Class = p.Kind is PartyKind.Both or PartyKind.Other ? null : Words.Of(p.Kind),
                        TaxNumber = p.TaxNumber,
                        Country = p.Country,
                        Currency = p.Currency,
                    }),
            ],
            "project" =>
            [
                .. setUp
                    .Projects.Where(p => p.Status == RecordStatus.Active)
                    .Select(p => new PairRecord(p.Code, p.Name) { Group = p.Parent }),
            ],
            "location" => Plain(setUp.Locations),
            "channel" => Plain(setUp.Channels),
            "method" => Plain(setUp.Methods),
            "reason" => Plain(setUp.Reasons),
            _ => [],
        };

    /// <summary>How many of ours can be paired, as <see cref="Ours"/> gives them.</summary>
    public static int Count(RecordKind kind, SetUp setUp) =>
        kind.Name switch
        {
            "account" => setUp.Accounts.Count(a => a is { Kind: AccountKind.Posting, Status: RecordStatus.Active }),
            "tax-code" => setUp.TaxCodes.Count,
            "item" => setUp.Items.Count(i => i.Status == RecordStatus.Active),
            "party" => setUp.Parties.Count(p => p.Status == RecordStatus.Active),
            "project" => setUp.Projects.Count(p => p.Status == RecordStatus.Active),
            "location" => setUp.Locations.Count,
            "channel" => setUp.Channels.Count,
            "method" => setUp.Methods.Count,
            "reason" => setUp.Reasons.Count,
            _ => 0,
        };

    private static IReadOnlyList<PairRecord> Plain(IReadOnlyList<PlainRecord> records) =>
        [.. records.Select(r => new PairRecord(r.Code, r.Name))];

    /// <summary>Theirs: what is deleted, or merged into another, is not looked for any more.</summary>
    /// <param name="word">Our word of one of theirs, by field; null: not known.</param>
    /// <param name="parent">Our record of one of theirs of the same kind; null: not paired.</param>
    /// <param name="group">Our item group of one of theirs; null: not known.</param>
    public static IReadOnlyList<PairRecord> Theirs(
        RecordKind kind,
        IEnumerable<LinkRecord> records,
        Func<string, string, string?> word,
        Func<string, string?> parent,
        Func<string, string?> group
    ) =>
        [
            .. records
                .Where(r => r.Status != "deleted" && r.MergedInto is null)
                .Select(r =>
                {
                    var of = new LinkFields(r.Fields);
                    string? Ours(string field) => of.Text(field) is { } theirs ? word(field, theirs) : null;
                    return kind.Name switch
                    {
                        "account" => new PairRecord(r.Id, r.Name)
                        {
                            Class = Ours("type"),
                            Group = of.Text("parent") is { } above ? parent(above) : null,
                            Currency = of.Text("currency"),
                        },
                        "tax-code" => new PairRecord(r.Id, r.Name) { Class = Ours("direction"), Rate = r.Rate },
                        "item" => new PairRecord(r.Id, r.Name)
                        {
                            Class = Ours("nature"),
                            Group = of.Text("group") is { } theirs ? group(theirs) : null,
                        },
                        "party" => new PairRecord(r.Id, r.Name)
                        {
                            Class = Ours("kind") is "customer" or "supplier" ? Ours("kind") : null,
                            TaxNumber = of.Text("taxNumber"),
                            Country = of.Text("country"),
                            Currency = of.Text("currency"),
                        },
                        "project" => new PairRecord(r.Id, r.Name)
                        {
                            Group = of.Text("parent") is { } above ? parent(above) : null,
                        },
                        _ => new PairRecord(r.Id, r.Name),
                    };
                }),
        ];

    /// <summary>Which group of ours most items of one of theirs are in, as far as their items are paired: where two or
    /// more are, and most of them agree.</summary>
    public static IReadOnlyDictionary<string, string> GroupsLearnt(
        IEnumerable<(string TheirGroup, string? OurGroup)> paired
    ) =>
        paired
            .GroupBy(p => p.TheirGroup, StringComparer.Ordinal)
            .Select(g => (Theirs: g.Key, All: g.Count(), Most: g.CountBy(p => p.OurGroup ?? "").MaxBy(c => c.Value)))
            .Where(g => g.Most is { Key.Length: > 0, Value: >= 2 } && g.Most.Value * 10 >= g.All * 6)
            .ToDictionary(g => g.Theirs, g => g.Most.Key, StringComparer.Ordinal);
}

/// <summary>The fields of a record of theirs beside its name.</summary>
/// <param name="fields">By name, as text; of a field of a field both names with a point between.</param>
public readonly struct LinkFields(IReadOnlyDictionary<string, string> fields)
{
    /// <summary>A field with something in it; null: there is none.</summary>
    public string? Text(string name) => fields.GetValueOrDefault(name) is { Length: > 0 } text ? text : null;

    /// <summary>A field of a field.</summary>
    public string? Text(string name, string inner) => Text($"{name}.{inner}");

    /// <summary>A field that is a number.</summary>
    public decimal? Number(string name) =>
        decimal.TryParse(Text(name), NumberStyles.Float, CultureInfo.InvariantCulture, out var number) ? number : null;

    /// <summary>A field that is a day.</summary>
    public DateOnly? Day(string name) =>
        DateOnly.TryParseExact(Text(name), "yyyy-MM-dd", CultureInfo.InvariantCulture, DateTimeStyles.None, out var day)
            ? day
            : null;
}
