using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Web.Access;

namespace Assignum.Web.Api;

/// <summary>The books over the interface: control accounts held against their documents.</summary>
internal static class BookEndpoints
{
    public static void Map(RouteGroupBuilder entity)
    {
        entity
            .MapGet("/tie-outs", TieOutsAsync)
            .WithSummary("Every control's accounts held against its documents: {at}");
        entity
            .MapGet("/tie-outs/{control}", TieOutAsync)
            .WithSummary("One control with the lines that make its difference: {at, after}; X-Next-After pages them");
        entity
            .MapPost("/tie-outs/lists/fetch", FetchAsync)
            .WithSummary("Ask connected systems for their lists of a day: ?at=&control=")
            .Needs(Role.Preparer);
        entity
            .MapPost("/tie-outs/{control}/lists", ListAsync)
            .WithSummary("Takes the list of another system, CSV or JSON, to be compared by key: {at, source}")
            .Needs(Role.Preparer)
            .TakesBody("text/csv", "application/json");
        entity
            .MapGet("/subledgers/{control}", SubledgerAsync)
            .WithSummary(
                "The rows of a subledger: {at, known, account, party, item, open, limit, after}; X-Next-After pages them"
            );
        entity
            .MapGet("/subledgers/{control}/ageing", AgeingAsync)
            .WithSummary("What is open of receivables or payables by party, currency and days past due: {at}");
        entity
            .MapGet("/documents", DocumentsAsync)
            .WithSummary(
                "Every event that has to do with a document or an order of a party: {party, reference or order}"
            );
    }

    private static async Task<IResult> TieOutsAsync(
        HttpContext http,
        string entity,
        string? at,
        DeskContext desk,
        ReadTieOuts ties
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var found = await ties.AllAsync(visit, day, http.RequestAborted);
        return found.Result is { } of
            ? Results.Json(
                of.Controls.Select(c =>
                    Told(c, of.Theirs.GetValueOrDefault(c.Control), of.Record.GetValueOrDefault(c.Control))
                )
            )
            : ApiProblem.Of(found);
    }

    private static async Task<IResult> TieOutAsync(
        HttpContext http,
        string entity,
        string control,
        string? at,
        string? after,
        DeskContext desk,
        ReadTieOuts ties
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        var of = ControlOf(control, faults);
        long? before = null;
        if (!string.IsNullOrEmpty(after))
            if (long.TryParse(after, out var number) && number > 0)
                before = number;
            else
                faults.Add(new Fault("bad-number", "'after' is no number that X-Next-After gave.", "after"));
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var found = await ties.OneAsync(visit, of, day, before, http.RequestAborted);
        if (found.Result is not { } one)
            return ApiProblem.Of(found);
        if (one.More is { } more)
            http.Response.Headers["X-Next-After"] = more.ToString(System.Globalization.CultureInfo.InvariantCulture);
        var told = Told(one.TieOut, one.Theirs);
        if (one.Theirs is { } theirs)
            told["theirsRows"] = theirs.Differences.Select(d =>
            {
                var row = d.Keys.ToDictionary(k => Camel(k.Key), object? (k) => k.Value);
                row["cause"] = Words.Of(d.Cause);
                row["amount"] = d.Amount;
                return row;
            });
        told["rows"] = one.Rows.Select(r => new
        {
            entry = r.Line.Number,
            line = r.Line.Line,
            date = Iso(r.Line.Date),
            kind = r.Line.Kind,
            @event = new { source = r.Line.Source, id = r.Line.ExternalId },
            account = r.Line.Account,
            purpose = r.Line.Purpose,
            party = r.Line.Party,
            cause = Words.Of(r.Cause),
            amount = r.Amount,
            text = r.Line.Text,
            by = r.Line.Who,
            because = r.Line.Because,
        });
        return Results.Json(told);
    }

