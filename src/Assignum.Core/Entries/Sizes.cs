using Assignum.Core.Chart;
using Assignum.Core.Events;

namespace Assignum.Core.Entries;

/// <summary>
/// How large amounts may be: none in base currency that an event comes to, by quantity, rate or conversion, is larger
/// than one that may be written (<see cref="EventFields.LargestAmount"/>), and neither is an entry in all; in the
/// event's own currency, whose unit may be worth little, a thousand times that. So whatever is added up of entries stays
/// within what can be counted exactly, for ever.
/// </summary>
internal static class Sizes
{
    /// <summary>Writes down which amounts of a sheet are too large, once a line of the event.</summary>
    public static void Check(EntrySheet sheet)
    {
        HashSet<int?>? said = null;
        var total = 0m;
        foreach (var leg in sheet.Legs)
        {
            total += Math.Abs(leg.Amount.Base);
            if (IsTooLarge(leg.Amount.Base) || IsTooLargeForeign(leg.Amount.Foreign ?? 0))
                Say(leg.Context.Line, sheet.PathOf(leg.Context));
            else if (leg.Purpose?.Control == Control.Stock && IsTooLargeForeign(leg.Context.Quantity))
                Say(null, "");
        }
        foreach (var tax in sheet.Taxes)
            if (
                IsTooLargeForeign(tax.Base)
                || IsTooLargeForeign(tax.Tax)
                || IsTooLarge(sheet.AmountAt(tax.Base, tax.Rate).Base)
            )
                Say(null, "");
        foreach (var quiet in sheet.Quiet)
            if (IsTooLargeForeign(quiet.Quantity) || IsTooLarge(quiet.Amount.Base))
                Say(null, "");
        // Debits and credits: half of it is the entry's total.
        if (said is null && IsTooLarge(total / 2))
            Say(null, "");

        void Say(int? line, string path)
        {
            if ((said ??= []).Add(line))
                sheet.Errors.Add(Fault(path));
        }
    }

    /// <summary>What an event is refused for whose amounts cannot even be counted.</summary>
    public static Fault Overflow(BusinessEvent source)
    {
        var rate = (double)Math.Abs(source.Rate ?? 1);
        for (var i = 0; i < source.Lines.Count; i++)
        {
            var line = source.Lines[i];
            var worth =
                (double)Math.Abs(line.Quantity ?? 1)
                * Math.Max((double)Math.Abs(line.UnitPrice ?? 0), (double)Math.Abs(line.UnitCost ?? 0))
                * (1 + (double)Math.Abs(line.DiscountPercent ?? 0) / 100)
                * Math.Max(1, rate);
            if (worth > (double)EventFields.LargestAmount)
                return Fault($"lines[{i}]");
        }
        return Fault("");
    }

    private static bool IsTooLarge(decimal amount) => Math.Abs(amount) > EventFields.LargestAmount;

    private static bool IsTooLargeForeign(decimal amount) => Math.Abs(amount) > 1000 * EventFields.LargestAmount;

    private static Fault Fault(string path) =>
        new(
            "too-large",
            $"{(path.Length == 0 ? "The event" : path)} comes to more than {EventFields.LargestAmount} by its quantities "
                + "and rates: nothing so large is posted. Look at them, or send it in parts.",
            path
        );
}
