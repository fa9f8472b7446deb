using Assignum.Core.Chart;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Tables.Foreign;
using CsCheck;

namespace Assignum.Core.Tests;

/// <summary>Charts of other people's making: how they are read, and what is said of their rows.</summary>
public class ForeignCharts
{
    private static readonly SetUp Empty = SetUpDefaults.Empty(new Entity("NEW", "New", "EUR"));

    // Rows written with | between cells; an empty text is a blank line.
    private static ForeignSheet Table(params string[] rows) =>
        new(
            "",
            [.. rows.Select((r, i) => new ForeignRow(i + 1, [.. r.Split('|').Select(c => new ForeignCell(c))]))],
            []
        );

    private static (ForeignSettings Settings, ForeignReading Reading, ImportPlan Plan) Read(
        ForeignSheet sheet,
        SetUp? current = null,
        Func<ForeignSettings, ForeignSettings>? correct = null
    )
    {
        var settings = ForeignProposal.Of([sheet], current ?? Empty);
        if (correct is not null)
            settings = correct(settings);
        var reading = ForeignReader.Read(sheet, settings, current ?? Empty);
        var plan = SetUpImport.Plan(current ?? Empty, [reading.Sheet], true, (_, _) => false);
        return (settings, reading, plan with { Faults = [.. reading.Faults, .. plan.Faults] });
    }

    private static string[] Accounts(ImportPlan plan) =>
        [
            .. plan
                .Next.Accounts.OrderBy(a => a.Number, StringComparer.Ordinal)
                .Select(a =>
                    $"{a.Number} {a.Name} "
                    + $"{Words.Of(a.Class)}{(a.Kind == AccountKind.Heading ? " heading" : "")}"
                    + $"{(a.Parent is null ? "" : " <" + a.Parent)}"
                    + $"{(a.Control == Control.None ? "" : " " + Words.Of(a.Control))}"
                ),
        ];

    [Fact]
    public void A_table_with_titles_above_other_headers_and_other_words_is_understood()
    {
        var (settings, reading, plan) = Read(
            Table(
                "Moorland Wire Works",
                "",
                "Nominal code|Account title|Account type|Ccy|Comments",
                "1200|Bank current|Cash at bank|EUR|main",
                "1100|Debtors|Trade debtors||",
                "2100|Creditors|Accounts payable||",
                "4000|Sales|Turnover||",
                "5000|Purchases|Direct costs||",
                "7100|Rent|Overheads||"
            )
        );
        settings.HeaderLine.ShouldBe(3);
        settings.Columns.ShouldBe(["number", "name", "class", "currency", "note"]);
        plan.Faults.ShouldBeEmpty();
        Accounts(plan)
            .ShouldBe([
                "1100 Debtors asset receivables",
                "1200 Bank current asset bank",
                "2100 Creditors liability payables",
                "4000 Sales revenue",
                "5000 Purchases cost-of-sales",
                "7100 Rent operating-cost",
            ]);
        plan.Next.Accounts.Single(a => a.Number == "1200")
            .ShouldSatisfyAllConditions(a => a.Currency.ShouldBe("EUR"), a => a.Note.ShouldBe("main"));
        reading.Words.Single(w => w.Word == "Turnover").Sure.ShouldBe(1);
    }

    [Fact]
    public void A_word_that_nobody_knows_is_asked_for_and_what_is_said_of_it_holds()
    {
        var table = Table(
            "Code|Name|Type",
            "10|Wagons|Rolling stuff",
            "11|Horses|Asset",
            "12|Carts|Asset",
            "40|Haulage|Revenue"
        );
        var (settings, reading, plan) = Read(table);
        reading.Words[0].ShouldBe(new ForeignWord("Rolling stuff", 1, "Wagons", new TypeMeaning(null), 0));
        // The numbers beside it say what it probably is; nothing else is guessed.
        plan.Faults.ShouldBeEmpty();
        Read(Table("Code|Name|Type", "90|Wagons|Rolling stuff", "11|Horses|Asset"))
            .Plan.Faults.Single()
            .ShouldSatisfyAllConditions(
                f => f.Row.ShouldBe(2),
                f => f.Message.ShouldContain("choose what 'Rolling stuff' means")
            );
        var said = settings with
        {
            Words = new Dictionary<string, TypeMeaning> { ["rolling stuff"] = new(AccountClass.OtherCost) },
        };
        Accounts(Read(table, null, _ => said).Plan)[0].ShouldBe("10 Wagons other-cost");
    }

