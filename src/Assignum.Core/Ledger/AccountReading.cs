namespace Assignum.Core.Ledger;

/// <summary>How lines use a control account without what its subledger needs.</summary>
/// <param name="Purpose">The purpose they were posted for; null: by hand.</param>
/// <param name="Nameless">Lines that name no party, item or project.</param>
public sealed record ControlUse(string? Purpose, long Lines, long Nameless, decimal Balance);

/// <summary>A note on an account: what it said, who wrote it and when; null text: it was taken away.</summary>
public sealed record NoteRow(string? Text, string Who, DateTime At);
