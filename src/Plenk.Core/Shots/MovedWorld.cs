using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// A shot whose world has been laid anew (another floor, origin, axis or scale): all that was placed in it goes along, so that it is seen
/// where it was.
/// </summary>
public static class MovedWorld
{
    /// <param name="map">From the world as it was to the world as it is.</param>
    public static ShotDocument Of(ShotDocument shot, Similarity map) => ShotCurves.Along(shot, s => Moved(s, map));

    private static ShotDocument Moved(ShotDocument shot, Similarity map)
    {
        var turn = new Similarity(1, map.Rotation, Vec3.Zero);
        double yaw = Rotations.Degrees(Math.Atan2(map.Rotation.M13, map.Rotation.M11));
        Vec3 Turned(Vec3 d) => map.Rotation * d;
        double? Height(double? h) => h is { } y ? map.Apply(new(0, y, 0)).Y : null;
        double[] Along(double[] objectToWorld) =>
            Pose.FromRowMajor16(objectToWorld, out _) is { } pose ? pose.Moved(map).ToRowMajor16() : objectToWorld;
        return shot with
        {
            Pieces =
            [
                .. shot.Pieces.Select(p =>
                    !InWorld(p.HangsOn)
                        ? p with
                        {
                            Position = Within(p.HangsOn!, map) * p.Position,
                            Scale = map.Scale * p.Scale,
                            Shake = Shaken(p.Shake, p.HangsOn, map),
                        }
                        : Hanging.Placed(p with { Position = Vec3.Zero }, turn) with
                        {
                            Position = map.Apply(p.Position),
                            Scale = map.Scale * p.Scale,
                            Shake = Shaken(p.Shake, p.HangsOn, map),
                            Figure = p.Figure is { } f
                                ? f with
                                {
                                    ThicknessMetres = map.Scale * f.ThicknessMetres,
                                    Keys = [.. f.Keys.Select(k => k with { Shift = k.Shift is { } s ? map.Scale * Turned(s) : null })],
                                }
                                : null,
                        }
                ),
            ],
            Elements = [.. shot.Elements.Select(e => Moved(e, map, turn))],
            Mattes =
            [
                .. shot.Mattes.Select(m =>
                    m with
                    {
                        HidesBeyondMetres = map.Scale * m.HidesBeyondMetres,
                        Range = m.Range switch
                        {
                            { Of: MatteMeasure.Distance } r => r with
                            {
                                From = map.Scale * r.From,
                                To = map.Scale * r.To,
                                Soft = map.Scale * r.Soft,
                            },
                            { Of: MatteMeasure.Height } r => r with { From = Height(r.From), To = Height(r.To), Soft = map.Scale * r.Soft },
                            var r => r,
                        },
                        Footage = m.Footage is { At: { } at } footage ? footage with { At = map.Apply(at) } : m.Footage,
                    }
                ),
            ],
            Lights =
            [
                .. shot.Lights.Select(l =>
                {
                    // Of a lamp at a place, light on a surface falls off with the square of the distance.
                    double strength = l.Kind is LightKind.Point or LightKind.Spot ? map.Scale * map.Scale : 1;
                    return l with
                    {
                        Position = InWorld(l.HangsOn) ? map.Apply(l.Position) : Within(l.HangsOn!, map) * l.Position,
                        Direction = InWorld(l.HangsOn) || !l.HangsOn!.Turns ? Turned(l.Direction) : l.Direction,
                        AimsAt = Aimed(l.AimsAt, map),
                        Shake = Shaken(l.Shake, l.HangsOn, map),
                        Strength = strength * l.Strength,
                        Width = map.Scale * l.Width,
                        Height = map.Scale * l.Height,
                        // What hangs and turns with it has its edges in its frame too.
                        HalfU = l.HalfU is { } u ? map.Scale * (InWorld(l.HangsOn) || !l.HangsOn!.Turns ? Turned(u) : u) : null,
                        HalfV = l.HalfV is { } v ? map.Scale * (InWorld(l.HangsOn) || !l.HangsOn!.Turns ? Turned(v) : v) : null,
                        HeadingDegrees = l.HeadingDegrees - yaw,
                    };
                }),
            ],
            // What is of known size keeps it.
            StandIns = [.. shot.StandIns.Select(s => s with { Position = map.Apply(s.Position) })],
            MovingObjects =
            [
                .. shot.MovingObjects.Select(o =>
                    o with
                    {
                        Frames = [.. o.Frames.Select(f => f with { ObjectToWorld = Along(f.ObjectToWorld) })],
                        Holds = [.. o.Holds.Select(h => h with { ObjectToWorld = Along(h.ObjectToWorld) })],
                        DistanceMetres = map.Scale * o.DistanceMetres,
                    }
                ),
            ],
            OtherCameras =
            [
                .. shot.OtherCameras.Select(c =>
                    c with
                    {
                        Camera = c.Camera is { } camera
                            ? camera with
                            {
                                Samples = [.. camera.Samples.Select(s => s with { CameraToWorld = Along(s.CameraToWorld) })],
                            }
                            : null,
                    }
                ),
            ],
            // What is told by the metre goes with the metre.
            Finish = shot.Finish with
            {
                Steps =
                [
                    .. shot.Finish.Steps.Select(s =>
                        s with
                        {
                            Haze = s.Haze is { } haze
                                ? haze with
                                {
                                    PerMetre = haze.PerMetre / map.Scale,
                                    ThinsOverMetres = map.Scale * haze.ThinsOverMetres,
                                }
                                : null,
                            Beam = s.Beam is { } beam ? beam with { PerMetre = beam.PerMetre / map.Scale } : null,
                            Band = s.Band is { } band
                                ? band with
                                {
                                    FromMetres = map.Scale * band.FromMetres,
                                    ToMetres = map.Scale * band.ToMetres,
                                    FromHeight = Height(band.FromHeight),
                                    ToHeight = Height(band.ToHeight),
                                    SoftMetres = map.Scale * band.SoftMetres,
                                }
                                : null,
                            Sphere = s.Sphere is { } air
                                ? air with
                                {
                                    Place = map.Apply(air.Place),
                                    RadiusMetres = map.Scale * air.RadiusMetres,
                                    SoftMetres = map.Scale * air.SoftMetres,
                                    MetresPerSecond = map.Scale * air.MetresPerSecond,
                                }
                                : null,
                        }
                    ),
                ],
            },
            Sun = shot.Sun with
            {
                FromShadow = shot.Sun.FromShadow is { } a ? Turned(a) : null,
                FromDate = shot.Sun.FromDate is { } b ? Turned(b) : null,
                FromFit = shot.Sun.FromFit is { } c ? Turned(c) : null,
                NorthDegrees = shot.Sun.NorthDegrees - yaw,
            },
        };
    }

