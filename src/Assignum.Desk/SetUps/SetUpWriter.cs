using Assignum.Core;
using Assignum.Core.Editions;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk.Access;
using Assignum.Formats.Json;
using Assignum.Storage;
using Npgsql;

namespace Assignum.Desk.SetUps;

/// <summary>How a planned change of the draft and the records is stored: rows, what was changed, audit. Imports, edits
/// and undoing all end here.</summary>
internal static class SetUpWriter
{
    /// <summary>The set-ups that a change needs: the draft, or what it would be opened on, and the live edition, which
    /// says what is used.</summary>
    public static IEnumerable<(int Number, EditionRow? Draft)> Needs(EntityState state)
    {
        yield return (View(state).Number, state.Draft);
        if (state.Latest is { Number: { } latest })
            yield return (latest, null);
    }

    /// <summary>The draft over the edition it is based on, or what a draft would be opened on; with the records. While
    /// the entity is held nobody can change it.</summary>
    public static Task<CompiledSetUp> CurrentAsync(Held held, CancellationToken stop) =>
        held.SetUpAsync(View(held.State).Number, held.State.Draft, stop);

    /// <summary>What the journal and the live edition refer to, of some parts, and of accounts with them; of none,
    /// nothing is asked.</summary>
    public static async Task<Func<Part, string, bool>> UsesAsync(
        Held held,
        IEnumerable<Part> parts,
        CancellationToken stop
    )
    {
        var (db, state) = (held.Db, held.State);
        parts = [.. parts];
        if (!parts.Any())
            return (_, _) => false;
        var uses = new Dictionary<Part, HashSet<string>>();
        foreach (var part in parts.Append(Parts.Accounts).Distinct())
            uses[part] = [.. await EntityStore.JournalUsesAsync(db, state.Id, part.Name, stop)];
        uses[Parts.Accounts].UnionWith(await EntityStore.NamedElsewhereAsync(db, state.Id, state.Draft?.Id, stop));
        if (state.Latest is not null)
            foreach (
                var (part, code) in SetUpImport.References(
                    (await held.SetUpAsync(state.Latest.Number!.Value, null, stop)).SetUp
                )
            )
                if (uses.TryGetValue(part, out var codes))
                    codes.Add(code);
        return (part, code) => uses.TryGetValue(part, out var codes) && codes.Contains(code);
    }

    /// <summary>Whether edits or files may touch what postings rest on while they go on: then no posting goes on
    /// meanwhile.</summary>
    public static bool HoldsPostings(RowChange edit) =>
        edit.Part == Parts.Periods
        || edit.Part == Parts.Accounts && (edit.After is null || Renumbering.Renumbers(edit) || TurnsKind(edit));

    /// <summary>Why changes cannot be, whoever's rows they are: periods are a reviewer's, and what an account was
    /// posted on as, it stays.</summary>
    public static async Task<IReadOnlyList<Fault>> RefusedAsync(
        NpgsqlConnection db,
        EntityState state,
        Actor actor,
        IReadOnlyList<RowChange> changes,
        CancellationToken stop
    )
    {
        var faults = new List<Fault>();
        if (changes.Any(c => c.Part == Parts.Periods) && !actor.May(Role.Reviewer, state.Code))
            faults.Add(
                new Fault(
                    Parts.Periods.Name,
                    0,
                    "status",
                    NotYours,
                    "Periods are opened and closed by a reviewer: ask one, or leave periods.csv out."
                )
            );
        faults.AddRange(await KindsAsync(db, state, changes, stop));
        faults.AddRange(await TwicePairedAsync(db, state, changes, stop));
        return faults;
    }

