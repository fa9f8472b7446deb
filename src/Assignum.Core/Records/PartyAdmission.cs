using Assignum.Core.Chart;

namespace Assignum.Core.Records;

/// <summary>Which parties an account takes.</summary>
public static class PartyAdmission
{
    /// <summary>Whether legs of a party of this kind may land on an account; one that is both is admitted as
    /// either.</summary>
    public static bool Admits(this Account account, PartyKind kind) =>
        account.PartyKinds == PartyKinds.All
        || (
            account.PartyKinds
            & kind switch
            {
                PartyKind.Customer => PartyKinds.Customers,
                PartyKind.Supplier => PartyKinds.Suppliers,
                PartyKind.Both => PartyKinds.Customers | PartyKinds.Suppliers,
                _ => PartyKinds.Others,
            }
        ) != 0;
}
