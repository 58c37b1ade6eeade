using Plenk.Core.Shots;
using Plenk.Core.Tracking.Outlines;

namespace Plenk.Core.Tracking;

/// <summary>Drawn mattes at a frame.</summary>
public static class MatteShape
{
    /// <summary>
    /// The polygon at a shot frame: straight between its keys, carried along by its motion; empty for a matte without keys. A curve is as many
    /// straight pieces as it needs.
    /// </summary>
    public static double[] At(Matte matte, double frame) =>
        CurveAt(matte, frame) is not { } curve ? []
        : matte.Keys.All(k => k.Handles is null) ? [.. curve.Knots.SelectMany(k => new[] { k.X, k.Y })]
        : curve.Flat(0.05);

    /// <summary>The curve at a shot frame or between two, its feather what the matte's own is where its keys have none.</summary>
    public static Curve? CurveAt(Matte matte, double frame)
    {
        MatteKey[] keys = [.. matte.Keys.OrderBy(k => k.Frame)];
        if (keys.Length == 0)
        {
            return null;
        }
        if (matte.Motion is not { Steps.Count: > 0 } motion)
        {
            return Between(matte, keys, frame);
        }
        // Between keys it changes where it does not move: in the reference frame.
        Curve still = Between(matte, [.. keys.Select(k => Carried(k, Inverse(StepOf(motion, k.Frame))))], frame);
        Curve here = Through(StepOf(motion, (int)Math.Floor(frame)), still);
        double share = frame - Math.Floor(frame);
        return share == 0 ? here : Mixed(here, Through(StepOf(motion, (int)Math.Floor(frame) + 1), still), share);
    }

    private static MatteKey Carried(MatteKey key, double[] h)
    {
        double[] corners = Through(h, key.Corners);
        return key with
        {
            Corners = corners,
            Handles = key.Handles is { } handles
                ?
                [
                    .. handles.Select(
                        (v, i) =>
                        {
                            int corner = i / 4,
                                pair = i / 2 * 2;
                            double[] end = Through(
                                h,
                                [key.Corners[2 * corner] + handles[pair], key.Corners[2 * corner + 1] + handles[pair + 1]]
                            );
                            return end[i % 2] - corners[2 * corner + i % 2];
                        }
                    ),
                ]
                : null,
        };
    }

    private static Curve Through(double[] h, Curve curve) =>
        new(
            [
                .. curve.Knots.Select(k =>
                {
                    double[] p = Through(h, [k.X, k.Y, k.X + k.InX, k.Y + k.InY, k.X + k.OutX, k.Y + k.OutY]);
                    return k with { X = p[0], Y = p[1], InX = p[2] - p[0], InY = p[3] - p[1], OutX = p[4] - p[0], OutY = p[5] - p[1] };
                }),
            ],
            curve.Closed
        );

    /// <summary>A key as a curve.</summary>
    public static Curve CurveOf(Matte matte, MatteKey key)
    {
        double half = matte.FeatherPixels / 2;
        double Handle(int i) => key.Handles is { } h ? h[i] : 0;
        double Feather(int i) => key.Feathers is { } f ? f[i] : half;
        return new(
            [
                .. Enumerable
                    .Range(0, key.Corners.Length / 2)
                    .Select(i => new Knot(
                        key.Corners[2 * i],
                        key.Corners[2 * i + 1],
                        Handle(4 * i),
                        Handle(4 * i + 1),
                        Handle(4 * i + 2),
                        Handle(4 * i + 3),
                        Feather(2 * i),
                        Feather(2 * i + 1)
                    )),
            ],
            !matte.Open
        );
    }

    /// <summary>A curve as a key.</summary>
    /// <param name="like">What a key of the matte has: handles and feathers where that has them, or where the curve bends.</param>
    public static MatteKey KeyOf(int frame, Curve curve, MatteKey? like = null) =>
        new(frame, [.. curve.Knots.SelectMany(k => new[] { k.X, k.Y })])
        {
            Handles =
                like?.Handles is not null
                || curve.Knots.Any(k => Math.Abs(k.InX) + Math.Abs(k.InY) + Math.Abs(k.OutX) + Math.Abs(k.OutY) > 1e-6)
                    ? [.. curve.Knots.SelectMany(k => new[] { k.InX, k.InY, k.OutX, k.OutY })]
                    : null,
            Feathers = like?.Feathers is not null ? [.. curve.Knots.SelectMany(k => new[] { k.Feather, k.FeatherIn })] : null,
        };

