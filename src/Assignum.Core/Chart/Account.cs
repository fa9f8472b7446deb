namespace Assignum.Core.Chart;

/// <summary>Where in the statements an account stands.</summary>
public enum AccountClass
{
    Asset,
    Liability,
    Equity,
    Revenue,
    CostOfSales,
    OperatingCost,
    OtherIncome,
    OtherCost,
    IncomeTax,
}

/// <summary>A posting account takes amounts; a heading only groups the accounts below it.</summary>
public enum AccountKind
{
    Posting,
    Heading,
}

/// <summary>Archived things stay readable and are used no more.</summary>
public enum RecordStatus : byte
{
    Active,
    Archived,
}

/// <summary>The side on which an account usually stands.</summary>
public enum UsualSide
{
    Debit,
    Credit,
    Either,
}

/// <summary>
/// What happens when something other than its own purposes uses a control account, and when anybody writes on an
/// account by hand.
/// Where an account does not say, a control account refuses and any other accepts.
/// </summary>
public enum HandEntries
{
    Refuse,
    Warn,
    Accept,
}

/// <summary>Which directions of tax code an account takes.</summary>
public enum TaxAdmits
{
    Both,
    Input,
    Output,
    None,
}

/// <summary>The subledger that owns a control account; <see cref="None"/> on any other account.</summary>
public enum Control
{
    None,
    Receivables,
    Payables,
    Stock,
    Receipts,
    Production,
    Projects,
    Tax,
    Bank,
    Clearing,
    Deposits,
    GiftCards,
    Intercompany,
}

/// <summary>The kinds of party whose legs an account admits; none set admits all, and on receivables and payables a leg
/// without a party too.</summary>
[Flags]
public enum PartyKinds
{
    All = 0,
    Customers = 1,
    Suppliers = 2,
    Others = 4,
}

/// <summary>A ledger account of one entity. Field by field the row of <c>accounts.csv</c>.</summary>
/// <param name="Number">Unique in the entity; text, not a quantity.</param>
/// <param name="Parent">Number of the heading it stands under, or null at the top.</param>
/// <param name="Currency">ISO 4217; when set, only legs of that currency may land here.</param>
/// <param name="HandEntries">Null: refused on a control account, accepted on any other.</param>
/// <param name="TaxAdmits">None: what lands here without a code of its own is outside tax.</param>
/// <param name="Capital">Purchases that land here feed the tax code's boxes for capital goods.</param>
/// <param name="Tripwire">Anything that lands here raises a finding.</param>
/// <param name="Family">Free word; stock, revenue and cost accounts of one product line share it.</param>
/// <param name="ReportCodes">Space-separated <c>name=code</c> pairs.</param>
/// <param name="DimensionRules">Space-separated <c>dimension=required</c> or <c>=forbidden</c>.</param>
public sealed record Account(
    string Number,
    string Name,
    AccountClass Class,
    AccountKind Kind,
    string? Parent = null,
    string? ShortCode = null,
    RecordStatus Status = RecordStatus.Active,
    UsualSide UsualSide = UsualSide.Either,
    string? Currency = null,
    Control Control = Control.None,
    HandEntries? HandEntries = null,
    PartyKinds PartyKinds = PartyKinds.All,
    bool Tripwire = false,
    string? Family = null,
    TaxAdmits TaxAdmits = TaxAdmits.Both,
    string? TaxCode = null,
    bool Capital = false,
    bool Revalue = false,
    string? ReportCodes = null,
    string? DimensionRules = null,
    string? Note = null
)
{
    /// <summary>Reporting dimensions that must be present on a line of this account.</summary>
    public IReadOnlyList<string> RequiredDimensions => Rules(DimensionRules, "required");

    /// <summary>Reporting dimensions that must be absent from a line of this account.</summary>
    public IReadOnlyList<string> ForbiddenDimensions => Rules(DimensionRules, "forbidden");

    private static string[] Rules(string? text, string rule) =>
        [.. Pairs(text).Where(p => p.Value == rule).Select(p => p.Name)];

    /// <summary>A cell of <c>name=value</c> pairs, blanks between them.</summary>
    public static IEnumerable<(string Name, string Value)> Pairs(string? cell) =>
        (cell ?? "")
            .Split(' ', StringSplitOptions.RemoveEmptyEntries)
            .Select(p => p.Split('=', 2))
            .Where(p => p.Length == 2)
            .Select(p => (p[0], p[1]));
}

/// <summary>A range of numbers that a class uses, both ends inclusive, compared as text of equal length.</summary>
public sealed record NumberBand(AccountClass Class, string From, string To);

/// <summary>Another control account of the same subledger that may be written on a document instead.</summary>
public sealed record ReliefAccount(string Account, string Relief, string? Label);

/// <summary>Sends an account to a group account, by the side of its balance.</summary>
public sealed record CrosswalkRow(string Account, string Balance, string GroupAccount);
