using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Solving;

namespace Plenk.Work;

/// <summary>Four corners as they are laid on the picture, and what is known of the rectangle.</summary>
/// <param name="Corners">x0 y0 x1 y1 …, pixels of the plate, around the rectangle.</param>
/// <param name="UpMetres">Null: found.</param>
/// <param name="HoldFocal">The focal length is that of the camera, else the plate's; else it is found.</param>
/// <param name="Piece">It becomes a plane of the set.</param>
public sealed record LaidRectangle(
    double[] Corners,
    double AcrossMetres,
    double? UpMetres = null,
    bool Wall = false,
    bool HoldFocal = false,
    bool Piece = false
);

/// <summary>What a camera set by hand is dragged against.</summary>
/// <param name="Grid">Lines as x, y, x, y …, pixels of the plate.</param>
/// <param name="Corners">Of its rectangle, as the camera sees them; null: it has none.</param>
public sealed record HandLook(HandCamera Hand, IReadOnlyList<double[]> Grid, double[]? Horizon, double[]? Corners);

/// <summary>A shot's camera set by hand: begun where one stands, dragged against a grid, laid through a rectangle's corners.</summary>
public static class HandCameraWork
{
    private const double GridStep = 1; // metres

    private static PlateSource Plate(ShotDocument shot) =>
        shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");

    private static HandCamera Hand(ShotDocument shot) =>
        shot.Camera?.Hand ?? throw new ShotFault("The shot’s camera is not set by hand. Begin one first.");

    /// <summary>The shot with a camera set by hand that stands where its camera does at a frame; without one, at eye height.</summary>
    public static ShotDocument Begun(ShotDocument shot, int frame)
    {
        PlateSource plate = Plate(shot);
        var hand = new HandCamera { FocalMm = plate.FocalMm ?? new HandCamera().FocalMm };
        if (ShotCamera.Of(shot) is { } camera)
        {
            if (!camera.TryAt(frame, out Pose pose, out Pinhole pinhole))
            {
                throw new ShotFault($"The camera has no sample at {frame}. Go to a frame that it has, and begin there.");
            }
            hand = HandPath.From(plate, pose, pinhole.Fx);
        }
        return With(shot, hand);
    }

    private static ShotDocument With(ShotDocument shot, HandCamera hand)
    {
        PlateSource plate = Plate(shot);
        Similarity toWorld = ShotCamera.Of(shot)?.SourceToWorld ?? Similarity.Identity;
        return HandPath.Laid(
            ShotCurves.Pruned(
                shot with
                {
                    Camera = new()
                    {
                        Name = "set by hand",
                        Lens = shot.Camera?.Lens ?? new(),
                        Width = plate.Width,
                        Height = plate.Height,
                        Hand = hand,
                    },
                    Solve = null,
                    // It stands in the world itself: what was named has been laid on it.
                    Orientation = new(),
                    SurveyPoints =
                    [
                        .. shot.SurveyPoints.Select(p => p with { Position = p.Position is { } at ? toWorld.Apply(at) : null }),
                    ],
                }
            )
        );
    }

