using Assignum.Testing;
using CsCheck;
using static Assignum.Storage.Tests.Company;

namespace Assignum.Storage.Tests;

/// <summary>Rows written in the binary format of COPY are read back as they were.</summary>
public class Copying
{
    private static readonly decimal[] Odd =
    [
        0m,
        0.00m,
        1m,
        -1m,
        10_000m,
        9_999.9999m,
        0.0001m,
        100_000_000m,
        decimal.MaxValue,
        decimal.MinValue,
        0.0000000000000000000000000001m,
    ];

    [Fact]
    public async Task Any_amount_text_day_and_identity_comes_back_as_it_went()
    {
        await using var test = new TestDatabase();
        await using var db = await test.Database.OpenAsync(Stop);
        await using (
            var make = new Npgsql.NpgsqlCommand(
                "create temporary table t (k integer, i integer, b bigint, n numeric, m numeric, d date, u uuid, s "
                    + "text, j jsonb, f boolean)",
                db
            )
        )
            await make.ExecuteNonQueryAsync(Stop);
        var amount = Gen.Frequency(
            (3, Gen.Decimal),
            (
                3,
                Gen.Select(Gen.Long, Gen.Int[0, 12])
                    .Select((v, s) => new decimal((int)v, (int)(v >> 32), 0, v % 2 == 0, (byte)s))
            ),
            (1, Gen.Int[0, Odd.Length - 1].Select(i => Odd[i]))
        );
        var row = Gen.Select(
            Gen.Int,
            Gen.Long,
            amount,
            Gen.Int[0, 3_652_058],
            Gen.Guid,
            Gen.String[Gen.Char[' ', '\ud7ff'], 0, 40],
            Gen.Bool
        );
        var rows = row.Array[1_000].Single();
        using (var made = new CopyRows("t (k, i, b, n, m, d, u, s, j, f)"))
        {
            var k = 0;
            foreach (var (i, b, n, d, u, s, f) in rows)
                made.Row()
                    .Int(k++)
                    .Int(i)
                    .Big(b)
                    .Num(n)
                    .Num(f ? n : null)
                    .Day(DateOnly.FromDayNumber(d))
                    .Uuid(u)
                    .Text(f ? s : null)
                    .Json("{\"a\": 1}")
                    .Bool(f);
            made.Count.ShouldBe(rows.Length);
            await made.SendAsync(db, Stop);
        }
        await using var read = new Npgsql.NpgsqlCommand(
            "select i, b, n::text, m::text, d, u, s, j::text, f from t order by k",
            db
        );
        await using var reader = await read.ExecuteReaderAsync(Stop);
        foreach (var (i, b, n, d, u, s, f) in rows)
        {
            (await reader.ReadAsync(Stop)).ShouldBeTrue();
            reader.GetInt32(0).ShouldBe(i);
            reader.GetInt64(1).ShouldBe(b);
            // As text: the decimals to show are part of the value.
            reader
                .GetString(2)
                .ShouldBe(
                    n == 0
                        ? Math.Abs(n).ToString(System.Globalization.CultureInfo.InvariantCulture)
                        : n.ToString(System.Globalization.CultureInfo.InvariantCulture)
                );
            reader.IsDBNull(3).ShouldBe(!f);
            reader.GetFieldValue<DateOnly>(4).DayNumber.ShouldBe(d);
            reader.GetGuid(5).ShouldBe(u);
            if (f)
                reader.GetString(6).ShouldBe(s);
            else
                reader.IsDBNull(6).ShouldBeTrue();
            reader.GetString(7).ShouldBe("{\"a\": 1}");
            reader.GetBoolean(8).ShouldBe(f);
        }
    }

    [Fact]
    public async Task A_copy_that_the_server_refuses_leaves_nothing_and_the_connection_whole()
    {
        await using var test = new TestDatabase();
        await using var db = await test.Database.OpenAsync(Stop);
        await using (var make = new Npgsql.NpgsqlCommand("create temporary table t (i integer check (i > 0))", db))
            await make.ExecuteNonQueryAsync(Stop);
        using (var made = new CopyRows("t (i)"))
        {
            for (var i = 100_000; i >= 0; i--)
                made.Row().Int(i);
            await Should.ThrowAsync<Npgsql.PostgresException>(() => made.SendAsync(db, Stop));
        }
        using (var none = new CopyRows("t (i)"))
            await none.SendAsync(db, Stop);
        await using var count = new Npgsql.NpgsqlCommand("select count(*) from t", db);
        (await count.ExecuteScalarAsync(Stop)).ShouldBe(0L);
    }
}
