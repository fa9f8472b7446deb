using Assignum.Core.Chart;

namespace Assignum.Core.Tables.Foreign;

/// <summary>What a word for a type means. Without a class the class is found another way, or asked for.</summary>
public sealed record TypeMeaning(
    AccountClass? Class,
    Control Control = Control.None,
    AccountKind? Kind = null,
    bool LeftOut = false
);

/// <summary>Translates words that people use for types of account into classes, subledgers and kinds.</summary>
public static class TypeWords
{
    private static readonly Dictionary<string, TypeMeaning> Known = Table();

    // Longest first: "cost of sales" is looked for before "sales".
    private static readonly (string Word, TypeMeaning Meaning)[] ByLength =
    [
        .. Known.Where(k => k.Key.Length > 3).OrderByDescending(k => k.Key.Length).Select(k => (k.Key, k.Value)),
    ];

    // A word that says the class goes before one that only says that it is an account.
    private static readonly (string Alone, string Many, TypeMeaning Meaning)[] Within =
    [
        .. ByLength
            .OrderByDescending(k => k.Meaning.Class is not null)
            .Select(k => ($" {k.Word} ", $" {k.Word}s ", k.Meaning)),
    ];

    /// <summary>What a word means and how surely: 1 known, 0.7 it has a known word in it, 0.5 it is spelt like one.
    /// Null when nothing is like it.</summary>
    public static (TypeMeaning Meaning, double Sure)? Of(string word)
    {
        var plain = ForeignFields.Plain(word);
        if (plain.Length == 0)
            return null;
        if (Known.TryGetValue(plain, out var meaning))
            return (meaning, 1);
        if (Range(plain) is { } range)
            return (range, 1);
        var padded = $" {plain} ";
        foreach (var (alone, many, its) in Within)
            if (padded.Contains(alone, StringComparison.Ordinal) || padded.Contains(many, StringComparison.Ordinal))
                return (its, 0.7);
        if (plain.Length is < 5 or > 40)
            return null;
        var (near, least) = ((TypeMeaning?)null, plain.Length < 8 ? 2 : 3);
        foreach (var (known, its) in ByLength)
            if (Math.Abs(known.Length - plain.Length) <= 2 && Nearest.Distance(plain, known) is var far && far < least)
                (near, least) = (its, far);
        return near is null ? null : (near, 0.5);
    }

    // Where a range of totals begins and ends, by the parts that words for it have, in whatever order and however they
    // are joined: what begins
    // one heads the accounts after it, what ends one is their sum.
    private static readonly string[] Sums = ["total", "sum", "summe", "somme"],
        Begins = ["begin", "start", "open", "anfang", "debut", "von"],
        Ends = ["end", "close", "closing", "stop", "ende", "fin", "bis"];

    private static TypeMeaning? Range(string plain)
    {
        if (plain.Length > 40 || !Sums.Any(s => plain.Contains(s, StringComparison.Ordinal)))
            return null;
        bool Has(string[] parts) =>
            parts.Any(p =>
                p.Length > 3
                    ? plain.Contains(p, StringComparison.Ordinal)
                    : plain.Split(' ').Contains(p) || Sums.Any(s => plain == p + s || plain == s + p)
            );
        return Has(Begins) ? new TypeMeaning(null, Kind: AccountKind.Heading)
            : Has(Ends) ? new TypeMeaning(null, LeftOut: true)
            : null;
    }

