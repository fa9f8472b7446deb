using System.Globalization;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Checks;
using Assignum.Core.Editions;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;

namespace Assignum.Tool;

/// <summary>The command line: looks at set-ups kept as files, without a database.</summary>
public static class Commands
{
    /// <summary>Nothing was found that the caller asked to hear of.</summary>
    public const int Clean = 0;

    /// <summary>Something was found.</summary>
    public const int Found = 1;

    /// <summary>Something could not be read, or the command is wrong.</summary>
    public const int Unreadable = 2;

    private const int MostMends = 200;

    private const string Usage = """
        Looks at set-ups kept as files: a folder of CSV files, a zip of them, or a workbook.

          check SETUP [--fail-on error|warning|info] [--day DAY] [--json]
                the findings; 1 where one is as grave as said (error where nothing is said)
          diff BEFORE AFTER [--json]
                what is different, in words; 1 where anything is
          rehearse SETUP EVENTS [--json]
                the entries that events (JSON or a line each) would make; 1 where one makes none
          convert SETUP TO
                writes a folder, a .zip or an .xlsx

        What cannot be read, and a command that is none, answer 2.
        """;

    /// <summary>Runs a command.</summary>
    /// <returns><see cref="Clean"/>, <see cref="Found"/> or <see cref="Unreadable"/>.</returns>
    public static int Run(IReadOnlyList<string> args, TextWriter to, TextWriter wrong)
    {
        try
        {
            var given = new Given(args);
            return given.Words switch
            {
                ["check", var path] => Check(path, given, to),
                ["diff", var before, var after] => Diff(before, after, given, to),
                ["rehearse", var path, var events] => Rehearse(path, events, given, to),
                ["convert", var path, var target] => Convert(path, target, to),
                _ => throw new UnreadableException(Usage),
            };
        }
        catch (Exception e) when (e is UnreadableException or IOException or UnauthorizedAccessException)
        {
            wrong.WriteLine(e.Message);
            return Unreadable;
        }
    }

    private static int Check(string path, Given given, TextWriter to)
    {
        var least = given.Option("--fail-on") switch
        {
            null => FindingSeverity.Error,
            var said when Words.TryParse<FindingSeverity>(said, out var severity) => severity,
            var said => throw new UnreadableException($"--fail-on {said}: say error, warning or info."),
        };
        var day = given.Option("--day") switch
        {
            null => DateOnly.FromDateTime(DateTime.UtcNow),
            var said => Core.Calendar.WrittenDay.Of(said)
                ?? throw new UnreadableException($"--day {said} is no day: write it as 2026-03-14."),
        };
        var setUp = new CompiledSetUp(Read(path));
        var findings = Findings.Of(setUp, day);
        if (given.Has("--json"))
        {
            // Mends are tried before they are told: those of the gravest.
            var mends = new Mends(setUp, day, PostedFacts.None, findings);
            Json(
                to,
                findings.Select(
                    (f, i) =>
                        FindingDocument.From(
                            f,
                            i < MostMends ? mends.For(f) : null,
                            null,
                            TripwireReached.Combinations(setUp, f)
                        )
                )
            );
        }
        else
        {
            foreach (var finding in findings)
            {
                to.WriteLine($"{Words.Of(finding.Severity), -8} {finding.Code, -24} {finding.Message}");
                to.WriteLine($"{"", -33} {Where(finding)}");
            }
            to.WriteLine(
                string.Join(
                    ", ",
                    Enum.GetValues<FindingSeverity>()
                        .Select(s => $"{findings.Count(f => f.Severity == s)} {Words.Of(s)}")
                )
            );
        }
        return findings.Any(f => f.Severity <= least) ? Found : Clean;
    }

    private static string Where(Finding finding) =>
        string.Join(", ", finding.Places.Take(5).Select(p => $"{p.Part}: {p.Label}"))
        + (finding.Places.Count > 5 ? $" and {finding.Places.Count - 5} more" : "");

