using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Calendar;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Money;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Formats.Lists;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>An entry by hand, by keys alone: lines that are looked at while they are typed, formulas over one amount,
/// templates, copies, pasted blocks.</summary>
public sealed class HandEntryModel(
    DeskContext desk,
    WriteByHand hand,
    KeepTemplates templates,
    ReadJournal journal,
    ViewSetUp view
) : BooksPage(desk)
{
    /// <summary>Fields of a line in the order in which they are typed; the first ones stand in the open.</summary>
    public static readonly IReadOnlyList<string> Columns =
    [
        "account",
        "debit",
        "credit",
        "text",
        "party",
        "document",
        "taxCode",
        "because",
        "item",
        "quantity",
        "location",
        "project",
        "channel",
        "method",
        "order",
        "due",
        "currency",
        "currencyAmount",
        "rate",
    ];

    /// <summary>Columns that every entry shows.</summary>
    public const int Open = 8;

    /// <summary>Lines that the page shows as fields; what is pasted beyond is kept as text.</summary>
    public const int MostFields = 300;

    private static readonly string[] Head = ["date", "text", "reference", "reverseOn", "currency", "rate"];

    private static readonly EventKind Kind = EventKinds.Find("hand-entry")!;

    public string Id { get; private set; } = "";
    public IReadOnlyDictionary<string, string> Fields { get; private set; } = new Dictionary<string, string>();
    public IReadOnlyList<IReadOnlyDictionary<string, string>> Rows { get; private set; } = [];

    /// <summary>Lines pasted beyond what fields show, as they were pasted.</summary>
    public string Bulk { get; private set; } = "";

    /// <summary>The amount that formulas are worked out of, as it was typed.</summary>
    public string? Amount { get; private set; }

    /// <summary>The template that was taken.</summary>
    public string? Template { get; private set; }
    public int TemplateVersion { get; private set; }
    public IReadOnlyList<EntryTemplate> Templates { get; private set; } = [];
    public IReadOnlyList<EntryTemplate> Deleted { get; private set; } = [];
    public HandCheck? Check { get; private set; }

    /// <summary>What formulas come to, by line and side.</summary>
    public IReadOnlyList<(int Line, string Column, decimal Value)> Worked => worked;

    private readonly List<(int Line, string Column, decimal Value)> worked = [];
    public IReadOnlyList<PassedOver> Passed { get; private set; } = [];

    /// <summary>The entry that was posted last, to be linked.</summary>
    [TempData]
    public string? Posted { get; set; }

    public bool MayPost => May(Role.Preparer);

    public async Task<IActionResult> OnGetAsync(string? copy, string? turn, string? template, string? amount)
    {
        Fields = new Dictionary<string, string> { ["date"] = Iso(State.Today) };
        Id = NewId();
        if ((copy ?? turn) is { Length: > 0 } number && !await CopyAsync(number, turn is not null))
            return NotFound();
        Amount = amount;
        if (!string.IsNullOrEmpty(template))
            await TakeAsync(template);
        return await ShowAsync(Rows.Count > 0);
    }

    /// <summary>Puts the lines of a template in place of those that are there.</summary>
    public async Task<IActionResult> OnPostTakeAsync()
    {
        Read();
        await TakeAsync(Request.Form["take"].ToString());
        return await ShowAsync(true);
    }

    /// <summary>Says how the lines stand, while they are typed.</summary>
    public async Task<IActionResult> OnPostCheckAsync()
    {
        Read();
        var (document, faults) = await DocumentAsync();
        var checkedBy = await hand.CheckAsync(Visit, document, HttpContext.RequestAborted);
        if (checkedBy.Result is { } check)
            Check = check with { Said = [.. Said(faults), .. check.Said] };
        else
            Faults = checkedBy.Faults;
        return Partial("_HandSays", this);
    }

    public async Task<IActionResult> OnPostAsync()
    {
        Read();
        var (document, faults) = await DocumentAsync();
        if (faults.Count == 0)
        {
            var done = await hand.RunAsync(Visit, document, true, HttpContext.RequestAborted);
            if (done.Result is { } entry)
            {
                Posted = entry.Number;
                Done = entry.Before
                    ? "This entry was posted before: nothing was posted again."
                    : "The entry is posted.";
                return LocalRedirect($"/e/{EntityCode}/hand-entry");
            }
            faults = done.Faults;
        }
        Faults = faults;
        Response.StatusCode = 422;
        return await ShowAsync(true);
    }

    /// <summary>Keeps what is written as a template.</summary>
    public async Task<IActionResult> OnPostKeepAsync()
    {
        Read();
        var name = Request.Form["name"].ToString().Trim();
        var lines = Rows.Where(r => r.ContainsKey("account") || r.ContainsKey("debit") || r.ContainsKey("credit"))
            .Select(r => new TemplateLine(
                r.GetValueOrDefault("account") ?? "",
                r.GetValueOrDefault("debit"),
                r.GetValueOrDefault("credit"),
                r.Where(c => EntryTemplate.Kept.Contains(c.Key)).ToDictionary(StringComparer.Ordinal)
            ))
            .ToList();
        var turns =
            Fields.GetValueOrDefault("reverseOn") is { } on
            && WrittenDay.Of(on) is { } day
            && WrittenDay.Of(Fields.GetValueOrDefault("date") ?? "") is { } of
            && new DateOnly(of.Year, of.Month, 1).AddMonths(1) == day
                ? TurnsBack.NextMonth
                : TurnsBack.Never;
        var kept = await templates.SaveAsync(
            Visit,
            new EntryTemplate(
                name,
                Fields.GetValueOrDefault("text"),
                turns,
                lines,
                name == Template ? TemplateVersion : 0
            ),
            HttpContext.RequestAborted
        );
        if (kept.Result is { } now)
        {
            (Template, TemplateVersion) = (now.Name, now.Version);
            Done = $"The template {now.Name} is kept.";
        }
        else
        {
            Faults = kept.Faults;
            Response.StatusCode = kept.Refused == Refusal.Conflict ? 409 : 422;
        }
        return await ShowAsync(true);
    }

    public async Task<IActionResult> OnPostDeleteAsync()
    {
        Read();
        var name = Request.Form["take"].ToString();
        var version = (await templates.ListAsync(Visit, false, HttpContext.RequestAborted))
            .FirstOrDefault(t => t.Name == name)
            ?.Version;
        var gone = await templates.DeleteAsync(Visit, name, version ?? 0, HttpContext.RequestAborted);
        Faults = gone.Faults;
        if (gone.Result is not null)
            Done = $"The template {name} is deleted; it can be brought back below.";
        else
            Response.StatusCode = 422;
        return await ShowAsync(true);
    }

    public async Task<IActionResult> OnPostBringBackAsync(string? name)
    {
        Read();
        var back = await templates.BringBackAsync(Visit, name ?? "", HttpContext.RequestAborted);
        Faults = back.Faults;
        if (back.Result is not null)
            Done = $"The template {name} is there again.";
        else
            Response.StatusCode = 422;
        return await ShowAsync(true);
    }

    /// <summary>A field of the document.</summary>
    public FormField Field(string name) =>
        new(
            "f." + name,
            name == "reverseOn" ? "turns back on" : EventPlace.Label(name),
            EventFields.OfEvent.First(f => f.Name == name).Type,
            Fields.GetValueOrDefault(name),
            name == "date"
        );

    /// <summary>A cell of a line; amounts take formulas.</summary>
    public static FormField Cell(int row, string column, IReadOnlyDictionary<string, string>? of) =>
        new(
            $"lines[{row}].{column}",
            EventPlace.Label(column),
            EventFields.OfLine.First(f => f.Name == column).Type,
            of?.GetValueOrDefault(column),
            false
        )
        {
            Purpose = column == "account" ? "hand-entry" : null,
        };

    /// <summary>What is wrong with a cell or field; null: nothing.</summary>
    public string? WrongOf(string path) => Faults.FirstOrDefault(f => f.Path == path)?.Message;

    /// <summary>What is wrong with a cell of a line; null: nothing.</summary>
    public string? WrongOfCell(int row, string column) => WrongOf($"lines[{row}].{column}");

    /// <summary>The id of the field that a path leads to.</summary>
    public static string? IdOf(string path) =>
        path.StartsWith("lines[", StringComparison.Ordinal)
            ? FormField.IdOf(path.EndsWith(']') ? path + ".account" : path)
        : Head.Contains(path) ? FormField.IdOf("f." + path)
        : path == "name" ? "name"
        : path == "amount" ? "amount"
        : null;

    private static string NewId() => Guid.NewGuid().ToString("N")[..12];

    private void Read()
    {
        var form = Request.Form;
        Id = form["id"].ToString() is { Length: > 0 and <= 40 } id ? id : NewId();
        Amount = form["amount"].ToString() is { Length: > 0 } amount ? amount : null;
        Template = form["template"].ToString() is { Length: > 0 } template ? template : null;
        TemplateVersion = int.TryParse(form["version"], out var version) ? version : 0;
        Bulk = form["bulk"].ToString();
        Fields = Head.Select(h => (Name: h, Value: form["f." + h].ToString().Trim()))
            .Where(f => f.Value.Length > 0)
            .ToDictionary(f => f.Name, f => f.Value, StringComparer.Ordinal);
        var rows = new List<IReadOnlyDictionary<string, string>>();
        for (var i = 0; form.ContainsKey($"lines[{i}].account"); i++)
        {
            var row = new Dictionary<string, string>(StringComparer.Ordinal);
            foreach (var column in Columns)
                if (form[$"lines[{i}].{column}"].ToString().Trim() is { Length: > 0 } cell)
                    row[column] = cell;
            rows.Add(row);
        }
        while (rows.Count > 0 && rows[^1].Count == 0)
            rows.RemoveAt(rows.Count - 1);
        Rows = rows;
    }

    // The event as it is written so far: formulas worked out, pasted lines after those in fields.
    private async Task<(JsonObject Document, IReadOnlyList<Fault> Faults)> DocumentAsync()
    {
        var faults = new List<Fault>();
        var rows = Rows.ToList();
        if (Bulk.Length > 0)
            rows.AddRange(PastedLines.Read(Bulk, Columns, EventReader.MostLines - rows.Count, faults));
        var document = new JsonObject { ["id"] = Id, ["kind"] = Kind.Name };
        foreach (var (name, value) in Fields)
            Put(document, name, EventFields.OfEvent.First(f => f.Name == name).Type, value);
        decimal? amount = null;
        if (Amount is not null && (amount = WrittenNumber.Of(Amount, out var why)) is null)
            faults.Add(new Fault("bad-number", $"The amount '{Amount}' {why}.", "amount"));
        var looked = await view.OnAsync(Visit, State.Today, HttpContext.RequestAborted);
        var decimals = Currencies.Decimals(Fields.GetValueOrDefault("currency") ?? State.Currency)
            ?? looked.Result?.SetUp.BaseDecimals
            ?? 2;
        var formulas = Formula.Work(
            [.. rows.Select(r => (r.GetValueOrDefault("debit"), r.GetValueOrDefault("credit")))],
            amount,
            v => looked.Result?.SetUp.Rounding.Round(v, decimals) ?? decimal.Round(v, decimals)
        );
        var lines = new JsonArray();
        for (var i = 0; i < rows.Count; i++)
        {
            var line = new JsonObject();
            foreach (var (name, value) in rows[i])
            {
                if (name is "debit" or "credit" && WrittenNumber.Of(value, out _) is null && IsFormula(value))
                {
                    if (formulas[i].Value is { } comes)
                    {
                        line[name] = name == "debit" ? comes : -comes;
                        worked.Add((i, name, name == "debit" ? comes : -comes));
                    }
                    else
                        faults.Add(
                            new Fault(
                                "bad-formula",
                                formulas[i].Wrong ?? "It cannot be worked out.",
                                $"lines[{i}].{name}"
                            )
                        );
                }
                else
                    Put(line, name, EventFields.OfLine.First(f => f.Name == name).Type, value);
            }
            lines.Add(line);
        }
        if (lines.Count > 0)
            document["lines"] = lines;
        return (document, faults);
    }

    private static bool IsFormula(string text) =>
        text.Any(c => c is '*' or '/' or '(' or '%' or '×' or '÷')
        || text.Any(char.IsAsciiLetter)
        || text.LastIndexOfAny(['+', '-']) > 0;

    private static void Put(JsonObject to, string name, FieldType type, string value) =>
        DocumentForm.Put(to, name, type, value);

    private static IEnumerable<HandSaid> Said(IEnumerable<Fault> faults) =>
        faults.Select(f =>
        {
            var end = f.Path.IndexOf(']');
            return
                end > 6
                && f.Path.StartsWith("lines[", StringComparison.Ordinal)
                && int.TryParse(f.Path.AsSpan(6, end - 6), out var line)
                ? new HandSaid(line, "error", f.Message, f.Path.Length > end + 2 ? f.Path[(end + 2)..] : null)
                : new HandSaid(null, "error", f.Message, f.Path);
        });

    private async Task TakeAsync(string name)
    {
        var template = (await templates.ListAsync(Visit, false, HttpContext.RequestAborted)).FirstOrDefault(t =>
            t.Name == name
        );
        if (template is null)
        {
            Faults = [new Fault("unknown-template", "Choose a template that is there.", "take")];
            return;
        }
        (Template, TemplateVersion, Bulk) = (template.Name, template.Version, "");
        var fields = new Dictionary<string, string>(Fields, StringComparer.Ordinal);
        if (template.Text is not null)
            fields["text"] = template.Text;
        if (template.TurnsBackOn(WrittenDay.Of(fields.GetValueOrDefault("date") ?? "") ?? State.Today) is { } on)
            fields["reverseOn"] = Iso(on);
        Fields = fields;
        Rows =
        [
            .. template.Lines.Select(l =>
            {
                var row = new Dictionary<string, string>(l.Cells, StringComparer.Ordinal) { ["account"] = l.Account };
                if (l.Debit is not null)
                    row["debit"] = l.Debit;
                if (l.Credit is not null)
                    row["credit"] = l.Credit;
                return row;
            }),
        ];
    }

    private async Task<bool> CopyAsync(string number, bool turned)
    {
        if ((await journal.EntryAsync(Visit, number, HttpContext.RequestAborted)).Result is not { } stored)
            return false;
        var entry = stored.Document;
        var foreign = entry.Currency != State.Currency;
        var fields = new Dictionary<string, string>(Fields, StringComparer.Ordinal);
        if (foreign)
            (fields["currency"], fields["rate"]) = (entry.Currency, Plain(entry.Rate));
        fields["text"] = $"{(turned ? "The other way round of" : "Like")} {number}";
        Fields = fields;
        Rows =
        [
            .. entry.Lines.Select(l =>
            {
                var row = new Dictionary<string, string>(StringComparer.Ordinal)
                {
                    ["account"] = l.AccountNow ?? l.Account,
                };
                var by = foreign && l.CurrencyDebit - l.CurrencyCredit is { } own ? own : l.Debit - l.Credit;
                if (turned)
                    by = -by;
                row[by >= 0 ? "debit" : "credit"] = Plain(Math.Abs(by));
                foreach (var (name, value) in l.Has)
                    if (Columns.Contains(name))
                        row[name] = value;
                if (l.TaxCode is not null)
                    row["taxCode"] = l.TaxCode;
                if (!string.IsNullOrEmpty(l.Text))
                    row["text"] = l.Text;
                return row;
            }),
        ];
        return true;
    }

    private static string Plain(decimal value) => value.ToString("0.############", CultureInfo.InvariantCulture);

    private async Task<IActionResult> ShowAsync(bool look)
    {
        var stop = HttpContext.RequestAborted;
        Templates = await templates.ListAsync(Visit, false, stop);
        Deleted = await templates.ListAsync(Visit, true, stop);
        var today = State.Today;
        Passed = await hand.PassedAsync(Visit, new DateOnly(today.Year, today.Month, 1).AddMonths(-2), today, stop);
        if (look)
        {
            var (document, faults) = await DocumentAsync();
            var looked = await hand.CheckAsync(Visit, document, stop);
            Check = looked.Result is { } check ? check with { Said = [.. Said(faults), .. check.Said] } : null;
        }
        return Page();
    }
}
