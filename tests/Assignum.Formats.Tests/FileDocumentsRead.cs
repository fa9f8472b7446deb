using System.Text;
using System.Text.Json.Nodes;
using Assignum.Formats.Documents;
using Assignum.Testing;
using CsCheck;

namespace Assignum.Formats.Tests;

/// <summary>Invoices, bank statements and tables become events; what is wrong with them is said and never thrown.</summary>
public sealed class FileDocumentsRead
{
    private const string Ubl = """
        <?xml version="1.0" encoding="UTF-8"?>
        <Invoice xmlns="urn:oasis:names:specification:ubl:schema:xsd:Invoice-2"
          xmlns:cac="urn:oasis:names:specification:ubl:schema:xsd:CommonAggregateComponents-2"
          xmlns:cbc="urn:oasis:names:specification:ubl:schema:xsd:CommonBasicComponents-2">
          <cbc:CustomizationID>urn:cen.eu:en16931:2017</cbc:CustomizationID>
          <cbc:ID>F-77</cbc:ID><cbc:IssueDate>2026-06-10</cbc:IssueDate><cbc:DueDate>2026-07-10</cbc:DueDate>
          <cbc:InvoiceTypeCode>380</cbc:InvoiceTypeCode><cbc:DocumentCurrencyCode>EUR</cbc:DocumentCurrencyCode>
          <cac:OrderReference><cbc:ID>PO-5</cbc:ID></cac:OrderReference>
          <cac:AccountingSupplierParty><cac:Party><cac:PartyName><cbc:Name>Glass Works</cbc:Name></cac:PartyName>
            <cac:PartyTaxScheme><cbc:CompanyID>IE1234567A</cbc:CompanyID></cac:PartyTaxScheme></cac:Party></cac:AccountingSupplierParty>
          <cac:AccountingCustomerParty><cac:Party><cac:PartyLegalEntity><cbc:RegistrationName>Skerrow</cbc:RegistrationName>
            </cac:PartyLegalEntity></cac:Party></cac:AccountingCustomerParty>
          <cac:AllowanceCharge><cbc:ChargeIndicator>true</cbc:ChargeIndicator>
            <cbc:AllowanceChargeReason>Carriage</cbc:AllowanceChargeReason><cbc:Amount
              currencyID="EUR">10.00</cbc:Amount>
            <cac:TaxCategory><cbc:ID>S</cbc:ID><cbc:Percent>23</cbc:Percent></cac:TaxCategory></cac:AllowanceCharge>
          <cac:AllowanceCharge><cbc:ChargeIndicator>false</cbc:ChargeIndicator><cbc:Amount
            currencyID="EUR">5.00</cbc:Amount>
            <cac:TaxCategory><cbc:ID>S</cbc:ID><cbc:Percent>23.00</cbc:Percent></cac:TaxCategory></cac:AllowanceCharge>
          <cac:TaxTotal><cbc:TaxAmount currencyID="EUR">24.15</cbc:TaxAmount>
            <cac:TaxSubtotal><cbc:TaxableAmount currencyID="EUR">105.00</cbc:TaxableAmount>
              <cbc:TaxAmount currencyID="EUR">24.15</cbc:TaxAmount></cac:TaxSubtotal></cac:TaxTotal>
          <cac:LegalMonetaryTotal><cbc:LineExtensionAmount currencyID="EUR">100.00</cbc:LineExtensionAmount>
            <cbc:TaxExclusiveAmount currencyID="EUR">105.00</cbc:TaxExclusiveAmount>
            <cbc:TaxInclusiveAmount currencyID="EUR">129.15</cbc:TaxInclusiveAmount>
            <cbc:PayableAmount currencyID="EUR">129.15</cbc:PayableAmount></cac:LegalMonetaryTotal>
          <cac:InvoiceLine><cbc:ID>1</cbc:ID><cbc:InvoicedQuantity unitCode="C62">30</cbc:InvoicedQuantity>
            <cbc:LineExtensionAmount currencyID="EUR">100.00</cbc:LineExtensionAmount>
            <cac:Item><cbc:Name>Tube</cbc:Name><cac:SellersItemIdentification><cbc:ID>GW-1</cbc:ID></cac:SellersItemIdentification>
              <cac:ClassifiedTaxCategory><cbc:ID>S</cbc:ID><cbc:Percent>23</cbc:Percent></cac:ClassifiedTaxCategory></cac:Item>
            <cac:Price><cbc:PriceAmount
              currencyID="EUR">34.00</cbc:PriceAmount><cbc:BaseQuantity>10</cbc:BaseQuantity></cac:Price>
          </cac:InvoiceLine>
        </Invoice>
        """;

