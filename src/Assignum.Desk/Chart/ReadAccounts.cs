using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Ledger;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Chart;

/// <summary>What is known of an account beside its row.</summary>
/// <param name="Live">What names it in the live edition and no longer in the draft.</param>
public sealed record AccountFacts(
    IReadOnlyList<(string Number, DateTime Until, string Who)> Former,
    IReadOnlyList<NoteRow> Notes,
    long Lines,
    DateOnly? First,
    DateOnly? Last,
    IReadOnlyList<AccountReference> Live
);

/// <summary>A choice for a field that takes an account.</summary>
/// <param name="Why">Why it does not suit, as an error or a warning; null: it does.</param>
public sealed record AccountChoice(Account Account, Fault? Why);

/// <summary>Reads what pages say of accounts.</summary>
public sealed class ReadAccounts(DeskContext desk, ViewSetUp view)
{
    // Choices that are ranked by recent use; more than a person reads.
    private const int Ranked = 200;

    /// <summary>Former numbers, notes with author and time, what was posted, what only the live edition says.</summary>
    public async Task<AccountFacts> FactsAsync(Visit visit, SetUp draft, string number, CancellationToken stop)
    {
        var state = visit.State;
        await using var db = await desk.Database.OpenAsync(stop);
        var former = await ChartStore.FormerAsync(db, state.Id, number, stop);
        var notes = await ChartStore.NotesAsync(db, state.Id, number, stop);
        var (lines, first, last) = await ChartStore.PostedAsync(db, state.Id, number, stop);
        IReadOnlyList<AccountReference> live = [];
        if (state.Latest is not null && state.Draft is not null)
        {
            var now = ChartReferences.To(draft, number).Select(Named).ToHashSet();
            live =
            [
                .. ChartReferences
                    .To(
                        (await view.OfAsync(state, state.Latest.Number.ToString(), null, stop)).Result!.SetUp.SetUp,
                        number
                    )
                    .Where(r => !now.Contains(Named(r))),
            ];
        }
        return new AccountFacts(former, notes, lines, first, last, live);
    }

    /// <summary>The lines of some days on some accounts together, a page at a time.</summary>
    /// <param name="numbers">One account, or all below a heading.</param>
    public async Task<IReadOnlyList<CardLine>> CardAsync(
        Visit visit,
        IReadOnlyCollection<string> numbers,
        DateOnly? from,
        DateOnly? to,
        int skip,
        int limit,
        CancellationToken stop
    )
    {
        var state = visit.State;
        await using var db = await desk.Database.OpenAsync(stop);
        return await ChartStore.CardAsync(db, state.Id, [.. numbers], from, to, skip, limit, stop);
    }

    /// <summary>
    /// What already uses an account in a way that does not suit the control it has or is about to get: assignments of
    /// other purposes, lines posted for them or by hand, lines without the party, item or project its subledger goes
    /// by.
    /// </summary>
    public async Task<IReadOnlyList<string>> WrongUsesAsync(
        Visit visit,
        SetUp setUp,
        Account account,
        CancellationToken stop
    )
    {
        var state = visit.State;
        var said = ChartReferences
            .UnfitUses(setUp, account)
            .Select(u => $"{u.Reference.What.Replace('-', ' ')} ({u.Reference.Where}): {u.Why.Message}")
            .ToList();
        var named = account.Control switch
        {
            Control.Receivables or Control.Payables => "party",
            Control.Stock => "item",
            Control.Projects => "project",
            _ => null,
        };
        await using var db = await desk.Database.OpenAsync(stop);
        foreach (var use in await ChartStore.UseAsync(db, state.Id, account.Number, named, stop))
        {
            var lines = use.Lines == 1 ? "1 line" : $"{use.Lines} lines";
            var purpose = use.Purpose is null ? null : Purposes.Find(use.Purpose);
            if (use.Purpose is null && account.Control != Control.None)
                said.Add($"{lines} posted by hand.");
            else if (purpose is not null && purpose.Control != account.Control)
                said.Add(
                    $"{lines} posted for {purpose.Name.Replace('-', ' ')}, which belongs to "
                        + (
                            purpose.Control == Control.None
                                ? "no subledger."
                                : Core.Words.Of(purpose.Control).Replace('-', ' ') + "."
                        )
                );
            if (use.Nameless > 0)
                said.Add(
                    $"{(use.Nameless == 1 ? "1 line names" : $"{use.Nameless} lines name")} no {named}: the "
                        + $"subledger cannot hold {(use.Nameless == 1 ? "it" : "them")}."
                );
        }
        return said;
    }

