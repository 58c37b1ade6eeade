using System.Diagnostics;
using System.Net.Http.Json;
using System.Numerics;
using System.Text.Json;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>Rays beside the reference kernel, a whole composite, and a preview after a drag from request to bytes.</summary>
public static class Speed
{
    private const int Frame = 1036;

    public static void Rays(string shotFolder)
    {
        var folder = new ShotFolder(shotFolder);
        ShotDocument shot = folder.ReadDocument();
        var engine = new ShotEngine(folder);
        SetScene set = engine.Place.Set(shot);
        TriangleMesh hall = Merged(set.Meshes);
        var (pose, pinhole) = engine.Camera(shot, Frame);
        Compare($"bath hall, {hall.TriangleCount:N0} triangles", hall, Primary(new RayGrid(pinhole, pose)));

        TriangleMesh rock = Rock(708);
        var from = new Vector3(0, 0.6f, 2.6f);
        var rays = new Ray[1280 * 720];
        for (int i = 0; i < rays.Length; i++)
        {
            rays[i] = new(from, Vector3.Normalize(new((i % 1280 - 640) / 900f, (360 - i / 1280) / 900f - 0.2f, -1)));
        }
        Compare($"rock, {rock.TriangleCount:N0} triangles", rock, rays);
    }

    private static void Compare(string name, TriangleMesh mesh, Ray[] primary)
    {
        var watch = Stopwatch.StartNew();
        var tree = new MeshTree(mesh);
        double built = watch.Elapsed.TotalSeconds;
        var scene = new TraceScene([new(tree, Similarity.Identity, RayKinds.LightSet)]);
        watch.Restart();
        using var reference = new ReferenceKernel(mesh);
        Console.WriteLine($"{name}: built in {built:0.00} s, reference {watch.Elapsed.TotalSeconds:0.00} s");

        // Occlusion rays leave where the primary ones arrive, in random directions on the near side.
        var random = new Random(4);
        var occlusion = new List<Ray>();
        long differ = 0;
        foreach (Ray ray in primary)
        {
            Hit hit = scene.Intersect(ray, RayKinds.LightSet);
            float other = reference.Intersect(ray);
            if (hit.IsHit != float.IsFinite(other) || (hit.IsHit && MathF.Abs(hit.T - other) > 1e-3f * (1 + other)))
            {
                differ++;
            }
            if (!hit.IsHit)
            {
                continue;
            }
            Vector3 n = mesh.FaceNormal(hit.Triangle),
                p = ray.At(hit.T);
            if (Vector3.Dot(n, ray.Direction) > 0)
            {
                n = -n;
            }
            Vector3 d = Sampling.CosineHemisphere(n, new(random.NextSingle(), random.NextSingle()));
            occlusion.Add(new(p + n * SetPass.SurfaceOffset(p, hit.T), d));
        }
        // In no order, as light rays of a noisy picture come.
        Ray[] shuffled = [.. occlusion];
        random.Shuffle(shuffled);
        // Towards a sun, pixel after pixel, as shadow rays come.
        Ray[] towards = [.. occlusion.Select(r => r with { Direction = Vector3.Normalize(new(-0.8f, 0.56f, 0.22f)) })];
        Ray[][] kinds = [primary, towards, shuffled];
        var all = new (double Ours, double Theirs)[3];
        double oursShadow = 0,
            theirsShadow = 0;
        long darkOurs = 0,
            darkTheirs = 0;
        double ours = 0,
            theirs = 0,
            oursOccluded = 0,
            theirsOccluded = 0;
        // The best of five, turn about, so that neither gains by a quiet moment of the machine.
        for (int turn = 0; turn < 5; turn++)
        {
            Best(ref ours, primary, r => scene.Intersect(r, RayKinds.LightSet).IsHit);
            Best(ref theirs, primary, r => float.IsFinite(reference.Intersect(r)));
            Best(ref oursShadow, towards, r => scene.Occluded(r, RayKinds.LightSet));
            Best(ref theirsShadow, towards, r => reference.Occluded(r));
            for (int k = 0; k < 3; k++)
            {
                bool near = k == 0;
                BestOfAll(
                    ref all[k].Ours,
                    kinds[k],
                    near ? r => scene.Intersect(r, RayKinds.LightSet).IsHit : r => scene.Occluded(r, RayKinds.LightSet)
                );
                BestOfAll(ref all[k].Theirs, kinds[k], near ? r => float.IsFinite(reference.Intersect(r)) : r => reference.Occluded(r));
            }
            darkOurs = Best(ref oursOccluded, shuffled, r => scene.Occluded(r, RayKinds.LightSet));
            darkTheirs = Best(ref theirsOccluded, shuffled, r => reference.Occluded(r));
        }
        Console.WriteLine(
            $"  primary           ours {ours, 6:0.00} M/s  reference {theirs, 6:0.00} M/s  ratio {ours / theirs:0.00}   rays that differ {differ} of {primary.Length}"
        );
        double packets = 0;
        var hits = new Hit[MeshTree.PacketRays];
        for (int turn = 0; turn < 5; turn++)
        {
            var clock = Stopwatch.StartNew();
            for (int i = 0; i + MeshTree.PacketRays <= primary.Length; i += MeshTree.PacketRays)
            {
                tree.IntersectPacket(primary.AsSpan(i, MeshTree.PacketRays), hits);
            }
            packets = Math.Max(packets, primary.Length / clock.Elapsed.TotalSeconds / 1e6);
        }
        Console.WriteLine(
            $"  primary, by eight ours {packets, 6:0.00} M/s  reference, singly {theirs, 6:0.00} M/s  ratio {packets / theirs:0.00}"
        );
        Console.WriteLine(
            $"  towards the sun   ours {oursShadow, 6:0.00} M/s  reference {theirsShadow, 6:0.00} M/s  ratio {oursShadow / theirsShadow:0.00}"
        );
        Console.WriteLine(
            $"  random occlusion  ours {oursOccluded, 6:0.00} M/s  reference {theirsOccluded, 6:0.00} M/s  ratio {oursOccluded / theirsOccluded:0.00}   closed {darkOurs} and {darkTheirs} of {shuffled.Length}"
        );
        string[] names = ["primary", "towards the sun", "random occlusion"];
        for (int k = 0; k < 3; k++)
        {
            Console.WriteLine(
                $"  {Environment.ProcessorCount} threads, {names[k], -16}  ours {all[k].Ours, 6:0.00} M/s  reference {all[k].Theirs, 6:0.00} M/s  ratio {all[k].Ours / all[k].Theirs:0.00}"
            );
        }
    }

