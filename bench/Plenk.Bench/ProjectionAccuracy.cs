using System.Diagnostics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Work;

namespace Plenk.Bench;

/// <summary>
/// Three frames of the foreign plate laid on the foreign set, looked at from frames between, against the clean pictures of those.
/// </summary>
public static class ProjectionAccuracy
{
    public static void Run(
        string directory,
        TriangleMesh mesh,
        Dictionary<int, (Pose Pose, Pinhole Pinhole)> cameras,
        Action<string, double, double, string> report
    )
    {
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
        Projector[] sources =
        [
            .. ((int[])[1001, 1036, 1072]).Select(f => new Projector(
                Plate(directory, f),
                cameras[f].Pinhole,
                cameras[f].Pose,
                set,
                72,
                84,
                null
            )),
        ];
        foreach (int frame in (int[])[1001, 1024, 1048, 1072])
        {
            var clock = Stopwatch.StartNew();
            DepthMap map = DepthWork.Map(
                frame,
                1001,
                1072,
                f => RasterFile.Read(File.ReadAllBytes(Path.Combine(directory, $"plate.{f}.png")), "plate"),
                f => cameras[f]
            );
            float[] truth = ExrFile.Read(Path.Combine(directory, "passes", $"z.{frame}.exr")).Find("z", "Z")!.Values;
            double[] off =
            [
                .. Enumerable
                    .Range(0, truth.Length)
                    .Where(i => truth[i] < 1e9f && float.IsFinite(map.Depth[i]))
                    .Select(i => (double)Math.Abs(map.Depth[i] / truth[i] - 1))
                    .Order(),
            ];
            report(
                $"{frame} dense depth, median, relative ({100.0 * off.Length / truth.Count(v => v < 1e9f):0} % given, {clock.Elapsed.TotalSeconds:0} s)",
                off[off.Length / 2],
                0.01,
                ""
            );
            report($"{frame} dense depth, off by more than 5 %", 100.0 * off.Count(o => o > 0.05) / off.Length, 8, "%");
        }
        Between(directory, "projected", 1.5, set, sources, cameras, report);
    }

