using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Core.Cameras;

/// <summary>The similarity that takes the camera's own space to the world, and what kept a part of it from being found.</summary>
public sealed record OrientingResult(
    Similarity SourceToWorld,
    PlaneFitResult? Floor,
    IReadOnlyList<string> Problems,
    LevelResult? Level = null
);

/// <summary>
/// Floor from three or more points or level from drawn lines, origin from one, an axis from two, scale from a known distance. What is not
/// named stays as it came in.
/// </summary>
public static class Orienting
{
    public static OrientingResult Of(ShotDocument shot)
    {
        ShotCamera? camera = shot.Orientation.Level.Count > 0 ? ShotCamera.InSource(shot) : null;
        return Solve(shot.SurveyPoints, shot.Orientation, f =>
            camera is not null && camera.TryAt(f, out Pose pose, out Pinhole pinhole) ? (pose, pinhole) : null
        );
    }

    /// <param name="camera">In its own space, for lines that are drawn to level it.</param>
    public static OrientingResult Solve(IReadOnlyList<SurveyPoint> points, Orientation named, Func<int, (Pose, Pinhole)?>? camera = null)
    {
        var problems = new List<string>();
        Vec3? Find(string name)
        {
            SurveyPoint? p = points.FirstOrDefault(p => p.Name == name);
            if (p is null)
            {
                problems.Add($"There is no survey point called {name}.");
            }
            else if (p.Position is null)
            {
                problems.Add($"{name} has no place yet: click it in a second frame.");
            }
            return p?.Position;
        }

        double scale = 1;
        if (named.Scale is { } known)
        {
            if (Find(known.From) is { } a && Find(known.To) is { } b)
            {
                double length = (b - a).Length;
                if (!(known.Metres > 0))
                {
                    problems.Add("Scale: the known distance must be more than 0 m.");
                }
                else if (!(length > 1e-9))
                {
                    problems.Add($"Scale: {known.From} and {known.To} are in the same place.");
                }
                else
                {
                    scale = known.Metres / length;
                }
            }
        }

        Matrix3 level = Matrix3.Identity;
        PlaneFitResult? floor = null;
        if (named.Floor.Count > 0)
        {
            Vec3[] onFloor = [.. named.Floor.Select(Find).OfType<Vec3>()];
            floor = PlaneFit.Fit(onFloor, out string? reason);
            if (floor is null)
            {
                problems.Add($"Floor: {reason}.");
            }
            else
            {
                level = Rotations.Between(floor.Normal, Vec3.UnitY);
            }
        }
        LevelResult? drawn = null;
        if (named.Level.Count > 0)
        {
            drawn = Levelling.Solve(named.Level, camera ?? (_ => null), out string? reason);
            if (drawn is null)
            {
                problems.Add($"Level: {reason}.");
            }
            else if (floor is null)
            {
                level = Rotations.Between(drawn.Up, Vec3.UnitY);
            }
            else if (Rotations.Degrees(Elementary.Acos(Math.Clamp(Vec3.Dot(drawn.Up, floor.Normal), -1, 1))) is > 1 and var off)
            {
                problems.Add(
                    $"Level: the drawn lines and the floor's points disagree by {off:0.0}°. The floor is taken; is it level in the place?"
                );
            }
        }

        Matrix3 heading = Matrix3.Identity;
        if (named.Axis is { } axis && Find(axis.From) is { } from && Find(axis.To) is { } to)
        {
            Vec3 d = level * (to - from);
            if (Math.Sqrt(d.X * d.X + d.Z * d.Z) < 1e-9)
            {
                problems.Add($"Axis: {axis.From} and {axis.To} stand above one another, so they give no heading.");
            }
            else
            {
                double target = axis.Direction switch
                {
                    "+X" => 0,
                    "-Z" => Math.PI / 2,
                    "-X" => Math.PI,
                    "+Z" => -Math.PI / 2,
                    _ => double.NaN,
                };
                if (double.IsNaN(target))
                {
                    problems.Add($"Axis: {axis.Direction} is not one of +X, -X, +Z, -Z.");
                }
                else
                {
                    heading = Rotations.AboutY(target - Elementary.Atan2(-d.Z, d.X));
                }
            }
        }

        Matrix3 rotation = heading * level;
        Vec3 translation = Vec3.Zero;
        if (floor is not null)
        {
            translation = new Vec3(0, -scale * (rotation * floor.Centroid).Y, 0);
        }
        if (named.Origin is { } origin && Find(origin) is { } o)
        {
            Vec3 placed = scale * (rotation * o);
            // The floor's own least-squares height wins over the origin's: the origin only says where on it.
            translation = new Vec3(-placed.X, floor is not null ? translation.Y : -placed.Y, -placed.Z);
        }
        return new(new Similarity(scale, rotation, translation), floor, problems, drawn);
    }
}
