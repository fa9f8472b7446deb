using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Landing;

namespace Assignum.Core.Ledger;

/// <summary>What of before events can settle, apply, relieve or correct: what was read, and what came about on the
/// way.</summary>
public sealed class DocumentRegister : IOpenDocuments
{
    private readonly Dictionary<(Control, string, string), Kept> known = [];
    private readonly Dictionary<(Purpose Purpose, string Who, string Item), List<OpenLot>> lots = [];
    private readonly Dictionary<(string Party, string Deposit), List<CarriedTax>> taxes = [];
    private readonly Dictionary<(string? Party, string Reference), CorrectedDocument> corrected = [];
    private readonly Dictionary<string, PostedBefore?> posted = new(StringComparer.Ordinal);
    private long noted;

    /// <summary>What is known of a reference: its latest document, and what is open of it by currency.</summary>
    private sealed class Kept
    {
        public required OpenDocument Latest { get; set; }
        public bool Noted { get; set; }
        public Dictionary<string, (decimal Amount, decimal Base)> Open { get; } = new(1, StringComparer.Ordinal);
    }

    /// <summary>The purposes whose open parts are kept.</summary>
    public static IReadOnlyList<Purpose> OfLots { get; } =
    [
        Purposes.CustomerDeposits,
        Purposes.SupplierDeposits,
        Purposes.OutputTax,
        Purposes.GiftCards,
        Purposes.ReceivedNotInvoiced,
        Purposes.ShippedNotInvoiced,
    ];

    /// <summary>Under which names a part of a purpose is asked for; null: its purpose has none, or it has no such
    /// name.</summary>
    public static (string Who, string Item)? KeyOf(
        Purpose purpose,
        string? party,
        string? channel,
        string? item,
        string reference
    ) =>
        purpose == Purposes.CustomerDeposits || purpose == Purposes.SupplierDeposits
            ? party is null
                ? null
                : (party, "")
            : purpose == Purposes.OutputTax
                ? party is null
                    ? null
                    : (party, reference)
                : purpose == Purposes.GiftCards
                    ? (channel ?? "", "")
                    : purpose == Purposes.ReceivedNotInvoiced
                        ? party is null
                            ? null
                            : (party, item ?? "")
                        : purpose == Purposes.ShippedNotInvoiced
                            ? item is null
                                ? null
                                : ("", item)
                            : null;

    /// <summary>Adds a document of before; once for each currency in which something of it was posted.</summary>
    /// <param name="account">That and <paramref name="rate"/> and <paramref name="currency"/> are of the latest document
    /// of the reference.</param>
    /// <param name="openCurrency">The currency of <paramref name="open"/>.</param>
    /// <param name="open">Debit less credit of all that moved it in that currency.</param>
    /// <param name="openBase">The same in base currency.</param>
    /// <param name="byDefault">It landed on the default of its ladder.</param>
    public void Add(
        Control subledger,
        string party,
        string reference,
        string account,
        decimal rate,
        string currency,
        string openCurrency,
        decimal open,
        decimal openBase,
        bool byDefault
    )
    {
        if (!known.TryGetValue((subledger, party, reference), out var kept))
            known[(subledger, party, reference)] = kept = new Kept
            {
                Latest = new(account, rate, 0, currency, 0, byDefault),
            };
        var (amount, worth) = kept.Open.GetValueOrDefault(openCurrency);
        kept.Open[openCurrency] = (amount + Turn(subledger, open), worth + Turn(subledger, openBase));
    }

    /// <summary>Adds what is open of a purpose from before. What has come about since is older in no case.</summary>
    public void Add(Purpose purpose, string? channel, OpenLot lot)
    {
        if (KeyOf(purpose, lot.Party, channel, lot.Item, lot.Document) is { } key)
            Merge(purpose, key, lot);
    }

    /// <summary>Adds the tax that a deposit of before carried.</summary>
    public void Add(string party, string deposit, CarriedTax tax) => TaxesOf(party, deposit).Add(tax);

    /// <summary>Adds a document of before that is corrected.</summary>
    public void Add(string? party, string reference, CorrectedDocument document) =>
        corrected.TryAdd((party, reference), document);

    /// <inheritdoc/>
    public OpenDocument? Find(Control subledger, string party, string reference) =>
        known.TryGetValue((subledger, party, reference), out var kept)
            ? kept.Latest with
            {
                Open = kept.Open.GetValueOrDefault(kept.Latest.Currency).Amount,
                OpenBase = kept.Open.GetValueOrDefault(kept.Latest.Currency).Base,
            }
            : null;

