using System.Diagnostics;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Npgsql;
using NpgsqlTypes;

namespace Assignum.Bench;

/// <summary>The compiled resolver beside a dictionary probe per rung and beside one set-based SQL statement, on the
/// same legs.</summary>
internal static class ResolverBench
{
    private const int Rounds = 7;
    private const int SqlLegs = 200_000;

    public static void Run(string? connection)
    {
        var watch = Stopwatch.StartNew();
        var setUp = new CompiledSetUp(LargeSet.Make());
        Console.WriteLine(
            $"large set compiled in {watch.Elapsed.TotalSeconds:0.0} s ({setUp.SetUp.Assignments.Count:N0} "
                + $"assignments, {LargeSet.Items:N0} items, {LargeSet.Parties:N0} parties)"
        );
        var legs = LargeSet.MakeLegs(setUp);
        var answers = new string?[legs.Length];
        var compiled = Median(() =>
        {
            for (var i = 0; i < legs.Length; i++)
                answers[i] = setUp.Landings.Resolve(Purposes.SalesRevenue, legs[i]).Account;
        });
        var probes = new DictionaryProbe(setUp);
        var probed = new string?[legs.Length];
        var dictionary = Median(() =>
        {
            for (var i = 0; i < legs.Length; i++)
                probed[i] = probes.Resolve(legs[i]);
        });
        if (!answers.AsSpan().SequenceEqual(probed))
            throw new InvalidOperationException("The dictionary baseline lands elsewhere.");
        var numbers = new int[legs.Length];
        var together = Median(() => setUp.Landings.ResolveAll(Purposes.SalesRevenue, legs, numbers));
        for (var i = 0; i < numbers.Length; i++)
            if (setUp.SetUp.Assignments[numbers[i]].Account != answers[i])
                throw new InvalidOperationException("Together they land elsewhere.");
        Say("resolver, legs one by one", legs.Length / compiled, null);
        Say("  dictionary probe per rung", legs.Length / dictionary, dictionary / compiled);
        Say("resolver, legs together", legs.Length / together, null);
        Say("  dictionary probe per rung", legs.Length / dictionary, dictionary / together);
        compiled = together;
        if (connection is null)
        {
            Console.WriteLine("  SQL baseline: run ./bench, which starts PostgreSQL");
            return;
        }
        var perLeg = Sql(connection, setUp, legs.AsSpan(0, SqlLegs).ToArray(), answers.AsSpan(0, SqlLegs).ToArray());
        Say("  one set-based SQL statement", 1 / perLeg, perLeg / (compiled / legs.Length));
    }

    internal static void Say(string what, double perSecond, double? ratio) =>
        Console.WriteLine(
            FormattableString.Invariant(
                $"{what, -38} {perSecond, 14:N0} /s{(ratio is { } r ? $"   we are {r:0.0}×" : "")}"
            )
        );

    internal static double Median(Action run)
    {
        run();
        var times = new List<double>();
        for (var i = 0; i < Rounds; i++)
        {
            var watch = Stopwatch.StartNew();
            run();
            times.Add(watch.Elapsed.TotalSeconds);
        }
        times.Sort();
        return times[Rounds / 2];
    }

