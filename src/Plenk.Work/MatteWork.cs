using Plenk.Core;
using Plenk.Core.Contact;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Core.Tracking;
using Plenk.Core.Tracking.Mattes;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>The mattes of a shot as pictures of a frame, whatever they are made of.</summary>
public sealed class MatteWork(ShotEngine engine, IMedia media)
{
    private readonly ShotEngine engine = engine;
    private readonly Cache<float[]> _pictures = new(Sizes.Of);

    public static Matte Of(ShotDocument shot, string id) =>
        shot.Mattes.FirstOrDefault(m => m.Id == id) ?? throw new ShotFault("That matte is no longer in the shot. Choose another one.");

    /// <summary>Hash of all that the mattes of a shot hang on: a matte may be joined to any other, so they have one.</summary>
    public static string KeyOf(ShotDocument shot)
    {
        bool Any(Func<MatteForm, bool> reads) => shot.Mattes.Any(m => m.Frozen is null && reads(MatteForms.Of(m)));
        object?[] seen =
            Any(f => f.ReadsElements)
                ?
                [
                    shot.Elements,
                    shot.Elements.Any(e => e.Scatter is not null) ? shot.Pieces : null,
                    shot.MovingObjects,
                    shot.StoodAt,
                    shot.Camera,
                    shot.Orientation,
                    shot.SurveyPoints,
                ]
            : Any(f => f.ReadsFootage) ? [shot.Camera, shot.Orientation, shot.SurveyPoints]
            : [];
        object?[] set = Any(f => f.ReadsSet)
            ? [shot.Pieces, shot.MovingObjects, shot.StoodAt, shot.Camera, shot.Orientation, shot.SurveyPoints]
            : [];
        return ResultKey.Of(
            "mattes",
            1,
            [
                shot.Mattes,
                shot.Rate,
                shot.Mattes.Any(m => m.BlursByShutter) ? shot.ShutterDegrees : 0,
                Any(f => f.ReadsPlate) ? shot.Plate : shot.Plate?.Width,
                Any(f => f.ReadsFootage) ? shot.OtherCameras : null,
                .. seen,
                .. set,
            ]
        );
    }

    /// <summary>How much of each pixel lies in it, on a picture of that size.</summary>
    public float[] Coverage(ShotDocument shot, string id, int frame, int width, int height)
    {
        shot = shot.StoodAt is null ? ShotCurves.At(shot, frame) : shot;
        return Coverage(shot, Of(shot, id), frame, width, height, []);
    }

    private float[] Coverage(ShotDocument shot, Matte matte, int frame, int width, int height, IReadOnlyList<string> within)
    {
        if (within.Contains(matte.Id))
        {
            throw new ShotFault($"{matte.Name} is joined to itself, by way of {string.Join(", ", within)}. Take one of them off.");
        }
        return _pictures.Get(ResultKey.Of("matte", 2, KeyOf(shot), matte, frame, width, height), () =>
        {
            double scale = (double)width / (shot.Plate?.Width ?? width);
            if (matte.Frozen is { } frozen)
            {
                return Picture(shot, matte, frozen, null, frame, width, height);
            }
            MatteForm form = MatteForms.Of(matte);
            if (form.Lacks(matte) is { } lacks)
            {
                throw new ShotFault(lacks);
            }
            float[] own = form.Coverage(matte, frame, width, height, scale, new Sources(this, shot, matte, frame, width, height));
            if (!form.GrowsItself && (matte.GrowPixels != 0 || matte.FeatherPixels > 1))
            {
                own = MatteField.Grown(own, width, height, matte.GrowPixels * scale, matte.FeatherPixels * scale);
            }
            else
            {
                own = [.. own];
            }
            foreach (MattePart part in matte.Parts)
            {
                MatteField.Join(own, Coverage(shot, Of(shot, part.Matte), frame, width, height, [.. within, matte.Id]), part.Join);
            }
            if (matte.Inverted)
            {
                for (int i = 0; i < own.Length; i++)
                {
                    own[i] = 1 - own[i];
                }
            }
            return own;
        });
    }

