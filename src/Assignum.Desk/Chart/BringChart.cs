using System.Security.Cryptography;
using System.Text;
using System.Text.Json;
using System.Text.Json.Serialization;
using Assignum.Core;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Charts;
using Assignum.Storage;

namespace Assignum.Desk.Chart;

/// <summary>A foreign chart as it would be brought in.</summary>
/// <param name="Sheets">Every sheet of the file; <paramref name="Sheet"/> is the one that is read.</param>
/// <param name="Columns">What each of its columns is taken for.</param>
/// <param name="Plan">The difference to the present chart, or what is wrong with rows.</param>
/// <param name="Remembered">Whose settings for such a file are used, and the file they were made for; null where they
/// are proposed.</param>
/// <param name="State">What the plan was made on; see <see cref="ImportBundle.StateOf"/>.</param>
public sealed record ChartLook(
    IReadOnlyList<ForeignSheet> Sheets,
    ForeignSheet Sheet,
    ForeignSettings Settings,
    IReadOnlyList<ForeignColumn> Columns,
    ForeignReading Reading,
    ImportPlan Plan,
    (string Who, string File)? Remembered,
    string State
);

/// <summary>Brings in a chart of anyone's making: proposed, corrected, looked at, then applied whole or not at
/// all.</summary>
public sealed class BringChart(DeskContext desk, ViewSetUp view, ImportBundle import)
{
    private static readonly JsonSerializerOptions Settings = new() { Converters = { new JsonStringEnumConverter() } };

    // What is remembered of a file: where its header stands and which sheet it is may differ the next time.
    private sealed record Kept(
        IReadOnlyList<string> Columns,
        IReadOnlyDictionary<string, TypeMeaning> Words,
        ForeignShape Shape,
        IReadOnlyDictionary<string, string>? TaxWords = null
    );

    /// <summary>Looks at a file without changing anything.</summary>
    /// <param name="settings">As a person corrected them, without columns where those are to be proposed for another
    /// sheet or header line (-1: to be found); null: remembered from such a file, else proposed.</param>
    /// <param name="partial">Accounts that the file lacks stay.</param>
    public async Task<Outcome<ChartLook>> LookAsync(
        Actor actor,
        string entity,
        byte[] file,
        ForeignSettings? settings,
        bool partial,
        CancellationToken stop
    )
    {
        var current = await view.RunAsync(actor, entity, "draft", null, stop);
        if (current.Result is not { } set)
            return current.Pass<ChartLook>();
        var faults = new List<Fault>();
        var sheets = ForeignFiles.Read(file, faults);
        if (faults.Count > 0)
            return Outcome<ChartLook>.No(
                Refusal.Invalid,
                [.. faults.Select(f => new Fault(f.Code, f.Message, f.Row > 0 ? $"line {f.Row}" : ""))]
            );
        (string, string)? remembered = null;
        if (settings is null)
        {
            settings = ForeignProposal.Of(sheets, set.SetUp.SetUp);
            await using var db = await desk.Database.OpenAsync(stop);
            if (
                await ChartStore.SourceAsync(db, set.Entity.Id, Fingerprint(sheets, settings), stop) is { } source
                && JsonSerializer.Deserialize<Kept>(source.Settings, Settings) is { } kept
            )
            {
                settings = settings with
                {
                    Columns = kept.Columns,
                    Words = kept.Words,
                    Shape = kept.Shape,
                    TaxWords = kept.TaxWords ?? settings.TaxWords,
                };
                remembered = (source.Who, source.Name);
            }
        }
        var sheet = sheets.FirstOrDefault(s => s.Name == settings.Sheet) ?? sheets[0];
        // Another sheet or header was chosen: its columns are proposed anew. What words mean stays said.
        if (settings.Columns.Count == 0)
            settings = ForeignProposal.Of(
                sheet,
                settings.HeaderLine < 0 ? ForeignProposal.FindHeader(sheet) : settings.HeaderLine,
                set.SetUp.SetUp
            ) with
            {
                Words = settings.Words,
                TaxWords = settings.TaxWords,
            };
        var proposed = ForeignProposal.Columns(sheet, settings.HeaderLine, set.SetUp.SetUp);
        var columns = proposed
            .Select(
                (c, i) =>
                    i < settings.Columns.Count && settings.Columns[i] != c.Field
                        ? c with
                        {
                            Field = settings.Columns[i],
                            Why =
                                settings.Columns[i].Length == 0 ? ""
                                : remembered is null ? "chosen"
                                : "as before",
                        }
                        : c
            )
            .ToList();
        var reading = ForeignReader.Read(sheet, settings, set.SetUp.SetUp);
        var preview = await import.PreviewAsync(actor, entity, [reading.Sheet], reading.Faults, partial, null, stop);
        if (preview.Result is not { } plan)
            return preview.Pass<ChartLook>();
        return new ChartLook(
            sheets,
            sheet,
            settings,
            columns,
            reading,
            plan.Plan,
            remembered,
            ImportBundle.StateOf(set.Entity)
        );
    }

