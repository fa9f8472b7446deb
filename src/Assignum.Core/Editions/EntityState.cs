using Assignum.Core.Calendar;

namespace Assignum.Core.Editions;

/// <summary>An edition as stored.</summary>
/// <param name="Number">Null until published.</param>
/// <param name="ValidFrom">First day it decides landings; null until published.</param>
/// <param name="BasedOn">Number of the edition it was opened on, 0 before the first.</param>
/// <param name="Revision">Moves with every change of a draft.</param>
/// <param name="Name">A what-if's name; null of the draft and of what was published.</param>
/// <param name="FormerNumber">The number it bore before it was withdrawn.</param>
/// <param name="MergedInto">The draft that a what-if was merged into, by its id.</param>
public sealed record EditionRow(
    int Id,
    int? Number,
    string Status,
    int BasedOn,
    DateOnly? ValidFrom,
    string? Note,
    long Revision,
    string OpenedBy,
    DateTime OpenedAt,
    string? PublishedBy,
    DateTime? PublishedAt,
    string? Name = null,
    int? MergedInto = null,
    int? FormerNumber = null
);

/// <summary>What a published edition is on a day: to come, in force, over, or overtaken before it ever was in
/// force.</summary>
public enum EditionStanding
{
    Coming,
    Live,
    Past,
    Overtaken,
}

/// <summary>An entity's code, id and revision, with its editions.</summary>
/// <param name="Editions">Published ones and the drafts that are or were to be; without what-ifs.</param>
/// <param name="WhatIfs">The what-ifs, open or discarded.</param>
public sealed record EntityState(
    int Id,
    string Code,
    string Name,
    string Currency,
    long RecordsRevision,
    IReadOnlyList<EditionRow> Editions,
    IReadOnlyList<EditionRow> WhatIfs
)
{
    /// <summary>Its fiscal years and its days.</summary>
    public EntityCalendar Calendar { get; init; } = new(null, null);

    /// <summary>The day that it is for the entity, when it was entered.</summary>
    public DateOnly Today { get; init; }

    /// <summary>The what-if that whoever asks works in; null: in the draft.</summary>
    public EditionRow? WorkedIn { get; init; }

    /// <summary>The published edition that whoever asks looks at as it is; nothing is changed meanwhile. Null:
    /// none.</summary>
    public EditionRow? LookedAt { get; init; }

    /// <summary>What is worked on: the what-if chosen, else the draft; null where none is open.</summary>
    public EditionRow? Draft => WorkedIn ?? MainDraft;

    /// <summary>The one draft that can be published, or null.</summary>
    public EditionRow? MainDraft => Editions.FirstOrDefault(e => e.Status == "draft");

    /// <summary>The open what-if of that id, or null.</summary>
    public EditionRow? WhatIf(int id) => WhatIfs.FirstOrDefault(w => w.Id == id && w.Status == "draft");

    /// <summary>The newest published edition, or null.</summary>
    public EditionRow? Latest => Editions.Where(e => e.Number is not null).MaxBy(e => e.Number);

    /// <summary>The number that the next edition gets: none is given twice, also where one was withdrawn.</summary>
    public int NextNumber =>
        1 + Editions.Concat(WhatIfs).Select(e => Math.Max(e.Number ?? 0, e.FormerNumber ?? 0)).DefaultIfEmpty(0).Max();

    /// <summary>The published edition before one, by number; null: it is the first.</summary>
    public EditionRow? BeforeOf(int number) => Editions.Where(e => e.Number < number).MaxBy(e => e.Number);

    /// <summary>The last day on which an edition decides, given that it begins to; null: no later one is published. A
    /// day before its first: it never does.</summary>
    public DateOnly? LastDayOf(EditionRow edition) =>
        Editions.Where(e => e.Number > edition.Number).Select(e => e.ValidFrom).Min()?.AddDays(-1);

    /// <summary>What a published edition is on a day.</summary>
    public EditionStanding StandingOf(EditionRow edition, DateOnly day) =>
        LastDayOf(edition) is { } last && last < edition.ValidFrom ? EditionStanding.Overtaken
        : edition.ValidFrom > day ? EditionStanding.Coming
        : LastDayOf(edition) is { } end && end < day ? EditionStanding.Past
        : EditionStanding.Live;

    /// <summary>The published edition in force on a day, or null before the first.</summary>
    public EditionRow? InForce(DateOnly day) =>
        Editions.Where(e => e.Number is not null && e.ValidFrom <= day).MaxBy(e => e.Number);

    /// <summary>Whether what is posted comes out the same: the same records, editions and calendar.</summary>
    public bool SameAs(EntityState other) =>
        Id == other.Id
        && RecordsRevision == other.RecordsRevision
        && Calendar == other.Calendar
        && Editions.SequenceEqual(other.Editions);

    /// <summary>The number of the edition that says what accounts are on a day: the one in force, before the first that
    /// first one; 0 where nothing is published.</summary>
    public int DecidesOn(DateOnly day) =>
        InForce(day)?.Number ?? Editions.Select(e => e.Number).OfType<int>().DefaultIfEmpty(0).Min();
}

/// <summary>An entity in a list.</summary>
public sealed record EntityRow(int Id, string Code, string Name, string Currency);
