using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages;

/// <summary>A page whose middle is a grid of rows of one part: changed cells wait until they are saved, what they would
/// do is shown, saving can be undone.</summary>
public abstract class GridPage(DeskContext desk, ViewSetUp view, EditSetUp edit, CompareSetUps compare)
    : EntityPage(desk)
{
    /// <summary>Rows sent at once.</summary>
    public const int PageRows = 300;

    /// <summary>What the grid's rows are rows of.</summary>
    public abstract Part Part { get; }

    /// <summary>What was changed, in words for the history.</summary>
    protected abstract string What { get; }

    /// <summary>How many rows there are, of those that fit.</summary>
    public int Total { get; protected set; }

    /// <summary>The draft as it is, with the records.</summary>
    protected async Task<CompiledSetUp> SetUpAsync() =>
        (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;

    /// <summary>Saves what a grid holds: all of it, or nothing with what is wrong by cell.</summary>
    public virtual Task<IActionResult> OnPostEditAsync([FromBody] CellEdits? sent) =>
        GridEdits.SaveAsync(edit, Actor, EntityCode, Part, sent, What, HttpContext.RequestAborted);

    public Task<IActionResult> OnPostUndoEditAsync(long change) =>
        GridEdits.UndoAsync(edit, Actor, EntityCode, change, HttpContext.RequestAborted);

    /// <summary>What the newest events would do if a grid's changes were saved; nothing is.</summary>
    public virtual Task<IActionResult> OnPostForeseeAsync([FromBody] CellEdits? sent) =>
        GridEdits.ForeseeAsync(this, compare, Part, sent);

    /// <summary>The rows that fit, as canonical cells: what a workbook of this view holds.</summary>
    protected virtual IEnumerable<string?[]> Cells(CompiledSetUp setUp) => [];

    /// <summary>The view as a workbook to be edited and brought back.</summary>
    public virtual async Task<IActionResult> OnGetSheetAsync()
    {
        var compiled = await SetUpAsync();
        var bytes = new MemoryStream();
        var rows = Cells(compiled).OrderBy(Part.KeyOf, StringComparer.Ordinal).ToList();
        if (rows.Count >= Formats.Lists.XlsxSheet.MostRows)
            return BadRequest();
        Formats.Bundles.ViewBook.Write(compiled.SetUp, Part, rows, bytes);
        return Book(bytes, Part.Name);
    }

    private protected FileStreamResult Book(MemoryStream bytes, string name)
    {
        bytes.Position = 0;
        return File(bytes, Formats.Bundles.Workbook.MediaType, $"{EntityCode}-{name}.xlsx");
    }

    /// <summary>Rows further down than those that are there, by key and cell: what a pasted block that reaches beyond
    /// them falls on.</summary>
    public async Task<IActionResult> OnGetKeysAsync(int skip, int take = PageRows) =>
        new JsonResult(
            (await KeysAsync(Math.Max(0, skip), Math.Clamp(take, 1, GridEdits.Most))).Select(cells => new
            {
                number = Core.Tables.RowCells.KeyOf(Part, cells),
                cells = Part
                    .Columns.Select((c, i) => (c.Name, cells[i]))
                    .Where(x => x.Item2 is not null)
                    .ToDictionary(x => x.Name, x => x.Item2),
            })
        );

    /// <summary>Cells of the rows from one on, in the order of the grid.</summary>
    protected virtual Task<IEnumerable<string?[]>> KeysAsync(int skip, int take) =>
        Task.FromResult<IEnumerable<string?[]>>([]);

    /// <summary>Where choices for a column come from, or an empty text.</summary>
    public virtual string PickOf(Column column) => new RowForm(Part, null, EntityCode).Pick(column) ?? "";

    /// <summary>A part of what is asked for in an address; empty values are left out.</summary>
    protected internal static string QueryOf(string more, params (string Name, string? Value)[] pairs) =>
        "?"
        + string.Join(
            '&',
            pairs
                .Where(p => !string.IsNullOrEmpty(p.Value))
                .Select(p => $"{p.Name}={Uri.EscapeDataString(p.Value!)}")
                .Append(more)
                .Where(p => p.Length > 0)
        );

    private protected IActionResult Rows(string partial)
    {
        Response.Headers["X-Rows"] = Total.ToString(System.Globalization.CultureInfo.InvariantCulture);
        return Partial(partial, this);
    }
}
