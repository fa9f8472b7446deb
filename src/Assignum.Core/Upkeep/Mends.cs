using Assignum.Core.Chart;
using Assignum.Core.Checks;
using Assignum.Core.Coverage;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;

namespace Assignum.Core.Upkeep;

/// <summary>
/// Proposes what would make findings go. Each proposal is tried before it is offered: with it the finding is gone and no
/// new one as grave is there; else nothing is offered.
/// </summary>
/// <param name="found">What was found, with this set-up, day and books.</param>
public sealed class Mends(CompiledSetUp compiled, DateOnly today, PostedFacts posted, IReadOnlyList<Finding> found)
{
    private readonly HashSet<string> known = found.Select(f => f.Identity).ToHashSet(StringComparer.Ordinal);

    private SetUp SetUp => compiled.SetUp;

    /// <summary>What makes a finding go; null where nothing is known that does.</summary>
    public Mend? For(Finding finding) => Proposals(finding).FirstOrDefault(m => m.Rows.Count > 0 && Proves(finding, m));

    /// <summary>Whether a mend makes a finding go and adds none as grave.</summary>
    public bool Proves(Finding finding, Mend mend)
    {
        if (Try(mend.Rows) is not { } after)
            return false;
        return after.All(f =>
            f.Identity != finding.Identity && (f.Severity > finding.Severity || known.Contains(f.Identity))
        );
    }

    /// <summary>What would be found with some rows changed; null where they cannot be.</summary>
    public IReadOnlyList<Finding>? Try(IReadOnlyList<RowChange> rows)
    {
        var plan = SetUpEdit.Plan(SetUp, rows, (_, _) => false);
        return plan.Faults.Count > 0 ? null : Findings.Of(new CompiledSetUp(plan.Next, compiled), today, posted);
    }

    private IEnumerable<Mend> Proposals(Finding finding) =>
        finding.Code switch
        {
            "no-default" => MakeDefault(finding),
            "unresolved" => Cover(finding, "none").Concat(MakeDefault(finding)),
            "tripwire-reached" => Cover(finding, "tripwire"),
            "class-unfit"
            or "control-unfit"
            or "account-closed"
            or "tax-unfit"
            or "party-kind-unfit"
            or "currency-unfit" => OtherAccount(finding),
            "record-archived"
            or "never-wins"
            or "changes-nothing"
            or "tripwire-above-default"
            or "idle"
            or "key-unfit"
            or "relief-unfit" => [Remove(finding)],
            "matrix-gap" => LikeNeighbours(finding),
            "hand-entries-open" => [Cells(finding, "Entries by hand are refused there.", ("hand_entries", "refuse"))],
            "tax-direction" => [Cells(finding, "It has no tax code of its own any more.", ("tax_code", null))],
            "account-idle" => [Cells(finding, "They are archived.", ("status", "archived"))],
            "mixed-family" => OneFamily(finding),
            "half-own" => Complete(finding),
            _ => [],
        };

    private static string?[]? RowOf(SetUp setUp, FindingPlace place)
    {
        if (Parts.Find(place.Part) is not { } part)
            return null;
        var cells = new string?[part.Columns.Count];
        foreach (var (column, value) in place.Key)
            cells[part.Columns.ToList().FindIndex(c => c.Name == column)] = value;
        return part.Row(setUp, part.KeyOf(cells));
    }

    private Mend Remove(Finding finding)
    {
        var rows = finding
            .Places.Select(p => (Part: Parts.Find(p.Part)!, Row: RowOf(SetUp, p)))
            .Where(p => p.Row is not null)
            .Select(p => SetUpEdit.Row(p.Part, p.Row, null))
            .ToList();
        return new Mend(rows.Count == 1 ? "The row is deleted." : $"{rows.Count} rows are deleted.", rows);
    }

