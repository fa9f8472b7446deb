using System.Security.Cryptography;
using System.Text;
using System.Text.Json.Nodes;
using System.Xml;
using System.Xml.Linq;
using Assignum.Core;

namespace Assignum.Formats.Documents;

/// <summary>Reads statements and notifications of banks (camt.053, camt.054) entry by entry: what came in is a customer's
/// payment, what went out a supplier's.</summary>
internal static class CamtDocuments
{
    /// <param name="begins">Hears before each entry, which is read whole.</param>
    public static IEnumerable<FileDocument> Read(XmlReader reader, Action begins)
    {
        string? account = null,
            statement = null,
            currency = null;
        var number = 0;
        var known = false;
        // What an account says of itself stands before its entries.
        while (!reader.EOF)
        {
            if (reader.NodeType != XmlNodeType.Element)
            {
                reader.Read();
                continue;
            }
            switch (reader.LocalName)
            {
                case "BkToCstmrStmt" or "BkToCstmrDbtCdtNtfctn":
                    known = true;
                    reader.Read();
                    break;
                case "Stmt" or "Ntfctn":
                    (account, statement, currency) = (null, null, null);
                    reader.Read();
                    break;
                case "Id" when statement is null && reader.Depth >= 3 && known:
                    statement = reader.ReadElementContentAsString().Trim();
                    break;
                case "Acct" when known:
                    begins();
                    var of = (XElement)XNode.ReadFrom(reader);
                    account = of.Text("Id", "IBAN") ?? of.Text("Id", "Othr", "Id");
                    currency = of.Text("Ccy");
                    break;
                case "Ntry" when known:
                    number++;
                    begins();
                    foreach (
                        var document in Entry((XElement)XNode.ReadFrom(reader), account, statement, currency, number)
                    )
                        yield return document;
                    break;
                case "GrpHdr" or "Bal" or "TxsSummry" or "FrToDt":
                    reader.Skip();
                    break;
                default:
                    reader.Read();
                    break;
            }
        }
        if (!known)
            yield return new FileDocument(
                "",
                null,
                new Fault(
                    "unknown-file",
                    "It is neither a statement (camt.053) nor a notification (camt.054) of a bank."
                )
            );
    }

    private static IEnumerable<FileDocument> Entry(
        XElement entry,
        string? account,
        string? statement,
        string? accountCurrency,
        int number
    )
    {
        // What is only expected is told again when it is booked.
        if ((entry.Text("Sts", "Cd") ?? entry.Text("Sts")) is { } status && status != "BOOK")
            yield break;
        var details = entry.Parts("NtryDtls").SelectMany(d => d.Parts("TxDtls")).ToList();
        if (details.Count == 0)
            details.Add(entry);
        foreach (var (i, one) in details.Index())
            yield return Guarded(
                () => One(entry, one, details.Count, account, statement, accountCurrency, number, i),
                number
            );
    }

    private static FileDocument Guarded(Func<FileDocument> read, int number)
    {
        try
        {
            return read();
        }
        catch (FormatException e)
        {
            return new FileDocument($"entry {number}", null, new Fault("bad-number", $"Entry {number}: {e.Message}"));
        }
    }

    private static FileDocument One(
        XElement entry,
        XElement one,
        int among,
        string? account,
        string? statement,
        string? accountCurrency,
        int number,
        int index
    )
    {
        var place = among == 1 ? $"entry {number}" : $"entry {number}, payment {index + 1}";
        // Its own amount; of a lone one also the entry's.
        var amountPart = one.Part("Amt")
            ?? one.Part("AmtDtls", "TxAmt", "Amt")
            ?? (among == 1 ? entry.Part("Amt") : null);
        if (
            amountPart is null
            || !decimal.TryParse(
                amountPart.Value.Trim(),
                System.Globalization.NumberStyles.AllowDecimalPoint,
                System.Globalization.CultureInfo.InvariantCulture,
                out var amount
            )
        )
            return new FileDocument(place, null, new Fault("missing-field", $"{place}: it has no amount."));
        var incoming = (one.Text("CdtDbtInd") ?? entry.Text("CdtDbtInd")) switch
        {
            "CRDT" => true,
            "DBIT" => false,
            _ => (bool?)null,
        };
        if (incoming is not { } comesIn)
            return new FileDocument(
                place,
                null,
                new Fault("missing-field", $"{place}: it says neither CRDT nor DBIT.")
            );
        // What is turned back went the other way.
        var turned = entry.Text("RvslInd") == "true";
        var parties = one.Part("RltdPties");
        var other = parties.Part(comesIn != turned ? "Dbtr" : "Cdtr");
        var otherAccount = parties.Part(comesIn != turned ? "DbtrAcct" : "CdtrAcct");
        var who = otherAccount.Text("Id", "IBAN")
            ?? otherAccount.Text("Id", "Othr", "Id")
            ?? other.Text("Nm")
            ?? other.Text("Pty", "Nm");
        var day = entry.Day("BookgDt", "Dt") ?? entry.Day("BookgDt", "DtTm") ?? entry.Day("ValDt", "Dt");
        var id = one.Text("Refs", "AcctSvcrRef")
            ?? (among == 1 ? entry.Text("AcctSvcrRef") ?? entry.Text("NtryRef") : null);
        var json = new JsonObject
        {
            // Where the bank gives no reference, the entry itself is known again by what it says.
            ["id"] = id is not null ? $"{account}/{id}" : $"{account}/{Known(entry, index)}",
            ["kind"] = comesIn ? "customer-payment" : "supplier-payment",
            ["date"] = day,
            ["amount"] = amount,
            ["reference"] = one.Text("Refs", "EndToEndId") is { } e2e and not "NOTPROVIDED"
                ? e2e
                : id ?? $"{statement}/{number}",
        };
        if (account is not null)
            json["method"] = account;
        if (who is not null)
            json["party"] = who;
        if ((amountPart.Attribute("Ccy")?.Value ?? accountCurrency) is { } currency)
            json["currency"] = currency;
        var texts = one.Part("RmtInf").Parts("Ustrd").Select(u => u.Value.Trim()).Where(u => u.Length > 0).ToList();
        if (texts.Count > 0)
            json["text"] = string.Join(' ', texts) is { Length: > 500 } all ? all[..500] : string.Join(' ', texts);
        var settles = new JsonArray();
        var left = amount;
        var structured = one.Part("RmtInf").Parts("Strd").ToList();
        foreach (var strd in structured)
        {
            var documents = strd.Parts("RfrdDocInf").Select(d => d.Text("Nb")).OfType<string>().ToList();
            if (documents.Count == 0 && strd.Text("CdtrRefInf", "Ref") is { } creditor)
                documents.Add(creditor);
            foreach (var document in documents)
            {
                var part =
                    documents.Count == 1 && structured.Count == 1
                        ? strd.Number("RfrdDocAmt", "RmtdAmt") ?? amount
                        : strd.Number("RfrdDocAmt", "RmtdAmt") ?? 0;
                part = Math.Min(part, left);
                if (part <= 0)
                    continue;
                left -= part;
                settles.Add(new JsonObject { ["reference"] = document, ["amount"] = part });
            }
        }
        if (settles.Count > 0)
            json["settles"] = settles;
        return new FileDocument(place, json, null);
    }

    private static string Known(XElement entry, int index) =>
        Convert.ToHexStringLower(
            SHA256.HashData(Encoding.UTF8.GetBytes(entry.ToString(SaveOptions.DisableFormatting) + index))
        )[..24];
}
