using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A rendered picture with its data in our world, and what was found about how its passes were meant.</summary>
public sealed record RenderedData(FloatImage Beauty, FloatImage Position, FloatImage Normal, FloatImage? Albedo, PassReport Report);

/// <summary>Rendered pictures that bring position and normal passes: read, and lit again.</summary>
public sealed class RenderedWork(ShotEngine engine, IMedia media)
{
    private readonly Cache<RenderedData> _data = new(d =>
        Sizes.Of(d.Beauty) + Sizes.Of(d.Position) + Sizes.Of(d.Normal) + Sizes.Of(d.Albedo)
    );
    private readonly Cache<Box<TraceScene?>> _surfaces = new(s => Sizes.Small + (s.Value?.Instances.Sum(i => Sizes.Of(i.Tree)) ?? 0));
    private readonly Cache<FloatImage> _lit = new(Sizes.Of);

    public RenderedData Data(ShotDocument shot, RenderedPicture picture)
    {
        var (pose, pinhole) = engine.Camera(shot, picture.Frame);
        return _data.Get(ResultKey.Of("rendered", 1, picture.Media, picture.Depth, pose, pinhole), () =>
            Read([.. picture.Media.Select(media.Read)], picture.Names, picture.Name, picture.Depth, pose, pinhole)
        );
    }

    /// <summary>
    /// Channels of all files together; a file's own name stands for a layer where there are several files and its channels have none.
    /// </summary>
    public static RenderedData Read(
        IReadOnlyList<byte[]> files,
        IReadOnlyList<string> names,
        string name,
        DepthConvention depthConvention,
        Pose cameraToWorld,
        Pinhole plate
    )
    {
        var passes = new RenderedPasses([.. files.Select((f, i) => (ExrFile.Read(f, names[i]), names[i]))]);
        var (width, height) = (passes.Width, passes.Height);
        if (Math.Abs((double)width / height - (double)plate.Width / plate.Height) > 0.01)
        {
            throw new ShotFault(
                $"{name} is {width} × {height}, another shape than the plate, {plate.Width} × {plate.Height}. It must be rendered through the shot's camera."
            );
        }
        FloatImage beauty = passes.Colour("picture")
            ?? passes.Colour("plain")
            ?? throw new FormatFault("passes", $"{name} has no picture (R, G, B)", "Bring the picture together with its passes.");
        FloatImage? position = passes.Data("position"),
            normal = passes.Data("normal"),
            albedo = passes.Colour("albedo");
        Pinhole pinhole = plate.Resized(width, height);
        if (position is null && passes.Depth is { } z)
        {
            if (depthConvention.Fault is { } fault)
            {
                throw new ShotFault(fault);
            }
            position = PassReader.Positions(new FloatImage(width, height, 1, z), depthConvention, cameraToWorld, pinhole);
        }
        if (position is null)
        {
            throw new FormatFault(
                "passes",
                $"{name} has neither positions (P.X, P.Y, P.Z) nor depth",
                "Render it with a position pass, as EXR layers or files of their own."
            );
        }
        if (normal is null)
        {
            throw new FormatFault("passes", $"{name} has no normals (N.X, N.Y, N.Z)", "Render it with a normal pass.");
        }
        PassReport report = PassReader.Read(position, normal, cameraToWorld, pinhole);
        var (p2, n2) = PassReader.InWorld(position, normal, report, cameraToWorld);
        return new(beauty, p2, n2, albedo, report);
    }

    /// <summary>The picture, linear; lit again: with what the lamps add, or by them alone.</summary>
    public FloatImage Picture(ShotDocument shot, string id, bool relit, CancellationToken stop = default)
    {
        RenderedPicture picture = shot.Rendered.FirstOrDefault(r => r.Id == id)
            ?? throw new ShotFault("That rendered picture is no longer in the shot.");
        RenderedData data = Data(shot, picture);
        if (!relit)
        {
            return data.Beauty;
        }
        Light[] lamps =
        [
            .. shot.Lights.Where(l => picture.Lamps.Contains(l.Id)).Select(l => l.At(picture.Frame) with { Off = false, Alone = false }),
        ];
        return _lit.Get(
            ResultKey.Of("relit", 1, picture, lamps, engine.Camera(shot, picture.Frame), picture.ShadowsBySet ? shot.Pieces : null),
            () =>
            {
                TraceScene? casts =
                    !picture.Look.Shadows ? null
                    : picture.ShadowsBySet ? engine.Place.Set(Hanging.At(shot, picture.Frame)).Scene
                    : _surfaces
                        .Get(ResultKey.Of("surface", 1, picture.Media, picture.Depth, engine.Camera(shot, picture.Frame)), () =>
                            new(
                                Relight.Surface(data.Position) is { } mesh
                                    ? new TraceScene([new TraceInstance(new MeshTree(mesh), Similarity.Identity, RayKinds.LightSet)])
                                    : null
                            )
                        )
                        .Value;
                FloatImage light = Relight.Light(
                    data.Position,
                    data.Normal,
                    data.Albedo,
                    LightRig.Of(lamps, l => engine.Place.Around(l.Media!)),
                    picture.Look,
                    engine.Camera(shot, picture.Frame).Pose.Position.ToSingle(),
                    casts,
                    stop,
                    onSet: picture.ShadowsBySet && casts is not null
                );
                if (picture.Alone)
                {
                    return light;
                }
                for (int i = 0; i < light.Data.Length; i++)
                {
                    light.Data[i] += data.Beauty.Data[i];
                }
                return light;
            }
        );
    }

    /// <summary>Its positions as depth of a convention, EXR depth.Z; where nothing is, what that convention says of it.</summary>
    public byte[] Depth(ShotDocument shot, string id, DepthConvention convention)
    {
        if (convention.Fault is { } fault)
        {
            throw new ShotFault(fault);
        }
        RenderedPicture picture = shot.Rendered.FirstOrDefault(r => r.Id == id)
            ?? throw new ShotFault("That rendered picture is no longer in the shot.");
        FloatImage position = Data(shot, picture).Position;
        var (pose, pinhole) = engine.Camera(shot, picture.Frame);
        return ExrFile.ToBytes(
            position.Width,
            position.Height,
            [.. ExrChannel.Of(PassReader.Depth(position, convention, pose, pinhole.Resized(position.Width, position.Height)), "Z", "depth")]
        );
    }

    /// <summary>What its data says under a pixel of the plate; null where nothing is.</summary>
    public (Vec3 Point, Vec3 Normal)? Pick(ShotDocument shot, string id, double x, double y)
    {
        RenderedPicture picture = shot.Rendered.FirstOrDefault(r => r.Id == id)
            ?? throw new ShotFault("That rendered picture is no longer in the shot.");
        RenderedData d = Data(shot, picture);
        int px = (int)(x * d.Position.Width / shot.Plate!.Width),
            py = (int)(y * d.Position.Height / shot.Plate.Height);
        if (px < 0 || py < 0 || px >= d.Position.Width || py >= d.Position.Height)
        {
            return null;
        }
        Span<float> p = d.Position.Pixel(px, py),
            n = d.Normal.Pixel(px, py);
        var at = new Vec3(p[0], p[1], p[2]);
        var normal = new Vec3(n[0], n[1], n[2]);
        return at.IsFinite && normal.IsFinite && at.LengthSquared < 1e16 ? (at, normal) : null;
    }
}
