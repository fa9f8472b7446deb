using System.Globalization;
using System.Text.Json.Nodes;
using System.Xml;
using System.Xml.Linq;
using Assignum.Core;

namespace Assignum.Formats.Documents;

/// <summary>Reads UBL 2.1 invoices and credit notes, sold and bought, of any profile of EN 16931.</summary>
internal static class UblDocuments
{
    public static IEnumerable<FileDocument> Read(XmlReader reader, FileReading how)
    {
        var root = (XElement)XNode.ReadFrom(reader);
        yield return One(root, how);
    }

    private static FileDocument One(XElement root, FileReading how)
    {
        FileDocument No(string code, string message) => new("document", null, new Fault(code, message));
        var credit = root.Name.LocalName == "CreditNote";
        if (root.Text("ID") is not { Length: <= 150 } id)
            return No("missing-field", "The document has no ID.");
        var supplier = root.Part("AccountingSupplierParty", "Party");
        var customer = root.Part("AccountingCustomerParty", "Party");
        var bought = how.As switch
        {
            "bought" => true,
            "sold" => false,
            _ => Side(supplier, customer, how.Ours),
        };
        if (bought is not { } isBought)
            return No(
                "which-side",
                "Neither party of the document is known as this entity: say whether it was sold or bought."
            );
        var party = isBought ? supplier : customer;
        var who = Known(party);
        var rows = root.Parts(credit ? "CreditNoteLine" : "InvoiceLine").ToList();
        var json = new JsonObject
        {
            ["id"] = isBought ? $"{who ?? "?"}/{id}" : id,
            ["kind"] = (isBought, credit) switch
            {
                (true, true) => "supplier-credit-note",
                (true, false) => "supplier-invoice",
                (false, true) => "sales-credit-note",
                _ => "sales-invoice",
            },
            ["date"] = root.Day("IssueDate"),
            ["reference"] = id,
        };
        void Put(string name, string? value)
        {
            if (value is not null)
                json[name] = value;
        }
        Put("party", who);
        Put("currency", root.Text("DocumentCurrencyCode"));
        Put("due", root.Day("DueDate") ?? root.Day("PaymentMeans", "PaymentDueDate"));
        Put("taxDate", root.Day("TaxPointDate"));
        Put("text", Short(root.Text("Note")));
        Put("order", root.Text("OrderReference", "ID"));
        if (credit)
            Put("corrects", root.Text("BillingReference", "InvoiceDocumentReference", "ID"));
        if (root.Number("PaymentExchangeRate", "CalculationRate") is { } rate)
            json["rate"] = rate;
        json["lines"] = new JsonArray([.. rows.Select(r => (JsonNode)Line(r, credit, isBought))]);
        var charges = new JsonArray();
        foreach (var one in root.Parts("AllowanceCharge"))
        {
            var sign = one.Text("ChargeIndicator") == "true" ? 1 : -1;
            if (one.Number("Amount") is not ({ } amount and not 0))
                continue;
            charges.Add(
                WithTax(
                    new JsonObject
                    {
                        ["amount"] = sign * amount,
                        ["text"] = Short(one.Text("AllowanceChargeReason")) ?? (sign > 0 ? "Charge" : "Allowance"),
                    },
                    one.Part("TaxCategory")
                )
            );
        }
        if (charges.Count > 0)
            json["charges"] = charges;
        var sums = root.Part("LegalMonetaryTotal");
        var totals = new JsonObject();
        void Total(string name, decimal? value)
        {
            if (value is { } of)
                totals[name] = of;
        }
        Total("lines", sums.Number("LineExtensionAmount"));
        Total("net", sums.Number("TaxExclusiveAmount"));
        Total("gross", sums.Number("TaxInclusiveAmount"));
        Total("payable", sums.Number("PayableAmount"));
        Total("prepaid", sums.Number("PrepaidAmount"));
        Total("rounding", sums.Number("PayableRoundingAmount"));
        // Of two amounts of tax the one in the document's currency counts.
        var tax = root.Parts("TaxTotal")
            .FirstOrDefault(t =>
                t.Part("TaxAmount")?.Attribute("currencyID")?.Value is not { } c
                || c == root.Text("DocumentCurrencyCode")
            );
        Total("tax", tax.Number("TaxAmount"));
        json["totals"] = totals;
        return Wrong(root, rows, sums, tax) is { } wrong
            ? new FileDocument("document", json, new Fault("totals-differ", wrong))
            : new FileDocument("document", json, null);
    }

    // Which of the parties is ours; null: none, or both.
    private static bool? Side(XElement? supplier, XElement? customer, IReadOnlyCollection<string> ours)
    {
        bool Is(XElement? party) =>
            Names(party).Any(n => ours.Any(o => string.Equals(o, n, StringComparison.OrdinalIgnoreCase)));
        return (Is(supplier), Is(customer)) switch
        {
            (false, true) => true,
            (true, false) => false,
            _ => null,
        };
    }

