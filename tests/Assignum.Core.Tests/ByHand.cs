using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>What accounts say of hand entries and of parties, and who is let through.</summary>
public class ByHand
{
    private static SetUp Change(string number, Func<Account, Account> change) =>
        Shop with
        {
            Accounts = [.. Shop.Accounts.Select(a => a.Number == number ? change(a) : a)],
        };

    // What is said of a line on 6000 or 1400, with 4000 on the other side.
    private static Fault? Said(SetUp setUp, string kind, string account) =>
        new Books(setUp)
            .Try(
                Event(
                    kind,
                    null,
                    new EventLine
                    {
                        Account = account,
                        Debit = 10m,
                        Item = "GAUGE",
                    },
                    new EventLine { Account = "4000", Credit = 10m }
                )
            )
            .Entry!.Remarks.SingleOrDefault(r => r.Account == account);

    [Theory]
    [InlineData(null, null)]
    [InlineData(HandEntries.Accept, null)]
    [InlineData(HandEntries.Warn, Severity.Warning)]
    [InlineData(HandEntries.Refuse, Severity.Error)]
    public void An_ordinary_account_is_written_on_by_hand_as_it_says(HandEntries? says, Severity? severity)
    {
        var said = Said(Change("6000", a => a with { HandEntries = says }), "hand-entry", "6000");
        said?.Severity.ShouldBe(severity!.Value);
        (said is null).ShouldBe(severity is null);
        if (said is not null)
            said.Code.ShouldBe("hand-entries");
    }

    [Theory]
    [InlineData(null, Severity.Error)]
    [InlineData(HandEntries.Refuse, Severity.Error)]
    [InlineData(HandEntries.Warn, Severity.Warning)]
    [InlineData(HandEntries.Accept, null)]
    public void A_control_account_that_says_nothing_refuses(HandEntries? says, Severity? severity)
    {
        var said = Said(Change("1400", a => a with { HandEntries = says }), "hand-entry", "1400");
        (said?.Severity).ShouldBe(severity);
        if (said is not null)
            said.Code.ShouldBe("control-account");
    }

    [Fact]
    public void An_opening_passes_on_any_account()
    {
        Said(Change("6000", a => a with { HandEntries = HandEntries.Refuse }), "opening", "6000").ShouldBeNull();
        Said(Change("1400", a => a with { HandEntries = HandEntries.Refuse }), "opening", "1400").ShouldBeNull();
    }

    [Theory]
    [InlineData("1100", false, null, Severity.Error)]
    [InlineData("1100", true, null, null)]
    [InlineData("1100", false, HandEntries.Warn, Severity.Warning)]
    [InlineData("6000", false, null, null)]
    [InlineData("6000", false, HandEntries.Refuse, Severity.Error)]
    [InlineData("6000", true, HandEntries.Refuse, null)]
    public void A_revaluation_passes_on_accounts_marked_for_it_and_elsewhere_as_they_say(
        string account,
        bool revalue,
        HandEntries? says,
        Severity? severity
    ) =>
        (
            new Books(Change(account, a => a with { Revalue = revalue, HandEntries = says }))
                .Try(
                    Event(
                        "currency-revalued",
                        null,
                        new EventLine
                        {
                            Account = account,
                            Currency = "USD",
                            Amount = 10m,
                        }
                    )
                )
                .Entry!.Remarks.SingleOrDefault(r => r.Account == account)
                ?.Severity
        ).ShouldBe(severity);

