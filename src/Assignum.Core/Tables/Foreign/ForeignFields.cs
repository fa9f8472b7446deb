namespace Assignum.Core.Tables.Foreign;

/// <summary>What a column can be taken for, and the headers by which people call it.</summary>
public static class ForeignFields
{
    /// <summary>Fields that are no column of accounts.csv: a number with its name, the way down from the top (in one
    /// column or a heading a column), a depth, a tree spread over columns, balances.</summary>
    public const string NumberAndName = "number-and-name",
        Path = "path",
        Level = "level",
        Tree = "tree",
        Balance = "balance",
        Debit = "debit-balance",
        Credit = "credit-balance";

    /// <summary>The extra fields with what they are.</summary>
    public static readonly IReadOnlyDictionary<string, string> Extra = new Dictionary<string, string>
    {
        [NumberAndName] = "number and name in one",
        [Path] = "path of headings",
        [Level] = "depth in the tree",
        [Tree] = "tree spread over columns",
        [Balance] = "balance: an opening amount",
        [Debit] = "debit balance: an opening amount",
        [Credit] = "credit balance: an opening amount",
    };

    /// <summary>Every field that a column can be taken for, those of accounts.csv first.</summary>
    public static IReadOnlyList<string> All { get; } = [.. Parts.Accounts.Columns.Select(c => c.Name), .. Extra.Keys];

    // General words of bookkeeping for each column, in the languages of our users' spreadsheets.
    private static readonly Dictionary<string, string[]> Headers = new()
    {
        ["number"] =
        [
            "number",
            "no",
            "nr",
            "account number",
            "account no",
            "account code",
            "code",
            "ledger code",
            "gl code",
            "gl account",
            "account id",
            "acct",
            "acct no",
            "nominal code",
            "nominal",
            "konto",
            "kontonummer",
            "konto nr",
            "compte",
            "numero de compte",
            "cuenta",
            "conto",
            "rekening",
            "rekeningnummer",
            "account",
            "id",
            "num",
            "ledger",
            "ledger no",
            "ledger number",
        ],
        ["name"] =
        [
            "name",
            "account name",
            "title",
            "account title",
            "description",
            "account description",
            "label",
            "caption",
            "bezeichnung",
            "kontobezeichnung",
            "kontoname",
            "libelle",
            "intitule",
            "nombre",
            "descrizione",
            "omschrijving",
            "account",
            "text",
            "titel",
            "ledger title",
            "ledger name",
        ],
        ["class"] =
        [
            "class",
            "type",
            "account type",
            "category",
            "account category",
            "classification",
            "account class",
            "group",
            "statement",
            "section",
            "art",
            "kontoart",
            "kontotyp",
            "kategorie",
            "nature",
            "categorie",
            "tipo",
            "soort",
            "kind of account",
            "statement line",
            "financial statement",
        ],
        ["kind"] =
        [
            "kind",
            "posting",
            "posting type",
            "header or detail",
            "detail",
            "postable",
            "is header",
            "heading",
            "is group",
            "summary",
            "account level type",
            "line type",
        ],
        ["parent"] =
        [
            "parent",
            "parent account",
            "parent number",
            "parent code",
            "heading",
            "sub account of",
            "subaccount of",
            "rolls up to",
            "roll up",
            "belongs to",
            "under",
            "summary account",
            "ubergeordnet",
            "oberkonto",
            "compte parent",
            "parent id",
            "master",
        ],
        ["short_code"] =
        [
            "short code",
            "short",
            "alias",
            "abbreviation",
            "kurzel",
            "kurzbezeichnung",
            "mnemonic",
            "search key",
            "nickname",
        ],
        ["status"] =
        [
            "status",
            "active",
            "inactive",
            "blocked",
            "enabled",
            "in use",
            "disabled",
            "archived",
            "aktiv",
            "gesperrt",
            "closed",
        ],
        ["usual_side"] =
        [
            "usual side",
            "normal balance",
            "balance type",
            "debit credit",
            "dr cr",
            "d c",
            "balance side",
            "side",
            "soll haben",
        ],
        ["currency"] =
        [
            "currency",
            "currency code",
            "ccy",
            "curr",
            "wahrung",
            "waehrung",
            "devise",
            "moneda",
            "valuta",
        ],
        ["control"] = ["control", "control account", "subledger", "sub ledger", "ledger type"],
        ["tax_code"] =
        [
            "tax code",
            "vat code",
            "default tax",
            "default tax code",
            "tax",
            "vat",
            "gst code",
            "default vat",
            "steuerschlussel",
            "steuercode",
            "code tva",
            "tax rate",
            "btw code",
        ],
        ["tax_admits"] =
        [
            "tax direction",
            "direction",
            "tax type",
            "vat type",
            "gst type",
            "tax posting type",
            "sales or purchase",
            "input or output",
            "vat posting",
            "tax on",
        ],
        ["family"] = ["family", "product line", "line of business"],
        ["report_codes"] = ["report code", "report codes", "reporting code", "xbrl", "statutory code", "return code"],
        ["note"] =
        [
            "note",
            "notes",
            "comment",
            "comments",
            "remark",
            "remarks",
            "memo",
            "bemerkung",
            "commentaire",
            "use",
            "usage",
            "explanation",
        ],
        [Path] =
        [
            "path",
            "full path",
            "hierarchy",
            "account path",
            "full name",
            "full account name",
            "tree",
            "breadcrumb",
            "structure",
        ],
        [Balance] =
        [
            "balance",
            "closing balance",
            "opening balance",
            "current balance",
            "net balance",
            "balance at date",
            "saldo",
            "endsaldo",
            "solde",
            "balance due",
            "net change",
            "amount",
            "ytd",
            "year to date",
        ],
        [Debit] = ["debit", "debits", "dr", "debit balance", "soll", "debe", "debet", "dare"],
        [Credit] = ["credit", "credits", "cr", "credit balance", "haben", "haber", "avere"],
        [Level] = ["level", "depth", "indent", "indentation", "tier", "ebene", "niveau", "hierarchy level", "outline"],
    };

