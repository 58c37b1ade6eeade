using System.Numerics;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>The irradiance at one spot of a set from the lights that were there when the plate was shot.</summary>
public static class SpotIrradiance
{
    /// <param name="point">On the surface; <paramref name="normal"/> is its face's, on the side that is lit.</param>
    /// <param name="rays">So many to what comes from all around and to surfaces that shine; one to all else.</param>
    /// <param name="ofElements">By the lights that elements get; else by those that the set gets.</param>
    /// <param name="index">Number of the sample: samples of one seed share out the directions.</param>
    /// <returns>Linear RGB; its mean over the samples is the irradiance.</returns>
    public static Vector3 At(
        SetScene set,
        LightRig rig,
        SkyOpenings? openings,
        Vector3 point,
        Vector3 normal,
        int rays,
        uint index,
        uint seed,
        bool ofElements = false
    )
    {
        Vector3 sum = rig.FillPlate,
            from = point + normal * SetPass.SurfaceOffset(point, 0);
        for (int k = 0; k < rig.Sampled.Count; k++)
        {
            SampledLight light = rig.Sampled[k];
            if (!light.InPlate || !(ofElements ? light.LightsElements : light.LightsSet))
            {
                continue;
            }
            int n = light.IsAround || light.Kind == Shots.LightKind.Rectangle ? rays : 1;
            Vector3 own = default;
            for (uint j = 0; j < n; j++)
            {
                LightSample l = light.Sample(from, normal, Sampling.Point(index * (uint)n + j, seed, 1 + (uint)k), openings);
                if (
                    l.Factor > 0
                    && Vector3.Dot(normal, l.Direction) > 0
                    && !set.Scene.Occluded(new Ray(from, l.Direction, 0, l.Distance), RayKinds.LightSet)
                )
                {
                    own += l.Irradiance;
                }
            }
            sum += own / n;
        }
        return sum;
    }
}
