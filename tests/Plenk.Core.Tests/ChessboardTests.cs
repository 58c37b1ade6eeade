using System.Globalization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Solving;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>The lens and the adjustment against 13 real photographs of a chessboard (tests/data/chessboard/NOTICE.md).</summary>
public class ChessboardTests
{
    internal static string Data()
    {
        string at = AppContext.BaseDirectory;
        while (!File.Exists(Path.Combine(at, "Plenk.slnx")))
        {
            at = Path.GetDirectoryName(at) ?? throw new DirectoryNotFoundException("the repository");
        }
        return Path.Combine(at, "tests", "data", "chessboard", "corners.csv");
    }

    private sealed record Corner(string Photograph, Vec3 Board, double X, double Y);

    /// <summary>Pixel centres at +0.5, as ours are.</summary>
    private static List<Corner> Corners() =>
        [
            .. File.ReadLines(Data())
                .Skip(1)
                .Select(l => l.Split(','))
                .Select(v =>
                {
                    double N(int i) => double.Parse(v[i], CultureInfo.InvariantCulture);
                    return new Corner(v[0], new(0.025 * N(1), 0.025 * N(2), 0), N(3) + 0.5, N(4) + 0.5);
                }),
        ];

    /// <summary>A view's pose by resection from a few crude ones; what the corners see is scaled to the given lens.</summary>
    private static BundleView Resect(IReadOnlyList<Corner> corners, IntrinsicsGroup lens)
    {
        BundleView best = new();
        double lowest = double.PositiveInfinity;
        for (int start = 0; start < 12; start++)
        {
            Matrix3 r =
                Rotations.AboutX(0.5 * (start / 4 - 1)) * Rotations.AboutY(0.4 * (start % 2)) * Rotations.AboutZ(Math.PI / 2 * (start % 4));
            var view = new BundleView { Rotation = r, Translation = new Vec3(0, 0, 0.45) - r * new Vec3(0.1, 0.0625, 0) };
            var problem = new BundleProblem
            {
                Points = [.. corners.Select(c => c.Board)],
                Observations = [.. corners.Select((c, i) => new BundleObservation(0, i, c.X, c.Y))],
            };
            problem.Groups.Add(lens.Copy());
            problem.Groups[0].Refine = Intrinsics.None;
            problem.Views.Add(view);
            BundleReport report = BundleAdjustment.Run(problem, RobustLoss.Squares, 1, 60, holdPoints: true);
            if (report.EndCost < lowest)
            {
                (best, lowest) = (view, report.EndCost);
            }
        }
        return best;
    }

    [Fact]
    public void Calibration_with_two_radial_terms_ends_where_the_reference_s_does()
    {
        List<Corner> all = Corners();
        Assert.Equal(702, all.Count);
        string[] photographs = [.. all.Select(c => c.Photograph).Distinct()];
        var problem = new BundleProblem { Points = [.. all.Select(c => c.Board)] };
        problem.Groups.Add(
            new()
            {
                Focal = 500,
                Cx = 320,
                Cy = 240,
            }
        );
        foreach (string p in photographs)
        {
            problem.Views.Add(Resect([.. all.Where(c => c.Photograph == p)], problem.Groups[0]));
        }
        problem.Observations = [.. all.Select((c, i) => new BundleObservation(Array.IndexOf(photographs, c.Photograph), i, c.X, c.Y))];
        problem.Groups[0].Refine = Intrinsics.Focal | Intrinsics.K1 | Intrinsics.K2 | Intrinsics.PrincipalPoint;
        BundleReport report = BundleAdjustment.Run(problem, iterations: 200, holdPoints: true, tolerance: 1e-13);
        IntrinsicsGroup lens = problem.Groups[0];
        // The reference: f 536.26247, c (342.43613, 234.03932) with centres at 0, k1 −0.2801793, k2 0.0747121, RMS 0.4178252 px.
        Assert.Equal(536.26247, lens.Focal, 0.02);
        Assert.Equal(342.93613, lens.Cx, 0.02);
        Assert.Equal(234.53932, lens.Cy, 0.02);
        Assert.Equal(-0.2801793, lens.K1, 2e-4);
        Assert.Equal(0.0747121, lens.K2, 1e-3);
        Assert.Equal(0.4178252, report.EndRms, 1e-4);

        // Terms trade off against one another, so the bend itself is compared with that of the published five-term lens.
        var ours = new Lens(lens.K1, lens.K2);
        var published = new Lens(-0.26637260909660682, -0.038588898922304653, 0, 0, 0.23839153080878486);
        for (double px = 20; px <= 300; px += 20)
        {
            Assert.True(
                ours.TryDistort(px / lens.Focal, 0, out double a, out _)
                    & published.TryDistort(px / 535.91573396163199, 0, out double b, out _)
            );
            Assert.InRange(lens.Focal * a - 535.91573396163199 * b, -0.7, 0.7);
        }
    }

    // The published calibration: f 535.91573, c (342.28315, 235.57083), k1 −0.2663726, k2 −0.0385889, p1 0.0017832, p2 −0.0002812,
    // k3 0.2383915; mean error 0.3926 px, per photograph from 0.16 to 1.18.
    [Fact]
    public void The_published_lens_straightens_the_photographs()
    {
        const double f = 535.91573396163199,
            cx = 342.28315473308373 + 0.5,
            cy = 235.57082909788173 + 0.5;
        var lens = new Lens(
            -0.26637260909660682,
            -0.038588898922304653,
            0.0017831947042852964,
            -0.00028122100441115472,
            0.23839153080878486
        );
        double square = 0;
        int count = 0;
        foreach (var photograph in Corners().GroupBy(c => c.Photograph))
        {
            Corner[] seen = [.. photograph];
            var flat = new List<Corner>();
            foreach (Corner c in seen)
            {
                Assert.True(lens.TryUndistort((c.X - cx) / f, (c.Y - cy) / f, out double x, out double y));
                flat.Add(c with { X = cx + f * x, Y = cy + f * y });
            }
            BundleView view = Resect(
                flat,
                new()
                {
                    Focal = f,
                    Cx = cx,
                    Cy = cy,
                }
            );
            foreach (Corner c in seen)
            {
                // Measured where it was seen, bent again by the lens.
                Vec3 p = view.Rotation * c.Board + view.Translation;
                Assert.True(lens.TryDistort(p.X / p.Z, p.Y / p.Z, out double x, out double y));
                square += (cx + f * x - c.X) * (cx + f * x - c.X) + (cy + f * y - c.Y) * (cy + f * y - c.Y);
                count++;
            }
        }
        Assert.InRange(Math.Sqrt(square / count), 0.38, 0.43);
    }
}
