using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>Steps 5 and 6.</summary>
public static class ContactReadings
{
    public static readonly Reading GapBlank = new()
    {
        Id = "contact.gap",
        Step = 6,
        Name = "Contact",
        Unit = "mm",
        Tolerance = 5,
        How =
            "Height of every point of the element's foot over the set along gravity: the largest gap or the deepest sink (negative), whichever is more.",
    };

    /// <summary>Of what is strewn so many copies are measured.</summary>
    private const int Copies = 24;

    public static Reading Gap(ShotDocument shot, SetScene set, IReadOnlyList<PlacedElement> elements)
    {
        Reading reading = GapBlank;
        if (elements.Count == 0)
        {
            return reading with { Note = "nothing stands here yet" };
        }
        Reading? worst = null;
        var alone = new List<string>();
        foreach (PlacedElement e in elements.SelectMany(e => e.Each(Copies)))
        {
            string name = shot.Elements.First(x => x.Id == e.Id).Name;
            if (Standing.Measure(set, e.Model.Tree.Mesh, e.ObjectToWorld) is not { } foot)
            {
                // A title in the sky, a bird: no fault, and nothing to measure.
                alone.Add($"{name} has no piece of the set below it{Size(e)}");
                continue;
            }
            bool sinks = -foot.DeepestSink > Math.Max(foot.LargestGap, 0);
            double value = 1000 * (sinks ? foot.DeepestSink : foot.LargestGap);
            if (worst is null || Math.Abs(value) > Math.Abs(worst.Value!.Value))
            {
                Vec3 place = sinks ? foot.SinkPlace : foot.GapPlace;
                string words = sinks ? $"sinks {-value:0.0} mm" : $"floats {value:0.0} mm";
                worst = (
                    reading with
                    {
                        Value = value,
                        Note =
                            $"{name}: deepest sink {Math.Max(0, -1000 * foot.DeepestSink):0.0} mm at {At(foot.SinkPlace)}, largest gap "
                            + $"{Math.Max(0, 1000 * foot.LargestGap):0.0} mm at {At(foot.GapPlace)}{Size(e)}",
                        Worst = PlaceInPicture(shot, set, place, name, words),
                        Thing = e.Id,
                    }
                ).Judged();
            }
        }
        return worst is null ? reading with { Note = string.Join("; ", alone) }
            : alone.Count == 0 ? worst
            : worst with { Note = $"{worst.Note}; {string.Join("; ", alone)}" };
    }

    /// <summary>The same over frames, where elements or what they stand on move: the worst first, and every frame for the rail.</summary>
    public static Reading Gap(IReadOnlyList<(int Frame, Reading Gap)> frames)
    {
        if (frames.Count == 1)
        {
            return frames[0].Gap;
        }
        var (frame, worst) = frames.MaxBy(f => f.Gap.Value is { } v ? Math.Abs(v) : -1);
        if (worst.Value is null)
        {
            return worst;
        }
        return worst with
        {
            Note = $"at {frame}: {worst.Note}",
            Worst = worst.Worst is { } place ? place with { Frame = frame } : new(frame),
            PerFrame = [.. frames.Where(f => f.Gap.Value is not null).Select(f => new FrameValue(f.Frame, Math.Abs(f.Gap.Value!.Value)))],
        };
    }

    private static string At(Vec3 p) => FormattableString.Invariant($"{p.X:0.00}, {p.Z:0.00}");

    /// <summary>A size that no filmed thing has is told: the file was probably made in another unit.</summary>
    private static string Size(PlacedElement e)
    {
        var (min, max) = e.Model.Tree.Mesh.Bounds();
        double size = (max - min).Length() * e.ObjectToWorld.Scale;
        return size is > 100 or < 0.005
            ? FormattableString.Invariant($"; it is {size:0.####} m across, so its scale is probably wrong")
            : "";
    }

    public static readonly Reading LevelBlank = new()
    {
        Id = "contact.level",
        Step = 6,
        Name = "Shadow level",
        Unit = "stops",
        Tolerance = 0.25, // common practice, no source
        How =
            "A lit and a shadowed spot of one surface: the plate's ratio between them (means of 7 × 7 pixels), and the ratio that "
            + "our lights give there once the sun is taken away; the largest |log2| between the two, a channel at a time.",
    };

