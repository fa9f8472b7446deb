using Assignum.Desk.Access;
using Assignum.Desk.Books;
using Assignum.Desk.Chart;
using Assignum.Desk.Checks;
using Assignum.Desk.Connections;
using Assignum.Desk.Posting;
using Assignum.Desk.SetUps;
using Assignum.Desk.Tax;
using Assignum.Desk.Work;
using Assignum.Web.Start;

namespace Assignum.Web;

/// <summary>Names the tasks that pages and the interface call.</summary>
internal static class DeskTasks
{
    public static void Register(IServiceCollection services) =>
        services
            .AddSingleton<SignIn>()
            .AddSingleton<FirstAccess>()
            .AddSingleton<KeepPeople>()
            .AddSingleton<Evidence>()
            .AddSingleton<OwnAccount>()
            .AddSingleton<ISecrets, Access.HiddenSecrets>()
            .AddSingleton<CreateEntity>()
            .AddSingleton<ImportBundle>()
            .AddSingleton<EditSetUp>()
            .AddSingleton<ReadChanges>()
            .AddSingleton<ReadPolicies>()
            .AddSingleton<PublishDraft>()
            .AddSingleton<ViewSetUp>()
            .AddSingleton<CompareSetUps>()
            .AddSingleton<KeepDrafts>()
            .AddSingleton<MergeDrafts>()
            .AddSingleton<ReadCoverage>()
            .AddSingleton<ReadFindings>()
            .AddSingleton<HandleFindings>()
            .AddSingleton<ReadOverview>()
            .AddSingleton<ReadMaps>()
            .AddSingleton<ReadTieOuts>()
            .AddSingleton<ReadSubledgers>()
            .AddSingleton<ControlAccounts>()
            .AddSingleton<KeepTieOuts>()
            .AddSingleton<ReadStatements>()
            .AddSingleton<CloseYears>()
            .AddSingleton<OwnEvents>()
            .AddSingleton<KeepCutOff>()
            .AddSingleton<TurnBack>()
            .AddSingleton<WriteByHand>()
            .AddSingleton<KeepTemplates>()
            .AddSingleton<BringOpenings>()
            .AddSingleton<RecogniseProjects>()
            .AddSingleton<ReadLeftOpen>()
            .AddSingleton<KeepPeriods>()
            .AddSingleton<BringSheet>()
            .AddSingleton<OpenLine>()
            .AddSingleton<BringChart>()
            .AddSingleton<KeepOpenings>()
            .AddSingleton<ReadAccounts>()
            .AddSingleton<SplitAccounts>()
            .AddSingleton<Rehearse>()
            .AddSingleton<Doubts>()
            .AddSingleton<ShowPattern>()
            .AddSingleton<Workbench>()
            .AddSingleton<TaxUse>()
            .AddSingleton<PostEvents>()
            .AddSingleton<ReadJournal>()
            .AddSingleton<WorkDesk>()
            .AddSingleton<IWorkKind, BundleWork>()
            .AddSingleton<IWorkKind, EventsWork>()
            .AddSingleton<IWorkKind, FetchRecords>()
            .AddSingleton<Worker>()
            .AddSingleton<LinkDesk>()
            .AddSingleton<KeepConnections>()
            .AddSingleton<AskLinks>()
            .AddSingleton<Feeder>()
            .AddSingleton<ActOnEvents>()
            .AddSingleton<ReadWorklist>()
            .AddSingleton<ReadJournals>()
            .AddSingleton<TakeFiles>()
            .AddSingleton<ReadEvents>()
            .AddSingleton<CompareTotals>()
            .AddSingleton<FetchTheirLists>()
            .AddSingleton<MatchLater>()
            .AddSingleton<WriteRuns>()
            .AddSingleton<RunParallel>()
            .AddSingleton<ReceiveHooks>()
            .AddSingleton<ProposePairs>()
            .AddSingleton<PairRecords>()
            .AddSingleton<ReadPairs>()
            .AddSingleton<SettlePurposes>()
            .AddSingleton<ReadNeeds>()
            .AddSingleton<ActOnNeeds>()
            .AddSingleton<CreateThere>()
            .AddSingleton<ReadBoard>()
            .AddSingleton<GoLive>()
            .AddSingleton<ItemAccounts>()
            .AddSingleton<AskOpenings>()
            .AddSingleton<Pages.Lost>()
            .AddSingleton<DemoLoader>();
}

/// <summary>Sizes that requests may have, in bytes.</summary>
internal static class Limits
{
    /// <summary>Any body; streams of events are read line by line and have no other limit.</summary>
    public const long Body = 4L << 30;

    /// <summary>A bundle.</summary>
    public const long Upload = 64L << 20;

    /// <summary>A bundle that is brought in while somebody waits; a longer one is done as work.</summary>
    public const long AtOnce = 2L << 20;

    /// <summary>A JSON body that is read whole.</summary>
    public const int Json = 16 << 20;

    /// <summary>One line of NDJSON.</summary>
    public const int Line = 1 << 20;

    /// <summary>A form of somebody who is signed in: a grid's cells, a long list.</summary>
    public const long Form = 16L << 20;

    /// <summary>A form of anybody else, and where no file is taken.</summary>
    public const long SmallForm = 1L << 20;

    /// <summary>One value of a form.</summary>
    public const int FormValue = 2 << 20;
}
