using Assignum.Core.Chart;
using static Assignum.Core.Tables.Parts;

namespace Assignum.Core.Tables;

/// <summary>The chart: names and notes are records, what decides landings is held by the edition (see <see
/// cref="HeldColumns"/>).</summary>
internal static class AccountPart
{
    /// <summary>Fields of an account in use that only a draft changes.</summary>
    public static readonly IReadOnlySet<string> HeldColumns = new HashSet<string>(StringComparer.Ordinal)
    {
        "class",
        "kind",
        "status",
        "control",
        "hand_entries",
        "party_kinds",
        "tripwire",
        "family",
        "tax_admits",
        "tax_code",
        "capital",
        "dimension_rules",
        "currency",
    };

    public static Part<Account> Define() =>
        new(
            "accounts",
            HeldBy.Edition,
            [
                Key("number"),
                Need("name"),
                Word<AccountClass>("class", required: true),
                Word<AccountKind>("kind", required: true),
                Text("parent"),
                Text("short_code"),
                Word<RecordStatus>("status", unset: "active"),
                Word<UsualSide>("usual_side", unset: "either"),
                Text("currency"),
                new("control", CellType.Word, false, false, [.. Words.All<Control>().Skip(1)]),
                Word<HandEntries>("hand_entries"),
                Text("party_kinds"),
                YesNo("tripwire", "no"),
                Text("family"),
                Word<TaxAdmits>("tax_admits", unset: "both"),
                Text("tax_code"),
                YesNo("capital", "no"),
                YesNo("revalue", "no"),
                Text("report_codes"),
                Text("dimension_rules"),
                Text("note"),
            ],
            s => s.Accounts,
            (s, rows) => s with { Accounts = rows },
            Read,
            Write
        );

    private static Account Read(CellReader r) =>
        new(
            r.Need("number"),
            r.Need("name"),
            r.Word<AccountClass>("class"),
            r.Word<AccountKind>("kind"),
            r.Text("parent"),
            r.Text("short_code"),
            r.Word<RecordStatus>("status"),
            r.Word("usual_side", UsualSide.Either),
            r.Currency("currency"),
            r.Word<Control>("control"),
            r.Text("hand_entries") is null ? null : r.Word<HandEntries>("hand_entries"),
            Kinds(r),
            r.YesNo("tripwire"),
            r.Text("family"),
            r.Word<TaxAdmits>("tax_admits"),
            r.Text("tax_code"),
            r.YesNo("capital"),
            r.YesNo("revalue"),
            Pairs(r, "report_codes", null),
            Pairs(r, "dimension_rules", ["required", "forbidden"]),
            r.Text("note")
        );

    private static string?[] Write(Account a) =>
        [
            a.Number,
            a.Name,
            Words.Of(a.Class),
            Words.Of(a.Kind),
            a.Parent,
            a.ShortCode,
            Words.Of(a.Status),
            Words.Of(a.UsualSide),
            a.Currency,
            a.Control == Control.None ? null : Words.Of(a.Control),
            a.HandEntries is { } hand ? Words.Of(hand) : null,
            Kinds(a.PartyKinds),
            Yes(a.Tripwire),
            a.Family,
            Words.Of(a.TaxAdmits),
            a.TaxCode,
            Yes(a.Capital),
            Yes(a.Revalue),
            a.ReportCodes,
            a.DimensionRules,
            a.Note,
        ];

    private static PartyKinds Kinds(CellReader r)
    {
        var kinds = PartyKinds.All;
        foreach (var word in (r.Text("party_kinds") ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries))
            switch (word)
            {
                case "customers":
                    kinds |= PartyKinds.Customers;
                    break;
                case "suppliers":
                    kinds |= PartyKinds.Suppliers;
                    break;
                case "others":
                    kinds |= PartyKinds.Others;
                    break;
                default:
                    r.Fault(
                        "party_kinds",
                        "unknown-word",
                        $"'{word}' is no kind of party; use customers, suppliers, others."
                    );
                    break;
            }
        return kinds;
    }

    private static string? Kinds(PartyKinds kinds) =>
        kinds == PartyKinds.All
            ? null
            : string.Join(
                ' ',
                new[]
                {
                    (PartyKinds.Customers, "customers"),
                    (PartyKinds.Suppliers, "suppliers"),
                    (PartyKinds.Others, "others"),
                }
                    .Where(k => kinds.HasFlag(k.Item1))
                    .Select(k => k.Item2)
            );

    // Pairs like `ixbrl=12 local=4`; a space inside a value is written %20.
    private static string? Pairs(CellReader r, string column, string[]? values)
    {
        var text = r.Text(column);
        foreach (var pair in (text ?? "").Split(' ', StringSplitOptions.RemoveEmptyEntries))
        {
            var at = pair.IndexOf('=', StringComparison.Ordinal);
            if (at <= 0 || at == pair.Length - 1)
                r.Fault(column, "bad-pair", $"'{pair}' is no name=value pair.");
            else if (values is not null && !values.Contains(pair[(at + 1)..]))
                r.Fault(
                    column,
                    "unknown-word",
                    $"'{pair}': use {string.Join(" or ", values.Select(v => pair[..at] + "=" + v))}."
                );
        }
        return text;
    }
}
