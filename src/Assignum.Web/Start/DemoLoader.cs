using System.Text;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;

namespace Assignum.Web.Start;

/// <summary>Loads the demo company from its open files, through the same tasks that users' imports go
/// through.</summary>
public sealed class DemoLoader(DeskContext desk, StartOptions options)
{
    /// <summary>The password of every demo sign-in. Demo data only; `--demo none` makes none of them.</summary>
    public const string Password = "rain-gauge-210";

    /// <summary>The demo's people: sign-in, name, role.</summary>
    public static readonly IReadOnlyList<(string SignIn, string Name, string Role)> People =
    [
        ("nora", "Nora Aldane", "preparer"),
        ("tomas", "Tomas Verrell", "reviewer"),
        ("iris", "Iris Quenby", "viewer"),
        ("admin", "Ada Morrow", "administrator"),
    ];

    // Small enough that progress is seen, large enough that commits do not rule.
    private const int Batch = 100;

    /// <summary>Loads what is not there yet; a start that was interrupted goes on where it stopped.</summary>
    /// <param name="which"><c>skerrow</c> or <c>large</c>.</param>
    /// <exception cref="InvalidOperationException">A demo file has a fault.</exception>
    public async Task RunAsync(string which, StartProgress progress, CancellationToken stop)
    {
        var folders = Directory
            .GetDirectories(Path.Combine(options.DemoFolder, "skerrow"))
            .Order(StringComparer.Ordinal)
            .ToList();
        if (which == "large")
        {
            var small = Small(folders[0]);
            await SetUpAsync(LargeDemo.Code, () => Sheets(LargeDemo.Grow(small)), small.Entity, progress, stop);
            await EventsAsync(LargeDemo.Code, LargeDemo.Events, LargeDemo.Event, progress, stop);
            return;
        }
        foreach (var folder in folders)
        {
            var sheets = Files(folder);
            var row = sheets.Single(s => s.Part == Parts.Entity).Rows[0].Cells;
            await SetUpAsync(row[0]!, () => sheets, new Entity(row[0]!, row[1]!, row[2]!), progress, stop);
            var lines = await File.ReadAllLinesAsync(Path.Combine(folder, "events.ndjson"), Encoding.UTF8, stop);
            await EventsAsync(row[0]!, lines.Length, i => Read(lines[i]), progress, stop);
        }
    }

    private async Task SetUpAsync(
        string code,
        Func<IReadOnlyList<Sheet>> sheets,
        Entity entity,
        StartProgress progress,
        CancellationToken stop
    )
    {
        await new CreateEntity(desk).RunAsync(Actor.Product, code, entity.Name, entity.Currency, stop);
        var state = (await new ViewSetUp(desk).RunAsync(Actor.Product, code, null, null, stop)).Result!.Entity;
        if (state.Latest is not null)
            return;
        progress.Doing = $"importing the set-up of {code}";
        Refuse(await new ImportBundle(desk).ApplyAsync(Actor.Product, code, sheets(), [], false, null, stop));
        Refuse(
            await new PublishDraft(desk).RunAsync(
                Actor.Product,
                code,
                new DateOnly(2026, 5, 1),
                "As the books began.",
                stop
            )
        );
    }

    private async Task EventsAsync(
        string code,
        int count,
        Func<int, ReadEvent> read,
        StartProgress progress,
        CancellationToken stop
    )
    {
        if (count == 0 || await LoadedAsync(code, read(count - 1), stop))
            return;
        var post = new PostEvents(desk);
        var counts = new SortedDictionary<string, int>();
        for (var at = 0; at < count; at += Batch)
        {
            progress.Doing = $"posting the events of {code}: {at} of {count}";
            var events = Enumerable.Range(at, Math.Min(Batch, count - at)).Select(read).ToList();
            var answers = await post.RunAsync(Actor.Product, code, events, at + 1, stop);
            foreach (var answer in answers.Result!)
                counts[answer.Outcome] = counts.GetValueOrDefault(answer.Outcome) + 1;
        }
        Console.WriteLine($"  {code}: {count} events, {string.Join(", ", counts.Select(c => $"{c.Value} {c.Key}"))}");
    }

    // The small demo as a set-up of the core, for the large one to grow on.
    private static SetUp Small(string folder)
    {
        var sheets = Files(folder);
        var row = sheets.Single(s => s.Part == Parts.Entity).Rows[0].Cells;
        return SetUpImport
            .Plan(SetUpDefaults.Empty(new Entity(row[0]!, row[1]!, row[2]!)), sheets, false, (_, _) => false)
            .Next;
    }

    private static IReadOnlyList<Sheet> Files(string folder)
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(Path.Combine(folder, "bundle"), faults);
        return faults.Count == 0
            ? sheets
            : throw new InvalidOperationException(
                $"A demo file has a fault: {faults[0].Part} line {faults[0].Row}: {faults[0].Message}"
            );
    }

    private static List<Sheet> Sheets(SetUp setUp) =>
        [
            .. Parts.All.Select(p => new Sheet(
                p,
                Enumerable.Range(0, p.Columns.Count).ToHashSet(),
                [.. p.Write(setUp).Select((r, i) => (i + 2, r))]
            )),
        ];

    private static void Refuse<T>(Outcome<T> outcome)
    {
        if (outcome.Refused is not null)
            throw new InvalidOperationException(
                $"The demo has a fault: {outcome.Faults[0].Path} {outcome.Faults[0].Message}"
            );
    }

    // The last event is there: the whole demo is.
    private async Task<bool> LoadedAsync(string code, ReadEvent last, CancellationToken stop)
    {
        return await desk.KnowsAsync(code, last.Event.Source, last.Event.Id, stop);
    }

    private static ReadEvent Read(string line)
    {
        using var json = JsonDocument.Parse(line, EventReader.Options);
        return EventReader.Read(json.RootElement);
    }
}
