using System.Globalization;
using Assignum.Core.Calendar;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tax;

namespace Assignum.Core.Tables;

/// <summary>Every part of a set-up, in the order of the bundle.</summary>
public static class Parts
{
    public static readonly Part Entity = new Part<Entity>(
        "entity",
        HeldBy.Records,
        [
            Key("code"),
            Need("name"),
            Need("currency"),
            YesNo("tax_registered", "yes"),
            Text("fiscal_year_start"),
            Text("time_zone"),
        ],
        s => [s.Entity],
        (s, rows) => rows.Count == 0 ? s : s with { Entity = rows[0] },
        r => ReadEntity(r),
        e => [e.Code, e.Name, e.Currency, Yes(e.TaxRegistered), e.FiscalYearStart, e.TimeZone]
    );

    public static readonly Part Periods = new Part<Period>(
        "periods",
        HeldBy.Records,
        [
            Key("from", CellType.Date),
            Key("to", CellType.Date),
            new("status", CellType.Word, false, true, ["open", "closed"]),
        ],
        s => s.Periods,
        (s, rows) => s with { Periods = rows },
        r => new Period(r.Date("from"), r.Date("to"), r.Word<PeriodStatus>("status") == PeriodStatus.Closed),
        p => [Day(p.From), Day(p.To), p.Closed ? "closed" : "open"]
    );

    public static readonly Part NumberBands = new Part<NumberBand>(
        "number-bands",
        HeldBy.Records,
        [Word<AccountClass>("class", key: true), Key("from"), Key("to")],
        s => s.NumberBands,
        (s, rows) => s with { NumberBands = rows },
        r => new NumberBand(r.Word<AccountClass>("class"), r.Need("from"), r.Need("to")),
        b => [Words.Of(b.Class), b.From, b.To]
    );

    public static readonly Part Accounts = AccountPart.Define();

    /// <summary>Columns of an account that, once it is in use, only a draft changes; the others are records.</summary>
    public static IReadOnlySet<string> AccountColumnsHeld => AccountPart.HeldColumns;

    public static readonly Part ReliefAccounts = new Part<ReliefAccount>(
        "relief-accounts",
        HeldBy.Edition,
        [Key("account"), Key("relief"), Text("label")],
        s => s.ReliefAccounts,
        (s, rows) => s with { ReliefAccounts = rows },
        r => new ReliefAccount(r.Need("account"), r.Need("relief"), r.Text("label")),
        a => [a.Account, a.Relief, a.Label]
    );

    public static readonly Part Groups = new Part<LandingGroup>(
        "groups",
        HeldBy.Edition,
        [Word<GroupKind>("kind", key: true), Key("code"), Need("name"), Text("parent")],
        s => s.Groups,
        (s, rows) => s with { Groups = rows },
        r => new LandingGroup(r.Word<GroupKind>("kind"), r.Need("code"), r.Need("name"), r.Text("parent")),
        g => [Words.Of(g.Kind), g.Code, g.Name, g.Parent]
    );

    public static readonly Part Items = new Part<Item>(
        "items",
        HeldBy.Records,
        [
            Key("code"),
            Need("name"),
            Word<ItemNature>("nature", required: true),
            YesNo("stocked", "no"),
            Text("group"),
            Text("tax_category"),
            Word<Costing>("costing", unset: "average"),
            Number("standard_cost"),
            Word<RecordStatus>("status", unset: "active"),
        ],
        s => s.Items,
        (s, rows) => s with { Items = rows },
        ReadItem,
        i =>
            [
                i.Code,
                i.Name,
                Words.Of(i.Nature),
                Yes(i.Stocked),
                i.Group,
                i.TaxCategory,
                Words.Of(i.Costing),
                Num(i.StandardCost),
                Words.Of(i.Status),
            ]
    );

