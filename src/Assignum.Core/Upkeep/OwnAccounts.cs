using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>What filling or clearing a group does, and what it leaves out with the reason.</summary>
public sealed record OwnAccountsPlan(
    IReadOnlyList<RowChange> Edits,
    IReadOnlyList<(Purpose Purpose, string Why)> LeftOut
);

/// <summary>Gives a group accounts of its own where it inherits them, and takes away own ones that change
/// nothing.</summary>
public static class OwnAccounts
{
    /// <summary>An assignment of its own for every purpose that the group's members meet: the account that results now.
    /// No landing changes.</summary>
    /// <remarks>
    /// Tripwires and accounts that do not suit are not copied: those are the ones that want a decision. Nor is an
    /// account where an
    /// assignment on a rung below decides some of what the group's own would then come before.
    /// </remarks>
    public static OwnAccountsPlan Fill(CompiledSetUp setUp, GroupKind kind, string code)
    {
        var (made, left) = (new List<Assignment>(), new List<(Purpose, string)>());
        var dimension = LifeBands.DimensionOf(kind);
        foreach (var purpose in GroupMembers.Bands(setUp, kind, code).SelectMany(b => b.Purposes))
        {
            if (setUp.Landings.LadderOf(purpose).Holding(1 << (int)dimension) is null)
                continue;
            if (
                setUp
                    .Landings.AssignmentsOf(purpose)
                    .Any(a => a.Set == 1 << (int)dimension && a.Value(dimension) == code)
            )
                continue;
            var trace = setUp.Landings.TraceOf(purpose, GroupMembers.OfGroup(setUp, kind, code));
            if (trace.Account is null)
                left.Add((purpose, "nothing decides it yet"));
            else if (Fitness.Of(setUp.Account(trace.Account)!, purpose, false) is { } unfit)
                left.Add((purpose, unfit.Message));
            else
                made.Add(new Assignment(purpose.Name, trace.Account, [new KeyPart(dimension, code)]));
        }
        // What changes nothing could as well not be there: that is what is asked of each.
        var filled = new CompiledSetUp(setUp.SetUp with { Assignments = [.. setUp.SetUp.Assignments, .. made] }, setUp);
        var same = DeadWeight
            .Of(filled)
            .Where(d => !d.NeverWins)
            .Select(d => d.Assignment.Identity)
            .ToHashSet(StringComparer.Ordinal);
        left.AddRange(
            made.Where(a => !same.Contains(a.Identity))
                .Select(a =>
                    (
                        Purposes.Find(a.Purpose)!,
                        "a rung below decides some of it otherwise: an account of its own would come first"
                    )
                )
        );
        made.RemoveAll(a => !same.Contains(a.Identity));
        return new OwnAccountsPlan(
            [
                .. Parts
                    .Assignments.Write(setUp.SetUp with { Assignments = made })
                    .Select(r => new RowChange(
                        Parts.Assignments,
                        ChangeKind.Added,
                        Parts.Assignments.KeyOf(r),
                        null,
                        r
                    )),
            ],
            left
        );
    }

    /// <summary>The group's own assignments that change nothing whatever a leg has: exactly those that may
    /// go.</summary>
    public static OwnAccountsPlan Clear(CompiledSetUp setUp, GroupKind kind, string code)
    {
        var dimension = LifeBands.DimensionOf(kind);
        var dead = DeadWeight.Of(setUp).Where(d => d.Assignment.Value(dimension) == code).ToList();
        var going = dead.Where(d => d.Removable).Select(d => d.Assignment).ToHashSet();
        var rows = Parts.Assignments.Write(
            setUp.SetUp with
            {
                Assignments = [.. setUp.SetUp.Assignments.Where(going.Contains)],
            }
        );
        return new OwnAccountsPlan(
            [.. rows.Select(r => SetUpEdit.Row(Parts.Assignments, r, null))],
            [
                .. dead.Where(d => !d.Removable)
                    .Select(d =>
                        (Purposes.Find(d.Assignment.Purpose)!, "another that gives the same goes, so this one stays")
                    ),
            ]
        );
    }
}
