using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Shots;

namespace Plenk.Core.Readings;

/// <summary>Step 4.</summary>
public static class ProjectionReadings
{
    public static readonly Reading Blank = new()
    {
        Id = "projection.match",
        Step = 4,
        Name = "Projection against the plate",
        Unit = "%",
        Tolerance = 8,
        How =
            "The projected set seen by the shot camera in seven frames of the range: median difference from the plate over covered "
            + "pixels, in per cent of the plate's median level, after a 5-pixel average that takes the grain out; of these the worst.",
    };

    public static readonly Reading StitchBlank = new()
    {
        Id = "projection.stitch",
        Step = 4,
        Name = "Cameras in their overlap",
        Unit = "stops",
        Tolerance = 0.15, // common practice, no source
        How =
            "Spots of the set that two cameras show well, not clipped and away from steps of depth: the mean of |log2| of the "
            + "ratio of their luminances, with the gains that the cameras have; of all pairs the worst.",
    };

    public static readonly Reading ParallaxBlank = new()
    {
        Id = "projection.parallax",
        Step = 4,
        Name = "Painted pieces against the tracks",
        Unit = "px",
        Tolerance = 1.5, // common practice, no source
        How =
            "Of each seen piece that was not filmed: up to twelve tracks that lie on it in the picture, those nearest to it in "
            + "depth; from a track's first place the piece is followed by the camera to its last frame, and held against where the "
            + "track went. The middle of them; of all pieces the worst.",
    };

    /// <summary>How painted pieces part from the plate's tracks: by name, what was measured; null: no track lies on it.</summary>
    public static Reading Parallax(IReadOnlyList<(string Id, string Name, PaintedParallax? Parts)> pieces)
    {
        if (pieces.Count == 0)
        {
            return ParallaxBlank with { Note = "no seen piece is new" };
        }
        if (
            pieces.Where(p => p.Parts is not null).OrderByDescending(p => p.Parts!.Pixels).FirstOrDefault()
            is not
            (var id, var name, { } worst)
        )
        {
            return ParallaxBlank with { Note = "no track lies on a seen piece that is new" };
        }
        string away = double.IsFinite(worst.TrackMetres) ? FormattableString.Invariant($"{worst.TrackMetres:0.0} m") : "too far to tell";
        return (
            ParallaxBlank with
            {
                Value = worst.Pixels,
                Note = FormattableString.Invariant($"{name}, {worst.Metres:0.0} m away; its nearest {worst.Tracks} tracks are {away}"),
                Thing = id,
                Worst = new(
                    worst.Worst.Frame,
                    worst.Worst.X,
                    worst.Worst.Y,
                    Words: FormattableString.Invariant($"{worst.Pixels:0.0} px apart")
                ),
            }
        ).Judged();
    }

    public static readonly Reading ColourBlank = new()
    {
        Id = "projection.colour",
        Step = 4,
        Name = "Own colour that is in doubt",
        Unit = "%",
        Tolerance = 25, // common practice, no source
        How =
            "Of the set's pixels in the frame of each painted own colour, those at a shadow's edge, with hardly any light, or that "
            + "send back more than falls in.",
    };

    /// <summary>How much of a frame's own colour is not to be trusted, and why.</summary>
    public static Reading Colour(IReadOnlyList<(int Frame, Lighting.ColourDoubt[] Doubt)> frames)
    {
        if (frames.Count == 0)
        {
            return ColourBlank with { Note = "no own colour is used" };
        }
        var parts = frames
            .Select(f =>
            {
                double set = Math.Max(1, f.Doubt.Count(d => d != Lighting.ColourDoubt.NoSet));
                double Of(Lighting.ColourDoubt d) => 100 * f.Doubt.Count(x => x == d) / set;
                return (
                    f.Frame,
                    Edge: Of(Lighting.ColourDoubt.ShadowEdge),
                    Dark: Of(Lighting.ColourDoubt.Dark),
                    Bright: Of(Lighting.ColourDoubt.TooBright)
                );
            })
            .ToList();
        var worst = parts.MaxBy(p => p.Edge + p.Dark + p.Bright);
        return (
            ColourBlank with
            {
                Value = worst.Edge + worst.Dark + worst.Bright,
                Note =
                    $"at {worst.Frame}: shadow edges {worst.Edge:0.#} %, hardly lit {worst.Dark:0.#} %, brighter than white {worst.Bright:0.#} %",
                Worst = new(worst.Frame),
            }
        ).Judged();
    }

    /// <summary>Compares a projected view (RGBA) with the plate (RGB) of the same frame and size.</summary>
    public static Reading Match(ShotDocument shot, FloatImage view, FloatImage plate, int frame, int plateWidth)
    {
        const int block = 5;
        int w = view.Width / block,
            h = view.Height / block;
        var differences = new List<(double Value, int X, int Y)>();
        var levels = new List<double>();
        for (int by = 0; by < h; by++)
        {
            for (int bx = 0; bx < w; bx++)
            {
                double a = 0,
                    b = 0,
                    cover = 1;
                for (int y = by * block; y < (by + 1) * block; y++)
                {
                    for (int x = bx * block; x < (bx + 1) * block; x++)
                    {
                        cover = Math.Min(cover, view[x, y, 3]);
                        for (int c = 0; c < 3; c++)
                        {
                            a += view[x, y, c];
                            b += plate[x, y, c];
                        }
                    }
                }
                if (cover < 0.999)
                {
                    continue;
                }
                const int n = block * block * 3;
                differences.Add((Math.Abs(a - b) / n, bx, by));
                levels.Add(b / n);
            }
        }
        Reading reading = Blank;
        if (differences.Count < 20)
        {
            return reading with { Note = $"hardly anything is covered at {frame}" };
        }
        differences.Sort((p, q) => p.Value.CompareTo(q.Value));
        levels.Sort();
        double level = Math.Max(levels[levels.Count / 2], 1e-4);
        // The worst place is the top percentile's, so that one glint does not name it.
        var worst = differences[(int)(0.995 * (differences.Count - 1))];
        double scale = (double)plateWidth / view.Width;
        return (
            reading with
            {
                Value = 100 * differences[differences.Count / 2].Value / level,
                Note = $"at {frame}, {100.0 * differences.Count / Math.Max(1, w * h):0} % of the picture covered",
                Worst = new(
                    frame,
                    (worst.X + 0.5) * block * scale,
                    (worst.Y + 0.5) * block * scale,
                    Words: $"differs by {100 * worst.Value / level:0} %"
                ),
            }
        ).Judged();
    }
}