    private static void BestOfAll(ref double millionsPerSecond, Ray[] rays, Func<Ray, bool> trace)
    {
        var watch = Stopwatch.StartNew();
        Parallel.ForEach(System.Collections.Concurrent.Partitioner.Create(0, rays.Length, 4096), Cores.All, part =>
        {
            for (int i = part.Item1; i < part.Item2; i++)
            {
                trace(rays[i]);
            }
        });
        millionsPerSecond = Math.Max(millionsPerSecond, rays.Length / watch.Elapsed.TotalSeconds / 1e6);
    }

    private static long Best(ref double millionsPerSecond, Ray[] rays, Func<Ray, bool> trace)
    {
        long count = 0;
        var watch = Stopwatch.StartNew();
        foreach (Ray r in rays)
        {
            if (trace(r))
            {
                count++;
            }
        }
        millionsPerSecond = Math.Max(millionsPerSecond, rays.Length / watch.Elapsed.TotalSeconds / 1e6);
        return count;
    }

    public static void Composite(string shotFolder)
    {
        var folder = new ShotFolder(shotFolder);
        ShotDocument shot = folder.ReadDocument();
        var engine = new ShotEngine(folder);
        engine.Renderer.Render(shot, Frame, 320, RenderQuality.Draft); // trees, openings and the compiler's second look are not the frame's cost
        foreach (bool layers in (bool[])[false, false, true])
        {
            FrameLayers frame = engine.Renderer.Render(shot, Frame, 1280, RenderQuality.Full, dataPasses: layers);
            Console.WriteLine(
                $"composite 1280 × 720, 16 sun and 16 sky samples, {(layers ? "with all layers" : "picture only")}: {frame.Counts.Seconds * 1000:0} ms, {frame.Counts.Rays / 1e6:0.0} M rays, {frame.Counts.Rays / frame.Counts.Seconds / 1e6:0.0} M/s"
            );
        }
    }

