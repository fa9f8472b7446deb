using Assignum.Desk;
using Assignum.Desk.Access;
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
    public async Task Five_wrong_passwords_lock_the_name_even_for_the_right_one()
    {
        await using var company = new Company();
        var signIn = await WithUserAsync(company, ("viewer", null));
        (await signIn.RunAsync(" MARA ", Password, "1.1.1.1", Stop)).Refused.ShouldBeNull();
        for (var i = 0; i < 5; i++)
            (await signIn.RunAsync("mara", "wrong", "1.1.1.1", Stop)).Faults[0].Code.ShouldBe("wrong-sign-in");
        (await signIn.RunAsync("mara", Password, "1.1.1.1", Stop)).Faults[0].Code.ShouldBe("locked");
        (await company.AskAsync<long>("select count(*) from audit where what = 'sign-in refused'")).ShouldBe(5);
    }

    [Fact]
    public async Task An_address_that_guesses_names_is_held_back()
    {
        await using var company = new Company();
        var signIn = new SignIn(company.Desk);
        for (var i = 0; i < 30; i++)
            await signIn.RunAsync("guess" + i, "wrong", "6.6.6.6", Stop);
        (await signIn.RunAsync("guess", "wrong", "6.6.6.6", Stop)).Faults[0].Code.ShouldBe("throttled");
        (await signIn.RunAsync("guess", "wrong", "7.7.7.7", Stop)).Faults[0].Code.ShouldBe("wrong-sign-in");
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
