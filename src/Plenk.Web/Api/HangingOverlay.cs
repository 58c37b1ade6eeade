using Plenk.Core.Algebra;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Web.Api;

/// <summary>What the page draws and needs to know of things that hang on others and aim at them, at a frame.</summary>
internal static class HangingOverlay
{
    /// <summary>From the world to each hanging thing's own numbers: three rows of four.</summary>
    public static IEnumerable<object> Hung(ShotDocument shot, int frame)
    {
        var things = new Carriers(shot);
        foreach (var (what, on) in All(shot))
        {
            if (on is not null && things.Carried(on, frame)?.Inverse() is var (scale, r, t))
            {
                yield return new
                {
                    at = what,
                    into = (double[])
                        [
                            scale * r.M11,
                            scale * r.M12,
                            scale * r.M13,
                            t.X,
                            scale * r.M21,
                            scale * r.M22,
                            scale * r.M23,
                            t.Y,
                            scale * r.M31,
                            scale * r.M32,
                            scale * r.M33,
                            t.Z,
                        ],
                };
            }
        }
    }

    private static IEnumerable<(string What, Carrier? On)> All(ShotDocument shot) =>
        [
            .. shot.Pieces.Select(p => (ShotCurves.PlaceOf("pieces", p.Id), p.HangsOn)),
            .. shot.Elements.Select(e => (ShotCurves.PlaceOf("elements", e.Id), e.HangsOn)),
            .. shot.Lights.Select(l => (ShotCurves.PlaceOf("lights", l.Id), l.HangsOn)),
        ];

    /// <summary>Where things aim, and from where, as they are seen.</summary>
    /// <param name="stood">The same shot as it stands at the frame.</param>
    public static IEnumerable<object> Aims(ShotDocument shot, ShotDocument stood, int frame, Func<Vec3, double[]?> seen)
    {
        var things = new Carriers(shot);
        IEnumerable<(string What, Aim? Aim, Vec3 From)> all =
        [
            .. stood.Elements.Select(e => (ShotCurves.PlaceOf("elements", e.Id), e.AimsAt, e.Position)),
            .. stood.Lights.Select(l => (ShotCurves.PlaceOf("lights", l.Id), l.AimsAt, l.Position)),
        ];
        foreach (var (what, aim, from) in all)
        {
            if (things.Target(aim, frame) is { } at)
            {
                yield return new
                {
                    what,
                    seen = seen(at),
                    from = seen(from),
                };
            }
        }
    }
}
