using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Rendered frames in the shot's light: lit again from their own passes, and throwing their shadow onto the set.</summary>
public sealed class RelitWork(ShotEngine engine)
{
    /// <summary>Rays towards lamps that have a size, for a frame that is kept.</summary>
    private const int FinestRays = 128;

    /// <summary>A surface that casts has at most about so many triangles: coarser than the picture, finer than its shadow's edge.</summary>
    private const int MostTriangles = 400_000;
    private readonly Cache<Box<MeshTree?>> _surfaces = new(s => s.Value is null ? Sizes.Small : Sizes.Of(s.Value));

    /// <summary>What lights a rendered element again in a frame, and what that depends on; null: it is shown as it came.</summary>
    internal (string Key, Func<RenderedSurface, FloatImage> Light)? Of(ShotDocument shot, Element e, int frame, RayGrid grid)
    {
        if (e.Relit is not { } relit)
        {
            return null;
        }
        ShotDocument at = Hanging.At(shot, frame);
        Light[] lamps = [.. at.Lights.Where(l => relit.Lamps.Contains(l.Id) && !l.Off).Select(l => l with { Alone = false })];
        bool bySet = relit is { ShadowsBySet: true, Look.Shadows: true };
        int rays = grid.Width < (shot.Plate?.Width ?? 0) ? Relight.QuickRays : FinestRays;
        string key = ResultKey.Of("relit element", 1, relit, lamps, grid.Origin, rays, bySet ? at.Pieces : null);
        return (key, surface =>
        {
            TraceScene? casts = null;
            if (relit.Look.Shadows)
            {
                MeshTree? own = Relight.Surface(surface.Position, StepFor(surface.Position)) is { } mesh ? new(mesh) : null;
                casts = new([
                    .. bySet ? engine.Place.Set(at).Scene.Instances : [],
                    .. own is null ? Array.Empty<TraceInstance>() : [new TraceInstance(own, Similarity.Identity, RayKinds.LightSet)],
                ]);
            }
            return Relight.Light(
                surface.Position,
                surface.Normal,
                surface.Albedo,
                LightRig.Of(lamps, l => engine.Place.Around(l.Media!)),
                relit.Look,
                grid.Origin,
                casts,
                rays: rays
            );
        });
    }

    private static int StepFor(FloatImage position) =>
        Math.Max(1, (int)Math.Ceiling(Math.Sqrt(2.0 * position.Width * position.Height / MostTriangles)));

    /// <summary>The surfaces of rendered elements that throw their shadow onto what is around them, as nothing that is seen.</summary>
    internal IReadOnlyList<PlacedElement> Casting(ShotDocument shot, int frame, RayGrid grid, int margin)
    {
        var result = new List<PlacedElement>();
        foreach (Element e in shot.Elements.Where(e => e is { Off: false, Kind: ElementKind.Rendered, CastsByPositions: true }))
        {
            if (engine.LayerOf(shot, e, frame, grid, margin) is not { } layer)
            {
                continue;
            }
            MeshTree? surface = _surfaces
                .Get(
                    ResultKey.Of(
                        "casting",
                        1,
                        e.Id,
                        e.Frames,
                        e.PassFrames,
                        e.Passes,
                        e.DepthAs,
                        e.Position,
                        frame,
                        grid.Pinhole,
                        engine.Camera(shot, frame),
                        margin
                    ),
                    () =>
                    {
                        var position = new FloatImage(grid.Width, grid.Height, 3);
                        position.Data.AsSpan().Fill(float.NaN);
                        for (int y = 0; y < grid.Height; y++)
                        {
                            for (int x = 0; x < grid.Width; x++)
                            {
                                int i = y * grid.Width + x;
                                if (
                                    layer.Rgba.Data[4 * i + 3] >= 0.5f
                                    && float.IsFinite(layer.Distance[i])
                                    && grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                                )
                                {
                                    Vector3 p = grid.Origin + layer.Distance[i] * d;
                                    (position.Data[3 * i], position.Data[3 * i + 1], position.Data[3 * i + 2]) = (p.X, p.Y, p.Z);
                                }
                            }
                        }
                        return new(Relight.Surface(position, StepFor(position)) is { } mesh ? new MeshTree(mesh) : null);
                    }
                )
                .Value;
            if (surface is not null)
            {
                result.Add(new(e.Id, new(surface, []), Similarity.Identity, RayKinds.Casts));
            }
        }
        return result;
    }

    /// <summary>How a rendered element's passes are meant, found in one of its frames by the shot's camera.</summary>
    /// <exception cref="ShotFault">It has no frame there, or brings no positions.</exception>
    public PassReport Read(ShotDocument shot, Element e, int frame, Func<string, byte[]> media)
    {
        var (pose, pinhole) = engine.Camera(shot, frame);
        var (position, normal, own) = Passes(shot, e, frame, pinhole, media);
        return PassReader.Read(position, normal ?? new FloatImage(position.Width, position.Height, 3), pose, own);
    }

    /// <summary>A frame's positions and normals as they came, and a camera on their own pixels.</summary>
    /// <exception cref="ShotFault">It has no frame there, or brings no positions.</exception>
    public static (FloatImage Position, FloatImage? Normal, Pinhole Own) Passes(
        ShotDocument shot,
        Element e,
        int frame,
        Pinhole pinhole,
        Func<string, byte[]> media
    )
    {
        if (e.Frames?.At(frame, shot.Rate) is not { } own)
        {
            throw new ShotFault($"{e.Name} has no picture at {frame}. Go to a frame that it covers.");
        }
        byte[] bytes = media(own.Media);
        if (!ExrFile.Is(bytes))
        {
            throw new ShotFault($"{own.File} is no EXR: it brings no positions.");
        }
        ExrPicture p = ExrFile.Read(bytes, own.File);
        var passes = new RenderedPasses(RenderedElements.Files(e, own, p, media));
        FloatImage position = passes.Data("position")
            ?? throw new ShotFault($"{own.File} brings no positions (P.X, P.Y, P.Z): there is nothing to find. Depth alone has no axes.");
        if (e.Frames.WithoutLens)
        {
            pinhole = pinhole with { Lens = Lens.None };
        }
        // On the picture's own pixels: its data within its display, which is the frame, or wider.
        double by = p.DisplayWidth / (pinhole.Width * e.Frames.Overscan);
        return (
            position,
            passes.Data("normal"),
            new Pinhole(
                p.Width,
                p.Height,
                pinhole.Fx * by,
                pinhole.Fy * by,
                (pinhole.Cx - pinhole.Width / 2.0) * by + p.DisplayWidth / 2.0 - p.DataX,
                (pinhole.Cy - pinhole.Height / 2.0) * by + p.DisplayHeight / 2.0 - p.DataY,
                pinhole.Lens
            )
        );
    }
}
