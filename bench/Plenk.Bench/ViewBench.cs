using System.Diagnostics;
using System.Numerics;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Bench;

/// <summary>
/// A 1920 × 1080 view of 100,000 triangles that wear six projections: seconds a frame, and the share that its rays alone take.
/// </summary>
public static class ViewBench
{
    public static int Run()
    {
        const int n = 224;
        var positions = new Vector3[(n + 1) * (n + 1)];
        for (int j = 0; j <= n; j++)
        {
            for (int i = 0; i <= n; i++)
            {
                positions[j * (n + 1) + i] = new(
                    i * 20f / n - 10,
                    0.6f * MathF.Sin(i * 0.11f) * MathF.Cos(j * 0.13f) + 0.05f * MathF.Sin(i * 1.9f + j),
                    -j * 20f / n - 2
                );
            }
        }
        var indices = new List<int>();
        for (int j = 0; j < n; j++)
        {
            for (int i = 0; i < n; i++)
            {
                int a = j * (n + 1) + i;
                indices.AddRange([a, a + n + 1, a + 1, a + 1, a + n + 1, a + n + 2]);
            }
        }
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "ground",
                    Kind = PieceKind.Mesh,
                    Media = "ground",
                },
            ],
            (_, _) => new(positions, [.. indices])
        );
        var pinhole = new Pinhole(1920, 1080, 1600, 1600, 960, 540, new Lens(-0.08, 0.02));
        Pose At(double x) => Pose.LookAt(new(x, 3, 1), new(0.3 * x, 0, -9), Vec3.UnitY);
        var picture = new FloatImage(1920, 1080, 3);
        for (int i = 0; i < picture.Data.Length; i++)
        {
            picture.Data[i] = (i * 2654435761u >> 24) / 255f;
        }
        Projector[] sources = [.. Enumerable.Range(0, 6).Select(k => new Projector(picture, pinhole, At(k - 2.5), set, 72, 84, null))];
        var grid = new RayGrid(pinhole, At(0.2));
        ProjectedView.Render(grid, set, sources, 1, 1, SourceMix.Quality); // warm; pyramids and margins are made here
        var watch = Stopwatch.StartNew();
        ProjectedView.Render(grid, set, sources, 4, 1, SourceMix.Quality);
        double whole = watch.Elapsed.TotalSeconds;
        watch.Restart();
        long rays = 0;
        Parallel.For(0, 1080, Cores.All, y =>
        {
            long own = 0;
            for (int x = 0; x < 1920; x++)
            {
                uint seed = Sampling.PixelSeed(x, y, 1);
                for (uint s = 0; s < 4; s++)
                {
                    if (!grid.TryDirection(x, y, Sampling.Point(s, seed, 0), out Vector3 d))
                    {
                        continue;
                    }
                    var ray = new Ray(grid.Origin, d);
                    Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                    own++;
                    if (!hit.IsHit)
                    {
                        continue;
                    }
                    Vector3 p = ray.At(hit.T),
                        normal = set.Instances[0].FaceNormal(hit);
                    foreach (Projector source in sources)
                    {
                        Vector3 to = source.Sight.CameraToWorld.Position.ToSingle() - p;
                        float distance = to.Length();
                        set.Scene.Occluded(new Ray(p + 1e-3f * normal, to / distance, 0, distance), RayKinds.CameraSet);
                        own++;
                    }
                }
            }
            Interlocked.Add(ref rays, own);
        });
        double traced = watch.Elapsed.TotalSeconds;
        Console.WriteLine(
            $"{Environment.ProcessorCount} cores: 1920 × 1080, {set.Meshes[0].TriangleCount:N0} triangles, 6 projections, 4 samples a pixel: {whole:0.0} s a frame; its {rays / 1e6:0} million rays alone {traced:0.0} s ({100 * traced / whole:0} %), {rays / traced / 1e6:0.0} million a second"
        );
        return 0;
    }
}