    // Of a source none of theirs is two of ours; where entries go on, none of ours is two of theirs.
    private static async Task<IReadOnlyList<Fault>> TwicePairedAsync(
        NpgsqlConnection db,
        EntityState state,
        IReadOnlyList<RowChange> changes,
        CancellationToken stop
    )
    {
        var added = changes.Where(c => c.Part == Parts.Pairings && c is { Before: null, After: not null }).ToList();
        if (added.Count == 0)
            return [];
        var ledgers = (await ConnectionStore.ListAsync(db, state.Id, stop))
            .Where(c => c.Of.TakesEntries)
            .Select(c => c.Code)
            .ToHashSet(StringComparer.Ordinal);
        var gone = changes
            .Where(c => c.Part == Parts.Pairings && c is { Before: not null, After: null })
            .Select(c => c.Key)
            .ToHashSet(StringComparer.Ordinal);
        var stands = new Dictionary<(string?, string?, string?), string?>();
        foreach (var cells in await LinkRecordStore.PairedAsync(db, state.Id, [.. added.Select(c => c.After!)], stop))
            if (!gone.Contains(Parts.Pairings.KeyOf(cells)))
                stands[Subject(cells)] = cells[3] ?? "nothing";
        var faults = new List<Fault>();
        foreach (var change in added)
        {
            var cells = change.After!;
            if (ledgers.Contains(cells[0]!) && cells[3] is null)
                continue;
            var ledger = ledgers.Contains(cells[0]!);
            if (stands.TryAdd(Subject(cells), ledger ? cells[2] : cells[3] ?? "nothing"))
                continue;
            var (one, other) = (ledger ? $"{cells[3]} of ours" : $"{cells[2]} of {cells[0]}", stands[Subject(cells)]);
            faults.Add(
                new Fault(
                    Parts.Pairings.Name,
                    0,
                    ledger ? "ours" : "theirs",
                    "exists",
                    $"{cells[1]} {one} is paired with {other} already: take that back first."
                )
            );
        }
        return faults;

        (string?, string?, string?) Subject(string?[] cells) =>
            (cells[0], cells[1], ledgers.Contains(cells[0]!) ? "o:" + cells[3] : "t:" + cells[2]);
    }

    /// <summary>The code of a fault that is somebody's role.</summary>
    public const string NotYours = "role-needed";

    /// <summary>Accounts that something is posted on and that would become headings, or the other way.</summary>
    public static async Task<IReadOnlyList<Fault>> KindsAsync(
        NpgsqlConnection db,
        EntityState state,
        IReadOnlyList<RowChange> changes,
        CancellationToken stop
    )
    {
        var turned = changes.Where(TurnsKind).ToList();
        if (turned.Count == 0)
            return [];
        var posted = await EntityStore.JournalUsesAsync(db, state.Id, Parts.Accounts.Name, stop);
        // What was posted is asked by the numbers before.
        var old = Renumbering.In(changes).ToDictionary(n => n.Value, n => n.Key, StringComparer.Ordinal);
        return
        [
            .. turned
                .Where(c => posted.Contains(old.GetValueOrDefault(c.Key, c.Key)))
                .Select(c => new Fault(
                    Parts.Accounts.Name,
                    0,
                    "kind",
                    "kind-fixed",
                    $"Account {c.Key} was posted on and stays a posting account: archive it, and make another "
                        + "account the heading."
                )),
        ];
    }

    private static readonly int Kind = Parts.Accounts.Columns.ToList().FindIndex(c => c.Name == "kind");

    private static bool TurnsKind(RowChange change) =>
        change.Part == Parts.Accounts
        && change is { Before: { } before, After: { } after }
        && before[Kind] != after[Kind];

