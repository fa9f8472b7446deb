using Assignum.Core.Entries;
using Assignum.Core.Pairing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Which purposes a connection reaches is known before anything of tax is: what one leg lacks hides no other.</summary>
public class ReachedBeforeTax
{
    private static readonly DateOnly Day = new(2026, 3, 14);

    private static readonly SetUp Joined = Shop with
    {
        Assignments = [],
        Channels = [new("WEB", "Web"), new("FAIR", "Fair")],
        Methods = [new("CARD", "Card")],
        Locations = [new("CORK", "Cork")],
        Parties = [new("ANN", "Ann", PartyKind.Both, null, null, "domestic")],
        Accounts = [.. Shop.Accounts.Select(a => a with { TaxCode = null, TaxAdmits = Chart.TaxAdmits.Both })],
    };

    private static HashSet<(string Purpose, string Channel)> Reached(SetUp setUp, out int kinds)
    {
        var sent = EventKinds.All.Where(k => k.Name.StartsWith("channel-", StringComparison.Ordinal)).ToList();
        kinds = sent.Count;
        var lacks = new Dictionary<string, string>();
        var reached = ReachedPurposes.Of(
            new CompiledSetUp(setUp),
            sent,
            (["FAIR", "WEB"], ["CARD"], []),
            [],
            Day,
            lacks
        );
        lacks.ShouldBeEmpty();
        return [.. reached.Select(r => (r.Purpose.Name, r.Channel))];
    }

    [Fact]
    public void Without_a_tax_code_every_purpose_is_reached_that_is_with_one()
    {
        var without = Reached(Joined with { TaxMatrix = [] }, out var kinds);
        kinds.ShouldBe(5);
        var with = Reached(
            Joined with
            {
                Accounts =
                [
                    .. Joined.Accounts.Select(a =>
                        a with
                        {
                            TaxCode = a.Class == Chart.AccountClass.Revenue ? "S23" : null,
                            TaxAdmits = a.Class == Chart.AccountClass.Revenue ? a.TaxAdmits : Chart.TaxAdmits.None,
                        }
                    ),
                ],
                TaxMatrix = [],
            },
            out _
        );
        with.Where(p => p.Purpose is not ("output-tax" or "input-tax")).Except(without).ShouldBeEmpty();
        foreach (var channel in new[] { "WEB", "FAIR" })
        foreach (
            var purpose in new[]
            {
                "sales-revenue",
                "sales-returns",
                "shipping-income",
                "payment-fee",
                "clearing",
                "gift-cards",
                "chargeback-loss",
            }
        )
            without.ShouldContain((purpose, channel));
    }
}
