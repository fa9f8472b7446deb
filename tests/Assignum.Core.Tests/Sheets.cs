using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using CsCheck;
using static Assignum.Core.Tests.Books;

namespace Assignum.Core.Tests;

/// <summary>Views that come back from a spreadsheet, and accounts as people write them.</summary>
public class Sheets
{
    private static readonly HashSet<string> NoChoice = [];

    private static Sheet Back(Part part, IEnumerable<string?[]> rows) =>
        new(
            part,
            Enumerable.Range(0, part.Columns.Count).ToHashSet(),
            [.. rows.Select((r, i) => (i + 2, r.ToArray()))]
        );

    private static string?[] Put(Part part, string?[] row, string column, string? value)
    {
        var cells = row.ToArray();
        cells[part.Columns.ToList().FindIndex(c => c.Name == column)] = value;
        return cells;
    }

    private static SetUp With(Part part, SetUp setUp, string?[] before, string?[]? after) =>
        SetUpEdit
            .Plan(
                setUp,
                [
                    new RowChange(
                        part,
                        after is null ? ChangeKind.Removed : ChangeKind.Changed,
                        part.KeyOf(before),
                        before,
                        after
                    ),
                ],
                (_, _) => false
            )
            .Next;

    [Fact]
    public void What_only_the_sheet_changed_is_wanted_and_what_only_others_changed_stays()
    {
        var part = Parts.Items;
        var taken = part.Write(Shop);
        var gauge = taken.Single(r => r[0] == "GAUGE");
        // Here the name is changed meanwhile; in the sheet the group, and advice is deleted, and there is a new item.
        var here = With(part, Shop, gauge, Put(part, gauge, "name", "Rain gauge, copper"));
        string?[] made = ["NEW", "New", "goods", "yes", "GOODS", null, null, null, null];
        var plan = SheetReturn.Plan(
            here,
            Back(
                part,
                [.. taken.Where(r => r[0] is not ("GAUGE" or "ADVICE")), Put(part, gauge, "group", "GOODS"), made]
            ),
            taken,
            NoChoice
        );
        plan.Conflicts.ShouldBeEmpty();
        plan.Edits.Select(e => (e.Key, e.Kind))
            .ShouldBe(
                [("GAUGE", ChangeKind.Changed), ("NEW", ChangeKind.Added), ("ADVICE", ChangeKind.Removed)],
                ignoreOrder: true
            );
        var next = SetUpEdit.Plan(here, plan.Edits, (_, _) => false).Next;
        next.Items.Single(i => i.Code == "GAUGE")
            .ShouldSatisfyAllConditions(i => i.Name.ShouldBe("Rain gauge, copper"), i => i.Group.ShouldBe("GOODS"));
        // An empty cell of a new row is what nothing means there.
        next.Items.Single(i => i.Code == "NEW").Status.ShouldBe(RecordStatus.Active);
    }

    [Fact]
    public void What_both_changed_differently_is_decided_by_a_person()
    {
        var part = Parts.Items;
        var taken = part.Write(Shop);
        string?[] Row(string code) => taken.Single(r => r[0] == code);
        var here = With(
            part,
            With(part, Shop, Row("GAUGE"), Put(part, Row("GAUGE"), "name", "Here")),
            Row("ADVICE"),
            null
        );
        here = With(part, here, Row("GLASS"), Put(part, Row("GLASS"), "name", "Glass, here"));
        // The sheet: another name for the gauge, another for advice (taken away here), glass deleted (changed here).
        var back = Back(
            part,
            [
                .. taken.Where(r => r[0] is "HOUR" or "CARD"),
                Put(part, Row("GAUGE"), "name", "There"),
                Put(part, Row("ADVICE"), "name", "There"),
            ]
        );
        var open = SheetReturn.Plan(here, back, taken, NoChoice);
        open.Edits.ShouldBeEmpty();
        open.Conflicts.Select(c => (c.Label, c.Column, c.Here, c.Theirs))
            .ShouldBe([
                ("GAUGE", "name", "Here", "There"),
                ("ADVICE", "", null, "There · service · standard"),
                ("GLASS", "", "Glass, here · goods · yes · GOODS · standard · standard · 4", null),
            ]);
        var taking = SheetReturn.Plan(here, back, taken, open.Conflicts.Select(c => c.Id).ToHashSet());
        taking
            .Edits.Select(e => (e.Key, e.Kind))
            .ShouldBe(
                [("GAUGE", ChangeKind.Changed), ("ADVICE", ChangeKind.Added), ("GLASS", ChangeKind.Removed)],
                ignoreOrder: true
            );
        // The same change on both sides is none.
        SheetReturn
            .Plan(
                here,
                Back(
                    part,
                    [
                        .. taken.Where(r => r[0] is "HOUR" or "CARD"),
                        Put(part, Row("GAUGE"), "name", "Here"),
                        Put(part, Row("GLASS"), "name", "Glass, here"),
                    ]
                ),
                taken,
                NoChoice
            )
            .ShouldSatisfyAllConditions(p => p.Conflicts.ShouldBeEmpty(), p => p.Edits.ShouldBeEmpty());
    }

