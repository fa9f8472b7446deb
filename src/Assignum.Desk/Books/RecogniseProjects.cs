using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>Recognises what projects have earned and cost, for a month over all of them.</summary>
public sealed class RecogniseProjects(DeskContext desk, ViewSetUp view, Rehearse rehearse, PostEvents post)
{
    /// <summary>Keeps what a project is expected to cost and is worth.</summary>
    public async Task<Outcome<ProjectEstimate>> KeepAsync(Visit visit, ProjectEstimate estimate, CancellationToken stop)
    {
        var (actor, state) = visit;
        if (DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<ProjectEstimate>.No(refused.Why, [refused.Fault]);
        var looked = await view.OnAsync(visit, state.Today, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<ProjectEstimate>();
        if (setUp.Project(estimate.Project) is null)
            return Outcome<ProjectEstimate>.No(
                Refusal.NotFound,
                "unknown-record",
                $"There is no project {estimate.Project}.",
                "project"
            );
        foreach (
            var (amount, field) in new[] { (estimate.EstimatedCost, "estimated"), (estimate.ContractValue, "contract") }
        )
            if (amount is < 0 or > Core.Events.EventFields.LargestAmount)
                return Outcome<ProjectEstimate>.No(
                    Refusal.Invalid,
                    "bad-amount",
                    "An estimate is an amount of nothing or more.",
                    field
                );
        await using var db = await desk.Database.OpenAsync(stop);
        await using var transaction = await db.BeginTransactionAsync(stop);
        var before = (await ProjectStore.EstimatesAsync(db, state.Id, stop)).GetValueOrDefault(estimate.Project);
        if (!await ProjectStore.KeepAsync(db, state.Id, estimate, actor.Name, stop))
            return Outcome<ProjectEstimate>.No(
                Refusal.Conflict,
                "changed-meanwhile",
                $"Somebody changed the estimate of {estimate.Project} meanwhile: nothing was overwritten. Look again.",
                "project"
            );
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "project estimate kept",
            estimate.Project,
            before,
            estimate,
            stop
        );
        await transaction.CommitAsync(stop);
        return estimate with { Version = estimate.Version + 1 };
    }

    /// <summary>What every project that does not recognise as billed would recognise on a day, or what it did now.</summary>
    /// <param name="only">The projects that are to be recognised; null: all that can.</param>
    public async Task<Outcome<IReadOnlyList<RecognitionRow>>> RunAsync(
        Visit visit,
        DateOnly at,
        bool apply,
        IReadOnlyCollection<string>? only,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        if (apply && DeskContext.Refused(actor, state.Code, Role.Preparer) is { } refused)
            return Outcome<IReadOnlyList<RecognitionRow>>.No(refused.Why, [refused.Fault]);
        var looked = await view.OnAsync(visit, at, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<IReadOnlyList<RecognitionRow>>();
        IReadOnlyDictionary<string, ProjectEstimate> estimates;
        IReadOnlyDictionary<string, ProjectFigures> figures;
        IReadOnlyList<(string Id, string? Number, bool TurnedBack)> before;
        await using (var db = await desk.Database.OpenAsync(stop))
        {
            before = await ProjectStore.RecognisedAsync(db, state.Id, at, stop);
            estimates = await ProjectStore.EstimatesAsync(db, state.Id, stop);
            figures = Figures(setUp, await ProjectStore.SumsAsync(db, state.Id, at, stop));
        }
        var projects = setUp
            .SetUp.Projects.Where(p => p.Status == Core.Chart.RecordStatus.Active || figures.ContainsKey(p.Code))
            .Select(p => setUp.Project(p.Code)!)
            .Where(p => p.Recognise != Recognise.AsBilled)
            .OrderBy(p => p.Project.Code, StringComparer.Ordinal)
            .ToList();
        var day = at.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);
        var events = projects
            .Select(p =>
                Event(
                    p.Project.Code,
                    day,
                    before,
                    estimates.GetValueOrDefault(p.Project.Code),
                    figures.GetValueOrDefault(p.Project.Code)
                )
            )
            .ToList();
        var shown = await rehearse.RunAsync(actor, state.Code, events, null, stop);
        if (shown.Result is not { } rehearsed)
            return shown.Pass<IReadOnlyList<RecognitionRow>>();
        var rows = new List<RecognitionRow>();
        var toPost = new List<(int Row, ReadEvent Event)>();
        for (var i = 0; i < projects.Count; i++)
        {
            var p = projects[i];
            var entry = rehearsed[i].Result.Entry;
            decimal Sum(Purpose purpose) => entry?.Lines.Where(l => l.Purpose == purpose).Sum(l => l.Signed) ?? 0;
            var errors = PostingRules.Errors(rehearsed[i].Source.Event, rehearsed[i].Result);
            var of = figures.GetValueOrDefault(p.Project.Code) ?? new ProjectFigures(p.Project.Code, 0, 0, 0, 0, 0);
            rows.Add(
                new RecognitionRow(
                    p.Project.Code,
                    p.Project.Name,
                    p.Recognise,
                    estimates.GetValueOrDefault(p.Project.Code)
                        ?? new ProjectEstimate(p.Project.Code, null, null, false, 0),
                    of,
                    Sum(Purposes.ProjectCost),
                    -Sum(Purposes.ProjectRevenue),
                        // Of what has no figures nothing is missed.
                        of is { CostToDate: 0, BilledToDate: 0 }
                            ? null
                        : errors.Count > 0 ? string.Join(" ", errors.Select(e => e.Message).Distinct())
                        : null,
                    Other(setUp, p),
                    null
                )
            );
            if (errors.Count == 0 && entry is not null && only?.Contains(p.Project.Code) != false)
                toPost.Add((i, events[i]));
        }
        if (!apply)
            return rows;
        if (toPost.Count == 0)
            return Outcome<IReadOnlyList<RecognitionRow>>.No(
                Refusal.Conflict,
                "nothing-to-recognise",
                "No project has anything to recognise on that day.",
                "at"
            );
        var posted = await post.RunAsync(actor, state.Code, [.. toPost.Select(t => t.Event)], 1, stop);
        if (posted.Result is not { } answers)
            return posted.Pass<IReadOnlyList<RecognitionRow>>();
        for (var i = 0; i < toPost.Count; i++)
            rows[toPost[i].Row] = rows[toPost[i].Row] with
            {
                Number = answers[i].Number,
                Wrong = answers[i].Errors.Count > 0 ? string.Join(" ", answers[i].Errors.Select(e => e.Message)) : null,
            };
        return rows;
    }

    // A project whose group serves projects of another method lands where those do.
    private static string? Other(CompiledSetUp setUp, KnownProject project)
    {
        if (project.Project.Group is not { } group)
            return null;
        var other = setUp
            .SetUp.Projects.Where(p => p.Group == group && p.Code != project.Project.Code && p.Parent is null)
            .Select(p => setUp.Project(p.Code)!)
            .FirstOrDefault(p => p.Recognise != project.Recognise);
        return other is null
            ? null
            : $"Group {group} serves {other.Project.Code} too, which recognises "
                + $"{Words.Of(other.Recognise).Replace('-', ' ')}.";
    }

    private static ReadEvent Event(
        string project,
        string day,
        IReadOnlyList<(string Id, string? Number, bool TurnedBack)> before,
        ProjectEstimate? estimate,
        ProjectFigures? of
    )
    {
        var id = $"recognised-{project}-{day}";
        for (var again = 2; before.Any(b => b.Id == id); again++)
            id = $"recognised-{project}-{day}-{again}";
        var made = new JsonObject
        {
            ["source"] = "own",
            ["id"] = id,
            ["kind"] = "project-recognised",
            ["date"] = day,
            ["project"] = project,
            ["costToDate"] = of?.CostToDate ?? 0,
            ["billedToDate"] = of?.BilledToDate ?? 0,
            ["costRecognised"] = of?.CostRecognised ?? 0,
            ["revenueRecognised"] = of?.RevenueRecognised ?? 0,
            ["accruedRevenue"] = of?.AccruedRevenue ?? 0,
        };
        if (estimate?.EstimatedCost is { } cost)
            made["estimatedCost"] = cost;
        if (estimate?.ContractValue is { } contract)
            made["contractValue"] = contract;
        if (estimate?.Complete == true)
            made["complete"] = true;
        return EventReader.Parse(made.ToJsonString());
    }

    // What was carried in by hand counts for the purpose on whose account it stands.
    private static IReadOnlyDictionary<string, ProjectFigures> Figures(
        CompiledSetUp setUp,
        IReadOnlyList<(string Project, string? Purpose, string Account, bool Recognises, decimal Amount)> sums
    )
    {
        Purpose[] purposes =
        [
            Purposes.ProjectWip,
            Purposes.ProjectBillings,
            Purposes.AccruedRevenue,
            Purposes.ProjectRevenue,
        ];
        string? PurposeOn(string project, string account)
        {
            if (setUp.Project(project) is not { } of)
                return null;
            var values = default(LegValues);
            values[Dimension.Project] = of.Number;
            values[Dimension.ProjectGroup] = of.Group;
            return purposes.FirstOrDefault(p => setUp.Landings.Resolve(p, values, null).Account == account)?.Name;
        }
        return sums.Select(s => s with { Purpose = s.Purpose ?? PurposeOn(s.Project, s.Account) })
            .GroupBy(s => s.Project)
            .ToDictionary(
                g => g.Key,
                g =>
                {
                    decimal Sum(Purpose purpose, bool recognises) =>
                        g.Where(s => s.Purpose == purpose.Name && s.Recognises == recognises).Sum(s => s.Amount);
                    return new ProjectFigures(
                        g.Key,
                        Sum(Purposes.ProjectWip, false),
                        -Sum(Purposes.ProjectBillings, false),
                        -Sum(Purposes.ProjectWip, true),
                        -Sum(Purposes.ProjectRevenue, true),
                        Sum(Purposes.AccruedRevenue, true) + Sum(Purposes.AccruedRevenue, false)
                    );
                },
                StringComparer.Ordinal
            );
    }
}
