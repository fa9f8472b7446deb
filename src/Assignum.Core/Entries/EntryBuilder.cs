using Assignum.Core.Calendar;
using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Money;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>Finds another entity's set-up in force on a day; null when there is no such entity or edition.</summary>
public delegate CompiledSetUp? OtherSetUps(string entity, DateOnly date);

/// <summary>A purpose that an event calls for.</summary>
/// <param name="Account">On which account; null: on none.</param>
/// <param name="Rung">What decides that; null: nothing does.</param>
public sealed record ReachedPurpose(Purpose Purpose, LegContext Context, string? Account, string? Rung);

/// <summary>Makes an event into a balanced entry by one set-up. Rehearsal, posting and replay all come through
/// here.</summary>
/// <remarks>Pure: the same event, set-up and documents give the same result, whatever day or machine it is.</remarks>
public sealed class EntryBuilder(CompiledSetUp setUp, OtherSetUps? others = null, IOpenDocuments? documents = null)
{
    /// <summary>The entry, or nothing, or every error at once.</summary>
    public EntryResult Build(BusinessEvent source)
    {
        try
        {
            return Make(source);
        }
        catch (OverflowException)
        {
            return new EntryResult(null, [Sizes.Overflow(source)]);
        }
    }

    /// <summary>The purposes that an event calls for, with where each lands, whether or not it could be posted: what its
    /// tax, its periods or another leg lack hides none, nor that two legs on one account leave no line. None where it cannot
    /// be read.</summary>
    public IReadOnlyList<ReachedPurpose> Reached(BusinessEvent source)
    {
        try
        {
            if (EventRules.Check(source, setUp, out var kind, out _).Count > 0 || kind!.TurnsBack)
                return [];
            var sheet = new EntrySheet(setUp, kind, source, documents ?? NoDocuments.Instance);
            kind.Write(sheet);
            var reached = new List<ReachedPurpose>(sheet.Legs.Count + 1);
            var lines = new List<EntryLine>(sheet.Legs.Count + 1);
            foreach (var leg in sheet.Legs)
            {
                var before = lines.Count;
                Land(sheet, kind, leg, lines);
                if (leg.Purpose is { } purpose)
                    reached.Add(
                        lines.Count > before
                            ? new ReachedPurpose(
                                purpose,
                                leg.Context,
                                lines[before].Account,
                                lines[before].Landing.Rung
                            )
                            : new ReachedPurpose(purpose, leg.Context, null, null)
                    );
            }
            foreach (var leg in sheet.Quiet)
                reached.Add(QuietlyReached(leg));
            if (sheet.Errors.Count > 0)
                return reached;
            var landed = lines.Count;
            Balance(sheet, kind, lines);
            reached.AddRange(
                lines.Skip(landed).Select(l => new ReachedPurpose(l.Purpose!, l.Context, l.Account, l.Landing.Rung))
            );
            return reached;
        }
        catch (OverflowException)
        {
            return [];
        }
    }

    private ReachedPurpose QuietlyReached(QuietLeg leg)
    {
        var (purpose, context) = (leg.Purpose, leg.Context);
        if (leg.Bound is { } bound)
            return new ReachedPurpose(purpose, context, bound.Account, LegLanding.Document);
        var landed = setUp.Landings.Resolve(purpose, context.Values, context.Written);
        return landed.Account is null
            ? new ReachedPurpose(purpose, context, null, null)
            : new ReachedPurpose(
                purpose,
                context,
                landed.Account,
                new LegLanding(setUp.Landings, purpose, context.Values, context.Written, landed).Rung
            );
    }

    private EntryResult Make(BusinessEvent source)
    {
        var faults = EventRules.Check(source, setUp, out var kind, out var archived);
        if (faults.Count > 0)
            return new EntryResult(null, faults);
        var sheet = new EntrySheet(setUp, kind!, source, documents ?? NoDocuments.Instance);
        sheet.Remarks.AddRange(archived);
        if (kind!.TurnsBack)
            return Turning.Of(sheet, others);
        kind.Write(sheet);
        var entry = Finish(sheet, kind, source.Date);
        if (sheet.Errors.Count > 0)
            return new EntryResult(null, sheet.Errors);
        var quiet = Quiet(sheet);
        if (entry is null)
        {
            // What moves open items or goods without a line obeys the periods all the same.
            if (quiet.Count > 0 && Closed(setUp, source.Date).ToList() is { Count: > 0 } closed)
                return new EntryResult(null, [.. closed.Select(c => new Fault(c.Code, c.Message, "date"))]);
            return new EntryResult(null, []) { Quiet = quiet };
        }

        if (source.ReverseOn is { } day)
            entry = entry with { Reversal = Reverse(entry, day, setUp) };
        if (kind is Kinds.IntercompanyCharge charge)
        {
            var mirror = charge.Mirror(source, setUp, others, sheet);
            if (sheet.Errors.Count > 0)
                return new EntryResult(null, sheet.Errors);
            entry = entry with { Mirror = mirror };
        }
        return new EntryResult(entry, []) { Quiet = quiet };
    }

