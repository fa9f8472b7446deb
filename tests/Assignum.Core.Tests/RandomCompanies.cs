using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>
/// Companies at random whose books are kept: every purpose lands somewhere, another entity is charged, documents stay
/// open until they are
/// settled, and some accounts are particular about what they take, so that guards have something to refuse.
/// </summary>
internal sealed class RandomCompanies
{
    /// <summary>What guards refuse with.</summary>
    public static readonly IReadOnlySet<string> Refusals = new HashSet<string>
    {
        "account-missing",
        "account-heading",
        "account-archived",
        "tripwire-written",
        "class",
        "control-needed",
        "control-account",
        "hand-entries",
        "party-kind",
        "dimension-required",
        "dimension-forbidden",
        "currency",
        "tax-use",
    };

    private readonly EntryBuilder builder;
    private readonly CompiledSetUp other;
    private readonly Register register = new();
    private readonly Random random;

    private readonly int seed;

    private RandomCompanies(SetUp setUp, int seed)
    {
        (SetUp, this.seed, random) = (setUp, seed, new Random(seed));
        other = new CompiledSetUp(
            Group with
            {
                Entity = new Entity("OTHER", "Other", "EUR"),
                OtherEntities = [setUp.Entity.Code],
            }
        );
        builder = new EntryBuilder(new CompiledSetUp(setUp), (entity, _) => entity == "OTHER" ? other : null, register);
    }

    public SetUp SetUp { get; }

    /// <summary>Companies over the set-ups that <see cref="AlwaysHolds"/> makes.</summary>
    public static Gen<RandomCompanies> All =>
        Gen.Select(AlwaysHolds.SetUps, Gen.Int[0, int.MaxValue])
            .Select((setUp, seed) => new RandomCompanies(Particular(setUp, new Random(seed)), seed));

    /// <summary>The same with policies at random, some not registered for tax.</summary>
    public static Gen<RandomCompanies> Any =>
        Gen.Select(AlwaysHolds.SetUps, Gen.Int[0, int.MaxValue])
            .Select(
                (setUp, seed) =>
                {
                    var random = new Random(seed);
                    var policies = Policies
                        .Known.Where(p => p.Value.Count > 0)
                        .Select(p => new PolicyRow(p.Key, p.Value[random.Next(p.Value.Count)]))
                        .ToList();
                    return new RandomCompanies(
                        Particular(setUp, random) with
                        {
                            Policies = policies,
                            Entity = setUp.Entity with { TaxRegistered = random.Next(5) > 0 },
                        },
                        seed
                    );
                }
            );

    /// <summary>The same company, nothing posted yet, with the rows of every list in another order.</summary>
    public RandomCompanies Shuffled()
    {
        var other = new Random(seed + 1);
        IReadOnlyList<T> Mixed<T>(IReadOnlyList<T> rows) => [.. rows.OrderBy(_ => other.Next())];
        return new RandomCompanies(
            SetUp with
            {
                Accounts = Mixed(SetUp.Accounts),
                Assignments = Mixed(SetUp.Assignments),
                Groups = Mixed(SetUp.Groups),
                Ladders = Mixed(SetUp.Ladders),
                Items = Mixed(SetUp.Items),
                Parties = Mixed(SetUp.Parties),
                Projects = Mixed(SetUp.Projects),
                TaxCodes = Mixed(SetUp.TaxCodes),
                TaxRates = Mixed(SetUp.TaxRates),
                TaxMatrix = Mixed(SetUp.TaxMatrix),
                Borrows = Mixed(SetUp.Borrows),
                Policies = Mixed(SetUp.Policies),
            },
            seed
        );
    }

    /// <summary>The next event that comes, and what is made of it; what is posted stays in the books.</summary>
    public (BusinessEvent Source, EntryResult Result) Next(EventKind kind)
    {
        Before.Clear();
        RetiredSince = false;
        if (kind.Name == "allocation")
            return Allocate(kind);
        if (kind.TurnsBack)
            return TurnBack(kind);
        var source = RandomEvents.Next(random, kind, SetUp, register.Documents);
        return (source, Take(source));
    }