    private Mend Cells(Finding finding, string says, params (string Column, string? Value)[] cells) =>
        new(
            says,
            [
                .. finding
                    .Places.Select(p => RowOf(SetUp, p))
                    .OfType<string?[]>()
                    .Select(r => SetUpEdit.Row(Parts.Accounts, r, cells.ToDictionary(c => c.Column, c => c.Value))),
            ]
        );

    private IEnumerable<Mend> MakeDefault(Finding finding)
    {
        var purpose = Purposes.Find(finding.Purpose!)!;
        return Suiting(purpose, null, true)
            .Take(5)
            .Select(a => new Mend(
                $"The default of {purpose.Title} is {a.Number} {a.Name}.",
                [New(new Assignment(purpose.Name, a.Number, []))]
            ))
            .Concat(NewDefault(purpose));
    }

    // Where no account suits, one of the purpose's class and subledger, beside others of its class.
    private IEnumerable<Mend> NewDefault(Purpose purpose)
    {
        var cells = NewAccount.For(SetUp, purpose, purpose.Title, out var like);
        if (like is not null)
            yield break;
        var numbers = new ChartNumbers(SetUp.Accounts, SetUp.NumberBands);
        var beside = SetUp
            .Accounts.Where(a => a.Kind == AccountKind.Posting && purpose.Classes.Contains(a.Class))
            .OrderByDescending(a => a.Control != Control.None)
            .ThenByDescending(a => a.Number, StringComparer.Ordinal);
        foreach (var near in beside.Take(5))
        {
            if (numbers.Beside(near.Number) is not { } number)
                continue;
            (cells["number"], cells["class"], cells["parent"]) = (number, Words.Of(near.Class), near.Parent);
            yield return new Mend(
                $"A new account {number} {purpose.Title} is made and is the default.",
                [SetUpEdit.Row(Parts.Accounts, null, cells), New(new Assignment(purpose.Name, number, []))]
            );
        }
    }

    // What falls through, by the fewest assignments: a group for all below it. Each goes where its family is, else where
    // most of the purpose lands.
    private IEnumerable<Mend> Cover(Finding finding, string to)
    {
        var purpose = Purposes.Find(finding.Purpose!)!;
        var uncovered = Uncovered.Of(compiled, purpose).Where(u => u.To == to).ToList();
        if (uncovered.Count is 0 or > 500 || uncovered.Exists(u => u.Key is null))
            yield break;
        var usual = NewAccount.Serving(SetUp, purpose);
        var rows = new List<RowChange>();
        var said = new List<string>();
        foreach (var one in uncovered)
        {
            var account = Suiting(purpose, FamilyOf(one.Dimension, one.Key), false).FirstOrDefault() ?? usual;
            if (account is null || account.Tripwire)
                yield break;
            rows.Add(New(new Assignment(purpose.Name, account.Number, [new KeyPart(one.Dimension, one.Key!)])));
            said.Add($"{one.Key} to {account.Number} {account.Name}");
        }
        yield return new Mend(
            $"{purpose.Title}: {string.Join(", ", said.Take(4))}"
                + $"{(said.Count > 4 ? $" and {said.Count - 4} more" : "")}.",
            rows
        );
    }

    // The family that an item or an item group has by where else it lands.
    private string? FamilyOf(Dimension dimension, string? key)
    {
        if (key is null || dimension is not (Dimension.ItemGroup or Dimension.Item))
            return null;
        var values = default(LegValues);
        if (dimension == Dimension.ItemGroup)
            values[Dimension.ItemGroup] = compiled.Index.OfGroup(Records.GroupKind.Item, key);
        else if (compiled.Item(key) is { } item)
            (values[Dimension.Item], values[Dimension.ItemGroup]) = (item.Number, item.Group);
        foreach (var purpose in new[] { Purposes.Stock, Purposes.CostOfSales, Purposes.SalesRevenue })
            if (
                compiled.Landings.Resolve(purpose, values).Account is { } number
                && compiled.Account(number) is { Tripwire: false, Family: { } family }
            )
                return family;
        return null;
    }

