using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Checks;

/// <summary>What people do about findings: mend, accept, give to somebody.</summary>
public sealed class HandleFindings(DeskContext desk, ReadFindings read, EditSetUp edit)
{
    /// <summary>Findings that are mended at once, at most.</summary>
    public const int MostMended = 200;

    /// <summary>Mends findings of the draft as one change; what has no mend any more is named.</summary>
    public async Task<Outcome<EditResult>> MendAsync(
        Visit visit,
        IReadOnlyCollection<string> identities,
        CancellationToken stop
    )
    {
        if (identities.Count == 0)
            return Outcome<EditResult>.No(
                Refusal.Invalid,
                "nothing-chosen",
                "Mark at least one finding that is to be mended.",
                "finding"
            );
        var looked = await read.RunAsync(visit, "draft", stop);
        if (looked.Result is not { } of)
            return looked.Pass<EditResult>();
        var wanted = of
            .Open.Concat(of.Accepted)
            .Select(f => f.Finding)
            .Where(f => identities.Contains(f.Identity))
            .Take(MostMended)
            .ToList();
        if (wanted.Count == 0)
            return Outcome<EditResult>.No(
                Refusal.Conflict,
                "finding-gone",
                "It is gone already: somebody mended it meanwhile.",
                "finding"
            );
        var mends = ReadFindings.Mends(of, visit.State.Today, wanted);
        // Two mends may want one row: the first has it.
        var rows = new List<RowChange>();
        var taken = new HashSet<(string, string)>();
        foreach (var finding in wanted)
            if (
                mends.GetValueOrDefault(finding.Identity) is { } mend
                && mend.Rows.All(r => !taken.Contains((r.Part.Name, KeyOf(r))))
            )
            {
                rows.AddRange(mend.Rows);
                taken.UnionWith(mend.Rows.Select(r => (r.Part.Name, KeyOf(r))));
            }
        if (rows.Count == 0)
            return Outcome<EditResult>.No(
                Refusal.Conflict,
                "no-mend",
                "Nothing is known that would make it go and do no other harm: mend it by hand.",
                "finding"
            );
        return await edit.RunAsync(
            visit.Actor,
            visit.State.Code,
            wanted.Count == 1 ? $"mended: {wanted[0].Message}" : $"{wanted.Count} findings mended",
            null,
            rows,
            stop
        );
    }

    private static string KeyOf(RowChange row) => row.Part.KeyOf(row.After ?? row.Before!);

    /// <summary>Accepts a finding of an edition until a day, with a reason.</summary>
    public async Task<Outcome<Finding>> AcceptAsync(
        Visit visit,
        string? identity,
        string? reason,
        DateOnly? until,
        CancellationToken stop
    )
    {
        if (string.IsNullOrWhiteSpace(reason) || reason.Length > 2000)
            return Outcome<Finding>.No(
                Refusal.Invalid,
                "reason-missing",
                "Say why it is accepted, in at most 2000 letters.",
                "reason"
            );
        if (until is not { } day || day < visit.State.Today || day > visit.State.Today.AddYears(2))
            return Outcome<Finding>.No(
                Refusal.Invalid,
                "bad-date",
                "Say until which day: today or later, at most two years on.",
                "until"
            );
        return await WithAsync(
            visit,
            Role.Reviewer,
            identity,
            async (held, finding) =>
            {
                var row = new AcceptedRow(
                    finding.Identity,
                    finding.Code,
                    reason.Trim(),
                    day,
                    held.Actor.Name,
                    default,
                    finding.Account,
                    (decimal)finding.Count,
                    finding.Amount
                );
                await FindingStore.AcceptAsync(held.Db, held.State.Id, row, stop);
                await EntityStore.AuditAsync(
                    held.Db,
                    held.State.Id,
                    held.Actor.Name,
                    "finding accepted",
                    finding.Message,
                    null,
                    new
                    {
                        row.Identity,
                        row.Reason,
                        row.Until,
                    },
                    stop
                );
            },
            stop
        );
    }

    /// <summary>Gives a finding to a person, with a day and a note.</summary>
    public async Task<Outcome<Finding>> GiveAsync(
        Visit visit,
        string? identity,
        string? to,
        DateOnly? day,
        string? note,
        CancellationToken stop
    )
    {
        // Who signs in here is told to nobody who may not give.
        if (DeskContext.Refused(visit.Actor, visit.State.Code, Role.Preparer) is { } refused)
            return Outcome<Finding>.No(refused.Why, [refused.Fault]);
        await using (var db = await desk.Database.OpenAsync(stop))
            if (string.IsNullOrWhiteSpace(to) || await AccessStore.UserAsync(db, to.Trim(), stop) is null)
                return Outcome<Finding>.No(
                    Refusal.Invalid,
                    "no-person",
                    "Name somebody who signs in here, by the name they sign in with.",
                    "to"
                );
        if (note is { Length: > 2000 })
            return Outcome<Finding>.No(Refusal.Invalid, "too-long", "Write at most 2000 letters.", "note");
        return await WithAsync(
            visit,
            Role.Preparer,
            identity,
            async (held, finding) =>
            {
                var row = new GivenRow(
                    finding.Identity,
                    finding.Code,
                    finding.Message,
                    to!.Trim(),
                    day,
                    string.IsNullOrWhiteSpace(note) ? null : note.Trim(),
                    held.Actor.Name,
                    default
                );
                await FindingStore.GiveAsync(held.Db, held.State.Id, row, stop);
                await EntityStore.AuditAsync(
                    held.Db,
                    held.State.Id,
                    held.Actor.Name,
                    "finding given",
                    finding.Message,
                    null,
                    new
                    {
                        row.Identity,
                        row.To,
                        row.Day,
                        row.Note,
                    },
                    stop
                );
            },
            stop
        );
    }

    /// <summary>Takes an acceptance back, or what somebody was given.</summary>
    public Task<Outcome<string>> ForgetAsync(Visit visit, string identity, bool accepted, CancellationToken stop) =>
        desk.HoldAsync<string>(
            visit.Actor,
            visit.State.Code,
            accepted ? Role.Reviewer : Role.Preparer,
            _ => [],
            async held =>
            {
                await FindingStore.ForgetAsync(held.Db, held.State.Id, identity, accepted, stop);
                await EntityStore.AuditAsync(
                    held.Db,
                    held.State.Id,
                    held.Actor.Name,
                    accepted ? "finding no longer accepted" : "finding taken back",
                    identity,
                    null,
                    null,
                    stop
                );
                return identity;
            },
            stop
        );

    private async Task<Outcome<Finding>> WithAsync(
        Visit visit,
        Role role,
        string? identity,
        Func<Held, Finding, Task> act,
        CancellationToken stop
    )
    {
        var looked = await read.RunAsync(visit, "draft", stop);
        if (looked.Result is not { } of)
            return looked.Pass<Finding>();
        if (of.Open.Concat(of.Accepted).FirstOrDefault(f => f.Finding.Identity == identity) is not { } row)
            return Outcome<Finding>.No(
                Refusal.Conflict,
                "finding-gone",
                "It is gone already: somebody mended it meanwhile.",
                "finding"
            );
        return await desk.HoldAsync<Finding>(
            visit.Actor,
            visit.State.Code,
            role,
            _ => [],
            async held =>
            {
                await act(held, row.Finding);
                return row.Finding;
            },
            stop
        );
    }
}
