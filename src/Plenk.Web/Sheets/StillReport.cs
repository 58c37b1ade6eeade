using System.Globalization;
using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Work;

namespace Plenk.Web.Sheets;

/// <summary>What camera the lines on a still give, in words.</summary>
/// <param name="Reason">Why they give none; null: they do.</param>
public sealed record StillReport(string? Reason, IReadOnlyList<string> Lines)
{
    public static StillReport Of(ShotDocument shot)
    {
        LineCameraResult r = StillWork.Solve(shot);
        if (!r.Solved)
        {
            return new(r.Reason, []);
        }
        string F(double v, int digits) => v.ToString($"F{digits}", CultureInfo.InvariantCulture);
        double mm = shot.Plate!.SensorWidthMm / shot.Plate.Width;
        var lines = new List<string>
        {
            $"focal length {F(r.Pinhole!.Fx * mm, 2)} mm ± {F(r.FocalDoubtPx * mm, 2)}",
            $"turn ± {F(r.TurnDoubtDegrees, 2)}°, lines off by {F(r.RmsPx, 2)} px",
        };
        if (r.PrincipalPoint is { } c)
        {
            lines.Add(
                $"principal point {F(c.X, 0)}, {F(c.Y, 0)} ± {F(c.DoubtPx, 0)} "
                    + $"px{(r.PrincipalPointMoved ? "" : ": not told apart from the centre, which is kept")}"
            );
        }
        if (r.MeasuredAlong is { } a)
        {
            lines.Add($"length taken {(a == 'f' ? "on the floor" : $"along {a}")}");
        }
        if (shot.Still!.Length is not null)
        {
            lines.Add($"camera {F(r.CameraToWorld.Position.Y, 2)} m above the floor");
        }
        return new(null, lines);
    }
}