    private static async Task<IResult> SubledgerAsync(
        HttpContext http,
        string entity,
        string control,
        string? at,
        string? known,
        string? account,
        string? party,
        string? item,
        bool? open,
        string? limit,
        string? after,
        DeskContext desk,
        ReadSubledgers books
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        var of = ControlOf(control, faults);
        DateTime? instant = null;
        if (!string.IsNullOrEmpty(known))
            if (
                DateTimeOffset.TryParse(
                    known,
                    System.Globalization.CultureInfo.InvariantCulture,
                    System.Globalization.DateTimeStyles.AssumeUniversal,
                    out var given
                )
            )
                instant = given.UtcDateTime;
            else
                faults.Add(new Fault("bad-date", "'known' is no instant: write it as 2026-07-01T09:30:00Z.", "known"));
        var most = Count(limit, 500, "limit", faults);
        var from = Count(after, 0, "after", faults);
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var found = await books.RowsAsync(
            visit,
            of,
            new SubledgerQuery(
                day ?? visit.State.Today,
                instant,
                Filter(account),
                Filter(party),
                Filter(item),
                open == true,
                from,
                Math.Clamp(most, 1, 500)
            ),
            http.RequestAborted
        );
        if (found.Result is not { } view)
            return ApiProblem.Of(found);
        if (view.Next is { } next)
            http.Response.Headers["X-Next-After"] = next.ToString(System.Globalization.CultureInfo.InvariantCulture);
        var keys = Subledgers.KeysOf(of);
        return Results.Json(
            view.Rows.Select(r =>
            {
                var row = new Dictionary<string, object?> { ["account"] = r.Account };
                foreach (var key in keys)
                    row[Camel(key)] = r.Of(key);
                row["amount"] = r.Amount;
                row["currency"] = r.Currency;
                row["currencyAmount"] = r.CurrencyAmount;
                row["quantity"] = r.Quantity;
                if (of == Control.Receipts)
                    row["order"] = r.Order;
                row["since"] = Iso(r.Since);
                row["due"] = r.Due is { } due ? Iso(due) : null;
                row["cause"] = r.Cause;
                row["entries"] = r.Entries;
                return row;
            })
        );
    }

    private static async Task<IResult> AgeingAsync(
        HttpContext http,
        string entity,
        string control,
        string? at,
        DeskContext desk,
        ReadSubledgers books
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        var of = ControlOf(control, faults);
        if (faults.Count == 0 && !Subledgers.HasDue(of))
            faults.Add(new Fault("unknown-control", "Only receivables and payables have an age.", "control"));
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var found = await books.AgeingAsync(visit, of, day ?? visit.State.Today, http.RequestAborted);
        return found.Result is { } view
            ? Results.Json(
                view.Rows.Select(r => new
                {
                    party = r.Party.Length == 0 ? null : r.Party,
                    currency = r.Currency,
                    brackets = r.Brackets.Select((amount, i) => new { title = Subledgers.BracketTitle(i), amount }),
                    total = r.Total,
                    @base = r.Base,
                })
            )
            : ApiProblem.Of(found);
    }

    private static async Task<IResult> DocumentsAsync(
        HttpContext http,
        string entity,
        string? party,
        string? reference,
        string? order,
        DeskContext desk,
        ReadSubledgers books
    )
    {
        var (visit, _, wrong) = await EnterAsync(http, entity, null, desk);
        if (visit is null)
            return wrong!;
        if (string.IsNullOrEmpty(reference) == string.IsNullOrEmpty(order))
            return ApiProblem.Result(
                422,
                "What was sent cannot be used",
                [new Fault("missing-field", "Give either a reference or an order, with the party.", "reference")]
            );
        var byOrder = string.IsNullOrEmpty(reference);
        var rows = await books.FootprintAsync(
            visit,
            party ?? "",
            byOrder,
            (byOrder ? order : reference)!,
            http.RequestAborted
        );
        return Results.Json(
            rows.Select(r => new
            {
                @event = new { source = r.Source, id = r.ExternalId },
                entry = r.Entry,
                date = Iso(r.Date),
                kind = r.Kind,
                document = r.Document,
                leaves = r.Leaves,
            })
        );
    }

    private static Control ControlOf(string control, List<Fault> faults)
    {
        if (Words.TryParse<Control>(control, out var of) && of != Control.None)
            return of;
        faults.Add(
            new Fault(
                "unknown-control",
                $"There is no such control; there are {string.Join(", ", TieOuts.Controls.Select(c => Words.Of(c)))}.",
                "control"
            )
        );
        return Control.None;
    }

    private static int Count(string? text, int otherwise, string name, List<Fault> faults)
    {
        if (string.IsNullOrEmpty(text))
            return otherwise;
        if (int.TryParse(text, out var number) && number >= 0)
            return number;
        faults.Add(new Fault("bad-number", $"'{name}' is no number of rows.", name));
        return otherwise;
    }

