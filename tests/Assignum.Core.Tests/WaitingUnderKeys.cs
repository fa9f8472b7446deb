using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Events;

namespace Assignum.Core.Tests;

/// <summary>A difference from another system's list whose document waits here.</summary>
public sealed class WaitingUnderKeys
{
    private static KeyedSum Row(string party, string document, decimal amount) =>
        new(
            new Dictionary<SubledgerKey, string> { [SubledgerKey.Party] = party, [SubledgerKey.Document] = document },
            amount,
            null,
            0,
            1
        );

    [Fact]
    public void A_document_that_waits_is_told_from_one_that_never_came_and_each_key_must_be_its()
    {
        var waiting = new WaitingKeys([
            new BusinessEvent
            {
                Kind = "sales-invoice",
                Reference = "A",
                Party = "NORTH",
                Lines = [new EventLine { Item = "CUP", Location = "CORK" }, new EventLine { Item = "JAR" }],
            },
            new BusinessEvent
            {
                Kind = "customer-payment",
                Party = "SOUTH",
                Settles = [new Settlement { Reference = "B" }],
            },
        ]);
        var found = TheirLists.Compare(
            Control.Receivables,
            ["shop"],
            [Row("SOUTH", "B", 50), Row("NORTH", "D", 9)],
            [Row("NORTH", "A", 100), Row("SOUTH", "A", 30), Row("NORTH", "B", 4), Row("NORTH", "D", 8)],
            [],
            waiting
        );
        found
            .Causes.Select(c => (c.Cause, c.Amount, c.Count))
            .ShouldBe([
                // A of NORTH is invoiced there, B of SOUTH is paid there.
                (TheirCause.Waiting, -50m, 2),
                (TheirCause.OnlyTheirs, -34m, 2),
                (TheirCause.Amount, 1m, 1),
            ]);
        found.Causes.Sum(c => c.Amount).ShouldBe(found.Difference);
        Dictionary<SubledgerKey, string> Stock(string item, string? location) =>
            location is null
                ? new() { [SubledgerKey.Item] = item }
                : new() { [SubledgerKey.Item] = item, [SubledgerKey.Location] = location };
        waiting.Has(Stock("CUP", "CORK")).ShouldBeTrue();
        waiting.Has(Stock("CUP", "BERGEN")).ShouldBeFalse();
        waiting.Has(Stock("CUP", null)).ShouldBeTrue();
        waiting.Has(new Dictionary<SubledgerKey, string> { [SubledgerKey.Currency] = "EUR" }).ShouldBeFalse();
        WaitingKeys.None.Has(Stock("CUP", null)).ShouldBeFalse();
    }
}