    private static int Diff(string before, string after, Given given, TextWriter to)
    {
        var (was, now) = (Read(before), Read(after));
        var lines = Difference.Words(SetUpImport.Difference(was, now), was, now);
        if (given.Has("--json"))
            Json(
                to,
                lines.Select(l => new
                {
                    l.Under,
                    l.Sentence,
                    Row = RowDocument.Of(l.Change),
                })
            );
        else
            foreach (var group in lines.GroupBy(l => l.Under))
            {
                to.WriteLine(group.Key);
                foreach (var line in group)
                    to.WriteLine("  " + line.Sentence);
            }
        return lines.Count > 0 ? Found : Clean;
    }

    private static int Rehearse(string path, string events, Given given, TextWriter to)
    {
        var setUp = new CompiledSetUp(Read(path));
        var run = new EventRun(null, new DocumentRegister());
        var all = new Sink();
        var (made, refused) = (new List<object>(), 0);
        foreach (var read in Events(events))
        {
            var result = read.Faults.Count > 0 ? new EntryResult(null, read.Faults) : run.Step(read.Event, setUp, all);
            if (result.Entry is null && result.Errors.Count > 0)
                refused++;
            var entry = result.Entry is null
                ? null
                : EntryDocument.Of(result.Entry, new EventName(read.Event.Source, read.Event.Id), null);
            if (given.Has("--json"))
                made.Add(
                    new
                    {
                        Event = new { read.Event.Source, read.Event.Id },
                        Entry = entry,
                        Errors = result.Errors.Select(e => new
                        {
                            e.Code,
                            e.Message,
                            e.Path,
                        }),
                    }
                );
            else
                Write(to, read, entry, result);
        }
        if (given.Has("--json"))
            Json(to, made);
        return refused > 0 ? Found : Clean;
    }

    private static void Write(TextWriter to, ReadEvent read, EntryDocument? entry, EntryResult result)
    {
        var e = read.Event;
        to.WriteLine($"{e.Source} {e.Id}: {EventKinds.Find(e.Kind)?.Title ?? e.Kind}, {e.Date:yyyy-MM-dd}");
        foreach (var error in result.Errors)
            to.WriteLine($"  refused: {error.Message}");
        if (entry is null && result.Errors.Count == 0)
            to.WriteLine("  makes no entry");
        foreach (var line in entry?.Lines ?? [])
            to.WriteLine(
                $"  {line.Account, -10} {Amount(line.Debit), 14} {Amount(line.Credit), 14}  {line.Purpose ?? "by hand"}, "
                    + $"by {line.Landing.Rung}"
            );
        foreach (var remark in entry?.Remarks ?? [])
            to.WriteLine($"  {remark.Severity}: {remark.Message}");
    }

    private static string Amount(decimal amount) =>
        amount == 0 ? "" : amount.ToString("0.00##", CultureInfo.InvariantCulture);

    private static int Convert(string path, string target, TextWriter to)
    {
        var setUp = Read(path);
        if (Directory.Exists(target) ? Directory.EnumerateFileSystemEntries(target).Any() : File.Exists(target))
            throw new UnreadableException($"{target} is there already: nothing was written.");
        switch (Path.GetExtension(target).ToLowerInvariant())
        {
            case ".zip":
                using (var file = File.Create(target))
                    Bundle.ToZip(setUp, file);
                break;
            case ".xlsx":
                if (Workbook.TooLong(setUp) is { } part)
                    throw new UnreadableException($"{part.Name} has more rows than a sheet: write a zip.");
                using (var file = File.Create(target))
                    Workbook.Write(setUp, file);
                break;
            case "":
                Directory.CreateDirectory(target);
                foreach (var one in Parts.All)
                    using (var file = File.Create(Path.Combine(target, one.Name + ".csv")))
                        CsvSheet.Write(one, one.Write(setUp), file);
                break;
            case var other:
                throw new UnreadableException($"{other} is not written: name a folder, a .zip or an .xlsx.");
        }
        to.WriteLine($"{target} is written.");
        return Clean;
    }

