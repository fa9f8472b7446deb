using Assignum.Core;
using Assignum.Core.Landing;
using Assignum.Core.Records;
using Assignum.Core.SetUps;
using Assignum.Core.Tables;
using Assignum.Core.Upkeep;
using Assignum.Desk;
using Assignum.Desk.SetUps;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages.Entity;

/// <summary>A group: where its members land for every purpose and by what; accounts of its own filled in or cleared;
/// whether new records come to it.</summary>
public sealed class GroupModel(DeskContext desk, ViewSetUp view, EditSetUp edit) : ActingPage(desk, edit)
{
    public override string Place => "groups";

    /// <summary>Item, customer, supplier or project.</summary>
    [BindProperty(SupportsGet = true), FromRoute(Name = "kind")]
    public string Kind
    {
        get => kind;
        set => kind = value ?? "";
    }
    private string kind = "";

    [BindProperty(SupportsGet = true), FromRoute(Name = "code")]
    public string Code
    {
        get => code;
        set => code = Unslashed(value);
    }
    private string code = "";

    public LandingGroup Group { get; private set; } = null!;
    public CompiledSetUp SetUp { get; private set; } = null!;

    /// <summary>The group and all below it.</summary>
    public IReadOnlySet<string> Below { get; private set; } = new HashSet<string>();
    public int Members { get; private set; }
    public int Naming { get; private set; }
    public bool IsDefault { get; private set; }
    public IReadOnlyList<(string Band, IReadOnlyList<Purpose> Purposes)> Bands { get; private set; } = [];
    public ILookup<Purpose, MemberLanding> Landings { get; private set; } = null!;
    public OwnAccountsPlan Fill { get; private set; } = null!;
    public OwnAccountsPlan Clear { get; private set; } = null!;

    /// <summary>The address of the list that its members stand in, and the field of the explanation that one of them
    /// fills.</summary>
    public string MemberList =>
        Kind switch
        {
            "item" => "items",
            "project" => "projects",
            _ => "parties",
        };
    public string Member =>
        Kind switch
        {
            "item" => "item",
            "project" => "project",
            _ => "party",
        };

    public string NameOf(string account) => SetUp.Account(account)?.Name ?? "";

    /// <summary>What speaks against an account that results.</summary>
    public Fault? Wrong(Purpose purpose, MemberLanding landing) =>
        landing.Account is not null && SetUp.Account(landing.Account) is { } account
            ? Fitness.Of(account, purpose, landing.By?.Key.Count == 0)
            : null;

    public Task<IActionResult> OnGetAsync() => ShowAsync();

    /// <summary>What filling and clearing it would do: worked out beside the page, since it looks at all
    /// assignments.</summary>
    public async Task<IActionResult> OnGetOwnAsync()
    {
        if (!await LoadAsync() || !Words.TryParse<GroupKind>(Kind, out var kind))
            return NotFound();
        (Fill, Clear) = (OwnAccounts.Fill(SetUp, kind, Code), OwnAccounts.Clear(SetUp, kind, Code));
        return Partial("_GroupOwn", this);
    }

    public Task<IActionResult> OnPostFillAsync() =>
        ActAsync(
            "filled from the defaults",
            (set, kind) => OwnAccounts.Fill(set, kind, Code).Edits,
            n => n == 1 ? "1 account of its own was filled in." : $"{n} accounts of its own were filled in."
        );

    public Task<IActionResult> OnPostClearAsync() =>
        ActAsync(
            "cleared of what equals the default",
            (set, kind) => OwnAccounts.Clear(set, kind, Code).Edits,
            n => n == 1 ? "1 assignment was deleted." : $"{n} assignments were deleted."
        );

    /// <summary>Makes it, or no longer, the group of new records.</summary>
    public Task<IActionResult> OnPostDefaultAsync(bool on) =>
        ActAsync(
            on ? "made the group of new records" : "no longer the group of new records",
            (set, kind) =>
            {
                var policy = DefaultGroup.Policies.First(p => p.Kind == kind).Policy;
                var row = Parts.Policies.Row(set.SetUp, policy);
                return row is null && !on || row?[1] == Code && on
                    ? []
                    :
                    [
                        SetUpEdit.Row(
                            Parts.Policies,
                            row,
                            on ? new Dictionary<string, string?> { ["policy"] = policy, ["value"] = Code } : null
                        ),
                    ];
            },
            _ => on ? "New records come here, in the draft." : "New records get no group, in the draft."
        );

    private async Task<IActionResult> ActAsync(
        string what,
        Func<CompiledSetUp, GroupKind, IReadOnlyList<RowChange>> edits,
        Func<int, string> done
    )
    {
        if (!Words.TryParse<GroupKind>(Kind, out var kind))
            return NotFound();
        var made = await Edit.MakeAsync(
            Actor,
            EntityCode,
            $"{Kind} group {Code} {what}",
            null,
            (now, faults) =>
            {
                if (!now.Groups.Any(g => g.Kind == kind && g.Code == Code))
                {
                    faults.Add(new Fault("unknown-record", $"There is no {Kind} group {Code}."));
                    return [];
                }
                return edits(new CompiledSetUp(now), kind);
            },
            HttpContext.RequestAborted
        );
        return await AfterAsync(made, done);
    }

    private protected override string Here => $"/e/{EntityCode}/group/{Kind}/{Uri.EscapeDataString(Code)}";

    private protected override async Task<IActionResult> ShowAsync() => await LoadAsync() ? Page() : NotFound();

    private async Task<bool> LoadAsync()
    {
        if (!Words.TryParse<GroupKind>(Kind, out var kind))
            return false;
        SetUp = (await view.OfAsync(Visit, "draft", null, HttpContext.RequestAborted)).Result!.SetUp;
        if (SetUp.SetUp.Groups.FirstOrDefault(g => g.Kind == kind && g.Code == Code) is not { } group)
            return false;
        Group = group;
        Below = GroupMembers.Below(SetUp.SetUp, kind, Code);
        Members = GroupMembers.In(SetUp.SetUp, kind, Below).Count();
        Naming = SetUp.SetUp.Assignments.Count(a => a.Value(LifeBands.DimensionOf(kind)) == Code);
        IsDefault = DefaultGroup.Of(SetUp.SetUp, kind) == Code;
        Bands = GroupMembers.Bands(SetUp, kind, Code);
        Landings = GroupMembers.Landings(SetUp, kind, Code).ToLookup(l => l.Purpose);
        return true;
    }
}