    /// <summary>Stores a plan's changes in the caller's transaction, opening the draft where one is wanted; returns the
    /// change's number.</summary>
    public static async Task<(long Change, bool Plain)> ApplyAsync(
        NpgsqlConnection db,
        EntityState state,
        Actor actor,
        IReadOnlyList<RowChange> changes,
        Func<Part, string, bool> inUse,
        string what,
        string? reason,
        long? undoes,
        CancellationToken stop
    )
    {
        // Whether something is used was asked by the numbers before; what follows a renumbering goes by the numbers
        // after it.
        var old = changes
            .Where(Renumbering.Renumbers)
            .ToDictionary(c => Parts.Accounts.KeyOf(c.After!), c => c.Key, StringComparer.Ordinal);
        var asked = inUse;
        if (old.Count > 0)
            inUse = (part, key) => asked(part, part == Parts.Accounts ? old.GetValueOrDefault(key, key) : key);
        // Of accounts only the terms of those in use wait in the draft: a new one or a new name opens none.
        var edition = changes.Any(c =>
            c.Part.HeldBy == HeldBy.Edition
            && !Core.Tables.GroupRenaming.Renames(c)
            && (
                c.Part != Parts.Accounts
                || c is { Before: not null, After: not null }
                    && !Renumbering.Renumbers(c)
                    && inUse(Parts.Accounts, c.Key)
                    && c.Cells.Any(x => Parts.AccountColumnsHeld.Contains(x.Column))
            )
        );
        var draft = state.Draft ?? (edition ? await EditionStore.OpenDraftAsync(db, state, actor.Name, stop) : null);
        var (waits, plain) = await SetUpStore.ApplyAsync(
            db,
            state.Id,
            new EditionView(View(state).Number, draft?.Id),
            InForce(state),
            changes,
            number => inUse(Parts.Accounts, number),
            actor.Name,
            stop
        );
        edition |= waits && draft is not null;
        if (Renumbering.In(changes) is { Count: > 0 } numbers)
            await WorkbenchStore.RewriteAsync(
                db,
                state.Id,
                document => EventAccounts.Renumber(document, numbers),
                stop
            );
        // Published editions are read anew only where what they are read with was changed.
        var (records, revision) = await EditionStore.TouchAsync(
            db,
            state.Id,
            draft?.Id,
            stop,
            changes.Any(c => c.Part.HeldBy == HeldBy.Records || c.Part == Parts.Accounts || SetUpEdit.Rekeys(c))
        );
        var id = await ChangeStore.KeepAsync(
            db,
            state.Id,
            actor.Name,
            what,
            reason,
            edition ? draft?.Id : null,
            changes,
            undoes,
            new Revisions(records, revision, draft?.Id, plain),
            stop
        );
        await EntityStore.AuditAsync(
            db,
            state.Id,
            actor.Name,
            what,
            edition ? EntityStore.DraftOf(state.Code, state.WorkedIn?.Id) : state.Code,
            null,
            new
            {
                change = id,
                reason,
                rows = Summary(changes),
            },
            stop
        );
        return (id, plain);
    }

    /// <summary>Remembers what a change made, once it is durable.</summary>
    public static async Task RememberAsync(
        DeskContext desk,
        Held held,
        SetUp next,
        CompiledSetUp from,
        bool plain,
        CancellationToken stop
    )
    {
        var before = held.State;
        var after = (await EditionStore.StateAsync(held.Db, before.Code, false, stop))!;
        if (before.WorkedIn is { } whatIf)
            after = after with { WorkedIn = after.WhatIf(whatIf.Id) };
        held.Afterwards(() => desk.Shelf.Put(after, next, from, plain));
    }

    /// <summary>Number of the edition in force today; null where nothing is published.</summary>
    internal static int? InForce(EntityState state) => state.Latest is null ? null : state.DecidesOn(state.Today);

    private static EditionView View(EntityState state) =>
        new(state.Draft?.BasedOn ?? state.Latest?.Number ?? 0, state.Draft?.Id);

    private static Dictionary<string, Dictionary<string, int>> Summary(IReadOnlyList<RowChange> changes) =>
        changes
            .GroupBy(c => c.Part.Name)
            .ToDictionary(
                g => g.Key,
                g => g.GroupBy(c => Core.Words.Of(c.Kind)).ToDictionary(k => k.Key, k => k.Count())
            );
}