    /// <summary>What lies over the picture of a camera set by hand, moved by a drag where one is under way.</summary>
    /// <param name="drag">From and to, pixels of the plate; null: as it stands.</param>
    public static HandLook Look(
        ShotDocument shot,
        int frame,
        HandGrid grid,
        HandMove how = default,
        (double X, double Y, double ToX, double ToY)? drag = null
    )
    {
        PlateSource plate = Plate(shot);
        HandCamera hand = Hand(ShotCurves.At(shot, frame));
        Pinhole Of(HandCamera h) => Pinhole.FromFilm(plate.Width, plate.Height, h.FocalMm, plate.SensorWidthMm, shot.Camera!.Lens.ToLens());
        if (drag is var (x, y, toX, toY))
        {
            if (hand.AimsAt is not null && how == HandMove.Turn)
            {
                throw new ShotFault("The camera looks at something, which gives its tilt and heading. Let it look nowhere to turn it.");
            }
            hand = HandMoves.Moved(hand, Of(hand), how, grid, (x, y), (toX, toY), out string? why) ?? throw new ShotFault(why!);
        }
        Pinhole pinhole = Of(hand);
        ShotDocument moved = HandPath.Laid(
            shot with
            {
                Camera = shot.Camera! with { Hand = hand },
                Range = new(frame, frame),
                Curves = [],
            }
        );
        Pose pose = ShotCamera.Of(moved)!.TryAt(frame, out Pose at, out _) ? at : default;
        double[]? corners = null;
        if (hand.Rectangle is { } r)
        {
            double[] seen =
            [
                .. RectangleResult
                    .Corners(r.AcrossMetres, r.UpMetres, r.Wall)
                    .SelectMany(c => pinhole.TryProject(pose, c, out double px, out double py) ? new[] { px, py } : []),
            ];
            corners =
                drag is null && r.Laid.FirstOrDefault(l => l.Frame == frame) is { } laid ? laid.Corners
                : seen.Length == 8 ? seen
                : null;
        }
        return new(hand, HandGrids.Lines(pinhole, pose, grid, GridStep), HandGrids.Horizon(pinhole, pose), corners);
    }

    /// <summary>
    /// The shot with the camera that sees a rectangle's corners there at a frame. Where corners were laid in another frame before, the
    /// rectangle is what it was, and the camera gets keys.
    /// </summary>
    public static (ShotDocument Shot, IReadOnlyList<string> Notes) Rectangle(ShotDocument shot, int frame, LaidRectangle asked)
    {
        PlateSource plate = Plate(shot);
        if (asked.Corners.Length != 8)
        {
            throw new ShotFault("A rectangle has four corners, each at a spot of the picture.");
        }
        var corners = Enumerable.Range(0, 4).Select(i => (asked.Corners[2 * i], asked.Corners[2 * i + 1])).ToArray();
        HandRectangle? known = shot.Camera?.Hand?.Rectangle is { } r && r.Laid.Any(l => l.Frame != frame) ? r : null;
        double? focalMm =
            known is not null || asked.HoldFocal ? ShotCurves.At(shot, frame).Camera?.Hand?.FocalMm ?? FocalOf(shot, frame) : null;
        Lens lens = shot.Camera?.Lens.ToLens() ?? Lens.None;
        RectangleResult found = RectangleCamera.Solve(
            new(plate.Width, plate.Height, corners, known is null ? asked.AcrossMetres : Math.Abs(known.AcrossMetres))
            {
                UpMetres = known is null ? asked.UpMetres : Math.Abs(known.UpMetres),
                Wall = known?.Wall ?? asked.Wall,
                FocalPx = focalMm / plate.SensorWidthMm * plate.Width,
                Lens = lens,
            }
        );
        if (!found.Solved)
        {
            throw new ShotFault(found.Reason!);
        }
        if (
            known is not null
            && (Math.Sign(found.AcrossMetres) != Math.Sign(known.AcrossMetres) || Math.Sign(found.UpMetres) != Math.Sign(known.UpMetres))
        )
        {
            throw new ShotFault("Here the corners are seen in another order than in the frame before: as from behind. Lay them as there.");
        }
        var rectangle = new HandRectangle(
            found.AcrossMetres,
            found.UpMetres,
            known?.Wall ?? asked.Wall,
            known?.UpKnown ?? asked.UpMetres is not null,
            known?.FocalHeld ?? focalMm is not null,
            [.. (known?.Laid ?? []).Where(l => l.Frame != frame).Append(new RectangleCorners(frame, asked.Corners)).OrderBy(l => l.Frame)]
        );
        HandCamera at = HandPath.From(plate, found.CameraToWorld, found.Pinhole!.Fx);
        var notes = new List<string>
        {
            FormattableString.Invariant($"The camera stands {at.Position.Y:0.00} m high, {at.Position.Length:0.00} m from the first corner")
                + FormattableString.Invariant($", focal length {at.FocalMm:0.0} mm")
                + (
                    found.FocalDoubtPx > 0
                        ? FormattableString.Invariant($" ± {found.FocalDoubtPx / plate.Width * plate.SensorWidthMm:0.0}")
                        : " (held)"
                )
                + FormattableString.Invariant(
                    $". The rectangle is {Math.Abs(found.AcrossMetres):0.###} × {Math.Abs(found.UpMetres):0.###} m"
                )
                + FormattableString.Invariant($"; its corners are met to {found.RmsPx:0.00} px."),
        };
        if (known is null)
        {
            ShotDocument whole = With(shot, at with { Rectangle = rectangle, Shake = shot.Camera?.Hand?.Shake });
            // Keys of a camera that stood elsewhere say nothing of this one.
            whole = HandPath.Laid(
                whole with
                {
                    Curves = [.. whole.Curves.Where(c => !c.Id.StartsWith($"{HandPath.At}/", StringComparison.Ordinal))],
                }
            );
            return (asked.Piece ? WithPiece(whole, rectangle) : whole, notes);
        }
        HandCamera hand = Hand(shot);
        shot = shot with { Camera = shot.Camera! with { Hand = hand with { Rectangle = rectangle, AimsAt = null } } };
        // Turned no further than it must from how it stood there.
        Vec3 turn = Rotations.NearEulerYxzDegrees(
            found.CameraToWorld.Rotation,
            ShotCurves.At(shot, frame).Camera!.Hand!.RotationYxzDegrees
        );
        foreach (var (value, to) in new[] { ("position", at.Position), ("rotationYxzDegrees", turn) })
        {
            shot = Keyed(shot, value, to, frame, known.Laid[0].Frame);
        }
        return (HandPath.Laid(shot), notes);
    }