    /// <summary>
    /// The same with our own solved camera and planes fitted through its points: which points lie on one face is told as an artist who
    /// circles them would, by the truth under each track in the middle of its life; where the face lies is the points' alone.
    /// </summary>
    public static void Fitted(
        string directory,
        ImportedMesh truth,
        Dictionary<int, (Pose Pose, Pinhole Pinhole)> cameras,
        SolveResult result,
        Similarity toWorld,
        IReadOnlyList<Track> tracks,
        Action<string, double, double, string> report
    )
    {
        var pieces = new List<Piece>();
        var scene = new SetScene(
            [
                .. truth.Objects.Select(o => new Piece
                {
                    Id = o.Name,
                    Kind = PieceKind.Mesh,
                    Media = o.Name,
                }),
            ],
            (media, _) => truth.Objects.First(o => o.Name == media).Mesh
        );
        Dictionary<int, Track> byId = tracks.ToDictionary(t => t.Id);
        var faces = new Dictionary<(int Piece, Vec3 Normal), List<Vec3>>();
        foreach (var p in result.Points)
        {
            if (
                !byId.TryGetValue(p.Track, out Track? track)
                || !track.TryAt((track.Points[0].Frame + track.Points[^1].Frame) / 2, out TrackPoint at)
            )
            {
                continue;
            }
            var (pose, pinhole) = cameras[at.Frame];
            if (!pinhole.TryDirection(at.X, at.Y, out Vec3 d))
            {
                continue;
            }
            var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * d).Normalized().ToSingle());
            Hit hit = scene.Scene.Intersect(ray, RayKinds.CameraSet);
            if (!hit.IsHit)
            {
                continue;
            }
            Vec3 n = Vec3.From(scene.Instances[hit.Instance].FaceNormal(hit)),
                key = new(Math.Round(n.X, 1), Math.Round(n.Y, 1), Math.Round(n.Z, 1));
            if (!faces.TryGetValue((scene.PieceOf(hit), key), out List<Vec3>? own))
            {
                faces[(scene.PieceOf(hit), key)] = own = [];
            }
            own.Add(toWorld.Apply(p.Position));
        }
        var rms = new List<double>();
        foreach (var ((piece, _), places) in faces)
        {
            // What was tracked across an edge of depth lies on neither side: those off by five times the middle go.
            if (places.Count < 8 || PlaneFit.Fit([.. places], out _) is not { } first)
            {
                continue;
            }
            double middle = places.Select(p => Math.Abs(Vec3.Dot(first.Normal, p - first.Centroid))).Order().ElementAt(places.Count / 2);
            Vec3[] good = [.. places.Where(p => Math.Abs(Vec3.Dot(first.Normal, p - first.Centroid)) <= Math.Max(0.005, 5 * middle))];
            if (PieceFit.Plane(good, cameras[1036].Pose.Position, out _) is not { } fitted)
            {
                continue;
            }
            rms.Add(fitted.RmsMetres);
            pieces.Add(fitted.Piece with { Id = $"{piece}_{pieces.Count}" });
        }
        var set = new SetScene(pieces, (_, _) => throw new InvalidOperationException("planes only"));
        Console.WriteLine(
            $"fitted set: {pieces.Count} planes through {faces.Values.Sum(f => f.Count)} solved points, middle RMS {1000 * rms.Order().ElementAt(rms.Count / 2):0.0} mm"
        );
        var filmed = result.Frames.ToDictionary(f => f.Frame, f => (f.CameraToWorld.Moved(toWorld), result.Pinhole!));
        Projector[] sources =
        [
            .. ((int[])[1001, 1036, 1072]).Select(f => new Projector(
                Plate(directory, f),
                filmed[f].Item2,
                filmed[f].Item1,
                set,
                72,
                84,
                null
            )),
        ];
        Between(directory, "own camera, fitted set", 3, set, sources, filmed, report);
    }

    private static FloatImage Plate(string directory, int f) =>
        RasterFile.Read(File.ReadAllBytes(Path.Combine(directory, $"plate.{f}.png")), "plate").ToLinear(ColorEncoding.Srgb);

    /// <summary>Looked at from frames between the sources, against the clean pictures of those.</summary>
    private static void Between(
        string directory,
        string what,
        double bar,
        SetScene set,
        Projector[] sources,
        Dictionary<int, (Pose Pose, Pinhole Pinhole)> cameras,
        Action<string, double, double, string> report
    )
    {
        foreach (int frame in (int[])[1024, 1048])
        {
            var (pose, pinhole) = cameras[frame];
            var watch = Stopwatch.StartNew();
            FloatImage view = ProjectedView.Render(new RayGrid(pinhole, pose), set, sources, 16, 1, SourceMix.Quality);
            double seconds = watch.Elapsed.TotalSeconds;
            ExrPicture beauty = ExrFile.Read(Path.Combine(directory, "passes", $"beauty.{frame}.exr"));
            float[] z = ExrFile.Read(Path.Combine(directory, "passes", $"z.{frame}.exr")).Find("z", "Z")!.Values;
            float[][] rgb = [.. ((string[])["R", "G", "B"]).Select(c => beauty.Find("beauty", c)!.Values)];
            int w = view.Width,
                h = view.Height;
            bool Step(int i, int j) => Math.Abs(1 / z[i] - 1 / z[j]) > 0.03 * Math.Max(1 / z[i], 1 / z[j]);
            var edge = new bool[w * h];
            for (int y = 1; y < h - 1; y++)
            {
                for (int x = 1; x < w - 1; x++)
                {
                    int i = y * w + x;
                    edge[i] = Step(i, i - 1) || Step(i, i + 1) || Step(i, i - w) || Step(i, i + w);
                }
            }
            var all = new List<double>();
            int near = 0,
                bled = 0,
                far = 0,
                wrong = 0,
                covered = 0;
            for (int y = 4; y < h - 4; y++)
            {
                for (int x = 4; x < w - 4; x++)
                {
                    int i = y * w + x;
                    if (!(z[i] < 1e9f))
                    {
                        continue;
                    }
                    if (view.Data[4 * i + 3] < 0.999f)
                    {
                        continue;
                    }
                    covered++;
                    double ours = 0,
                        theirs = 0;
                    for (int c = 0; c < 3; c++)
                    {
                        ours += view.Data[4 * i + c];
                        theirs += rgb[c][i];
                    }
                    double off = Math.Abs(ours - theirs) / Math.Max(theirs, 0.01);
                    all.Add(off);
                    // Two and three pixels off a step in depth nothing of the other side may be left.
                    bool two = false,
                        one = false;
                    for (int v = -3; v <= 3; v++)
                    {
                        for (int u = -3; u <= 3; u++)
                        {
                            if (edge[i + v * w + u])
                            {
                                if (Math.Max(Math.Abs(u), Math.Abs(v)) <= 1)
                                {
                                    one = true;
                                }
                                else
                                {
                                    two = true;
                                }
                            }
                        }
                    }
                    if (!one && !two)
                    {
                        far++;
                        if (off > 0.25)
                        {
                            wrong++;
                        }
                    }
                    if (one || !two)
                    {
                        continue;
                    }
                    near++;
                    if (off > 0.25)
                    {
                        bled++;
                    }
                }
            }
            all.Sort();
            report(
                $"{frame} {what}, median difference ({100.0 * covered / (w * h):0} % covered, {seconds:0.0} s)",
                100 * all[all.Count / 2],
                bar,
                "%"
            );
            if (bar > 1.5)
            {
                continue;
            } // its edges are those of the points
            // Noise of the plate is wrong by as much in dark places everywhere; what is more at the edges has bled.
            report(
                $"{frame} projected, off by a quarter 2 to 3 px from a depth edge, over elsewhere (bar ours)",
                Math.Max(0, 100.0 * bled / Math.Max(1, near) - 100.0 * wrong / Math.Max(1, far)),
                1,
                "%"
            );
        }
    }
}