    private static IReadOnlyList<FileDocument> Read(
        string text,
        string? side = null,
        IReadOnlyList<string>? columns = null
    ) =>
        [
            .. FileDocuments.Read(
                new MemoryStream(Encoding.UTF8.GetBytes(text)),
                "file",
                new FileReading(["SKERROW", "Skerrow"], side, columns)
            ),
        ];

    private static FileDocument Of(string file)
    {
        using var stream = File.OpenRead(Path.Combine(ProjectFiles.Root, "tests", "documents", file));
        // Each is read once, as it comes.
        var all = FileDocuments.Read(stream, file, new FileReading(["Skerrow"], null, null)).ToList();
        return all.ShouldHaveSingleItem();
    }

    [Theory]
    [InlineData("invoice-peppol.xml", "supplier-invoice", 344.34, 58.94, -2.5)]
    [InlineData("credit-note-peppol.xml", "supplier-credit-note", 344.34, 58.94, -2.5)]
    [InlineData("invoice-plain.xml", "supplier-invoice", 349.70, 59.70, 0)]
    [InlineData("invoice-national.xml", "supplier-invoice", 349.70, 59.70, 0)]
    public void What_other_makers_write_is_read_whatever_the_order_of_its_elements(
        string file,
        string kind,
        decimal gross,
        decimal tax,
        decimal charges
    )
    {
        var read = Of(file);
        read.Fault.ShouldBeNull();
        var e = read.Event!;
        ((string)e["kind"]!).ShouldBe(kind);
        ((string)e["party"]!).ShouldBe("IE7654321B");
        ((string)e["reference"]!).ShouldBe("GW-2026-118");
        ((string)e["date"]!).ShouldBe("2026-06-12");
        ((string)e["order"]!).ShouldBe("PO-71");
        ((decimal)e["totals"]!["gross"]!, (decimal)e["totals"]!["tax"]!).ShouldBe((gross, tax));
        (e["charges"]?.AsArray().Sum(c => (decimal)c!["amount"]!) ?? 0).ShouldBe(charges);
        e["lines"]!
            .AsArray()
            .Select(l =>
                ((string)l!["item"]!, (decimal)l["quantity"]!, (decimal)l["unitPrice"]!, (string)l["taxCode"]!)
            )
            .ShouldBe([("BG-40", 24m, 10m, "S 23"), ("BG-HB", 5m, 10m, "S 9")]);
        // Of five handbooks one was chipped.
        ((decimal?)e["lines"]![1]!["discount"] ?? 0).ShouldBe(charges == 0 ? 0 : 2.1m);
        if (kind == "supplier-credit-note")
            ((string)e["corrects"]!).ShouldBe("GW-2026-101");
    }

    [Fact]
    public void An_invoice_of_50_MB_is_refused_before_it_is_held_whole()
    {
        var before = GC.GetAllocatedBytesForCurrentThread();
        var read = Read(
            Ubl.Replace("<cbc:ID>F-77", "<cbc:Note>" + new string('x', 50 << 20) + "</cbc:Note><cbc:ID>F-77")
        );
        var one = read.ShouldHaveSingleItem();
        one.Event.ShouldBeNull();
        one.Fault!.Code.ShouldBe("bad-xml");
        one.Fault.Message.ShouldContain("20 MB");
        // The text itself and its bytes are 150 MB of it and more.
        (GC.GetAllocatedBytesForCurrentThread() - before).ShouldBeLessThan(600L << 20);
    }