    // What a subledger keeps without a line stands where it is bound to, else where its ladder puts it.
    private static IReadOnlyList<QuietMove> Quiet(EntrySheet sheet)
    {
        if (sheet.Quiet.Count == 0)
            return [];
        var moves = new List<QuietMove>(sheet.Quiet.Count);
        foreach (var leg in sheet.Quiet)
        {
            var landed = leg.Bound is null
                ? sheet.SetUp.Landings.Resolve(leg.Purpose, leg.Context.Values, leg.Context.Written)
                : default;
            var account = leg.Bound?.Account ?? landed.Account;
            moves.Add(
                new QuietMove(
                    leg,
                    account,
                    account is null ? null : sheet.SetUp.Account(account),
                    leg.Bound?.ByDefault ?? landed.ByDefault
                )
            );
        }
        return moves;
    }

    /// <summary>Gives every leg on a sheet its account, balances and guards; null when no leg is left.</summary>
    internal static JournalEntry? Finish(EntrySheet sheet, EventKind kind, DateOnly date)
    {
        Sizes.Check(sheet);
        if (sheet.Errors.Count > 0)
            return null;
        var lines = new List<EntryLine>(sheet.Legs.Count + 1);
        foreach (var leg in sheet.Legs)
            Land(sheet, kind, leg, lines);
        if (sheet.Errors.Count > 0)
            return null;
        Balance(sheet, kind, lines);
        if (sheet.Errors.Count > 0 || lines.Count == 0)
            return null;
        if (!kind.ClosesYears)
            sheet.Remarks.AddRange(Closed(sheet.SetUp, date));
        return new JournalEntry(
            date,
            sheet.Currency,
            sheet.Rate,
            sheet.Event.Reference,
            lines,
            TaxLines(sheet),
            sheet.Remarks,
            Document: sheet.OwnDocument
        );
    }

    /// <summary>What the guards say of the legs on a sheet, whether or not they balance.</summary>
    internal static IReadOnlyList<Fault> Guarded(EntrySheet sheet, EventKind kind)
    {
        Sizes.Check(sheet);
        var lines = new List<EntryLine>(sheet.Legs.Count);
        foreach (var leg in sheet.Legs)
            Land(sheet, kind, leg, lines);
        return sheet.Remarks;
    }

    private static void Land(EntrySheet sheet, EventKind kind, Leg leg, List<EntryLine> lines)
    {
        var setUp = sheet.SetUp;
        var context = leg.Context;
        string account;
        LegLanding landing;
        var byDefault = false;
        if (leg.Account is not null)
        {
            account = leg.Account;
            landing = LegLanding.Fixed(leg.Purpose?.Name ?? "", account);
        }
        else if (leg.Bound is { } bound)
        {
            (account, byDefault) = (bound.Account, bound.ByDefault);
            landing = LegLanding.OfDocument(leg.Purpose!.Name, account);
        }
        else
        {
            var landed = setUp.Landings.Resolve(leg.Purpose!, context.Values, context.Written);
            if (landed.Account is null)
            {
                Unresolved(sheet, leg, landed);
                return;
            }
            account = landed.Account;
            byDefault = landed.ByDefault;
            landing = new LegLanding(setUp.Landings, leg.Purpose!, context.Values, context.Written, landed);
            if (
                landed.LineUnused
                && !sheet.Remarks.Any(r =>
                    r.Code == "line-account-unused" && r.Line == context.Line && r.Purpose == leg.Purpose!.Name
                )
            )
                sheet.Warn(
                    "line-account-unused",
                    $"Account {context.Written} was written and is not used: {leg.Purpose!.Name} has no line rung.",
                    context.Written,
                    leg.Purpose,
                    context.Line
                );
        }
        var record = setUp.Account(account);
        var guarded = new GuardedLeg(kind, leg, account, record, byDefault, setUp);
        // What brings an account to nothing at the end of a year asks nothing of it.
        foreach (var guard in kind.ClosesYears && leg.Purpose is null && record is not null ? [] : Guards.All)
            if (guard(guarded) is { } remark)
                sheet.Remarks.Add(remark);

        var debit = leg.Side == Side.Debit;
        lines.Add(
            new EntryLine(
                record,
                account,
                debit ? leg.Amount.Base : 0,
                debit ? 0 : leg.Amount.Base,
                leg.Amount.Foreign is { } f
                    ? debit
                        ? f
                        : 0
                    : null,
                leg.Amount.Foreign is { } g
                    ? debit
                        ? 0
                        : g
                    : null,
                leg.Purpose,
                context,
                context.TaxCode ?? leg.TaxUse?.Code,
                LineText.For(sheet, context),
                leg.Rate,
                landing,
                context.Line,
                byDefault
            )
        );
    }

