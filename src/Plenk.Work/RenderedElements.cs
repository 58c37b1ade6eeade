using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>
/// What a rendered frame shows of its surfaces, on the frame's grid: places and unit normals in our world (no number: nothing there), and
/// their colour.
/// </summary>
public sealed record RenderedSurface(FloatImage Position, FloatImage Normal, FloatImage? Albedo);

/// <summary>Elements that were rendered elsewhere: their pictures on a frame's grid, with the distance of each pixel.</summary>
public sealed class RenderedElements(ShotEngine engine, IMedia media)
{
    /// <summary>
    /// The place that rendered frames show at a pixel, where one of them is nearer than a distance along its ray (metres) and covers half of
    /// it or more; the nearest. Its normal, towards the camera, is that of the places beside it; null where these lie on something else.
    /// </summary>
    internal (string Element, Vec3 Place, Vec3? Normal)? Under(
        ShotDocument shot,
        int frame,
        RayGrid grid,
        double x,
        double y,
        float nearerThan
    )
    {
        var (u, v) = ((int)Math.Floor(x), (int)Math.Floor(y));
        if (u < 0 || v < 0 || u >= grid.Width || v >= grid.Height)
        {
            return null;
        }
        (string, Vec3, Vec3?)? nearest = null;
        foreach (Element e in shot.Elements.Where(e => e is { Off: false, Kind: ElementKind.Rendered }))
        {
            if (Shown(e) is not { } layer)
            {
                continue;
            }
            Vector3? At(int a, int b) =>
                a >= 0
                && b >= 0
                && a < grid.Width
                && b < grid.Height
                && layer.Rgba.Data[4 * (b * grid.Width + a) + 3] >= 0.5f
                && layer.Distance[b * grid.Width + a] is var d
                && float.IsFinite(d)
                && grid.TryDirection(a, b, new(0.5f, 0.5f), out Vector3 direction)
                    ? grid.Origin + d * direction
                    : null;
            if (At(u, v) is not { } place || Vector3.Distance(place, grid.Origin) is var far && far >= nearerThan)
            {
                continue;
            }
            nearerThan = far;
            // Of the two neighbours on either side the nearer lies on the same surface.
            Vector3? Along(Vector3? before, Vector3? after) =>
                (before, after) switch
                {
                    ({ } b, { } a) => Vector3.Distance(b, place) < Vector3.Distance(a, place) ? place - b : a - place,
                    ({ } b, null) => place - b,
                    (null, { } a) => a - place,
                    _ => null,
                };
            Vector3? facing =
                Along(At(u - 1, v), At(u + 1, v)) is { } across && Along(At(u, v - 1), At(u, v + 1)) is { } down
                    ? Vector3.Normalize(Vector3.Cross(down, across))
                    : null;
            nearest = (e.Id, new(place.X, place.Y, place.Z), facing is { } n && float.IsFinite(n.X) ? new Vec3(n.X, n.Y, n.Z) : null);
        }
        return nearest;

        // One that cannot be shown is no surface; the comp says why.
        RenderedLayer? Shown(Element e)
        {
            try
            {
                return engine.LayerOf(shot, e, frame, grid, 0);
            }
            catch (Exception fault) when (fault is ShotFault or FormatFault)
            {
                return null;
            }
        }
    }