    [Fact]
    public void Headings_come_from_a_parent_column_by_number_or_name()
    {
        Accounts(
                Read(
                    Table(
                        "No|Name|Type|Parent",
                        "1|Assets|Asset|",
                        "11|Bank|Asset|1",
                        "12|Till|Asset|Assets",
                        "13|Float|Asset|1 Assets"
                    )
                ).Plan
            )
            .ShouldBe(["1 Assets asset heading", "11 Bank asset <1", "12 Till asset <1", "13 Float asset <1"]);
    }

    [Fact]
    public void Headings_come_from_a_path_and_get_numbers_that_stay_the_next_time()
    {
        var table = Table(
            "Code|Name|Full path|Type",
            "1010|Bank|Assets > Money > Bank|Asset",
            "1020|Till|Assets > Money > Till|Asset",
            "1110|Debtors|Assets > Owed|Asset"
        );
        var (settings, _, plan) = Read(table);
        settings.Shape.ShouldBe(ForeignShape.Path);
        plan.Faults.ShouldBeEmpty();
        Accounts(plan)
            .ShouldBe(
                new[]
                {
                    "1000 Assets asset heading",
                    "1010 Bank asset <10",
                    "10 Money asset heading <1000",
                    "1020 Till asset <10",
                    "1110 Debtors asset <1110-1",
                    "1110-1 Owed asset heading <1000",
                }.Order(StringComparer.Ordinal)
            );
        Read(table, plan.Next).Plan.Changes.ShouldBeEmpty();
    }

    [Fact]
    public void Headings_come_from_indentation_a_depth_or_a_tree_over_columns()
    {
        string[] tree =
        [
            "1 Assets asset heading",
            "10 Money asset heading <1",
            "1001 Bank asset <10",
            "1002 Till asset <10",
            "12 Stock asset <1",
        ];
        Accounts(
                Read(
                    Table(
                        "Code|Name|Type",
                        "1|Assets|Asset",
                        "10|  Money|Asset",
                        "1001|    Bank|Asset",
                        "1002|    Till|Asset",
                        "12|  Stock|Asset"
                    )
                ).Plan
            )
            .ShouldBe(tree.Order(StringComparer.Ordinal));
        Accounts(
                Read(
                    Table(
                        "Code|Name|Type|Level",
                        "1|Assets|Asset|0",
                        "10|Money|Asset|1",
                        "1001|Bank|Asset|2",
                        "1002|Till|Asset|2",
                        "12|Stock|Asset|1"
                    )
                ).Plan
            )
            .ShouldBe(tree.Order(StringComparer.Ordinal));
        var columns = Read(
            Table(
                "Code||||Type",
                "1|Assets|||Asset",
                "10||Money||Asset",
                "1001|||Bank|Asset",
                "1002|||Till|Asset",
                "12||Stock||Asset"
            )
        );
        columns.Settings.Shape.ShouldBe(ForeignShape.Columns);
        Accounts(columns.Plan).ShouldBe(tree.Order(StringComparer.Ordinal));
    }

    [Fact]
    public void A_tree_over_columns_beside_a_name_gives_depth_and_the_name_stays()
    {
        var (settings, _, plan) = Read(
            Table(
                "Code|||Name|Type",
                "1|Assets||Everything owned|Asset",
                "10||Money|Money at hand|Asset",
                "1001||Bank|Bank in town|Asset",
                "12||Stock|Goods|Asset"
            )
        );
        settings.Columns.ShouldContain("name");
        plan.Faults.ShouldBeEmpty();
        plan.Next.Accounts.Select(a => a.Name)
            .ShouldBe(["Everything owned", "Money at hand", "Bank in town", "Goods"], ignoreOrder: true);
        plan.Next.Accounts.Single(a => a.Number == "10").Parent.ShouldBe("1");
    }