    public static readonly Part Parties = new Part<Party>(
        "parties",
        HeldBy.Records,
        [
            Key("code"),
            Need("name"),
            Word<PartyKind>("kind", required: true),
            Text("customer_group"),
            Text("supplier_group"),
            Text("tax_standing"),
            Text("tax_number"),
            Text("country"),
            Text("currency"),
            Word<RecordStatus>("status", unset: "active"),
        ],
        s => s.Parties,
        (s, rows) => s with { Parties = rows },
        r => new Party(
            r.Need("code"),
            r.Need("name"),
            r.Word<PartyKind>("kind"),
            r.Text("customer_group"),
            r.Text("supplier_group"),
            r.Text("tax_standing"),
            r.Text("tax_number"),
            r.Text("country"),
            r.Currency("currency"),
            r.Word<RecordStatus>("status")
        ),
        p =>
            [
                p.Code,
                p.Name,
                Words.Of(p.Kind),
                p.CustomerGroup,
                p.SupplierGroup,
                p.TaxStanding,
                p.TaxNumber,
                p.Country,
                p.Currency,
                Words.Of(p.Status),
            ]
    );

    public static readonly Part Locations = Plain(
        "locations",
        s => s.Locations,
        (s, rows) => s with { Locations = rows }
    );
    public static readonly Part Channels = Plain("channels", s => s.Channels, (s, rows) => s with { Channels = rows });
    public static readonly Part Methods = Plain("methods", s => s.Methods, (s, rows) => s with { Methods = rows });
    public static readonly Part Reasons = Plain("reasons", s => s.Reasons, (s, rows) => s with { Reasons = rows });

    public static readonly Part Projects = new Part<Project>(
        "projects",
        HeldBy.Records,
        [
            Key("code"),
            Need("name"),
            Text("parent"),
            Text("group"),
            Text("customer"),
            Word<Recognise>("recognise"),
            Word<RecordStatus>("status", unset: "active"),
        ],
        s => s.Projects,
        (s, rows) => s with { Projects = rows },
        r => new Project(
            r.Need("code"),
            r.Need("name"),
            r.Text("parent"),
            r.Text("group"),
            r.Text("customer"),
            r.Text("recognise") is null ? null : r.Word<Recognise>("recognise"),
            r.Word<RecordStatus>("status")
        ),
        p =>
            [
                p.Code,
                p.Name,
                p.Parent,
                p.Group,
                p.Customer,
                p.Recognise is { } v ? Words.Of(v) : null,
                Words.Of(p.Status),
            ]
    );

    public static readonly Part DimensionValues = new Part<DimensionValue>(
        "dimension-values",
        HeldBy.Records,
        [Key("dimension"), Key("code"), Need("name")],
        s => s.DimensionValues,
        (s, rows) => s with { DimensionValues = rows },
        r => new DimensionValue(r.Need("dimension"), r.Need("code"), r.Need("name")),
        v => [v.Dimension, v.Code, v.Name]
    );

    private static readonly string[] TaxCategories = ["S", "Z", "E", "AE", "K", "G", "O"];

    public static readonly Part TaxCodes = new Part<TaxCode>(
        "tax-codes",
        HeldBy.Edition,
        [
            Key("code"),
            Need("name"),
            Word<TaxDirection>("direction", required: true),
            new("category", CellType.Word, false, true, TaxCategories),
            YesNo("reverse_charge", "no"),
            Number("deductible"),
            Text("base_box"),
            Text("tax_box"),
            Text("reverse_base_box"),
            Text("reverse_tax_box"),
            Text("capital_base_box"),
            Text("capital_tax_box"),
            Text("authority"),
        ],
        s => s.TaxCodes,
        (s, rows) => s with { TaxCodes = rows },
        ReadTaxCode,
        c =>
            [
                c.Code,
                c.Name,
                Words.Of(c.Direction),
                c.Category,
                Yes(c.ReverseCharge),
                Num(c.Deductible),
                c.BaseBox,
                c.TaxBox,
                c.ReverseBaseBox,
                c.ReverseTaxBox,
                c.CapitalBaseBox,
                c.CapitalTaxBox,
                c.Authority,
            ]
    );

