using Assignum.Core.Entries;
using Assignum.Core.Events;

namespace Assignum.Core.Tests;

/// <summary>Events of every kind, filled at random from the table of fields with values that mostly exist.</summary>
internal static class RandomEvents
{
    public static BusinessEvent Next(Random random)
    {
        var kind = EventKinds.All[random.Next(EventKinds.All.Count)];
        var source = new BusinessEvent { Source = "r", Id = random.Next().ToString("x8"), Kind = kind.Name, Date = new DateOnly(2026, 1, 1).AddDays(random.Next(300)), Reference = "R" };
        if (random.Next(3) == 0) (source.Currency, source.Rate) = random.Next(2) == 0 ? ("USD", random.Next(8000, 12000) / 10000m) : ("JPY", random.Next(5500, 6500) / 1_000_000m);
        var decimals = source.Currency == "JPY" ? 0 : 2;
        foreach (var field in EventFields.OfEvent.Where(f => kind.Takes.Contains(f.Name)))
            if (kind.Needs.Contains(field.Name) || random.Next(2) == 0) field.Set(source, Value(field.Type, field.Name, random, decimals));
        if (source.ReverseOn is { } day && day <= source.Date) source.ReverseOn = source.Date.AddDays(5);
        if (kind.LineTakes.Count > 0)
            for (var i = random.Next(1, 5); i > 0; i--)
            {
                var line = new EventLine();
                foreach (var field in EventFields.OfLine.Where(f => kind.LineTakes.Contains(f.Name)))
                    if (kind.LineNeeds.Contains(field.Name) || field.Name is "item" or "unitCost" || field.Name != "account" && random.Next(3) == 0) field.Set(line, Value(field.Type, field.Name, random, decimals));
                source.Lines.Add(line);
            }
        if (kind.TakesCharges && random.Next(3) == 0) source.Charges.Add(new EventCharge { Amount = (decimal)Value(FieldType.Amount, "amount", random, decimals)! });
        if (kind.Settles && random.Next(2) == 0) source.Settles.Add(new Settlement { Reference = "D", Amount = Math.Round(source.Amount!.Value / 2, decimals), Rate = source.Currency is null ? null : source.Rate * 1.01m });
        return source;
    }

    private static object? Value(FieldType type, string name, Random random, int decimals) => type switch
    {
        FieldType.Item => "I" + random.Next(8),
        FieldType.Party => "P" + random.Next(6),
        FieldType.Location => "L" + random.Next(2),
        FieldType.Channel => "C" + random.Next(2),
        FieldType.Method => "M" + random.Next(2),
        FieldType.Reason => "R" + random.Next(2),
        FieldType.Project => "J" + random.Next(4),
        FieldType.Currency => "USD",
        FieldType.TaxCode => random.Next(6) == 0 ? "P" : "S",
        FieldType.TaxStanding => "domestic",
        FieldType.TaxCategory => "standard",
        FieldType.Account => "4010",
        FieldType.Transit => random.Next(2) == 0 ? "in" : "out",
        FieldType.Entity => "OTHER",
        FieldType.Amount => Math.Round(random.Next(-2000, 60_000) / 100m, name is "issuedCost" or "costToDate" ? 2 : decimals),
        FieldType.Price => random.Next(0, 90_000) / 1000m,
        FieldType.Quantity => random.Next(-10, 40) / 4m,
        FieldType.Rate => random.Next(8000, 12000) / 10000m,
        FieldType.Percent => random.Next(0, 400) / 10m,
        FieldType.Share => random.Next(0, 11) / 10m,
        FieldType.Date => new DateOnly(2026, 1, 1).AddDays(random.Next(300)),
        FieldType.Flag => random.Next(2) == 0,
        FieldType.Text => "t",
        _ => null,
    };
}