    private static Dictionary<string, TypeMeaning> Table()
    {
        var table = new Dictionary<string, TypeMeaning>(StringComparer.Ordinal);
        void Add(TypeMeaning meaning, params string[] words)
        {
            foreach (var word in words)
                table[word] = meaning;
        }
        void Class(AccountClass c, params string[] words) => Add(new TypeMeaning(c), words);
        void Owned(AccountClass c, Control control, params string[] words) => Add(new TypeMeaning(c, control), words);

        Class(
            AccountClass.Asset,
            "asset",
            "assets",
            "a",
            "current asset",
            "current assets",
            "fixed asset",
            "fixed assets",
            "non current asset",
            "non current assets",
            "other asset",
            "other assets",
            "other current asset",
            "other current assets",
            "long term asset",
            "tangible assets",
            "intangible assets",
            "intangible asset",
            "plant and equipment",
            "property plant and equipment",
            "property",
            "equipment",
            "accumulated depreciation",
            "prepayment",
            "prepayments",
            "prepaid expenses",
            "investments",
            "aktiva",
            "aktivkonto",
            "anlagevermogen",
            "umlaufvermogen",
            "actif",
            "activo",
            "attivo",
            "activa",
            "cash on hand"
        );
        Owned(
            AccountClass.Asset,
            Control.Bank,
            "bank",
            "banks",
            "cash at bank",
            "bank and cash",
            "cash and bank",
            "cash",
            "cash and cash equivalents",
            "cash equivalents",
            "money",
            "banque",
            "banco",
            "kasse"
        );
        Owned(
            AccountClass.Asset,
            Control.Receivables,
            "receivable",
            "receivables",
            "accounts receivable",
            "account receivable",
            "a r",
            "ar",
            "trade receivables",
            "trade debtors",
            "debtors",
            "debtor",
            "debitoren",
            "forderungen",
            "clients",
            "customers"
        );
        Owned(
            AccountClass.Asset,
            Control.Stock,
            "stock",
            "inventory",
            "inventories",
            "stocks",
            "vorrate",
            "stock on hand",
            "inventory asset"
        );
        Class(
            AccountClass.Liability,
            "liability",
            "liabilities",
            "l",
            "current liability",
            "current liabilities",
            "non current liability",
            "non current liabilities",
            "long term liability",
            "long term liabilities",
            "other liability",
            "other current liability",
            "other liabilities",
            "other current liabilities",
            "loan",
            "loans",
            "accruals",
            "accrued liabilities",
            "provisions",
            "provision",
            "credit card",
            "deferred income",
            "passiva",
            "passivkonto",
            "fremdkapital",
            "verbindlichkeiten",
            "passif",
            "pasivo",
            "passivo",
            "passiva",
            "schulden",
            "creditors falling due after one year",
            "taxes payable",
            "payroll liabilities"
        );
        Owned(
            AccountClass.Liability,
            Control.Payables,
            "payable",
            "payables",
            "accounts payable",
            "account payable",
            "a p",
            "ap",
            "trade payables",
            "trade creditors",
            "creditors",
            "creditor",
            "kreditoren",
            "fournisseurs",
            "suppliers"
        );
        Owned(
            AccountClass.Liability,
            Control.Tax,
            "vat",
            "sales tax",
            "vat liability",
            "tax payable",
            "output vat",
            "gst"
        );
        Class(
            AccountClass.Equity,
            "equity",
            "e",
            "q",
            "capital",
            "capital and reserves",
            "owners equity",
            "owner s equity",
            "shareholders equity",
            "shareholders funds",
            "share capital",
            "reserves",
            "retained earnings",
            "eigenkapital",
            "capitaux propres",
            "patrimonio",
            "patrimonio netto",
            "eigen vermogen",
            "funds"
        );
        Class(
            AccountClass.Revenue,
            "revenue",
            "revenues",
            "r",
            "income",
            "i",
            "sales",
            "turnover",
            "operating income",
            "operating revenue",
            "sales revenue",
            "trading income",
            "ertrag",
            "ertrage",
            "erlose",
            "umsatz",
            "produits",
            "ingresos",
            "ricavi",
            "opbrengsten",
            "omzet",
            "profit and loss income"
        );
        Class(
            AccountClass.CostOfSales,
            "cost of sales",
            "cost of goods sold",
            "cogs",
            "cos",
            "cost of goods",
            "direct cost",
            "direct costs",
            "direct expenses",
            "direct expense",
            "purchases",
            "materials",
            "cost of revenue",
            "materialaufwand",
            "wareneinsatz",
            "kostprijs verkopen",
            "achats",
            "c"
        );
        Class(
            AccountClass.OperatingCost,
            "expense",
            "expenses",
            "x",
            "operating expense",
            "operating expenses",
            "operating cost",
            "operating costs",
            "overhead",
            "overheads",
            "administrative expenses",
            "administration",
            "admin expenses",
            "indirect costs",
            "indirect expenses",
            "selling expenses",
            "distribution costs",
            "establishment costs",
            "personnel",
            "payroll",
            "wages",
            "wages and salaries",
            "salaries",
            "staff costs",
            "depreciation",
            "amortisation",
            "running costs",
            "cost",
            "costs",
            "aufwand",
            "aufwendungen",
            "kosten",
            "charges",
            "gastos",
            "costi",
            "costes",
            "personalaufwand",
            "marketing",
            "premises",
            "vehicle expenses",
            "general and administrative"
        );
        Class(
            AccountClass.OtherIncome,
            "other income",
            "other revenue",
            "other revenues",
            "non operating income",
            "finance income",
            "interest income",
            "interest received",
            "sonstige ertrage",
            "autres produits",
            "overige opbrengsten",
            "exchange gains",
            "gains"
        );
        Class(
            AccountClass.OtherCost,
            "other expense",
            "other expenses",
            "other cost",
            "other costs",
            "non operating expense",
            "non operating expenses",
            "finance cost",
            "finance costs",
            "interest expense",
            "interest paid",
            "sonstige aufwendungen",
            "autres charges",
            "exchange losses",
            "losses",
            "exceptional items",
            "extraordinary items"
        );
        Class(
            AccountClass.IncomeTax,
            "income tax",
            "tax on income",
            "tax on profit",
            "corporation tax",
            "corporate tax",
            "taxation",
            "tax expense",
            "income taxes",
            "profit tax",
            "ertragsteuern",
            "impot sur les benefices",
            "tax"
        );
        Add(
            new TypeMeaning(null, Kind: AccountKind.Heading),
            "heading",
            "header",
            "group",
            "summary",
            "parent",
            "title",
            "h",
            "view",
            "titel",
            "gruppe",
            "sammelkonto",
            "rollup"
        );
        Add(
            new TypeMeaning(null, Kind: AccountKind.Posting),
            "posting",
            "detail",
            "p",
            "d",
            "account",
            "regular",
            "leaf",
            "sub account",
            "ledger",
            "postable",
            "konto"
        );
        Add(new TypeMeaning(null, LeftOut: true), "total", "subtotal", "sub total", "sum", "summe", "grand total", "t");
        foreach (var @class in Enum.GetValues<AccountClass>())
            table[ForeignFields.Plain(Words.Of(@class))] = new TypeMeaning(@class);
        return table;
    }
}
