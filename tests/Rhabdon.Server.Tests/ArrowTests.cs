using System.Reflection;
using Rhabdon.Core;
using Rhabdon.Store;
using Xunit;

namespace Rhabdon.Server.Tests;

/// <summary>Who may know whom on this side; web/src/arrows.test.ts holds the other, Core's own tests that it knows nobody.</summary>
public class ArrowTests
{
    private static readonly Assembly Server = typeof(Documents).Assembly;

    private static string[] Knows(Assembly of) => [.. of.GetReferencedAssemblies().Select(a => a.Name!).Where(n => n.StartsWith("Rhabdon.", StringComparison.Ordinal)).Order()];

    [Fact]
    public void Arrows_go_from_server_to_store_imaging_and_instruments_to_core()
    {
        Assert.Equal(["Rhabdon.Core", "Rhabdon.Documents", "Rhabdon.Imaging", "Rhabdon.Instruments", "Rhabdon.Practice", "Rhabdon.Store"], Knows(Server));
        foreach (var one in new[] { typeof(Database).Assembly, Assembly.Load("Rhabdon.Imaging"), Assembly.Load("Rhabdon.Instruments") })
        {
            Assert.Equal(["Rhabdon.Core"], Knows(one));
        }

        // Of what it may know it may use less.
        Assert.Subset(new HashSet<string> { "Rhabdon.Core", "Rhabdon.Imaging", "Rhabdon.Instruments" }, Knows(Assembly.Load("Rhabdon.Practice")).ToHashSet());
        Assert.Empty(Knows(typeof(Wire).Assembly));
        Assert.Subset(new HashSet<string> { "Rhabdon.Core" }, Knows(Assembly.Load("Rhabdon.Documents")).ToHashSet());
        // SQL is the store's; the server asks it, and no database.
        Assert.DoesNotContain(Server.GetReferencedAssemblies(), a => a.Name == "Dapper");
    }
}
