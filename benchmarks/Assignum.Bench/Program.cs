using Assignum.Bench;

// The measurements of docs/performance.md; ./bench starts what they need.
var root = args.Length > 0 ? args[0] : Directory.GetCurrentDirectory();
Console.WriteLine($"{Environment.ProcessorCount} processors, .NET {Environment.Version}");
if (args.Length < 2) ResolverBench.Run(Environment.GetEnvironmentVariable("ASSIGNUM_BENCH_DB"));
EntryBench.Run(root);
if (Environment.GetEnvironmentVariable("ASSIGNUM_BENCH_DB") is { } owner)
    await PostingBench.RunAsync(owner, Environment.GetEnvironmentVariable("ASSIGNUM_BENCH_APP") ?? owner, root);
