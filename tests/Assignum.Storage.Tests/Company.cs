using System.Text.Json;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;
using Assignum.Testing;

namespace Assignum.Storage.Tests;

/// <summary>A company on a real database: the demo's set-up under a code of its own, without waiting for second
/// eyes.</summary>
public sealed class Company : IAsyncDisposable
{
    public static CancellationToken Stop => TestContext.Current.CancellationToken;

    private readonly TestDatabase test = new();

    public Company(TimeProvider? clock = null) => Desk = new DeskContext(test.Database, clock);

    public DeskContext Desk { get; }

    /// <summary>Events that are made here.</summary>
    public OwnEvents Own => new(Desk, new Rehearse(Desk), new PostEvents(Desk));
    public TestDatabase Test => test;
    public Actor Actor { get; } = new("tester", Role.Administrator, new Dictionary<string, Role>());

    /// <summary>Creates an entity and brings the demo's set-up in; published from 1 January 2026 unless told not
    /// to.</summary>
    public async Task<string> OpenAsync(string code = "SKERROW", bool publish = true, string folder = "tests/company")
    {
        (await new CreateEntity(Desk).RunAsync(Actor, code, code, "EUR", Stop)).Refused.ShouldBeNull();
        (
            await ImportAsync(
                code,
                [
                    .. Demo(folder)
                        .Where(s => s.Part != Parts.Entity && s.Part != Parts.Policies && s.Part != Parts.Periods),
                ]
            )
        ).Refused.ShouldBeNull();
        if (publish)
            await PublishAsync(code, new DateOnly(2026, 1, 1));
        return code;
    }

    public static IReadOnlyList<Sheet> Demo(string folder = "tests/company") =>
        Bundle.FromFolder(Path.Combine(ProjectFiles.Root, folder, "skerrow", "1-skerrow", "bundle"), []);

    public async Task<Outcome<ImportResult>> ImportAsync(
        string code,
        IReadOnlyList<Sheet> sheets,
        bool partial = true
    ) => await new ImportBundle(Desk).ApplyAsync(Actor, code, sheets, [], partial, null, Stop);

    /// <summary>A partial file of one row.</summary>
    public static Sheet Row(Part part, params (string Column, string Value)[] cells)
    {
        var row = new string?[part.Columns.Count];
        foreach (var (column, value) in cells)
            row[part.Columns.ToList().FindIndex(c => c.Name == column)] = value;
        return new Sheet(
            part,
            cells.Select(c => part.Columns.ToList().FindIndex(x => x.Name == c.Column)).ToHashSet(),
            [(2, row)]
        );
    }

    /// <summary>Partial files of one row each as one partial file of all.</summary>
    public static Sheet Together(params Sheet[] rows) =>
        new(rows[0].Part, rows.SelectMany(r => r.Columns).ToHashSet(), [.. rows.SelectMany(r => r.Rows)]);

    /// <summary>Posts events that are written as one JSON array.</summary>
    public async Task<IReadOnlyList<PostedEvent>> PostAllAsync(string code, string json) =>
        await PostAsync(
            code,
            [.. System.Text.Json.Nodes.JsonNode.Parse(json)!.AsArray().Select(e => e!.ToJsonString())]
        );

    public async Task PublishAsync(string code, DateOnly from)
    {
        var done = await new PublishDraft(Desk).RunAsync(Actor, code, from, null, Stop);
        done.Refused.ShouldBeNull(string.Join("; ", done.Faults.Select(f => f.Message)));
    }

    public async Task<IReadOnlyList<PostedEvent>> PostAsync(string code, params string[] events) =>
        (await new PostEvents(Desk).RunAsync(Actor, code, [.. events.Select(Read)], 1, Stop)).Result!;

    public static ReadEvent Read(string json)
    {
        using var document = JsonDocument.Parse(json, EventReader.Options);
        return EventReader.Read(document.RootElement);
    }

    /// <summary>A sale of one rain gauge as JSON.</summary>
    public static string Sale(
        string id,
        string date = "2026-06-15",
        decimal price = 100m,
        string party = "SHOP-GALE"
    ) =>
        string.Create(
            System.Globalization.CultureInfo.InvariantCulture,
            $$"""{"source":"t","id":"{{id}}","kind":"sales-invoice","date":"{{date}}","""
                + $$""" "reference":"{{id}}","party":"{{party}}","lines":[{"item":"RG-100","""
                + $$""" "unitPrice":{{price}}}]}"""
        );

    /// <summary>Enters an entity; null: as the company's own actor.</summary>
    public static async Task<Visit> VisitAsync(Company company, string code, Actor? actor = null) =>
        (await new ViewSetUp(company.Desk).RunAsync(actor ?? company.Actor, code, "draft", null, Stop)).Result!.Visit!;

    public async Task<T> AskAsync<T>(string sql)
    {
        await using var command = test.Database.Command(sql);
        return (T)(await command.ExecuteScalarAsync(Stop))!;
    }

    public ValueTask DisposeAsync() => test.DisposeAsync();
}