    /// <inheritdoc/>
    public IReadOnlyList<OpenLot> Lots(Purpose purpose, string who, string item) =>
        lots.GetValueOrDefault((purpose, who, item)) ?? [];

    /// <inheritdoc/>
    public IReadOnlyList<CarriedTax> TaxOf(string party, string deposit) =>
        taxes.GetValueOrDefault((party, deposit)) ?? [];

    /// <inheritdoc/>
    public CorrectedDocument? Corrected(string? party, string reference) =>
        corrected.GetValueOrDefault((party, reference));

    /// <summary>Adds what an event of before did.</summary>
    public void Add(string name, PostedBefore there) => posted[name] = there;

    /// <summary>Says that an event will be turned back: where it comes about on the way, what it did is kept.</summary>
    public void Expect(string name) => posted.TryAdd(name, null);

    /// <inheritdoc/>
    public PostedBefore? Posted(string name) => posted.GetValueOrDefault(name);

    /// <summary>Takes in what an event did, so that a later one sees it as it sees what was posted before.</summary>
    /// <param name="currency">The entity's.</param>
    public void Note(Events.BusinessEvent source, EntryResult result, string currency)
    {
        noted++;
        var name = $"{source.Source}/{source.Id}";
        if (posted.ContainsKey(name))
            posted[name] = PostedOf(source, result, currency);
        if (source.Reverses is { } turned && posted.GetValueOrDefault(turned) is { } there)
            posted[turned] = there with { ReversedBy = name };
        // Of several lines of an entry the first says on which account the document is.
        var opened = new HashSet<(Control, string, string)>();
        if (result.Entry is { } entry)
        {
            foreach (var m in EntryEffects.Of(entry))
                Note(m, entry.Rate, opened);
            NoteTax(source, entry);
            // What is turned back on a later day is turned back for whoever settles then; the days are not looked at.
            if (entry.Reversal is { } reversal)
                foreach (var m in EntryEffects.Of(reversal))
                    Note(m, reversal.Rate, opened);
        }
        foreach (
            var m in EntryEffects.Of(
                result.Quiet,
                source.Currency ?? currency,
                source.Reference ?? $"{source.Source}/{source.Id}"
            )
        )
            Note(m, 1, opened);
    }

    private void Note(SubledgerMovement m, decimal rate, HashSet<(Control, string, string)> opened)
    {
        if (
            m.Purpose is { } purpose
            && KeyOf(purpose, m.Party, m.Context.Channel, m.Context.Item, m.Reference) is { } key
        )
            Merge(
                purpose,
                key,
                new OpenLot(
                    m.Reference,
                    m.Account ?? "",
                    m.ByDefault,
                    m.Rate ?? rate,
                    m.Currency,
                    m.CurrencyAmount ?? 0,
                    m.Amount,
                    m.Quantity,
                    m.Party,
                    purpose == Purposes.OutputTax ? m.TaxCode : m.Context.Item,
                    m.Context.Order,
                    m.Context.Location,
                    long.MaxValue / 2 + noted
                )
            );
        if (m.Document is not (Control.Receivables or Control.Payables) || m.Party is not { } party)
            return;
        var of = (m.Document, party, m.Reference);
        var there = known.TryGetValue(of, out var kept);
        if (m.Kind == MovementKind.Opens && opened.Add(of))
        {
            var latest = new OpenDocument(m.Account!, m.Rate ?? rate, 0, m.Currency, 0, m.ByDefault);
            if (there)
                kept!.Latest = latest;
            else
                known[of] = kept = new Kept { Latest = latest };
        }
        if (kept is null)
            return;
        var (amount, worth) = kept.Open.GetValueOrDefault(m.Currency);
        kept.Open[m.Currency] = (amount + Turn(m.Document, m.CurrencyAmount ?? 0), worth + Turn(m.Document, m.Amount));
    }

