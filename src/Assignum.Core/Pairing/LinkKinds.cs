using System.Collections.Frozen;
using Assignum.Core.Events;
using Assignum.Core.Tables;

namespace Assignum.Core.Pairing;

/// <summary>A kind of record that two systems have in common.</summary>
/// <param name="Name">Its word, such as <c>tax-code</c>.</param>
/// <param name="Plural">As the link names them, such as <c>tax-codes</c>.</param>
/// <param name="Title">What people call one.</param>
/// <param name="Ours">The part of the set-up that holds ours; null: we keep none.</param>
public sealed record RecordKind(string Name, string Plural, string Title, Part? Ours)
{
    /// <summary>All of them, in the order in which they are best paired: what others refer to first.</summary>
    public static IReadOnlyList<RecordKind> All { get; } =
    [
        new("account", "accounts", "Account", Parts.Accounts),
        new("tax-code", "tax-codes", "Tax code", Parts.TaxCodes),
        new("channel", "channels", "Channel", Parts.Channels),
        new("method", "methods", "Payment method", Parts.Methods),
        new("location", "locations", "Location", Parts.Locations),
        new("reason", "reasons", "Reason", Parts.Reasons),
        new("item", "items", "Item", Parts.Items),
        new("party", "parties", "Party", Parts.Parties),
        new("project", "projects", "Project", Parts.Projects),
        new("person", "people", "Person", null),
    ];

    private static readonly FrozenDictionary<string, RecordKind> ByName = All.ToFrozenDictionary(
        k => k.Name,
        StringComparer.Ordinal
    );

    /// <summary>The kind of that word; null: there is none.</summary>
    public static RecordKind? Find(string name) => ByName.GetValueOrDefault(name);

    /// <summary>The kind that the link calls so.</summary>
    public static RecordKind? OfPlural(string plural) => All.FirstOrDefault(k => k.Plural == plural);

    /// <summary>The kind of record that a field of an event names; null: it names none.</summary>
    public static RecordKind? Of(FieldType type) =>
        type switch
        {
            FieldType.Account => All[0],
            FieldType.TaxCode => All[1],
            FieldType.Channel => All[2],
            FieldType.Method => All[3],
            FieldType.Location => All[4],
            FieldType.Reason => All[5],
            FieldType.Item => All[6],
            FieldType.Party => All[7],
            FieldType.Project => All[8],
            _ => null,
        };
}

/// <summary>What may be joined: what it may send, what it needs to have, and how its records are paired.</summary>
/// <param name="Name">Its word.</param>
/// <param name="Explain">What it is, in a sentence.</param>
/// <param name="Sends">Kinds of events that it may send; those that end in <c>-</c> stand for all that begin so.</param>
/// <param name="Has">Records without which its documents cannot be understood.</param>
/// <param name="TakesEntries">Whether our entries go on to it: then several accounts of ours may be one of its, and none
/// of ours two of its. Of a source several of its records may be one of ours.</param>
public sealed record LinkKind(
    string Name,
    string Title,
    string Explain,
    IReadOnlyList<string> Sends,
    IReadOnlyList<RecordKind> Has,
    bool TakesEntries
)
{
    /// <summary>The word of the event that says that another is void.</summary>
    public const string Void = "void";

    /// <summary>The kind whose documents are uploaded: there is no system to be asked.</summary>
    public const string Files = "files";

    /// <summary>Whether there is a system that is asked.</summary>
    public bool IsAsked => Name != Files;

    /// <summary>The kinds there are.</summary>
    public static IReadOnlyList<LinkKind> All { get; } =
    [
        new(
            "warehouse",
            "Warehouse",
            "Goods come in, are made, counted, moved and go out.",
            ["goods-", "stock-", "production-", "supplier-invoice", "supplier-credit-note", "project-usage"],
            Named("items", "locations"),
            false
        ),
        new(
            "shop",
            "Shop",
            "It sells, ships, refunds and takes deposits.",
            ["sales-", "goods-", "channel-", "customer-deposit", "customer-payment", "gift-cards-expired"],
            Named("items", "channels", "methods", "tax-codes"),
            false
        ),
        new(
            "payments",
            "Payments",
            "It collects what is sold, keeps its fees and pays out.",
            [
                "customer-payment",
                "supplier-payment",
                "channel-fee",
                "channel-chargeback",
                "channel-payout",
                "money-moved",
            ],
            Named("channels", "methods"),
            false
        ),
        new(
            "ledger",
            "General ledger",
            "Our entries go on to it; what is booked there by hand comes back.",
            [],
            Named("accounts"),
            true
        ),
        new(
            Files,
            "Files",
            "Documents come as files: invoices, bank statements, tables.",
            [
                "sales-",
                "supplier-",
                "goods-",
                "channel-",
                "stock-",
                "production-",
                "customer-payment",
                "customer-deposit",
                "money-moved",
                "project-usage",
                "gift-cards-expired",
                "interest-charged",
            ],
            [],
            false
        ),
    ];

    private static IReadOnlyList<RecordKind> Named(params string[] plurals) =>
        [.. plurals.Select(p => RecordKind.OfPlural(p)!)];

    /// <summary>The kind of that word; null: there is none.</summary>
    public static LinkKind? Find(string? name) => All.FirstOrDefault(k => k.Name == name);

    /// <summary>Whether it may send events of a kind.</summary>
    /// <param name="admitted">What an administrator admits beside.</param>
    public bool MaySend(string kind, IReadOnlyCollection<string> admitted) =>
        kind == Void && !TakesEntries
        || Sends.Any(s => s.EndsWith('-') ? kind.StartsWith(s, StringComparison.Ordinal) : kind == s)
        || admitted.Contains(kind);
}
