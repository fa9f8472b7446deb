using System.Text;
using Assignum.Core;
using Assignum.Desk.Posting;
using Assignum.Formats.Json;

namespace Assignum.Desk.Work;

/// <summary>What became of a file of events.</summary>
/// <param name="Outcomes">How many by outcome.</param>
/// <param name="Refused">The first that were refused, by the line they stand on.</param>
public sealed record EventsDone(
    int Events,
    IReadOnlyDictionary<string, int> Outcomes,
    IReadOnlyList<EventsDone.Line> Refused
)
{
    public sealed record Line(int Row, string Source, string Id, IReadOnlyList<Fault> Errors);
}

/// <summary>Posts a file of events, one a line. Begun again it goes on: what was posted is posted once.</summary>
public sealed class EventsWork(PostEvents post) : IWorkKind
{
    private const int Batch = 500,
        MostRefused = 200;

    /// <summary>Its name.</summary>
    public const string Name = "events";

    /// <inheritdoc/>
    public string Kind => Name;

    /// <inheritdoc/>
    public async Task<Outcome<object>> RunAsync(WorkAtHand work, CancellationToken stop)
    {
        // A line that is no event is that line's refusal.
        var lines = Encoding
            .UTF8.GetString(work.File ?? [])
            .Split('\n', StringSplitOptions.TrimEntries)
            .Select((text, i) => (Row: i + 1, Text: text.TrimStart('\ufeff')))
            .Where(l => l.Text.Length > 0)
            .ToList();
        var outcomes = new Dictionary<string, int>(StringComparer.Ordinal);
        var refused = new List<EventsDone.Line>();
        for (var done = 0; done < lines.Count; done += Batch)
        {
            await work.ReportAsync(done, lines.Count, $"posting, {done} of {lines.Count}");
            var batch = lines.GetRange(done, Math.Min(Batch, lines.Count - done));
            var posted = await post.RunAsync(
                work.Actor,
                work.Entity,
                [.. batch.Select(l => EventReader.Parse(l.Text))],
                1,
                stop
            );
            if (posted.Result is not { } answers)
                return posted.Pass<object>();
            foreach (var answer in answers)
            {
                outcomes[answer.Outcome] = outcomes.GetValueOrDefault(answer.Outcome) + 1;
                if (answer.Errors.Count > 0 && refused.Count < MostRefused)
                    refused.Add(
                        new EventsDone.Line(
                            batch[answer.Row - 1].Row,
                            answer.Event.Source,
                            answer.Event.Id,
                            answer.Errors
                        )
                    );
            }
        }
        await work.ReportAsync(lines.Count, lines.Count, "done");
        return new Outcome<object>(new EventsDone(lines.Count, outcomes, refused), null, []);
    }
}