    private static void Unresolved(EntrySheet sheet, Leg leg, Landed landed)
    {
        var path = sheet.PathOf(leg.Context);
        if (landed.LineRefused)
            sheet.Fail(
                "unresolved",
                $"{leg.Purpose!.Name}: account {leg.Context.Written} may not be written here; only the account its "
                    + "ladder gives or one that may be used instead of it may.",
                path,
                leg.Purpose,
                leg.Context.Written
            );
        else
            sheet.Fail(
                "unresolved",
                $"{leg.Purpose!.Name}: no assignment fits. Add one on a rung of its ladder, or a default.",
                path,
                leg.Purpose
            );
    }

    // Conversion leg by leg leaves at most a minor unit a foreign leg; that, and only that, is rounding.
    private static void Balance(EntrySheet sheet, EventKind kind, List<EntryLine> lines)
    {
        var difference = 0m;
        var foreign = 0m;
        var foreignLegs = 0;
        foreach (var line in lines)
        {
            difference += line.Debit - line.Credit;
            if (line.CurrencySigned is not { } signed)
                continue;
            foreign += signed;
            if (sheet.IsForeign)
                foreignLegs++;
        }
        if (foreign != 0 || Math.Abs(difference) > foreignLegs * Rounding.Unit(sheet.SetUp.BaseDecimals))
        {
            sheet.Fail(
                "unbalanced",
                "The lines do not balance: debits and credits differ by "
                    + $"{Math.Abs(foreign != 0 ? foreign : difference)} "
                    + $"{(foreign != 0 ? sheet.Currency : sheet.SetUp.Entity.Currency)}."
            );
            return;
        }
        if (difference == 0)
            return;
        var side = difference > 0 ? Side.Credit : Side.Debit;
        Land(
            sheet,
            kind,
            new Leg(
                Purposes.RoundingDifference,
                side,
                new LegAmount(Math.Abs(difference), null),
                sheet.Document,
                null,
                null,
                null
            ),
            lines
        );
    }

    private static EntryTax[] TaxLines(EntrySheet sheet)
    {
        if (sheet.Taxes.Count == 0)
            return [];
        return
        [
            .. sheet.Taxes.Select(t => new EntryTax(
                t.Decided.Code.Code,
                t.Base,
                t.Decided.Rate,
                t.Tax,
                Words.Of(t.Decided.By),
                sheet.AmountAt(t.Base, t.Rate).Base,
                sheet.AmountAt(t.Tax, t.Rate).Base,
                t.NonDeductible,
                t.Capital,
                t.Capital ? t.Decided.Code.CapitalBaseBox ?? t.Decided.Code.BaseBox : t.Decided.Code.BaseBox,
                t.Capital ? t.Decided.Code.CapitalTaxBox ?? t.Decided.Code.TaxBox : t.Decided.Code.TaxBox,
                t.Decided.Code.ReverseBaseBox,
                t.Decided.Code.ReverseTaxBox,
                sheet.TaxDate,
                t.Reclaimed ?? sheet.AmountAt(t.Tax - t.NonDeductible, t.Rate).Base
            )),
        ];
    }

    // Nothing posts into a closed period.
    internal static IEnumerable<Fault> Closed(CompiledSetUp setUp, DateOnly date) =>
        setUp
            .ClosedPeriods.Where(p => date >= p.From && date <= p.To)
            .Select(p => new Fault(
                "period-closed",
                Severity.Error,
                $"{WrittenDay.Say(date)} is in a closed period ({WrittenDay.Say(p.From)} to {WrittenDay.Say(p.To)})."
            ));

    internal static JournalEntry Reverse(JournalEntry entry, DateOnly day, CompiledSetUp setUp) =>
        entry with
        {
            Date = day,
            Remarks = [.. Closed(setUp, day)],
            Lines =
            [
                .. entry.Lines.Select(l =>
                    l with
                    {
                        Debit = l.Credit,
                        Credit = l.Debit,
                        CurrencyDebit = l.CurrencyCredit,
                        CurrencyCredit = l.CurrencyDebit,
                    }
                ),
            ],
        };
}
