namespace Assignum.Core.Feeding;

/// <summary>What is booked of a document on an account on a day, here in rehearsal or elsewhere in earnest.</summary>
/// <param name="Reference">The document; empty: it does not say.</param>
/// <param name="Amount">Debits less credits, base currency.</param>
public sealed record BookedSum(DateOnly Day, string Account, string Reference, decimal Amount);

/// <summary>Why what is rehearsed here is other than what was booked the old way; in the order in which they are
/// tried.</summary>
public enum ParallelCause
{
    /// <summary>The same document and amount stand on another account of that day.</summary>
    OtherAccount,

    /// <summary>The same document and amount stand on the account on another day.</summary>
    OtherDay,

    /// <summary>An event of that document came and could not post as things stand.</summary>
    Waits,

    /// <summary>There it was booked as a sum: which documents are in it cannot be told.</summary>
    Summed,

    /// <summary>Both have the document there, with other amounts.</summary>
    Amount,
    OnlyHere,
    OnlyThere,
}

/// <summary>What one cause explains of an account of a day.</summary>
/// <param name="Amount">Of what is here less what is there.</param>
/// <param name="Other">The other account or day, or what an event waits for.</param>
public sealed record ParallelDifference(ParallelCause Cause, string Reference, decimal Amount, string? Other);

/// <summary>An account of a day, here and there.</summary>
/// <param name="Differences">They add up to the difference, always; none where there is none.</param>
public sealed record ParallelAccount(
    DateOnly Day,
    string Account,
    decimal Here,
    decimal There,
    IReadOnlyList<ParallelDifference> Differences
)
{
    /// <summary>Here less there.</summary>
    public decimal Difference => Here - There;
}

/// <summary>Holds what events would post against what was booked the old way, by day and account: each cent once.</summary>
public static class BesideTheOldWay
{
    private sealed class Cell
    {
        public required DateOnly Day { get; init; }
        public required string Account { get; init; }
        public required string Reference { get; init; }
        public decimal Here { get; set; }
        public decimal There { get; set; }
        public bool InHere { get; set; }
        public bool InThere { get; set; }
        public bool Taken { get; set; }
        public decimal Rest => Here - There;
    }

    /// <param name="here">What is rehearsed.</param>
    /// <param name="there">What was booked.</param>
    /// <param name="waiting">Documents of events that cannot post, with why.</param>
    /// <returns>Every account of every day that either has, by day and account.</returns>
    public static IReadOnlyList<ParallelAccount> Compare(
        IEnumerable<BookedSum> here,
        IEnumerable<BookedSum> there,
        IReadOnlyDictionary<string, string> waiting
    )
    {
        var cells = new Dictionary<(DateOnly, string, string), Cell>();
        Cell At(BookedSum of)
        {
            var key = (of.Day, of.Account, of.Reference);
            if (!cells.TryGetValue(key, out var cell))
                cells[key] = cell = new Cell
                {
                    Day = of.Day,
                    Account = of.Account,
                    Reference = of.Reference,
                };
            return cell;
        }
        foreach (var of in here)
            (At(of).Here, At(of).InHere) = (At(of).Here + of.Amount, true);
        foreach (var of in there)
            (At(of).There, At(of).InThere) = (At(of).There + of.Amount, true);
        var accounts = cells
            .Values.GroupBy(c => (c.Day, c.Account))
            .OrderBy(g => g.Key.Day)
            .ThenBy(g => g.Key.Account, StringComparer.Ordinal)
            .Select(g => (g.Key, Cells: g.OrderBy(c => c.Reference, StringComparer.Ordinal).ToList()))
            .ToList();
        // Where the sums agree nothing is asked of the documents.
        var open = accounts
            .Where(a => a.Cells.Sum(c => c.Rest) != 0)
            .SelectMany(a => a.Cells)
            .Where(c => c.Rest != 0)
            .ToList();
        var named = open.Where(c => c.Reference.Length > 0).ToList();
        var found = new Dictionary<(DateOnly, string), List<ParallelDifference>>();
        void Say(Cell cell, ParallelCause cause, string? other)
        {
            cell.Taken = true;
            Add(cell.Day, cell.Account, new ParallelDifference(cause, cell.Reference, cell.Rest, other));
        }
        void Add(DateOnly day, string account, ParallelDifference difference)
        {
            if (!found.TryGetValue((day, account), out var list))
                found[(day, account)] = list = [];
            list.Add(difference);
        }
        // What is only here against what is only there: of one side alone a document comes to nothing by itself.
        void Pair<TKey>(Func<Cell, TKey> key, ParallelCause cause, Func<Cell, string> other)
            where TKey : notnull
        {
            var free = named.Where(c => !c.Taken && !c.InHere).ToLookup(key);
            foreach (var cell in named.Where(c => !c.Taken && !c.InThere))
            {
                if (free[key(cell)].FirstOrDefault(c => !c.Taken && c.There == cell.Here) is not { } mate)
                    continue;
                Say(cell, cause, other(mate));
                Say(mate, cause, other(cell));
            }
        }
        Pair(c => (c.Day, c.Reference), ParallelCause.OtherAccount, c => c.Account);
        Pair(
            c => (c.Account, c.Reference),
            ParallelCause.OtherDay,
            c => c.Day.ToString("yyyy-MM-dd", System.Globalization.CultureInfo.InvariantCulture)
        );
        foreach (var cell in named.Where(c => !c.Taken && !c.InHere))
            if (waiting.TryGetValue(cell.Reference, out var why))
                Say(cell, ParallelCause.Waits, why);
        foreach (var of in open.Where(c => !c.Taken).GroupBy(c => (c.Day, c.Account)).ToList())
        {
            var left = of.ToList();
            if (left.Any(c => c.Reference.Length == 0 && c.InThere))
            {
                if (left.Sum(c => c.Rest) is not 0 and var rest)
                    Add(of.Key.Day, of.Key.Account, new ParallelDifference(ParallelCause.Summed, "", rest, null));
                continue;
            }
            foreach (var cell in left)
                Say(
                    cell,
                    cell.InHere && cell.InThere ? ParallelCause.Amount
                        : cell.InHere ? ParallelCause.OnlyHere
                        : ParallelCause.OnlyThere,
                    null
                );
        }
        return
        [
            .. accounts.Select(a => new ParallelAccount(
                a.Key.Day,
                a.Key.Account,
                a.Cells.Sum(c => c.Here),
                a.Cells.Sum(c => c.There),
                found.TryGetValue(a.Key, out var list) ? [.. list.OrderBy(d => d.Cause)] : []
            )),
        ];
    }
}