    internal static Curve Mixed(Curve a, Curve b, double t)
    {
        double Mix(double u, double v) => u + (v - u) * t;
        return new(
            [
                .. a.Knots.Zip(b.Knots, (p, q) =>
                    new Knot(
                        Mix(p.X, q.X),
                        Mix(p.Y, q.Y),
                        Mix(p.InX, q.InX),
                        Mix(p.InY, q.InY),
                        Mix(p.OutX, q.OutX),
                        Mix(p.OutY, q.OutY),
                        Mix(p.Feather, q.Feather),
                        Mix(p.FeatherIn, q.FeatherIn)
                    )
                ),
            ],
            a.Closed
        );
    }

    /// <summary>The homography from the reference frame to another; before the first step and after the last that step's.</summary>
    public static double[] StepOf(MatteMotion motion, int frame) => motion.Steps.MinBy(s => Math.Abs(s.Frame - frame))!.Homography;

    /// <summary>Places x0 y0 x1 y1 … through a homography, row-major.</summary>
    public static double[] Through(double[] h, double[] places)
    {
        var result = new double[places.Length];
        for (int i = 0; i + 1 < places.Length; i += 2)
        {
            double x = places[i],
                y = places[i + 1],
                w = h[6] * x + h[7] * y + h[8];
            (result[i], result[i + 1]) = ((h[0] * x + h[1] * y + h[2]) / w, (h[3] * x + h[4] * y + h[5]) / w);
        }
        return result;
    }

    private static double[] Inverse(double[] h) =>
        [
            h[4] * h[8] - h[5] * h[7],
            h[2] * h[7] - h[1] * h[8],
            h[1] * h[5] - h[2] * h[4],
            h[5] * h[6] - h[3] * h[8],
            h[0] * h[8] - h[2] * h[6],
            h[2] * h[3] - h[0] * h[5],
            h[3] * h[7] - h[4] * h[6],
            h[1] * h[6] - h[0] * h[7],
            h[0] * h[4] - h[1] * h[3],
        ];

    private static Curve Between(Matte matte, MatteKey[] keys, double frame)
    {
        int after = Array.FindIndex(keys, k => k.Frame >= frame);
        return after < 0 ? CurveOf(matte, keys[^1])
            : after == 0 || keys[after].Frame == frame ? CurveOf(matte, keys[after])
            : Mixed(
                CurveOf(matte, keys[after - 1]),
                CurveOf(matte, keys[after]),
                (frame - keys[after - 1].Frame) / (keys[after].Frame - keys[after - 1].Frame)
            );
    }

    /// <summary>How much of each pixel lies in a drawn matte at a frame or between two, as it is told: its own feather and growth, or its width.</summary>
    /// <param name="scale">The picture's width over the plate's.</param>
    public static float[] Coverage(Matte matte, double frame, int width, int height, double scale) =>
        CurveAt(matte, frame) is not { } curve ? new float[width * height]
        : !matte.Open && matte.Keys.All(k => k.Handles is null && k.Feathers is null)
            ? Coverage([.. At(matte, frame).Select(v => v * scale)], width, height, matte.FeatherPixels * scale, matte.GrowPixels * scale)
        : OutlineCoverage.Of(curve, width, height, scale, matte.GrowPixels * scale, matte.WidthPixels);

    /// <summary>Whether a spot lies inside a polygon, by the even–odd rule.</summary>
    public static bool Contains(ReadOnlySpan<double> corners, double x, double y)
    {
        bool inside = false;
        int n = corners.Length / 2;
        for (int i = 0, j = n - 1; i < n; j = i++)
        {
            double xi = corners[2 * i],
                yi = corners[2 * i + 1],
                xj = corners[2 * j],
                yj = corners[2 * j + 1];
            if (yi > y != yj > y && x < (xj - xi) * (y - yi) / (yj - yi) + xi)
            {
                inside = !inside;
            }
        }
        return inside;
    }

    /// <summary>
    /// How much of each pixel lies inside, with an edge as wide as the feather (at least a pixel), its middle on the polygon grown by so
    /// much.
    /// </summary>
    public static float[] Coverage(double[] corners, int width, int height, double featherPixels = 1, double growPixels = 0) =>
        OutlineCoverage.Of(corners, width, height, featherPixels, growPixels);

    /// <summary>Where tracks may live in a frame; null: everywhere.</summary>
    public static Func<int, int, bool>? Allowed(IReadOnlyList<Matte> mattes, int frame)
    {
        double[][] shapes =
        [
            .. mattes
                .Where(m => m is { Off: false, KeepsTracksOff: true, Kind: MatteKind.Drawn, Inverted: false, Open: false })
                .Select(m => At(m, frame))
                .Where(s => s.Length >= 6),
        ];
        return shapes.Length == 0 ? null : (x, y) => !shapes.Any(s => Contains(s, x + 0.5, y + 0.5));
    }
}