    // Bytes as they come from a bank: made as they are read, never all of them at once.
    private sealed class Told(IEnumerable<string> parts) : Stream
    {
        private readonly IEnumerator<string> each = parts.GetEnumerator();
        private ReadOnlyMemory<byte> left;

        public long Given { get; private set; }
        public override bool CanRead => true;
        public override bool CanSeek => false;
        public override bool CanWrite => false;
        public override long Length => throw new NotSupportedException();
        public override long Position
        {
            get => Given;
            set => throw new NotSupportedException();
        }

        public override int Read(byte[] buffer, int offset, int count)
        {
            if (left.Length == 0)
                left = each.MoveNext() ? System.Text.Encoding.UTF8.GetBytes(each.Current) : default;
            var taken = Math.Min(left.Length, count);
            left[..taken].CopyTo(buffer.AsMemory(offset));
            left = left[taken..];
            Given += taken;
            return taken;
        }

        public override void Flush() { }

        public override long Seek(long offset, SeekOrigin origin) => throw new NotSupportedException();

        public override void SetLength(long value) => throw new NotSupportedException();

        public override void Write(byte[] buffer, int offset, int count) => throw new NotSupportedException();
    }

    private const string Opens = """
        <Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.08"><BkToCstmrStmt><Stmt><Id>S</Id>
        """;

    private static string Entry(int i) =>
        $"""
            <Ntry><Amt Ccy="EUR">{i % 90 + 1}.00</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts>
              <BookgDt><Dt>2026-06-12</Dt></BookgDt><AcctSvcrRef>R{i}</AcctSvcrRef>
              <AddtlNtryInf>{new string('n', 400)}</AddtlNtryInf></Ntry>
            """;

    [Fact]
    public void A_statement_of_50_MB_is_read_entry_by_entry_and_one_entry_of_50_MB_is_refused()
    {
        using var large = new Told(
            Enumerable.Range(0, 90_000).Select(Entry).Prepend(Opens).Append("</Stmt></BkToCstmrStmt></Document>")
        );
        var (count, sum, held) = (0, 0m, 0L);
        foreach (var one in FileDocuments.Read(large, "statement.xml", new FileReading([], null, null)))
        {
            (count, sum) = (count + 1, sum + (decimal)one.Event!["amount"]!);
            // However far it is read, no more of it was asked for than the reader's own buffers.
            held = Math.Max(held, large.Given - (long)count * Entry(0).Length);
        }
        count.ShouldBe(90_000);
        // A thousand times 1 to 90.
        sum.ShouldBe(1_000 * 4_095);
        large.Given.ShouldBeGreaterThan(50L << 20);
        held.ShouldBeLessThan(2L << 20);

        using var endless = new Told([
            Opens,
            Entry(0),
            "<Ntry><AddtlNtryInf>",
            .. Enumerable.Repeat(new string('x', 1 << 20), 50),
            "</AddtlNtryInf></Ntry></Stmt></BkToCstmrStmt></Document>",
        ]);
        var read = FileDocuments.Read(endless, "statement.xml", new FileReading([], null, null)).ToList();
        read.Count.ShouldBe(2);
        read[0].Event.ShouldNotBeNull();
        (read[1].Fault!.Code, read[1].Event).ShouldBe(("bad-xml", null));
        read[1].Fault!.Message.ShouldContain("20 MB");
        endless.Given.ShouldBeLessThan(25L << 20);
    }

    [Fact]
    public void The_other_syntax_is_named_and_nothing_of_it_is_taken()
    {
        var read = Of("invoice-other-syntax.xml");
        read.Event.ShouldBeNull();
        read.Fault!.Code.ShouldBe("unknown-file");
        read.Fault.Message.ShouldContain("CrossIndustryInvoice");
    }

