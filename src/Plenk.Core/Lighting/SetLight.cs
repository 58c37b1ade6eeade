using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// The irradiance on the set from the lights that were there when the plate was shot, pixel by pixel of a camera: linear RGB, 0 where
/// no receiving piece is; and the share of suns and lamps that reaches it (1 where there are none, −1 where no receiver is).
/// </summary>
public sealed record SetLight(FloatImage Irradiance, float[] Sun)
{
    private const int SkyReach = 3; // pixels that share their sky samples

    public static SetLight Of(SetPass pass, CancellationToken stop = default)
    {
        int w = pass.Camera.Width,
            h = pass.Camera.Height,
            samples = pass.Quality.CameraSamples,
            perSample = pass.LightSamplesPerCameraSample;
        var sun = new FloatImage(w, h, 3);
        var sky = new FloatImage(w, h, 3);
        var share = new float[w * h];
        var points = new Vector3[w * h];
        var normals = new Vector3[w * h];
        bool[] isSun = [.. pass.Rig.Sampled.SelectMany(l => Enumerable.Repeat(!l.IsAround, pass.RaysTo(l)))],
            mine = [.. pass.Rig.Sampled.SelectMany(l => Enumerable.Repeat(l.InPlate, pass.RaysTo(l)))];
        Parallel.For(
            0,
            h,
            Cores.Until(stop),
            () => new SetPass.RowOfSamples(),
            (y, _, traced) =>
            {
                pass.Row(y, ref traced);
                ReadOnlySpan<SetSample> row = traced.Samples.Span;
                ReadOnlySpan<LightSample> lights = traced.Lights.Span;
                for (int x = 0; x < w; x++)
                {
                    Vector3 fromSun = default,
                        fromSky = default,
                        point = default;
                    int receivers = 0,
                        rays = 0,
                        open = 0;
                    for (int i = 0; i < samples; i++)
                    {
                        int at = x * samples + i;
                        ref readonly SetSample s = ref row[at];
                        if (!s.Receives)
                        {
                            continue;
                        }
                        receivers++;
                        point = s.Point;
                        fromSky += pass.Rig.FillPlate;
                        for (int k = 0; k < perSample; k++)
                        {
                            if (!mine[k])
                            {
                                continue;
                            }
                            LightSample light = lights[at * perSample + k];
                            bool reaches = pass.IsOpen(s, light);
                            if (isSun[k])
                            {
                                rays++;
                                if (reaches)
                                {
                                    open++;
                                }
                            }
                            if (reaches)
                            {
                                if (isSun[k])
                                {
                                    fromSun += light.Irradiance;
                                }
                                else
                                {
                                    fromSky += light.Irradiance;
                                }
                            }
                        }
                    }
                    int to = y * w + x;
                    share[to] =
                        receivers == 0 ? -1
                        : rays == 0 ? 1
                        : (float)open / rays;
                    if (receivers == 0)
                    {
                        continue;
                    }
                    points[to] = point;
                    (fromSun, fromSky) = (fromSun / receivers, fromSky / receivers);
                    (sun[x, y, 0], sun[x, y, 1], sun[x, y, 2]) = (fromSun.X, fromSun.Y, fromSun.Z);
                    (sky[x, y, 0], sky[x, y, 1], sky[x, y, 2]) = (fromSky.X, fromSky.Y, fromSky.Z);
                    var centre = new Ray(pass.Camera.Origin, row[x * samples].Direction);
                    Hit hit = pass.Set.Scene.Intersect(centre, RayKinds.CameraSet);
                    if (hit.IsHit)
                    {
                        normals[to] = pass.Set.Instances[hit.Instance].FaceNormal(hit);
                    }
                }
                return traced;
            },
            _ => { }
        );
        // What comes from the sky changes slowly along a surface: neighbours on it share their few samples.
        var result = new FloatImage(w, h, 3);
        Parallel.For(0, h, Cores.All, y =>
        {
            for (int x = 0; x < w; x++)
            {
                int i = y * w + x;
                if (share[i] < 0)
                {
                    continue;
                }
                Vector3 sum = default;
                int n = 0;
                float near = 0.04f * Vector3.Distance(points[i], pass.Camera.Origin);
                for (int v = Math.Max(0, y - SkyReach); v <= Math.Min(h - 1, y + SkyReach); v++)
                {
                    for (int u = Math.Max(0, x - SkyReach); u <= Math.Min(w - 1, x + SkyReach); u++)
                    {
                        int j = v * w + u;
                        if (
                            share[j] < 0
                            || (
                                j != i
                                && (
                                    Vector3.Dot(normals[i], normals[j]) < 0.98f
                                    || MathF.Abs(Vector3.Dot(points[j] - points[i], normals[i])) > near
                                )
                            )
                        )
                        {
                            continue;
                        }
                        sum += new Vector3(sky[u, v, 0], sky[u, v, 1], sky[u, v, 2]);
                        n++;
                    }
                }
                for (int c = 0; c < 3; c++)
                {
                    result[x, y, c] = sun[x, y, c] + sum[c] / n;
                }
            }
        });
        return new(result, share);
    }
}
