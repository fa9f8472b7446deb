using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Core.Events;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Tests;

/// <summary>Events of every kind, filled at random from the table of fields with values that mostly exist.</summary>
internal static class RandomEvents
{
    /// <summary>An event of any kind for the shop, which no document was posted in.</summary>
    public static BusinessEvent Next(Random random) =>
        Next(random, EventKinds.All[random.Next(EventKinds.All.Count)], Books.Group, []);

    /// <summary>An event of a kind.</summary>
    /// <param name="documents">What was posted before and can be settled.</param>
    public static BusinessEvent Next(
        Random random,
        EventKind kind,
        SetUp setUp,
        IReadOnlyList<(Control Subledger, string Party, string Reference, string Currency)> documents
    )
    {
        var id = random.Next().ToString("x8");
        var source = new BusinessEvent
        {
            Source = "r",
            Id = id,
            Kind = kind.Name,
            Date = new DateOnly(2026, 1, 1).AddDays(random.Next(300)),
            Reference = "R" + id,
        };
        if (random.Next(3) == 0)
            (source.Currency, source.Rate) =
                random.Next(2) == 0
                    ? ("USD", random.Next(8000, 12000) / 10000m)
                    : ("JPY", random.Next(5500, 6500) / 1_000_000m);
        var decimals = source.Currency == "JPY" ? 0 : 2;
        var accounts = setUp.Accounts.Where(a => a.Kind == AccountKind.Posting).ToList();
        foreach (
            var field in EventFields.OfEvent.Where(f => kind.Takes.Contains(f.Name) && f.Type != FieldType.Account)
        )
            if (kind.Needs.Contains(field.Name) || random.Next(2) == 0)
                field.Set(source, Value(field.Type, field.Name, random, decimals));
        if (source.ReverseOn is { } day && day <= source.Date)
            source.ReverseOn = source.Date.AddDays(5);
        if (source.FromMethod is not null)
            source.ToMethod = source.FromMethod == "M0" ? "M1" : "M0";
        if (source.FromLocation is not null)
            source.ToLocation = source.FromLocation == "L0" ? "L1" : "L0";
        // A code of the side that is posted; now and then one of the other.
        string Code() =>
            kind.FromSupplier || kind.Name == "channel-fee"
                ? random.Next(60) == 0
                    ? "S"
                    : random.Next(3) == 0
                        ? "H"
                        : "P"
                : random.Next(60) == 0
                    ? "P"
                    : "S";
        if (source.TaxCode is not null)
            source.TaxCode = Code();
        if (kind.Takes.Contains("channel") && kind.Takes.Contains("standing"))
            source.Standing = "domestic";
        if (
            kind.Name == "project-recognised"
            && setUp.Projects.FirstOrDefault(p => p.Recognise is Recognise.ByCostShare or Recognise.OnCompletion)
                is { } followed
            && random.Next(12) > 0
        )
            (source.Project, source.EstimatedCost, source.CostToDate, source.ContractValue, source.Complete) = (
                followed.Code,
                source.EstimatedCost ?? 700m,
                source.CostToDate ?? 420m,
                source.ContractValue ?? 900m,
                random.Next(4) > 0
            );
        if (kind.Name == "stock-moved" && random.Next(8) > 0)
            source.InTransit ??= "out";
        if (kind.Name == "project-usage")
            source.Project ??= "J" + random.Next(4);
        if (kind.Name is "hand-entry" or "opening")
            ByHand(source, kind, accounts, random, decimals);
        else if (kind.LineTakes.Count > 0)
            for (var i = 1 + random.Next(4) / 2; i > 0; i--)
            {
                var line = new EventLine();
                foreach (var field in EventFields.OfLine.Where(f => kind.LineTakes.Contains(f.Name)))
                    if (
                        kind.LineNeeds.Contains(field.Name)
                        || field.Name is "item" or "unitCost"
                        || field.Type != FieldType.Account && random.Next(3) == 0
                    )
                        field.Set(line, Value(field.Type, field.Name, random, decimals));
                if (line.TaxCode is not null)
                    line.TaxCode = Code();
                // A line is about an item, or is written on an account that fits.
                if (kind.LineTakes.Contains("account") && !kind.LineNeeds.Contains("item") && random.Next(5) == 0)
                    (line.Item, line.Account) = (
                        null,
                        Pick(
                            accounts.Where(a =>
                                a.Control == Control.None
                                && (
                                    (
                                        kind.FromSupplier
                                            ? a.Class is AccountClass.OperatingCost or AccountClass.Asset
                                            : a.Class == AccountClass.Revenue
                                    )
                                    || random.Next(30) == 0
                                )
                            ),
                            random
                        )
                    );
                if (line.Account is not null && kind.LineTakes.Contains("taxCode") && random.Next(4) > 0)
                    line.TaxCode ??= Code();
                if (kind.Name == "currency-revalued")
                    line.Account = Pick(accounts.Where(a => a.Revalue || random.Next(12) == 0), random)
                        ?? accounts[0].Number;
                source.Lines.Add(line);
            }
        if (kind.TakesCharges && random.Next(3) == 0)
            source.Charges.Add(
                new EventCharge
                {
                    Amount = (decimal)Value(FieldType.Amount, "amount", random, decimals)!,
                    Item = random.Next(3) == 0 ? "I" + random.Next(8) : null,
                    TaxCategory = "standard",
                }
            );
        if (kind.MadeHere)
            Made(source, setUp, random);
        if (kind.Settles)
            Settle(source, kind, documents, random, decimals);
        if (kind.SettlesPayables)
            SetOff(source, setUp, documents, random, decimals);
        // What is paid is output tax less input tax, nearly always.
        if (kind.Name == "tax-settled" && source.Lines.Count > 0 && random.Next(20) > 0)
            source.Amount = source.Lines.Sum(l => (l.TaxCode == "S" ? 1 : -1) * l.Amount);
        return source;
    }