    private static double? FocalOf(ShotDocument shot, int frame)
    {
        PlateSource plate = Plate(shot);
        return ShotCamera.Of(shot) is { } camera && camera.TryAt(frame, out _, out Pinhole own)
            ? own.Fx / plate.Width * plate.SensorWidthMm
            : plate.FocalMm
                ?? throw new ShotFault("No focal length is known that could be held. Type the plate’s at step 1, or let it be found.");
    }

    /// <summary>With a key at a frame; the first one makes one of what stood until then too.</summary>
    private static ShotDocument Keyed(ShotDocument shot, string value, Vec3 to, int frame, int first)
    {
        string id = $"{HandPath.At}/{value}";
        ValueCurve curve = shot.Curves.FirstOrDefault(c => c.Id == id) ?? new() { Id = id, Keys = [ShotCurves.KeyOf(shot, id, first)!] };
        curve = curve with { Keys = [.. curve.Keys.Where(k => k.Frame != frame).Append(new(frame, Triple: to)).OrderBy(k => k.Frame)] };
        return shot with { Curves = [.. shot.Curves.Where(c => c.Id != id), curve] };
    }

    /// <summary>A plane of the set where the rectangle is.</summary>
    private static ShotDocument WithPiece(ShotDocument shot, HandRectangle r)
    {
        string id = FreeId.Of(shot.Pieces.Select(p => p.Id), "rectangle");
        Vec3[] corners = RectangleResult.Corners(r.AcrossMetres, r.UpMetres, r.Wall);
        return shot with
        {
            Pieces =
            [
                .. shot.Pieces,
                new()
                {
                    Id = id,
                    Name = id.Replace('_', ' '),
                    Kind = PieceKind.Plane,
                    Position = 0.5 * (corners[0] + corners[2]),
                    // A plane lies with its front up; a wall's is along +Z.
                    RotationYxzDegrees = r.Wall ? new(90, 0, 0) : Vec3.Zero,
                    Size = new(Math.Abs(r.AcrossMetres), 1, Math.Abs(r.UpMetres)),
                },
            ],
        };
    }
}
