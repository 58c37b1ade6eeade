using System.Numerics;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;

namespace Plenk.Bench;

/// <summary>
/// Our camera, set and rays against a sequence that foreign code made: survey points, depth, position, normal, sun visibility.
/// </summary>
public static class CourtAccuracy
{
    public static int Run(string directory)
    {
        using JsonDocument json = JsonDocument.Parse(File.ReadAllText(Path.Combine(directory, "truth.json")));
        JsonElement truth = json.RootElement;
        int width = truth.GetProperty("width").GetInt32(),
            height = truth.GetProperty("height").GetInt32();
        var lens = new Lens(truth.GetProperty("k1").GetDouble(), truth.GetProperty("k2").GetDouble());
        static Vec3 V(JsonElement e) => new(e[0].GetDouble(), e[1].GetDouble(), e[2].GetDouble());
        var survey = truth
            .GetProperty("survey")
            .EnumerateArray()
            .ToDictionary(p => p.GetProperty("name").GetString()!, p => V(p.GetProperty("xyz")));
        bool all = true;
        void Report(string name, double value, double bar, string unit)
        {
            bool good = value <= bar;
            all &= good;
            Console.WriteLine($"{name, -58} {value, 12:0.######} {unit, -4} bar {bar:0.######}  {(good ? "within" : "OUTSIDE")}");
        }

        double worstPoint = 0;
        int points = 0;
        var cameras = new Dictionary<int, (Pose Pose, Pinhole Pinhole)>();
        foreach (JsonElement f in truth.GetProperty("frames").EnumerateArray())
        {
            Pose pose = Pose.FromRowMajor16(
                [.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())],
                out string? why
            ) ?? throw new InvalidDataException(why);
            double focal = f.GetProperty("focal_px").GetDouble();
            var pinhole = new Pinhole(width, height, focal, focal, f.GetProperty("cx").GetDouble(), f.GetProperty("cy").GetDouble(), lens);
            cameras[f.GetProperty("frame").GetInt32()] = (pose, pinhole);
            foreach (JsonProperty p in f.GetProperty("points").EnumerateObject())
            {
                // A point is [x, y, visible …] or {px: [x, y], …}: the pixel is the first pair of numbers in it.
                JsonElement pixel =
                    p.Value.ValueKind == JsonValueKind.Array
                        ? p.Value
                        : p.Value.EnumerateObject().First(q => q.Value.ValueKind == JsonValueKind.Array).Value;
                if (
                    pixel.GetArrayLength() < 2
                    || pixel[0].ValueKind != JsonValueKind.Number
                    || !pinhole.TryProject(pose, survey[p.Name], out double x, out double y)
                    || !pinhole.Contains(x, y)
                )
                {
                    continue;
                }
                worstPoint = Math.Max(worstPoint, Math.Sqrt(Math.Pow(x - pixel[0].GetDouble(), 2) + Math.Pow(y - pixel[1].GetDouble(), 2)));
                points++;
            }
        }
        Report($"survey points, worst of {points}", worstPoint, 0.05, "px");
        var solved = Environment.GetEnvironmentVariable("PLENK_BENCH_WITHOUT_SOLVE") is null
            ? SolveAccuracy.Run(directory, truth, Report)
            : null;

