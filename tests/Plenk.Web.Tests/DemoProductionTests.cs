using Microsoft.Extensions.DependencyInjection;
using Microsoft.Extensions.Diagnostics.HealthChecks;
using Plenk.Store;
using Plenk.Work;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>The demo production comes while the server answers already, and a start that was cut short is gone on with.</summary>
[Collection("application")]
public sealed class DemoProductionTests(Application application) : IDisposable
{
    private readonly string _demo = Directory.CreateTempSubdirectory("plenk-demo-").FullName;

    public void Dispose() => Directory.Delete(_demo, recursive: true);

    [Fact]
    public async Task Shot_by_shot_once_each_and_its_faults_told()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "Plenk.slnx")))
        {
            at = Path.GetDirectoryName(at)!;
        }
        void Bring(string code) => Directory.CreateSymbolicLink(Path.Combine(_demo, code), Path.Combine(at, "demo", code));
        async Task<string> Came()
        {
            using var demo = ActivatorUtilities.CreateInstance<DemoProduction>(application.Services, _demo);
            Assert.Equal(HealthStatus.Degraded, (await demo.CheckHealthAsync(new())).Status);
            await demo.StartAsync(CancellationToken.None);
            await demo.ExecuteTask!;
            return (await demo.CheckHealthAsync(new())).Description ?? "";
        }
        async Task<ShotRow[]> Shots() =>
            [
                .. (await application.Services.GetRequiredService<ShotStore>().List()).Where(s =>
                    s.Production == DemoSeed.Production && s.Code is "BTH_0050" or "BTH_0060"
                ),
            ];
        _ = application.CreateClient();

        Bring("BTH_0050");
        Assert.Equal("", await Came());
        ShotRow first = Assert.Single(await Shots());
        // The shot that is there stays as it is; what was missing follows.
        Bring("BTH_0060");
        Assert.Equal("", await Came());
        Assert.Equal("", await Came());
        ShotRow[] both = await Shots();
        Assert.Equal(["BTH_0050", "BTH_0060"], both.Select(s => s.Code));
        Assert.Equal(first, both[0]);
        // A folder without its footage is told, and nothing else is lost by it.
        Directory.CreateDirectory(Path.Combine(_demo, "BTH_0070"));
        string told = await Came();
        Assert.StartsWith("The demo production did not come whole: BTH_0070 failed.", told, StringComparison.Ordinal);
        Assert.DoesNotContain(_demo, told, StringComparison.Ordinal);
        Assert.Equal(both, await Shots());
    }
}
