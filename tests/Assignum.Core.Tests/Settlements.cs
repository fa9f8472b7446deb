using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What settles stands where the settled stands, at its rate; what brings it to nothing takes the last cent.
/// Numbers worked by hand.</summary>
public class Settlements
{
    private static JournalEntry Invoice(Books books, string reference, decimal amount, decimal rate = 0) =>
        books.Post(
            Event(
                "sales-invoice",
                e =>
                {
                    (e.Party, e.Reference) = (Customer, reference);
                    if (rate != 0)
                        (e.Currency, e.Rate) = ("USD", rate);
                },
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = amount,
                    TaxCode = "X",
                }
            )
        );

    private static JournalEntry Pay(
        Books books,
        decimal amount,
        decimal rate,
        params (string Reference, decimal Amount)[] settles
    ) => books.Post(Event("customer-payment", e =>
            {
                (e.Party, e.Method, e.Amount, e.Reference) = (Customer, "BANK", amount, "PAY-" + amount);
                if (rate != 0)
                    (e.Currency, e.Rate) = ("USD", rate);
                e.Settles = [.. settles.Select(s => new Settlement { Reference = s.Reference, Amount = s.Amount })];
            }));

    private const string Customer = "CUST";

    private static SetUp Firm =>
        Shop with
        {
            Parties = [.. Shop.Parties, new("BOTH", "Both", PartyKind.Both, "TRADE", "LOCAL", TaxStanding: "domestic")],
        };

    [Fact]
    public void Three_part_payments_leave_nothing_of_an_invoice_in_another_currency()
    {
        var books = new Books(Firm);
        // 299.97 USD at 0.9173 are 275.16 (275.162481); each part of 99.99 is 91.72 (91.720827): the last takes the rest.
        Invoice(books, "INV-1", 299.97m, 0.9173m);
        books.Balance("1200").ShouldBe(275.16m);
        foreach (var rest in new[] { 183.44m, 91.72m, 0m })
        {
            var paid = Pay(books, 99.99m, 0.9173m, ("INV-1", 99.99m));
            paid.Lines.First(l => l.Purpose?.Name == "receivables").Landing.Rung.ShouldBe("document");
            books.Balance("1200").ShouldBe(rest);
        }

        // 1.00 USD at 0.334 is 0.33. Half of it is 0.17 (0.167) by its rate; the other half takes the 0.16 that are left, and
        // the cent is gained.
        Invoice(books, "INV-2", 1m, 0.334m);
        books.Balance("1200").ShouldBe(0.33m);
        Pay(books, 0.50m, 0.334m, ("INV-2", 0.50m));
        books.Balance("1200").ShouldBe(0.16m);
        var last = Pay(books, 0.50m, 0.334m, ("INV-2", 0.50m));
        last.Lines.First(l => l.Purpose?.Name == "receivables").Credit.ShouldBe(0.16m);
        last.Lines.First(l => l.Purpose?.Name == "exchange-gain").Credit.ShouldBe(0.01m);
        books.Balance("1200").ShouldBe(0);
    }

    [Fact]
    public void What_is_beyond_what_is_open_stands_on_account_at_the_events_rate()
    {
        var books = new Books(Firm);
        Invoice(books, "INV-1", 100m, 0.9m);
        // 130 USD at 0.95 are 123.50. 100 settle the invoice at 90.00, 30 stand on account at 28.50; gained: 5.00.
        var paid = Pay(books, 130m, 0.95m, ("INV-1", 130m));
        paid.Remarks.ShouldContain(r => r.Code == "settles-too-much");
        var receivables = paid.Lines.Where(l => l.Purpose?.Name == "receivables").ToList();
        receivables.Select(l => l.Credit).ShouldBe([90.00m, 28.50m]);
        receivables.Select(l => l.Landing.Rung).ShouldBe(["document", "default"]);
        receivables.Select(l => l.Rate).ShouldBe([0.9m, 0.95m]);
        paid.Lines.First(l => l.Purpose?.Name == "exchange-gain").Credit.ShouldBe(5.00m);
        books.Balance("1200").ShouldBe(-28.50m);
        // A document that is settled already takes nothing more; one that nobody knows goes by the ladder.
        var again = Pay(books, 20m, 0.95m, ("INV-1", 20m));
        again.Lines.Single(l => l.Purpose?.Name == "receivables").Landing.Rung.ShouldBe("default");
        var unknown = Pay(books, 10m, 0.95m, ("NEVER", 10m));
        unknown.Remarks.ShouldContain(r => r.Code == "document-unknown");
        // One event that names a document twice takes no more of it than is open.
        Invoice(books, "INV-2", 50m, 0.9m);
        var twice = Pay(books, 60m, 0.9m, ("INV-2", 30m), ("INV-2", 30m));
        twice.Lines.Where(l => l.Landing.Rung == "document").Sum(l => l.CurrencyCredit).ShouldBe(50m);
    }

    private static BusinessEvent SetOff(decimal owed, decimal owing, string party = "BOTH") => Event("set-off", e =>
        {
            (e.Party, e.Reference, e.Text) = (party, "SO-1", "July");
            e.Settles = [new() { Reference = "INV-1", Amount = owed }];
            e.SettlesPayables = [new() { Reference = "BILL-1", Amount = owing }];
        });

    [Fact]
    public void A_set_off_settles_documents_on_both_sides()
    {
        var books = new Books(Firm);
        books.Post(
            Event(
                "sales-invoice",
                e => (e.Party, e.Reference) = ("BOTH", "INV-1"),
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 120,
                    TaxCode = "X",
                }
            )
        );
        books.Post(
            Event(
                "supplier-invoice",
                e => (e.Party, e.Reference) = ("BOTH", "BILL-1"),
                new EventLine
                {
                    Item = "ADVICE",
                    UnitPrice = 80,
                    TaxCode = "P",
                }
            )
        );
        // 80.00 at 23 % are owed as 98.40; 98.40 of 120.00 is set off against it.
        books.Balance("2100").ShouldBe(-98.40m);
        var entry = books.Post(SetOff(98.40m, 98.40m));
        Lines(entry).ShouldBe(["2100 D 98.40", "1200 C 98.40"]);
        entry.Lines.Select(l => l.Landing.Rung).ShouldBe(["document", "document"]);
        (books.Balance("2100"), books.Balance("1200")).ShouldBe((0m, 21.60m));
        // What cannot be set off says why.
        books.Try(SetOff(10, 9)).Errors.ShouldContain(f => f.Code == "unequal");
        books.Try(SetOff(10, 10, Customer)).Errors.ShouldContain(f => f.Code == "party-kind");
        var lone = SetOff(10, 10);
        lone.SettlesPayables = [];
        books.Try(lone).Errors.ShouldContain(f => f.Code == "missing-field");
    }

    [Fact]
    public void Tax_is_settled_by_codes_or_by_the_authority()
    {
        var setUp = Firm with
        {
            TaxCodes = [.. Firm.TaxCodes.Select(c => c.Code == "S" ? c with { Authority = "Revenue" } : c)],
        };
        var books = new Books(setUp);
        BusinessEvent Settled(decimal amount, string authority, params (string Code, decimal Amount)[] lines) =>
            Event(
                "tax-settled",
                e => (e.Authority, e.Amount, e.Method) = (authority, amount, "BANK"),
                [.. lines.Select(l => new EventLine { TaxCode = l.Code, Amount = l.Amount })]
            );
        Lines(books.Post(Settled(120, "Revenue", ("S", 200), ("P", 80))))
            .ShouldBe(["2300 D 200.00", "1600 C 80.00", "1100 C 120.00"]);
        Lines(books.Post(Settled(50, "Revenue"))).ShouldBe(["2300 D 50.00", "1100 C 50.00"]);
        // A refund comes back by the bank.
        Lines(books.Post(Settled(-30, "Revenue", ("P", 30)))).ShouldBe(["1600 C 30.00", "1100 D 30.00"]);
        books.Try(Settled(100, "Revenue", ("S", 200), ("P", 80))).Errors.ShouldContain(f => f.Code == "unequal");
        books.Try(Settled(50, "Nobody")).Errors.ShouldContain(f => f.Code == "unknown-authority");
    }
}
