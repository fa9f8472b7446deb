using System.Diagnostics;
using System.Globalization;
using Assignum.Core.Pairing;
using Assignum.Core.Tests;

namespace Assignum.Bench;

/// <summary>Proposals for two made lists of parties, and how often those of a score are right.</summary>
internal static class PairingBench
{
    private const int Parties = 22_000;

    public static void Run()
    {
        var tables = new List<(double Score, bool Right)>();
        foreach (var seed in (int[])[1, 2, 3])
        {
            var made = new MadeParties(seed, Parties, seed != 2);
            var watch = Stopwatch.StartNew();
            var found = Proposer.Propose(made.Theirs, made.Ours);
            var took = watch.Elapsed;
            var accepted = found.Acceptable(0.9).ToList();
            var right = accepted.Count(p => made.Truth[p.Theirs] == p.Ours);
            var wanted = made.Truth.Where(t => t >= 0).Distinct().Count();
            var (precision, recall) = ((double)right / accepted.Count, (double)right / wanted);
            var memory = Process.GetCurrentProcess().PeakWorkingSet64 >> 20;
            Say($"{made.Theirs.Count} against {made.Ours.Count}: {took.TotalSeconds:0.00} s, {memory} MB at most");
            Say($"  {accepted.Count} accepted above 0.9: precision {precision:0.0000}, recall {recall:0.0000}");
            tables.AddRange(
                found.Of.Where(o => o.Count > 0).Select(o => (o[0].Score, made.Truth[o[0].Theirs] == o[0].Ours))
            );
        }
        foreach (var bin in tables.GroupBy(t => Math.Min((int)(t.Score * 10), 9)).OrderBy(b => b.Key))
        {
            var (said, right) = (bin.Average(b => b.Score), bin.Count(b => b.Right) / (double)bin.Count());
            Say($"from {bin.Key / 10.0:0.0}: {bin.Count()} proposals, said {said:0.00}, right {right:0.00}");
        }
    }

    private static void Say(FormattableString what) => Console.WriteLine(what.ToString(CultureInfo.InvariantCulture));
}
