namespace Assignum.Core.SetUps;

/// <summary>What a policy is called, what it does, and what its values are called.</summary>
/// <param name="Values">The title of each value; empty where it takes any text.</param>
/// <param name="Code">The policy's word.</param>
public sealed record PolicyWords(string Code, string Title, string Explain, IReadOnlyDictionary<string, string> Values)
{
    /// <summary>Every policy, in the order that a person reads them in.</summary>
    public static IReadOnlyList<PolicyWords> All { get; } =
    [
        Of(
            "stock-method",
            "Stock method",
            "Whether goods make entries as they come and go, or stock is valued at the end of a period.",
            ("perpetual", "Perpetual: with each movement"),
            ("periodic", "Periodic: at the end of a period")
        ),
        Of(
            "receipt-accrual",
            "Receipts before their invoice",
            "Whether goods that came without their invoice stand on an account of their own until it comes.",
            ("on", "Stand as received, not invoiced"),
            ("off", "Wait for the invoice")
        ),
        Of(
            "cost-timing",
            "Cost of sales is posted",
            "Whether the cost follows the goods out of the door or their invoice.",
            ("shipment", "When goods are shipped"),
            ("invoice", "When they are invoiced")
        ),
        Of(
            "production",
            "Production",
            "Whether parts and labour pass through work in progress or go into stock at once.",
            ("through-wip", "Through work in progress"),
            ("direct", "Directly into stock")
        ),
        Of(
            "discounts",
            "Discounts on lines",
            "Whether discounts lessen revenue and cost, or stand on accounts of their own.",
            ("net", "Within revenue and cost"),
            ("separate", "On accounts of their own")
        ),
        Of(
            "tax-rounding",
            "Tax is rounded",
            "Whether the tax of a document is rounded once for each code or line by line.",
            ("document", "Once for each code of a document"),
            ("line", "Line by line")
        ),
        Of(
            "rounding-mode",
            "Halves are rounded",
            "Which way an amount goes that stands exactly between two.",
            ("half-away-from-zero", "Away from zero"),
            ("half-to-even", "To the even one")
        ),
        Of(
            "deposit-tax",
            "Tax on deposits",
            "Whether money paid before an invoice carries tax already.",
            ("off", "With the invoice"),
            ("on", "With the deposit")
        ),
        Of(
            "cut-off",
            "Cut-off at the month's end",
            "Whether goods invoiced and not shipped, and shipped and not invoiced, are put into the right month.",
            ("off", "Shown only"),
            ("on", "Posted at the month's end, and turned back the day after")
        ),
        Of(
            "four-eyes",
            "Four eyes",
            "Whether a draft is published only by another person than those who changed it.",
            ("off", "Not asked for"),
            ("on", "Asked for")
        ),
        Of(
            "second-factor",
            "Second factor",
            "Whether reviewers and administrators sign in with a code beside their password.",
            ("off", "Not asked for"),
            ("on", "Asked of reviewers and administrators")
        ),
        Of(
            "error-findings",
            "Errors that checks find",
            "Whether a draft is published while checks find errors in it that no reviewer has accepted.",
            ("told", "Told, and published"),
            ("refused", "Not published")
        ),
        Of(
            "line-text",
            "Text of entry lines",
            "What stands as text on each line: words with {reference}, {party}, {item}, {kind} and {text} filled in."
        ),
        Of("group-for-new-items", "Group of new items", "The item group of items that come without one."),
        Of("group-for-new-customers", "Group of new customers", "The group of customers that come without one."),
        Of("group-for-new-suppliers", "Group of new suppliers", "The group of suppliers that come without one."),
        Of("group-for-new-projects", "Group of new projects", "The group of projects that come without one."),
    ];

    /// <summary>The words of a policy; null: there is none of that name.</summary>
    public static PolicyWords? Find(string policy) => All.FirstOrDefault(p => p.Code == policy);

    /// <summary>What a value is called.</summary>
    public string ValueTitle(string value) => Values.GetValueOrDefault(value, value);

    private static PolicyWords Of(
        string code,
        string title,
        string explain,
        params (string Value, string Title)[] values
    ) => new(code, title, explain, values.ToDictionary(v => v.Value, v => v.Title, StringComparer.Ordinal));
}
