using Assignum.Core.Landing;

namespace Assignum.Core.SetUps;

/// <summary>What a new entity starts with.</summary>
public static class SetUpDefaults
{
    /// <summary>No records, shipped ladders and policies, and the shipped borrowing.</summary>
    public static SetUp Empty(Entity entity) =>
        new()
        {
            Entity = entity,
            Borrows =
            [
                .. Purposes
                    .All.Where(p => p.ShippedBorrow is not null)
                    .Select(p => new Borrow(p.Name, p.ShippedBorrow!)),
            ],
        };
}
