using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work.Shelf;

/// <summary>A picture of what lies on the shelf, rendered as shots are: on a grey floor, in daylight or in its own lights.</summary>
public static class ShelfPreview
{
    /// <summary>It is rendered twice as large and brought down: quicker than many samples at once, and as even.</summary>
    private const int Width = 640,
        Height = 480;
    private static readonly RenderQuality Quality = new(4, 1, 8, 1, 0, 8);
    private const ushort Wall = 150; // of 255, sRGB

    /// <summary>Share of the picture that the thing fills, in the direction in which it fills more.</summary>
    private const double Fills = 0.84;

    /// <summary>Of a ball under lamps alone: linear, in its middle.</summary>
    private const float BallTone = 0.3f;

    /// <summary>Where it is looked at from, in sizes of the thing.</summary>
    private static readonly Vec3 From = new(1.1, 0.75, 1.9);

    /// <summary>JPEG; null: there is nothing of it to be seen by itself (a look, a step of the finish).</summary>
    public static byte[]? Of(ShotPart part, MediaStore media)
    {
        if (LampsAlone(part) && part.Lights.FirstOrDefault(l => l.Media is not null) is { } panorama)
        {
            return Around(PanoramaFile.Read(media.Read(panorama.Media!), panorama.Name));
        }
        if (part.Elements.Count + part.Pieces.Count + part.Lights.Count == 0)
        {
            return null;
        }
        var engine = new ShotEngine(media);
        int frame = part.Elements.Select(e => e.FromFrame).FirstOrDefault(f => f is not null) ?? part.FirstFrame;
        ShotDocument shot = Standing(part, engine, media, frame);
        var (min, max) = Bounds(engine, shot, frame);
        double size = Math.Max(1e-3, (max - min).Length);
        Vec3 middle = 0.5 * (min + max);
        Pose eye = Pose.LookAt(middle + size * From, middle, Vec3.UnitY);
        var (focal, cx, cy) = Framed(eye, min, max);
        shot = shot with
        {
            Camera = new()
            {
                Width = Width,
                Height = Height,
                Mapping = new(frame, frame),
                Samples = [new(frame, eye.ToRowMajor16(), focal, cx, cy)],
            },
            Pieces =
            [
                new()
                {
                    Id = "floor",
                    Kind = PieceKind.Plane,
                    Position = new(middle.X, min.Y, middle.Z),
                    Size = new(40 * size, 1, 40 * size),
                },
            ],
        };
        if (LampsAlone(part))
        {
            FrameLayers tried = engine.Finish.Frame(shot, frame, Width / 4, RenderQuality.Middle, dataPasses: false);
            float tone = tried.Comp[Width / 8, Height / 8, 1];
            shot = shot with { Lights = [.. shot.Lights.Select(l => l with { Strength = l.Strength * BallTone / Math.Max(1e-6, tone) })] };
        }
        FrameLayers layers = engine.Finish.Frame(shot, frame, Width, Quality, dataPasses: false);
        return Jpeg(layers.Comp.ReducedTo(Width / 2, Height / 2));
    }

    /// <summary>A focal length and a principal point, pixels, by which a box lies in the middle of the picture and fills it.</summary>
    private static (double Focal, double Cx, double Cy) Framed(Pose eye, Vec3 min, Vec3 max)
    {
        var (left, right, top, bottom) = (
            double.PositiveInfinity,
            double.NegativeInfinity,
            double.PositiveInfinity,
            double.NegativeInfinity
        );
        for (int k = 0; k < 8; k++)
        {
            Vec3 p = eye.ToLocal(new((k & 1) == 0 ? min.X : max.X, (k & 2) == 0 ? min.Y : max.Y, (k & 4) == 0 ? min.Z : max.Z));
            (left, right) = (Math.Min(left, p.X / -p.Z), Math.Max(right, p.X / -p.Z));
            (top, bottom) = (Math.Min(top, p.Y / p.Z), Math.Max(bottom, p.Y / p.Z));
        }
        double focal = Fills * Math.Min(Width / (right - left), Height / (bottom - top));
        return (focal, Width / 2.0 - focal * (left + right) / 2, Height / 2.0 - focal * (top + bottom) / 2);
    }

    /// <summary>The frame that it was taken from, as it is seen there.</summary>
    public static byte[] Seen(ShotDocument shot, MediaStore media, int frame)
    {
        var engine = new ShotEngine(media);
        FrameLayers layers = engine.Finish.Frame(shot, frame, Width, RenderQuality.Middle, dataPasses: false, whole: true);
        return Jpeg(layers.Comp.ReducedTo(Width / 2, Math.Max(1, Width / 2 * layers.Comp.Height / layers.Comp.Width)));
    }

