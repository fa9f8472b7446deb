using Assignum.Formats.Json;

namespace Assignum.Web.Drawing;

/// <summary>A box of the flow: an account, a leg or the document.</summary>
/// <param name="Kind"><c>account</c>, <c>leg</c> or <c>document</c>.</param>
/// <param name="Line">The entry line that a leg is, from 0; null on others.</param>
public sealed record FlowBox(
    string Kind,
    double X,
    double Y,
    double Width,
    double Height,
    double TextY,
    string Title,
    string Detail,
    int? Line
);

/// <summary>A band between two boxes, as wide as its amount.</summary>
public sealed record FlowBand(string Side, string Path, double Width);

/// <summary>
/// An event drawn as a flow: the document in the middle, its debit legs and the accounts they land on to the left, its
/// credit legs to the right; every band as wide as its amount. All lengths in units of the drawing, top left (0, 0).
/// </summary>
/// <remarks>One idea: each column is a stack of boxes that are as high as their amounts, and never lower than their
/// words.</remarks>
public sealed record Flow(double Width, double Height, IReadOnlyList<FlowBox> Boxes, IReadOnlyList<FlowBand> Bands)
{
    private const double AccountWidth = 152,
        LegWidth = 124,
        DocumentWidth = 104,
        Gap = 36,
        Slot = 34,
        Space = 6,
        Top = 24,
        Tallest = 260,
        Thinnest = 2;

    /// <summary>Draws an entry. An entry without lines is drawn as the document alone.</summary>
    public static Flow Of(EntryDocument entry, string document, string detail)
    {
        var total = entry.Lines.Sum(l => l.Debit);
        var scale =
            total == 0 ? 0 : (double)(1 / total) * Math.Min(Tallest, Math.Max(60, Slot * entry.Lines.Count / 2.0));
        double High(decimal amount) => Math.Max(Thinnest, (double)amount * scale);
        var boxes = new List<FlowBox>();
        var bands = new List<FlowBand>();
        var width = 2 * (AccountWidth + LegWidth + 2 * Gap) + DocumentWidth;
        var middle = (width - DocumentWidth) / 2;
        var stack = Math.Max(44, High(total));
        var sides = new[] { Side.Of(entry, true), Side.Of(entry, false) };
        var height =
            Top
            + Space
            + Math.Max(
                stack,
                sides.Max(s =>
                    Math.Max(Reach(s.Legs.Select(l => High(l.Amount))), Reach(s.Accounts.Select(a => High(a.Amount))))
                )
            );
        var documentTop = Top + (height - Top - stack) / 2;
        boxes.Add(
            new FlowBox(
                "document",
                middle,
                documentTop,
                DocumentWidth,
                stack,
                documentTop + stack / 2,
                document,
                detail,
                null
            )
        );

        foreach (var side in sides)
        {
            var legX = side.Debit ? middle - Gap - LegWidth : middle + DocumentWidth + Gap;
            var accountX = side.Debit ? 0 : width - AccountWidth;
            var legs = Places(side.Legs.Select(l => High(l.Amount)), height);
            var accounts = Places(side.Accounts.Select(a => High(a.Amount)), height);
            var fill = accounts.Select(a => a.Y).ToArray();
            var from = documentTop + (stack - side.Legs.Sum(l => High(l.Amount))) / 2;
            for (var i = 0; i < side.Legs.Count; i++)
            {
                var (leg, place) = (side.Legs[i], legs[i]);
                var thick = High(leg.Amount);
                boxes.Add(
                    new FlowBox(
                        "leg",
                        legX,
                        place.Y,
                        LegWidth,
                        thick,
                        place.Y + thick / 2,
                        leg.Title,
                        leg.Detail,
                        leg.Line
                    )
                );
                bands.Add(
                    new FlowBand(
                        side.Word,
                        Curve(
                            side.Debit ? legX + LegWidth : middle + DocumentWidth,
                            side.Debit ? place.Y + thick / 2 : from + thick / 2,
                            side.Debit ? middle : legX,
                            side.Debit ? from + thick / 2 : place.Y + thick / 2
                        ),
                        thick
                    )
                );
                var at = fill[leg.Account] + thick / 2;
                bands.Add(
                    new FlowBand(
                        side.Word,
                        Curve(
                            side.Debit ? AccountWidth : legX + LegWidth,
                            side.Debit ? at : place.Y + thick / 2,
                            side.Debit ? legX : accountX,
                            side.Debit ? place.Y + thick / 2 : at
                        ),
                        thick
                    )
                );
                fill[leg.Account] += thick;
                from += thick;
            }
            for (var i = 0; i < side.Accounts.Count; i++)
                boxes.Add(
                    new FlowBox(
                        "account",
                        accountX,
                        accounts[i].Y,
                        AccountWidth,
                        accounts[i].High,
                        accounts[i].Y + accounts[i].High / 2,
                        side.Accounts[i].Title,
                        side.Accounts[i].Detail,
                        null
                    )
                );
        }
        return new Flow(width, Math.Ceiling(height + Space), boxes, bands);
    }

    private static double Reach(IEnumerable<double> highs) => highs.Sum(h => Math.Max(h, Slot) + Space);

    // Boxes below one another, each with room for its words, the whole in the middle of the height.
    private static (double Y, double High)[] Places(IEnumerable<double> highs, double height)
    {
        var all = highs.ToArray();
        var y = Top + (height - Top - Reach(all)) / 2;
        var places = new (double, double)[all.Length];
        for (var i = 0; i < all.Length; i++)
        {
            var slot = Math.Max(all[i], Slot);
            places[i] = (y + (slot - all[i]) / 2, all[i]);
            y += slot + Space;
        }
        return places;
    }

    private static string Curve(double x1, double y1, double x2, double y2) =>
        FormattableString.Invariant(
            $"M{x1:0.#} {y1:0.#} C{(x1 + x2) / 2:0.#} {y1:0.#} {(x1 + x2) / 2:0.#} {y2:0.#} {x2:0.#} {y2:0.#}"
        );

    // What a box of the drawing holds in a line.
    private static string Fitted(string title) => title.Length <= 22 ? title : title[..21].TrimEnd() + "…";

    private sealed record LegBox(string Title, string Detail, decimal Amount, int Account, int Line);

    private sealed record AccountBox(string Title, string Detail, decimal Amount);

    private sealed record Side(bool Debit, IReadOnlyList<LegBox> Legs, IReadOnlyList<AccountBox> Accounts)
    {
        public string Word => Debit ? "debit" : "credit";

        public static Side Of(EntryDocument entry, bool debit)
        {
            decimal Amount(LineDocument line) => debit ? line.Debit : line.Credit;
            var lines = entry.Lines.Select((l, i) => (Line: l, Number: i)).Where(l => Amount(l.Line) != 0).ToList();
            var accounts = lines.GroupBy(l => l.Line.Account).ToList();
            var order = accounts.Select((a, i) => (a.Key, i)).ToDictionary(a => a.Key, a => a.i);
            // Legs of one account stand together, so that bands do not cross.
            return new Side(
                debit,
                [
                    .. lines
                        .OrderBy(l => order[l.Line.Account])
                        .Select(l => new LegBox(
                            Fitted(Pages.Show.Purpose(l.Line.Purpose ?? "by hand")),
                            Pages.Show.Amount(Amount(l.Line), entry.Currency),
                            Amount(l.Line),
                            order[l.Line.Account],
                            l.Number
                        )),
                ],
                [.. accounts.Select(a => new AccountBox(a.Key, a.First().Line.Name, a.Sum(l => Amount(l.Line))))]
            );
        }
    }
}
