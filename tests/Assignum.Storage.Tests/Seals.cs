using Assignum.Core.Access;
using Assignum.Desk.Access;
using Assignum.Storage;
using Npgsql;
using Shouldly;
using Xunit;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>What is changed in the database by another hand than ours is found, and the first place named.</summary>
public sealed class Seals
{
    private static async Task<SealsOf> CheckAsync(Company company) =>
        (await new Evidence(company.Desk).VerifyAsync(company.Actor, Stop)).Result!.Single(s => s.Entity == "SKERROW");

    private static void Owner(Company company, string sql)
    {
        using var db = new NpgsqlConnection(company.Test.Owner);
        db.Open();
        using var command = new NpgsqlCommand(sql, db);
        command.ExecuteNonQuery();
    }

    [Theory]
    [InlineData("update entry_line set debit = debit + 1 where entry_id = 3 and line_no = 1", "2026-000003")]
    [InlineData("update entry_line set account = '9999' where entry_id = 2 and line_no = 1", "2026-000002")]
    [InlineData("update entry set date = date + 1 where entry_id = 4", "2026-000004")]
    [InlineData("update event set body = replace(body, 'RG-100', 'RG-200') where event_id = 2", "2026-000002")]
    [InlineData("delete from entry where entry_id = 3", "2026-000004")]
    [InlineData(
        "update entry_line set sub_reference = 'X' where entry_id = 5 and sub_control is not null",
        "2026-000005"
    )]
    [InlineData("update entry_line set sub_amount = 0 where entry_id = 5 and sub_control is not null", "2026-000005")]
    [InlineData("update entry set seal = sha256('other') where entry_id = 5", "2026-000005")]
    [InlineData("delete from entry where entry_id = (select max(entry_id) from entry)", "the end")]
    public async Task The_first_entry_that_is_not_as_it_was_posted_is_named(string sql, string where)
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        for (var i = 1; i <= 6; i++)
            (await company.PostAsync(code, Sale($"{i}"))).Single().Outcome.ShouldBe("posted");
        var before = await CheckAsync(company);
        before.Break.ShouldBeNull();
        before.Entries!.Checked.ShouldBe(6);
        Owner(company, sql);
        (await CheckAsync(company)).Entries!.Break!.Where.ShouldBe(where);
    }

    [Theory]
    [InlineData(
        "update audit set who = 'nobody' where audit_id = (select min(audit_id) from audit where entity_id = 1)"
    )]
    [InlineData("delete from audit where audit_id = (select min(audit_id) from audit where entity_id = 1)")]
    [InlineData("delete from audit where audit_id = (select max(audit_id) from audit where entity_id = 1)")]
    [InlineData("update audit set after = '{}' where what = 'edition published'")]
    public async Task An_audit_line_that_was_changed_or_is_gone_breaks_the_chain(string sql)
    {
        await using var company = new Company();
        await company.OpenAsync();
        var before = await CheckAsync(company);
        before.Audit.Break.ShouldBeNull();
        before.Audit.Checked.ShouldBeGreaterThan(1);
        Owner(company, sql);
        (await CheckAsync(company)).Audit.Break.ShouldNotBeNull();
    }

    [Fact]
    public async Task Only_who_may_reads_the_audit_and_finds_by_who_what_and_when()
    {
        await using var company = new Company();
        var code = await company.OpenAsync();
        var evidence = new Evidence(company.Desk);
        var all = new AuditAsked(null, null, null, null, null, null, null);
        Actor In(Role role) => new("somebody", null, new Dictionary<string, Role> { [code] = role });
        (await evidence.ReadAsync(In(Role.Preparer), null, all, Stop)).Refused.ShouldNotBeNull();
        (await evidence.ReadAsync(In(Role.Reviewer), "OTHER", all, Stop)).Refused.ShouldNotBeNull();
        (await evidence.VerifyAsync(In(Role.Administrator), Stop)).Refused.ShouldNotBeNull();
        var own = (await evidence.ReadAsync(In(Role.Reviewer), null, all, Stop)).Result.Lines;
        own.ShouldAllBe(l => l.Entity == code);
        own.ShouldNotBeEmpty();
        var today = DateOnly.FromDateTime(DateTime.UtcNow);
        (
            await evidence.ReadAsync(company.Actor, code, all with { Who = "tester", From = today }, Stop)
        ).Result.Lines.ShouldNotBeEmpty();
        (
            await evidence.ReadAsync(company.Actor, code, all with { From = today.AddDays(2) }, Stop)
        ).Result.Lines.ShouldBeEmpty();
        (await evidence.ReadAsync(company.Actor, code, all with { Who = "nobody" }, Stop)).Result.Lines.ShouldBeEmpty();
        (await evidence.ReadAsync(company.Actor, code, all with { What = own[0].What }, Stop)).Result.Lines.ShouldAllBe(
            l => l.What == own[0].What
        );
    }
}