    /// <summary>
    /// The same frame with ten pieces that are seen in what they wear and five half-open cards, beside it without them; and again after a
    /// light has moved, which leaves the background alone.
    /// </summary>
    public static void Seen(string shotFolder)
    {
        var folder = new ShotFolder(shotFolder);
        ShotDocument plain = folder.ReadDocument();
        byte[] smoke = RasterFile.ToPng(
            new CodeImage(256, 256, 4, 8, [.. Enumerable.Range(0, 4 * 256 * 256).Select(i => (ushort)(i % 4 == 3 ? i / 4 % 256 : 180))])
        );
        var media = new Beside(folder, smoke);
        int shown = 0;
        ShotDocument seen = plain with
        {
            Pieces =
            [
                .. plain.Pieces.Select(p =>
                    p.Duties is { WearsFootage: true, OnlyBlocksLight: false } && !p.Off && shown++ < 10
                        ? p with
                        {
                            Duties = p.Duties with { Seen = true },
                        }
                        : p
                ),
            ],
            Projections =
            [
                new()
                {
                    Id = "held",
                    Name = "held",
                    Frame = plain.Range.First,
                },
            ],
            Elements =
            [
                .. plain.Elements,
                .. Enumerable
                    .Range(0, 5)
                    .Select(k => new Element
                    {
                        Id = $"card_{k}",
                        Name = $"card {k}",
                        Kind = ElementKind.Card,
                        Frames = new() { Frames = [new(0, "smoke.png", Beside.Name)] },
                        Position = plain.Elements[0].Position + new Vec3(0.8 * k - 1.6, 0, -0.7),
                        WidthMetres = 1.2,
                        FacesCamera = true,
                        Opacity = 0.7,
                    }),
            ],
        };
        foreach (var (name, shot) in new[] { ("without", plain), ("with ten seen pieces and five cards", seen) })
        {
            var engine = new ShotEngine(media);
            engine.Renderer.Render(shot, Frame, 320, RenderQuality.Draft);
            double[] seconds = new double[3];
            for (int k = 0; k < 3; k++)
            {
                // A lamp that moves leaves what is behind as it was.
                ShotDocument now = shot with { Lights = [.. shot.Lights.Select(l => l with { Strength = l.Strength * (1 + 0.01 * k) })] };
                var watch = Stopwatch.StartNew();
                engine.Renderer.Render(now, Frame, 1280, RenderQuality.Full, dataPasses: false);
                seconds[k] = watch.Elapsed.TotalSeconds;
            }
            Console.WriteLine($"comp 1280 × 720, {name}: {seconds[0]:0.0} s; with another light {seconds[1]:0.0} s and {seconds[2]:0.0} s");
        }
    }

    /// <summary>A folder's media, and one more.</summary>
    private sealed class Beside(ShotFolder folder, byte[] more) : IMedia
    {
        public const string Name = "smoke";

        public byte[] Read(string hash) => hash == Name ? more : folder.Read(hash);
    }

