namespace Plenk.Core.Shots;

/// <summary>
/// A newer delivery of a plate in the old one's place: shot frames stay what they are, and whatever is drawn on its pixels goes to its size.
/// </summary>
public static class NewerPlate
{
    private const double SameShape = 0.01;

    /// <summary>Why it cannot stand for the old one, in the artist's terms; null: it can.</summary>
    public static string? Fault(PlateSource old, PlateSource newer) =>
        Math.Abs((double)newer.Width / newer.Height / ((double)old.Width / old.Height) - 1) > SameShape
            ? $"It is {newer.Width} × {newer.Height}, another shape than the plate that is there, {old.Width} × {old.Height}: "
                + $"where things lie on it cannot be told. Have it delivered with the same framing, or bring it in as another plate."
            : null;

    /// <summary>
    /// How its frames are counted: by their own numbers where most of them are numbers of the old one too, else first on first.
    /// </summary>
    public static FrameMapping Mapping(PlateSource old, PlateSource newer, FrameRange range, FrameRate shot)
    {
        int first = newer.Frames.Min(f => f.Frame),
            last = newer.Frames.Max(f => f.Frame),
            oldFirst = old.Frames.Min(f => f.Frame),
            oldLast = old.Frames.Max(f => f.Frame),
            both = Math.Min(last, oldLast) - Math.Max(first, oldFirst) + 1;
        return 2 * both > Math.Min(last - first, oldLast - oldFirst) + 1
            ? old.Mapping
            : new(first, old.FrameAt(range.First, shot) == oldFirst ? range.First : ShotFrame(old, oldFirst, shot));
    }

    private static int ShotFrame(PlateSource plate, int frame, FrameRate shot) =>
        (int)Math.Round(plate.Mapping.ToShot(frame, plate.Rate, shot));

    /// <summary>The shot with it. Its mapping says which of its frames a shot frame shows.</summary>
    /// <remarks>Media that hold pixels (tracks) are the caller's.</remarks>
    public static ShotDocument Lay(ShotDocument shot, PlateSource newer)
    {
        PlateSource old = shot.Plate!;
        double sx = (double)newer.Width / old.Width,
            sy = (double)newer.Height / old.Height,
            s = Math.Sqrt(sx * sy);
        int first = ShotFrame(newer, newer.Frames.Min(f => f.Frame), shot.Rate),
            last = ShotFrame(newer, newer.Frames.Max(f => f.Frame), shot.Rate);
        FrameRange range = new(first, last);
        ShotDocument laid = sx == 1 && sy == 1 ? shot : ShotCurves.Along(shot, d => Sized(d, sx, sy, s));
        return HandPath.Laid(
            laid with
            {
                // A proxy is one until frames as large as the footage come.
                Plate = old.FullWidth > newer.Width ? newer with { FullWidth = old.FullWidth, FullHeight = old.FullHeight } : newer,
                Range = range,
                Cut =
                    shot.Cut is { } cut && Math.Max(cut.First, first) is var a && Math.Min(cut.Last, last) is var b && a <= b
                        ? new(a, b)
                        : null,
            }
        );
    }