    // A cut-off at rates that exist in base currency alone, a close on the last day of a year.
    private static void Made(BusinessEvent source, SetUp setUp, Random random)
    {
        (source.Source, source.Currency, source.Rate) = ("own", null, null);
        if (source.Kind == "year-closed")
        {
            source.Date = new DateOnly(2026, 12, 31);
            source.Lines =
            [
                .. setUp
                    .Accounts.Where(a => a.Kind == AccountKind.Posting && a.Class.IsResult())
                    .Where(_ => random.Next(2) == 0)
                    .Select(a => new EventLine { Account = a.Number, Debit = random.Next(-9_000, 9_000) / 100m })
                    .DefaultIfEmpty(new EventLine { Account = "4000", Credit = 5 }),
            ];
            return;
        }
        source.ReverseOn = source.Date.AddDays(1);
        foreach (var line in source.Lines)
            (line.Account, line.CostAccount, line.Amount) = (null, null, random.Next(100, 9_000) / 100m);
    }

    private static string? Pick(IEnumerable<Account> from, Random random) =>
        from.ToList() is { Count: > 0 } fitting ? fitting[random.Next(fitting.Count)].Number : null;

    // Lines that balance, mostly on accounts that may be written on by hand.
    private static void ByHand(
        BusinessEvent source,
        EventKind kind,
        List<Account> accounts,
        Random random,
        int decimals
    )
    {
        var fitting = accounts
            .Where(a =>
                kind.AdmitsControlAccounts
                || a.Control == Control.None
                || a.HandEntries == HandEntries.Accept
                || random.Next(20) == 0
            )
            .ToList();
        var left = 0m;
        for (var i = random.Next(1, 4); i >= 0; i--)
        {
            var amount = i == 0 ? -left : (decimal)Value(FieldType.Amount, "debit", random, decimals)!;
            if (i == 0 && amount == 0)
                break;
            left += amount;
            source.Lines.Add(
                new EventLine
                {
                    Account = fitting[random.Next(fitting.Count)].Number,
                    Debit = amount > 0 ? amount : null,
                    Credit = amount > 0 ? null : -amount,
                    Party = "P" + random.Next(6),
                    Item = "I0",
                    Project = "J0",
                    TaxCode = random.Next(8) == 0 ? "S" : null,
                }
            );
        }
    }

