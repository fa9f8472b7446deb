using Assignum.Core;
using Assignum.Core.Entries;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Formats.Bundles;
using Assignum.Testing;

namespace Assignum.Formats.Tests;

/// <summary>What goes out comes back the same.</summary>
public class RoundTrips
{
    public static TheoryData<string> Folders =>
        [
            .. Directory
                .GetDirectories(Path.Combine(ProjectFiles.Root, "tests", "examples"))
                .Select(d => Path.Combine(d, "bundle"))
                .Append(Path.Combine(ProjectFiles.Root, "demo", "skerrow", "1-skerrow", "bundle")),
        ];

    [Theory, MemberData(nameof(Folders))]
    public void Export_import_export_gives_the_same_bytes_and_changes_nothing(string folder)
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(folder, faults);
        var first = SetUpImport.Plan(NewEntity.Empty(sheets), sheets, false, (_, _) => false);
        first.Faults.ShouldBeEmpty();
        var once = Zip(first.Next);

        var again = SetUpImport.Plan(first.Next, Bundle.FromFile(new MemoryStream(once), faults), false, (_, _) =>
            false
        );
        faults.ShouldBeEmpty();
        again.Faults.ShouldBeEmpty();
        again.Changes.ShouldBeEmpty();
        Zip(again.Next).ShouldBe(once);
        new CompiledSetUp(again.Next).Landings.ShouldNotBeNull();
    }

    [Theory, MemberData(nameof(Folders))]
    public void A_workbook_holds_the_same_as_the_zip(string folder)
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(folder, faults);
        var setUp = SetUpImport.Plan(NewEntity.Empty(sheets), sheets, false, (_, _) => false).Next;
        var book = new MemoryStream();
        Workbook.Write(setUp, book);

        // Into an empty entity: nothing of it is lost on the way through a workbook.
        var back = SetUpImport.Plan(
            NewEntity.Empty(sheets),
            Bundle.FromFile(new MemoryStream(book.ToArray()), faults),
            false,
            (_, _) => false
        );
        faults.ShouldBeEmpty();
        back.Faults.ShouldBeEmpty();
        Zip(back.Next).ShouldBe(Zip(setUp));
    }

    [Fact]
    public void A_row_missing_from_a_file_goes_unless_something_refers_to_it_or_the_import_is_partial()
    {
        var faults = new List<Fault>();
        var sheets = Bundle.FromFolder(
            Path.Combine(ProjectFiles.Root, "tests", "company", "skerrow", "1-skerrow", "bundle"),
            faults
        );
        var setUp = SetUpImport.Plan(NewEntity.Empty(sheets), sheets, false, (_, _) => false).Next;
        Sheet Without(Part part, params string[] gone) =>
            new(
                part,
                Enumerable.Range(0, part.Columns.Count).ToHashSet(),
                [.. part.Write(setUp).Where(r => !gone.Contains(r[0])).Select((r, i) => (i + 2, r))]
            );

        // SITE-1 is assigned, BK-4 is not, BAR-210 is in the journal.
        var plan = SetUpImport.Plan(setUp, [Without(Parts.Items, "SITE-1", "BK-4", "BAR-210")], false, (_, code) =>
            code == "BAR-210"
        );
        plan.Faults.ShouldBeEmpty();
        plan.Changes.Select(c => (c.Kind, c.Key))
            .ShouldBe(
                [(ChangeKind.Archived, "BAR-210"), (ChangeKind.Archived, "SITE-1"), (ChangeKind.Removed, "BK-4")],
                ignoreOrder: true
            );
        plan.Notes.Count.ShouldBe(2);
        SetUpImport
            .Plan(setUp, [Without(Parts.Items, "SITE-1", "BK-4")], true, (_, _) => false)
            .Changes.ShouldBeEmpty();
    }

    private static byte[] Zip(SetUp setUp)
    {
        var bytes = new MemoryStream();
        Bundle.ToZip(setUp, bytes);
        return bytes.ToArray();
    }
}