    // Of one party an invoice and a payment on account, at rates of their own, and as much of both moved.
    private (BusinessEvent Source, EntryResult Result) Allocate(EventKind kind)
    {
        for (var turn = 0; ; turn++)
        {
            var invoice = RandomEvents.Next(random, EventKinds.Find("sales-invoice")!, SetUp, []);
            var payment = RandomEvents.Next(random, EventKinds.Find("customer-payment")!, SetUp, []);
            (payment.Party, payment.Settles, payment.Amount) = (invoice.Party, [], 60m);
            if (random.Next(8) > 0)
                (invoice.Currency, invoice.Rate) = ("USD", 0.9m);
            payment.Currency = invoice.Currency;
            payment.Rate = invoice.Rate * (random.Next(12) == 0 ? 1 : 1.02m);
            (payment.DiscountGiven, payment.WriteOff, payment.Fee) = (null, null, null);
            Take(invoice);
            Take(payment);
            Before.AddRange([invoice, payment]);
            OpenDocument? Of(BusinessEvent e) => register.Find(Control.Receivables, e.Party!, e.Reference!);
            var source = RandomEvents.Next(random, kind, SetUp, []);
            (source.Party, source.Currency, source.Rate) = (invoice.Party, invoice.Currency, null);
            source.Side = "customer";
            if (turn < 20 && (Of(invoice) is not { Open: > 0 } || Of(payment) is not { Open: < 0 }))
                continue;
            var (open, paid) = (Of(invoice)?.Open ?? 10, -Of(payment)?.Open ?? 10);
            var amount = random.Next(15) == 0 ? open + paid : Math.Min(open, paid);
            source.Settles =
            [
                new() { Reference = invoice.Reference!, Amount = amount },
                new() { Reference = payment.Reference!, Amount = -amount },
            ];
            // Now and then the account has been retired since.
            RetiredSince = random.Next(10) == 0 && Of(invoice) is not null;
            return (source, RetiredSince ? Retired(Of(invoice)!.Account).Build(source) : Take(source));
        }
    }

    // Whatever was posted is turned back, on its day or later.
    private (BusinessEvent Source, EntryResult Result) TurnBack(EventKind kind)
    {
        for (var turn = 0; ; turn++)
        {
            var of = EventKinds.All[random.Next(EventKinds.All.Count)];
            if (of.MadeHere || of.Name == "allocation")
                continue;
            var first = RandomEvents.Next(random, of, SetUp, register.Documents);
            (first.Source, first.Id) = ("own", $"{seed}-{turn}-{random.Next()}");
            var entry = Take(first) is { Outcome: "posted" } done ? done.Entry : null;
            Before.Add(first);
            if (entry is null && turn < 20)
                continue;
            var source = new BusinessEvent
            {
                Source = "own",
                Id = first.Id + "-back",
                Kind = kind.Name,
                Date = entry?.Reversal is null ? first.Date.AddDays(random.Next(4)) : first.Date,
                Reverses = $"own/{first.Id}",
                Text = "by mistake",
                ReverseOn = entry?.Reversal?.Date,
                Counterparty = entry?.Mirror?.Entity,
            };
            RetiredSince = random.Next(8) == 0 && entry is not null;
            return (source, RetiredSince ? Retired(entry!.Lines[0].Account).Build(source) : Take(source));
        }
    }

    private EntryBuilder Retired(string account) =>
        new(
            new CompiledSetUp(
                SetUp with
                {
                    Accounts =
                    [
                        .. SetUp.Accounts.Select(a =>
                            a.Number == account ? a with { Status = RecordStatus.Archived } : a
                        ),
                    ],
                }
            ),
            (entity, _) => entity == "OTHER" ? other : null,
            register
        );

    /// <summary>Whether the last event met an account that was retired only then.</summary>
    public bool RetiredSince { get; private set; }

    /// <summary>What was taken before the last event so that it has something to move.</summary>
    public List<BusinessEvent> Before { get; } = [];

    /// <summary>Whether a guard refused it.</summary>
    public static bool Guarded(EntryResult result) =>
        result.Entry is { Refused: true } entry
        && entry.Remarks.Any(r => r.Severity == Severity.Error && Refusals.Contains(r.Code));

    /// <summary>What is made of an event that came elsewhere; what is posted stays in the books.</summary>
    public EntryResult Take(BusinessEvent source)
    {
        register.Ledger.Expect($"{source.Source}/{source.Id}");
        var result = builder.Build(source);
        if (result.Outcome == "posted")
        {
            register.Add(result.Entry!);
            register.Ledger.Note(source, result, SetUp.Entity.Currency);
        }
        return result;
    }

