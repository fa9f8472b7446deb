using Xunit.Sdk;
using Xunit.v3;

[assembly: TestCollectionOrderer(typeof(Assignum.Web.Tests.LongestFirst))]

namespace Assignum.Web.Tests;

/// <summary>What takes minutes begins first, so that nothing long is left alone at the end.</summary>
public sealed class LongestFirst : ITestCollectionOrderer
{
    private static readonly string[] Long =
    [
        nameof(JoiningInTheBrowser),
        OtherAppCollection.Name,
        AppCollection.Name,
        nameof(FeedsKilled),
        nameof(KilledOften),
        nameof(Started),
        nameof(Feeding),
    ];

    public IReadOnlyCollection<TTestCollection> OrderTestCollections<TTestCollection>(
        IReadOnlyCollection<TTestCollection> testCollections
    )
        where TTestCollection : ITestCollection =>
        [
            .. testCollections.OrderBy(c =>
                Array.FindIndex(Long, l => Is(c.TestCollectionDisplayName, l)) is >= 0 and var place
                    ? place
                    : Long.Length
            ),
        ];

    private static bool Is(string collection, string name) =>
        collection == name
        || collection.Contains($".{name} ", StringComparison.Ordinal)
        || collection.EndsWith($".{name}", StringComparison.Ordinal);
}
