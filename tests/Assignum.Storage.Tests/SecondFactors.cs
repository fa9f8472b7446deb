using Assignum.Core.Access;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Testing;
using OtpNet;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>What a password alone does not open, and who counts as whom.</summary>
public class SecondFactors
{
    private const string Words = "barley-under-slow-rain";

    // Hides nothing: what hides is the web's.
    private sealed class Open : ISecrets
    {
        public bool Outside => false;

        public string Hide(string text) => "hidden " + text;

        public string? Show(string hidden) =>
            hidden.StartsWith("hidden ", StringComparison.Ordinal) ? hidden["hidden ".Length..] : null;
    }

    private static readonly Open Secrets = new();

    private static string Code(FactorBegun begun, TimeSpan later = default) =>
        new Totp(Base32Encoding.ToBytes(begun.Secret.Replace(" ", "", StringComparison.Ordinal))).ComputeTotp(
            DateTime.UtcNow + later
        );

    [Fact]
    public async Task A_code_is_asked_for_opens_once_and_recovery_codes_open_once_each()
    {
        await using var company = new Company();
        await new FirstAccess(company.Desk).PersonAsync("mara", "Mara", Words, "administrator", Stop);
        var (signIn, own) = (new SignIn(company.Desk, Secrets), new OwnAccount(company.Desk, Secrets));
        async Task<Person> InAsync() => (await signIn.RunAsync("mara", Words, "1.1.1.1", Stop)).Result!;
        var first = await InAsync();
        first.Ticket.ShouldBe("");
        first.Actor.Strong.ShouldBeFalse();

        var begun = (await own.BeginAsync(first.Actor, Stop)).Result!;
        // Not confirmed yet: the password alone opens.
        (await InAsync()).Ticket.ShouldBe("");
        (await own.ConfirmAsync(first.Actor, "000000", Stop)).Faults[0].Code.ShouldBe("wrong-code");
        var used = Code(begun);
        var codes = (await own.ConfirmAsync(first.Actor, used, Stop)).Result!;
        codes.Count.ShouldBe(10);
        (await own.BeginAsync(first.Actor, Stop)).Refused.ShouldBe(Refusal.Conflict);

        var asked = await InAsync();
        asked.Ticket.ShouldNotBe("");
        asked.Session.ShouldBe(default);
        // The code that confirmed it was used; the next one opens, once.
        Task<Outcome<Person>> GoOnAsync(string code) => signIn.CodeAsync(asked.Ticket, code, "1.1.1.1", Stop);
        (await GoOnAsync(used)).Faults[0].Code.ShouldBe("wrong-code");
        var next = Code(begun, TimeSpan.FromSeconds(30));
        var inside = (await GoOnAsync(next)).Result!;
        inside.Actor.Strong.ShouldBeTrue();
        (await signIn.StillAsync("mara", inside.Stamp, inside.Session, Stop)).ShouldNotBeNull();
        (await GoOnAsync(next)).Faults[0].Code.ShouldBe("wrong-code");
        (await GoOnAsync(codes[0].ToUpperInvariant())).Refused.ShouldBeNull();
        (await GoOnAsync(codes[0])).Faults[0].Code.ShouldBe("wrong-code");
        (await own.SeeAsync(inside.Actor, Stop))!.Codes.ShouldBe(9);
        // Guessing is held back, and a ticket that nobody gave opens nothing.
        for (var i = 0; i < 5; i++)
            await signIn.CodeAsync(asked.Ticket, "123456", "6.6.6.6", Stop);
        (await signIn.CodeAsync(asked.Ticket, codes[1], "6.6.6.6", Stop)).Faults[0].Code.ShouldBe("throttled");
        (await signIn.CodeAsync("hidden 0 x mara", codes[1], "1.1.1.1", Stop)).Refused.ShouldBe(Refusal.NotFound);

        (await own.DropAsync(inside.Actor, "not it", Stop)).Faults[0].Code.ShouldBe("wrong-password");
        (await own.DropAsync(inside.Actor, Words, Stop)).Refused.ShouldBeNull();
        (await InAsync()).Ticket.ShouldBe("");
    }

    [Fact]
    public async Task Another_password_ends_all_sessions_and_the_one_of_now_is_asked_for()
    {
        await using var company = new Company();
        await new FirstAccess(company.Desk).PersonAsync("mara", "Mara", Words, "viewer", Stop);
        var (signIn, own) = (new SignIn(company.Desk, Secrets), new OwnAccount(company.Desk, Secrets));
        var here = (await signIn.RunAsync("mara", Words, "1.1.1.1", Stop)).Result!;
        var there = (await signIn.RunAsync("mara", Words, "2.2.2.2", Stop)).Result!;
        (await own.SeeAsync(here.Actor, Stop))!.Sessions.Count.ShouldBe(2);
        await own.EndAsync(here.Actor, here.Session, true, Stop);
        (await signIn.StillAsync("mara", there.Stamp, there.Session, Stop)).ShouldBeNull();
        (await own.PasswordAsync(here.Actor, "wrong", "seven-small-boats", Stop))
            .Faults[0]
            .Code.ShouldBe("wrong-password");
        (await own.PasswordAsync(here.Actor, Words, "short", Stop)).Faults[0].Code.ShouldBe("password-length");
        (await own.PasswordAsync(here.Actor, Words, "seven-small-boats", Stop)).Refused.ShouldBeNull();
        (await signIn.StillAsync("mara", here.Stamp, here.Session, Stop)).ShouldBeNull();
        (await signIn.RunAsync("mara", "seven-small-boats", "1.1.1.1", Stop)).Refused.ShouldBeNull();
        (await own.SeeAsync(company.Actor, Stop)).ShouldBeNull();
    }