    [Fact]
    public void A_class_and_a_group_column_become_headings()
    {
        var (settings, _, plan) = Read(
            Table(
                "Code|Name|Type|Group",
                "1010|Bank|Asset|Money",
                "1020|Till|Asset|Money",
                "1210|Debtors|Asset|Owed to us",
                "1220|Staff loans|Asset|Owed to us"
            )
        );
        settings.Columns[3].ShouldBe(ForeignFields.Path);
        plan.Faults.ShouldBeEmpty();
        var headings = plan
            .Next.Accounts.Where(a => a.Kind == AccountKind.Heading)
            .ToDictionary(a => a.Name, a => a.Number);
        headings.Keys.ShouldBe(["Money", "Owed to us"], ignoreOrder: true);
        plan.Next.Accounts.Single(a => a.Number == "1220").Parent.ShouldBe(headings["Owed to us"]);
    }

    [Fact]
    public void Groups_of_a_few_accounts_of_one_class_are_headings_though_their_types_differ()
    {
        var (settings, reading, plan) = Read(
            Table(
                "No|Title|Type|Group",
                "1110|Bank Cork|Bank account|Money",
                "1120|Till|Cash|Money",
                "1210|Debtors|Trade debtors|Owed to us",
                "2110|Creditors|Accounts payable|Owed by us",
                "2310|Loan|Long-term liability|Owed by us",
                "3110|Capital|Equity|"
            )
        );
        settings.Columns[3].ShouldBe(ForeignFields.Path);
        plan.Faults.ShouldBeEmpty();
        reading
            .Words.Single(w => w.Word == "Bank account")
            .Meaning.ShouldSatisfyAllConditions(
                m => m.Class.ShouldBe(AccountClass.Asset),
                m => m.Control.ShouldBe(Control.Bank)
            );
        plan.Next.Accounts.Single(a => a.Number == "2310")
            .Parent.ShouldBe(plan.Next.Accounts.Single(a => a.Name == "Owed by us").Number);
    }

    [Fact]
    public void Accounts_under_a_heading_of_another_class_move_under_one_of_their_own()
    {
        var (_, reading, plan) = Read(
            Table("No|Name|Type|Parent", "4|Results|Revenue|", "41|Sales|Revenue|4", "61|Rent|Expense|4")
        );
        plan.Faults.ShouldBeEmpty();
        var rent = plan.Next.Accounts.Single(a => a.Number == "61");
        (
            rent.Parent is null || plan.Next.Accounts.Single(a => a.Number == rent.Parent).Class == rent.Class
        ).ShouldBeTrue();
        plan.Next.Accounts.Single(a => a.Number == "41").Parent.ShouldBe("4");
        reading.Notes.ShouldNotBeEmpty();
    }

    [Theory]
    [
        InlineData("Begin-Total", true),
        InlineData("total begin", true),
        InlineData("Sum start", true),
        InlineData("End_Total", false),
        InlineData("totalend", false),
        InlineData("sum closing", false)
    ]
    public void Words_for_a_range_of_totals_are_known_by_their_parts(string word, bool heads)
    {
        var meaning = TypeWords.Of(word).ShouldNotBeNull().Meaning;
        if (heads)
            meaning.Kind.ShouldBe(AccountKind.Heading);
        else
            meaning.LeftOut.ShouldBeTrue();
    }

