using System.Globalization;
using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Chart;
using Assignum.Core.Landing;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Core.Work;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Storage;

namespace Assignum.Desk.Chart;

/// <summary>An account with what it could be split into.</summary>
/// <param name="Standing">What stands on it, by the tags of the parts; what belongs to none under an empty one.</param>
/// <param name="TooMany">Purposes with too many combinations to be looked through: they stay as they are.</param>
public sealed record AccountToSplit(
    Account Account,
    IReadOnlyList<SplitPart> Parts,
    IReadOnlyDictionary<string, decimal> Standing,
    IReadOnlyList<Purpose> TooMany
);

/// <summary>What a split did.</summary>
/// <param name="Left">How many combinations of each purpose stay, because its ladder cannot tell them apart.</param>
/// <param name="Chained">Whether a reclassification of what stood there was put into the chain.</param>
public sealed record SplitDone(EditResult Edit, IReadOnlyDictionary<Purpose, Int128> Left, bool Chained);

/// <summary>Splits accounts that are in use.</summary>
public sealed class SplitAccounts(DeskContext desk, ViewSetUp view, EditSetUp edit, Workbench bench)
{
    /// <summary>What an account could be split into; null: there is none of that number that takes amounts.</summary>
    public async Task<AccountToSplit?> LookAsync(Visit visit, string number, SplitBy by, CancellationToken stop)
    {
        var setUp = (await view.OfAsync(visit.State, "draft", null, stop)).Result!.SetUp;
        if (setUp.Account(number) is not { Kind: AccountKind.Posting } account)
            return null;
        var split = new SplitAccount(setUp, account, by);
        var parts = split.Parts(out var tooMany);
        return new AccountToSplit(account, parts, split.Standing(await StandingAsync(visit, number, stop)), tooMany);
    }

    /// <summary>What the newest events would do elsewhere is worked out of these rows; nothing is changed.</summary>
    public async Task<Outcome<IReadOnlyList<RowChange>>> RowsAsync(
        Visit visit,
        string number,
        SplitBy by,
        IReadOnlyList<SplitPart> chosen,
        CancellationToken stop
    )
    {
        var (rows, _, faults) = await PlanAsync(visit, number, by, chosen, stop);
        return faults.Count > 0
            ? Outcome<IReadOnlyList<RowChange>>.No(Refusal.Invalid, faults)
            : new Outcome<IReadOnlyList<RowChange>>(rows, null, []);
    }

    /// <summary>Splits it, as one change.</summary>
    /// <param name="reclassify">Whether an entry that moves what stands there is put into the chain of whoever asks: it
    /// is rehearsed like any other, nothing is posted.</param>
    public async Task<Outcome<SplitDone>> RunAsync(
        Visit visit,
        string number,
        SplitBy by,
        IReadOnlyList<SplitPart> chosen,
        bool reclassify,
        string? reason,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        var (rows, left, faults) = await PlanAsync(visit, number, by, chosen, stop);
        if (faults.Count > 0)
            return Outcome<SplitDone>.No(Refusal.Invalid, faults);
        var made = await edit.RunAsync(
            actor,
            state.Code,
            $"account {number} split into {string.Join(", ", chosen.Select(p => p.Number))}",
            reason,
            rows,
            stop
        );
        if (made.Result is not { } done)
            return made.Pass<SplitDone>();
        var chained = reclassify && await ChainAsync(visit, number, by, chosen, stop);
        return new SplitDone(done, left, chained);
    }

    private async Task<(
        IReadOnlyList<RowChange> Rows,
        IReadOnlyDictionary<Purpose, Int128> Left,
        List<Fault> Faults
    )> PlanAsync(Visit visit, string number, SplitBy by, IReadOnlyList<SplitPart> chosen, CancellationToken stop)
    {
        var setUp = (await view.OfAsync(visit.State, "draft", null, stop)).Result!.SetUp;
        var faults = new List<Fault>();
        if (setUp.Account(number) is not { Kind: AccountKind.Posting } account)
        {
            faults.Add(new Fault("account-missing", $"Account {number} is no longer there.", "number"));
            return ([], new Dictionary<Purpose, Int128>(), faults);
        }
        var rows = new SplitAccount(setUp, account, by).Rows(chosen, faults, out var left);
        return (rows, left, faults);
    }

    private async Task<IReadOnlyList<StandingAmount>> StandingAsync(Visit visit, string number, CancellationToken stop)
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await ChartStore.StandingAsync(db, visit.State.Id, number, stop);
    }

    private async Task<bool> ChainAsync(
        Visit visit,
        string number,
        SplitBy by,
        IReadOnlyList<SplitPart> chosen,
        CancellationToken stop
    )
    {
        var (actor, state) = visit;
        var setUp = (await view.OfAsync(state, "draft", null, stop)).Result!.SetUp;
        var standing = new SplitAccount(setUp, setUp.Account(number)!, by).Standing(
            await StandingAsync(visit, number, stop)
        );
        var lines = new JsonArray();
        var moved = 0m;
        void Line(string account, decimal amount) =>
            lines.Add(
                new JsonObject
                {
                    ["account"] = account,
                    [amount >= 0 ? "debit" : "credit"] = Math.Abs(amount),
                    ["because"] = $"{number} is split",
                }
            );
        foreach (var part in chosen)
            if (standing.GetValueOrDefault(part.Tag) is var amount and not 0)
            {
                Line(part.Number, amount);
                moved += amount;
            }
        if (lines.Count == 0)
            return false;
        if (moved != 0)
            Line(number, -moved);
        var text = new JsonObject
        {
            ["source"] = "own",
            ["id"] = $"split-{Guid.NewGuid():N}"[..18],
            ["kind"] = "hand-entry",
            ["date"] = state.Today.ToString("yyyy-MM-dd", CultureInfo.InvariantCulture),
            ["reference"] = $"split {number}",
            ["text"] = $"What stood on {number}, by what it is split into",
            ["lines"] = lines,
        }.ToJsonString();
        return (await bench.ChangeAsync(actor, state.Code, null, now => [.. now.Documents, text], stop)).Refused
            is null;
    }
}