    public static readonly Part TaxRates = new Part<TaxRate>(
        "tax-rates",
        HeldBy.Edition,
        [Key("code"), Key("from", CellType.Date), new("rate", CellType.Number, false, true, [])],
        s => s.TaxRates,
        (s, rows) => s with { TaxRates = rows },
        r => new TaxRate(r.Need("code"), r.Date("from"), r.Number("rate", 0, 10) ?? 0),
        t => [t.Code, Day(t.From), Num(t.Rate)]
    );

    public static readonly Part TaxMatrix = new Part<TaxMatrixCell>(
        "tax-matrix",
        HeldBy.Edition,
        [Key("standing"), Key("category"), Word<TaxDirection>("direction", key: true), Need("code")],
        s => s.TaxMatrix,
        (s, rows) => s with { TaxMatrix = rows },
        r => new TaxMatrixCell(
            r.Need("standing"),
            r.Need("category"),
            r.Word<TaxDirection>("direction"),
            r.Need("code")
        ),
        c => [c.Standing, c.Category, Words.Of(c.Direction), c.Code]
    );

    public static readonly Part Policies = new Part<PolicyRow>(
        "policies",
        HeldBy.Edition,
        [Key("policy"), Need("value")],
        s => s.Policies,
        (s, rows) => s with { Policies = rows },
        ReadPolicy,
        p => [p.Policy, p.Value]
    );

    public static readonly Part Ladders = new Part<LadderRow>(
        "ladders",
        HeldBy.Edition,
        [Key("purpose"), Key("position", CellType.Whole), Need("rung")],
        s => s.Ladders,
        (s, rows) => s with { Ladders = rows },
        ReadLadder,
        l => [l.Purpose, l.Position.ToString(CultureInfo.InvariantCulture), l.Rung.Name],
        l => (l.Purpose, l.Position)
    );

    public static readonly Part Borrows = new Part<Borrow>(
        "borrows",
        HeldBy.Edition,
        [Key("purpose"), Need("from")],
        s => s.Borrows,
        (s, rows) => s with { Borrows = rows },
        r => Purpose(r, "purpose") is { } p && Purpose(r, "from") is { } f ? new Borrow(p, f) : null,
        b => [b.Purpose, b.From]
    );

    public static readonly Part Assignments = AssignmentPart.Define();

    /// <summary>An assignment as canonical cells of <see cref="Assignments"/>.</summary>
    public static string?[] CellsOf(Assignment assignment) => AssignmentPart.Write(assignment);

    public static readonly Part Crosswalk = new Part<CrosswalkRow>(
        "crosswalk",
        HeldBy.Edition,
        [Key("account"), new("balance", CellType.Word, true, true, ["debit", "credit", "any"]), Need("group_account")],
        s => s.Crosswalk,
        (s, rows) => s with { Crosswalk = rows },
        r => new CrosswalkRow(
            r.Need("account"),
            Words.Of(r.Word<CrosswalkBalance>("balance")),
            r.Need("group_account")
        ),
        c => [c.Account, c.Balance, c.GroupAccount]
    );

    public static readonly Part Pairings = new Part<PairingRow>(
        "pairings",
        HeldBy.Records,
        [
            Key("connection"),
            Word<PairedRecord>("record", key: true),
            Key("theirs"),
            // Several accounts of ours may go to one of a ledger's.
            Text("ours", key: true),
            new("state", CellType.Word, false, false, ["paired", "not-needed"]),
            Text("note"),
        ],
        s => s.Pairings,
        (s, rows) => s with { Pairings = rows },
        r => new PairingRow(
            r.Need("connection"),
            Words.Of(r.Word<PairedRecord>("record")),
            r.Need("theirs"),
            r.Text("ours"),
            r.Text("state") is null ? null : Words.Of(r.Word<PairingState>("state")),
            r.Text("note")
        ),
        p => [p.Connection, p.Record, p.Theirs, p.Ours, p.State, p.Note]
    );