    /// <summary>What a matte's form asks for, in its frame and size.</summary>
    private sealed class Sources(MatteWork work, ShotDocument shot, Matte matte, int frame, int width, int height) : IMatteSources
    {
        public double Shutter => shot.ShutterDegrees / 360;

        public FloatImage Plate() => work.engine.Plates.QuietPlate(shot, frame, width);

        public float[] Pictures(FrameSource source, IdChoice? ids) => work.Picture(shot, matte, source, ids, frame, width, height);

        public float[] Filmed(FilmedFootage footage) => work.engine.Filmed.Layer(shot, matte, frame, width, height).Coverage;

        public float[] Range(MatteRange range) => work.InRange(shot, range, frame, width, height);

        public float[] Element(string id) => work.OfElement(shot, matte, frame, width, height);
    }

    private float[] Picture(ShotDocument shot, Matte matte, FrameSource source, IdChoice? ids, int frame, int width, int height)
    {
        if (source.At(frame, shot.Rate) is not { } own)
        {
            int at = source.Mapping.FrameAt(frame, source.Rate, shot.Rate);
            throw new ShotFault(
                $"{matte.Name} has no picture for frame {frame} (its own {at}; it has {source.Frames.FirstOrDefault()?.Frame} to "
                    + $"{source.Frames.LastOrDefault()?.Frame}, {source.Frames.Count} of them). Bring the missing ones in, or change its "
                    + "first frame."
            );
        }
        FloatImage image = ids is not null
            ? OfIds(media.Read(own.Media), own.File, ids)
            : OfCodes(RasterFile.Read(media.Read(own.Media), own.File));
        if (Math.Abs((double)image.Width / image.Height - (double)width / height) > 0.01 * width / height)
        {
            throw new ShotFault(
                $"{own.File} is {image.Width} × {image.Height}, another shape than the plate. A matte has the plate's shape."
            );
        }
        if (image.Width == width && image.Height == height)
        {
            return image.Data;
        }
        if (image.Width > width)
        {
            return image.ReducedTo(width, height).Data;
        }
        return image.EnlargedTo(width, height).Data;
    }

    /// <summary>Coverage is data: its codes as they are, of the alpha where there is one.</summary>
    internal static FloatImage OfCodes(CodeImage codes)
    {
        float top = (1 << codes.Bits) - 1;
        int channel = codes.Channels is 2 or 4 ? codes.Channels - 1 : 0;
        return new(
            codes.Width,
            codes.Height,
            1,
            [.. Enumerable.Range(0, codes.Width * codes.Height).Select(i => codes.Codes[i * codes.Channels + channel] / top)]
        );
    }

    /// <summary>The coverage of the chosen names together; one that a frame does not show covers nothing there.</summary>
    private static FloatImage OfIds(byte[] bytes, string file, IdChoice ids) =>
        IdMatteFile.Coverage(ExrFile.Read(bytes, file), ids.Layer, ids.Names)
        ?? throw new ShotFault($"{file} has no ID mattes “{ids.Layer}”. Export it with them, or bring other frames in.");