    [Fact]
    public void Words_for_tax_are_translated_where_a_code_fits_and_asked_for_where_none_does()
    {
        var current = Empty with
        {
            TaxCodes =
            [
                new("S19", "Standard sales", Assignum.Core.Tax.TaxDirection.Output, "S"),
                new("P19", "Standard purchases", Assignum.Core.Tax.TaxDirection.Input, "S"),
            ],
            TaxRates = [new("S19", new DateOnly(2020, 1, 1), 0.19m), new("P19", new DateOnly(2020, 1, 1), 0.19m)],
        };
        var table = Table(
            "No|Name|Type|Tax code|Tax direction",
            "4010|Sales|Revenue|s19|output",
            "4020|More|Revenue|Standard sales|Sales",
            "6010|Rent|Expense|19% input|purchases",
            "6020|Gifts|Expense|Odd words|none"
        );
        var (settings, reading, plan) = Read(table, current);
        settings.Columns.ShouldContain("tax_admits");
        plan.Faults.ShouldHaveSingleItem()
            .ShouldSatisfyAllConditions(
                f => f.Row.ShouldBe(5),
                f => f.Code.ShouldBe("unknown-word"),
                f => f.Message.ShouldContain("Odd words")
            );
        reading.TaxWords.Select(w => (w.Word, w.Meaning)).ShouldContain(("19% input", "P19"));
        var said = Read(table, current, s =>
            s with
            {
                TaxWords = new Dictionary<string, string> { [ForeignSettings.Said("tax_code", "Odd words")] = "" },
            }
        ).Plan;
        said.Faults.ShouldBeEmpty();
        said.Next.Accounts.OrderBy(a => a.Number, StringComparer.Ordinal)
            .Select(a => (a.TaxCode, Words.Of(a.TaxAdmits)))
            .ShouldBe([("S19", "output"), ("S19", "output"), ("P19", "input"), (null, "none")]);
    }

    [Theory]
    [
        InlineData("1,234.50", 1234.50),
        InlineData("1.234,50", 1234.50),
        InlineData("1 234.5", 1234.5),
        InlineData("(12.00)", -12),
        InlineData("12.00-", -12),
        InlineData("12.00 Cr", -12),
        InlineData("12 DR", 12)
    ]
    [
        InlineData("1.234", 1234),
        InlineData("0,5", 0.5),
        InlineData("€ 7.25", 7.25),
        InlineData("1'000.00", 1000),
        InlineData("-3", -3),
        InlineData("1.234.567", 1234567)
    ]
    public void Amounts_are_read_as_people_and_programs_write_them(string text, double amount) =>
        ForeignAmounts.Of(text).ShouldBe((decimal)amount);

    [
        Theory,
        InlineData(""),
        InlineData("abc"),
        InlineData("-"),
        InlineData("1e5"),
        InlineData("12,34,5x"),
        InlineData("99999999999999999999999999999999")
    ]
    public void What_is_no_amount_is_none(string text) => ForeignAmounts.Of(text).ShouldBeNull();

    [Fact]
    public void A_debit_and_a_credit_column_give_balances_and_one_that_is_no_amount_is_said()
    {
        var (_, reading, plan) = Read(
            Table(
                "No|Name|Type|Debit balance|Credit balance",
                "1010|Bank|Asset|1.000|",
                "1020|Till|Asset|2,50|",
                "2010|Loan|Liability||1.002,50"
            )
        );
        plan.Faults.ShouldBeEmpty();
        reading
            .Openings.Select(o => (o.Account, o.Amount, o.Line))
            .ShouldBe([("1010", 1000m, 2), ("1020", 2.5m, 3), ("2010", -1002.5m, 4)]);
        Read(Table("No|Name|Type|Balance", "1010|Bank|Asset|lots", "1020|Till|Asset|5"))
            .Plan.Faults.ShouldHaveSingleItem()
            .Row.ShouldBe(2);
    }

