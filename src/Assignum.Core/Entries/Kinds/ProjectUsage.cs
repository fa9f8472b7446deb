using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A project used goods, labour or services.</summary>
public sealed class ProjectUsage : EventKind
{
    public override string Name => "project-usage";
    public override string Title => "Used on a project";
    public override string Explain => "A project used goods, labour or services of ours.";
    public override IReadOnlyList<string> Takes { get; } = ["project", "location", "order"];
    public override IReadOnlyList<string> LineTakes { get; } =
    ["item", "account", "quantity", "unitCost", "location", "project"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["item"];

    public override void Write(EntrySheet sheet)
    {
        foreach (var line in sheet.Lines)
        {
            if (line.Project is null)
            {
                sheet.Fail(
                    "missing-field",
                    $"{line.Path} needs a 'project', its own or the event's.",
                    line.Path + ".project"
                );
                continue;
            }
            var fromStock = line.IsStock && sheet.Policies.Perpetual;
            if (sheet.Cost(line) is not { } cost)
                continue;
            if (line.IsStock && !fromStock)
                sheet.Keep(Stock, line.Context, -line.Quantity);
            sheet.Debit(line.AsBilled ? ProjectCost : ProjectWip, sheet.BaseAmount(cost), line.Context);
            sheet.Credit(
                fromStock ? Stock : OwnWorkToProjects,
                sheet.BaseAmount(cost),
                line.Context with
                {
                    Written = null,
                    Quantity = line.Quantity,
                }
            );
        }
    }
}