    private static string? Filter(string? text) => string.IsNullOrEmpty(text) ? null : text;

    private static string Iso(DateOnly day) =>
        day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture);

    private static string Camel<T>(T key)
        where T : struct, Enum => char.ToLowerInvariant(key.ToString()[0]) + key.ToString()[1..];

    private static async Task<IResult> FetchAsync(
        HttpContext http,
        string entity,
        string? at,
        string? control,
        DeskContext desk,
        Desk.Connections.FetchTheirLists fetch
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        Control? of = control is null ? null : ControlOf(control, faults);
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var done = await fetch.RunAsync(http.Actor(), entity, day ?? visit.State.Today, of, http.RequestAborted);
        return done.Result is { } fetched
            ? Results.Json(
                new
                {
                    at = fetched.At.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture),
                    lists = fetched.Lists,
                    errors = fetched.Faults,
                }
            )
            : ApiProblem.Of(done);
    }

    private static async Task<IResult> ListAsync(
        HttpContext http,
        string entity,
        string control,
        string? at,
        string? source,
        DeskContext desk,
        KeepTieOuts keep
    )
    {
        var (visit, day, wrong) = await EnterAsync(http, entity, at, desk);
        if (visit is null)
            return wrong!;
        var faults = new List<Fault>();
        var of = ControlOf(control, faults);
        if (day is null)
            faults.Add(new Fault("missing-field", "'at' is missing: the day of the list.", "at"));
        if (faults.Count > 0)
            return ApiProblem.Result(422, "What was sent cannot be used", faults);
        var body = await BodyReader.WholeAsync(http.Request, Limits.Json, http.RequestAborted);
        if (body is null)
            return ApiProblem.Result(
                413,
                "The body cannot be read",
                [new Fault("too-large", $"The list is larger than {Limits.Json >> 20} MB.")]
            );
        var json = (http.Request.ContentType ?? "").Contains("json", StringComparison.OrdinalIgnoreCase);
        var kept = await keep.ListAsync(visit, of, day!.Value, source ?? "", body, json, http.RequestAborted);
        return kept.Result is { } list
            ? Results.Json(
                new
                {
                    rows = list.Rows,
                    amount = list.Amount,
                    keys = list.Keys.Select(k => Camel(k)),
                }
            )
            : ApiProblem.Of(kept);
    }

    private static Dictionary<string, object?> Told(TieOut of, TheirTieOut? theirs, RecordTie? record = null)
    {
        var told = new Dictionary<string, object?>
        {
            ["control"] = Words.Of(of.Control),
            ["accounts"] = of.Accounts,
            ["ledger"] = of.Ledger,
            ["documents"] = of.Documents,
            ["difference"] = of.Difference,
            ["causes"] = of.Causes.Select(Told),
        };
        if (record is not null)
        {
            told["bookOfRecord"] = record.Amount;
            told["bookOfRecordDifference"] = record.Difference;
            told["bookOfRecordCauses"] = record.Causes.Select(c => new
            {
                cause = Words.Of(c.Cause),
                amount = c.Amount,
                count = c.Count,
            });
        }
        if (theirs is null)
            return told;
        told["theirs"] = theirs.Theirs;
        told["theirsDifference"] = theirs.Difference;
        told["theirsCauses"] = theirs.Causes.Select(c => new
        {
            cause = Words.Of(c.Cause),
            amount = c.Amount,
            count = c.Count,
        });
        return told;
    }

    private static object Told(CauseSum of) =>
        new
        {
            cause = Words.Of(of.Cause),
            amount = of.Amount,
            count = of.Count,
        };

    private static async Task<(Visit? Visit, DateOnly? Day, IResult? Wrong)> EnterAsync(
        HttpContext http,
        string entity,
        string? at,
        DeskContext desk
    )
    {
        var faults = new List<Fault>();
        var day = Endpoints.Day(at, "at", faults);
        if (faults.Count > 0)
            return (null, null, ApiProblem.Result(422, "What was sent cannot be used", faults));
        var entered = await desk.LookAsync(http.Actor(), entity, http.RequestAborted);
        return entered.Refused is null ? (entered.Result.Visit, day, null) : (null, null, ApiProblem.Of(entered));
    }
}