    [Fact]
    public void An_invoice_that_we_bought_is_a_suppliers_with_its_allowances_and_what_it_comes_to()
    {
        var one = Read(Ubl).ShouldHaveSingleItem();
        one.Fault.ShouldBeNull();
        var e = one.Event!;
        ((string)e["kind"]!).ShouldBe("supplier-invoice");
        ((string)e["id"]!).ShouldBe("IE1234567A/F-77");
        ((string)e["party"]!).ShouldBe("IE1234567A");
        ((string)e["due"]!).ShouldBe("2026-07-10");
        ((string)e["order"]!).ShouldBe("PO-5");
        // 30 at 34.00 for ten are 102.00; the line says 100.00.
        var line = e["lines"]![0]!;
        ((decimal)line["unitPrice"]!).ShouldBe(3.4m);
        ((decimal)line["discount"]!).ShouldBe(2m);
        ((string)line["taxCode"]!).ShouldBe("S 23");
        e["charges"]!.AsArray().Select(c => (decimal)c!["amount"]!).ShouldBe([10m, -5m]);
        // A rate is a rate, however many zeros it has.
        e["charges"]!.AsArray().Select(c => (string)c!["taxCode"]!).Distinct().ShouldBe(["S 23"]);
        ((decimal)e["totals"]!["gross"]!).ShouldBe(129.15m);
        ((string)Read(Ubl, "sold")[0].Event!["kind"]!).ShouldBe("sales-invoice");
    }

    [Fact]
    public void Sums_that_a_document_says_and_its_parts_do_not_are_told_with_both_figures()
    {
        var wrong = Read(
                Ubl.Replace(
                    ">100.00</cbc:LineExtensionAmount>\n    <cbc:TaxExclusive",
                    ">99.00</cbc:LineExtensionAmount>\n    <cbc:TaxExclusive",
                    StringComparison.Ordinal
                )
            )
            .ShouldHaveSingleItem();
        wrong.Fault!.Code.ShouldBe("totals-differ");
        wrong.Fault.Message.ShouldContain("99");
        wrong.Fault.Message.ShouldContain("100");
        Read(Ubl.Replace("129.15</cbc:PayableAmount>", "129.14</cbc:PayableAmount>", StringComparison.Ordinal))[0]
            .Fault!.Message.ShouldContain("129.14");
        Read(Ubl.Replace("Skerrow", "Somebody", StringComparison.Ordinal))[0].Fault!.Code.ShouldBe("which-side");
    }