    [Theory]
    [InlineData("4000", PartyKinds.All, "CUST", true)]
    [InlineData("4000", PartyKinds.Customers, "CUST", true)]
    [InlineData("4000", PartyKinds.Suppliers, "CUST", false)]
    [InlineData("4000", PartyKinds.Suppliers | PartyKinds.Others, "CUST", false)]
    [InlineData("4000", PartyKinds.Suppliers, "TWICE", true)]
    [InlineData("4000", PartyKinds.Others, "TWICE", false)]
    public void Any_account_admits_the_kinds_of_party_that_it_names(
        string account,
        PartyKinds kinds,
        string party,
        bool admitted
    )
    {
        var setUp = Change(account, a => a with { PartyKinds = kinds }) with
        {
            Parties = [.. Shop.Parties, new("TWICE", "Both", PartyKind.Both, TaxStanding: "domestic")],
        };
        var said = new Books(setUp)
            .Try(Event("sales-invoice", e => e.Party = party, new EventLine { Item = "ADVICE", UnitPrice = 1m }))
            .Entry!.Remarks;
        said.Any(r => r.Code == "party-kind").ShouldBe(!admitted);
    }

    [Fact]
    public void A_leg_without_a_party_passes_but_on_control_accounts_of_parties()
    {
        // A channel sells to nobody in particular: revenue that names customers admits it.
        var sale = Event(
            "channel-sale",
            e =>
            {
                e.Channel = "WEB";
                e.Standing = "domestic";
            },
            new EventLine { Item = "ADVICE", UnitPrice = 1m }
        );
        new Books(Change("4000", a => a with { PartyKinds = PartyKinds.Customers })).Post(sale);
        // On receivables a leg must say whose it is, where the account names kinds.
        foreach (
            var (kinds, refused) in new[]
            {
                (PartyKinds.All, false),
                (PartyKinds.Customers | PartyKinds.Suppliers | PartyKinds.Others, true),
            }
        )
            new Books(Change("1200", a => a with { PartyKinds = kinds, Revalue = true }))
                .Try(
                    Event(
                        "currency-revalued",
                        null,
                        new EventLine
                        {
                            Account = "1200",
                            Currency = "USD",
                            Amount = 5m,
                        }
                    )
                )
                .Entry!.Refused.ShouldBe(refused);
    }

    [Fact]
    public void A_tripwire_may_be_the_default_of_any_purpose_and_is_a_miss_above_it()
    {
        var setUp = Change("7510", a => a with { Tripwire = true });
        Books Tripped(params Assignment[] more) =>
            new(
                setUp with
                {
                    Assignments = [.. Shop.Assignments.Where(a => more.All(m => m.Identity != a.Identity)), .. more],
                }
            );
        var invoice = Event("sales-invoice", e => e.Party = "CUST", new EventLine { Item = "GAUGE", UnitPrice = 1m });
        // Other cost is no class of revenue and no control account of receivables: as a default both are let through
        // with a warning.
        var entry = Tripped(Assign(Purposes.SalesRevenue, "7510"), Assign(Purposes.Receivables, "7510")).Post(invoice);
        entry
            .Remarks.Select(r => (r.Code, r.Severity))
            .ShouldBe([("tripwire", Severity.Warning), ("tripwire", Severity.Warning)]);
        // Above the default it is passed over.
        Tripped(Assign(Purposes.SalesRevenue, "7510", (Dimension.Item, "GAUGE")))
            .Post(invoice)
            .Lines[1]
            .Account.ShouldBe("4000");
        // Written on a document it is refused.
        Tripped()
            .Try(
                Event(
                    "sales-invoice",
                    e => e.Party = "CUST",
                    new EventLine
                    {
                        Item = "GAUGE",
                        UnitPrice = 1m,
                        Account = "7510",
                    }
                )
            )
            .Entry!.Remarks.ShouldContain(r => r.Code == "tripwire-written" && r.Severity == Severity.Error);
        // One that is a control account of another subledger is judged as any other.
        var bank = Change("1100", a => a with { Tripwire = true });
        new Books(
            bank with
            {
                Assignments =
                [
                    .. bank.Assignments.Where(a => a.Purpose != "sales-revenue"),
                    Assign(Purposes.SalesRevenue, "1100"),
                ],
            }
        )
            .Try(invoice)
            .Entry!.Remarks.ShouldContain(r => r.Code == "control-account" && r.Severity == Severity.Error);
    }
}