    [Fact]
    public void Headings_come_from_title_rows_and_totals_are_left_out()
    {
        var (settings, reading, plan) = Read(
            Table(
                "Account|Description",
                "|Current assets",
                "1010|Bank",
                "1020|Till",
                "|Total current assets",
                "",
                "|Overheads",
                "Account|Description",
                "6010|Rent",
                "6020|Power",
                "|Total overheads"
            )
        );
        settings.Shape.ShouldBe(ForeignShape.Titles);
        plan.Faults.ShouldBeEmpty();
        // No column says the class: the titles do.
        Accounts(plan)
            .ShouldBe([
                "1000 Current assets asset heading",
                "1010 Bank asset <1000",
                "1020 Till asset <1000",
                "6000 Overheads operating-cost heading",
                "6010 Rent operating-cost <6000",
                "6020 Power operating-cost <6000",
            ]);
        reading.Notes.ShouldContain(n => n.Contains("header is repeated 1 times"));
        reading.Notes.ShouldContain(n => n.Contains("2 rows of totals"));
    }

    [Fact]
    public void Headings_come_from_numbers_and_number_and_name_may_share_a_column()
    {
        var (settings, _, plan) = Read(
            Table(
                "Account|Type",
                "1 Assets|",
                "10 Money|",
                "1001 Bank|Bank",
                "1002 - Till|Cash",
                "4 Income|",
                "4001 Sales|Sales"
            )
        );
        settings.Columns[0].ShouldBe(ForeignFields.NumberAndName);
        Accounts(
                Read(
                    Table(
                        "Account|Type",
                        "1 Assets|",
                        "10 Money|",
                        "1001 Bank|Bank",
                        "1002 - Till|Cash",
                        "4 Income|",
                        "4001 Sales|Sales"
                    ),
                    null,
                    s => s with { Shape = ForeignShape.Numbers }
                ).Plan
            )
            .ShouldBe(
                new[]
                {
                    "1 Assets asset heading",
                    "10 Money asset heading <1",
                    "1001 Bank asset <10 bank",
                    "1002 Till asset <10 bank",
                    "4 Income revenue heading",
                    "4001 Sales revenue <4",
                }.Order(StringComparer.Ordinal)
            );
        Accounts(
                Read(
                    Table(
                        "Nr|Name|Type|Kind",
                        "1000|Assets|Asset|Heading",
                        "1010|Bank|Asset|Posting",
                        "1100|Owed|Asset|Heading",
                        "1110|Debtors|Asset|Posting"
                    )
                ).Plan
            )
            .ShouldBe([
                "1000 Assets asset heading",
                "1010 Bank asset <1000",
                "1100 Owed asset heading <1000",
                "1110 Debtors asset <1100",
            ]);
    }

    [Fact]
    public void What_is_wrong_is_said_by_line_and_nothing_is_half_done()
    {
        (int, string)[] Wrong(params string[] rows) => [.. Read(Table(rows)).Plan.Faults.Select(f => (f.Row, f.Code))];
        Wrong("No|Name|Type", "1|Bank|Asset", "2|Till|Asset", "1|Bank again|Asset").ShouldBe([(4, "duplicate-key")]);
        Wrong("No|Name|Type|Parent", "1|A|Asset|2", "2|B|Asset|1").Select(f => f.Item2).ShouldBe(["cycle", "cycle"]);
        Wrong("No|Name|Type|Parent|Kind", "1|A|Asset||Posting", "2|B|Asset|1|Posting")
            .ShouldContain((3, "not-a-heading"));
        Wrong("No|Name|Type|Parent", "1|A|Asset|9").ShouldBe([(2, "unknown-reference")]);
        Wrong("No|Name|Type|Currency", "1|A|Asset|EUX").ShouldHaveSingleItem().Item1.ShouldBe(2);
        Wrong("No|Name|Type", "1|A|Asset", "|Lost|Asset").ShouldBe([(3, "missing-value")]);
        Wrong("No|Name|Type", "1|A|Asset", "2||Asset").ShouldBe([(3, "missing-value")]);
        Wrong("No|Name|Type|Tax code", "1|A|Asset|S99").ShouldBe([(2, "unknown-word")]);
        Read(Table("Something|Else", "alpha|beta", "gamma|delta"))
            .Plan.Faults.ShouldAllBe(f => f.Code == "missing-column");
        var dated = new ForeignSheet(
            "",
            [
                new(1, [new("No"), new("Name"), new("Type")]),
                new(2, [new("1010"), new("Bank"), new("Asset")]),
                new(3, [new("2010-05-01", ForeignCellKind.Date), new("May"), new("Asset")]),
                new(4, [new("1030"), new("#REF!", ForeignCellKind.Error), new("Asset")]),
            ],
            []
        );
        Read(dated).Plan.Faults.Select(f => (f.Row, f.Code)).ShouldContain((3, "date-for-number"));
        Read(dated).Plan.Faults.Select(f => (f.Row, f.Code)).ShouldContain((4, "cell-error"));
        // A line that its reader leaves out is not looked at.
        Read(dated, null, s => s with { LeftOut = new HashSet<int> { 3, 4 } })
            .Plan.Faults.ShouldBeEmpty();
        Read(Table("Number|Number|Name", "1|2|A"), null, s => s with { Columns = ["number", "number", "name"] })
            .Plan.Faults.ShouldHaveSingleItem()
            .Code.ShouldBe("duplicate-column");
    }

