using System.Text;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.Work;
using Assignum.Desk;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Web.Api;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>Several documents in order: what each does, the flow of each, and the accounts they leave behind.</summary>
[RequestSizeLimit(Limits.Json)]
public sealed class CycleModel(DeskContext desk, Workbench workbench, ViewSetUp view) : EntityPage(desk)
{
    public override string Place => "rehearse";

    [BindProperty(SupportsGet = true)]
    public string? Edition { get; set; }

    public Bench Bench { get; private set; } = null!;

    public async Task<IActionResult> OnGetAsync()
    {
        await LoadAsync();
        return Page();
    }

    /// <summary>Adds the events of a file: one as JSON, an array, or a line each.</summary>
    public async Task<IActionResult> OnPostFileAsync(IFormFile? file, long revision)
    {
        if (file is null)
            return await RefuseAsync(
                new Fault("no-file", "Choose or drop a file of events first: JSON, or one event a line.", "file")
            );
        using var bytes = new MemoryStream();
        await file.CopyToAsync(bytes, HttpContext.RequestAborted);
        var (documents, fault) = Documents(bytes.ToArray());
        if (fault is not null)
            return await RefuseAsync(fault);
        return await ChangeAsync(revision, now => [.. now, .. documents]);
    }

    /// <summary>Adds the documents of a chain to begin with, made of the entity's own records.</summary>
    public async Task<IActionResult> OnPostChainAsync(long revision, string? chain)
    {
        if (Chain.All.FirstOrDefault(c => c.Code == chain) is not { } chosen)
            return await RefuseAsync(new Fault("unknown-chain", "Choose one of the chains.", "chain"));
        var set = await view.OfAsync(
            Visit,
            string.IsNullOrEmpty(Edition) ? "draft" : Edition,
            null,
            HttpContext.RequestAborted
        );
        if (set.Result is not { SetUp: var setUp })
            return await RefuseAsync([.. set.Faults]);
        var (documents, lacks) = chosen.Of(setUp, State.Today);
        return lacks is not null
            ? await RefuseAsync(
                new Fault(
                    "lacks-record",
                    $"{chosen.Title} needs {lacks}, which there is not yet: make one first.",
                    "chain"
                )
            )
            : await ChangeAsync(revision, now => [.. now, .. documents.Select(d => EventJson.Of(d).ToJsonString())]);
    }

    public Task<IActionResult> OnPostDropAsync(long revision, int step) =>
        ChangeAsync(revision, now => [.. now.Where((_, i) => i != step - 1)]);

    public Task<IActionResult> OnPostMoveAsync(long revision, int step, int by) => ChangeAsync(revision, now =>
        {
            var documents = now.ToList();
            var to = step - 1 + by;
            if (step < 1 || step > documents.Count || to < 0 || to >= documents.Count)
                return documents;
            (documents[step - 1], documents[to]) = (documents[to], documents[step - 1]);
            return documents;
        });

    public Task<IActionResult> OnPostClearAsync(long revision) => ChangeAsync(revision, _ => []);

    /// <summary>Goes back to the documents before the last change.</summary>
    public async Task<IActionResult> OnPostBackAsync(long revision) =>
        await DoneAsync(
            await workbench.ChangeAsync(Actor, EntityCode, revision, now => [.. now.Before], HttpContext.RequestAborted)
        );

    private async Task<IActionResult> ChangeAsync(long revision, Func<IReadOnlyList<string>, List<string>> change) =>
        await DoneAsync(
            await workbench.ChangeAsync(
                Actor,
                EntityCode,
                revision,
                now => change(now.Documents),
                HttpContext.RequestAborted
            )
        );

    private async Task<IActionResult> DoneAsync(Outcome<WorkbenchRow> changed) =>
        changed.Refused is null
            ? LocalRedirect(
                $"/e/{EntityCode}/rehearse/cycle"
                    + (string.IsNullOrEmpty(Edition) ? "" : "?edition=" + Uri.EscapeDataString(Edition))
            )
            : await RefuseAsync([.. changed.Faults]);

    private async Task<IActionResult> RefuseAsync(params Fault[] faults)
    {
        await LoadAsync();
        Faults = faults;
        Response.StatusCode = 422;
        return Page();
    }

    private async Task LoadAsync()
    {
        if (string.IsNullOrEmpty(Edition))
            Edition = null;
        var run = await workbench.RunAsync(Actor, EntityCode, Edition, HttpContext.RequestAborted);
        if (run.Result is null)
        {
            Faults = run.Faults;
            run = await workbench.RunAsync(Actor, EntityCode, Edition = null, HttpContext.RequestAborted);
        }
        Bench = run.Result!;
    }

    // A whole JSON value, or a line each; every document must at least be a JSON object, what is wrong inside it is
    // shown where it stands.
    private static (IReadOnlyList<string> Documents, Fault? Fault) Documents(byte[] bytes)
    {
        if (!System.Text.Unicode.Utf8.IsValid(bytes))
            return (
                [],
                new Fault(
                    "bad-character",
                    "The file holds bytes that are no text: save it as UTF-8 and choose it again.",
                    "file"
                )
            );
        var (whole, _, _) = BodyReader.Events(bytes);
        if (whole is not null)
        {
            using var json = JsonDocument.Parse(bytes);
            return json.RootElement.ValueKind == JsonValueKind.Array
                ? ([.. json.RootElement.EnumerateArray().Select(e => e.GetRawText())], null)
                : ([json.RootElement.GetRawText()], null);
        }
        var documents = new List<string>();
        var lines = Encoding.UTF8.GetString(bytes).Split('\n');
        for (var i = 0; i < lines.Length; i++)
        {
            if (string.IsNullOrWhiteSpace(lines[i]))
                continue;
            if (Formats.Json.EventReader.Parse(lines[i]).Faults.Any(f => f.Code is "bad-json" or "not-an-event"))
                return (
                    [],
                    new Fault(
                        "bad-json",
                        $"Line {i + 1} of the file is no event: a file holds one event as JSON, an array of them, or "
                            + "one a line.",
                        "file"
                    )
                );
            documents.Add(lines[i].Trim());
        }
        return documents.Count == 0
            ? ([], new Fault("empty-file", "The file holds no event.", "file"))
            : (documents, null);
    }
}
