using Assignum.Core.Records;

namespace Assignum.Core.Books;

/// <summary>What is kept of a project beside its record: what it is expected to cost in all and what its contract is
/// worth, base currency.</summary>
/// <param name="Version">Counts its changes; 0: nothing is kept.</param>
public sealed record ProjectEstimate(
    string Project,
    decimal? EstimatedCost,
    decimal? ContractValue,
    bool Complete,
    int Version
);

/// <summary>What the books say of a project up to a day; base currency.</summary>
public sealed record ProjectFigures(
    string Project,
    decimal CostToDate,
    decimal BilledToDate,
    decimal CostRecognised,
    decimal RevenueRecognised,
    decimal AccruedRevenue
);

/// <summary>What a project is about to recognise.</summary>
/// <param name="Cost">Cost that enters the profit and loss account.</param>
/// <param name="Revenue">Revenue that does.</param>
/// <param name="Wrong">Why nothing can be recognised; null: it can.</param>
/// <param name="Warning">What to look at before; null: nothing.</param>
/// <param name="Number">The entry; null: it is proposed, or there is nothing to recognise.</param>
public sealed record RecognitionRow(
    string Project,
    string Name,
    Recognise Method,
    ProjectEstimate Estimate,
    ProjectFigures Figures,
    decimal Cost,
    decimal Revenue,
    string? Wrong,
    string? Warning,
    string? Number
);
