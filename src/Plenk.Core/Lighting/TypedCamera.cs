using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;

namespace Plenk.Core.Lighting;

/// <summary>One way in which another program's axes may stand to ours: which of them is up, and whether they are left-handed.</summary>
/// <param name="Axes">From theirs to ours (X right, Y up, Z towards the viewer); mirrors where they are left-handed.</param>
/// <param name="Px">How far positions of that program lie off the camera's rays, the middle one of many; null: there were none.</param>
public sealed record AxesGuess(string Name, Matrix3 Axes, double? Px = null);

/// <summary>A camera as it is typed: where it stands, what it looks at and how long it is, in another program's axes and unit.</summary>
/// <param name="Metres">One of its units.</param>
/// <param name="RollDegrees">Clockwise as it looks.</param>
public sealed record TypedCamera(Vec3 Place, Vec3 Aim, double FocalMm, double Metres = 1, double RollDegrees = 0)
{
    private const int Samples = 900;

    /// <summary>Up along any of its axes, right-handed and left-handed: twelve. Which way is north makes no difference to a shot.</summary>
    public static IReadOnlyList<AxesGuess> Ways { get; } = [.. Make()];

    private static IEnumerable<AxesGuess> Make()
    {
        (string Name, Vec3 Up)[] ups =
        [
            ("+Y", new(0, 1, 0)),
            ("+Z", new(0, 0, 1)),
            ("+X", new(1, 0, 0)),
            ("−Y", new(0, -1, 0)),
            ("−Z", new(0, 0, -1)),
            ("−X", new(-1, 0, 0)),
        ];
        foreach (bool left in (bool[])[false, true])
        {
            foreach (var (name, up) in ups)
            {
                // Whole quarter turns, exact.
                Matrix3 turn = Rotations.Between(up, Vec3.UnitY),
                    right = Matrix3.FromColumns(Whole(turn.Column(0)), Whole(turn.Column(1)), Whole(turn.Column(2)));
                yield return new(
                    $"{name} up{(left ? ", left-handed" : "")}",
                    left ? new Matrix3(1, 0, 0, 0, 1, 0, 0, 0, -1) * right : right
                );
            }
        }
    }

    private static Vec3 Whole(Vec3 v) => new(Math.Round(v.X), Math.Round(v.Y), Math.Round(v.Z));

    /// <summary>What is wrong with it, in the artist's terms; null: nothing.</summary>
    public string? Fault =>
        !(Place.IsFinite && Aim.IsFinite) ? "The camera's place and what it looks at are three numbers each."
        : (Aim - Place).Length < 1e-9 ? "The camera looks at the place where it stands itself: type another aim."
        : FocalMm is not (> 0.1 and < 100_000) ? "Its focal length is positive, in millimetres."
        : Metres is not (> 0 and < 1e6) ? "Its unit is positive, in metres."
        : !double.IsFinite(RollDegrees) ? "Its roll is a number of degrees."
        : null;

    /// <summary>In our world, metres; null: it looks straight along what is up there, which leaves open how it is turned.</summary>
    public Pose? PoseBy(AxesGuess way)
    {
        Vec3 eye = Metres * (way.Axes * Place),
            aim = Metres * (way.Axes * Aim),
            d = (aim - eye).Normalized();
        if (Math.Abs(d.Y) > 1 - 1e-9)
        {
            return null;
        }
        Pose level = Pose.LookAt(eye, aim, Vec3.UnitY);
        double roll = Rotations.Radians(RollDegrees);
        var about = new Matrix3(Math.Cos(roll), Math.Sin(roll), 0, -Math.Sin(roll), Math.Cos(roll), 0, 0, 0, 1);
        return new(level.Rotation * about, eye);
    }

    /// <summary>The ways by how far positions of the same program lie off this camera's rays, best first.</summary>
    /// <param name="position">Three channels, of the program's axes and unit; not finite where nothing is.</param>
    /// <param name="pinhole">On the pixels of these.</param>
    public IReadOnlyList<AxesGuess> Rank(FloatImage position, Pinhole pinhole)
    {
        int step = Math.Max(1, (int)Math.Sqrt((double)position.Width * position.Height / Samples));
        var spots = new List<(int X, int Y, Vec3 P)>();
        for (int y = step / 2; y < position.Height; y += step)
        {
            for (int x = step / 2; x < position.Width; x += step)
            {
                Span<float> p = position.Pixel(x, y);
                if (float.IsFinite(p[0] + p[1] + p[2]) && new Vec3(p[0], p[1], p[2]) is { LengthSquared: > 1e-12 and < 1e16 } place)
                {
                    spots.Add((x, y, place));
                }
            }
        }
        double? Off(AxesGuess way) =>
            spots.Count < 20 || PoseBy(way) is not { } pose
                ? null
                : PassReader.OffRays(spots.Select(s => (s.X, s.Y, Metres * (way.Axes * s.P))), pose, pinhole);
        return [.. Ways.Select(w => w with { Px = Off(w) }).OrderBy(w => w.Px ?? double.MaxValue)];
    }
}