    // Defaults everywhere; about one account in ten is particular, others are capital accounts or admit hand entries.
    private static SetUp Particular(SetUp setUp, Random random)
    {
        var have = setUp.Assignments.Select(a => a.Identity).ToHashSet();
        // Accounts of short entries are particular more often than those of long ones, so that of both kinds enough is
        // posted and enough refused.
        static int Often(Account account) =>
            account.Control switch
            {
                Control.None when account.Class == AccountClass.Equity || account.Number is "1270" or "2260" => 28,
                Control.None => 200,
                Control.Payables or Control.Tax or Control.Receipts => 110,
                Control.Bank or Control.Clearing or Control.Intercompany or Control.GiftCards or Control.Deposits => 28,
                _ => 40,
            };
        Account Terms(Account account) =>
            random.Next(Often(account)) switch
            {
                0 => account with { Status = RecordStatus.Archived },
                1 => account with { DimensionRules = "team=required" },
                2 => account with { Currency = "USD" },
                3 => account with { PartyKinds = random.Next(2) == 0 ? PartyKinds.Customers : PartyKinds.Suppliers },
                4 or 5 => account with { TaxAdmits = (TaxAdmits)random.Next(4) },
                6 => account with { HandEntries = HandEntries.Refuse },
                7 or 8 => account with { DimensionRules = "team=forbidden" },
                < 16 => account with { Capital = true },
                _ => account,
            };
        return setUp with
        {
            Policies = [new PolicyRow("cut-off", "on")],
            Accounts =
            [
                .. setUp
                    .Accounts.Select(a => a.Kind == AccountKind.Posting ? Terms(a) : a)
                    .Select(a =>
                        a.Control == Control.None || random.Next(3) > 0
                            ? a
                            : a with
                            {
                                Revalue = true,
                                HandEntries = (HandEntries)random.Next(3),
                            }
                    ),
            ],
            Projects =
            [
                .. setUp.Projects.Select(p =>
                    p.Code == "J1"
                        ? p with
                        {
                            Recognise = random.Next(2) == 0 ? Recognise.ByCostShare : Recognise.OnCompletion,
                        }
                        : p
                ),
            ],
            Parties =
            [
                .. setUp.Parties.Select(
                    (p, i) => p with { Kind = i == 0 ? PartyKind.Both : (PartyKind)random.Next(4) }
                ),
            ],
            Assignments = [.. setUp.Assignments, .. Group.Assignments.Where(a => have.Add(a.Identity))],
        };
    }

    /// <summary>What is open, from the entries so far.</summary>
    private sealed class Register : IOpenDocuments
    {
        private readonly Dictionary<(Control, string, string), OpenDocument> open = [];

        /// <summary>Party, reference and currency of what was posted.</summary>
        public List<(Control Subledger, string Party, string Reference, string Currency)> Documents { get; } = [];

        public void Add(JournalEntry entry)
        {
            foreach (var line in entry.Lines)
            {
                if (
                    line.Document is not (Control.Receivables or Control.Payables)
                    || line.Context.Party is not { } party
                    || (line.Context.Reference ?? entry.Reference) is not { } reference
                )
                    continue;
                var currency = line.DocumentCurrency(entry.Currency);
                var key = (line.Document, party, reference);
                if (!open.TryGetValue(key, out var known))
                    Documents.Add((line.Document, party, reference, currency));
                // Of one reference posted in another currency, the first is what payments see.
                if (known is not null && known.Currency != currency)
                    continue;
                var turn = line.Document == Control.Payables ? -1 : 1;
                open[key] = (known ?? new OpenDocument(line.Account, line.Rate ?? 1, 0, currency)) with
                {
                    Open = (known?.Open ?? 0) + turn * (line.DocumentSigned(entry.Currency) ?? 0),
                    OpenBase = (known?.OpenBase ?? 0) + turn * line.Signed,
                };
            }
        }

        /// <summary>Keeps what events did, so that they can be turned back.</summary>
        public Core.Ledger.DocumentRegister Ledger { get; } = new();

        public PostedBefore? Posted(string name) => Ledger.Posted(name);

        public OpenDocument? Find(Control subledger, string party, string reference) =>
            open.GetValueOrDefault((subledger, party, reference));
    }
}