    /// <summary>
    /// A rendered element's picture of a frame on the frame's grid, with the distance of each pixel: by its depth (EXR depth.Z or Z, along
    /// the camera's axis) or positions where it brings some, else that of the place where the element stands. Null where it has no picture.
    /// </summary>
    /// <param name="margin">So many pixels of the grid on every side lie beyond the plate.</param>
    /// <param name="relit">What lights it again, and what that depends on; null: it stays as it came.</param>
    public RenderedLayer? Layer(
        ShotDocument shot,
        Element e,
        int frame,
        RayGrid grid,
        int margin,
        (string Key, Func<RenderedSurface, FloatImage> Light)? relit = null
    )
    {
        if (e.Frames?.At(frame, shot.Rate) is not { } own)
        {
            return null;
        }
        RenderedId[] wanted = [.. shot.Finish.InOrder().SelectMany(s => s.RenderedIds).Where(r => r.Element == e.Id).Distinct()];
        return _layers.Get(
            ResultKey.Of(
                "layer",
                8,
                e.Id,
                e.Passes,
                e.DepthAs,
                engine.Camera(shot, frame),
                relit?.Key,
                own.Media,
                e.PassFrames.Select(p => p.Frames.FirstOrDefault(f => f.Frame == own.Frame)?.Media),
                e.Frames!.Space.Name,
                e.Frames!.Premultiplied,
                e.Frames!.WithoutLens,
                e.Frames!.Overscan,
                e.Position,
                grid.Pinhole,
                margin,
                frame,
                wanted
            ),
            () =>
            {
                var (rgba, fit, depth, position, normal, albedo, shadow, motion, ids) = Read(
                    e,
                    own,
                    wanted,
                    e.Passes is not null || relit is not null ? engine.Camera(shot, frame).Pose : null
                );
                fit = fit with { Margin = margin };
                if (!fit.Fits(grid.Pinhole))
                {
                    throw new ShotFault(
                        $"{own.File} is {fit.DisplayWidth} × {fit.DisplayHeight}, another shape than the plate. It must be rendered through the shot's camera."
                    );
                }
                if (relit is not null && normal is null)
                {
                    throw new ShotFault(
                        $"{own.File} brings no normals (N.X, N.Y, N.Z): {e.Name} cannot be lit again. Render it with a normal pass, or take its new lights off."
                    );
                }
                if (relit is not null && position is null && depth is null)
                {
                    throw new ShotFault(
                        $"{own.File} brings neither positions (P.X, P.Y, P.Z) nor depth: {e.Name} cannot be lit again. "
                            + $"Render it with one of them, or take its new lights off."
                    );
                }
                FloatImage? at = relit is null ? null : new(grid.Width, grid.Height, 3),
                    facingAt = relit is null ? null : new(grid.Width, grid.Height, 3);
                at?.Data.AsSpan().Fill(float.NaN);
                var distance = new float[grid.Width * grid.Height];
                FloatImage? moves = motion is null ? null : new(grid.Width, grid.Height, 2);
                DepthConvention convention = e.DepthAs ?? new(DepthKind.Axis);
                float stands = Vector3.Distance(grid.Origin, e.Position.ToSingle());
                for (int y = 0; y < grid.Height; y++)
                {
                    for (int x = 0; x < grid.Width; x++)
                    {
                        int i = y * grid.Width + x;
                        distance[i] = stands;
                        if (!fit.TryPlace(grid.Pinhole, x, y, out double u, out double v))
                        {
                            continue;
                        }
                        int from = (int)v * rgba.Width + (int)u;
                        // Vectors are data too: the nearest pixel's, in pixels of this grid.
                        if (moves is not null)
                        {
                            (moves.Data[2 * i], moves.Data[2 * i + 1]) = fit.Motion(
                                grid.Pinhole,
                                x,
                                y,
                                motion!.Data[2 * from],
                                motion.Data[2 * from + 1]
                            );
                        }
                        if (position is not null)
                        {
                            var p = new Vector3(position.Data[3 * from], position.Data[3 * from + 1], position.Data[3 * from + 2]);
                            distance[i] = float.IsFinite(p.X + p.Y + p.Z) ? Vector3.Distance(p, grid.Origin) : float.PositiveInfinity;
                            if (at is not null && float.IsFinite(distance[i]))
                            {
                                (at.Data[3 * i], at.Data[3 * i + 1], at.Data[3 * i + 2]) = (p.X, p.Y, p.Z);
                            }
                        }
                        else if (depth is not null)
                        {
                            // Data is never averaged: the nearest pixel's, along the axis, to along the ray.
                            distance[i] = float.PositiveInfinity;
                            if (grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d))
                            {
                                double stretch = 1 / Math.Max(1e-3, grid.DepthOf(grid.Origin + d)),
                                    axis = convention.ToAxis(depth[from], stretch);
                                distance[i] = axis is > 0 and < 1e9 ? (float)(axis * stretch) : float.PositiveInfinity;
                            }
                            if (at is not null && float.IsFinite(distance[i]))
                            {
                                Vector3 p = grid.Origin + distance[i] * d;
                                (at.Data[3 * i], at.Data[3 * i + 1], at.Data[3 * i + 2]) = (p.X, p.Y, p.Z);
                            }
                        }
                        if (facingAt is not null)
                        {
                            normal!.Data.AsSpan(3 * from, 3).CopyTo(facingAt.Data.AsSpan(3 * i));
                        }
                    }
                }
                FloatImage On(FloatImage picture) =>
                    !fit.IsPlain ? fit.Resampled(picture, grid.Pinhole)
                    : picture.Width == grid.Width ? picture
                    : picture.ReducedTo(grid.Width, grid.Height);
                FloatImage shown = On(rgba);
                if (relit is { } lit)
                {
                    FloatImage light = lit.Light(new(at!, facingAt!, albedo is null ? null : On(albedo)));
                    shown = shown.Copy();
                    for (int i = 0; i < distance.Length; i++)
                    {
                        for (int c = 0; c < 3; c++)
                        {
                            ref float value = ref shown.Data[4 * i + c];
                            value = (e.Relit!.Alone ? 0 : value) + light.Data[3 * i + c] * shown.Data[4 * i + 3];
                        }
                    }
                }
                return new RenderedLayer(shown, distance, e.Id, shadow is null ? null : Beyond(On(shadow), fit, grid.Pinhole), moves)
                {
                    Ids = ids.ToDictionary(p => p.Key, p => On(p.Value).Data),
                };
            }
        );
    }

    /// <summary>
    /// A file's picture, linear RGBA premultiplied, how it lies on a frame, and the data that came with it, on its own pixels.
    /// </summary>
    private sealed record Rendered(
        FloatImage Rgba,
        RenderedFit Fit,
        float[]? Depth,
        FloatImage? Position,
        FloatImage? Normal,
        FloatImage? Albedo,
        FloatImage? Shadow,
        FloatImage? Motion,
        IReadOnlyDictionary<RenderedId, FloatImage> Ids
    );

    /// <summary>A picture without alpha covers what its positions or its depth say; null: it brings neither.</summary>
    private static float[][]? WithCoverage(float[][]? planes, FloatImage? position, float[]? depth, DepthConvention? convention)
    {
        if (planes is null || (position is null && depth is null))
        {
            return null;
        }
        DepthConvention meant = convention ?? new(DepthKind.Axis);
        bool Shows(int i) =>
            position is not null
                ? float.IsFinite(position.Data[3 * i] + position.Data[3 * i + 1] + position.Data[3 * i + 2])
                    && (position.Data[3 * i] != 0 || position.Data[3 * i + 1] != 0 || position.Data[3 * i + 2] != 0)
                : meant.ToAxis(depth![i]) is > 0 and < 1e9;
        float[] covers = [.. Enumerable.Range(0, planes[0].Length).Select(i => Shows(i) ? 1f : 0f)];
        return [.. planes.Take(3).Select(p => (float[])[.. p.Select((v, i) => covers[i] > 0 ? v : 0)]), covers];
    }

    /// <param name="cameraToWorld">
    /// By it positions and normals are brought into our world, as they are meant; null: they are taken as they are.
    /// </param>
    private Rendered Read(Element e, PlateFrame own, RenderedId[] wanted, Pose? cameraToWorld)
    {
        byte[] bytes = media.Read(own.Media);
        FloatImage rgba;
        RenderedFit fit;
        float[]? depth = null;
        FloatImage? position = null,
            normal = null,
            albedo = null,
            shadow = null,
            motion = null;
        var ids = new Dictionary<RenderedId, FloatImage>();
        if (ExrFile.Is(bytes))
        {
            ExrPicture p = ExrFile.Read(bytes, own.File);
            var files = Files(e, own, p, media.Read);
            var passes = new RenderedPasses(files);
            position = passes.Data("position");
            depth = p.Any("depth.Z", "depth.Y", "Z", "z") ?? (files.Count > 1 ? passes.Depth : null);
            float[][] planes = p.Picture(alpha: true, "element", "beauty", "rgba", "combined")
                ?? WithCoverage(p.Picture(alpha: false, "element", "beauty", "rgba", "combined"), position, depth, e.DepthAs)
                ?? throw new FormatFault(
                    "unreadable",
                    $"{own.File} has no layer with red and alpha, and neither positions nor depth that say where it shows something",
                    "Render the element as RGBA, its coverage as alpha."
                );
            rgba = p.Colour(planes);
            if (!e.Frames!.Premultiplied)
            {
                for (int i = 0; i < rgba.Data.Length; i++)
                {
                    if (i % 4 != 3)
                    {
                        rgba.Data[i] *= planes[3][i / 4];
                    }
                }
            }
            // What is no number shows nothing.
            for (int i = 0; i < rgba.Data.Length; i++)
            {
                if (!float.IsFinite(rgba.Data[i]))
                {
                    rgba.Data[i] = 0;
                }
            }
            fit = new(p.Width, p.Height, p.DataX, p.DataY, p.DisplayWidth, p.DisplayHeight, e.Frames!.Overscan, e.Frames!.WithoutLens);
            (normal, albedo) = (passes.Data("normal"), passes.Colour("albedo"));
            if (position is not null && cameraToWorld is { } pose)
            {
                (position, FloatImage facing) = PassReader.InWorld(
                    position,
                    normal ?? new FloatImage(position.Width, position.Height, 3),
                    e.Passes,
                    pose
                );
                normal = normal is null ? null : facing;
            }
            motion = passes.Pair("motion");
            ids = wanted.ToDictionary(w => w, w => OwnId(files, w));
            // A ratio in other primaries is taken as over grey.
            shadow = passes.Colour("shadow");
            if (shadow is not null)
            {
                for (int i = 0; i < shadow.Data.Length; i++)
                {
                    if (!(shadow.Data[i] >= 0))
                    {
                        shadow.Data[i] = 1;
                    }
                }
            }
        }
        else
        {
            if (wanted.Length > 0)
            {
                throw new ShotFault(
                    $"{own.File} brings no ID mattes. Bring the frames in as EXR with them, or take its names off the step of the finish."
                );
            }
            rgba = MaterialPicture.Premultiplied(RasterFile.Read(bytes, own.File), e.Frames!.Space, e.Frames!.Premultiplied);
            fit = new(rgba.Width, rgba.Height, 0, 0, rgba.Width, rgba.Height, e.Frames!.Overscan, e.Frames!.WithoutLens);
        }
        return new(rgba, fit, depth, position, normal, albedo, shadow, motion, ids);
    }

    /// <summary>A rendered frame's files: its picture, and what came beside it for the same frame.</summary>
    /// <exception cref="ShotFault">One of them is missing for it, or lies otherwise on the frame.</exception>
    internal static IReadOnlyList<(ExrPicture Picture, string Name)> Files(
        Element e,
        PlateFrame own,
        ExrPicture picture,
        Func<string, byte[]> read
    )
    {
        var files = new List<(ExrPicture, string)> { (picture, own.File) };
        foreach (PassFrames pass in e.PassFrames)
        {
            PlateFrame beside = pass.Frames.FirstOrDefault(f => f.Frame == own.Frame)
                ?? throw new ShotFault(
                    $"{e.Name} has no {pass.Name} beside {own.File}: its own frame {own.Frame} is missing there. Bring all of them in."
                );
            ExrPicture p = ExrFile.Read(read(beside.Media), beside.File);
            if (
                (p.DataX, p.DataY, p.DisplayWidth, p.DisplayHeight)
                != (picture.DataX, picture.DataY, picture.DisplayWidth, picture.DisplayHeight)
            )
            {
                throw new ShotFault(
                    $"{beside.File} lies otherwise on the frame than {own.File} (its data or display window is another). Render all passes alike."
                );
            }
            files.Add((p, beside.File));
        }
        return files;
    }

    private static FloatImage OwnId(IReadOnlyList<(ExrPicture Picture, string Name)> files, RenderedId id) =>
        files.Select(f => IdMatteFile.Coverage(f.Picture, id.Layer, [id.Name])).FirstOrDefault(c => c is not null)
        ?? throw new ShotFault(
            $"{files[0].Name} has no ID mattes "
                + $"“{id.Layer}”{(files.SelectMany(f => IdMatteFile.Read(f.Picture)).ToArray() is { Length: > 0 } layers ? $"; it has {string.Join(", ", layers.Select(l => l.Name))}" : "")}. "
                + ""
                + $"Export it with them, or take “{id.Name}” off the step of the finish."
        );

    /// <summary>
    /// What a rendered element's ID mattes name at a frame: by layer the names, most coverage first, as a share of the picture; and what is
    /// wrong with them.
    /// </summary>
    public (IReadOnlyList<(string Layer, string Name, double Share)> Names, IReadOnlyList<string> Notes) IdNames(
        ShotDocument shot,
        Element e,
        int frame
    )
    {
        if (e.Frames?.At(frame, shot.Rate) is not { } own)
        {
            return ([], [$"{e.Name} has no picture at {frame}. Go to a frame that it covers."]);
        }
        byte[] bytes = media.Read(own.Media);
        if (!ExrFile.Is(bytes))
        {
            return ([], [$"{own.File} is no EXR: it brings no ID mattes."]);
        }
        IdMatteFile.Layer[] layers =
        [
            .. Files(e, own, ExrFile.Read(bytes, own.File), media.Read).SelectMany(f => IdMatteFile.Read(f.Picture)),
        ];
        if (layers.Length == 0)
        {
            return ([], [$"{own.File} brings no ID mattes."]);
        }
        return (
            [
                .. layers.SelectMany(l =>
                    l.Coverage.Select(c => (l.Name, c.Key, (double)c.Value.Sum() / c.Value.Length))
                        .OrderByDescending(c => c.Item3)
                        .Take(MostNames)
                ),
            ],
            [.. layers.SelectMany(l => l.Notes)]
        );
    }

    private const int MostNames = 60;
    private readonly Cache<RenderedLayer> _layers = new(Sizes.Of);

    /// <summary>Where a shadow's picture does not reach, nothing is darkened.</summary>
    private static FloatImage Beyond(FloatImage shadow, RenderedFit fit, Pinhole frame)
    {
        if (fit.IsPlain)
        {
            return shadow;
        }
        for (int y = 0; y < frame.Height; y++)
        {
            for (int x = 0; x < frame.Width; x++)
            {
                if (!fit.TryPlace(frame, x, y, out _, out _))
                {
                    shadow.Pixel(x, y).Fill(1);
                }
            }
        }
        return shadow;
    }
}