    private static ShotDocument Sized(ShotDocument shot, double sx, double sy, double s)
    {
        double[] Places(double[] xy) => [.. xy.Select((v, i) => v * (i % 2 == 0 ? sx : sy))];
        // D H D⁻¹, D = diag(sx, sy, 1)
        double[] Plane(double[] h) => [h[0], h[1] * sx / sy, h[2] * sx, h[3] * sy / sx, h[4], h[5] * sy, h[6] / sx, h[7] / sy, h[8]];
        return shot with
        {
            Mattes =
            [
                .. shot.Mattes.Select(m =>
                    m with
                    {
                        Keys =
                        [
                            .. m.Keys.Select(k =>
                                k with
                                {
                                    Corners = Places(k.Corners),
                                    Handles = k.Handles is { } h ? Places(h) : null,
                                    Feathers = k.Feathers?.Select(f => s * f).ToArray(),
                                    Strokes =
                                    [
                                        .. k.Strokes.Select(t => t with { WidthPixels = s * t.WidthPixels, Points = Places(t.Points) }),
                                    ],
                                }
                            ),
                        ],
                        WidthPixels = s * m.WidthPixels,
                        Followed = [.. m.Followed.Select(f => f with { DriftPixels = s * f.DriftPixels })],
                        Motion = m.Motion is { } motion
                            ? motion with
                            {
                                Steps = [.. motion.Steps.Select(t => t with { Homography = Plane(t.Homography) })],
                            }
                            : null,
                        FeatherPixels = s * m.FeatherPixels,
                        GrowPixels = s * m.GrowPixels,
                    }
                ),
            ],
            SurveyPoints =
            [
                .. shot.SurveyPoints.Select(p => p with { Clicks = [.. p.Clicks.Select(c => c with { X = sx * c.X, Y = sy * c.Y })] }),
            ],
            Camera = shot.Camera is { Hand: { Rectangle: { } rectangle } hand } camera
                ? camera with
                {
                    Hand = hand with
                    {
                        Rectangle = rectangle with { Laid = [.. rectangle.Laid.Select(l => l with { Corners = Places(l.Corners) })] },
                    },
                }
                : shot.Camera,
            Still = shot.Still is { } still
                ? still with
                {
                    Lines = [.. still.Lines.Select(l => l with { X1 = sx * l.X1, Y1 = sy * l.Y1, X2 = sx * l.X2, Y2 = sy * l.Y2 })],
                    Origin = still.Origin is { } o ? Places(o) : null,
                    Length = still.Length is { } length ? length with { From = Places(length.From), To = Places(length.To) } : null,
                }
                : null,
            Orientation = shot.Orientation with
            {
                Level = [.. shot.Orientation.Level.Select(l => l with { X1 = sx * l.X1, Y1 = sy * l.Y1, X2 = sx * l.X2, Y2 = sy * l.Y2 })],
            },
            MovingObjects =
            [
                .. shot.MovingObjects.Select(o =>
                    o with
                    {
                        Holds = [.. o.Holds.Select(h => h with { Pins = [.. h.Pins.Select(p => p with { X = sx * p.X, Y = sy * p.Y })] })],
                    }
                ),
            ],
            Pieces =
            [
                .. shot.Pieces.Select(p =>
                    p with
                    {
                        Pins = [.. p.Pins.Select(q => q with { X = sx * q.X, Y = sy * q.Y })],
                        Duties = p.Duties with { HoldoutPixels = s * p.Duties.HoldoutPixels, FadePixels = s * p.Duties.FadePixels },
                    }
                ),
            ],
            SeamBlendPixels = s * shot.SeamBlendPixels,
            Projections =
            [
                .. shot.Projections.Select(p =>
                    p with
                    {
                        MatteFeatherPixels = s * p.MatteFeatherPixels,
                        BeyondPixels = (int)Math.Round(s * p.BeyondPixels),
                    }
                ),
            ],
            RealShadow = shot.RealShadow is { } pair
                ? pair with
                {
                    LitX = sx * pair.LitX,
                    LitY = sy * pair.LitY,
                    DarkX = sx * pair.DarkX,
                    DarkY = sy * pair.DarkY,
                }
                : null,
            Notes = [.. shot.Notes.Select(n => n with { X = sx * n.X, Y = sy * n.Y })],
            Finish = Sized(shot.Finish, sx, sy, s),
        };
    }

    private static FinishChoice Sized(FinishChoice finish, double sx, double sy, double s) =>
        finish with
        {
            Region = finish.Region is { } r
                ? r with
                {
                    X = (int)Math.Round(sx * r.X),
                    Y = (int)Math.Round(sy * r.Y),
                    Width = Math.Max(1, (int)Math.Round(sx * r.Width)),
                    Height = Math.Max(1, (int)Math.Round(sy * r.Height)),
                }
                : null,
            Steps =
            [
                .. finish.Steps.Select(step =>
                    step with
                    {
                        Pixels = s * step.Pixels,
                        Shadow = step.Shadow is { } shadow ? shadow with { BlurPixels = s * shadow.BlurPixels } : null,
                        Whole = step.Whole is { } whole ? whole with { GlowPixels = s * whole.GlowPixels } : null,
                        Flare = step.Flare is { } flare ? flare with { RadiusPixels = s * flare.RadiusPixels } : null,
                        Ripple = step.Ripple is { } ripple
                            ? ripple with
                            {
                                Pixels = s * ripple.Pixels,
                                SizePixels = s * ripple.SizePixels,
                            }
                            : null,
                        Reframe = step.Reframe is { } reframe
                            ? reframe with
                            {
                                ShakePixels = s * reframe.ShakePixels,
                                Keys = [.. reframe.Keys.Select(k => k with { X = sx * k.X, Y = sy * k.Y })],
                            }
                            : null,
                    }
                ),
            ],
        };
}