    // Closure of the group trees, then one left join a rung: hash joins all through, the best that PostgreSQL was seen
    // to do here.
    private static double Sql(string connection, CompiledSetUp setUp, LegValues[] legs, string?[] expected)
    {
        using var db = new NpgsqlConnection(connection);
        db.Open();
        void Execute(string sql)
        {
            using var c = new NpgsqlCommand(sql, db) { CommandTimeout = 600 };
            c.ExecuteNonQuery();
        }
        Execute("create temp table leg (n int, item int, item_group int, party int, party_group int, channel int)");
        Execute(
            "create temp table rung (rung int, item int, item_group int, party int, party_group int, channel int, "
                + "account text)"
        );
        Execute("create temp table up (kind int, node int, above int, far int)");
        using (var import = db.BeginBinaryImport("copy leg from stdin (format binary)"))
        {
            for (var i = 0; i < legs.Length; i++)
                import.WriteRow(
                    i,
                    legs[i][Dimension.Item],
                    legs[i][Dimension.ItemGroup],
                    legs[i][Dimension.Party],
                    legs[i][Dimension.PartyGroup],
                    legs[i][Dimension.Channel]
                );
            import.Complete();
        }
        using (var import = db.BeginBinaryImport("copy rung from stdin (format binary)"))
        {
            foreach (var a in setUp.SetUp.Assignments)
            {
                import.StartRow();
                import.Write(
                    a.Set == 0 ? 7 : Array.FindIndex(LargeSet.Ladder, r => r.Set == a.Set),
                    NpgsqlDbType.Integer
                );
                import.Write(setUp.Index.Of(Dimension.Item, a.Value(Dimension.Item)), NpgsqlDbType.Integer);
                import.Write(
                    setUp.Index.OfGroup(Core.Records.GroupKind.Item, a.Value(Dimension.ItemGroup)),
                    NpgsqlDbType.Integer
                );
                import.Write(setUp.Index.Of(Dimension.Party, a.Value(Dimension.Party)), NpgsqlDbType.Integer);
                import.Write(
                    setUp.Index.OfGroup(Core.Records.GroupKind.Customer, a.Value(Dimension.PartyGroup)),
                    NpgsqlDbType.Integer
                );
                import.Write(setUp.Index.Of(Dimension.Channel, a.Value(Dimension.Channel)), NpgsqlDbType.Integer);
                import.Write(a.Account, NpgsqlDbType.Text);
            }
            import.Complete();
        }
        using (var import = db.BeginBinaryImport("copy up from stdin (format binary)"))
        {
            foreach (var (kind, dimension) in new[] { (1, Dimension.ItemGroup), (2, Dimension.PartyGroup) })
                for (var node = 1; node < setUp.Index.Size(dimension); node++)
                {
                    var far = 0;
                    for (var at = node; at != 0; at = setUp.Index.Parent(dimension, at))
                        import.WriteRow(kind, node, at, far++);
                }
            import.Complete();
        }
        Execute("analyze leg; analyze rung; analyze up");
        // Nearest hit by node, once; then the legs join what is already walked.
        const string statement = """
            with g as materialized (select distinct on (u.node) u.node, r.account from up u join rung r on r.rung = 5
              and r.item_group = u.above where u.kind = 1 order by u.node, u.far),
            p as materialized (select distinct on (u.node) u.node, r.account from up u join rung r on r.rung = 6 and
              r.party_group = u.above where u.kind = 2 order by u.node, u.far),
            gp as materialized (select distinct on (ui.node, upg.node) ui.node as item_group, upg.node as party_group,
              r.account
              from rung r join up ui on ui.kind = 1 and ui.above = r.item_group join up upg on upg.kind = 2 and
                upg.above = r.party_group
              where r.rung = 3 order by ui.node, upg.node, ui.far, upg.far),
            gc as materialized (select distinct on (u.node, r.channel) u.node as item_group, r.channel, r.account from
              up u join rung r on r.rung = 4 and r.item_group = u.above where u.kind = 1 order by u.node, r.channel,
              u.far)
            select l.n, coalesce(r0.account, r1.account, r2.account, gp.account, gc.account, g.account, p.account,
              d.account)
            from leg l
            left join rung r0 on r0.rung = 0 and r0.item = l.item and r0.party = l.party
            left join rung r1 on r1.rung = 1 and r1.item = l.item
            left join rung r2 on r2.rung = 2 and r2.party = l.party
            left join gp on gp.item_group = l.item_group and gp.party_group = l.party_group
            left join gc on gc.item_group = l.item_group and gc.channel = l.channel
            left join g on g.node = l.item_group
            left join p on p.node = l.party_group
            left join rung d on d.rung = 7
            """;
        using (var check = new NpgsqlCommand(statement, db))
        using (var reader = check.ExecuteReader())
            while (reader.Read())
                if (reader.GetString(1) != expected[reader.GetInt32(0)])
                    throw new InvalidOperationException($"The SQL baseline lands leg {reader.GetInt32(0)} elsewhere.");
        // The answers stay in the server: what is timed is the resolving, not the wire.
        return Median(() => Execute($"create temp table answer on commit drop as {statement}")) / legs.Length;
    }
}

/// <summary>The straightforward way: a dictionary a rung with packed keys, asked from the top, ancestors walked at
/// each.</summary>
internal sealed class DictionaryProbe
{
    private readonly LandingIndex index;
    private readonly Dictionary<ulong, string>[] rungs;
    private readonly string? fallback;

    public DictionaryProbe(CompiledSetUp setUp)
    {
        index = setUp.Index;
        rungs = [.. LargeSet.Ladder.Select(_ => new Dictionary<ulong, string>())];
        foreach (var a in setUp.SetUp.Assignments)
        {
            if (a.Set == 0)
            {
                fallback = a.Account;
                continue;
            }
            var keys = a
                .Key.Select(k =>
                    (ulong)(
                        k.Dimension == Dimension.ItemGroup ? index.OfGroup(Core.Records.GroupKind.Item, k.Value)
                        : k.Dimension == Dimension.PartyGroup ? index.OfGroup(Core.Records.GroupKind.Customer, k.Value)
                        : index.Of(k.Dimension, k.Value)
                    )
                )
                .ToArray();
            rungs[Array.FindIndex(LargeSet.Ladder, r => r.Set == a.Set)][Pack(keys[0], keys.Length > 1 ? keys[1] : 0)] =
                a.Account;
        }
    }

    public string? Resolve(in LegValues v)
    {
        var (item, party, channel) = ((ulong)v[Dimension.Item], (ulong)v[Dimension.Party], (ulong)v[Dimension.Channel]);
        if (rungs[0].TryGetValue(Pack(item, party), out var found))
            return found;
        if (rungs[1].TryGetValue(Pack(item, 0), out found))
            return found;
        if (rungs[2].TryGetValue(Pack(party, 0), out found))
            return found;
        for (var g = v[Dimension.ItemGroup]; g != 0; g = index.Parent(Dimension.ItemGroup, g))
        for (var p = v[Dimension.PartyGroup]; p != 0; p = index.Parent(Dimension.PartyGroup, p))
            if (rungs[3].TryGetValue(Pack((ulong)g, (ulong)p), out found))
                return found;
        if (channel != 0)
            for (var g = v[Dimension.ItemGroup]; g != 0; g = index.Parent(Dimension.ItemGroup, g))
                if (rungs[4].TryGetValue(Pack((ulong)g, channel), out found))
                    return found;
        for (var g = v[Dimension.ItemGroup]; g != 0; g = index.Parent(Dimension.ItemGroup, g))
            if (rungs[5].TryGetValue(Pack((ulong)g, 0), out found))
                return found;
        for (var p = v[Dimension.PartyGroup]; p != 0; p = index.Parent(Dimension.PartyGroup, p))
            if (rungs[6].TryGetValue(Pack((ulong)p, 0), out found))
                return found;
        return fallback;
    }

    private static ulong Pack(ulong a, ulong b) => a << 32 | b;
}
