using Assignum.Bench;

// The measurements of docs/performance.md; ./bench starts what they need.
var root = args.Length > 0 ? args[0] : Directory.GetCurrentDirectory();
var owner = Environment.GetEnvironmentVariable("ASSIGNUM_BENCH_DB");
var application = Environment.GetEnvironmentVariable("ASSIGNUM_BENCH_APP") ?? owner;
Console.WriteLine($"{Environment.ProcessorCount} processors, .NET {Environment.Version}");

// One part alone: resolver, entries, posting, books, chart, editions, grid, coverage, findings, map, pairing, links or
// feed.
bool Wants(string part) => args.Length < 2 || args[1] == part;
if (Wants("resolver"))
    ResolverBench.Run(owner);
if (Wants("coverage"))
    CoverageBench.Run();
if (Wants("findings"))
    FindingsBench.Run();
if (Wants("map"))
    MapBench.Run();
if (Wants("pairing"))
    PairingBench.Run();
if (Wants("links") && owner is not null)
    await LinkBench.RunAsync(owner, application!, root);
if (Wants("feed") && owner is not null)
    await FeedBench.RunAsync(owner, application!, root);
if (Wants("entries"))
    EntryBench.Run(root);
if (Wants("posting") && owner is not null)
    await PostingBench.RunAsync(owner, application!, root);

// Against another built copy of the program, which is named; and a file of events, if not the demo's.
if (args.Length > 2 && args[1] == "race" && owner is not null)
    await RaceBench.RunAsync(owner, application!, root, args[2], args.ElementAtOrDefault(3));
if (Wants("books") && owner is not null)
    await BooksBench.RunAsync(owner, application!, root);
if (Wants("chart") && owner is not null)
    await ChartBench.RunAsync(owner, application!, root);
if (Wants("grid") && owner is not null)
    await GridBench.RunAsync(owner, application!, root);
if (Wants("editions") && owner is not null)
    await EditionBench.RunAsync(owner, application!);