    [Fact]
    public void A_statement_is_a_payment_an_entry_with_the_documents_that_it_names()
    {
        var read = Read(
            """
            <Document xmlns="urn:iso:std:iso:20022:tech:xsd:camt.053.001.08"><BkToCstmrStmt><GrpHdr><MsgId>M</MsgId></GrpHdr>
              <Stmt><Id>S1</Id><Acct><Id><IBAN>IE29AIBK93115212345678</IBAN></Id><Ccy>EUR</Ccy></Acct>
              <Ntry><Amt Ccy="EUR">150.00</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts><Cd>BOOK</Cd></Sts><BookgDt><Dt>2026-06-12</Dt></BookgDt>
                <AcctSvcrRef>R1</AcctSvcrRef><BkTxCd><Prtry><Cd>XX-UNKNOWN</Cd></Prtry></BkTxCd>
                <NtryDtls><TxDtls><Amt Ccy="EUR">150.00</Amt><RltdPties><Dbtr><Pty><Nm>Lough
                  school</Nm></Pty></Dbtr></RltdPties>
                  <RmtInf><Strd><RfrdDocInf><Nb>INV-1</Nb></RfrdDocInf><RfrdDocAmt><RmtdAmt
                    Ccy="EUR">100.00</RmtdAmt></RfrdDocAmt></Strd>
                    <Strd><RfrdDocInf><Nb>INV-2</Nb></RfrdDocInf><RfrdDocAmt><RmtdAmt
                      Ccy="EUR">50.00</RmtdAmt></RfrdDocAmt></Strd></RmtInf>
                </TxDtls></NtryDtls></Ntry>
              <Ntry><Amt Ccy="EUR">20.00</Amt><CdtDbtInd>DBIT</CdtDbtInd><Sts>BOOK</Sts><BookgDt><Dt>2026-06-13</Dt></BookgDt>
                <NtryDtls><TxDtls><RltdPties><Cdtr><Nm>Glass Works</Nm></Cdtr></RltdPties></TxDtls></NtryDtls></Ntry>
              <Ntry><Amt Ccy="EUR">9.00</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts>PDNG</Sts></Ntry>
              <Ntry><Amt Ccy="EUR">x</Amt><CdtDbtInd>CRDT</CdtDbtInd><Sts>BOOK</Sts></Ntry>
            </Stmt></BkToCstmrStmt></Document>
            """
        );
        read.Count.ShouldBe(3);
        var first = read[0].Event!;
        ((string)first["kind"]!).ShouldBe("customer-payment");
        ((string)first["method"]!).ShouldBe("IE29AIBK93115212345678");
        ((string)first["party"]!).ShouldBe("Lough school");
        first["settles"]!
            .AsArray()
            .Select(s => ((string)s!["reference"]!, (decimal)s["amount"]!))
            .ShouldBe([("INV-1", 100m), ("INV-2", 50m)]);
        ((string)read[1].Event!["kind"]!).ShouldBe("supplier-payment");
        read[2].Fault!.Code.ShouldBe("missing-field");
    }

    [Fact]
    public void Rows_of_the_same_id_are_one_document_and_other_columns_than_before_are_told()
    {
        const string csv = """
            id;kind;date;party;reference;item;quantity;unitPrice
            A;sales-invoice;2026-06-01;P1;A;I1;2;10.50
            A;sales-invoice;2026-06-01;P1;A;I2;1;3
            B;sales-invoice;2026-06-02;P2;B;I1;1;4
            """;
        var read = Read(csv);
        read.Select(d => (string)d.Event!["id"]!).ShouldBe(["A", "B"]);
        ((decimal)read[0].Event!["lines"]![0]!["unitPrice"]!).ShouldBe(10.5m);
        read[0].Event!["lines"]!.AsArray().Count.ShouldBe(2);
        Read(csv, null, ["id", "kind", "date"])[0].Fault!.Code.ShouldBe("columns-changed");
        Read("id;colour\nA;red")[0].Fault!.Code.ShouldBe("unknown-column");
    }

    [Fact]
    public void Entities_and_what_is_no_such_file_are_refused_and_whatever_is_cut_off_never_throws()
    {
        Read("<?xml version=\"1.0\"?><!DOCTYPE a [<!ENTITY x SYSTEM \"file:///etc/passwd\">]><Invoice>&x;</Invoice>")[0]
            .Fault!.Code.ShouldBe("bad-xml");
        Read("<html/>")[0].Fault!.Code.ShouldBe("unknown-file");
        Read("")[0].Fault!.Code.ShouldBe("empty-file");
        Read("{\"id\":\"A\"}\nnonsense")[1].Fault!.Code.ShouldBe("bad-json");
        var read = 0;
        Gen.Select(Gen.Int[0, Ubl.Length], Gen.Int[0, Ubl.Length - 1], Gen.Char)
            .Sample(
                (cut, at, sign) =>
                {
                    var damaged = Ubl[..at] + sign + Ubl[(at + 1)..];
                    foreach (var text in new[] { Ubl[..cut], damaged })
                    foreach (var document in Read(text))
                    {
                        (document.Event ?? (object?)document.Fault).ShouldNotBeNull();
                        if (document is { Event: not null, Fault: null })
                            Interlocked.Increment(ref read);
                    }
                },
                iter: 400
            );
        read.ShouldBeGreaterThan(50);
    }
}
