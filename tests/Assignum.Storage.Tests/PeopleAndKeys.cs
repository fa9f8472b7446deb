using Assignum.Core.Access;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>An administrator lets people in and out, makes keys and takes them back; nobody else does.</summary>
public class PeopleAndKeys
{
    private const string Words = "barley-under-slow-rain";

    private static async Task<(KeepPeople Keep, SignIn SignIn)> BeginAsync(Company company)
    {
        await new FirstAccess(company.Desk).PersonAsync("first", "First", Words, "administrator", Stop);
        return (new KeepPeople(company.Desk), new SignIn(company.Desk));
    }

    private static async Task<PersonRow> OfAsync(KeepPeople keep, Company company, string signIn) =>
        (await keep.ListAsync(company.Actor, Stop)).Result!.People.Single(p => p.SignIn == signIn);

    [Fact]
    public async Task Somebody_is_invited_sets_a_password_once_and_comes_in_with_the_role_given()
    {
        await using var company = new Company();
        await company.OpenAsync("ONE", publish: false);
        var (keep, signIn) = await BeginAsync(company);
        var token = (await keep.InviteAsync(company.Actor, " Mara ", "Mara Quill", "preparer", "ONE", Stop)).Result!;
        (await OfAsync(keep, company, "mara")).HasPassword.ShouldBeFalse();
        (await signIn.RunAsync("mara", "", "1.1.1.1", Stop)).Refused.ShouldNotBeNull();
        (await keep.OfLinkAsync(token, Stop)).ShouldBe("mara");
        // What is kept of the link is not the link.
        (
            await company.AskAsync<long>(
                $"select count(*) from password_link where encode(token_hash, 'hex') = '{token}'"
            )
        ).ShouldBe(0);
        (await keep.UseLinkAsync(token, "short", Stop)).Faults.ShouldHaveSingleItem().Code.ShouldBe("password-length");
        (await keep.UseLinkAsync(token, "Mara Quill Mara", Stop)).Faults[0].Code.ShouldBe("password-common");
        (await keep.UseLinkAsync(token, Words, Stop)).Result.ShouldBe("mara");
        (await keep.UseLinkAsync(token, Words + "2", Stop)).Refused.ShouldBe(Refusal.NotFound);
        var actor = (await signIn.RunAsync("mara", Words, "1.1.1.1", Stop)).Result!.Actor;
        actor.May(Role.Preparer, "ONE").ShouldBeTrue();
        actor.May(Role.Viewer, "TWO").ShouldBeFalse();
        (
            await company.AskAsync<long>(
                "select count(*) from audit where what in ('person invited', 'password set by link')"
            )
        ).ShouldBe(2);
        // A link that was not used in time opens nothing, and a new one ends the one before.
        var (one, two) = (
            (await keep.HelpAsync(company.Actor, (await OfAsync(keep, company, "mara")).Id, Stop)).Result!,
            (await keep.HelpAsync(company.Actor, (await OfAsync(keep, company, "mara")).Id, Stop)).Result!
        );
        (await keep.OfLinkAsync(one, Stop)).ShouldBeNull();
        TestDatabase.Execute(company.Test.Owner, "update password_link set until = now() - interval '1 second'");
        (await keep.OfLinkAsync(two, Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task Whoever_is_kept_out_is_out_at_once_and_the_last_administrator_stays()
    {
        await using var company = new Company();
        var (keep, signIn) = await BeginAsync(company);
        var first = await OfAsync(keep, company, "first");
        foreach (
            var refused in new[]
            {
                await keep.ActiveAsync(company.Actor, first.Id, false, Stop),
                await keep.RoleAsync(company.Actor, first.Id, "administrator", null, false, Stop),
            }
        )
            refused.Faults.ShouldHaveSingleItem().Code.ShouldBe("last-administrator");
        // Somebody invited who has no password yet does not count.
        var token = (await keep.InviteAsync(company.Actor, "mara", "Mara", "administrator", "", Stop)).Result!;
        (await keep.ActiveAsync(company.Actor, first.Id, false, Stop)).Refused.ShouldBe(Refusal.Conflict);
        (await keep.UseLinkAsync(token, Words, Stop)).Refused.ShouldBeNull();
        var session = (await signIn.RunAsync("first", Words, "1.1.1.1", Stop)).Result!;
        (await keep.ActiveAsync(company.Actor, first.Id, false, Stop)).Refused.ShouldBeNull();
        (await signIn.StillAsync("first", session.Stamp, session.Session, Stop)).ShouldBeNull();
        (await signIn.RunAsync("first", Words, "1.1.1.1", Stop)).Refused.ShouldNotBeNull();
        (await keep.ActiveAsync(company.Actor, first.Id, true, Stop)).Refused.ShouldBeNull();
        session = (await signIn.RunAsync("first", Words, "1.1.1.1", Stop)).Result!;
        (await keep.EndSessionsAsync(company.Actor, first.Id, Stop)).Refused.ShouldBeNull();
        (await signIn.StillAsync("first", session.Stamp, session.Session, Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task Two_who_take_each_others_role_at_once_leave_one_administrator()
    {
        await using var company = new Company();
        var (keep, _) = await BeginAsync(company);
        await new FirstAccess(company.Desk).PersonAsync("second", "Second", Words, "administrator", Stop);
        var ids = new[] { (await OfAsync(keep, company, "first")).Id, (await OfAsync(keep, company, "second")).Id };
        var taken = await Task.WhenAll(
            ids.Select(id => keep.RoleAsync(company.Actor, id, "administrator", null, false, Stop))
        );
        taken.Count(t => t.Refused is null).ShouldBe(1);
    }

    [Fact]
    public async Task A_key_opens_what_it_was_made_for_until_its_time_or_until_it_is_revoked()
    {
        await using var company = new Company();
        await company.OpenAsync("ONE", publish: false);
        var (keep, signIn) = await BeginAsync(company);
        var key = (await keep.MakeKeyAsync(company.Actor, "shop", "preparer", "ONE", 30, Stop)).Result!;
        var actor = (await signIn.KeyAsync(key, Stop))!;
        (actor.May(Role.Preparer, "ONE"), actor.May(Role.Reviewer, "ONE"), actor.May(Role.Viewer, "TWO")).ShouldBe(
            (true, false, false)
        );
        var listed = (await keep.ListAsync(company.Actor, Stop)).Result!.Keys.Single(k => k.Name == "shop");
        listed.LastUsedAt.ShouldNotBeNull();
        listed.MadeBy.ShouldBe("tester");
        (await keep.MakeKeyAsync(company.Actor, "shop", "viewer", "", null, Stop))
            .Faults[0]
            .Code.ShouldBe("name-taken");
        (await keep.MakeKeyAsync(company.Actor, "x", "owner", "", null, Stop)).Faults[0].Code.ShouldBe("bad-role");
        (await keep.MakeKeyAsync(company.Actor, "x", "viewer", "NONE", null, Stop)).Faults[0].Path.ShouldBe("entities");
        (await keep.MakeKeyAsync(company.Actor, "x", "viewer", "", 0, Stop)).Faults[0].Path.ShouldBe("days");
        TestDatabase.Execute(
            company.Test.Owner,
            "update api_key set expires_at = now() - interval '1 second' where name = 'shop'"
        );
        (await signIn.KeyAsync(key, Stop)).ShouldBeNull();
        var other = (await keep.MakeKeyAsync(company.Actor, "till", "viewer", "", null, Stop)).Result!;
        (await signIn.KeyAsync(other, Stop)).ShouldNotBeNull();
        var id = (await keep.ListAsync(company.Actor, Stop)).Result!.Keys.Single(k => k.Name == "till").Id;
        (await keep.RevokeAsync(company.Actor, id, Stop)).Refused.ShouldBeNull();
        (await keep.RevokeAsync(company.Actor, id, Stop)).Refused.ShouldBe(Refusal.NotFound);
        (await signIn.KeyAsync(other, Stop)).ShouldBeNull();
    }

    [Theory]
    [InlineData(Role.Reviewer, true)]
    [InlineData(Role.Administrator, false)]
    public async Task Nobody_but_an_administrator_of_everything_sees_or_changes_any_of_it(Role role, bool everywhere)
    {
        await using var company = new Company();
        var (keep, _) = await BeginAsync(company);
        var id = (await OfAsync(keep, company, "first")).Id;
        var other = new Actor(
            "other",
            everywhere ? role : null,
            everywhere ? new Dictionary<string, Role>() : new Dictionary<string, Role> { ["ONE"] = role }
        );
        Refusal?[] refused =
        [
            (await keep.ListAsync(other, Stop)).Refused,
            (await keep.InviteAsync(other, "x", "X", "viewer", "", Stop)).Refused,
            (await keep.HelpAsync(other, id, Stop)).Refused,
            (await keep.RoleAsync(other, id, "viewer", "", true, Stop)).Refused,
            (await keep.ActiveAsync(other, id, false, Stop)).Refused,
            (await keep.EndSessionsAsync(other, id, Stop)).Refused,
            (await keep.MakeKeyAsync(other, "x", "viewer", "", null, Stop)).Refused,
            (await keep.RevokeAsync(other, 1, Stop)).Refused,
        ];
        refused.ShouldAllBe(r => r == Refusal.Forbidden);
    }

    [Theory]
    [InlineData("barley-under-slow-rain", null)]
    [InlineData("rain-gauge-210", null)]
    [InlineData("elf", "password-length")]
    [InlineData("Password2026!", "password-common")]
    [InlineData("qwertzuiop12", "password-common")]
    [InlineData("123456789012", "password-common")]
    [InlineData("abcdefghijklmn", "password-common")]
    [InlineData("aaaabbbbaaaabbbb", "password-common")]
    [InlineData("mara-mara-mara", "password-common")]
    public void Passwords_that_are_tried_first_are_not_taken(string password, string? code) =>
        (Passwords.Wrong(password, "mara", "Mara Quill")?.Code).ShouldBe(code);
}
