using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;

namespace Plenk.Work;

/// <summary>An element in filmed frames without a shot: direct light, every piece of the set receives and hides.</summary>
public static class PlaceElement
{
    /// <summary>
    /// These frames are kept: 16 camera samples a pixel, 32 rays to a sun and 256 to a sky (64 where the element is seen small, and 16
    /// aimed at it); 17 times as many where it changes the light.
    /// </summary>
    private static readonly RenderQuality Quality = new(16, 2, 16, ShadowRounds: 16);

    /// <summary>By plate frame the element as its file has it then; one that has no animation is the same in all.</summary>
    /// <param name="start">The plate frame at which its animation begins.</param>
    /// <param name="rate">Frames of the plate to a second of it.</param>
    public static Func<int, PlacedElement> Read(string file, double start, double rate, List<string> told)
    {
        string folder = Path.GetDirectoryName(Path.GetFullPath(file))!,
            name = Path.GetFileName(file);
        byte[] bytes = File.ReadAllBytes(file);
        ImportedMesh mesh = ImportedMesh.Read(bytes, name, beside =>
            Path.Combine(folder, beside) is var at && File.Exists(at) ? File.ReadAllBytes(at) : null
        );
        told.AddRange(mesh.Warnings);
        PlacedElement Placed(ImportedMesh m) => new("element", new(new MeshTree(m.Merged()), m.Materials), Similarity.Identity);
        if (ImportedMesh.Moving(bytes, name) is { Moves: true } moving)
        {
            var motion = new Core.Shots.FileMotion { StartFrame = start };
            return frame => Placed(moving.At(motion.SecondsAt(frame, rate, moving.Seconds)));
        }
        PlacedElement still = Placed(mesh);
        return _ => still;
    }

    /// <summary>The frame's layers; told what keeps the element from being seen.</summary>
    /// <param name="smooth">Light is smoothed after it was sampled.</param>
    public static FrameLayers Frame(
        FilmedSet filmed,
        PlacedElement element,
        LightsFile lights,
        SkyOpenings? openings,
        int frame,
        List<string> told,
        CancellationToken stop = default,
        Action<double>? progress = null,
        bool smooth = false
    )
    {
        var (pose, pinhole) = filmed.Camera(frame);
        FloatImage plate = filmed.Linear(frame);
        if (Unseen(element, pose, pinhole) is { } why)
        {
            told.Add($"Frame {frame}: the element {why}.");
        }
        var pass = new SetPass(
            new Core.Cameras.RayGrid(pinhole, pose),
            filmed.Set,
            lights.Rig(),
            openings,
            Quality with
            {
                Smooth = smooth,
            },
            Sampling.Hash((uint)frame),
            keep: false
        );
        return DifferentialRenderer.Render(
            pass,
            [element],
            plate,
            openings,
            pose,
            new RenderOptions { DirectOnly = true, VisibilityEverywhere = false },
            stop,
            progress is null ? null : rows => progress((double)rows / plate.Height)
        );
    }

    private static string? Unseen(PlacedElement element, Pose pose, Core.Cameras.Pinhole pinhole)
    {
        bool behind = true;
        foreach (System.Numerics.Vector3 v in element.Model.Tree.Mesh.Positions)
        {
            Vec3 p = element.ObjectToWorld.Apply(Vec3.From(v));
            if (pose.ToLocal(p).Z >= 0)
            {
                continue;
            }
            behind = false;
            if (pinhole.TryProject(pose, p, out double x, out double y) && pinhole.Contains(x, y))
            {
                return null;
            }
        }
        return behind ? "lies behind the camera: only its shadow can be seen" : "lies wholly out of frame: only its shadow can be seen";
    }

    public static void Write(string path, FrameLayers layers, Core.Shots.FrameRate rate, int frame)
    {
        var channels = new List<ExrChannel>();
        channels.AddRange(ExrChannel.Of(layers.Comp, "RGB", "comp"));
        channels.Add(new("comp.A", [.. Enumerable.Repeat(1f, layers.Comp.Width * layers.Comp.Height)], Half: true));
        channels.AddRange(ExrChannel.Of(layers.Shadow, "RGB", "shadow"));
        channels.AddRange(ExrChannel.Of(layers.Holdout, "A", "holdout"));
        channels.AddRange(ExrChannel.Of(layers.Element, "RGBA", "element"));
        channels.AddRange(ExrChannel.Of(layers.Depth, "Z", "depth"));
        if (layers.Added.Data.Any(v => v != 0))
        {
            channels.AddRange(ExrChannel.Of(layers.Added, "RGB", "added"));
        }
        ExrFile.Write(
            path,
            layers.Comp.Width,
            layers.Comp.Height,
            channels,
            ExrCompression.Zip,
            (rate.Num, rate.Den),
            new Dictionary<string, string> { ["plenk/frame"] = frame.ToString(System.Globalization.CultureInfo.InvariantCulture) }
        );
    }

    /// <summary>An element that is larger than the place it stands in was probably made in another unit.</summary>
    public static string? Oversize(PlacedElement element, SetScene set)
    {
        var (min, max) = element.Model.Tree.Mesh.Bounds();
        double own = (max - min).Length(),
            place = (set.Max - set.Min).Length();
        return own > place
            ? $"The element is {own:0.##} m across, the set {place:0.##} m: it is larger than the place. Is it in metres?"
            : null;
    }
}