    private IEnumerable<Mend> OtherAccount(Finding finding)
    {
        if (finding.Places is not [var place] || RowOf(SetUp, place) is not { } row)
            return [];
        var purpose = Purposes.Find(finding.Purpose!)!;
        var byDefault = place.Key.Count == 1;
        var now = compiled.Account(finding.Account!);
        string? Key(string column) => place.Key.FirstOrDefault(k => k.Key == column).Value;
        var family = now?.Family
            ?? FamilyOf(Dimension.Item, Key("item"))
            ?? FamilyOf(Dimension.ItemGroup, Key("item_group"));
        return Suiting(purpose, family, byDefault, now)
            .Take(6)
            .Select(a => new Mend(
                $"It names {a.Number} {a.Name} instead.",
                [SetUpEdit.Row(Parts.Assignments, row, new Dictionary<string, string?> { ["account"] = a.Number })]
            ));
    }

    // Accounts that suit a purpose, the nearest first: of the family, under the same heading, used by the purpose, near by
    // number.
    private IEnumerable<Account> Suiting(Purpose purpose, string? family, bool byDefault, Account? near = null)
    {
        var used = SetUp
            .Assignments.Where(a => a.Purpose == purpose.Name)
            .CountBy(a => a.Account, StringComparer.Ordinal)
            .ToDictionary(StringComparer.Ordinal);
        return SetUp
            .Accounts.Where(a => !a.Tripwire && a.Number != near?.Number && Fitness.Of(a, purpose, byDefault) is null)
            .OrderByDescending(a => family is not null && a.Family == family)
            .ThenByDescending(a => near?.Parent is not null && a.Parent == near.Parent)
            .ThenByDescending(a => used.GetValueOrDefault(a.Number))
            .ThenByDescending(a =>
                near is null ? 0 : a.Number.Zip(near.Number).TakeWhile(c => c.First == c.Second).Count()
            )
            .ThenBy(a => a.Number, StringComparer.Ordinal)
            .Where(a => family is null || near is not null || a.Family == family);
    }

    // The code that the same standing has for most categories, else the same category for most standings.
    private IEnumerable<Mend> LikeNeighbours(Finding finding)
    {
        var key = finding.Places[0].Key.ToDictionary(k => k.Key, k => k.Value, StringComparer.Ordinal);
        var direction = key["direction"];
        var cells = SetUp.TaxMatrix.Where(c => Words.Of(c.Direction) == direction).ToList();
        return new[]
        {
            cells.Where(c => c.Standing == key["standing"]),
            cells.Where(c => c.Category == key["category"]),
        }
            .SelectMany(of =>
                of.CountBy(c => c.Code, StringComparer.Ordinal)
                    .OrderByDescending(c => c.Value)
                    .ThenBy(c => c.Key, StringComparer.Ordinal)
                    .Select(c => c.Key)
            )
            .Distinct(StringComparer.Ordinal)
            .Select(code => new Mend(
                $"{key["standing"]} and {key["category"]} get {code}, as its neighbours have.",
                [
                    SetUpEdit.Row(
                        Parts.TaxMatrix,
                        null,
                        new Dictionary<string, string?>
                        {
                            ["standing"] = key["standing"],
                            ["category"] = key["category"],
                            ["direction"] = direction,
                            ["code"] = code,
                        }
                    ),
                ]
            ));
    }

