using System.Text;
using Assignum.Core.Tables;

namespace Assignum.Web.Tests;

/// <summary>
/// A chart as another program writes it: a title above the header, other column names, other words for types, a tree
/// drawn
/// by spaces, headings without numbers, totals, semicolons, Latin 1.
/// </summary>
internal static class ForeignSample
{
    private static readonly (string Section, string Word, (string Heading, int First)[] Headings)[] Parts =
    [
        ("FIXED ASSETS", "Fixed asset", [("Land and buildings", 1000), ("Plant", 1100), ("Waggons", 1200)]),
        (
            "CURRENT ASSETS",
            "Current asset",
            [("Bank accounts", 1300), ("Debtors", 1400), ("Stores", 1500), ("Paid in advance", 1600)]
        ),
        ("OWED", "Current liability", [("Suppliers", 2000), ("Taxes", 2100), ("Accruals", 2200)]),
        ("CAPITAL AND RESERVES", "Shareholders funds", [("Shares", 3000)]),
        ("TURNOVER", "Trading income", [("Sales at home", 4000), ("Sales abroad", 4100), ("Hire", 4200)]),
        ("DIRECT COSTS", "Cost of goods", [("Wire bought", 5000), ("Drawing wages", 5100)]),
        (
            "KEEPING GOING",
            "Burdens",
            [
                ("People", 6000),
                ("Premises", 6100),
                ("Waggons running", 6200),
                ("Office", 6300),
                ("Travel", 6400),
                ("Selling", 6500),
            ]
        ),
        ("FINANCE", "Finance cost", [("Interest", 7500)]),
        ("LEVIES", "Corporation tax", [("Levy", 8000)]),
    ];

    /// <summary>Headings in it, of both depths.</summary>
    public static int Headings => Parts.Length + Parts.Sum(p => p.Headings.Length);

    /// <summary>The file, with so many posting accounts.</summary>
    public static byte[] Csv(int accounts)
    {
        var text = new StringBuilder(
            "Moorland Wire Works - ledger\n\nLedger code;Ledger title;Statement line;Scribbles\n"
        );
        var (of, made, heading) = (Parts.Sum(p => p.Headings.Length), 0, 0);
        foreach (var (section, word, headings) in Parts)
        {
            text.Append($";{section};;\n");
            foreach (var (name, first) in headings)
            {
                text.Append($";   {name};;\n");
                for (var i = 0; made < (long)accounts * (heading + 1) / of; i++, made++)
                    text.Append(
                        $"{first + i * 3};      {name}, n° "
                            + $"{i + 1};"
                            + Class(name, word)
                            + $";{(i % 7 == 0 ? "x" : "")}\n"
                    );
                heading++;
            }
            text.Append($";Total {section.ToLowerInvariant()};;\n");
        }
        return Encoding.Latin1.GetBytes(text.ToString());
    }

    private static string Class(string heading, string word) =>
        heading switch
        {
            "Bank accounts" => "Cash at bank",
            "Debtors" => "Trade debtors",
            "Suppliers" => "Trade creditors",
            _ => word,
        };
}
