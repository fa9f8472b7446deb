using Assignum.Desk.Access;

namespace Assignum.Web.Start;

/// <summary>Checks all seals for whoever stands at the machine (<c>./start --verify</c>).</summary>
internal static class Verifying
{
    /// <returns>0: everything is as it was written; 1: the first break of each entity was named.</returns>
    public static async Task<int> RunAsync(Evidence evidence)
    {
        var made = await evidence.VerifyAsync(Actor.Product, CancellationToken.None);
        var broken = 0;
        foreach (var of in made.Result!)
        {
            var name = of.Entity.Length == 0 ? "no entity" : of.Entity;
            Console.WriteLine(
                FormattableString.Invariant(
                    $"{name}: {of.Entries?.Checked ?? 0} entries, {of.Audit.Checked} audit lines, last seal {of.Entries?.Last}"
                )
            );
            foreach (var found in new[] { of.Entries?.Break, of.Audit.Break }.OfType<Core.Access.SealBreak>())
            {
                broken++;
                Console.WriteLine("  BROKEN: " + found.Why);
            }
        }
        Console.WriteLine(broken == 0 ? "Everything is as it was written." : "Something was changed behind our back.");
        return broken == 0 ? 0 : 1;
    }
}