    // The row that decided the odd one gets the account of the family of the two others; where it is wider than these
    // items, their groups get rows of their own.
    private IEnumerable<Mend> OneFamily(Finding finding)
    {
        if (finding.Purpose is null || Purposes.Find(finding.Purpose) is not { } purpose)
            yield break;
        var items = finding
            .Places.Where(p => p.Part == Parts.Items.Name)
            .Select(p => compiled.Item(p.Key[0].Value))
            .OfType<KnownItem>()
            .ToList();
        if (items.Count == 0)
            yield break;
        var values = default(LegValues);
        (values[Dimension.Item], values[Dimension.ItemGroup]) = (items[0].Number, items[0].Group);
        var family = new[] { Purposes.Stock, Purposes.SalesRevenue, Purposes.CostOfSales }
            .Where(p => p != purpose)
            .Select(p => compiled.Landings.Resolve(p, values).Account)
            .OfType<string>()
            .Select(n => compiled.Account(n)?.Family)
            .FirstOrDefault(f => f is not null);
        // Where the ladder below gives the right account, the row is one too many.
        var odd = finding
            .Places.Where(p => p.Part == Parts.Assignments.Name && p.Key.Count > 1)
            .Select(p => RowOf(SetUp, p))
            .OfType<string?[]>()
            .Select(r => SetUpEdit.Row(Parts.Assignments, r, null))
            .ToList();
        if (odd.Count > 0)
            yield return new Mend(
                $"{purpose.Title} of {string.Join(", ", odd.Take(3).Select(r => r.Label))} is deleted: what comes after it "
                    + "is of the family.",
                odd
            );
        foreach (var account in Suiting(purpose, family, false).Take(3))
        {
            var rows = finding
                .Places.Where(p => p.Part == Parts.Assignments.Name)
                .Select(p => RowOf(SetUp, p))
                .OfType<string?[]>()
                .Select(r =>
                    SetUpEdit.Row(
                        Parts.Assignments,
                        r,
                        new Dictionary<string, string?> { ["account"] = account.Number }
                    )
                )
                .ToList();
            if (rows.Count > 0)
                yield return new Mend($"{purpose.Title} lands on {account.Number} {account.Name} there.", rows);
            var groups = items
                .Select(i => i.Item.Group)
                .OfType<string>()
                .Distinct(StringComparer.Ordinal)
                .Select(g => new Assignment(purpose.Name, account.Number, [new KeyPart(Dimension.ItemGroup, g)]))
                .Where(a => Parts.Assignments.Row(SetUp, Parts.Assignments.KeyOf(Parts.CellsOf(a))) is null)
                .Select(New)
                .ToList();
            if (groups.Count > 0)
                yield return new Mend(
                    $"{purpose.Title} of {string.Join(", ", groups.Take(3).Select(g => g.Label))} gets "
                        + $"{account.Number} {account.Name}.",
                    groups
                );
        }
    }

    private IEnumerable<Mend> Complete(Finding finding)
    {
        var group = finding.Places[0].Key.First(k => k.Key == "code").Value;
        var values = default(LegValues);
        values[Dimension.ItemGroup] = compiled.Index.OfGroup(Records.GroupKind.Item, group);
        var purposes = new[] { Purposes.Stock, Purposes.SalesRevenue, Purposes.CostOfSales };
        var family = purposes
            .Select(p => compiled.Landings.Resolve(p, values))
            .Where(l => l is { ByDefault: false, Account: not null })
            .Select(l => compiled.Account(l.Account!)?.Family)
            .FirstOrDefault(f => f is not null);
        if (family is null)
            yield break;
        var rows = new List<RowChange>();
        foreach (var purpose in purposes)
            if (
                compiled.Landings.Resolve(purpose, values).ByDefault
                && Suiting(purpose, family, false).FirstOrDefault() is { } account
            )
                rows.Add(New(new Assignment(purpose.Name, account.Number, [new KeyPart(Dimension.ItemGroup, group)])));
        if (rows.Count > 0)
            yield return new Mend($"{group} gets the accounts of {family} there too.", rows);
    }

    private RowChange New(Assignment assignment) =>
        SetUpEdit.Row(
            Parts.Assignments,
            null,
            Parts.Assignments.Named(Parts.Assignments.Write(SetUp with { Assignments = [assignment] })[0])
        );
}