    // Documents of the books in their own currency; now and then one that nobody knows.
    private static void Settle(
        BusinessEvent source,
        EventKind kind,
        IReadOnlyList<(Control Subledger, string Party, string Reference, string Currency)> documents,
        Random random,
        int decimals
    )
    {
        if (random.Next(3) == 0)
            return;
        var wanted = kind.FromSupplier ? Control.Payables : Control.Receivables;
        var open = documents.Where(d => d.Subledger == wanted).ToList();
        var amount = Math.Round((source.Amount ?? 100) / 2, decimals);
        if (open.Count == 0 || random.Next(8) == 0)
        {
            source.Settles.Add(
                new Settlement
                {
                    Reference = "D",
                    Amount = amount,
                    Rate = source.Currency is null ? null : source.Rate * 1.01m,
                }
            );
            return;
        }
        var (_, party, reference, currency) = open[random.Next(open.Count)];
        source.Party = party;
        // In another currency than the payment it says what is settled of the document.
        var own = currency == (source.Currency ?? "EUR");
        source.Settles.Add(
            new Settlement
            {
                Reference = reference,
                Amount = amount,
                DocumentAmount = own ? null : Math.Round(amount, currency == "JPY" ? 0 : 2),
            }
        );
    }

    // As much of both sides, of somebody who is on both where there is such a one.
    private static void SetOff(
        BusinessEvent source,
        SetUp setUp,
        IReadOnlyList<(Control Subledger, string Party, string Reference, string Currency)> documents,
        Random random,
        int decimals
    )
    {
        var both = setUp.Parties.Where(p => p.Kind == PartyKind.Both).Select(p => p.Code).ToList();
        if (both.Count > 0 && random.Next(8) > 0)
            source.Party = both[random.Next(both.Count)];
        var amount = Math.Round(random.Next(100, 9000) / 100m, decimals);
        Settlement Of(Control subledger)
        {
            var open = documents
                .Where(d =>
                    d.Subledger == subledger
                    && d.Party == source.Party
                    && d.Currency == (source.Currency ?? setUp.Entity.Currency)
                )
                .ToList();
            return new Settlement
            {
                Reference = open.Count == 0 ? "D" : open[random.Next(open.Count)].Reference,
                Amount = amount,
            };
        }
        source.Settles = [Of(Control.Receivables)];
        source.SettlesPayables = [Of(Control.Payables)];
    }

    private static object? Value(FieldType type, string name, Random random, int decimals) =>
        type switch
        {
            FieldType.Item => "I" + random.Next(8),
            FieldType.Party => "P" + random.Next(6),
            FieldType.Location => "L" + random.Next(2),
            FieldType.Channel => "C" + random.Next(2),
            FieldType.Method => "M" + random.Next(2),
            FieldType.Reason => "R" + random.Next(2),
            FieldType.Project => "J" + random.Next(4),
            FieldType.Currency => "USD",
            FieldType.TaxCode => random.Next(6) switch
            {
                0 => "P",
                1 => "H",
                _ => "S",
            },
            FieldType.TaxStanding => "domestic",
            FieldType.TaxCategory => "standard",
            FieldType.Account => "4010",
            FieldType.CutOff => Core.Entries.Kinds.CutOff.Words[random.Next(2)],
            FieldType.Transit => random.Next(2) == 0 ? "in" : "out",
            FieldType.Entity => "OTHER",
            FieldType.Amount => Amount(name, random, decimals),
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

    // What goes off an amount is a small part of it.
    private static decimal Amount(string name, Random random, int decimals) =>
        name switch
        {
            "issuedCost" or "costToDate" => Math.Round(random.Next(-2000, 60_000) / 100m, 2),
            "amount" or "contractValue" or "estimatedCost" => Math.Round(random.Next(-500, 60_000) / 100m, decimals),
            _ => Math.Round(random.Next(0, 2_000) / 100m, decimals),
        };
}
