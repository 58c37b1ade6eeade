using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;

namespace Plenk.Core.Checks;

/// <summary>What a shot lacks next at a step, and what is pressed for it.</summary>
/// <param name="Says">A sentence, after “Next: ”.</param>
/// <param name="Press">How what does it begins on that step's sheet: a button, a fold or a field; null: it is done elsewhere.</param>
/// <param name="Step">The step it is done at, 1 to 8.</param>
/// <param name="Or">The step to go on to where that is not wanted; null: it is.</param>
public sealed record NextStep(string Says, string? Press, int Step, int? Or = null)
{
    /// <summary>Three points make a plane, and so does a direction that is up.</summary>
    private const int LeastFloor = 3;

    /// <summary>A sun that shines from there was not turned yet.</summary>
    private static readonly Geometry.Vec3 NewSun = new SunForm().Default.Direction;

    /// <summary>A sun that shines from where new ones do: nobody has said yet where it stood.</summary>
    public static bool IsNewSun(ShotDocument shot, Light light) =>
        light.Kind == LightKind.Sun && light.Direction == NewSun && !ShotCurves.AnyOf(shot, "lights", light.Id, "direction");

    /// <summary>Null: nothing is lacking at this step or any later one.</summary>
    public static NextStep Of(ShotDocument shot, int step) =>
        shot.Plate is null
            ? new("bring the plate in: drop its frames on the picture, or choose them below.", "Bring these frames in", 1)
            : step switch
            {
                1 => new("find the camera.", null, 2),
                2 => Camera(shot),
                3 => shot.Camera is null ? Camera(shot)
                : shot.Pieces.Count == 0 ? new("build what elements stand on; a plane is a floor.", "Add a plane", 3)
                : shot.Pieces.All(p => p.Kind == PieceKind.Plane) && shot.Projections.Count == 0
                    ? new(
                        "build what elements go behind, like a box around circled points. Does nothing stand before them? Lay the footage on the set.",
                        shot.Solve is { Turns: false } ? "Through points" : "Add a box",
                        3,
                        4
                    )
                : new("lay the footage on the set.", null, 4),
                4 => shot.Pieces.Count == 0 ? new("build the set first.", null, 3)
                : shot.Projections.Count == 0 ? new("lay the frame that sees most of the set on it.", "Lay frame", 4)
                : new("set the light that was there.", null, 5),
                5 => shot.Lights.All(l => l.Off) ? new("add the light that lit the plate; the sun first.", "Add a sun", 5)
                : shot.Pieces.Count > 0 && shot.Camera is not null && shot.Lights.Any(l => !l.Off && IsNewSun(shot, l))
                    ? new("find where the sun stood: by a shadow’s tip, by fit, or type it; then place what is added.", "From a shadow", 5)
                : new("place what is added.", null, 6),
                6 => shot.Camera is null ? Camera(shot)
                : shot.Elements.Count == 0
                    ? shot.ShowsPlate ? new("bring in what is added.", "Bring an element in", 6)
                        : new("bring in what is added. Is it all in what is seen of the set? Hand it over.", "Bring an element in", 6, 8)
                : new("pull it to where it belongs, lower it until it touches, then close the match.", "Lower until it touches", 6, 7),
                7 => shot.Elements.All(e => e.Off)
                    ? shot.ShowsPlate
                        ? new("place an element first.", null, 6)
                        : new("hand it over.", null, 8)
                    : shot.Finish.Steps.Count == 0
                        ? new("bring it to the plate: black, edges and grain are measured.", "Bring to the plate", 7)
                        : new("hand it over.", null, 8),
                _ => shot.Camera is null ? Camera(shot) : new("hand the frames over.", "Render frames", 8),
            };

    private static NextStep Camera(ShotDocument shot)
    {
        Orientation o = shot.Orientation;
        return shot.Camera is null
            ? shot.Tracks is null
                ? shot.Range.First == shot.Range.Last
                    ? new("draw along straight edges of the still, or bring a camera in.", "Lines on a still", 2)
                    : new("track the plate, or bring a camera in.", "Track the plate", 2)
                : new("solve the camera from the tracks.", "Solve the camera", 2)
            : o.Floor.Count < LeastFloor && o.Level.Count == 0 && shot.Solve is { Turns: true }
                ? new("say which way is up: draw the horizon, or edges that are upright in the place.", "Draw an upright", 2)
                : o.Floor.Count < LeastFloor && o.Level.Count == 0 && shot.Solve is not null
                    ? new(
                        "say where the floor is: circle tracks that lie on it, or draw the horizon or uprights.",
                        "Circle tracks on the floor",
                        2
                    )
                    : o.Scale is null && shot.Solve is { Turns: false }
                        ? new("say how long something is: the solve has no scale of its own.", "Length from", 2)
                        : new("build the set.", null, 3);
    }
}
