using Assignum.Core.Events;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;

namespace Assignum.Core.Entries;

/// <summary>A line of the event with what it inherits from the document and what its codes stand for.</summary>
/// <param name="Project">The line's project, else the event's; null: none.</param>
public sealed record SheetLine(int Number, EventLine Source, KnownItem? Item, KnownProject? Project, LegContext Context)
{
    /// <summary>JSON path of the line.</summary>
    public string Path => $"lines[{Number}]";

    /// <summary>Units; 1 where the line gives none.</summary>
    public decimal Quantity => Source.Quantity ?? 1;

    /// <summary>Whether the item's value passes through stock.</summary>
    public bool IsStock => Item is { Item.IsStockItem: true };

    /// <summary>Whether the item is costed at standard.</summary>
    public bool AtStandard => Item is { Item.Costing: Costing.Standard };

    /// <summary>Whether the line moves value alone: it gives an amount and says that no unit moves.</summary>
    public bool ValueAlone => Source is { Quantity: 0, Amount: not null };

    /// <summary>Whether the line is for a project that recognises as billed.</summary>
    public bool AsBilled => Project is { Recognise: Recognise.AsBilled };
}

public sealed partial class EntrySheet
{
    private SheetLine[]? lines;

    /// <summary>The event's lines in order.</summary>
    public IReadOnlyList<SheetLine> Lines => lines ??= [.. Event.Lines.Select(NewLine)];

    /// <summary>The values of an item at the event's location, for legs about something made (output).</summary>
    public LegContext ItemContext(string code, string? location)
    {
        var values = Document.Values;
        SetItem(ref values, SetUp.Item(code));
        return (Document with { Values = values, Item = code }).AtLocation(SetUp.Index, location);
    }

    /// <summary>The values of a hand-written line: it has a party of its own.</summary>
    public LegContext HandContext(SheetLine line)
    {
        var values = line.Context.Values;
        var party = line.Source.Party ?? Event.Party;
        SetParty(ref values, party is null ? null : SetUp.Party(party));
        return line.Context with
        {
            Values = values,
            Party = party,
            Written = null,
            LegCurrency = line.Source.Currency ?? Currency,
            Channel = line.Source.Channel ?? Event.Channel,
            Method = line.Source.Method ?? Event.Method,
            Quantity = line.Source.Quantity ?? 0,
            Due = line.Source.Due ?? Event.Due,
            Opened = line.Source.Document,
        };
    }

    /// <summary>Where in the event the line or charge of a context stands; empty: the document.</summary>
    public string PathOf(LegContext context) =>
        context.Line is not { } n ? ""
        : n < Event.Lines.Count ? $"lines[{n}]"
        : $"charges[{n - Event.Lines.Count}]";

    /// <summary>A charge as a line: it has the document's values and its own item, if any.</summary>
    public LegContext ChargeContext(EventCharge charge, int number)
    {
        var values = Document.Values;
        SetItem(ref values, charge.Item is null ? null : SetUp.Item(charge.Item));
        return Document with
        {
            Values = values,
            Item = charge.Item,
            Written = Number(charge.Account),
            Text = charge.Text ?? Event.Text,
            Line = Event.Lines.Count + number,
        };
    }

    /// <summary>The tax category that a charge asks the matrix with: its own, else its item's, else
    /// <c>standard</c>.</summary>
    public string CategoryOf(EventCharge charge) =>
        charge.TaxCategory ?? (charge.Item is null ? null : SetUp.Item(charge.Item)?.Item.TaxCategory) ?? "standard";

    /// <summary>
    /// Cost of a quantity in base currency, rounded: at the event's unit cost, or at standard where the event gives
    /// none
    /// or the item is costed at standard. No cost at all is an error; the answer is then null.
    /// </summary>
    public decimal? Cost(SheetLine line)
    {
        if (line.ValueAlone)
            return RoundBase(line.Source.Amount!.Value);
        if (line.Item is null)
        {
            Fail("missing-field", $"{line.Path} needs an item to be costed.", line.Path + ".item");
            return null;
        }
        return Cost(line.Item.Item, line.Quantity, line.Source.UnitCost, line.Path);
    }

    /// <summary>The same for an item that is not on a line.</summary>
    public decimal? Cost(Item item, decimal quantity, decimal? unitCost, string path)
    {
        var unit = item.Costing == Costing.Standard ? item.StandardCost ?? unitCost : unitCost ?? item.StandardCost;
        if (unit is not null)
            return RoundBase(quantity * unit.Value);
        Fail(
            "no-cost",
            $"Item {item.Code} has no cost: send unitCost, or give the item a standard cost.",
            path + ".unitCost"
        );
        return null;
    }

    /// <summary>Standard cost of a line's quantity in base currency, or null (an error is written) when the item has
    /// none.</summary>
    public decimal? StandardCost(SheetLine line, decimal? quantity = null)
    {
        if (line.Item!.Item.StandardCost is { } unit)
            return RoundBase((quantity ?? line.Quantity) * unit);
        Fail(
            "no-cost",
            $"Item {line.Item.Item.Code} is costed at standard and has no standard cost: give it one.",
            line.Path + ".item"
        );
        return null;
    }

    /// <summary>Gross, discount and net of a priced line in the event's currency, before tax is taken out.</summary>
    public (decimal Gross, decimal Discount, decimal Net) Price(SheetLine line)
    {
        var gross = Round(line.ValueAlone ? line.Source.Amount!.Value : line.Quantity * (line.Source.UnitPrice ?? 0));
        var discount = Round(line.Source.Discount ?? gross * (line.Source.DiscountPercent ?? 0) / 100);
        return (gross, discount, gross - discount);
    }

    /// <summary>An account as it was written, by the number it has today; null: none was.</summary>
    public string? Number(string? written) => written is null ? null : SetUp.NumberOf(written);

    private SheetLine NewLine(EventLine line, int number)
    {
        var item = line.Item is null ? null : SetUp.Item(line.Item);
        var projectCode = line.Project ?? Event.Project;
        var values = Document.Values;
        SetItem(ref values, item);
        SetProject(ref values, projectCode);
        var location = line.Location ?? Event.Location;
        var reason = line.Reason ?? Event.Reason;
        values[Dimension.Location] = SetUp.Index.Of(Dimension.Location, location);
        values[Dimension.Reason] = SetUp.Index.Of(Dimension.Reason, reason);
        var context = Document with
        {
            Values = values,
            Written = Number(line.Account),
            Line = number,
            Item = line.Item,
            Location = location,
            Project = projectCode,
            Reason = reason,
            Text = line.Text ?? Event.Text,
            Dimensions = Merge(Event.Dimensions, line.Dimensions),
            Order = line.Order ?? Event.Order,
        };
        return new SheetLine(number, line, item, projectCode is null ? null : SetUp.Project(projectCode), context);
    }

    private static IReadOnlyDictionary<string, string>? Merge(
        IReadOnlyDictionary<string, string>? document,
        IReadOnlyDictionary<string, string>? line
    )
    {
        if (document is null || line is null)
            return line ?? document;
        var merged = new Dictionary<string, string>(document, StringComparer.Ordinal);
        foreach (var (dimension, value) in line)
            merged[dimension] = value;
        return merged;
    }
}
