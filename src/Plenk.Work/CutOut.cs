using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>
/// A matte and its footage as a card: its alpha, the colours of what lies in it without those that shine through its edge, standing where
/// its foot stands.
/// </summary>
public static class CutOut
{
    /// <summary>So many pixels are left around it.</summary>
    private const int Margin = 4;

    /// <summary>Covered by less it is no part of what stands.</summary>
    private const float Solid = 0.5f;

    /// <summary>The element, with its pictures kept; and what is to be said of it.</summary>
    /// <param name="frame">The one by which it stands.</param>
    public static (Element Element, string Told) Of(
        ShotEngine engine,
        MediaStore media,
        ShotDocument shot,
        string matte,
        int frame,
        CancellationToken stop = default,
        Action<string, double>? progress = null
    )
    {
        Matte own = MatteWork.Of(shot, matte);
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        FrameRange range = shot.Cut ?? shot.Range;
        var coverages = new Dictionary<int, float[]>();
        var (left, right, top, bottom) = (plate.Width, -1, plate.Height, -1);
        for (int f = range.First; f <= range.Last; f++)
        {
            stop.ThrowIfCancellationRequested();
            float[] a = engine.Mattes.Coverage(shot, matte, f, plate.Width, plate.Height);
            for (int i = 0; i < a.Length; i++)
            {
                if (a[i] > 0)
                {
                    (left, right) = (Math.Min(left, i % plate.Width), Math.Max(right, i % plate.Width));
                    (top, bottom) = (Math.Min(top, i / plate.Width), Math.Max(bottom, i / plate.Width));
                }
            }
            coverages[f] = a;
            progress?.Invoke("where it is", 0.2 * (f - range.First + 1) / range.Count);
        }
        if (right < 0)
        {
            throw new ShotFault($"{own.Name} covers nothing between {range.First} and {range.Last}. Look at it, and draw it anew.");
        }
        // Its foot is its own: below it there is no margin.
        (left, top) = (Math.Max(0, left - Margin), Math.Max(0, top - Margin));
        right = Math.Min(plate.Width - 1, right + Margin);
        var box = new PixelBox(left, top, right + 1, bottom + 1);
        var frames = new List<PlateFrame>();
        foreach (var (f, a) in coverages)
        {
            stop.ThrowIfCancellationRequested();
            float[] alpha = FloatImage.Cut(a, plate.Width, 1, box);
            if (alpha.Any(v => v > 0))
            {
                FloatImage fore = CleanForeground.Of(engine.Plates.Plate(shot, f, plate.Width).Cut(box), alpha);
                frames.Add(new(f, $"{own.Name}.{f:0000}.png", media.Write(Png(fore, alpha, plate.Space))));
            }
            progress?.Invoke($"frame {f}", 0.2 + 0.8 * (f - range.First + 1) / range.Count);
        }
        string id = FreeId.Of(shot.Elements.Select(e => e.Id), "cut_out");
        Element card = new()
        {
            Id = id,
            Name = $"{own.Name} cut out",
            Kind = ElementKind.Card,
            Frames = new()
            {
                Frames = frames,
                Rate = shot.Rate,
                Mapping = new(frames[0].Frame, frames[0].Frame),
                Encoding = plate.Encoding,
                Primaries = plate.Primaries,
            },
        };
        return Stood(engine, shot, card, coverages.GetValueOrDefault(frame) ?? coverages[frames[0].Frame], frame, box, bottom);
    }

    private static byte[] Png(FloatImage fore, float[] alpha, ColorSpace space)
    {
        CodeImage codes = CodeImage.FromLinear(fore, space, 16);
        var all = new ushort[4 * alpha.Length];
        for (int i = 0; i < alpha.Length; i++)
        {
            codes.Codes.AsSpan(3 * i, 3).CopyTo(all.AsSpan(4 * i));
            all[4 * i + 3] = (ushort)Math.Round(65535 * Math.Clamp(alpha[i], 0, 1));
        }
        return RasterFile.ToPng(new(fore.Width, fore.Height, 4, 16, all));
    }

    /// <summary>
    /// Where the lowest of it meets the set, as large as it is seen, in a plane with the picture: from there it is pixel on pixel what was
    /// filmed, whichever way the camera leans.
    /// </summary>
    private static (Element, string) Stood(
        ShotEngine engine,
        ShotDocument shot,
        Element card,
        float[] alpha,
        int frame,
        PixelBox box,
        int bottom
    )
    {
        int width = shot.Plate!.Width,
            row = Array.FindLastIndex(alpha, a => a >= Solid) / width;
        if (ShotCamera.Of(shot) is not { } camera || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole))
        {
            return (card, $"{frame} has no camera: it stands in the middle of the world. Type its place and size.");
        }
        int[] foot = [.. Enumerable.Range(0, width).Where(x => alpha[row * width + x] >= Solid)];
        double px = foot.Length > 0 ? foot.Average() + 0.5 : box.X0 + box.Width / 2.0,
            py = row + 1;
        bool goesOn = row >= shot.Plate.Height - 1;
        Vec3? met = !goesOn && engine.Pick(shot, frame, px, py).OnSet is [var x, var y, var z] ? new Vec3(x, y, z) : null;
        Vec3 at = met ?? SetWork.Looked(engine, shot, frame, toStandOn: true)?.Place ?? pose.ToWorld(new(0, 0, -5));
        Vec3 right = pose.Rotation.Column(0),
            up = pose.Rotation.Column(1);
        double metre = -pose.ToLocal(at).Z / pinhole.Fx;
        return (
            card with
            {
                WidthMetres = box.Width * metre,
                Position = at + (box.X0 + box.Width / 2.0 - px) * metre * right - (bottom + 1 - py) * metre * up,
                RotationYxzDegrees = Rotations.ToEulerYxzDegrees(pose.Rotation),
            },
            met is not null
                ? $"{card.Frames!.Frames.Count} frames; it stands {-pose.ToLocal(at).Z:0.##} m away, where its foot is at {frame}"
            : goesOn ? $"{card.Frames!.Frames.Count} frames; its foot is below the picture at {frame}: type its place"
            : $"{card.Frames!.Frames.Count} frames; nothing of the set is under its foot at {frame}: type its place"
        );
    }
}
