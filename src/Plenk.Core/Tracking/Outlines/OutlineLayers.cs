using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>The two sides of an outline in pictures of one size: where they lie, where they go, and what is carried with them.</summary>
/// <param name="stroke">Of open outlines, pixels.</param>
internal sealed class OutlineLayers(PlaceBehind behind, int width, int height, float noise, double stroke)
{
    /// <summary>What a line goes with is looked at so wide at least, pixels.</summary>
    private const double LeastStroke = 12;

    /// <summary>Shadows are looked for so far about an outline, pixels of a picture 640 wide.</summary>
    public const double Beside = 45;

    public int Width => width;
    public int Height => height;

    /// <summary>Standard deviation in square roots of light.</summary>
    public float Noise => noise;

    /// <summary>Pixels of a picture 640 wide, in this one.</summary>
    public double Size => width / 640.0;

    /// <summary>How far motion is looked for, pixels.</summary>
    public double Reach => 34 * Size;

    /// <summary>How much of each pixel an outline covers, without its feather.</summary>
    public float[] CoverageOf(Curve curve) =>
        curve.Closed
            ? MatteShape.Coverage(curve.Flat(0.05), Width, Height)
            : OutlineCoverage.Of(
                new([.. curve.Knots.Select(k => k with { Feather = 0, FeatherIn = 0 })], false),
                Width,
                Height,
                strokeWidth: Math.Max(stroke, LeastStroke)
            );

    public PixelBox BoxOf(Curve curve, double margin)
    {
        double[] flat = curve.Flat(0.5);
        double left = double.MaxValue,
            top = double.MaxValue,
            right = double.MinValue,
            bottom = double.MinValue;
        for (int i = 0; i < flat.Length; i += 2)
        {
            (left, right) = (Math.Min(left, flat[i]), Math.Max(right, flat[i]));
            (top, bottom) = (Math.Min(top, flat[i + 1]), Math.Max(bottom, flat[i + 1]));
        }
        int Within(double v, int most) => (int)Math.Clamp(v, 0, most);
        return new(
            Within(left - margin, Width - 1),
            Within(top - margin, Height - 1),
            Within(right + margin, Width - 1) + 1,
            Within(bottom + margin, Height - 1) + 1
        );
    }

    /// <summary>How what is around goes: as the rebuilt place does where that is known, else as it looks.</summary>
    public IPictureMotion Outer(
        int frame,
        int next,
        PictureLine.Frame from,
        PictureLine.Frame to,
        float[] layer,
        PixelBox box,
        (double U, double V) pace,
        bool hasPace,
        double reach
    ) => behind.Place?.Between(frame, next, Width, Height) ?? LayerFlow.Of(from.Levels, to.Levels, layer, box, pace, hasPace, reach);

    public (FloatImage Picture, float[] Known) Carried(FloatImage picture, float[] known, IPictureMotion flow, PixelBox box)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        var result = new FloatImage(w, h, 3);
        var sure = new float[w * h];
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                var (fx, fy) = flow.From(x + box.X0, y + box.Y0);
                if (fx < 0 || fy < 0 || fx > Width - 1 || fy > Height - 1)
                {
                    continue;
                }
                picture.SampleBilinear(fx + 0.5, fy + 0.5, result.Pixel(x, y));
                sure[y * w + x] = Bilinear(known, fx, fy);
            }
        });
        return (result, sure);
    }

    public float Bilinear(float[] field, double x, double y)
    {
        int x0 = Math.Clamp((int)x, 0, Width - 2),
            y0 = Math.Clamp((int)y, 0, Height - 2),
            i = y0 * Width + x0;
        float s = (float)(x - x0),
            t = (float)(y - y0);
        return (1 - t) * ((1 - s) * field[i] + s * field[i + 1]) + t * ((1 - s) * field[i + Width] + s * field[i + Width + 1]);
    }

    /// <summary>How far inside its pixels lie, pixels, to about half of one; outside: negative.</summary>
    public float[] Distance(float[] coverage, PixelBox box)
    {
        int w = box.X1 - box.X0,
            h = box.Y1 - box.Y0;
        float[] own = FloatImage.Cut(coverage, Width, 1, box);
        float[] wide = MatteField.Grown(own, w, h, 0, 200);
        return [.. wide.Select(v => (v - 0.5f) * 200)];
    }

    /// <summary>Where no key showed a shadow, a frame that was followed may.</summary>
    public void LearnShadow(int frame, float[] coverage, Curve curve)
    {
        if (!behind.HasShadow && behind.Passes > 0.3)
        {
            behind.LearnShadow(frame, coverage, BoxOf(curve, Beside * Size), width, noise);
        }
    }

    /// <summary>
    /// What the place behind says: what hides it is no part of the outside and, if that passes before it, likely the inside; what shows it, in whatever
    /// light, is outside.
    /// </summary>
    /// <param name="costIn">Of a box's pixels; changed in place, as <paramref name="costOut"/> is.</param>
    /// <param name="isOutside">Pixels that fit what was seen there, which then counts more; null: none does.</param>
    public void HearPlace(int frame, PixelBox box, float[] costIn, float[] costOut, Func<int, bool>? isOutside)
    {
        Behind place = behind.Of(frame, box, width, noise);
        float passes = (float)behind.Passes;
        int w = box.Width;
        Parallel.For(0, box.Height, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                if (place.CostAt(x + box.X0, y + box.Y0, width, height) is not { } by)
                {
                    continue;
                }
                costIn[i] = Math.Min(costIn[i], LayerCosts.Most - 0.7f * passes * by);
                if (by < costOut[i])
                {
                    costOut[i] += passes * (by - costOut[i]);
                }
                else if (behind.Place is not null || isOutside?.Invoke(i) != true)
                {
                    costOut[i] += place.Trust * (by - costOut[i]);
                }
            }
        });
    }
}