    [Fact]
    public void A_standard_cost_in_the_sheet_is_told_apart_and_taken_only_where_asked()
    {
        var part = Parts.Items;
        var taken = part.Write(Shop);
        var glass = taken.Single(r => r[0] == "GLASS");
        var plan = SheetReturn.Plan(
            Shop,
            Back(
                part,
                [
                    .. taken.Where(r => r[0] != "GLASS"),
                    Put(part, Put(part, glass, "standard_cost", "4.5"), "group", "RAIN"),
                ]
            ),
            taken,
            NoChoice
        );
        plan.Values.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                v => v.Column.ShouldBe("standard_cost"),
                v => (v.From, v.To).ShouldBe((4m, 4.5m))
            );
        SetUpEdit
            .Plan(Shop, plan.Edits, (_, _) => false)
            .Next.Items.Single(i => i.Code == "GLASS")
            .ShouldSatisfyAllConditions(i => i.StandardCost.ShouldBe(4m), i => i.Group.ShouldBe("RAIN"));
        SetUpEdit
            .Plan(Shop, plan.WithValues, (_, _) => false)
            .Next.Items.Single(i => i.Code == "GLASS")
            .StandardCost.ShouldBe(4.5m);
    }

    [Fact]
    public void Without_what_was_taken_out_nothing_goes_and_a_key_twice_is_a_fault()
    {
        var part = Parts.Items;
        var rows = part.Write(Shop);
        var plan = SheetReturn.Plan(
            Shop,
            Back(part, [Put(part, rows[0], "name", "Other"), rows[1], rows[1]]),
            null,
            NoChoice
        );
        plan.Edits.ShouldHaveSingleItem().Kind.ShouldBe(ChangeKind.Changed);
        plan.Faults.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(f => f.Code.ShouldBe("duplicate-key"), f => f.Row.ShouldBe(4));
    }

    [Fact]
    public void Edits_on_both_sides_that_touch_other_cells_all_stand_and_none_is_lost() =>
        Gen.Select(AlwaysHolds.SetUps, Gen.Int[0, int.MaxValue])
            .Sample(
                (setUp, seed) =>
                {
                    var random = new Random(seed);
                    var part = new[] { Parts.Assignments, Parts.Items, Parts.Parties, Parts.Groups }[random.Next(4)];
                    var taken = part.Write(setUp);
                    var (here, sheet) = (new List<string?[]>(), new List<string?[]>());
                    foreach (var row in taken)
                    {
                        string?[]? Changed(string? value) =>
                            random.Next(8) switch
                            {
                                0 => null,
                                < 4 => Put(part, row, part == Parts.Assignments ? "note" : "name", value),
                                _ => row,
                            };
                        if (Changed("here") is { } h)
                            here.Add(h);
                        if (Changed("there") is { } t)
                            sheet.Add(t);
                    }
                    // As it is here now: rows only, so that anything may go.
                    var now = part.Read(setUp, here.Select((r, i) => (i + 2, r)), []);
                    var open = SheetReturn.Plan(now, Back(part, sheet), taken, NoChoice);
                    var all = SheetReturn.Plan(
                        now,
                        Back(part, sheet),
                        taken,
                        open.Conflicts.Select(c => c.Id).ToHashSet()
                    );
                    SetUp Applied(IReadOnlyList<RowChange> edits) =>
                        part.With(now, [.. edits.Select(e => (0, e.Key, e.After))], []);
                    string[] Rows(SetUp of) =>
                        [.. part.Write(of).Select(r => string.Join('|', r)).Order(StringComparer.Ordinal)];
                    // Cell by cell by hand: the sheet's where only it changed, what is here otherwise; with the sheet
                    // winning, the sheet's wherever it changed.
                    string[] ByHand(bool theirs)
                    {
                        var keys = taken
                            .Select(part.KeyOf)
                            .Concat(here.Select(part.KeyOf))
                            .Concat(sheet.Select(part.KeyOf))
                            .Distinct();
                        var was = taken.ToDictionary(part.KeyOf);
                        var (h, t) = (here.ToDictionary(part.KeyOf), sheet.ToDictionary(part.KeyOf));
                        string?[]? Of(string key)
                        {
                            var (w, mine, back) = (was[key], h.GetValueOrDefault(key), t.GetValueOrDefault(key));
                            bool Same(string?[]? a, string?[]? b) =>
                                a is null ? b is null : b is not null && a.AsSpan().SequenceEqual(b);
                            if (Same(back, w))
                                return mine;
                            if (Same(mine, w) || theirs && (mine is null || back is null))
                                return back;
                            if (mine is null || back is null)
                                return mine;
                            return
                            [
                                .. mine.Select((c, i) => back[i] != w[i] && (mine[i] == w[i] || theirs) ? back[i] : c),
                            ];
                        }
                        return
                        [
                            .. keys.Select(Of)
                                .OfType<string?[]>()
                                .Select(r => string.Join('|', r))
                                .Order(StringComparer.Ordinal),
                        ];
                    }
                    Rows(Applied(open.Edits)).ShouldBe(ByHand(false));
                    Rows(Applied(all.Edits)).ShouldBe(ByHand(true));
                },
                iter: 300
            );

    [Fact]
    public void An_account_is_found_by_what_people_call_it()
    {
        Account[] chart =
        [
            new("1", "Assets", AccountClass.Asset, AccountKind.Heading),
            new("14", "Stock", AccountClass.Asset, AccountKind.Heading, "1"),
            new("1410", "Instruments", AccountClass.Asset, AccountKind.Posting, "14", "INS"),
            new("4", "Revenue", AccountClass.Revenue, AccountKind.Heading),
            new("4010", "Instruments", AccountClass.Revenue, AccountKind.Posting, "4"),
            new("4020", "Spares / parts", AccountClass.Revenue, AccountKind.Posting, "4"),
            new("4100", "Stock", AccountClass.Revenue, AccountKind.Posting, "4"),
        ];
        var words = new AccountWords(chart);
        string? Find(string text) => words.Find(text, out _);
        (
            Find("1410"),
            Find(" ins "),
            Find("Spares / parts"),
            Find("Assets › Stock › Instruments"),
            Find("revenue > instruments"),
            Find("1 / 14 / Instruments"),
            Find("4010 Instruments"),
            Find("Assets > Instruments")
        ).ShouldBe(("1410", "1410", "4020", "1410", "4010", "1410", "4010", "1410"));
        // A posting account before a heading of the same name.
        Find("Stock").ShouldBe("4100");
        Find("Instruments").ShouldBeNull();
        words.Find("Instruments", out var why);
        why.ShouldBe("'Instruments' may be 1410 Instruments or 4010 Instruments: write the number.");
        words.Find("Assets > Spares / parts", out why).ShouldBeNull();
        why.ShouldContain("does not exist");
        // Whatever a list shows as its path finds it again.
        foreach (var account in chart.Where(a => !a.Name.Contains('/', StringComparison.Ordinal) && a.Number != "14"))
            Find(words.PathOf(account))
                .ShouldBe(
                    account.Parent is null && account.Kind == AccountKind.Heading ? account.Number : account.Number
                );
    }

    [Fact]
    public void Whatever_is_typed_for_an_account_is_an_account_or_a_reason() =>
        Gen.Select(AlwaysHolds.SetUps, Gen.String)
            .Sample(
                (setUp, text) =>
                {
                    var found = new AccountWords(setUp.Accounts).Find(text, out var why);
                    (found is null).ShouldBe(why.Length > 0);
                    if (found is not null)
                        setUp.Accounts.ShouldContain(a => a.Number == found);
                },
                iter: 500
            );

    [Fact]
    public void Accounts_that_every_event_would_refuse_are_refused_where_they_are_written()
    {
        RowChange Write(Purpose purpose, string account) =>
            SetUpEdit.Row(
                Parts.Assignments,
                null,
                new Dictionary<string, string?>
                {
                    ["purpose"] = purpose.Name,
                    ["account"] = account,
                    ["item_group"] = "RAIN",
                }
            );
        var said = UnfitEdits
            .Refused(
                Shop,
                [
                    Write(Purposes.Stock, "4000"),
                    Write(Purposes.SalesRevenue, "4010"),
                    Write(Purposes.SalesRevenue, "1200"),
                    Write(Purposes.Stock, "1200"),
                ]
            )
            .ToList();
        said.Select(s => s.Edit).ShouldBe([0, 2, 3]);
        said[0].Message.ShouldBe("Account 4000 is of class revenue; stock takes asset.");
        // A tripwire may stand as a default, and nowhere else.
        var setUp = Shop with
        {
            Accounts = [.. Shop.Accounts, Account("9999", AccountClass.OperatingCost) with { Tripwire = true }],
        };
        UnfitEdits
            .Refused(
                setUp,
                [
                    SetUpEdit.Row(
                        Parts.Assignments,
                        null,
                        new Dictionary<string, string?> { ["purpose"] = "stock", ["account"] = "9999" }
                    ),
                ]
            )
            .ShouldBeEmpty();
        UnfitEdits.Refused(setUp, [Write(Purposes.SalesRevenue, "9999")]).ShouldHaveSingleItem();
    }
}