    /// <summary>Its place is told in the world.</summary>
    private static bool InWorld(Carrier? on) => on is not { BeginsFree: false };

    /// <summary>By how much places in a thing's frame grow: what has a size of its own grows itself.</summary>
    private static double Within(Carrier on, Similarity map) =>
        on.On.StartsWith("elements/", StringComparison.Ordinal) || on.On.StartsWith("pieces/", StringComparison.Ordinal) ? 1 : map.Scale;

    private static Aim? Aimed(Aim? aim, Similarity map) =>
        aim is null ? null
        : aim.On is null ? aim with { Place = map.Apply(aim.Place) }
        : aim with { Place = Within(new() { On = aim.On }, map) * aim.Place };

    private static Shake? Shaken(Shake? shake, Carrier? on, Similarity map) =>
        shake is null ? null : shake with { Metres = (InWorld(on) ? map.Scale : Within(on!, map)) * shake.Metres };

    private static Element Moved(Element e, Similarity map, Similarity turn)
    {
        Element turned = InWorld(e.HangsOn) ? Hanging.Placed(e with { Position = Vec3.Zero }, turn) : e;
        return turned with
        {
            Position = InWorld(e.HangsOn) ? map.Apply(e.Position) : Within(e.HangsOn!, map) * e.Position,
            AimsAt = Aimed(e.AimsAt, map),
            Shake = Shaken(e.Shake, e.HangsOn, map),
            Scale = map.Scale * e.Scale,
            SoftMetres = map.Scale * e.SoftMetres,
            Scatter = e.Scatter is { } scatter
                ? scatter with
                {
                    PerSquareMetre = scatter.PerSquareMetre / (map.Scale * map.Scale),
                    ApartMetres = map.Scale * scatter.ApartMetres,
                    SinkMetres = map.Scale * scatter.SinkMetres,
                }
                : null,
            LetGo = e.LetGo is { } go
                ? go with
                {
                    Speed = map.Scale * (turn.Rotation * go.Speed),
                    SpinDegrees = turn.Rotation * go.SpinDegrees,
                    ImpulseNs = turn.Rotation * go.ImpulseNs,
                    ImpulseAt = go.ImpulseAt is { } spot ? map.Apply(spot) : null,
                }
                : null,
            Broke = e.Broke is { } b
                ? b with
                {
                    Point = b.Point is { } point ? map.Apply(point) : null,
                    Cracks = [.. b.Cracks.Select(line => (IReadOnlyList<Vec3>)[.. line.Select(map.Apply)])],
                    ImpulseNs = turn.Rotation * b.ImpulseNs,
                    ThicknessMetres = map.Scale * b.ThicknessMetres,
                    RadiusMetres = map.Scale * b.RadiusMetres,
                    DepthMetres = map.Scale * b.DepthMetres,
                    BlastSpeed = map.Scale * b.BlastSpeed,
                    ScrapSmallestMetres = map.Scale * b.ScrapSmallestMetres,
                    ScrapLargestMetres = map.Scale * b.ScrapLargestMetres,
                }
                : null,
        };
    }
}
