using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;

namespace Assignum.Bench;

/// <summary>Event to balanced entry in memory, on one core: the events of the worked cases, all kinds, those that make
/// an entry.</summary>
internal static class EntryBench
{
    public static void Run(string root)
    {
        var folder = Path.Combine(root, "tests", "examples", "plain");
        var (setUp, other) = (Load(Path.Combine(folder, "bundle")), Load(Path.Combine(folder, "counterparty")));
        var builder = new EntryBuilder(setUp, (_, _) => other);
        var events = File.ReadLines(Path.Combine(folder, "events.ndjson"))
            .Select(l => EventReader.Read(JsonDocument.Parse(l).RootElement))
            .Where(e => e.Faults.Count == 0 && builder.Build(e.Event).Outcome == "posted")
            .Select(e => e.Event)
            .ToArray();
        var lines = events.Sum(e => builder.Build(e).Entry!.Lines.Count);
        const int times = 400;
        var seconds = ResolverBench.Median(() =>
        {
            for (var i = 0; i < times; i++)
                foreach (var e in events)
                    builder.Build(e);
        });
        ResolverBench.Say($"entries in memory ({events.Length} mixed events), lines", lines * times / seconds, null);
    }

    internal static CompiledSetUp Load(string folder)
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(folder, faults);
        var row = sheets.Single(s => s.Part == Parts.Entity).Rows[0].Cells;
        return new CompiledSetUp(
            SetUpImport
                .Plan(SetUpDefaults.Empty(new Entity(row[0]!, row[1]!, row[2]!)), sheets, false, (_, _) => false)
                .Next with
            {
                OtherEntities = ["BRNORTH", "BRSOUTH"],
            }
        );
    }
}