    /// <summary>
    /// Accounts by number, short code or any part of the name, those that suit first, then by how they were found and
    /// when
    /// they were last posted on.
    /// </summary>
    /// <param name="headings">Headings instead of posting accounts: what an account can stand under.</param>
    public async Task<IReadOnlyList<AccountChoice>> ChoicesAsync(
        Visit visit,
        string text,
        Purpose? purpose,
        bool judged,
        bool byDefault,
        bool headings,
        int most,
        CancellationToken stop
    )
    {
        var state = visit.State;
        var setUp = (await view.OfAsync(state, "draft", null, stop)).Result!.SetUp.SetUp;
        var found = setUp
            .Accounts.Where(a => (a.Kind == AccountKind.Heading) == headings)
            .Select(a =>
                (Account: a, Place: setUp.FormerNumbers.GetValueOrDefault(text) == a.Number ? 0 : Place(a, text))
            )
            .Where(f => f.Place < 9)
            .Select(f => (f.Account, f.Place, Why: Why(f.Account, purpose, judged, byDefault, headings)))
            .OrderBy(f => Weight(f.Why))
            .ThenBy(f => f.Place)
            .ThenBy(f => f.Account.Number, StringComparer.Ordinal)
            .Take(Ranked)
            .ToList();
        if (found.Count > most)
        {
            await using var db = await desk.Database.OpenAsync(stop);
            var recent = await ChartStore.RecentAsync(db, state.Id, [.. found.Select(f => f.Account.Number)], stop);
            found =
            [
                .. found
                    .OrderBy(f => Weight(f.Why))
                    .ThenBy(f => f.Place)
                    .ThenByDescending(f => recent.GetValueOrDefault(f.Account.Number))
                    .ThenBy(f => f.Account.Number, StringComparer.Ordinal),
            ];
        }
        return [.. found.Take(most).Select(f => new AccountChoice(f.Account, f.Why))];
    }

    private static Fault? Why(Account account, Purpose? purpose, bool judged, bool byDefault, bool headings) =>
        headings
            ? account.Status == RecordStatus.Archived
                ? Fitness.Usable(account.Number, account with { Kind = AccountKind.Posting })
                : null
            : judged
                ? Fitness.Of(account, purpose, byDefault)
                : Fitness.Usable(account.Number, account);

    private static int Weight(Fault? why) =>
        why is null ? 0
        : why.Severity == Core.Severity.Warning ? 1
        : 2;

    private static int Place(Account account, string text) =>
        text.Length == 0 ? 3
        : account.Number.Equals(text, StringComparison.OrdinalIgnoreCase)
        || account.ShortCode is not null && account.ShortCode.Equals(text, StringComparison.OrdinalIgnoreCase)
            ? 0
        : account.Number.StartsWith(text, StringComparison.OrdinalIgnoreCase)
        || account.ShortCode is not null && account.ShortCode.StartsWith(text, StringComparison.OrdinalIgnoreCase)
            ? 1
        : account.Name.StartsWith(text, StringComparison.OrdinalIgnoreCase) ? 2
        : account.Name.Contains(text, StringComparison.OrdinalIgnoreCase) ? 3
        : account.Number.Contains(text, StringComparison.OrdinalIgnoreCase) ? 4
        : 9;

    private static (string, string, string) Named(AccountReference reference) =>
        (reference.Part.Name, reference.What, reference.Where);
}
