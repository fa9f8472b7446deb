using System.Text.Json;
using Assignum.Testing;
using Assignum.Tool;

namespace Assignum.Formats.Tests;

/// <summary>The command line on the demo company, with the faults that are planted in it, and on what it cannot
/// read.</summary>
public sealed class CommandLine : IDisposable
{
    private static readonly string Demo = Path.Combine(ProjectFiles.Root, "demo", "skerrow", "1-skerrow");
    private static readonly string Bundle = Path.Combine(Demo, "bundle");
    private readonly string folder = Directory.CreateTempSubdirectory("assignum-tool").FullName;

    /// <inheritdoc/>
    public void Dispose() => Directory.Delete(folder, true);

    private static (int Code, string Out, string Wrong) Run(params string[] args)
    {
        using var to = new StringWriter();
        using var wrong = new StringWriter();
        return (Commands.Run(args, to, wrong), to.ToString(), wrong.ToString());
    }

    private static List<JsonElement> Found(string path)
    {
        var (_, said, _) = Run("check", path, "--json", "--day", "2026-11-28");
        return [.. JsonDocument.Parse(said).RootElement.EnumerateArray()];
    }

    [Fact]
    public void Each_fault_that_is_planted_in_the_demo_is_found()
    {
        var found = Found(Bundle);
        void Planted(string code, string severity, string part, params (string Column, string Value)[] key) =>
            found
                .Count(f =>
                    f.GetProperty("code").GetString() == code
                    && f.GetProperty("severity").GetString() == severity
                    && f.GetProperty("places")
                        .EnumerateArray()
                        .Any(p =>
                            p.GetProperty("part").GetString() == part
                            && key.All(k =>
                                p.GetProperty("key").TryGetProperty(k.Column, out var v) && v.GetString() == k.Value
                            )
                        )
                )
                .ShouldBe(1, $"{code} {string.Join(' ', key)}");

        // Thermometers are costed on the account of parts, while stock and revenue are those of instruments.
        Planted("mixed-family", "warning", "assignments", ("purpose", "cost-of-sales"), ("item_group", "THERM"));
        found
            .First(f =>
                f.GetProperty("code").GetString() == "mixed-family"
                && f.GetProperty("of").GetString()!.Contains("5030")
                && f.GetProperty("of").GetString()!.Contains("1410")
            )
            .GetProperty("count")
            .GetDecimal()
            .ShouldBe(29);
        Planted("class-unfit", "error", "assignments", ("purpose", "stock"), ("item", "BAR-205"));
        Planted("control-unfit", "error", "assignments", ("purpose", "stock"), ("item", "BAR-205"));
        Planted("account-closed", "error", "assignments", ("purpose", "interest-income"));
        Planted("tripwire-reached", "warning", "purposes", ("purpose", "sales-revenue"));
        Planted("hand-entries-open", "warning", "accounts", ("number", "1220"));
        Planted("matrix-gap", "warning", "tax-matrix", ("standing", "abroad"), ("category", "reduced"));
        Planted("group-empty", "info", "groups", ("kind", "customer"), ("code", "LIBRARY"));
        Planted("changes-nothing", "info", "assignments", ("purpose", "cost-of-sales"), ("item", "BAR-230"));
    }

    [Fact]
    public void Checking_fails_on_what_is_asked_for()
    {
        Run("check", Bundle).Code.ShouldBe(Commands.Found);
        var (code, said, _) = Run("check", Bundle, "--fail-on", "warning");
        code.ShouldBe(Commands.Found);
        said.ShouldContain("3 error");
        Run("check", Bundle, "--fail-on", "much").Code.ShouldBe(Commands.Unreadable);
    }

    [Fact]
    public void A_set_up_is_the_same_as_folder_zip_and_workbook_and_differences_are_told()
    {
        var (zip, book, again) = (
            Path.Combine(folder, "a.zip"),
            Path.Combine(folder, "a.xlsx"),
            Path.Combine(folder, "again")
        );
        Run("convert", Bundle, zip).Code.ShouldBe(Commands.Clean);
        Run("convert", zip, book).Code.ShouldBe(Commands.Clean);
        Run("convert", book, again).Code.ShouldBe(Commands.Clean);
        Run("diff", Bundle, again).ShouldBe((Commands.Clean, "", ""));
        // Nothing that is there is written over.
        Run("convert", Bundle, again).Code.ShouldBe(Commands.Unreadable);
        var accounts = Path.Combine(again, "assignments.csv");
        File.WriteAllText(
            accounts,
            File.ReadAllText(accounts).Replace("4012,,INSTR", "4010,,INSTR", StringComparison.Ordinal)
        );
        var (code, said, _) = Run("diff", Bundle, again);
        code.ShouldBe(Commands.Found);
        said.ShouldContain("4012 Instruments, schools → 4010 Instruments");
    }

    [Fact]
    public void Events_are_rehearsed_without_a_database()
    {
        var events = Path.Combine(folder, "events.ndjson");
        File.WriteAllLines(events, File.ReadLines(Path.Combine(Demo, "events.ndjson")).Take(40));
        Run("rehearse", Bundle, events).Code.ShouldBe(Commands.Clean);
        File.WriteAllText(events, """{"source":"x","id":"1","kind":"sales-invoice","date":"2026-10-01","lines":[]}""");
        var (code, said, _) = Run("rehearse", Bundle, events);
        code.ShouldBe(Commands.Found);
        said.ShouldContain("refused:");
    }

    [Theory]
    [InlineData("check", "nowhere")]
    [InlineData("check")]
    [InlineData("rehearse", "nowhere", "nothing")]
    [InlineData("burn", "it")]
    [InlineData("check", "x", "--loud")]
    [InlineData("check", "x", "--fail-on")]
    public void What_cannot_be_read_is_said_and_answers_two(params string[] args)
    {
        var (code, said, wrong) = Run(args);
        code.ShouldBe(Commands.Unreadable);
        said.ShouldBeEmpty();
        wrong.ShouldNotBeEmpty();
    }

    [Fact]
    public void Damaged_bundles_never_end_it_otherwise()
    {
        var random = new Random(5);
        var text = File.ReadAllBytes(Path.Combine(Bundle, "assignments.csv"));
        for (var turn = 0; turn < 60; turn++)
        {
            var at = Path.Combine(folder, "d" + turn);
            Directory.CreateDirectory(at);
            foreach (var file in Directory.EnumerateFiles(Bundle))
                File.Copy(file, Path.Combine(at, Path.GetFileName(file)));
            var damaged = text.ToArray();
            for (var i = random.Next(1, 8); i > 0; i--)
                damaged[random.Next(damaged.Length)] = (byte)random.Next(256);
            File.WriteAllBytes(Path.Combine(at, "assignments.csv"), damaged);
            Run("check", at).Code.ShouldBeOneOf(Commands.Clean, Commands.Found, Commands.Unreadable);
        }
    }
}
