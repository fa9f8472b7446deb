using Assignum.Core.Calendar;
using Assignum.Core.Events;
using Assignum.Core.SetUps;
using static Assignum.Core.Landing.Purposes;

namespace Assignum.Core.Entries.Kinds;

/// <summary>One entity charges another: an entry in each, both or neither.</summary>
public sealed class IntercompanyCharge : EventKind
{
    public override string Name => "intercompany-charge";
    public override string Title => "Charge to another entity";
    public override string Explain => "One entity charges another; both make an entry.";
    public override bool ChargesAnother => true;
    public override IReadOnlyList<string> Takes { get; } = ["counterparty", "counterpartyRate", "amount"];
    public override IReadOnlyList<string> Needs { get; } = ["counterparty", "amount"];

    public override void Write(EntrySheet sheet)
    {
        sheet.Debit(DueFromEntities, sheet.Amount(sheet.Event.Amount!.Value), sheet.Document);
        sheet.Credit(IntercompanyIncome, sheet.Amount(sheet.Event.Amount.Value), sheet.Document);
    }

    /// <summary>The other entity's side, resolved in its own edition with the charging entity as
    /// counterparty.</summary>
    internal MirrorEntry? Mirror(BusinessEvent source, CompiledSetUp charging, OtherSetUps? others, EntrySheet sheet)
    {
        var name = source.Counterparty!;
        if (name == charging.Entity.Code || others?.Invoke(name, source.Date) is not { } other)
        {
            sheet.Fail(
                "unknown-record",
                $"Entity {name} has no edition in force on {WrittenDay.Say(source.Date)}, or is this entity itself.",
                "counterparty"
            );
            return null;
        }
        if (MirrorRate(source, charging, other) is not { } rate)
        {
            sheet.Fail(
                "missing-rate",
                $"{name} keeps its books in {other.Entity.Currency}: give the counterparty rate, the "
                    + $"{other.Entity.Currency} for one {sheet.Currency}.",
                "counterpartyRate"
            );
            return null;
        }
        var mirrored = new BusinessEvent
        {
            Source = source.Source,
            Id = source.Id,
            Kind = Name,
            Date = source.Date,
            Currency = sheet.Currency,
            Rate = rate,
            Reference = source.Reference,
            Text = source.Text,
            Amount = source.Amount,
            Counterparty = charging.Entity.Code,
        };
        var theirs = new EntrySheet(other, this, mirrored, NoDocuments.Instance);
        theirs.Debit(IntercompanyExpense, theirs.Amount(source.Amount!.Value), theirs.Document);
        theirs.Credit(DueToEntities, theirs.Amount(source.Amount.Value), theirs.Document);
        var entry = EntryBuilder.Finish(theirs, this, source.Date);
        foreach (var error in theirs.Errors)
            sheet.Errors.Add(error with { Message = $"In {name}: {error.Message}" });
        return entry is null ? null : new MirrorEntry(name, entry);
    }

    private static decimal? MirrorRate(BusinessEvent source, CompiledSetUp charging, CompiledSetUp other)
    {
        var currency = source.Currency ?? charging.Entity.Currency;
        if (other.Entity.Currency == currency)
            return 1;
        return other.Entity.Currency == charging.Entity.Currency ? source.Rate : source.CounterpartyRate;
    }
}
