using System.Diagnostics;
using Plenk.Core.Solving;
using Plenk.Formats;

namespace Plenk.Bench;

/// <summary>A published bundle adjustment problem, adjusted by ours.</summary>
public static class BundleBench
{
    public static int Run(string path)
    {
        BundleReport report = BundleAdjustment.Run(BundleFile.Read(path), iterations: 100); // the compiler's run
        for (int run = 0; run < 3; run++)
        {
            BundleProblem problem = BundleFile.Read(path);
            var watch = Stopwatch.StartNew();
            var steps = new List<(double Seconds, double Cost)>();
            report = BundleAdjustment.Run(problem, iterations: 100, progress: (_, cost) => steps.Add((watch.Elapsed.TotalSeconds, cost)));
            double end = watch.Elapsed.TotalSeconds,
                near = steps.First(s => s.Cost <= 1.001 * report.EndCost).Seconds;
            Console.WriteLine(
                $"ours: cost {report.StartCost:0.000} to {report.EndCost:0.000}, RMS {report.StartRms:0.0000} to {report.EndRms:0.00000} px, {report.Iterations} iterations, {end:0.00} s; within 0.1 % after {near:0.00} s; {report.Stopped}"
            );
        }
        return report.EndCost <= 1.8034e4 ? 0 : 1;
    }
}
