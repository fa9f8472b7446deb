using Assignum.Core.Records;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A project's cost and revenue are recognised as far as they are earned. Figures in base currency, to
/// date.</summary>
public sealed class ProjectRecognised : EventKind
{
    public override string Name => "project-recognised";
    public override string Title => "Project recognised";
    public override string Explain => "What a project has earned and cost so far enters the profit and loss.";
    public override IReadOnlyList<string> Takes { get; } =
    [
        "project",
        "costToDate",
        "billedToDate",
        "costRecognised",
        "revenueRecognised",
        "accruedRevenue",
        "estimatedCost",
        "contractValue",
        "complete",
    ];
    public override IReadOnlyList<string> Needs { get; } = ["project"];

    public override void Write(EntrySheet sheet)
    {
        switch (sheet.SetUp.Project(sheet.Event.Project!)!.Recognise)
        {
            case Recognise.AsBilled:
                sheet.Fail(
                    "recognised-as-billed",
                    $"Project {sheet.Event.Project} recognises as billed: its revenue and cost are in the books "
                        + "already.",
                    "project"
                );
                break;
            case Recognise.OnCompletion:
                if (sheet.Event.Complete != true)
                    break;
                Cost(sheet);
                var earned = sheet.BaseAmount((sheet.Event.BilledToDate ?? 0) - (sheet.Event.RevenueRecognised ?? 0));
                sheet.Debit(ProjectBillings, earned, sheet.Document);
                sheet.Credit(ProjectRevenue, earned, sheet.Document);
                break;
            default:
                ByCostShare(sheet);
                break;
        }
    }

    private static void Cost(EntrySheet sheet)
    {
        var cost = sheet.BaseAmount((sheet.Event.CostToDate ?? 0) - (sheet.Event.CostRecognised ?? 0));
        sheet.Debit(ProjectCost, cost, sheet.Document);
        sheet.Credit(ProjectWip, cost, sheet.Document);
    }

    private static void ByCostShare(EntrySheet sheet)
    {
        var e = sheet.Event;
        var (billed, before, contract) = (e.BilledToDate ?? 0, e.RevenueRecognised ?? 0, e.ContractValue ?? 0);
        if (e.Complete != true && e.EstimatedCost is null or 0)
        {
            sheet.Fail(
                "no-estimate",
                $"Project {e.Project} recognises by cost share: give the estimated cost, or what is complete.",
                "estimatedCost"
            );
            return;
        }
        Cost(sheet);
        var after =
            e.Complete == true
                ? contract
                : sheet.RoundBase(contract * Math.Min(1, (e.CostToDate ?? 0) / e.EstimatedCost!.Value));
        var accrued = Math.Max(0, after - billed) - (e.AccruedRevenue ?? Math.Max(0, before - billed));
        sheet.Credit(ProjectRevenue, sheet.BaseAmount(after - before), sheet.Document);
        sheet.Debit(AccruedRevenue, sheet.BaseAmount(accrued), sheet.Document);
        sheet.Debit(ProjectBillings, sheet.BaseAmount(after - before - accrued), sheet.Document);
    }
}
