using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;
using Assignum.Testing;

namespace Assignum.Formats.Tests;

/// <summary>The worked cases in tests/examples: five set-ups, four hundred events with the entry that is expected of
/// each.</summary>
public class WorkedCases
{
    public static TheoryData<string> Folders =>
        [.. Directory.GetDirectories(Root).Select(d => Path.GetFileName(d)!).Order()];

    private static string Root => Path.Combine(ProjectFiles.Root, "tests", "examples");

    [Theory, MemberData(nameof(Folders))]
    public void Every_event_lands_as_worked_out(string folder)
    {
        var setUp = new CompiledSetUp(Load(Path.Combine(Root, folder, "bundle")) with { OtherEntities = ["BRNORTH"] });
        var other = new CompiledSetUp(
            Load(Path.Combine(Root, folder, "counterparty")) with
            {
                OtherEntities = ["BRSOUTH"],
            }
        );
        var builder = new EntryBuilder(setUp, (code, _) => code == other.Entity.Code ? other : null);
        var wrong = new List<string>();
        var events = File.ReadAllLines(Path.Combine(Root, folder, "events.ndjson"));
        var expected = File.ReadAllLines(Path.Combine(Root, folder, "expected.ndjson"));
        // A file that ends early would leave the rest unlooked at.
        (events.Length, expected.Length).ShouldBe((80, 80));
        foreach (var (line, want) in events.Zip(expected))
        {
            using var source = JsonDocument.Parse(line, EventReader.Options);
            using var expectation = JsonDocument.Parse(want);
            var read = EventReader.Read(source.RootElement);
            var result = read.Faults.Count > 0 ? new EntryResult(null, read.Faults) : builder.Build(read.Event);
            var got = Seen(result);
            var hoped = Expected(expectation.RootElement);
            if (got != hoped)
                wrong.Add(
                    $"{folder} {line}\n  expected {hoped}\n  got      {got}\n  errors   "
                        + $"{string.Join(" | ", result.Errors.Select(e => e.Code + " " + e.Message))}\n  remarks  "
                        + string.Join(
                            " | ",
                            result.Entry?.Remarks.Select(r => $"{r.Code} {r.Account} {r.Purpose}") ?? []
                        )
                );
        }
        wrong.ShouldBeEmpty(string.Join("\n", wrong.Take(12)) + $"\n{wrong.Count} wrong");
    }

    private static SetUp Load(string folder)
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(folder, faults);
        var plan = SetUpImport.Plan(NewEntity.Empty(sheets), sheets, false, (_, _) => false);
        faults.Concat(plan.Faults).ShouldBeEmpty();
        return plan.Next;
    }

    private static string Seen(EntryResult result) =>
        result.Outcome
        + " "
        + (
            result.Errors.Count > 0 || result.Entry is null
                ? ""
                : Join(
                    result
                        .Entry.Lines.GroupBy(l =>
                            (l.Account, Purpose: l.Purpose?.Name, l.Landing.Rung, Debit: l.Debit > 0)
                        )
                        .Select(g =>
                            $"{g.Key.Account}/{g.Key.Purpose}/{g.Key.Rung} "
                            + $"{g.Sum(l => l.Debit):0.000}:{g.Sum(l => l.Credit):0.000}"
                        )
                )
                    + " tax "
                    + Join(
                        result.Entry.Tax.Select(t =>
                            $"{t.Code} {t.Base:0.000} {t.Rate:0.000} {t.Tax:0.000} {t.NonDeductible:0.000} "
                            + $"{t.DecidedBy} {t.Capital} {t.BaseBox} {t.TaxBox}"
                        )
                    )
        );

    private static string Expected(JsonElement json)
    {
        static decimal N(JsonElement e, string name) => e.GetProperty(name).GetDecimal();
        var outcome = json.GetProperty("outcome").GetString();
        if (outcome == "nothing" || json.GetProperty("lines").GetArrayLength() == 0)
            return outcome + " ";
        return outcome
            + " "
            + Join(
                json.GetProperty("lines")
                    .EnumerateArray()
                    .Select(l =>
                        $"{l.GetProperty("account").GetString()}/{l.GetProperty("purpose").GetString()}"
                        + $"/{l.GetProperty("rung").GetString()} "
                        + $"{N(l, "debit"):0.000}:{N(l, "credit"):0.000}"
                    )
            )
            + " tax "
            + Join(
                json.GetProperty("tax")
                    .EnumerateArray()
                    .Select(t =>
                        $"{t.GetProperty("code").GetString()} {N(t, "base"):0.000} {N(t, "rate"):0.000} "
                        + $"{N(t, "tax") + 0m:0.000} {N(t, "nonDeductible"):0.000} "
                        + $"{t.GetProperty("decidedBy").GetString()} {t.GetProperty("capital").GetBoolean()} "
                        + $"{t.GetProperty("baseBox").GetString()} {t.GetProperty("taxBox").GetString()}"
                    )
            );
    }

    private static string Join(IEnumerable<string> parts) =>
        string.Join("; ", parts.Order(StringComparer.Ordinal)).Replace("-0.000", "0.000", StringComparison.Ordinal);
}
