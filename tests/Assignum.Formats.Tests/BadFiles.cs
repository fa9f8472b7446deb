using System.IO.Compression;
using System.Text;
using System.Text.Json;
using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Formats.Json;
using Assignum.Formats.Lists;
using CsCheck;

namespace Assignum.Formats.Tests;

/// <summary>Files and JSON as careless and as hostile senders make them: a clear fault each, never an
/// exception.</summary>
public class BadFiles
{
    private static readonly int Times = Environment.GetEnvironmentVariable("ASSIGNUM_LONG") is null ? 1 : 30;

    private static Gen<T> OneOf<T>(params T[] choices) => Gen.Int[0, choices.Length - 1].Select(i => choices[i]);

    internal static MemoryStream Zip(params (string Name, string Text)[] files)
    {
        var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, true))
            foreach (var (name, text) in files)
            {
                using var to = zip.CreateEntry(name).Open();
                to.Write(Encoding.UTF8.GetBytes(text));
            }
        bytes.Position = 0;
        return bytes;
    }

    private static readonly SetUp Empty = SetUpDefaults.Empty(new Entity("E", "E", "EUR"));

    private static List<Fault> Import(params (string Name, string Text)[] files)
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFile(Zip(files), faults);
        faults.AddRange(SetUpImport.Plan(Empty, sheets, false, (_, _) => false).Faults);
        return faults;
    }

    [Theory]
    [InlineData("accounts.csv", "number,name,class,kind\n1000,Cash,treasure,posting\n", 2, "class", "unknown-word")]
    [InlineData(
        "accounts.csv",
        "number,name,class,kind\n1000,Cash,asset,posting\n1000,Cash,asset,posting\n",
        3,
        "number",
        "duplicate-key"
    )]
    [InlineData("accounts.csv", "number,name,class,kind,parent\n1000,Cash,asset,heading,1000\n", 2, "parent", "cycle")]
    [InlineData(
        "accounts.csv",
        "number,name,class,kind,currency\n1000,Cash,asset,posting,DOUBLOON\n",
        2,
        "currency",
        "unknown-currency"
    )]
    [InlineData(
        "accounts.csv",
        "number,name,class,kind,parent\n1000,A,asset,posting,\n1010,B,asset,posting,1000\n",
        3,
        "parent",
        "not-a-heading"
    )]
    [InlineData("accounts.csv", "number,class,kind\n1000,asset,posting\n", 1, "name", "missing-column")]
    [InlineData(
        "accounts.csv",
        "number,name,class,kind,colour\n1000,Cash,asset,posting,red\n",
        2,
        "",
        "unknown-column"
    )]
    [InlineData("accounts.csv", "number,name,class,kind\n1000,Cash,asset\n", 2, "", "ragged-row")]
    [InlineData("accounts.csv", "", 0, "", "empty-file")]
    [InlineData("groups.csv", "kind,code,name,parent\nitem,A,A,B\nitem,B,B,A\n", 2, "parent", "cycle")]
    [InlineData("groups.csv", "kind,code,name,parent\nitem,A,A,NOWHERE\n", 2, "parent", "unknown-reference")]
    [InlineData(
        "items.csv",
        "code,name,nature,stocked,standard_cost\nA,A,goods,yes,1234567890123456789012345678901234567890\n",
        2,
        "standard_cost",
        "bad-number"
    )]
    [InlineData("items.csv", "code,name,nature,stocked\nA,A,service,yes\n", 2, "stocked", "not-goods")]
    [InlineData("periods.csv", "from,to,status\n2026-02-30,2026-03-01,open\n", 2, "from", "bad-date")]
    [InlineData("assignments.csv", "purpose,account\nsales-revenu,4000\n", 2, "purpose", "unknown-purpose")]
    [InlineData("ladders.csv", "purpose,position,rung\nsales-revenue,1,item+colour\n", 2, "rung", "bad-rung")]
    [InlineData("policies.csv", "policy,value\ncost-timing,whenever\n", 2, "value", "unknown-word")]
    [InlineData(
        "tax-codes.csv",
        "code,name,direction,category,deductible\nX,X,input,S,1.5\n",
        2,
        "deductible",
        "out-of-range"
    )]
    [InlineData("riddles.csv", "a,b\n1,2\n", 0, "", "unknown-file")]
    public void A_fault_names_file_line_and_column(string file, string text, int row, string column, string code)
    {
        var fault = Import((file, text))[0];
        (fault.Code, fault.Row, fault.Column).ShouldBe((code, row, column), fault.Message);
        fault.Message.Length.ShouldBeGreaterThan(15);
    }

    [Fact]
    public void An_assignment_off_its_ladder_is_told_the_nearest_rung() =>
        Import(
                ("accounts.csv", "number,name,class,kind\n4000,Sales,revenue,posting\n"),
                ("items.csv", "code,name,nature,stocked\nA,A,goods,yes\n"),
                ("locations.csv", "code,name\nL,L\n"),
                ("assignments.csv", "purpose,account,item,location\nsales-revenue,4000,A,L\n")
            )
            .ShouldHaveSingleItem()
            .Message.ShouldContain("the nearest is item.");

    [Fact]
    public void A_hundred_faults_are_named_at_once() =>
        Import(
            (
                "accounts.csv",
                "number,name,class,kind\n"
                    + string.Concat(Enumerable.Range(0, 100).Select(i => $"{i},Cash,treasure,posting\n"))
            )
        )
            .Count.ShouldBe(100);

    [Fact]
    public void Text_that_is_not_UTF8_is_refused()
    {
        var faults = new List<Fault>();
        CsvSheet
            .Read(Parts.Locations, new MemoryStream([.. "code,name\nL,Caf"u8, 0xE9, .. "\n"u8]), faults)
            .ShouldBeNull();
        faults.ShouldHaveSingleItem().Code.ShouldBe("not-utf8");
    }

    [Fact]
    public void A_byte_order_mark_is_no_part_of_the_first_column()
    {
        var faults = new List<Fault>();
        CsvSheet
            .Read(Parts.Locations, new MemoryStream([0xEF, 0xBB, 0xBF, .. "code,name\nL,L\n"u8]), faults)!
            .Rows.Count.ShouldBe(1);
        faults.ShouldBeEmpty();
    }

    [Fact]
    public void A_quote_that_is_never_closed_does_not_eat_the_memory() =>
        Import(("locations.csv", "code,name\nL,\"" + new string('x', 5_000_000)))
            .ShouldContain(f => f.Code == "cell-too-long");

    [Fact]
    public void A_zip_bomb_is_refused_while_it_unpacks()
    {
        var bytes = new MemoryStream();
        using (var zip = new ZipArchive(bytes, ZipArchiveMode.Create, true))
        {
            using var to = zip.CreateEntry("locations.csv").Open();
            to.Write("code,name\n"u8);
            var row = Encoding.UTF8.GetBytes(string.Concat(Enumerable.Repeat("L,Location\n", 10_000)));
            for (var i = 0; i < 2700; i++)
                to.Write(row); // 290 MB from a few hundred KB
        }
        bytes.Length.ShouldBeLessThan(2 << 20);
        bytes.Position = 0;
        var faults = new List<Fault>();
        Bundle.FromFile(bytes, faults).ShouldBeEmpty();
        faults.ShouldContain(f => f.Code == "too-large" || f.Code == "too-many-rows");
    }

    [Fact]
    public void Bytes_at_random_are_no_bundle_and_no_exception() =>
        Gen
            .Byte.Array[0, 400]
            .Sample(
                bytes =>
                {
                    var faults = new List<Fault>();
                    Bundle.FromFile(new MemoryStream(bytes), faults);
                    return faults.Count > 0;
                },
                iter: 500 * Times
            );

    [Fact]
    public void Cells_at_random_never_throw() =>
        Gen.Select(
                OneOf(Parts.All.ToArray()),
                Gen.OneOf(
                    Gen.String,
                    OneOf("", "asset", "yes", "1", "2026-01-01", "item", "sales-revenue", "EUR", "\u0000", "🌧", "=1+1")
                ).Array[0, 60]
            )
            .Sample(
                (part, cells) =>
                {
                    var width = part.Columns.Count;
                    var rows = cells
                        .Chunk(width)
                        .Where(c => c.Length == width)
                        .Select((c, i) => (i + 2, c.Select(x => x.Length == 0 ? null : x).ToArray()));
                    SetUpRules.Check(part.Read(Empty, rows, []));
                },
                iter: 2000 * Times
            );

    [Theory]
    [InlineData("{\"date\":\"2026-02-30\"}", "date", "bad-date")]
    [InlineData("{\"rate\":1234567890123456789012345678901234567890}", "rate", "too-large")]
    [InlineData("{\"rate\":\"1\"}", "rate", "wrong-type")]
    [InlineData("{\"lines\":{}}", "lines", "wrong-type")]
    [InlineData("{\"lines\":[{\"item\":5}]}", "lines[0].item", "wrong-type")]
    [InlineData("{\"lines\":[{\"itme\":\"A\"}]}", "lines[0].itme", "unknown-field")]
    [InlineData("{\"party\":\"\\ud800\"}", "party", "bad-character")]
    [InlineData("{\"source\":\"s\",\"kind\":\"k\"}", "id", "missing-field")]
    [InlineData("[]", "", "not-an-event")]
    public void A_fault_of_an_event_names_its_path(string json, string path, string code)
    {
        using var document = JsonDocument.Parse(json, EventReader.Options);
        EventReader.Read(document.RootElement).Faults.ShouldContain(f => f.Path == path && f.Code == code);
    }

    [Fact]
    public void A_name_given_twice_is_no_JSON() =>
        Should.Throw<JsonException>(() => JsonDocument.Parse("{\"id\":\"a\",\"id\":\"b\"}", EventReader.Options));

    [Fact]
    public void JSON_at_random_is_read_or_refused_and_never_throws()
    {
        var names = EventFields
            .OfEvent.Select(f => f.Name)
            .Concat(["lines", "charges", "settles", "source", "id", "nonsense"])
            .ToArray();
        var values = new[]
        {
            "null",
            "true",
            "0",
            "-1e400",
            "1e27",
            "\"x\"",
            "\"2026-01-01\"",
            "[]",
            "{}",
            "[{}]",
            "[[1]]",
            "[{\"item\":null,\"amount\":1.123456789012345678}]",
            "\"\\u0000\"",
        };
        var builder = new EntryBuilder(new CompiledSetUp(Empty));
        Gen.Select(
                OneOf(EventKinds.All.Select(k => k.Name).ToArray()),
                Gen.Select(OneOf(names), OneOf(values)).Array[0, 12]
            )
            .Sample(
                (kind, pairs) =>
                {
                    var json =
                        "{\"kind\":\""
                        + kind
                        + "\","
                        + string.Join(
                            ',',
                            pairs
                                .DistinctBy(p => p.Item1)
                                .Select(p => $"\"{p.Item1}\":{p.Item2}")
                                .Append("\"date\":\"2026-01-01\"")
                                .DistinctBy(p => p.Split(':')[0])
                        )
                        + "}";
                    using var document = JsonDocument.Parse(json, EventReader.Options);
                    var read = EventReader.Read(document.RootElement);
                    if (read.Faults.Count == 0)
                        builder.Build(read.Event);
                },
                iter: 3000 * Times
            );
    }

    [Theory, InlineData("{\"a\":1.0,\"b\":[1e1,null]}", "{ \"b\": [10, null], \"a\": 1, \"c\": null }")]
    public void Events_that_are_equal_as_parsed_JSON_have_one_spelling(string one, string other)
    {
        using var a = JsonDocument.Parse(one);
        using var b = JsonDocument.Parse(other);
        CanonicalJson.Of(a.RootElement).ShouldBe(CanonicalJson.Of(b.RootElement));
    }

    [Fact]
    public void A_list_for_a_spreadsheet_holds_no_formula()
    {
        var bytes = new MemoryStream();
        ListWriter.Csv(
            ["name", "amount"],
            [
                ["=HYPERLINK(\"x\")", -5m],
                ["+1", 2m],
                ["plain", 3m],
            ],
            bytes
        );
        Encoding
            .UTF8.GetString(bytes.ToArray())
            .ShouldBe("name,amount\r\n\"'=HYPERLINK(\"\"x\"\")\",-5\r\n'+1,2\r\nplain,3\r\n");
    }

    [Fact]
    public void A_fault_is_told_as_JSON_without_where_it_stands_in_a_table_and_read_again()
    {
        var fault = new Fault("accounts", 3, "name", "missing", "Say what it is called.");
        var text = System.Text.Json.JsonSerializer.Serialize(fault, Json.TraceJson.Settings);
        text.ShouldBe(
            """{"code":"missing","message":"Say what it is called.","path":"","purpose":null,"account":null}"""
        );
        System
            .Text.Json.JsonSerializer.Deserialize<Fault>(text, Json.TraceJson.Settings)!
            .Message.ShouldBe(fault.Message);
    }
}
