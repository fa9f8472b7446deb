using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Testing;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Passwords, keys and roles on the real database.</summary>
public class SigningIn
{
    private const string Password = "a-long-password";

    private static async Task<SignIn> WithUserAsync(Company company, params (string Role, int? Entity)[] roles)
    {
        await using var db = await company.Test.Database.OpenAsync(Stop);
        (
            await AccessStore.CreateUserAsync(db, "mara", "Mara", SignIn.HashPassword("mara", Password), roles, Stop)
        ).ShouldBeTrue();
        return new SignIn(company.Desk);
    }

    [Fact]
    public async Task Five_wrong_passwords_hold_a_name_back_where_they_were_typed_and_nowhere_else()
    {
        await using var company = new Company();
        var signIn = await WithUserAsync(company, ("viewer", null));
        (await signIn.RunAsync(" MARA ", Password, "1.1.1.1", Stop)).Refused.ShouldBeNull();
        // A name that there is and one that there is not are answered alike.
        foreach (var name in new[] { "mara", "nobody" })
        {
            for (var i = 0; i < 5; i++)
                (await signIn.RunAsync(name, "wrong", "6.6.6.6", Stop)).Faults[0].Code.ShouldBe("wrong-sign-in");
            (await signIn.RunAsync(name, Password, "6.6.6.6", Stop)).Faults[0].Code.ShouldBe("throttled");
        }
        (await company.AskAsync<long>("select count(*) from audit where what = 'sign-in refused'")).ShouldBe(10);
        // An administrator may let her try again where she mistyped.
        var keep = new KeepPeople(company.Desk);
        var mara = (await keep.ListAsync(company.Actor, Stop)).Result!.People.Single();
        (await keep.UnlockAsync(company.Actor, mara.Id, Stop)).Refused.ShouldBeNull();
        (await signIn.RunAsync("mara", Password, "6.6.6.6", Stop)).Refused.ShouldBeNull();
        // A stranger keeps nobody out: she comes in from where she always does.
        (await signIn.RunAsync("mara", Password, "1.1.1.1", Stop)).Refused.ShouldBeNull();
    }

    [Fact]
    public async Task Right_passwords_forget_wrong_ones_of_the_same_place()
    {
        await using var company = new Company();
        var signIn = await WithUserAsync(company, ("viewer", null));
        for (var round = 0; round < 3; round++)
        {
            for (var i = 0; i < 4; i++)
                await signIn.RunAsync("mara", "wrong", "1.1.1.1", Stop);
            (await signIn.RunAsync("mara", Password, "1.1.1.1", Stop)).Refused.ShouldBeNull();
        }
    }

    [Fact]
    public async Task A_session_ends_with_signing_out_and_after_its_time()
    {
        await using var company = new Company();
        var signIn = await WithUserAsync(company, ("viewer", null));
        async Task<Person> InAsync() => (await signIn.RunAsync("mara", Password, "1.1.1.1", Stop)).Result!;
        async Task<bool> StillAsync(Person p) => await signIn.StillAsync("mara", p.Stamp, p.Session, Stop) is not null;
        async Task AgeAsync(Person p, string column, string by) =>
            TestDatabase.Execute(
                company.Test.Owner,
                $"update session set {column} = now() - interval '{by}' where session_id = '{p.Session}'"
            );
        var (one, other) = (await InAsync(), await InAsync());
        (await StillAsync(one)).ShouldBeTrue();
        await signIn.EndAsync("mara", one.Session, Stop);
        (await StillAsync(one)).ShouldBeFalse();
        (await StillAsync(other)).ShouldBeTrue();
        // Seen within ten hours, and begun within a day.
        await AgeAsync(other, "seen_at", "9 hours");
        (await StillAsync(other)).ShouldBeTrue();
        (await company.AskAsync<bool>("select max(seen_at) > now() - interval '1 minute' from session")).ShouldBeTrue();
        await AgeAsync(other, "seen_at", "11 hours");
        (await StillAsync(other)).ShouldBeFalse();
        var third = await InAsync();
        await AgeAsync(third, "started_at", "25 hours");
        (await StillAsync(third)).ShouldBeFalse();
        // Somebody else's session is nobody's.
        (await signIn.StillAsync("mara", third.Stamp, Guid.NewGuid(), Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task Passwords_and_keys_are_stored_as_hashes_only()
    {
        await using var company = new Company();
        await WithUserAsync(company, ("viewer", null));
        var key = new string('k', 40);
        await using (var db = await company.Test.Database.OpenAsync(Stop))
            await AccessStore.CreateKeyAsync(db, "shop", SignIn.HashKey(key), "preparer", null, Stop);
        (await company.AskAsync<string>("select password_hash from app_user")).ShouldNotContain(Password);
        (await company.AskAsync<byte[]>("select key_hash from api_key")).Length.ShouldBe(32);
        (await new SignIn(company.Desk).KeyAsync(key, Stop))!.May(Role.Preparer, "ANY").ShouldBeTrue();
        (await new SignIn(company.Desk).KeyAsync(key + "k", Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task Roles_reach_as_far_as_they_are_given()
    {
        await using var company = new Company();
        await company.OpenAsync("ONE", publish: false);
        await company.OpenAsync("TWO", publish: false);
        var one = await company.AskAsync<int>("select entity_id from entity where code = 'ONE'");
        var signIn = await WithUserAsync(company, ("viewer", null), ("reviewer", one));
        var actor = (await signIn.RunAsync("mara", Password, "1.1.1.1", Stop)).Result!.Actor;
        actor.May(Role.Reviewer, "ONE").ShouldBeTrue();
        actor.May(Role.Viewer, "TWO").ShouldBeTrue();
        actor.May(Role.Preparer, "TWO").ShouldBeFalse();
        actor.MayEverywhere(Role.Preparer).ShouldBeFalse();
    }
}