    /// <summary>What lies in a range: of the plate a pixel, of the set sixteen spots of it. Filmed figures are no part of the set here.</summary>
    private float[] InRange(ShotDocument shot, MatteRange range, int frame, int width, int height)
    {
        var result = new float[width * height];
        if (range.Of == MatteMeasure.Brightness)
        {
            FloatImage plate = engine.Plates.QuietPlate(shot, frame, width);
            for (int i = 0; i < result.Length; i++)
            {
                result[i] = range.Share(Luminance.Of(plate.Data.AsSpan(3 * i, 3)));
            }
            return result;
        }
        ShotDocument at = Hanging.At(shot with { Pieces = [.. shot.Pieces.Where(p => p.Kind != PieceKind.Figure)] }, frame);
        Core.Sets.SetScene set = engine.Place.Set(at);
        Core.Cameras.RayGrid grid = engine.Grid(shot, frame, width, height);
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                float sum = 0;
                uint seed = Sampling.PixelSeed(x, y, 11);
                for (uint i = 0; i < 16; i++)
                {
                    if (!grid.TryDirection(x, y, Sampling.Point(i, seed, 0), out var d))
                    {
                        continue;
                    }
                    var ray = new Ray(grid.Origin, d);
                    Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
                    sum += range.Share(
                        !hit.IsHit ? (range.Of == MatteMeasure.Distance ? double.PositiveInfinity : double.NaN)
                        : range.Of == MatteMeasure.Distance ? grid.DepthOf(ray.At(hit.T))
                        : range.Of == MatteMeasure.Height ? ray.At(hit.T).Y
                        : SlopeOf(set.Instances[hit.Instance].FaceNormal(hit), d)
                    );
                }
                result[y * width + x] = sum / 16;
            }
        });
        return result;
    }

    private static double SlopeOf(System.Numerics.Vector3 normal, System.Numerics.Vector3 seenAlong)
    {
        normal = System.Numerics.Vector3.Normalize(normal);
        float up = System.Numerics.Vector3.Dot(normal, seenAlong) > 0 ? -normal.Y : normal.Y;
        return Math.Acos(Math.Clamp(up, -1, 1)) * 180 / Math.PI;
    }

    private float[] OfElement(ShotDocument shot, Matte matte, int frame, int width, int height)
    {
        ShotDocument at = Hanging.At(shot with { Elements = [.. shot.Elements.Where(e => e.Id == matte.Element)] }, frame);
        if (at.Elements.Count == 0)
        {
            throw new ShotFault($"The element of {matte.Name} is no longer in the shot.");
        }
        var scene = new ElementScene(engine.Elements(at, frame));
        Core.Cameras.RayGrid grid = engine.Grid(shot, frame, width, height);
        var result = new float[width * height];
        Parallel.For(0, height, Cores.All, y =>
        {
            for (int x = 0; x < width; x++)
            {
                int seen = 0;
                uint seed = Sampling.PixelSeed(x, y, 5);
                for (uint i = 0; i < 16; i++)
                {
                    if (
                        grid.TryDirection(x, y, Sampling.Point(i, seed, 0), out var d)
                        && scene.MayMeet(grid.Origin, d)
                        && scene.Intersect(new Ray(grid.Origin, d)).IsHit
                    )
                    {
                        seen++;
                    }
                }
                result[y * width + x] = seen / 16f;
            }
        });
        return result;
    }

    /// <summary>The motion of a track: a shift from its middle frame to each of its others.</summary>
    public static MatteMotion WithTrack(ShotEngine engine, ShotDocument shot, int track)
    {
        Track own = engine.TrackWork.Tracks(shot).FirstOrDefault(t => t.Id == track) ?? throw new ShotFault($"There is no track {track}.");
        TrackPoint middle = own.Points[own.Points.Count / 2];
        return new(
            middle.Frame,
            [
                .. own
                    .Points.OrderBy(p => p.Frame)
                    .Select(p => new MatteStep(p.Frame, [1, 0, p.X - middle.X, 0, 1, p.Y - middle.Y, 0, 0, 1])),
            ],
            $"track {track}"
        );
    }

    /// <summary>The mattes that are on, by what they are called; or why one cannot be told in that frame.</summary>
    public IReadOnlyList<(string Name, float[]? Coverage, string? Fault)> Named(ShotDocument shot, int frame, int width, int height) =>
        [
            .. shot
                .Mattes.Where(m => !m.Off)
                .Select(m =>
                {
                    string name = m.Name.Length > 0 ? m.Name : m.Id;
                    try
                    {
                        return (name, (float[]?)Coverage(shot, m, frame, width, height, []), (string?)null);
                    }
                    catch (ShotFault e)
                    {
                        return (name, null, e.Message);
                    }
                }),
        ];

    /// <summary>The mattes that hide elements at a frame: their coverage, and the distance beyond which they do.</summary>
    public IReadOnlyList<(Matte Matte, float[] Coverage, float Beyond)> Hiding(ShotDocument shot, int frame, int width, int height) =>
        [
            .. shot
                .Mattes.Where(m => m is { Off: false, HidesBeyondMetres: not null })
                .Select(m => (m, Coverage(shot, m, frame, width, height, []), (float)engine.Filmed.Beyond(shot, m, frame))),
        ];
}
