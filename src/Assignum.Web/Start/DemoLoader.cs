using System.Text;
using System.Text.Json;
using Assignum.Core.SetUps;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Web.Start;

/// <summary>Loads the demo company from its open files, through the same tasks that users' imports go through.</summary>
public sealed class DemoLoader(DeskContext desk, StartOptions options)
{
    /// <summary>The password of every demo sign-in. Demo data only; `--demo none` makes none of them.</summary>
    public const string Password = "rain-gauge-210";

    /// <summary>The demo's people: sign-in, name, role.</summary>
    public static readonly IReadOnlyList<(string SignIn, string Name, string Role)> People =
    [
        ("nora", "Nora Aldane", "preparer"), ("tomas", "Tomas Verrell", "reviewer"), ("iris", "Iris Quenby", "viewer"), ("admin", "Ada Morrow", "administrator"),
    ];

    // Small enough that progress is seen, large enough that commits do not rule.
    private const int Batch = 100;

    /// <summary>Loads what is not there yet; a start that was interrupted goes on where it stopped.</summary>
    /// <exception cref="InvalidOperationException">A demo file has a fault.</exception>
    public async Task RunAsync(string which, StartProgress progress, CancellationToken stop)
    {
        var root = Path.Combine(options.DemoFolder, which);
        if (!Directory.Exists(root)) throw new InvalidOperationException($"There is no demo '{which}' in {options.DemoFolder}.");
        foreach (var folder in Directory.GetDirectories(root).Order(StringComparer.Ordinal)) await EntityAsync(folder, progress, stop);
    }

    private async Task EntityAsync(string folder, StartProgress progress, CancellationToken stop)
    {
        var faults = new List<FormFault>();
        var sheets = Bundle.FromFolder(Path.Combine(folder, "bundle"), faults);
        var entity = sheets.Single(s => s.Part == Parts.Entity).Rows[0].Cells;
        var code = entity[0]!;
        await new CreateEntity(desk).RunAsync(Actor.Product, code, entity[1], entity[2], stop);
        var state = (await new ViewSetUp(desk).RunAsync(Actor.Product, code, null, null, stop)).Result!.Entity;
        if (state.Latest is null)
        {
            progress.Doing = $"importing the set-up of {code}";
            Say(progress.Doing);
            var imported = await new ImportBundle(desk).ApplyAsync(Actor.Product, code, sheets, faults, false, null, stop);
            if (imported.Refused is not null) throw new InvalidOperationException($"The demo bundle of {code} has a fault: {imported.Faults[0].Path} {imported.Faults[0].Message}");
            var published = await new PublishDraft(desk).RunAsync(Actor.Product, code, new DateOnly(2026, 5, 1), "As the books began.", stop);
            if (published.Refused is not null) throw new InvalidOperationException(published.Faults[0].Message);
        }
        await EventsAsync(code, Path.Combine(folder, "events.ndjson"), progress, stop);
    }

    private async Task EventsAsync(string code, string file, StartProgress progress, CancellationToken stop)
    {
        if (!File.Exists(file)) return;
        var lines = await File.ReadAllLinesAsync(file, Encoding.UTF8, stop);
        if (lines.Length == 0 || await LoadedAsync(code, Read(lines[^1]), stop)) return;
        var post = new PostEvents(desk);
        var counts = new SortedDictionary<string, int>();
        for (var at = 0; at < lines.Length; at += Batch)
        {
            progress.Doing = $"posting the events of {code}: {at} of {lines.Length}";
            var events = lines.Skip(at).Take(Batch).Select(Read).ToList();
            var answers = await post.RunAsync(Actor.Product, code, events, at + 1, stop);
            foreach (var answer in answers.Result!) counts[answer.Outcome] = counts.GetValueOrDefault(answer.Outcome) + 1;
        }
        Say($"{code}: {lines.Length} events, {string.Join(", ", counts.Select(c => $"{c.Value} {c.Key}"))}");
    }

    // The last event is there: the whole demo is.
    private async Task<bool> LoadedAsync(string code, ReadEvent last, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var state = await EditionStore.StateAsync(db, code, false, stop);
        return (await JournalStore.KeptAsync(db, state!.Id, [last.Event.Source], [last.Event.Id], stop)).Count > 0;
    }

    private static ReadEvent Read(string line)
    {
        using var json = JsonDocument.Parse(line, EventReader.Options);
        return EventReader.Read(json.RootElement);
    }

    private static void Say(string what) => Console.WriteLine($"  {what}");
}
