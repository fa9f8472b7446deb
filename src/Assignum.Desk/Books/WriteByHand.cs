using System.Text.Json.Nodes;
using Assignum.Core;
using Assignum.Core.Books;
using Assignum.Core.Chart;
using Assignum.Core.Entries;
using Assignum.Desk.Access;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Formats.Json;
using Assignum.Storage;

namespace Assignum.Desk.Books;

/// <summary>Entries written by hand: looked at line by line while they are typed, then posted.</summary>
public sealed class WriteByHand(DeskContext desk, ViewSetUp view, OwnEvents own)
{
    /// <summary>Says of each line what is wrong with it, what the guards say, and where it brings its account to the
    /// unusual side. Nothing is stored.</summary>
    public async Task<Outcome<HandCheck>> CheckAsync(Visit visit, JsonObject document, CancellationToken stop)
    {
        document["source"] = "own";
        var read = EventReader.Parse(document.ToJsonString());
        var e = read.Event;
        var day = e.Date == default ? visit.State.Today : e.Date;
        var looked = await view.OnAsync(visit, day, stop);
        if (looked.Result is not { SetUp: var setUp })
            return looked.Pass<HandCheck>();
        var (faults, remarks) = HandLines.Check(e, setUp);
        var said = new List<HandSaid>();
        foreach (var fault in read.Faults.Concat(faults).DistinctBy(f => (f.Path, f.Message)))
        {
            var (line, field) = Place(fault.Path);
            // An entry that has no lines yet is not wrong yet.
            if (fault.Path != "lines")
                said.Add(new HandSaid(line, "error", fault.Message, field));
        }
        foreach (var remark in remarks)
        {
            var because = remark.Line is { } l && l < e.Lines.Count ? e.Lines[l].Because : null;
            var passed = !string.IsNullOrWhiteSpace(because);
            said.Add(
                new HandSaid(
                    remark.Line,
                    remark.Severity == Severity.Error ? "error" : "warning",
                    remark.Severity == Severity.Error || remark.Line is null || passed
                        ? remark.Message
                        : $"{remark.Message} Say in 'because' why it is passed over.",
                    remark.Severity == Severity.Error || passed ? null : "because"
                )
            );
        }
        var names = new Dictionary<string, string>(StringComparer.Ordinal);
        var moved = new Dictionary<string, (decimal Amount, int Line)>(StringComparer.Ordinal);
        for (var i = 0; i < e.Lines.Count; i++)
        {
            if (e.Lines[i].Account is not { } written || setUp.Account(setUp.NumberOf(written)) is not { } account)
                continue;
            names[written] = account.Name;
            var by = (e.Lines[i].Debit ?? 0) - (e.Lines[i].Credit ?? 0);
            moved[account.Number] = (moved.GetValueOrDefault(account.Number).Amount + by, i);
        }
        if (moved.Count > 0)
        {
            await using var db = await desk.Database.OpenAsync(stop);
            var balances = await StatementStore.BetweenAsync(db, visit.State.Id, null, day, true, stop);
            foreach (var (number, (amount, line)) in moved)
            {
                var after = balances.GetValueOrDefault(number) + amount;
                if (amount != 0 && setUp.Account(number) is { } account && account.Unusual(after) is { } side)
                    said.Add(
                        new HandSaid(
                            line,
                            "hint",
                            $"With this {number} {account.Name} has a {side} balance of {Math.Abs(after)}: that is not "
                                + "its usual side.",
                            null
                        )
                    );
            }
        }
        return new HandCheck(
            [.. said.OrderBy(s => s.Line ?? -1)],
            e.Lines.Sum(l => l.Debit ?? 0),
            e.Lines.Sum(l => l.Credit ?? 0),
            names
        );
    }

    /// <summary>Rehearses or posts it.</summary>
    public Task<Outcome<OwnEntry>> RunAsync(Visit visit, JsonObject document, bool apply, CancellationToken stop) =>
        own.RunAsync(visit.Actor, visit.State.Code, document, apply, stop);

    /// <summary>The entries of some days that pass over warnings.</summary>
    public async Task<IReadOnlyList<PassedOver>> PassedAsync(
        Visit visit,
        DateOnly from,
        DateOnly to,
        CancellationToken stop
    )
    {
        await using var db = await desk.Database.OpenAsync(stop);
        return await HandStore.PassedAsync(db, visit.State.Id, from, to, 500, stop);
    }

    // Line and field of a path such as lines[2].debit.
    private static (int? Line, string? Field) Place(string path)
    {
        if (!path.StartsWith("lines[", StringComparison.Ordinal) || path.IndexOf(']') is not (> 0 and var end))
            return (null, path.Length == 0 ? null : path);
        return int.TryParse(path.AsSpan(6, end - 6), out var line)
            ? (line, path.Length > end + 2 ? path[(end + 2)..] : null)
            : (null, path);
    }
}