    /// <summary>Every part; references point to parts that come earlier or to the same part.</summary>
    public static IReadOnlyList<Part> All { get; } =
    [
        Entity,
        Periods,
        NumberBands,
        TaxCodes,
        TaxRates,
        TaxMatrix,
        Accounts,
        ReliefAccounts,
        Groups,
        Items,
        Parties,
        Locations,
        Channels,
        Methods,
        Reasons,
        Projects,
        DimensionValues,
        Policies,
        Ladders,
        Borrows,
        Assignments,
        Crosswalk,
        Pairings,
    ];

    /// <summary>The part of that name, or null.</summary>
    public static Part? Find(string name) => All.FirstOrDefault(p => p.Name == name);

    /// <summary>What one row of a part is called: <c>item</c>, <c>party</c>, <c>tax-code</c>.</summary>
    public static string One(Part part) => part == Parties ? "party" : part.Name[..^1];

    /// <summary>Whose codes a column holds; groups of one kind. Null where it holds none, or those of
    /// several.</summary>
    public static (Part Part, GroupKind? Kind)? Refers(Part part, string column) =>
        (part.Name, column) switch
        {
            ("relief-accounts", "account" or "relief") or ("assignments" or "crosswalk", "account") => (Accounts, null),
            ("accounts", "parent") => (Accounts, null),
            ("accounts" or "assignments", "tax_code") or ("tax-rates" or "tax-matrix", "code") => (TaxCodes, null),
            ("items", "group") or ("assignments", "item_group") => (Groups, GroupKind.Item),
            ("parties", "customer_group") => (Groups, GroupKind.Customer),
            ("parties", "supplier_group") => (Groups, GroupKind.Supplier),
            ("projects", "group") or ("assignments", "project_group") => (Groups, GroupKind.Project),
            ("assignments", "item") => (Items, null),
            ("assignments", "party") or ("projects", "customer") => (Parties, null),
            ("assignments", "location") => (Locations, null),
            ("assignments", "channel") => (Channels, null),
            ("assignments", "method") => (Methods, null),
            ("assignments", "reason") => (Reasons, null),
            ("assignments", "project") or ("projects", "parent") => (Projects, null),
            _ => null,
        };

