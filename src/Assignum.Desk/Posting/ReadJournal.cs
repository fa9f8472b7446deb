using System.Text.Json;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Desk.Access;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Posting;

/// <summary>A stored entry with what its page shows beside the entry itself.</summary>
public sealed record StoredEntry(EntryHead Head, EntryDocument Document, string? EventJson);

/// <summary>Reads posted entries and balances.</summary>
public sealed class ReadJournal(DeskContext desk)
{
    /// <summary>Entry heads, a page at a time.</summary>
    public async Task<Outcome<IReadOnlyList<EntryHead>>> HeadsAsync(
        Actor actor,
        string entity,
        EntryQuery query,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<IReadOnlyList<EntryHead>>();
        return new Outcome<IReadOnlyList<EntryHead>>(
            await JournalStore.EntriesAsync(db, state.Id, query, stop),
            null,
            []
        );
    }

    /// <summary>What entries do on one account: debit and credit by entry.</summary>
    public async Task<IReadOnlyDictionary<long, (decimal Debit, decimal Credit)>> OnAccountAsync(
        Visit visit,
        string account,
        IEnumerable<EntryHead> entries,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await JournalStore.OnAccountAsync(db, visit.State.Id, account, [.. entries.Select(e => e.Id)], stop);
    }

    /// <summary>Whole entries, a page at a time, in four queries.</summary>
    public async Task<Outcome<IReadOnlyList<StoredEntry>>> EntriesAsync(
        Actor actor,
        string entity,
        EntryQuery query,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<IReadOnlyList<StoredEntry>>();
        var heads = await JournalStore.EntriesAsync(db, state.Id, query, stop);
        var ids = heads.Select(h => h.Id).ToArray();
        var lines = await JournalStore.LinesAsync(db, state.Id, ids, stop);
        var taxes = await JournalStore.TaxesAsync(db, state.Id, ids, stop);
        var body = heads.Count == 1 ? await JournalStore.EventBodyAsync(db, state.Id, heads[0].Id, stop) : null;
        return new Outcome<IReadOnlyList<StoredEntry>>(
            [.. heads.Select(h => new StoredEntry(h, Document(h, lines[h.Id], taxes[h.Id]), body))],
            null,
            []
        );
    }

    /// <summary>One entry by its number, with what the rungs below those that decided would give in its edition, to
    /// the records of today; null: there is none.</summary>
    public async Task<Outcome<StoredEntry?>> EntryAsync(Visit visit, string number, CancellationToken stop)
    {
        var found = await EntriesAsync(visit.Actor, visit.State.Code, new EntryQuery(Number: number, Limit: 1), stop);
        if (found.Result is not { } entries)
            return found.Pass<StoredEntry?>();
        if (entries is not [var stored, ..])
            return new Outcome<StoredEntry?>(null, null, []);
        var edition = stored.Head.Edition.ToString(System.Globalization.CultureInfo.InvariantCulture);
        if ((await new ViewSetUp(desk).OfAsync(visit, edition, null, stop)).Result is not { SetUp: var setUp })
            return stored;
        return stored with
        {
            Document = stored.Document with
            {
                Lines =
                [
                    .. stored.Document.Lines.Select(l =>
                        l.Purpose is not null && Purposes.Find(l.Purpose) is { } purpose
                            ? l with
                            {
                                Below = () =>
                                    Explanation.Below(
                                        setUp,
                                        purpose,
                                        l.Has,
                                        l.Landing.Unneeded ?? [],
                                        l.Landing.BorrowedFrom
                                    ),
                            }
                            : l
                    ),
                ],
            },
        };
    }

    /// <summary>Debits and credits by account, up to and with a day, each account in the class that it has on that day;
    /// null: all, with the classes of today.</summary>
    public async Task<Outcome<IReadOnlyList<BalanceRow>>> BalancesAsync(
        Actor actor,
        string entity,
        DateOnly? at,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        var entered = await desk.EnterAsync(db, actor, entity, Role.Viewer, false, stop);
        if (entered.Result is not { State: var state } visit)
            return entered.Pass<IReadOnlyList<BalanceRow>>();
        return new Outcome<IReadOnlyList<BalanceRow>>(
            await JournalStore.BalancesAsync(db, state.Id, at, state.DecidesOn(at ?? state.Today), stop),
            null,
            []
        );
    }

    private static EntryDocument Document(
        EntryHead head,
        IEnumerable<StoredLine> lines,
        IEnumerable<StoredTax> taxes
    ) =>
        new(
            head.Number,
            new EventName(head.Source, head.ExternalId),
            head.Date,
            head.Edition,
            head.Currency,
            head.Rate,
            head.Reference,
            [
                .. lines.Select(l => new LineDocument(
                    l.Account,
                    l.AccountNow == l.Account ? null : l.AccountNow,
                    l.AccountName,
                    l.Debit,
                    l.Credit,
                    l.CurrencyDebit,
                    l.CurrencyCredit,
                    l.Purpose,
                    l.Party,
                    l.Item,
                    l.TaxCode,
                    l.Text,
                    l.EventLine,
                    Reasoning(l.Reasoning)
                )
                {
                    Has = l
                        .Reasoning.Values.Where(v => v.Key != "line" && v.Value.Length > 0)
                        .ToDictionary(v => v.Key, v => v.Value[0]),
                }),
            ],
            [
                .. taxes.Select(t => new TaxDocument(
                    t.Code,
                    t.Base,
                    t.Rate,
                    t.Tax,
                    t.DecidedBy,
                    t.EntityBase,
                    t.EntityTax,
                    t.NonDeductible,
                    t.Capital,
                    t.BaseBox,
                    t.TaxBox,
                    t.ReverseBaseBox,
                    t.ReverseTaxBox
                )),
            ],
            head.RemarksJson is null
                ? []
                : JsonSerializer.Deserialize<List<RemarkDocument>>(head.RemarksJson, TraceJson.Settings)!
        );

    // A line whose reasoning is not kept is shown without.
    private static LandingDocument Reasoning(LineReasoning kept) =>
        kept.Trace is not null ? TraceJson.Read(kept.Trace)
        : kept.Pattern is not null ? TraceJson.Read(kept.Pattern, kept.Values, kept.Note)
        : new LandingDocument(null, new Dictionary<string, string>(), [], null, null, null);
}