    [Fact]
    public void Blank_and_repeated_headers_are_told_apart_by_what_the_columns_hold()
    {
        var (settings, _, plan) = Read(
            Table(
                "||Name|Name",
                "1010|Asset|Bank|x",
                "1020|Asset|Till|x",
                "4010|Income|Sales|x",
                "4020|Income|Rent received|x"
            )
        );
        settings.Columns.ShouldBe(["number", "class", "name", ""]);
        plan.Faults.ShouldBeEmpty();
        // No header at all: content alone.
        Read(
            Table(
                "1010|Bank account|Asset",
                "1020|Till in the shop|Asset",
                "4010|Sales of wire|Income",
                "4020|Rent received|Income"
            )
        )
            .Settings.ShouldSatisfyAllConditions(
                s => s.HeaderLine.ShouldBe(0),
                s => s.Columns.ShouldBe(["number", "name", "class"])
            );
    }

    [Fact]
    public void What_the_file_does_not_say_stays_on_accounts_that_are_there()
    {
        var now = Empty with
        {
            Accounts =
            [
                new("1010", "Bank", AccountClass.Asset, AccountKind.Posting, Control: Control.Bank, Note: "keep"),
                new("4010", "Sales", AccountClass.Revenue, AccountKind.Posting),
            ],
        };
        var plan = Read(Table("Number|Name", "1010|Harbour bank", "4010|Sales"), now).Plan;
        plan.Changes.ShouldHaveSingleItem().Cells.ShouldBe([("name", "Bank", "Harbour bank")]);
    }

    [
        Theory,
        InlineData("Debtors", "asset", "receivables"),
        InlineData("cash & cash equivalents", "asset", "bank"),
        InlineData("Umsatz", "revenue", ""),
        InlineData("Overhaeds", "operating-cost", ""),
        InlineData("Non-current assets", "asset", ""),
        InlineData("Sundry direct costs", "cost-of-sales", ""),
        InlineData("A/P", "liability", "payables"),
        InlineData("Produits", "revenue", ""),
        InlineData("Profit tax", "income-tax", "")
    ]
    public void Words_for_types_are_translated(string word, string @class, string control)
    {
        var meaning = TypeWords.Of(word)!.Value.Meaning;
        Words.Of(meaning.Class!.Value).ShouldBe(@class);
        (meaning.Control == Control.None ? "" : Words.Of(meaning.Control)).ShouldBe(control);
    }