    /// <param name="real">The plate's shadowed over its lit spot; <paramref name="ours"/>: what the lights give.</param>
    public static Reading Level(System.Numerics.Vector3 real, System.Numerics.Vector3 ours, ShadowPair pair)
    {
        double[] stops = [.. Enumerable.Range(0, 3).Select(c => Elementary.Log2(ours[c] / real[c]))];
        double worst = stops.MaxBy(Math.Abs);
        // around ÷ (around + sun) = ours: what around is multiplied by so that it is the real one, its mean over the channels in stops.
        double[] around = [.. Enumerable.Range(0, 3).Select(c => Elementary.Log2((1 / (double)ours[c] - 1) / (1 / (double)real[c] - 1)))];
        return (
            LevelBlank with
            {
                Value = Math.Abs(worst),
                Factor = around.All(double.IsFinite) ? Math.Pow(2, around.Average()) : null,
                Note = FormattableString.Invariant(
                    $"real {real.X:0.000} {real.Y:0.000} {real.Z:0.000}, ours {ours.X:0.000} {ours.Y:0.000} {ours.Z:0.000}: {(worst > 0 ? "ours is too light, less sky and fill" : "ours is too dark, more sky and fill")}"
                ),
                Worst = new(
                    pair.Frame,
                    pair.DarkX,
                    pair.DarkY,
                    Words: $"{(worst > 0 ? "too light" : "too dark")} by {Math.Abs(worst):0.00} stops"
                ),
            }
        ).Judged();
    }

    public static readonly Reading ShadowBlank = new()
    {
        Id = "contact.shadow",
        Step = 6,
        Name = "Shadow inside its receiver",
        Unit = "m",
        Over = true,
        Tolerance = 0.1,
        How =
            "Follows the sun past points of the element onto the set and shifts each ray sideways, up to 1.6 m, until it no longer "
            + "lands on a piece that receives shadow.",
    };

    public static Reading Shadow(ShotDocument shot, SetScene set, IReadOnlyList<PlacedElement> elements)
    {
        Reading reading = ShadowBlank;
        Light? sun = shot.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false });
        if (sun is null)
        {
            return reading with { Note = "no sun yet" };
        }
        if (elements.Count == 0)
        {
            return reading with { Note = "nothing stands here yet" };
        }
        if (sun.Direction.Normalized().Y <= 0)
        {
            return reading with { Note = "the sun is below the floor" };
        }
        Reading? worst = null;
        var alone = new List<string>();
        foreach (PlacedElement e in elements.SelectMany(e => e.Each(Copies)))
        {
            string name = shot.Elements.First(x => x.Id == e.Id).Name;
            if (ShadowReach.Measure(set, e, sun.Direction) is not { } reach)
            {
                continue;
            }
            if (worst is null || reach.MarginMetres < worst.Value)
            {
                worst = (
                    reading with
                    {
                        Value = reach.MarginMetres,
                        Note =
                            reach.Missed > 0 ? $"{name}: {100 * reach.Missed:0.#} % of the shadow falls on nothing that receives it" : name,
                        Worst = PlaceInPicture(
                            shot,
                            set,
                            reach.Place,
                            name,
                            reach.Missed > 0 ? "shadow leaves its receiver" : "nearest edge"
                        ),
                    }
                ).Judged();
            }
        }
        return worst ?? reading with { Note = "the set keeps the sun off every element" };
    }

    /// <summary>The frame of the range in which a world place is best seen: unhidden and nearest to the picture's middle.</summary>
    private static WorstPlace PlaceInPicture(ShotDocument shot, SetScene set, Vec3 place, string piece, string words)
    {
        double[] world = [place.X, place.Y, place.Z];
        if (ShotCamera.Of(shot) is not { } camera)
        {
            return new(World: world, Piece: piece, Words: words);
        }
        (double Score, int Frame, double X, double Y)? best = null;
        int step = Math.Max(1, shot.Range.Count / 24);
        for (int f = shot.Range.First; f <= shot.Range.Last; f += step)
        {
            if (
                !camera.TryAt(f, out Pose pose, out Pinhole pinhole)
                || !pinhole.TryProject(pose, place, out double x, out double y)
                || !pinhole.Contains(x, y)
            )
            {
                continue;
            }
            System.Numerics.Vector3 eye = pose.Position.ToSingle(),
                to = (place + Vec3.UnitY * 0.01).ToSingle() - eye;
            float distance = to.Length();
            bool hidden = set.Scene.Occluded(new Tracing.Ray(eye, to / distance, 0, distance * 0.995f), Tracing.RayKinds.CameraSet);
            double score = Math.Abs(x / pinhole.Width - 0.5) + Math.Abs(y / pinhole.Height - 0.5) + (hidden ? 10 : 0);
            if (best is null || score < best.Value.Score)
            {
                best = (score, f, x, y);
            }
        }
        return best is { } b ? new(b.Frame, b.X, b.Y, world, piece, words) : new(World: world, Piece: piece, Words: words);
    }
}