        TriangleMesh mesh = ImportedMesh.Read(File.ReadAllBytes(Path.Combine(directory, "set.obj")), "set.obj").Merged() with
        {
            Normals = null,
        };
        var set = new SetScene(
            [
                new Piece
                {
                    Id = "set",
                    Kind = PieceKind.Mesh,
                    Media = "set",
                },
            ],
            (_, _) => mesh
        );
        JsonElement lights = truth.GetProperty("lights");
        Vector3 sun = V(lights.GetProperty("sun_direction_to_light")).Normalized().ToSingle();
        float cosSun = (float)Math.Cos(Rotations.Radians(lights.GetProperty("sun_angular_diameter_deg").GetDouble() / 2));
        foreach (int frame in (int[])[1001, 1024, 1048, 1072])
        {
            var (pose, pinhole) = cameras[frame];
            var grid = new RayGrid(pinhole, pose);
            ExrPicture Pass(string name) => ExrFile.Read(Path.Combine(directory, "passes", $"{name}.{frame}.exr"));
            float[] z = Pass("z").Find("z", "Z")!.Values,
                shadow = Pass("shadow").Find("shadow", "Y")!.Values;
            ExrPicture normalPass = Pass("N");
            float[] nx = normalPass.Find("N", "X")!.Values,
                ny = normalPass.Find("N", "Y")!.Values,
                nz = normalPass.Find("N", "Z")!.Values;
            ExrPicture? positions = frame == 1001 ? Pass("P") : null;
            var depthErrors = new List<double>();
            var normalErrors = new List<double>();
            var positionErrors = new List<double>();
            double shadowSum = 0;
            int shadowCount = 0;
            for (int y = 0; y < height; y++)
            {
                for (int x = 0; x < width; x++)
                {
                    int i = y * width + x;
                    if (!(z[i] < 1e9f) || !grid.TryExactDirection(x + 0.5, y + 0.5, out Vector3 d))
                    {
                        continue;
                    }
                    var ray = new Ray(grid.Origin, d);
                    Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                    if (!hit.IsHit)
                    {
                        depthErrors.Add(1);
                        continue;
                    }
                    Vector3 p = ray.At(hit.T),
                        n = set.Instances[hit.Instance].FaceNormal(hit);
                    if (Vector3.Dot(n, d) > 0)
                    {
                        n = -n;
                    }
                    depthErrors.Add(Math.Abs(grid.DepthOf(p) - z[i]) / z[i]);
                    normalErrors.Add(
                        Rotations.Degrees(Math.Acos(Math.Clamp(Vector3.Dot(n, Vector3.Normalize(new(nx[i], ny[i], nz[i]))), -1, 1)))
                    );
                    if (positions is not null)
                    {
                        positionErrors.Add(
                            Vector3.Distance(
                                p,
                                new(
                                    positions.Find("P", "X")!.Values[i],
                                    positions.Find("P", "Y")!.Values[i],
                                    positions.Find("P", "Z")!.Values[i]
                                )
                            )
                        );
                    }
                    if (x % 2 == 0 && y % 2 == 0)
                    {
                        int open = 0;
                        const int rays = 16;
                        uint seed = Sampling.PixelSeed(x, y, 3);
                        for (uint k = 0; k < rays; k++)
                        {
                            // Averaged over the pixel, as the foreign pass is.
                            if (!grid.TryDirection(x, y, Sampling.Point(k, seed, 0), out Vector3 e))
                            {
                                continue;
                            }
                            var sub = new Ray(grid.Origin, e);
                            Hit h = set.Scene.Intersect(sub, RayKinds.CameraSet);
                            if (!h.IsHit)
                            {
                                continue;
                            }
                            Vector3 q = sub.At(h.T),
                                m = set.Instances[h.Instance].FaceNormal(h);
                            if (Vector3.Dot(m, e) > 0)
                            {
                                m = -m;
                            }
                            q += m * Core.Lighting.SetPass.SurfaceOffset(q, h.T);
                            Vector3 towards = Sampling.Cone(sun, cosSun, Sampling.Point(k, seed, 1));
                            if (Vector3.Dot(m, towards) > 0 && !set.Scene.Occluded(new Ray(q, towards), RayKinds.LightSet))
                            {
                                open++;
                            }
                        }
                        // Faces turned away from the sun are dark whichever way a renderer marks them.
                        if (Vector3.Dot(n, sun) > 0.02f)
                        {
                            shadowSum += Math.Abs((double)open / rays - shadow[i]);
                            shadowCount++;
                        }
                    }
                }
            }
            static double Quantile(List<double> v, double q)
            {
                v.Sort();
                return v.Count == 0 ? double.NaN : v[(int)(q * (v.Count - 1))];
            }
            // Half-float passes carry 2^-11 relative rounding; round stand-ins differ by their facets, hence quantiles.
            Report($"{frame} depth, 98th percentile, relative", Quantile(depthErrors, 0.98), 1.0 / 1024, "");
            Report($"{frame} normal, 95th percentile", Quantile(normalErrors, 0.95), 0.2, "deg");
            if (positions is not null)
            {
                Report($"{frame} position, 98th percentile", Quantile(positionErrors, 0.98), 0.005, "m");
            }
            Report($"{frame} sun visibility, mean difference", shadowSum / shadowCount, 0.03, "");
        }
        RelightAccuracy.Run(directory, truth, set.Scene, cameras, Report);
        ProjectionAccuracy.Run(directory, mesh, cameras, Report);
        if (solved is { } s)
        {
            ProjectionAccuracy.Fitted(
                directory,
                ImportedMesh.Read(File.ReadAllBytes(Path.Combine(directory, "set.obj")), "set.obj"),
                cameras,
                s.Result,
                s.ToWorld,
                s.Tracks,
                Report
            );
        }
        return all ? 0 : 3;
    }
}
