using Assignum.Core.Chart;
using Assignum.Core.Events;
using Assignum.Core.Money;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>What must hold of an event before any leg is thought of: fields, records, dates, decimals. Names every
/// fault at once.</summary>
internal static class EventRules
{
    private static readonly HashSet<string> InBaseCurrency =
    [
        "issuedCost",
        "costToDate",
        "billedToDate",
        "costRecognised",
        "revenueRecognised",
        "accruedRevenue",
        "estimatedCost",
        "contractValue",
        "cost",
    ];

    // What decides how many decimals an amount has; what a line is in a currency of its own is looked at where that is
    // known.
    private enum Scale
    {
        Document,
        Base,
        Finest,
    }

    private static readonly (EventField<BusinessEvent> Field, Scale Scale)[] OfEvent = Scaled(EventFields.OfEvent);
    private static readonly (EventField<EventLine> Field, Scale Scale)[] OfLine = Scaled(EventFields.OfLine);

    private static (EventField<T>, Scale)[] Scaled<T>(EventFieldTable<T> fields) =>
        [
            .. fields.Select(f =>
                (
                    f,
                    f.Name == "currencyAmount" ? Scale.Finest
                    : InBaseCurrency.Contains(f.Name) ? Scale.Base
                    : Scale.Document
                )
            ),
        ];

    public static List<Fault> Check(
        BusinessEvent source,
        CompiledSetUp setUp,
        out EventKind? kind,
        out List<Fault> remarks
    )
    {
        var faults = new List<Fault>();
        remarks = [];
        kind = EventKinds.Find(source.Kind);
        if (kind is null)
        {
            faults.Add(
                new Fault(
                    "unknown-kind",
                    $"'{source.Kind}' is no kind of event; the kinds are "
                        + $"{string.Join(", ", EventKinds.All.Select(k => k.Name))}.",
                    "kind"
                )
            );
            return faults;
        }
        if (kind.MadeHere && source.Source != "own")
            faults.Add(new Fault("source", $"{kind.Title} is made here alone: its source is 'own'.", "source"));
        if (source.Date == default)
            faults.Add(new Fault("bad-date", "The date is missing or wrong: write it as YYYY-MM-DD.", "date"));
        CheckCurrency(source, kind, setUp, faults);
        var look = new Look(setUp, faults, remarks);
        var decimals = Currencies.Decimals(source.Currency ?? setUp.Entity.Currency) ?? setUp.BaseDecimals;

        foreach (var (field, scale) in OfEvent)
            if (field.Get(source) is { } value)
                look.At(value, field.Type, new(field.Name), scale == Scale.Base ? setUp.BaseDecimals : decimals);
        foreach (var name in kind.Needs)
            if (EventFields.OfEvent.Find(name)!.Get(source) is null)
                faults.Add(
                    new Fault("missing-field", $"{EventPlace.InWords(name)} is missing; {kind.Title} needs it.", name)
                );
        CheckLines(source, kind, look, decimals, setUp, faults);
        for (var i = 0; i < source.Charges.Count; i++)
            foreach (var field in EventFields.OfCharge)
                look.At(field.Get(source.Charges[i]), field.Type, new(field.Name, "charges", i), decimals);
        CheckSettled(source.Settles, "settles", look, decimals, faults);
        CheckSettled(source.SettlesPayables, "settlesPayables", look, decimals, faults);
        CheckSettled(source.Deposits, "deposits", look, decimals, faults);
        for (var i = 0; i < source.Deposits.Count; i++)
            if (source.Deposits[i].Amount <= 0)
                faults.Add(
                    new Fault(
                        "bad-amount",
                        $"{EventPlace.InWords($"deposits[{i}].amount")} is {source.Deposits[i].Amount}; what is used of a "
                            + "deposit is greater than zero.",
                        $"deposits[{i}].amount"
                    )
                );
        if (source.Sequence is { } sequence && (sequence < 1 || decimal.Truncate(sequence) != sequence))
            faults.Add(new Fault("bad-number", $"Sequence is {sequence}; it counts 1, 2, 3 …", "sequence"));
        return faults;
    }

    private static void CheckSettled(List<Settlement> settles, string list, Look look, int decimals, List<Fault> faults)
    {
        for (var i = 0; i < settles.Count; i++)
        {
            // What is settled of a document is in the document's currency, which is known when the document is.
            foreach (var field in EventFields.OfSettlement)
                look.At(
                    field.Get(settles[i]),
                    field.Type,
                    new(field.Name, list, i),
                    field.Name == "documentAmount" ? EventFields.MostDecimals : decimals
                );
            if (settles[i].Reference.Length == 0)
                faults.Add(
                    new Fault(
                        "missing-field",
                        $"{EventPlace.InWords($"{list}[{i}].reference")} is missing: which document does it settle?",
                        $"{list}[{i}].reference"
                    )
                );
        }
    }

    private static void CheckCurrency(BusinessEvent source, EventKind kind, CompiledSetUp setUp, List<Fault> faults)
    {
        if (kind.NeedsNoRate)
            return;
        if (source.Currency is null || source.Currency == setUp.Entity.Currency || !Currencies.Exists(source.Currency))
            return;
        if (source.Rate is null)
            faults.Add(
                new Fault(
                    "missing-rate",
                    $"{source.Currency} is not the entity's currency: give the rate, the {setUp.Entity.Currency} for "
                        + $"one {source.Currency}.",
                    "rate"
                )
            );
    }

