using Assignum.Core.Events;

namespace Assignum.Core.Entries;

/// <summary>What a document of a kind has: its fields and lists, which of them stand in the open, and what an account
/// written in one stands for. Forms and whoever else asks for documents field by field ask here.</summary>
public static class DocumentShape
{
    private static readonly HashSet<string> Common = ["date", "currency", "rate", "reference", "text"];

    private static readonly HashSet<string> Often =
    [
        "reference",
        "channel",
        "method",
        "location",
        "fee",
        "amount",
        "quantity",
        "unitCost",
        "inTransit",
        "complete",
        "costToDate",
        "billedToDate",
        "pricesIncludeTax",
    ];

    /// <summary>The document's own fields that its kind takes, in the order of the table; free dimensions are
    /// apart.</summary>
    public static IEnumerable<EventField<BusinessEvent>> Fields(EventKind kind) =>
        EventFields.OfEvent.Where(f =>
            f.Type != FieldType.Dimensions && (Common.Contains(f.Name) || kind.Takes.Contains(f.Name))
        );

    /// <summary>Whether a document of the kind cannot be without a field.</summary>
    public static bool IsNeeded(EventKind kind, string field) => field == "date" || kind.Needs.Contains(field);

    /// <summary>Whether most documents of kinds that take a field have it.</summary>
    public static bool IsUsual(string field) => Often.Contains(field);

    private static readonly HashSet<string> UsualInLists =
    [
        "account",
        "debit",
        "credit",
        "item",
        "quantity",
        "unitPrice",
        "unitCost",
        "amount",
        "net",
        "kind",
        "reference",
        "party",
        "discount",
        "newUnitCost",
    ];

    /// <summary>Whether most rows of a kind's list have a column.</summary>
    public static bool IsUsualInLists(EventKind kind, string column) =>
        UsualInLists.Contains(column)
        || kind.LineNeeds.Contains(column)
        || kind.ByHand && column == "because"
        || kind.LineTakes.Count < 7;

    /// <summary>The columns of a list (see <see cref="EventFields.Lists"/>) in the order in which they are
    /// filled; none where the kind has no such list.</summary>
    public static IReadOnlyList<(string Name, FieldType Type)> Columns(EventKind kind, string list) =>
        list switch
        {
            "lines" =>
            [
                .. EventFields
                    .OfLine.Where(f => kind.LineTakes.Contains(f.Name))
                    .OrderBy(f => kind.LineTakes.ToList().IndexOf(f.Name))
                    .Select(f => (f.Name, f.Type)),
            ],
            "charges" => kind.TakesCharges
                ?
                [
                    .. EventFields
                        .OfCharge.Where(f => kind.FromSupplier || f.Name is not ("item" or "account"))
                        .Select(f => (f.Name, f.Type)),
                ]
                : [],
            "settles" => kind.Settles ? EventFields.Of(list) : [],
            _ => kind.SettlesPayables ? EventFields.Of(list) : [],
        };

    /// <summary>The purpose whose line rung an account is that is written in a field or a list, as the pattern of the
    /// kind has it for a line without a project; null where it depends on more.</summary>
    public static string? PurposeOf(EventKind kind, string field) =>
        field switch
        {
            "receivablesAccount" => "receivables",
            "payablesAccount" => "payables",
            "lines" when kind is { ByHand: true, AdmitsControlAccounts: false } => "hand-entry",
            _ => kind.WrittenIn(field)?.Name,
        };
}