    /// <summary>Previews of an element in 25 places through a running server, each a request of its own and all its bytes.</summary>
    public static async Task Preview(string url)
    {
        using var http = new HttpClient { BaseAddress = new Uri(url) };
        JsonElement[] shots = (await http.GetFromJsonAsync<JsonElement[]>("/api/shots"))!;
        long id = shots.First(s => s.GetProperty("code").GetString() == "BTH_0040").GetProperty("id").GetInt64();
        JsonElement state = await http.GetFromJsonAsync<JsonElement>($"/api/shots/{id}");
        ShotDocument shot = ShotJson.Read(state.GetProperty("document").GetRawText());
        var times = new List<double>();
        double jitter = Random.Shared.NextDouble() * 0.01; // so that no run finds the pictures of an earlier one
        for (int i = 0; i < 41; i++)
        {
            Element e = shot.Elements[0];
            string moved = JsonSerializer.Serialize(
                e with
                {
                    Position = e.Position + new Vec3(jitter + 0.02 * (i % 25), 0, 0.013 * i),
                },
                ShotJson.Options
            );
            string body = $"{{\"revision\":{state.GetProperty("revision").GetInt32()},\"elements\":[{moved}]}}";
            var watch = Stopwatch.StartNew();
            using HttpResponseMessage response = await http.PostAsync(
                $"/api/shots/{id}/frames/{Frame}/preview?kind=comp&width=480&quality=draft",
                new StringContent(body, System.Text.Encoding.UTF8, "application/json")
            );
            byte[] bytes = await response.EnsureSuccessStatusCode().Content.ReadAsByteArrayAsync();
            if (i > 15)
            {
                times.Add(watch.Elapsed.TotalMilliseconds);
            }
            else if (i == 0)
            {
                Console.WriteLine(
                    $"first preview, with the set's samples to make: {watch.Elapsed.TotalMilliseconds:0} ms, {bytes.Length} bytes"
                );
            }
        }
        times.Sort();
        Console.WriteLine(
            $"preview 480 wide, 1 sun and 2 sky rays, request to bytes, {times.Count} drags: median {times[times.Count / 2]:0} ms, worst {times[^1]:0} ms (aim 100)"
        );
    }

    private static Ray[] Primary(RayGrid grid)
    {
        var rays = new List<Ray>();
        for (int y = 0; y < grid.Pinhole.Height; y++)
        {
            for (int x = 0; x < grid.Pinhole.Width; x++)
            {
                if (grid.TryDirection(x, y, new(0.5f), out Vector3 d))
                {
                    rays.Add(new(grid.Origin, d));
                }
            }
        }
        return [.. rays];
    }

    private static TriangleMesh Merged(IReadOnlyList<TriangleMesh> meshes)
    {
        var positions = new List<Vector3>();
        var indices = new List<int>();
        foreach (TriangleMesh m in meshes)
        {
            indices.AddRange(m.Indices.Select(i => i + positions.Count));
            positions.AddRange(m.Positions);
        }
        return new([.. positions], [.. indices]);
    }

    /// <summary>A lumpy ball of 2 n² triangles: what a scanned stone is like to a tree.</summary>
    private static TriangleMesh Rock(int n)
    {
        var positions = new Vector3[(n + 1) * (n + 1)];
        var indices = new List<int>(6 * n * n);
        for (int j = 0; j <= n; j++)
        {
            for (int i = 0; i <= n; i++)
            {
                float a = 2 * MathF.PI * i / n,
                    b = MathF.PI * j / n;
                var d = new Vector3(MathF.Sin(b) * MathF.Cos(a), MathF.Cos(b), MathF.Sin(b) * MathF.Sin(a));
                float r =
                    1
                    + 0.12f * MathF.Sin(9 * d.X + 2) * MathF.Sin(11 * d.Y) * MathF.Sin(8 * d.Z)
                    + 0.02f * MathF.Sin(61 * d.X) * MathF.Sin(67 * d.Y) * MathF.Sin(71 * d.Z);
                positions[j * (n + 1) + i] = r * d;
                if (i == n || j == n)
                {
                    continue;
                }
                int p = j * (n + 1) + i;
                indices.AddRange([p, p + 1, p + n + 1, p + 1, p + n + 2, p + n + 1]);
            }
        }
        return new(positions, [.. indices]);
    }
}
