using Assignum.Core.Calendar;
using Assignum.Core.Checks;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Desk.Checks;
using Assignum.Storage;

namespace Assignum.Desk.SetUps;

/// <summary>Makes the draft the edition in force from a day on.</summary>
public sealed class PublishDraft(DeskContext desk)
{
    /// <summary>Publishes. Events that are being posted finish under the old edition; the next sees the new
    /// one.</summary>
    /// <param name="expected">The state that was looked at (see <see cref="ImportBundle.StateOf"/>); publishing what
    /// somebody changed since is refused. Null: whatever it is.</param>
    public async Task<Outcome<EditionRow>> RunAsync(
        Actor actor,
        string entity,
        DateOnly? from,
        string? note,
        CancellationToken stop,
        string? expected = null
    )
    {
        if (from is not { } day || day.Year is < 1900 or > 2200)
            return Outcome<EditionRow>.No(
                Refusal.Invalid,
                "bad-date",
                "Say from which day the edition is in force, as YYYY-MM-DD.",
                "from"
            );
        if (note?.Length > 2000)
            return Outcome<EditionRow>.No(
                Refusal.Invalid,
                "too-long",
                "The note has more than 2000 characters.",
                "note"
            );
        return await desk.HoldAsync(
            actor,
            entity,
            Role.Reviewer,
            SetUpWriter.Needs,
            held => PublishedAsync(held, day, note, expected, stop),
            stop
        );
    }

    // What checks find in the draft and no reviewer has accepted; errors need no books.
    private static async Task<IReadOnlyList<Finding>> ErrorsAsync(
        Held held,
        CompiledSetUp draft,
        CancellationToken stop
    )
    {
        var today = held.State.Today;
        var accepted = (await FindingStore.AcceptedAsync(held.Db, held.State.Id, stop)).ToDictionary(a => a.Identity);
        return
        [
            .. Findings
                .Of(draft, today)
                .Where(f => f.Severity == FindingSeverity.Error)
                .Where(f => !(accepted.GetValueOrDefault(f.Identity) is { } row && ReadFindings.Holds(row, f, today))),
        ];
    }

    private static async Task<Outcome<EditionRow>> PublishedAsync(
        Held held,
        DateOnly day,
        string? note,
        string? expected,
        CancellationToken stop
    )
    {
        var (db, state, actor) = (held.Db, held.State, held.Actor);
        if (expected is not null && expected != ImportBundle.StateOf(state))
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                "changed-meanwhile",
                "The draft or the records changed since you read them."
            );
        if (state.WorkedIn is { } whatIf)
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                "what-if",
                $"You work in the what-if {whatIf.Name}: merge it into the draft, and publish that."
            );
        if (state.Draft is not { } draft)
            return Outcome<EditionRow>.No(Refusal.Conflict, "no-draft", "There is no draft to publish.");
        if (state.Latest is { } latest && day < latest.ValidFrom)
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                "before-latest",
                latest.ValidFrom > state.Today
                    ? $"Edition {latest.Number} comes on {WrittenDay.Say(latest.ValidFrom)}, and the next one cannot "
                        + "begin before it. Where nothing was posted by it, it can be withdrawn: it stands beside as "
                        + "a what-if then, and this one can be published before it."
                    : $"Edition {latest.Number} is in force from {WrittenDay.Say(latest.ValidFrom)}; the next one "
                        + "cannot begin before it.",
                "from"
            );
        if (draft.BasedOn != (state.Latest?.Number ?? 0))
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                "not-on-latest",
                $"The draft was made on edition {draft.BasedOn}, and edition {state.Latest!.Number} is the latest: "
                    + "bring it onto that first."
            );
        var current = await SetUpWriter.CurrentAsync(held, stop);
        var setUp = current.SetUp;
        if (setUp.Periods.FirstOrDefault(p => p.Closed && day >= p.From && day <= p.To) is { } closed)
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                "period-closed",
                $"{WrittenDay.Say(day)} is in a closed period ({WrittenDay.Say(closed.From)} to {WrittenDay.Say(closed.To)}): "
                    + "choose a later day.",
                "from"
            );
        var live = state.Latest is null ? null : await held.SetUpAsync(state.Latest.Number!.Value, null, stop);
        // Whose policy counts is the live one: a draft cannot switch off the eyes that would see it. The first has none
        // before it.
        if (
            live is { Policies.FourEyes: true }
            && await KeepDrafts.EditedAsync(db, state, draft, actor.Name, stop)
            && (await EditionStore.ApprovalsAsync(db, state.Id, draft, stop)).Count == 0
        )
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                "four-eyes",
                "The policy four-eyes is on and you changed this draft: somebody who did not must approve it as it "
                    + "is now, or publish it."
            );

        if (live is { Policies.ErrorsRefused: true } && await ErrorsAsync(held, current, stop) is { Count: > 0 } errors)
            return Outcome<EditionRow>.No(
                Refusal.Conflict,
                [.. errors.Take(20).Select(e => new Core.Fault("error-findings", e.Message, "", e.Purpose, e.Account))]
            );

        var number = state.NextNumber;
        await PostingNumbers.HoldAsync(db, state.Id, stop);
        // An account that the draft makes a heading may have been posted on since.
        if (
            live is not null
            && await SetUpWriter.KindsAsync(
                db,
                state,
                SetUpImport.Difference(live.SetUp, setUp, [Parts.Accounts]),
                stop
            )
                is { Count: > 0 } turned
        )
            return Outcome<EditionRow>.No(Refusal.Conflict, [.. turned.Select(f => new Core.Fault(f.Code, f.Message))]);
        await SetUpStore.PublishAsync(db, state.Id, draft.Id, number, stop);
        await EditionStore.MarkPublishedAsync(db, state.Id, draft.Id, number, day, note, actor.Name, stop);
        // Records are as they were: what was made of the draft is what the edition is.
        await EditionStore.TouchAsync(db, state.Id, null, stop, records: false);
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            "edition published",
            $"edition {number}",
            null,
            new
            {
                number,
                from = day.ToString("yyyy-MM-dd"),
                note,
            },
            stop
        );
        held.Afterwards(DeskFigures.Published);
        return draft with
        {
            Number = number,
            Status = "published",
            ValidFrom = day,
            Note = note,
            PublishedBy = actor.Name,
        };
    }
}
