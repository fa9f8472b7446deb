using Assignum.Core.Access;

namespace Assignum.Core.Tests;

/// <summary>Who holds what is better held by two.</summary>
public class DutiesInOneHand
{
    private static readonly DateTime Now = new(2026, 6, 1, 0, 0, 0, DateTimeKind.Utc);

    private static PersonRow Person(string name, params RoleRow[] roles) =>
        new(1, name, name, true, true, roles, 0, null, false);

    private static KeyInfo Key(
        string name,
        string role,
        string madeBy,
        DateTime? until = null,
        DateTime? revoked = null
    ) => new(1, name, role, null, madeBy, Now, until, null, revoked);

    [Fact]
    public void Who_publishes_alone_or_posts_by_a_key_or_may_more_by_a_key_is_named()
    {
        var found = Duties.Of(
            [
                Person("nora", new RoleRow("preparer", null)),
                Person("tomas", new RoleRow("reviewer", "A")),
                Person("iris", new RoleRow("viewer", null)),
                Person("left", new RoleRow("administrator", null)) with
                {
                    Active = false,
                },
            ],
            [
                Key("shop", "preparer", "tomas"),
                Key("over", "preparer", "nora", until: Now.AddDays(-1)),
                Key("strong", "administrator", "iris"),
                Key("gone", "administrator", "nora", revoked: Now),
            ],
            [("A", true), ("B", false)],
            Now
        );
        found
            .Select(f => (f.Who, f.Entity))
            .ShouldBe([("tomas", "A"), ("tomas", "B"), ("iris", "A"), ("iris", "B")], ignoreOrder: true);
    }

    [Fact]
    public void Four_eyes_is_enough_for_who_has_no_key()
    {
        Duties.Of([Person("tomas", new RoleRow("reviewer", null))], [], [("A", true)], Now).ShouldBeEmpty();
        Duties
            .Of([Person("tomas", new RoleRow("reviewer", null))], [], [("A", false)], Now)
            .ShouldHaveSingleItem()
            .Why.ShouldContain("four-eyes");
    }
}
