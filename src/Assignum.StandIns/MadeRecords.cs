using System.Globalization;
using CsvHelper;

namespace Assignum.StandIns;

/// <summary>The demo company's records as other systems know them, and records that only they know.</summary>
internal static class MadeRecords
{
    private static readonly string[] First =
        "Aoife Bram Ciara Dirk Eimear Femke Gerard Hanne Iseult Joris Kees Liadan Maeve Noud Orla Roisin Sanne".Split(
            ' '
        );
    private static readonly string[] Last =
        "Ardlea Brennock Callowhill Dunmurra Eskragh Glanmore Hoekwater Kilvane Loughrin Molenwerf".Split(' ');
    private static readonly string[] Things =
        "Bracket Cable Case Chart Clip Cover Dial Gasket Hinge Lamp Lens Pole Scale Screw Spring Tube".Split(' ');
    private static readonly string[] Made = "brass oak steel glass copper nylon felt cork".Split(' ');

    /// <summary>The rows of one of the demo's files, by column.</summary>
    public static IReadOnlyList<IReadOnlyDictionary<string, string>> Of(string file)
    {
        using var stream = typeof(MadeRecords).Assembly.GetManifestResourceStream(file)!;
        using var csv = new CsvReader(new StreamReader(stream), CultureInfo.InvariantCulture);
        return
        [
            .. csv.GetRecords<dynamic>()
                .Select(r =>
                    (IReadOnlyDictionary<string, string>)
                        ((IDictionary<string, object>)r).ToDictionary(c => c.Key, c => (string)c.Value ?? "")
                ),
        ];
    }

    /// <summary>A name as somebody else typed it: one in six has a slip, one in ten a short form.</summary>
    public static string Typed(string name, Random chance)
    {
        var roll = chance.Next(60);
        if (roll < 10 && name.Length > 6)
        {
            var at = chance.Next(2, name.Length - 2);
            return roll < 5 ? name.Remove(at, 1) : name[..at] + name[at + 1] + name[at] + name[(at + 2)..];
        }
        if (roll < 16)
            return name.Replace("International", "Intl").Replace("Instruments", "Instr.").Replace(" and ", " & ");
        return roll < 20 ? name.ToUpperInvariant() : name;
    }

    public static string Person(Random chance) =>
        $"{First[chance.Next(First.Length)]} {Last[chance.Next(Last.Length)]}";

    public static string Thing(Random chance) =>
        $"{Things[chance.Next(Things.Length)]}, {Made[chance.Next(Made.Length)]}, {chance.Next(2, 90)} mm";
}