    [Fact]
    public async Task Where_the_policy_asks_for_it_reviewers_act_with_a_second_factor_only()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(publish: false);
        (
            await company.ImportAsync(code, [Row(Parts.Policies, ("policy", "second-factor"), ("value", "on"))])
        ).Refused.ShouldBeNull();
        var weak = company.Actor with { Strong = false };
        var publish = new PublishDraft(company.Desk);
        // The first edition has no policy before it.
        (await publish.RunAsync(weak, code, new DateOnly(2026, 1, 1), null, Stop)).Refused.ShouldBeNull();
        (await new KeepDrafts(company.Desk).ApproveAsync(weak, code, 1, Stop))
            .Faults[0]
            .Code.ShouldBe("second-factor-needed");
        (await publish.RunAsync(weak, code, new DateOnly(2026, 2, 1), null, Stop))
            .Faults[0]
            .Code.ShouldBe("second-factor-needed");
        (await new KeepPeople(company.Desk).InviteAsync(weak, "new", "New", "viewer", null, Stop))
            .Faults[0]
            .Code.ShouldBe("second-factor-needed");
        // What preparers do needs none, and keys are no people.
        (await company.PostAsync(code, Sale("A"))).Single().Outcome.ShouldBe("posted");
        (await publish.RunAsync(company.Actor, code, new DateOnly(2026, 2, 1), null, Stop))
            .Faults[0]
            .Code.ShouldBe("no-draft");
    }

    [Fact]
    public async Task A_key_counts_as_the_person_who_made_it_and_sends_events_of_its_sources_only()
    {
        await using var company = new Company();
        var code = await company.OpenAsync(publish: false);
        (
            await company.ImportAsync(code, [Row(Parts.Policies, ("policy", "four-eyes"), ("value", "on"))])
        ).Refused.ShouldBeNull();
        await company.PublishAsync(code, new DateOnly(2026, 1, 1));
        var keep = new KeepPeople(company.Desk);
        var key = (await keep.MakeKeyAsync(company.Actor, "feed", "reviewer", code, null, Stop, "t, shop")).Result!;
        var feed = (await new SignIn(company.Desk).KeyAsync(key, Stop))!;

        // The key changes the draft; whoever made the key is not another pair of eyes, and neither is the key of hers.
        var changed = await new EditSetUp(company.Desk).MakeAsync(
            feed,
            code,
            "renamed",
            null,
            (now, _) =>
                [
                    SetUpEdit.Row(
                        Parts.Assignments,
                        Parts.Assignments.Row(now, Parts.Assignments.KeyOf(Parts.Assignments.Write(now)[0])),
                        new Dictionary<string, string?> { ["note"] = "by the feed" }
                    ),
                ],
            Stop
        );
        changed.Refused.ShouldBeNull();
        async Task<string?> PublishedAsync(Actor who) =>
            (await new PublishDraft(company.Desk).RunAsync(who, code, new DateOnly(2026, 3, 1), null, Stop))
                .Faults.FirstOrDefault()
                ?.Code;
        (await PublishedAsync(company.Actor)).ShouldBe("four-eyes");
        (await PublishedAsync(feed)).ShouldBe("four-eyes");
        (await PublishedAsync(new Actor("other", Role.Reviewer, new Dictionary<string, Role>()))).ShouldBeNull();

        var sent = await new Assignum.Desk.Posting.PostEvents(company.Desk).RunAsync(
            feed,
            code,
            [Read(Sale("B", "2026-04-01")), Read(Sale("C", "2026-04-01").Replace("\"t\"", "\"other\""))],
            1,
            Stop
        );
        sent.Result!.Select(r => r.Outcome).ShouldBe(["posted", "refused"]);
        sent.Result![1].Errors[0].Path.ShouldBe("source");
        // Made anew, the former secret opens nothing; the key is the same.
        var id = (await keep.ListAsync(company.Actor, Stop)).Result!.Keys.Single(k => k.Name == "feed").Id;
        var anew = (await keep.RotateAsync(company.Actor, id, Stop)).Result!;
        (await new SignIn(company.Desk).KeyAsync(key, Stop)).ShouldBeNull();
        (await new SignIn(company.Desk).KeyAsync(anew, Stop))!.Sources.ShouldBe(["t", "shop"]);
    }
}