    private static IEnumerable<string> Names(XElement? party)
    {
        foreach (
            var text in new[]
            {
                party.Text("EndpointID"),
                party.Text("PartyTaxScheme", "CompanyID"),
                party.Text("PartyLegalEntity", "CompanyID"),
                party.Text("PartyIdentification", "ID"),
                party.Text("PartyLegalEntity", "RegistrationName"),
                party.Text("PartyName", "Name"),
            }
        )
            if (text is not null)
                yield return text;
    }

    // By what they number their parties, else by their tax number, else by name.
    private static string? Known(XElement? party) =>
        party.Text("PartyIdentification", "ID")
        ?? party.Text("PartyTaxScheme", "CompanyID")
        ?? party.Text("PartyLegalEntity", "CompanyID")
        ?? party.Text("EndpointID")
        ?? party.Text("PartyName", "Name")
        ?? party.Text("PartyLegalEntity", "RegistrationName");

    private static JsonObject Line(XElement row, bool credit, bool bought)
    {
        var quantity = row.Number(credit ? "CreditedQuantity" : "InvoicedQuantity");
        var net = row.Number("LineExtensionAmount") ?? 0;
        var price = row.Number("Price", "PriceAmount");
        var per = row.Number("Price", "BaseQuantity") is { } b and not 0 ? b : 1;
        var item = row.Part("Item");
        var json = new JsonObject
        {
            ["item"] = (bought ? item.Text("BuyersItemIdentification", "ID") : null)
                ?? item.Text("SellersItemIdentification", "ID")
                ?? item.Text("StandardItemIdentification", "ID")
                ?? item.Text("Name"),
        };
        // Whatever price and quantity say, what the line comes to is its own.
        if (quantity is { } of and not 0 && price is { } each)
        {
            var gross = decimal.Round(of * each / per, 2, MidpointRounding.AwayFromZero);
            json["quantity"] = of;
            json["unitPrice"] = per == 1 ? each : decimal.Round(each / per, 6, MidpointRounding.AwayFromZero);
            if (per != 1)
                gross = decimal.Round(of * (decimal)json["unitPrice"]!, 2, MidpointRounding.AwayFromZero);
            if (gross != net)
                json["discount"] = gross - net;
        }
        else
        {
            json["quantity"] = 1m;
            json["unitPrice"] = net;
        }
        if (Short(item.Text("Description") ?? item.Text("Name")) is { } text)
            json["text"] = text;
        if (row.Text("OrderLineReference", "OrderReference", "ID") is { } order)
            json["order"] = order;
        if (row.Text("DespatchLineReference", "DocumentReference", "ID") is { } shipped && !bought)
            json["shipment"] = shipped;
        if (row.Text("ReceiptLineReference", "DocumentReference", "ID") is { } received && bought)
            json["receipt"] = received;
        return WithTax(json, item.Part("ClassifiedTaxCategory"));
    }

    // The category with its rate is their tax code, such as S 23.
    private static JsonObject WithTax(JsonObject json, XElement? category)
    {
        if (category.Text("ID") is { } id)
            json["taxCode"] = category.Number("Percent") is { } percent and not 0 ? $"{id} {Written(percent)}" : id;
        return json;
    }

    private static string Written(decimal number) => number.ToString("0.######", CultureInfo.InvariantCulture);

    private static string? Short(string? text) => text is { Length: > 500 } ? text[..500] : text;

    // What the document says of its own sums (EN 16931, BR-CO-10 to 16).
    private static string? Wrong(XElement root, IReadOnlyList<XElement> rows, XElement? sums, XElement? tax)
    {
        if (sums is null)
            return null;
        string Differ(string what, decimal says, decimal comes) =>
            $"{what}: the document says {Written(says)}, its parts come to {Written(comes)}.";
        var lines = rows.Sum(r => r.Number("LineExtensionAmount") ?? 0);
        if (sums.Number("LineExtensionAmount") is { } net && net != lines)
            return Differ("The sum of its lines", net, lines);
        var allowances = root.Parts("AllowanceCharge")
            .Sum(a => (a.Text("ChargeIndicator") == "true" ? 1 : -1) * (a.Number("Amount") ?? 0));
        if (sums.Number("TaxExclusiveAmount") is { } exclusive && exclusive != lines + allowances)
            return Differ("The sum without tax", exclusive, lines + allowances);
        var byCategory = tax.Parts("TaxSubtotal").ToList();
        if (tax.Number("TaxAmount") is { } amount)
        {
            if (byCategory.Count > 0 && byCategory.Sum(s => s.Number("TaxAmount") ?? 0) is var parts && parts != amount)
                return Differ("Its tax", amount, parts);
            if (
                sums.Number("TaxExclusiveAmount") is { } without
                && sums.Number("TaxInclusiveAmount") is { } with
                && with != without + amount
            )
                return Differ("The sum with tax", with, without + amount);
        }
        if (
            sums.Number("TaxInclusiveAmount") is { } gross
            && sums.Number("PayableAmount") is { } payable
            && payable != gross - (sums.Number("PrepaidAmount") ?? 0) + (sums.Number("PayableRoundingAmount") ?? 0)
        )
            return Differ(
                "What is to be paid",
                payable,
                gross - (sums.Number("PrepaidAmount") ?? 0) + (sums.Number("PayableRoundingAmount") ?? 0)
            );
        return null;
    }
}