    // The words of a field in parts, those that can stand within a longer header.
    private static readonly Dictionary<string, (string Plain, string[] Words, string[][] Parts)> Known =
        All.ToDictionary(
            f => f,
            f =>
                Headers.GetValueOrDefault(f, []) is var words
                    ? (Plain(f), words, words.Where(w => w.Length > 3).Select(w => w.Split(' ')).ToArray())
                    : default
        );

    /// <summary>How surely a header means a field, 0 to 1.</summary>
    public static double Says(string header, string field) =>
        Plain(header) is var said ? Says(said, said.Split(' '), field) : 0;

    /// <summary>The field that a header means most surely, and how surely; the first of equals.</summary>
    internal static (string Field, double Says) Surest(string header)
    {
        var said = Plain(header);
        var parts = said.Split(' ');
        return All.Select(f => (Field: f, Says: Says(said, parts, f))).MaxBy(x => x.Says);
    }

    private static double Says(string said, string[] parts, string field)
    {
        if (said.Length == 0)
            return 0;
        var known = Known[field];
        if (said == known.Plain)
            return 1;
        if (Array.IndexOf(known.Words, said) is var at && at >= 0)
            return 1 - Math.Min(0.3, at * 0.005);
        var most = 0.0;
        foreach (var words in known.Parts)
            if (Array.TrueForAll(words, w => Array.IndexOf(parts, w) >= 0))
                most = Math.Max(most, 0.55 + 0.1 * words.Length - 0.03 * (parts.Length - words.Length));
        return most;
    }

    /// <summary>Lower case, without accents, punctuation as spaces.</summary>
    public static string Plain(string text)
    {
        var plain = new System.Text.StringBuilder(text.Length);
        // What is no text at all (half of a surrogate pair, say) cannot be taken apart.
        var apart = text.All(c => !char.IsSurrogate(c)) ? text.Normalize(System.Text.NormalizationForm.FormD) : text;
        foreach (var c in apart)
            if (char.IsLetterOrDigit(c))
                plain.Append(char.ToLowerInvariant(c));
            else if (
                System.Globalization.CharUnicodeInfo.GetUnicodeCategory(c)
                    != System.Globalization.UnicodeCategory.NonSpacingMark
                && plain.Length > 0
                && plain[^1] != ' '
            )
                plain.Append(' ');
        return plain.ToString().TrimEnd();
    }
}
