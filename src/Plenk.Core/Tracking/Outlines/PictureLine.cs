using Plenk.Core.Images;

namespace Plenk.Core.Tracking.Outlines;

/// <summary>Frames of the plate as they are compared: square roots of light, in which noise is even, and their brightness by levels.</summary>
internal sealed class PictureLine(Func<int, FloatImage> picture)
{
    public const int Levels = 4;

    /// <summary>Small pictures are at most so wide.</summary>
    private const int MostSmall = 1000;
    private readonly Dictionary<int, Frame> _kept = [];
    private readonly Dictionary<int, Frame> _small = [];
    private readonly Queue<int> _order = new();
    private readonly Queue<int> _smallOrder = new();

    internal sealed record Frame(FloatImage Linear, FloatImage Even, GrayPyramid Levels);

    public Frame Of(int frame)
    {
        if (_kept.TryGetValue(frame, out Frame? known))
        {
            return known;
        }
        Frame made = Made(picture(frame));
        _kept[frame] = made;
        _order.Enqueue(frame);
        while (_order.Count > 3)
        {
            _kept.Remove(_order.Dequeue());
        }
        return made;
    }

    /// <summary>The same, small enough that many of them are kept.</summary>
    public Frame Small(int frame)
    {
        if (_small.TryGetValue(frame, out Frame? known))
        {
            return known;
        }
        FloatImage linear = _kept.TryGetValue(frame, out Frame? whole) ? whole.Linear : picture(frame);
        int by = (linear.Width + MostSmall - 1) / MostSmall;
        Frame made =
            by == 1 && whole is not null ? whole : Made(by == 1 ? linear : linear.ReducedTo(linear.Width / by, linear.Height / by));
        // Light is not asked of these.
        made = ReferenceEquals(made, whole) ? made : made with { Linear = made.Even };
        _small[frame] = made;
        _smallOrder.Enqueue(frame);
        while (_smallOrder.Count > 24)
        {
            _small.Remove(_smallOrder.Dequeue());
        }
        return made;
    }

    private static Frame Made(FloatImage linear)
    {
        int pixels = linear.Width * linear.Height;
        var even = new FloatImage(linear.Width, linear.Height, 3);
        var gray = new float[pixels];
        Parallel.For(0, linear.Height, Cores.All, y =>
        {
            for (int i = y * linear.Width; i < (y + 1) * linear.Width; i++)
            {
                float sum = 0;
                for (int c = 0; c < 3; c++)
                {
                    float v = MathF.Sqrt(Math.Clamp(linear.Data[i * linear.Channels + c], 0, 16));
                    even.Data[3 * i + c] = v;
                    sum += v;
                }
                gray[i] = sum / 3;
            }
        });
        return new(linear, even, new GrayPyramid(new GrayImage(linear.Width, linear.Height, gray), Levels));
    }
}
