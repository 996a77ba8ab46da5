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
    public void Arrows_go_from_server_to_store_and_imaging_to_core()
    {
        Assert.Equal(["Rhabdon.Core", "Rhabdon.Imaging", "Rhabdon.Store"], Knows(Server));
        Assert.Equal(["Rhabdon.Core"], Knows(typeof(Database).Assembly));
        Assert.Equal(["Rhabdon.Core"], Knows(Assembly.Load("Rhabdon.Imaging")));
        Assert.Empty(Knows(typeof(Wire).Assembly));
        // SQL is the store's; the server asks it, and no database.
        Assert.DoesNotContain(Server.GetReferencedAssemblies(), a => a.Name == "Dapper");
    }
}