    /// <summary>The part as elements of a shot with an even plate: its pieces as meshes, its lamps over a ball where nothing stands.</summary>
    private static ShotDocument Standing(ShotPart part, ShotEngine engine, MediaStore media, int frame)
    {
        ShotDocument own = part.AsShot() with { Range = new(frame, frame) };
        var elements = part.Elements.Select(e => e with { Scatter = null, LetGo = null, Off = false }).ToList();
        foreach (Piece p in Hanging.At(own, frame).Pieces.Where(p => p is { Duties.OnlyBlocksLight: false }))
        {
            TriangleMesh mesh = engine.Place.Local(p).Moved(PieceMeshes.PlaceOf(p));
            elements.Add(
                new() { Id = FreeId.Of(elements.Select(e => e.Id), "piece"), Media = media.Write(GltfFile.WriteMesh(p.Id, mesh, [])) }
            );
        }
        if (elements.Count == 0)
        {
            elements.Add(
                new()
                {
                    Id = "ball",
                    Media = media.Write(GltfFile.WriteMesh("ball", Ball(), [])),
                    Position = part.Foot - new Vec3(0, 2, 0),
                }
            );
        }
        var grey = new ushort[3 * Width * Height];
        grey.AsSpan().Fill(Wall);
        return own with
        {
            Plate = new()
            {
                Width = Width,
                Height = Height,
                Mapping = new(frame, frame),
                Frames = [new(frame, "grey.png", media.Write(RasterFile.ToPng(new(Width, Height, 3, 8, grey))))],
            },
            Elements = elements,
            Pieces = [],
            Finish = new(),
            Look = new(),
            Lights =
            [
                new()
                {
                    Id = "preview_sun",
                    Kind = LightKind.Sun,
                    Direction = new(0.5, 0.9, 0.45),
                    Strength = 2,
                    Off = LampsAlone(part),
                    AngularDiameterDegrees = 8,
                },
                new()
                {
                    Id = "preview_sky",
                    Kind = LightKind.Sky,
                    Strength = 0.4,
                    Off = LampsAlone(part),
                },
                .. part.Lights.Select(l => l with { InPlate = LampsAlone(part), Off = false }),
            ],
            Curves = [.. part.Curves.Where(c => !c.Id.StartsWith("pieces/", StringComparison.Ordinal))],
        };
    }

    private static bool LampsAlone(ShotPart part) => part.Elements.Count + part.Pieces.Count == 0;

    private static (Vec3 Min, Vec3 Max) Bounds(ShotEngine engine, ShotDocument shot, int frame)
    {
        Vec3 min = new(double.PositiveInfinity, double.PositiveInfinity, double.PositiveInfinity),
            max = -1 * min;
        foreach (var e in engine.Elements(ShotCurves.At(shot, frame), frame))
        {
            var (low, high) = e.Model.Tree.Mesh.Bounds();
            for (int k = 0; k < 8; k++)
            {
                Vec3 p = e.ObjectToWorld.Apply(
                    new((k & 1) == 0 ? low.X : high.X, (k & 2) == 0 ? low.Y : high.Y, (k & 4) == 0 ? low.Z : high.Z)
                );
                min = new(Math.Min(min.X, p.X), Math.Min(min.Y, p.Y), Math.Min(min.Z, p.Z));
                max = new(Math.Max(max.X, p.X), Math.Max(max.Y, p.Y), Math.Max(max.Z, p.Z));
            }
        }
        return min.IsFinite ? (min, max) : (Vec3.Zero, new(1, 1, 1));
    }

    private static TriangleMesh Ball()
    {
        const int around = 48,
            up = 24;
        var positions = new System.Numerics.Vector3[(around + 1) * (up + 1)];
        var indices = new List<int>();
        for (int v = 0; v <= up; v++)
        {
            for (int u = 0; u <= around; u++)
            {
                double a = 2 * Math.PI * u / around,
                    b = Math.PI * v / up;
                positions[v * (around + 1) + u] = new(
                    (float)(Math.Sin(b) * Math.Cos(a)),
                    (float)Math.Cos(b),
                    (float)(Math.Sin(b) * Math.Sin(a))
                );
                if (u < around && v < up)
                {
                    int i = v * (around + 1) + u;
                    indices.AddRange([i, i + 1, i + around + 1, i + 1, i + around + 2, i + around + 1]);
                }
            }
        }
        return new(positions, [.. indices]) { Normals = (System.Numerics.Vector3[])positions.Clone() };
    }

    /// <summary>A panorama as a strip, its middle grey where most of it lies.</summary>
    private static byte[] Around(Panorama panorama)
    {
        FloatImage small = panorama.Image.Width > Width / 2 ? panorama.Image.ReducedTo(Width / 2, Width / 4) : panorama.Image;
        float[] sorted = [.. small.Data.Order()];
        float by = 0.4f / Math.Max(1e-6f, sorted[sorted.Length / 2]);
        return Jpeg(small.Times(new(by, by, by)));
    }

    private static byte[] Jpeg(FloatImage linear) => RasterFile.ToJpeg(CodeImage.FromLinear(linear, ColorSpace.Srgb, 8), 88);
}