    internal static string Day(DateOnly day) => day.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture);

    internal static string Yes(bool yes) => yes ? "yes" : "no";

    internal static string? Num(decimal? number) => number?.ToString("0.##########", CultureInfo.InvariantCulture);

    internal static Column Key(string name, CellType type = CellType.Text) => new(name, type, true, true, []);

    internal static Column Need(string name) => new(name, CellType.Text, false, true, []);

    internal static Column Text(string name, bool key = false) => new(name, CellType.Text, key, false, []);

    internal static Column Number(string name) => new(name, CellType.Number, false, false, []);

    internal static Column YesNo(string name, string unset) =>
        new(name, CellType.YesNo, false, false, ["yes", "no"], unset);

    internal static Column Word<T>(string name, bool key = false, bool required = false, string? unset = null)
        where T : struct, Enum => new(name, CellType.Word, key, key || required, Words.All<T>(), unset);

    /// <summary>A purpose's name, or null with a fault.</summary>
    internal static string? Purpose(CellReader r, string column)
    {
        var name = r.Text(column);
        if (name is null || Purposes.Find(name) is not null)
            return name;
        r.Fault(
            column,
            "unknown-purpose",
            $"'{(name.Length > 40 ? name[..40] : name)}' is no purpose; did you mean "
                + $"{Nearest.To(name, Purposes.All.Select(p => p.Name))}?"
        );
        return null;
    }

    private static Part<PlainRecord> Plain(
        string name,
        Func<SetUp, IReadOnlyList<PlainRecord>> get,
        Func<SetUp, IReadOnlyList<PlainRecord>, SetUp> with
    ) =>
        new(
            name,
            HeldBy.Records,
            [Key("code"), Need("name")],
            get,
            with,
            r => new PlainRecord(r.Need("code"), r.Need("name")),
            p => [p.Code, p.Name]
        );

    private static Entity ReadEntity(CellReader r)
    {
        var start = r.Text("fiscal_year_start");
        if (
            start is not null
            && !DateOnly.TryParseExact(
                "2001-" + start,
                "yyyy-MM-dd",
                CultureInfo.InvariantCulture,
                DateTimeStyles.None,
                out _
            )
        )
            r.Fault("fiscal_year_start", "bad-date", $"'{start}' is no day of the year: write it as MM-DD.");
        if (r.Text("time_zone") is { } zone && !EntityCalendar.Knows(zone))
            r.Fault(
                "time_zone",
                "unknown-time-zone",
                $"'{zone}' is no time zone: write an IANA name, such as Europe/Dublin."
            );
        return new Entity(
            r.Need("code"),
            r.Need("name"),
            r.Currency("currency") ?? "",
            r.YesNo("tax_registered", true),
            start,
            r.Text("time_zone")
        );
    }

    private static Item ReadItem(CellReader r)
    {
        var nature = r.Word<ItemNature>("nature");
        var stocked = r.YesNo("stocked");
        if (stocked && nature != ItemNature.Goods)
            r.Fault("stocked", "not-goods", "Only goods can be stocked.");
        return new Item(
            r.Need("code"),
            r.Need("name"),
            nature,
            stocked,
            r.Text("group"),
            r.Text("tax_category"),
            r.Word<Costing>("costing"),
            r.Number("standard_cost", 0, 999_999_999_999m),
            r.Word<RecordStatus>("status")
        );
    }

    private static TaxCode ReadTaxCode(CellReader r)
    {
        var category = r.Need("category");
        if (category.Length > 0 && !TaxCategories.Contains(category))
            r.Fault(
                "category",
                "unknown-word",
                $"'{category}' is no category of EN 16931; use {string.Join(", ", TaxCategories)}."
            );
        return new TaxCode(
            r.Need("code"),
            r.Need("name"),
            r.Word<TaxDirection>("direction"),
            category,
            r.YesNo("reverse_charge"),
            r.Number("deductible", 0, 1) ?? 1,
            r.Text("base_box"),
            r.Text("tax_box"),
            r.Text("reverse_base_box"),
            r.Text("reverse_tax_box"),
            r.Text("capital_base_box"),
            r.Text("capital_tax_box"),
            r.Text("authority")
        );
    }

    private static PolicyRow ReadPolicy(CellReader r)
    {
        var (policy, value) = (r.Need("policy"), r.Need("value"));
        if (!SetUps.Policies.Known.TryGetValue(policy, out var values))
            r.Fault(
                "policy",
                "unknown-word",
                $"'{policy}' is no policy; use {string.Join(", ", SetUps.Policies.Known.Keys)}."
            );
        else if (values.Count > 0 && !values.Contains(value))
            r.Fault("value", "unknown-word", $"'{value}' is no value of {policy}; use {string.Join(" or ", values)}.");
        return new PolicyRow(policy, value);
    }

    private static LadderRow? ReadLadder(CellReader r)
    {
        var purpose = Purpose(r, "purpose");
        var position = (int)(r.Number("position", 1, 99) ?? 0);
        var rung = Rung.Parse(r.Need("rung"), out var why);
        if (rung is null)
            r.Fault("rung", "bad-rung", why);
        return purpose is null || rung is null ? null : new LadderRow(purpose, position, rung);
    }

    private enum PeriodStatus
    {
        Open,
        Closed,
    }

    private enum CrosswalkBalance
    {
        Debit,
        Credit,
        Any,
    }

    private enum PairedRecord
    {
        Account,
        TaxCode,
        Party,
        Item,
        Location,
        Channel,
        Method,
        Project,
        Person,
        Reason,
    }

    private enum PairingState
    {
        Paired,
        NotNeeded,
    }
}
