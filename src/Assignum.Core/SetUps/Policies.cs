using Assignum.Core.Money;

namespace Assignum.Core.SetUps;

/// <summary>The policies of an edition, read once. See the table in docs/posting-rules.md.</summary>
public sealed record Policies
{
    /// <summary>Each policy with the values it takes; the first is shipped. An empty list takes any text.</summary>
    public static IReadOnlyDictionary<string, IReadOnlyList<string>> Known { get; } =
        new SortedDictionary<string, IReadOnlyList<string>>(StringComparer.Ordinal)
        {
            ["stock-method"] = ["perpetual", "periodic"],
            ["receipt-accrual"] = ["on", "off"],
            ["cost-timing"] = ["shipment", "invoice"],
            ["four-eyes"] = ["off", "on"],
            ["second-factor"] = ["off", "on"],
            ["error-findings"] = ["told", "refused"],
            ["discounts"] = ["net", "separate"],
            ["production"] = ["through-wip", "direct"],
            ["cut-off"] = ["off", "on"],
            ["tax-rounding"] = ["document", "line"],
            ["rounding-mode"] = ["half-away-from-zero", "half-to-even"],
            ["deposit-tax"] = ["off", "on"],
            ["line-text"] = [],
            ["group-for-new-items"] = [],
            ["group-for-new-customers"] = [],
            ["group-for-new-suppliers"] = [],
            ["group-for-new-projects"] = [],
        };

    /// <summary>Policies about people and what they may publish: they move no landing.</summary>
    public static IReadOnlySet<string> OfPeople { get; } =
        new HashSet<string>(StringComparer.Ordinal) { "four-eyes", "second-factor", "error-findings" };

    public bool Perpetual { get; init; } = true;
    public bool ReceiptAccrual { get; init; } = true;
    public bool CostAtInvoice { get; init; }
    public bool FourEyes { get; init; }

    /// <summary>Nothing is published while checks find errors that nobody has accepted.</summary>
    public bool ErrorsRefused { get; init; }
    public bool SeparateDiscounts { get; init; }
    public bool DirectProduction { get; init; }
    public bool TaxRoundedByLine { get; init; }
    public RoundingMode RoundingMode { get; init; }
    public bool DepositTax { get; init; }

    /// <summary>At the end of a month what is invoiced and not shipped, and the other way round, is put where it
    /// belongs.</summary>
    public bool CutOff { get; init; }

    /// <summary>Template of line texts: <c>{reference}</c>, <c>{party}</c>, <c>{item}</c>, <c>{kind}</c>,
    /// <c>{text}</c>.</summary>
    public string LineText { get; init; } = "{text}";

    /// <summary>Reads the rows; a policy without a row has its shipped value.</summary>
    public static Policies From(IEnumerable<PolicyRow> rows)
    {
        var values = rows.ToDictionary(r => r.Policy, r => r.Value, StringComparer.Ordinal);
        bool Is(string policy, string value) => values.GetValueOrDefault(policy) == value;
        return new Policies
        {
            Perpetual = !Is("stock-method", "periodic"),
            ReceiptAccrual = !Is("receipt-accrual", "off"),
            CostAtInvoice = Is("cost-timing", "invoice"),
            FourEyes = Is("four-eyes", "on"),
            ErrorsRefused = Is("error-findings", "refused"),
            SeparateDiscounts = Is("discounts", "separate"),
            DirectProduction = Is("production", "direct"),
            TaxRoundedByLine = Is("tax-rounding", "line"),
            RoundingMode = Is("rounding-mode", "half-to-even")
                ? RoundingMode.HalfToEven
                : RoundingMode.HalfAwayFromZero,
            DepositTax = Is("deposit-tax", "on"),
            CutOff = Is("cut-off", "on"),
            LineText = values.GetValueOrDefault("line-text") ?? "{text}",
        };
    }
}
