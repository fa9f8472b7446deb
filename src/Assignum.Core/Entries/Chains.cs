using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>A chain of documents to begin with: a whole life of goods, of a project or of a shop's day, made of an
/// entity's own records.</summary>
/// <remarks>Amounts that follow from others (what is paid) are taken from the entries that the documents before make, so
/// that accounts between documents come to zero.</remarks>
public sealed record Chain(string Code, string Title, string Explain, IReadOnlyList<string> Kinds)
{
    /// <summary>Every chain there is.</summary>
    public static IReadOnlyList<Chain> All { get; } =
    [
        new(
            "buy-and-sell",
            "Buy and sell",
            "Goods come, are invoiced and paid; some are shipped, invoiced and paid for.",
            [
                "goods-received",
                "supplier-invoice",
                "supplier-payment",
                "goods-shipped",
                "sales-invoice",
                "customer-payment",
            ]
        ),
        new(
            "make-and-sell",
            "Make and sell",
            "Parts and labour become an item, which is shipped, invoiced and paid for.",
            ["production-issued", "production-completed", "goods-shipped", "sales-invoice", "customer-payment"]
        ),
        new(
            "project",
            "A project",
            "Goods and labour are used, the customer is invoiced and pays, and the project is recognised.",
            ["project-usage", "sales-invoice", "project-recognised", "customer-payment"]
        ),
        new(
            "shop",
            "A shop's day",
            "Something is sold in a channel, something is taken back, the provider pays out and keeps its fee.",
            ["channel-sale", "channel-refund", "channel-sale", "channel-payout"]
        ),
    ];

    /// <summary>Its documents, the first on a day and each a day later; or what record the entity lacks for it, in
    /// words.</summary>
    public (IReadOnlyList<BusinessEvent> Documents, string? Lacks) Of(CompiledSetUp setUp, DateOnly day)
    {
        var made = new List<BusinessEvent>();
        var builder = new EntryBuilder(setUp);
        decimal Open(string kind, Control control) =>
            made.Where(e => e.Kind == kind)
                .SelectMany(e => builder.Build(e).Entry?.Lines ?? [])
                .Where(l => l.AccountRecord?.Control == control)
                .Sum(l => l.Debit - l.Credit);
        foreach (var (i, name) in Kinds.Index())
        {
            var (document, lacks) = Examples.Of(EventKinds.Find(name)!, setUp, day.AddDays(i));
            if (document is null)
                return ([], lacks);
            (document.Id, document.Reference) = ($"{Code}-{i + 1}", $"{Code.ToUpperInvariant()[..1]}-{i + 1}");
            // One line of each: what comes and goes is the same.
            document.Lines = [.. document.Lines.Take(name is "production-issued" or "project-usage" ? 2 : 1)];
            document.Charges = [];
            Fit(document, made, Open);
            made.Add(document);
        }
        return (made, null);
    }

    private void Fit(BusinessEvent document, List<BusinessEvent> before, Func<string, Control, decimal> open)
    {
        BusinessEvent? First(string kind) => before.FirstOrDefault(e => e.Kind == kind);
        switch (document.Kind)
        {
            case "production-completed":
                document.IssuedCost = open("production-issued", Control.Production);
                document.UnitCost = document.IssuedCost;
                break;
            case "goods-shipped" or "sales-invoice" when Code == "make-and-sell":
                document.Lines[0].Item = First("production-completed")!.Output;
                document.Lines[0].Quantity = 1;
                document.Lines[0].UnitCost = First("production-completed")!.UnitCost;
                document.Lines[0].UnitPrice = document.Kind == "sales-invoice" ? 320 : null;
                document.Lines[0].DiscountPercent = null;
                break;
            case "sales-invoice" when Code == "project":
                document.Project = First("project-usage")!.Project;
                document.Lines[0].UnitCost = null;
                break;
            case "project-recognised":
                document.Project = First("project-usage")!.Project;
                document.CostToDate = open("project-usage", Control.Projects);
                document.BilledToDate = -open("sales-invoice", Control.Projects);
                break;
            case "supplier-payment":
                Pay(document, First("supplier-invoice")!, -open("supplier-invoice", Control.Payables));
                document.DiscountTaken = document.Fee = null;
                break;
            case "customer-payment":
                Pay(document, First("sales-invoice")!, open("sales-invoice", Control.Receivables));
                document.DiscountGiven = null;
                break;
            case "channel-payout":
                document.Amount =
                    open("channel-sale", Control.Clearing) + open("channel-refund", Control.Clearing) - document.Fee;
                break;
        }
    }

    private static void Pay(BusinessEvent payment, BusinessEvent of, decimal amount)
    {
        (payment.Party, payment.Amount) = (of.Party, amount);
        payment.Settles = [new() { Reference = of.Reference!, Amount = amount }];
    }
}