    private static PostedBefore PostedOf(Events.BusinessEvent source, EntryResult result, string currency)
    {
        static PostedEntry Of(JournalEntry entry)
        {
            var moved = EntryEffects.Of(entry).ToDictionary(m => m.Line!.Value);
            return new PostedEntry(
                entry.Date,
                entry.Currency,
                entry.Rate,
                [
                    .. entry.Lines.Select(
                        (l, i) =>
                            new PostedLine(
                                l.Account,
                                l.Debit,
                                l.Credit,
                                l.CurrencyDebit,
                                l.CurrencyCredit,
                                l.Rate,
                                l.Purpose,
                                l.TaxCode,
                                l.Text,
                                l.EventLine,
                                l.ByDefault,
                                moved.TryGetValue(i, out var m)
                                    ? l.Context with
                                    {
                                        Reference = m.Reference,
                                        LegCurrency = m.Currency,
                                        Settled =
                                            m.Currency != entry.Currency && m.CurrencyAmount is { } amount
                                                ? (m.Currency, amount)
                                                : null,
                                    }
                                    : l.Context
                            )
                    ),
                ],
                entry.Tax
            );
        }
        var effects = EntryEffects.Of(
            result.Quiet,
            source.Currency ?? currency,
            source.Reference ?? $"{source.Source}/{source.Id}"
        );
        return new PostedBefore(
            result.Entry?.CountsAs ?? source.Kind,
            result.Entry is { } entry ? Of(entry) : null,
            result.Entry?.Reversal?.Date,
            result.Entry?.Mirror is { } mirror ? (mirror.Entity, Of(mirror.Entry)) : null,
            [
                .. result.Quiet.Zip(effects, (q, m) =>
                    q with
                    {
                        Leg = q.Leg with
                        {
                            Context = q.Leg.Context with
                            {
                                Reference = m.Reference,
                                Settled = (m.Currency, m.CurrencyAmount ?? 0),
                            },
                        },
                    }
                ),
            ],
            null
        );
    }

    private void NoteTax(Events.BusinessEvent source, JournalEntry entry)
    {
        if (source.Kind == CarriesTax && source.Party is { } party)
            TaxesOf(party, entry.Document)
                .AddRange(entry.Tax.Select(t => new CarriedTax(t.Code, t.Rate, t.Base, t.Tax)));
        if (entry.Tax.Count > 0 && source.Reference is { } reference && IsCorrected(source.Kind))
            corrected[(source.Party, reference)] = CorrectedOf(
                entry.Currency,
                entry.Rate,
                source.TaxDate ?? source.Date,
                source.Lines.Count,
                entry
                    .Lines.Where(l => l.TaxCode is not null && l.EventLine is not null)
                    .Select(l => (l.EventLine!.Value, l.Context.Item, l.TaxCode!)),
                entry.Tax.Select(t => t.Code)
            );
    }

    /// <summary>The kind whose tax is taken back when it is applied.</summary>
    public static string CarriesTax => "customer-deposit";

    /// <summary>Kinds that corrections correct.</summary>
    public static IReadOnlyList<string> Correctable { get; } = ["sales-invoice", "supplier-invoice", "channel-sale"];

    private static bool IsCorrected(string kind) => Correctable.Contains(kind);

    /// <summary>What a correction asks of a document.</summary>
    /// <param name="lineCount">How many lines it has; what comes after them are its charges.</param>
    /// <param name="lines">Event line, item and tax code of what is taxed.</param>
    /// <param name="codes">All its tax codes.</param>
    public static CorrectedDocument CorrectedOf(
        string currency,
        decimal rate,
        DateOnly taxDate,
        int lineCount,
        IEnumerable<(int Line, string? Item, string Code)> lines,
        IEnumerable<string> codes
    )
    {
        var codeOf = new Dictionary<string, string>(StringComparer.Ordinal);
        foreach (var (line, item, code) in lines)
            if (line >= lineCount)
                codeOf.TryAdd("", code);
            else if (item is not null)
                codeOf.TryAdd(item, code);
        return new CorrectedDocument(currency, rate, taxDate, codeOf, [.. codes.Distinct()]);
    }

    private List<CarriedTax> TaxesOf(string party, string deposit)
    {
        if (!taxes.TryGetValue((party, deposit), out var of))
            taxes[(party, deposit)] = of = [];
        return of;
    }

    // What has one document on one account is one part, however often it moves.
    private void Merge(Purpose purpose, (string Who, string Item) key, OpenLot lot)
    {
        if (!lots.TryGetValue((purpose, key.Who, key.Item), out var of))
            lots[(purpose, key.Who, key.Item)] = of = [];
        var at = of.FindIndex(l =>
            l.Document == lot.Document
            && l.Account == lot.Account
            && l.Currency == lot.Currency
            && l.Item == lot.Item
            && (
                l.Order == lot.Order
                || purpose != Purposes.ReceivedNotInvoiced && purpose != Purposes.ShippedNotInvoiced
            )
        );
        if (at < 0)
        {
            of.Add(lot);
            return;
        }
        var first = of[at].Age <= lot.Age ? of[at] : lot;
        of[at] = first with
        {
            Open = of[at].Open + lot.Open,
            OpenBase = of[at].OpenBase + lot.OpenBase,
            Quantity = of[at].Quantity + lot.Quantity,
        };
    }

    // Open is positive for what a customer owes and for what is owed to a supplier.
    private static decimal Turn(Control control, decimal debit) => control == Control.Payables ? -debit : debit;
}
