using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>All assignments of all purposes in one grid: filtered, edited by cell, pasted into, each with what it
/// overrides.</summary>
public sealed class AssignmentsModel(DeskContext desk, ViewSetUp view, EditSetUp edit, CompareSetUps compare)
    : GridPage(desk, view, edit, compare)
{
    public override string Place => "assignments";
    public override Part Part => Parts.Assignments;
    protected override string What => "assignments changed";

    [BindProperty(SupportsGet = true)]
    public string? Purpose { get; set; }

    /// <summary>A group's code: assignments that name it, or an item, party or project in it.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Group { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Account { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Rung { get; set; }

    [BindProperty(SupportsGet = true)]
    public string? Q { get; set; }

    /// <summary>A row: the assignment, its cells, what decides its key where it is not there.</summary>
    /// <param name="ChangesNothing">Whether what comes after it gives the same account, whatever a leg has.</param>
    /// <param name="Overrides">The account underneath and the rung that gives it; null: nothing would decide.</param>
    /// <param name="Decides">For how many records it decides where nothing else is said.</param>
    public sealed record Line(
        Assignment Assignment,
        string?[] Cells,
        string AccountName,
        string? KeyName,
        (string Account, string Rung)? Overrides,
        bool ChangesNothing,
        string Decides
    );

    public IReadOnlyList<Line> Lines { get; private set; } = [];

    /// <summary>The key columns that the rows shown use, or that the purpose's ladder asks for.</summary>
    public IReadOnlyList<(int At, Column Column)> KeyColumns { get; private set; } = [];
    public int All { get; private set; }

    /// <summary>The rungs that a list can be narrowed to.</summary>
    public IReadOnlyList<string> Rungs { get; private set; } = [];

    /// <summary>Over all purposes there are more key columns than fit beside each other: then the account comes before
    /// them.</summary>
    public bool AccountFirst => Purpose is null;

    /// <summary>The columns that a field can be set on for many.</summary>
    public IReadOnlyList<Column> Settable => [.. Parts.Assignments.Columns.Where(c => c.Name is "account" or "note")];

    public string QueryString(string more) =>
        QueryOf(
            more,
            ("purpose", Purpose),
            ("group", Group),
            ("account", Account),
            ("rung", Rung),
            ("q", Q),
            ("again", Again)
        );

    /// <inheritdoc/>
    public override string PickOf(Column column) =>
        column.Name switch
        {
            "account" when Purpose is null => $"/e/{EntityCode}/pick?type=account",
            "account" => $"/e/{EntityCode}/pick?type=account&purpose={Uri.EscapeDataString(Purpose)}&byDefault=true",
            "item_group" or "party_group" or "project_group" =>
                $"/e/{EntityCode}/pick?type=group&kind={column.Name[..^6]}",
            "currency" or "counterparty" =>
                $"/e/{EntityCode}/pick?type={(column.Name == "currency" ? "currency" : "entity")}",
            "item" or "party" or "location" or "channel" or "method" or "project" or "reason" =>
                $"/e/{EntityCode}/pick?type={column.Name}",
            _ => base.PickOf(column),
        };

    /// <summary>What purposes are called, for a list.</summary>
    public static string Titles { get; } =
        System.Text.Json.JsonSerializer.Serialize(Purposes.All.ToDictionary(p => p.Name, p => p.Title));

    /// <summary>The words that a column takes, for a list.</summary>
    public static IReadOnlyList<string> WordsOf(Column column) =>
        column.Name == "purpose" ? [.. Purposes.All.Select(p => p.Name)] : column.Words;

    public Task OnGetAsync() => LoadAsync(0, PageRows);

    public async Task<IActionResult> OnGetRowsAsync(int skip, int take = PageRows)
    {
        await LoadAsync(Math.Max(0, skip), Math.Clamp(take, 1, PageRows));
        return Rows("_AssignmentRows");
    }

    /// <summary>The rows that fit as a file.</summary>
    public async Task<IActionResult> OnGetListAsync(string? format)
    {
        var compiled = await SetUpAsync();
        var names = compiled.SetUp.Accounts.ToDictionary(a => a.Number, a => a.Name, StringComparer.Ordinal);
        var columns = Parts.Assignments.Columns;
        var rows = Fitting(compiled).Select(Parts.CellsOf).OrderBy(Parts.Assignments.KeyOf, StringComparer.Ordinal);
        return ListFile.Of(
            $"{EntityCode}-assignments",
            format ?? "csv",
            [.. columns.Select(c => c.Name), "account_name"],
            rows.Select(r => (IReadOnlyList<object?>)[.. r, names.GetValueOrDefault(r[1]!)]).Select(r => r.ToArray())
        );
    }

    /// <inheritdoc/>
    protected override IEnumerable<string?[]> Cells(CompiledSetUp setUp) => Fitting(setUp).Select(Parts.CellsOf);

    /// <inheritdoc/>
    protected override async Task<IEnumerable<string?[]>> KeysAsync(int skip, int take)
    {
        var compiled = await SetUpAsync();
        return Ordered(compiled, Fitting(compiled)).Skip(skip).Take(take).Select(Parts.CellsOf);
    }

    /// <summary>What is to be rehearsed again once it is mended here: an entry, or <c>last</c>.</summary>
    [BindProperty(SupportsGet = true)]
    public string? Again { get; set; }

    /// <summary>Rows that are begun with what another page asked for: each a key that wants an account, as
    /// <c>dimension:value</c> joined by <c>+</c>.</summary>
    [BindProperty(SupportsGet = true)]
    public string[]? Begin { get; set; }

    /// <summary>The same as the grid reads it.</summary>
    public string Begun =>
        System.Text.Json.JsonSerializer.Serialize(
            (Begin ?? [])
                .OfType<string>()
                .Take(200)
                .Select(b =>
                    b.Split('+')
                        .Select(p => p.Split(':', 2))
                        .Where(p => p.Length == 2)
                        .DistinctBy(p => p[0])
                        .ToDictionary(p => p[0].Replace('-', '_'), p => p[1])
                )
                .Where(d => Purpose is not null)
        );

    private IEnumerable<Assignment> Fitting(CompiledSetUp compiled)
    {
        var setUp = compiled.SetUp;
        var rows = Purpose is null ? setUp.Assignments : setUp.Assignments.Where(a => a.Purpose == Purpose);
        if (!string.IsNullOrEmpty(Rung))
            rows = rows.Where(a => a.RungName == Rung);
        if (!string.IsNullOrEmpty(Account))
            rows = rows.Where(a => a.Account == Account);
        if (!string.IsNullOrEmpty(Group))
        {
            // The group itself, those below it, and the records in any of them.
            var below = Enum.GetValues<GroupKind>()
                .SelectMany(k => GroupMembers.Below(setUp, k, Group).Select(c => (k, c)))
                .ToHashSet();
            var members = new HashSet<(Dimension, string)>();
            foreach (var i in setUp.Items.Where(i => i.Group is not null && below.Contains((GroupKind.Item, i.Group))))
                members.Add((Dimension.Item, i.Code));
            foreach (
                var p in setUp.Parties.Where(p =>
                    p.CustomerGroup is not null && below.Contains((GroupKind.Customer, p.CustomerGroup))
                    || p.SupplierGroup is not null && below.Contains((GroupKind.Supplier, p.SupplierGroup))
                )
            )
                members.Add((Dimension.Party, p.Code));
            foreach (
                var p in setUp.Projects.Where(p => p.Group is not null && below.Contains((GroupKind.Project, p.Group)))
            )
                members.Add((Dimension.Project, p.Code));
            foreach (var (kind, code) in below)
                members.Add(
                    (
                        kind switch
                        {
                            GroupKind.Item => Dimension.ItemGroup,
                            GroupKind.Project => Dimension.ProjectGroup,
                            _ => Dimension.PartyGroup,
                        },
                        code
                    )
                );
            rows = rows.Where(a => a.Key.Any(k => members.Contains((k.Dimension, k.Value))));
        }
        if (string.IsNullOrWhiteSpace(Q))
            return rows;
        var q = Q.Trim();
        var names = new Lazy<NamesOf>(() => new NamesOf(setUp));
        bool Has(string? text) => text?.Contains(q, StringComparison.OrdinalIgnoreCase) == true;
        return rows.Where(a =>
            a.Account.StartsWith(q, StringComparison.OrdinalIgnoreCase)
            || Has(a.Purpose.Replace('-', ' '))
            || Has(a.Purpose)
            || Has(a.Note)
            || Has(names.Value.Account(a.Account))
            || a.Key.Any(k => Has(k.Value) || Has(names.Value.Of(k)))
        );
    }

    private async Task LoadAsync(int skip, int take)
    {
        if (Purpose is not null && Purposes.Find(Purpose) is null)
            Purpose = null;
        var compiled = await SetUpAsync();
        All = compiled.SetUp.Assignments.Count;
        var fitting = Fitting(compiled).ToList();
        Total = fitting.Count;
        var landings = compiled.Landings;
        var page = Ordered(compiled, fitting).Skip(skip).Take(take).ToList();
        var decides = page.GroupBy(a => a.Purpose)
            .SelectMany(g => g.Zip(Core.Coverage.PurposeCoverage.Decides(compiled, Purposes.Find(g.Key)!, g)))
            .ToDictionary(x => x.First, x => x.Second);
        var names = new NamesOf(compiled.SetUp);
        Lines =
        [
            .. page.Select(a => new Line(
                a,
                Parts.CellsOf(a),
                names.Account(a.Account) ?? "",
                string.Join(" · ", a.Key.Select(names.Of).OfType<string>()),
                Overridden(compiled, a),
                SameBelow(compiled, a),
                Said(a, decides[a])
            )),
        ];
        Rungs =
        [
            .. (
                Purpose is null
                    ? Purposes.All.SelectMany(p => landings.LadderOf(p).Rungs)
                    : landings.LadderOf(Purposes.Find(Purpose)!).Rungs
            )
                .Where(r => r != Core.Landing.Rung.Line)
                .Select(r => r.Name)
                .Distinct(),
            "default",
        ];
        var used = Purpose is null
            ? fitting.Aggregate(0, (set, a) => set | a.Set)
            : landings
                .LadderOf(Purposes.Find(Purpose)!)
                .Rungs.Where(r => r != Core.Landing.Rung.Line)
                .Aggregate(0, (set, r) => set | r.Set);
        KeyColumns =
        [
            .. Enum.GetValues<Dimension>()
                .Where(d => d != Dimension.Line && (used & 1 << (int)d) != 0)
                .Select(d => (1 + (int)d, Parts.Assignments.Columns[1 + (int)d])),
        ];
    }

    // By purpose, then as the ladder stands, then by key: what is more specific is above what it overrides.
    private static IEnumerable<Assignment> Ordered(CompiledSetUp compiled, IEnumerable<Assignment> rows)
    {
        var order = Purposes.All.ToDictionary(
            p => p.Name,
            p => (p.Index, Ladder: compiled.Landings.LadderOf(p)),
            StringComparer.Ordinal
        );
        int Rank(Assignment a)
        {
            var rungs = order[a.Purpose].Ladder.Rungs;
            for (var i = 0; i < rungs.Count; i++)
                if (rungs[i].Set == a.Set)
                    return i;
            return 99;
        }
        return rows.Select(a =>
                (
                    Assignment: a,
                    Purpose: order[a.Purpose].Index,
                    Rank: Rank(a),
                    Key: a.Key.Count == 0 ? "" : a.Key[0].Value
                )
            )
            .OrderBy(x => x.Purpose)
            .ThenBy(x => x.Rank)
            .ThenBy(x => x.Key, StringComparer.Ordinal)
            .ThenBy(x => x.Assignment.Key.Count > 1 ? x.Assignment.Key[1].Value : "", StringComparer.Ordinal)
            .Select(x => x.Assignment);
    }

    // "12 items", "30 pairs" of an item and a party; the default decides whatever is left.
    private static string Said(Assignment assignment, Int128 decides)
    {
        if (assignment.Key.Count == 0)
            return "the rest";
        var sides = assignment
            .Key.Select(k =>
                k.Dimension switch
                {
                    Dimension.ItemGroup => Dimension.Item,
                    Dimension.PartyGroup => Dimension.Party,
                    Dimension.ProjectGroup => Dimension.Project,
                    var d => d,
                }
            )
            .Distinct()
            .Select(d => Words.Of(d).Replace('-', ' '))
            .ToList();
        var many = decides.ToString("N0", System.Globalization.CultureInfo.InvariantCulture).Replace(',', ' ');
        if (sides.Count > 1)
            return $"{many} {(sides.Count == 2 ? "pair" : "triple")}{(decides == 1 ? "" : "s")}";
        if (decides == 1)
            return $"{many} {sides[0]}";
        var plural = sides[0] switch
        {
            "party" => "parties",
            "currency" => "currencies",
            "counterparty" => "entities",
            var side => side + "s",
        };
        return $"{many} {plural}";
    }

    private static (string, string)? Overridden(CompiledSetUp compiled, Assignment assignment)
    {
        var trace = compiled.Landings.Overridden(
            Purposes.Find(assignment.Purpose)!,
            assignment,
            LegValuesOf.Key(compiled, assignment)
        );
        return trace.Account is null
            ? null
            : (trace.Account, trace.BorrowedFrom is null ? trace.Rung! : $"{trace.BorrowedFrom}, {trace.Rung}");
    }

    // The account underneath for its own key alone may be the same and, where a leg has more, another: only what
    // changes nothing at all is the same.
    private static bool SameBelow(CompiledSetUp compiled, Assignment assignment) =>
        Overridden(compiled, assignment)?.Item1 == assignment.Account
        && Core.Coverage.DeadWeight.ChangesNothing(compiled, Purposes.Find(assignment.Purpose)!, assignment);

    // Names of what keys name, looked up when they are first asked for.
    private sealed class NamesOf(SetUp setUp)
    {
        private readonly Dictionary<string, string> accounts = setUp.Accounts.ToDictionary(
            a => a.Number,
            a => a.Name,
            StringComparer.Ordinal
        );
        private readonly Lazy<Dictionary<string, string>> items = new(() =>
            setUp.Items.ToDictionary(i => i.Code, i => i.Name, StringComparer.Ordinal)
        );
        private readonly Lazy<Dictionary<string, string>> parties = new(() =>
            setUp.Parties.ToDictionary(i => i.Code, i => i.Name, StringComparer.Ordinal)
        );
        private readonly Lazy<Dictionary<string, string>> projects = new(() =>
            setUp.Projects.ToDictionary(i => i.Code, i => i.Name, StringComparer.Ordinal)
        );
        private readonly Lazy<ILookup<string, string>> groups = new(() =>
            setUp.Groups.ToLookup(
                g =>
                    (
                        g.Kind is GroupKind.Item ? "i"
                        : g.Kind is GroupKind.Project ? "j"
                        : "p"
                    ) + g.Code,
                g => g.Name
            )
        );

        public string? Account(string number) => accounts.GetValueOrDefault(number);

        public string? Of(KeyPart part) =>
            part.Dimension switch
            {
                Dimension.Item => items.Value.GetValueOrDefault(part.Value),
                Dimension.Party => parties.Value.GetValueOrDefault(part.Value),
                Dimension.Project => projects.Value.GetValueOrDefault(part.Value),
                Dimension.ItemGroup => groups.Value["i" + part.Value].FirstOrDefault(),
                Dimension.ProjectGroup => groups.Value["j" + part.Value].FirstOrDefault(),
                Dimension.PartyGroup => groups.Value["p" + part.Value].FirstOrDefault(),
                _ => null,
            };
    }
}