    [Fact]
    public void Our_own_columns_come_back_as_they_went() =>
        Gen.Int[0, int.MaxValue]
            .Sample(seed =>
            {
                var random = new Random(seed);
                var accounts = new List<Account>();
                for (var i = 0; i < random.Next(1, 40); i++)
                    accounts.Add(
                        new Account(
                            $"{random.Next(1, 9)}{i:000}",
                            "Name " + (char)('A' + random.Next(26)) + i,
                            (AccountClass)(i % 9),
                            random.Next(3) == 0 ? AccountKind.Heading : AccountKind.Posting,
                            accounts
                                .LastOrDefault(a => a.Kind == AccountKind.Heading && a.Class == (AccountClass)(i % 9))
                                ?.Number,
                            random.Next(3) == 0 ? "S" + i : null,
                            (RecordStatus)random.Next(2),
                            (UsualSide)random.Next(3),
                            random.Next(4) == 0 ? "USD" : null,
                            (Control)random.Next(13),
                            (HandEntries)random.Next(3),
                            (PartyKinds)random.Next(8),
                            random.Next(9) == 0,
                            random.Next(3) == 0 ? "fam" : null,
                            (TaxAdmits)random.Next(4),
                            null,
                            random.Next(2) == 0,
                            random.Next(2) == 0,
                            random.Next(3) == 0 ? "a=1 b=2" : null,
                            random.Next(3) == 0 ? "centre=required" : null,
                            random.Next(2) == 0 ? "Some note" : null
                        )
                    );
                var setUp = Empty with { Accounts = accounts };
                var rows = Parts
                    .Accounts.Write(setUp)
                    .Select((r, i) => new ForeignRow(i + 2, [.. r.Select(c => new ForeignCell(c ?? ""))]))
                    .ToList();
                var sheet = new ForeignSheet(
                    "accounts",
                    [new ForeignRow(1, [.. Parts.Accounts.Columns.Select(c => new ForeignCell(c.Name))]), .. rows],
                    []
                );
                var (settings, _, plan) = Read(sheet, Empty);
                settings.Columns.ShouldBe(Parts.Accounts.Columns.Select(c => c.Name));
                plan.Faults.ShouldBeEmpty();
                SetUpImport.Difference(plan.Next, setUp).ShouldBeEmpty();
                Read(sheet, setUp).Plan.Changes.ShouldBeEmpty();
            });

    [Fact]
    public void Whatever_a_table_holds_is_a_chart_or_faults_on_its_lines()
    {
        string[] scraps =
        [
            "",
            "",
            "1",
            "10",
            "1010",
            "Bank",
            "  Till",
            "Assets",
            "Asset",
            "Total",
            "Heading",
            "posting",
            "A > B",
            "x:y",
            "#REF!",
            "\0",
            "Number",
            "Name",
            "Type",
            "Parent",
            "Level",
            "2",
            "yes",
            "EUR",
            "\ud800",
            "É",
            "1010 Bank",
            "'=1",
            new string('9', 30),
            "A\nB",
        ];
        var cell = Gen.Select(Gen.Int[0, scraps.Length - 1], Gen.Int[0, 3])
            .Select(
                (i, k) =>
                    new ForeignCell(
                        scraps[i],
                        k == 3 ? ForeignCellKind.Date
                            : k == 2 && i % 5 == 0 ? ForeignCellKind.Error
                            : ForeignCellKind.Text
                    )
            );
        Gen.Select(cell.Array[0, 6].Array[0, 25], Gen.Int[0, 7], Gen.Int[0, 9999])
            .Sample(
                (cells, shape, salt) =>
                {
                    var sheet = new ForeignSheet("", [.. cells.Select((c, i) => new ForeignRow(i + 1, c))], []);
                    var (settings, reading, plan) = Read(sheet, Charts.Small, s =>
                        salt % 2 == 0
                            ? s
                            : s with
                            {
                                Shape = (ForeignShape)shape,
                                Columns =
                                [
                                    .. s.Columns.Select(
                                        (_, i) => ForeignFields.All[(salt + i * 7) % ForeignFields.All.Count]
                                    ),
                                ],
                            }
                    );
                    foreach (var fault in plan.Faults)
                        fault.Row.ShouldBeInRange(0, cells.Length);
                    if (plan.Faults.Count == 0)
                        SetUpRules.Check(plan.Next).ShouldBeEmpty();
                    else
                        plan.Changes.Count.ShouldBe(reading.Faults.Count == plan.Faults.Count ? plan.Changes.Count : 0);
                },
                iter: Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 500 : 15_000
            );
    }
}
