using Assignum.Core.Calendar;
using Assignum.Core.Landing;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>Turns a posted event back.</summary>
internal static class Turning
{
    /// <summary>The entry that turns back what the event on a sheet names, or every error at once.</summary>
    public static EntryResult Of(EntrySheet sheet, OtherSetUps? others)
    {
        var e = sheet.Event;
        var posted = sheet.Documents.Posted(e.Reverses!);
        if (string.IsNullOrWhiteSpace(e.Text))
            sheet.Fail("missing-field", "Say why it is turned back: it is kept with it.", "text");
        if (posted is null)
            sheet.Fail(
                "unknown-event",
                $"No event {e.Reverses} was posted here: name the source and the id of one, such as own/1a2b3c.",
                "reverses"
            );
        else
            Check(sheet, posted);
        if (posted is null || sheet.Errors.Count > 0)
            return new EntryResult(null, sheet.Errors);
        var quiet = posted.Quiet.Select(q => Turned(q, sheet.SetUp)).ToList();
        var closed = EntryBuilder.Closed(sheet.SetUp, e.Date).ToList();
        if (posted.Entry is not { } there)
            return closed.Count > 0 && quiet.Count > 0
                ? new EntryResult(null, [.. closed.Select(c => new Fault(c.Code, c.Message, "date"))])
                : new EntryResult(null, []) { Quiet = quiet };
        var entry = Turned(there, sheet.SetUp, e.Date, sheet.TaxDate) with
        {
            Reference = e.Reference,
            Document = sheet.OwnDocument,
            CountsAs = posted.Kind,
        };
        entry = entry with { Remarks = [.. sheet.Remarks, .. entry.Remarks, .. closed] };
        if (posted.TurnsBackOn is { } day)
            entry = entry with { Reversal = EntryBuilder.Reverse(entry, day, sheet.SetUp) };
        if (posted.Mirror is { } mirror)
        {
            if (others?.Invoke(mirror.Entity, e.Date) is not { } other)
                return new EntryResult(
                    null,
                    [
                        new Fault(
                            "unknown-record",
                            $"Entity {mirror.Entity} has no edition in force on {WrittenDay.Say(e.Date)}.",
                            "counterparty"
                        ),
                    ]
                );
            var theirs = Turned(mirror.Entry, other, e.Date, sheet.TaxDate) with
            {
                Reference = e.Reference,
                Document = sheet.OwnDocument,
                CountsAs = posted.Kind,
            };
            theirs = theirs with { Remarks = [.. theirs.Remarks, .. EntryBuilder.Closed(other, e.Date)] };
            entry = entry with { Mirror = new MirrorEntry(mirror.Entity, theirs) };
        }
        return new EntryResult(entry, []) { Quiet = quiet };
    }

    private static void Check(EntrySheet sheet, PostedBefore posted)
    {
        var e = sheet.Event;
        if (posted.ReversedBy is { } by)
            sheet.Fail("reversed-already", $"{e.Reverses} was turned back already, by {by}.", "reverses");
        if (EventKinds.Find(posted.Kind) is { ClosesYears: true })
            sheet.Fail(
                "year-closed",
                "The close of a year is taken back where years are closed: open the year again there.",
                "reverses"
            );
        if (posted.Entry is { Date: var on } && e.Date < on)
            sheet.Fail(
                "bad-date",
                $"{e.Reverses} is of {WrittenDay.Say(on)}: it is turned back on that day or later.",
                "date"
            );
        if (posted.TurnsBackOn is { } itself && e.Date >= itself)
            sheet.Fail(
                "turned-back",
                $"{e.Reverses} turns itself back on {WrittenDay.Say(itself)}: from that day on nothing of it is left.",
                "reverses"
            );
        else if (posted.TurnsBackOn != e.ReverseOn)
            sheet.Fail(
                "reverse-on",
                posted.TurnsBackOn is { } day
                    ? $"{e.Reverses} turns itself back on {WrittenDay.Say(day)}: give that day as reverseOn, so that "
                        + "both come to nothing."
                    : $"{e.Reverses} does not turn itself back: leave reverseOn empty.",
                "reverseOn"
            );
        if (posted.Mirror?.Entity is { } other && e.Counterparty != other)
            sheet.Fail(
                "missing-field",
                $"{e.Reverses} posted in {other} too: give it as the counterparty, so that both are turned back.",
                "counterparty"
            );
    }

    private static JournalEntry Turned(PostedEntry there, CompiledSetUp setUp, DateOnly date, DateOnly taxDate)
    {
        var remarks = new List<Fault>();
        var lines = new List<EntryLine>(there.Lines.Count);
        foreach (var line in there.Lines)
        {
            var record = setUp.Account(line.Account);
            if (Fitness.Usable(line.Account, record) is { } unfit && !remarks.Any(r => r.Account == line.Account))
                remarks.Add(new Fault(unfit.Code, unfit.Severity, unfit.Message, line.Account, line.Purpose?.Name));
            lines.Add(
                new EntryLine(
                    record,
                    line.Account,
                    line.Credit,
                    line.Debit,
                    line.CurrencyCredit,
                    line.CurrencyDebit,
                    line.Purpose,
                    line.Context,
                    line.TaxCode,
                    line.Text,
                    line.Rate,
                    line.Purpose is null
                        ? LegLanding.Fixed("", line.Account)
                        : LegLanding.OfDocument(line.Purpose.Name, line.Account),
                    null,
                    line.ByDefault
                )
            );
        }
        return new JournalEntry(
            date,
            there.Currency,
            there.Rate,
            null,
            lines,
            [
                .. there.Tax.Select(t =>
                    t with
                    {
                        Base = -t.Base,
                        Tax = -t.Tax,
                        EntityBase = -t.EntityBase,
                        EntityTax = -t.EntityTax,
                        NonDeductible = -t.NonDeductible,
                        EntityReclaimed = -t.EntityReclaimed,
                        TaxDate = taxDate,
                    }
                ),
            ],
            remarks
        );
    }

    private static QuietMove Turned(QuietMove there, CompiledSetUp setUp) =>
        there with
        {
            Record = there.Account is null ? null : setUp.Account(there.Account),
            Leg = there.Leg with
            {
                Quantity = -there.Leg.Quantity,
                Amount = new LegAmount(-there.Leg.Amount.Base, -there.Leg.Amount.Foreign),
                Context = there.Leg.Context with
                {
                    Settled = there.Leg.Context.Settled is { } s ? (s.Currency, -s.Amount) : null,
                },
            },
        };
}
