namespace Assignum.Core.Tests;

/// <summary>What is said of each of a list fails where it should, and says of what.</summary>
public class EachHeld
{
    private static readonly int[] Three = [1, 2, 3];

    [Fact]
    public void What_holds_is_passed_over_and_of_an_empty_list_all_and_none_hold()
    {
        Three.ShouldAllBe(n => n > 0);
        Three.ShouldContain(n => n == 2);
        Three.ShouldNotContain(n => n == 4);
        Array.Empty<int>().ShouldAllBe(n => n > 0);
        Array.Empty<int>().ShouldNotContain(n => n > 0);
    }

    [Fact]
    public void What_does_not_hold_fails_with_what_was_written_and_the_items()
    {
        Said(() => Three.ShouldAllBe(n => n > 2, "of them")).ShouldBe("all 3 should be n => n > 2, not 1; 2\nof them");
        Said(() => Three.ShouldContain(n => n == 4)).ShouldBe("one of 3 should be n => n == 4, not 1; 2; 3");
        Said(() => Three.ShouldNotContain(n => n == 2)).ShouldBe("none of 3 should be n => n == 2, not 2");
        Said(() => Array.Empty<int>().ShouldContain(n => n > 0)).ShouldContain("one of 0");
        Should.Throw<ShouldAssertException>(() => ((int[]?)null)!.ShouldAllBe(n => n > 0));
    }

    private static string Said(Action what) => Should.Throw<ShouldAssertException>(what).Message;
}