    /// <summary>Applies a file as it was looked at; refused with every fault when there is any, or when somebody
    /// changed the chart since.</summary>
    /// <param name="openings">Keep the balances that the file gives, until an opening is made of them.</param>
    public async Task<Outcome<ImportResult>> ApplyAsync(
        Actor actor,
        string entity,
        byte[] file,
        string name,
        ForeignSettings settings,
        bool partial,
        bool openings,
        string? expected,
        CancellationToken stop
    )
    {
        var current = await view.RunAsync(actor, entity, "draft", null, stop);
        if (current.Result is not { } set)
            return current.Pass<ImportResult>();
        var faults = new List<Fault>();
        var sheets = ForeignFiles.Read(file, faults);
        if (sheets.FirstOrDefault(s => s.Name == settings.Sheet) is not { } sheet)
            return Outcome<ImportResult>.No(
                Refusal.Invalid,
                faults.Count > 0
                    ? [.. faults.Select(f => new Fault(f.Code, f.Message))]
                    : [new Fault("no-sheet", $"The file has no sheet '{settings.Sheet}'.", "sheet")]
            );
        var reading = ForeignReader.Read(sheet, settings, set.SetUp.SetUp);
        var applied = await import.ApplyAsync(
            actor,
            entity,
            [reading.Sheet],
            reading.Faults,
            partial,
            expected,
            stop,
            name,
            "chart brought in"
        );
        if (applied.Refused is null)
        {
            await using var db = await desk.Database.OpenAsync(stop);
            await ChartStore.RememberAsync(
                db,
                set.Entity.Id,
                Fingerprint(sheets, settings),
                name,
                JsonSerializer.Serialize(
                    new Kept(settings.Columns, settings.Words, settings.Shape, settings.TaxWords),
                    Settings
                ),
                actor.Name,
                stop
            );
            if (openings && reading.Openings.Count > 0)
                await OpeningStore.KeepAsync(
                    db,
                    set.Entity.Id,
                    reading.Openings.GroupBy(o => o.Account).ToDictionary(g => g.Key, g => g.Sum(o => o.Amount)),
                    name,
                    applied.Result!.Change,
                    actor.Name,
                    stop
                );
        }
        return applied;
    }

    /// <summary>Starts an empty chart from one of our templates: bands, accounts, a default for each purpose.</summary>
    public async Task<Outcome<ImportResult>> StartAsync(
        Actor actor,
        string entity,
        string template,
        CancellationToken stop
    )
    {
        if (ChartTemplates.Find(template) is not { } sheets)
            return Outcome<ImportResult>.No(
                Refusal.Invalid,
                "unknown-template",
                $"There is no template '{(template.Length > 40 ? template[..40] : template)}'; use "
                    + $"{string.Join(", ", ChartTemplates.All.Select(t => t.Code))}.",
                "template"
            );
        var current = await view.RunAsync(actor, entity, "draft", null, stop);
        if (current.Result is not { } set)
            return current.Pass<ImportResult>();
        if (set.SetUp.SetUp.Accounts.Count > 0)
            return Outcome<ImportResult>.No(
                Refusal.Conflict,
                "chart-exists",
                "This entity has accounts already: a template starts an empty chart only.",
                "template"
            );
        return await import.ApplyAsync(
            actor,
            entity,
            sheets,
            [],
            true,
            ImportBundle.StateOf(set.Entity),
            stop,
            template,
            "chart started from a template"
        );
    }

    // Files of one source have the same header; without one, the same number of columns.
    private static string Fingerprint(IReadOnlyList<ForeignSheet> sheets, ForeignSettings settings)
    {
        var sheet = sheets.FirstOrDefault(s => s.Name == settings.Sheet);
        var header = sheet?.Rows.FirstOrDefault(r => r.Line == settings.HeaderLine);
        var text = header is null
            ? $"{sheet?.Width} columns"
            : string.Join('\u001f', Enumerable.Range(0, sheet!.Width).Select(i => ForeignFields.Plain(header[i].Text)));
        return Convert.ToHexStringLower(SHA256.HashData(Encoding.UTF8.GetBytes(text)))[..32];
    }
}
