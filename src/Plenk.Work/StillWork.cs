using Plenk.Core.Shots;
using Plenk.Core.Solving;

namespace Plenk.Work;

/// <summary>The camera of a shot's still, from what is drawn on it.</summary>
public static class StillWork
{
    public static LineCameraResult Solve(ShotDocument shot)
    {
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        StillLines still = shot.Still ?? throw new ShotFault("No lines are drawn yet.");
        return LineCamera.Solve(
            new(
                plate.Width,
                plate.Height,
                [
                    .. still
                        .Lines.GroupBy(l => l.Axis)
                        .Select(g => new LineFamily(g.Key[0], [.. g.Select(l => new DrawnLine(l.X1, l.Y1, l.X2, l.Y2))])),
                ]
            )
            {
                Origin = still.Origin is { } o ? (o[0], o[1]) : null,
                Length = still.Length is { } l
                    ? new(
                        l.From[0],
                        l.From[1],
                        l.To[0],
                        l.To[1],
                        l.Metres,
                        l.Along switch
                        {
                            null => null,
                            "floor" => 'f',
                            var a => a[0],
                        }
                    )
                    : null,
                FocalPx = shot.Solving.HoldFocal && plate.FocalMm is { } mm ? mm * plate.Width / plate.SensorWidthMm : null,
            }
        );
    }

    /// <summary>The shot with the still's camera, held over its range; as it was where the lines give none.</summary>
    public static ShotDocument With(ShotDocument shot, LineCameraResult r)
    {
        if (!r.Solved)
        {
            return shot;
        }
        double[] pose = r.CameraToWorld.ToRowMajor16();
        return shot with
        {
            Solve = null,
            Camera = new()
            {
                Name = "from lines on the still",
                Rate = shot.Rate,
                Mapping = new(shot.Range.First, shot.Range.First),
                Width = r.Pinhole!.Width,
                Height = r.Pinhole.Height,
                Samples =
                [
                    .. Enumerable
                        .Range(shot.Range.First, shot.Range.Count)
                        .Select(f => new CameraSample(f, pose, r.Pinhole.Fx, r.Pinhole.Cx, r.Pinhole.Cy)),
                ],
            },
        };
    }
}