    private static void CheckLines(
        BusinessEvent source,
        EventKind kind,
        Look look,
        int decimals,
        CompiledSetUp setUp,
        List<Fault> faults
    )
    {
        if (
            kind is { LineTakes.Count: > 0, LinesMayBeNone: false }
            && source.Lines.Count == 0
            && source.Charges.Count == 0
        )
            faults.Add(new Fault("missing-field", $"{kind.Title} needs at least one line.", "lines"));
        if (kind.LineTakes.Count == 0)
            return;
        var lineDecimals = kind is Kinds.CurrencyRevalued ? setUp.BaseDecimals : decimals;
        for (var i = 0; i < source.Lines.Count; i++)
        {
            var line = source.Lines[i];
            foreach (var (field, scale) in OfLine)
                if (field.Get(line) is { } value)
                    look.At(
                        value,
                        field.Type,
                        new(field.Name, "lines", i),
                        scale switch
                        {
                            Scale.Finest => EventFields.MostDecimals,
                            Scale.Base => setUp.BaseDecimals,
                            _ => lineDecimals,
                        }
                    );
            foreach (var name in kind.LineNeeds)
                // A line that moves value alone has no price.
                if (name == "unitPrice" && line is { Quantity: 0, Amount: not null })
                    continue;
                else if (EventFields.OfLine.Find(name)!.Get(line) is null)
                    faults.Add(
                        new Fault(
                            "missing-field",
                            $"{EventPlace.InWords($"lines[{i}].{name}")} is missing; {kind.Title} needs it.",
                            $"lines[{i}].{name}"
                        )
                    );
        }
    }

    /// <summary>Looks at one value: does the record exist, is it in use, has the amount the right decimals.</summary>
    private sealed record Look(CompiledSetUp SetUp, List<Fault> Faults, List<Fault> Remarks)
    {
        public void At(object? value, FieldType type, FieldPlace place, int decimals)
        {
            switch (value)
            {
                case null:
                    return;
                case string code:
                    Record(code, type, place);
                    return;
                case decimal number:
                    Number(number, type, place, decimals);
                    return;
                case IReadOnlyDictionary<string, string> dimensions:
                    foreach (var (dimension, key) in dimensions)
                        if (!SetUp.AdmitsDimensionValue(dimension, key))
                            Faults.Add(
                                new Fault(
                                    "unknown-record",
                                    $"Dimension {dimension} has no value {key}.",
                                    $"{place}.{dimension}"
                                )
                            );
                    return;
            }
        }

        private void Number(decimal number, FieldType type, FieldPlace place, int decimals)
        {
            if (Math.Abs(number) > EventFields.LargestAmount)
                Faults.Add(
                    new Fault(
                        "too-large",
                        $"{EventPlace.InWords(place)} is larger than {EventFields.LargestAmount}.",
                        place
                    )
                );
            else if (type == FieldType.Amount && decimal.Round(number, decimals) != number)
                TooFine(number, place, decimals);
            else if (type == FieldType.Rate && number <= 0)
                Faults.Add(
                    new Fault(
                        "bad-rate",
                        $"{EventPlace.InWords(place)} is {number}; a rate is greater than zero.",
                        place
                    )
                );
            else if (type == FieldType.Share && (number < 0 || number > 1))
                Faults.Add(
                    new Fault(
                        "bad-share",
                        $"{EventPlace.InWords(place)} is {number}; a share is between 0 and 1.",
                        place
                    )
                );
        }

        // A discount that is too fine is rounded and warned of (docs/decisions/0004); any other amount is an error.
        private void TooFine(decimal number, FieldPlace place, int decimals)
        {
            var message = $"{EventPlace.InWords(place)} is {number}; its currency has {decimals} decimals.";
            if (place.Name == "discount")
                Remarks.Add(new Fault("too-many-decimals", Severity.Warning, message + " It is rounded."));
            else
                Faults.Add(new Fault("too-many-decimals", message, place));
        }

        private void Record(string code, FieldType type, FieldPlace place)
        {
            var (known, active) = type switch
            {
                FieldType.Item => SetUp.Item(code) is { } i
                    ? (true, i.Item.Status == RecordStatus.Active)
                    : (false, false),
                FieldType.Party => SetUp.Party(code) is { } p
                    ? (true, p.Party.Status == RecordStatus.Active)
                    : (false, false),
                FieldType.Project => SetUp.Project(code) is { } j
                    ? (true, j.Project.Status == RecordStatus.Active)
                    : (false, false),
                FieldType.Location => (SetUp.Index.Of(Landing.Dimension.Location, code) > 0, true),
                FieldType.Channel => (SetUp.Index.Of(Landing.Dimension.Channel, code) > 0, true),
                FieldType.Method => (SetUp.Index.Of(Landing.Dimension.Method, code) > 0, true),
                FieldType.Reason => (SetUp.Index.Of(Landing.Dimension.Reason, code) > 0, true),
                FieldType.Currency => (Currencies.Exists(code), true),
                FieldType.TaxCode => (SetUp.Taxes.Code(code) is not null, true),
                _ => (true, true),
            };
            if (!known)
                Faults.Add(
                    new Fault(
                        "unknown-record",
                        $"{EventPlace.InWords(place)}: there is no {Words.Of(type).Replace('-', ' ')} {code}; create it or correct the code.",
                        place
                    )
                );
            else if (
                !active && !Remarks.Any(r => r.Message.EndsWith($" {code} is archived.", StringComparison.Ordinal))
            )
                Remarks.Add(
                    new Fault(
                        "archived-record",
                        Severity.Warning,
                        $"{char.ToUpperInvariant(Words.Of(type)[0])}{Words.Of(type)[1..]} {code} is archived."
                    )
                );
        }
    }
}
