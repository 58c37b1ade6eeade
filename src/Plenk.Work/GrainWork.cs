using System.Numerics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracking;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>
/// Grain told from texture by what frames differ by along their motion, and the grain-free copy of a shot's plate, frame by frame, as
/// 16-bit pictures in the plate's encoding.
/// </summary>
public sealed class GrainWork(ShotEngine engine, MediaStore media)
{
    public GrainFreeCopy Make(ShotDocument shot, CancellationToken stop, Action<string, double> progress)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        // Large pictures make do with fewer neighbours, so that they stay in memory.
        int reach = (long)plate.Width * plate.Height > 4_000_000 ? 2 : 3;
        var near = new Dictionary<int, CodedFrame>();
        var frames = new List<PlateFrame>();
        double before = 0,
            left = 0;
        for (int f = shot.Range.First; f <= shot.Range.Last; f++)
        {
            stop.ThrowIfCancellationRequested();
            progress($"Frame {f}", (double)(f - shot.Range.First) / shot.Range.Count);
            int first = Math.Max(shot.Range.First, f - reach),
                last = Math.Min(shot.Range.Last, f + reach);
            foreach (int gone in near.Keys.Where(k => k < first).ToList())
            {
                near.Remove(gone);
            }
            for (int k = first; k <= last; k++)
            {
                if (!near.ContainsKey(k))
                {
                    near[k] = Coded(engine.Plates.PlateCodes(shot, k));
                }
            }
            GrainFreeFrame made = GrainFree.Of([.. Enumerable.Range(first, last - first + 1).Select(k => near[k])], f - first, stop);
            int source = plate.FrameAt(f, shot.Rate);
            ushort[] codes = Array.ConvertAll(made.Codes.Data, v => (ushort)(Math.Clamp(v, 0, 1) * 65535 + 0.5f));
            frames.Add(
                new(
                    source,
                    $"grain-free.{source}.png",
                    media.Write(RasterFile.ToPng(new CodeImage(plate.Width, plate.Height, 3, 16, codes)))
                )
            );
            before += made.NoiseBefore / shot.Range.Count;
            left += made.NoiseLeft / shot.Range.Count;
        }
        return new(frames, before, left);
    }

    public static CodedFrame Coded(CodeImage p)
    {
        float top = (1 << p.Bits) - 1;
        var codes = new FloatImage(p.Width, p.Height, 3);
        for (int i = 0; i < p.Width * p.Height; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                codes.Data[3 * i + c] = p.Codes[i * p.Channels + (p.Channels >= 3 ? c : 0)] / top;
            }
        }
        return new(codes, GrayPyramid.Of(p.Width, p.Height, p.Channels, p.Bits, p.Codes));
    }

    /// <summary>
    /// The standard deviation by channel and linear level that a frame and its neighbours differ by along their motion; null where there is
    /// no neighbour.
    /// </summary>
    public static Func<int, float, float>? Moving(
        IReadOnlyList<CodeImage> frames,
        int centre,
        ColorSpace space,
        CancellationToken stop = default
    )
    {
        if (
            frames.Count < 2
            || frames.Any(f => f.Width != frames[0].Width || f.Height != frames[0].Height || f.Width < 64 || f.Height < 64)
        )
        {
            return null;
        }
        Func<int, float, float> noise = GrainFree.Noise([.. frames.Select(Coded)], centre, stop);
        return (channel, level) =>
        {
            float code = Math.Clamp(ColorEncodings.FromLinear(space.Encoding, level), 0.01f, 0.99f);
            // A step of code, as light; of other primaries each channel's own noise comes through by its share.
            float slope =
                (ColorEncodings.ToLinear(space.Encoding, code + 0.01f) - ColorEncodings.ToLinear(space.Encoding, code - 0.01f)) / 0.02f;
            Vec3 share = space.Share(channel);
            float N(double by, int from) => by == 0 ? 0 : (float)by * noise(from, code);
            return slope * new Vector3(N(share.X, 0), N(share.Y, 1), N(share.Z, 2)).Length();
        };
    }
}
