using Assignum.Core.Calendar;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>A fiscal year is closed: every result account comes to nothing against retained earnings; or it is opened
/// again, with the sides turned. The one kind that enters closed periods.</summary>
public sealed class YearClosed : EventKind
{
    public override string Name => "year-closed";
    public override string Title => "Year closed";
    public override string Explain => "A fiscal year's result goes to retained earnings.";
    public override bool MadeHere => true;
    public override bool ClosesYears => true;
    public override IReadOnlyList<string> LineTakes { get; } = ["account", "debit", "credit"];
    public override IReadOnlyList<string> LineNeeds { get; } = ["account"];

    public override void Write(EntrySheet sheet)
    {
        var calendar = new EntityCalendar(sheet.SetUp.Entity.FiscalYearStart, sheet.SetUp.Entity.TimeZone);
        if (calendar.LastDay(calendar.EndsIn(sheet.Event.Date)) != sheet.Event.Date)
            sheet.Fail(
                "bad-date",
                $"{WrittenDay.Say(sheet.Event.Date)} is not the last day of a fiscal year: a year is closed on that.",
                "date"
            );
        var result = 0m;
        foreach (var line in sheet.Lines)
        {
            var account = sheet.Number(line.Source.Account)!;
            if (line.Source.Debit is null == line.Source.Credit is null)
            {
                sheet.Fail("one-side", $"{line.Path} needs either 'debit' or 'credit'.", line.Path);
                continue;
            }
            if (sheet.SetUp.Account(account) is { } record && !record.Class.IsResult())
                sheet.Fail(
                    "class",
                    $"{line.Path}: account {account} is no account of the profit and loss account.",
                    line.Path + ".account",
                    null,
                    account
                );
            var amount = (line.Source.Debit ?? 0) - (line.Source.Credit ?? 0);
            result += amount;
            sheet.ByHand(Side.Debit, sheet.BaseAmount(amount), sheet.HandContext(line), account, null);
        }
        sheet.Credit(RetainedEarnings, sheet.BaseAmount(result), sheet.Document);
    }
}