    // A set-up from files alone: what they lack is as in a new entity.
    private static SetUp Read(string path)
    {
        var faults = new List<Fault>();
        IReadOnlyList<Sheet> sheets;
        if (Directory.Exists(path))
            sheets = Bundle.FromFolder(path, faults);
        else if (File.Exists(path))
            using (var file = File.OpenRead(path))
                sheets = Bundle.FromFile(file, faults);
        else
            throw new UnreadableException($"{path} is not there.");
        if (faults.Count == 0 && sheets.Count == 0)
            throw new UnreadableException($"{path} has no file of a set-up.");
        var entity = sheets.FirstOrDefault(s => s.Part == Parts.Entity);
        var empty = SetUpDefaults.Empty(new Entity("SETUP", "Set-up", "EUR"));
        if (entity is not null)
            empty = Parts.Entity.Read(empty, entity.Rows.Select(r => (r.Row, r.Cells)), faults);
        var plan = SetUpImport.Plan(empty, sheets, false, (_, _) => false);
        faults.AddRange(plan.Faults);
        if (faults.Count > 0)
            throw new UnreadableException(
                string.Join(
                    Environment.NewLine,
                    faults
                        .Take(100)
                        .Select(f =>
                            $"{(f.Part.Length > 0 ? $"{f.Part}.csv{(f.Row > 0 ? $":{f.Row}" : "")}: " : "")}{f.Message}"
                        )
                )
            );
        return plan.Next;
    }

    private static IEnumerable<ReadEvent> Events(string path)
    {
        if (!File.Exists(path))
            throw new UnreadableException($"{path} is not there.");
        using var file = File.OpenText(path);
        var first = file.Peek();
        while (first is ' ' or '\n' or '\r' or '\t')
        {
            file.Read();
            first = file.Peek();
        }
        if (first == '[')
        {
            JsonDocument json;
            try
            {
                json = JsonDocument.Parse(file.ReadToEnd(), EventReader.Options);
            }
            catch (JsonException e)
            {
                throw new UnreadableException($"{path} is no JSON: {e.Message}");
            }
            using (json)
                foreach (var one in json.RootElement.EnumerateArray())
                    yield return EventReader.Read(one);
            yield break;
        }
        while (file.ReadLine() is { } line)
            if (!string.IsNullOrWhiteSpace(line))
                yield return EventReader.Parse(line);
    }

    private static readonly JsonSerializerOptions Indented = new(TraceJson.Settings) { WriteIndented = true };

    private static void Json<T>(TextWriter to, IEnumerable<T> what) =>
        to.WriteLine(JsonSerializer.Serialize(what, Indented));

    /// <summary>Lets every entry stand, so that later events see its documents.</summary>
    private sealed class Sink : IEntrySink
    {
        public bool Take(BusinessEvent source, EntryResult result) => result.Entry is { Refused: false };
    }

    /// <summary>What was asked for: words and options.</summary>
    private sealed class Given
    {
        private static readonly string[] Valued = ["--fail-on", "--day"];
        private readonly Dictionary<string, string> options = new(StringComparer.Ordinal);

        public Given(IReadOnlyList<string> args)
        {
            var words = new List<string>();
            for (var i = 0; i < args.Count; i++)
                if (!args[i].StartsWith("--", StringComparison.Ordinal))
                    words.Add(args[i]);
                else if (Valued.Contains(args[i]))
                    options[args[i]] =
                        i + 1 < args.Count ? args[++i] : throw new UnreadableException($"{args[i]} needs a value.");
                else if (args[i] == "--json")
                    options[args[i]] = "";
                else
                    throw new UnreadableException($"{args[i]} is no option.{Environment.NewLine}{Usage}");
            Words = [.. words];
        }

        public string[] Words { get; }

        public string? Option(string name) => options.GetValueOrDefault(name);

        public bool Has(string name) => options.ContainsKey(name);
    }

    private sealed class UnreadableException(string message) : Exception(message);
}
