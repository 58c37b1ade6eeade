using System.Diagnostics;
using System.Numerics;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Lighting;

/// <summary>
/// Differential rendering (Debevec, "Rendering synthetic objects into real scenes", SIGGRAPH 1998): per channel and pixel
/// S = Σ w E1 / Σ w E0 over the samples on receivers, S′ = c S + 1 − c with c their share, and
/// comp = element (held out) over (plate · S′ + added), added = plate · En / E0.
/// </summary>
public static class DifferentialRenderer
{
    /// <summary>Albedo that new lamps act through where the plate's own light is too weak to tell one.</summary>
    public const float AssumedAlbedo = 0.5f;

    /// <summary>Rays of the contact look a camera sample.</summary>
    public const int ContactRays = 4;

    /// <summary>
    /// Renders the frame of a set pass. <paramref name="plate"/> is linear RGB of the pass's size.
    /// <paramref name="onRow"/> is told how many rows are done and may throw to stop.
    /// </summary>
    public static FrameLayers Render(SetPass pass, IReadOnlyList<PlacedElement> elements, FloatImage plate, SkyOpenings? openings,
        Pose cameraToWorld, bool dataPasses = true, CancellationToken stop = default, Action<int>? onRow = null, Shots.ContactLook? contact = null)
    {
        var watch = Stopwatch.StartNew();
        var pinhole = pass.Camera.Pinhole;
        int width = pinhole.Width, height = pinhole.Height, samples = pass.Quality.CameraSamples, perSample = pass.LightSamplesPerCameraSample;
        if (plate.Width != width || plate.Height != height || plate.Channels != 3)
        {
            throw new ArgumentException($"the plate is {plate.Width} × {plate.Height} × {plate.Channels}, the render {width} × {height} × 3");
        }
        LightRig rig = pass.Rig;
        var elementScene = new TraceScene([.. elements.Select(e => new TraceInstance(e.Model.Tree, e.ObjectToWorld, RayKinds.Element))]);
        var shader = new ElementShader(pass.Set, rig, openings, elementScene, elements, pinhole, cameraToWorld, plate);
        FloatImage Layer(int channels) => new(width, height, channels);
        FloatImage element = Layer(4), holdout = Layer(1), shadow = Layer(3), added = Layer(3), visibility = Layer(1), ao = Layer(1);
        FloatImage held = Layer(4), e0 = Layer(3), en = Layer(3);
        FloatImage? touching = contact is { Strength: > 0 } && elements.Count > 0 ? Layer(1) : null;
        float reach = (float)(contact?.ReachMetres ?? 0), look = (float)(contact?.Strength ?? 0);
        FloatImage depth = Layer(1), position = Layer(3), normal = Layer(3);
        var share = new float[width * height];
        float[]? setContact = contact is { Strength: > 0 } && elements.Count > 0 ? new float[width * height] : null;
        bool[] isNew = [.. rig.Sampled.SelectMany(l => Enumerable.Repeat(!l.InPlate, pass.RaysTo(l)))];
        bool[] isSun = [.. rig.Sampled.SelectMany(l => Enumerable.Repeat(l.Kind == Shots.LightKind.Sun, pass.RaysTo(l)))], isAround = [.. rig.Sampled.SelectMany(l => Enumerable.Repeat(l.IsAround, pass.RaysTo(l)))];
        // What every pixel must answer, or only those where an element comes between: new lamps and the visibility layer ask everywhere.
        bool everywhere = dataPasses || rig.HasNew || pass.IsKept;
        int done = 0;
        long rays = 0;

        Parallel.For(0, height, new ParallelOptions { CancellationToken = stop }, () => (Samples: (SetSample[]?)null, Lights: (LightSample[]?)null), (y, _, buffers) =>
        {
            pass.Row(y, ref buffers.Samples, ref buffers.Lights, out var row, out var lightRow);
            Span<bool> closed = stackalloc bool[samples * perSample];
            long cast = pass.IsKept ? 0 : row.Length;
            for (int x = 0; x < width; x++)
            {
                uint seed = Sampling.PixelSeed(x, y, pass.Seed);
                Vector3 color = default, heldColor = default;
                int before = 0, after = 0, receivers = 0;
                bool between = false;
                int setClosed = 0, elementSamples = 0;
                float elementOpen = 0;
                closed.Clear();
                for (int i = 0; i < samples; i++)
                {
                    int at = x * samples + i;
                    ref readonly SetSample s = ref row[at];
                    if (s.Direction == default) { continue; }
                    if (s.Receives) { receivers++; }
                    if (elements.Count == 0) { continue; }
                    if (elementScene.MayMeet(pass.Camera.Origin, s.Direction))
                    {
                        var ray = new Ray(pass.Camera.Origin, s.Direction);
                        cast++;
                        Hit hit = elementScene.Intersect(ray, RayKinds.Element);
                        if (hit.IsHit)
                        {
                            before++;
                            Vector3 c = shader.Shade(hit, ray, (uint)i, seed);
                            if (touching is not null)
                            {
                                float open = shader.Open(hit, ray, reach, (uint)i, seed);
                                (elementOpen, elementSamples) = (elementOpen + open, elementSamples + 1);
                                c *= 1 - look * (1 - open);
                                cast += ContactRays;
                            }
                            color += c;
                            if (hit.T < s.HideDistance)
                            {
                                after++;
                                heldColor += c;
                            }
                        }
                    }
                    if (!s.Receives) { continue; }
                    if (touching is not null && elementScene.MayReach(s.Point, reach))
                    {
                        for (uint k = 0; k < ContactRays; k++)
                        {
                            if (elementScene.Occluded(new Ray(s.Point, Sampling.CosineHemisphere(s.Normal, Sampling.Point((uint)i * ContactRays + k, seed, 60)), 0, reach), RayKinds.Element)) { setClosed++; }
                        }
                        cast += ContactRays;
                    }
                    for (int k = 0; k < perSample; k++)
                    {
                        LightSample light = lightRow[at * perSample + k];
                        if (light.Factor == 0 || !elementScene.MayMeet(s.Point, light.Direction)) { continue; }
                        cast++;
                        between |= closed[i * perSample + k] = elementScene.Occluded(new Ray(s.Point, light.Direction, 0, light.Distance), RayKinds.Element);
                    }
                }
                Vector3 sum0 = default, sum1 = default, sumNew = default;
                int sunOpen = 0, sunRays = 0, skyRays = 0;
                float skyOpen = 0;
                if (receivers > 0 && (between || everywhere || IsProbe(x, y)))
                {
                    for (int i = 0; i < samples; i++)
                    {
                        int at = x * samples + i;
                        ref readonly SetSample s = ref row[at];
                        if (!s.Receives) { continue; }
                        Vector3 without = rig.FillPlate, with = rig.FillPlate, lamps = rig.FillNew;
                        for (int k = 0; k < perSample; k++)
                        {
                            LightSample light = lightRow[at * perSample + k];
                            if (isSun[k]) { sunRays++; } else if (isAround[k]) { skyRays++; }
                            if (!pass.IsKept && light.Factor != 0) { cast++; }
                            if (!pass.IsOpen(s, light)) { continue; }
                            Vector3 e = light.Irradiance;
                            bool open = !closed[i * perSample + k];
                            if (open && isSun[k]) { sunOpen++; }
                            else if (open && isAround[k]) { skyOpen += light.Factor; }
                            if (isNew[k])
                            {
                                if (open) { lamps += e; }
                                continue;
                            }
                            without += e;
                            if (open) { with += e; }
                        }
                        sum0 += without;
                        sum1 += with;
                        sumNew += lamps;
                    }
                }
                float inverse = 1f / samples;
                float setOpen = receivers > 0 ? 1 - (float)setClosed / (ContactRays * receivers) : 1;
                if (touching is not null)
                {
                    // What the comp shows there: the element's own where it stands, else the set's.
                    float covered = before * inverse;
                    touching[x, y, 0] = covered * (elementSamples > 0 ? elementOpen / elementSamples : 1) + (1 - covered) * setOpen;
                    setContact![y * width + x] = 1 - look * (1 - setOpen) * receivers * inverse;
                }
                Store(element, x, y, color * inverse, before * inverse);
                Store(held, x, y, heldColor * inverse, after * inverse);
                holdout[x, y, 0] = (before - after) * inverse;
                share[y * width + x] = receivers * inverse;
                visibility[x, y, 0] = sunRays > 0 ? (float)sunOpen / sunRays : 1;
                ao[x, y, 0] = skyRays > 0 ? skyOpen / skyRays : 1;
                for (int c = 0; c < 3; c++)
                {
                    // Equal sums mean that nothing came between: the ratio is then exactly 1.
                    shadow[x, y, c] = sum1[c] == sum0[c] || sum0[c] <= 0 ? 1 : sum1[c] / sum0[c];
                    e0[x, y, c] = receivers > 0 ? sum0[c] / receivers : 0;
                    en[x, y, c] = receivers > 0 ? sumNew[c] / receivers : 0;
                }
                if (dataPasses) { Data(x, y, pass, elementScene, depth, position, normal); }
            }
            Interlocked.Add(ref rays, cast);
            onRow?.Invoke(Interlocked.Increment(ref done));
            return buffers;
        }, _ => { });

        float[] floor = WeakLight(e0, share);
        var comp = Layer(3);
        var touched = new bool[width * height];
        Parallel.For(0, height, y =>
        {
            for (int x = 0; x < width; x++)
            {
                float c = share[y * width + x], alpha = held[x, y, 3];
                bool touch = alpha > 0;
                float near = setContact?[y * width + x] ?? 1;
                touch |= near != 1;
                for (int k = 0; k < 3; k++)
                {
                    float p = plate[x, y, k];
                    float ratio = shadow[x, y, k];
                    bool weak = e0[x, y, k] < floor[k] && (ratio != 1 || en[x, y, k] > 0);
                    if (weak) { ratio = 1; }
                    ratio = ratio == 1 ? 1 : c * ratio + (1 - c);
                    shadow[x, y, k] = ratio;
                    if (en[x, y, k] > 0)
                    {
                        added[x, y, k] = c * en[x, y, k] * (weak ? AssumedAlbedo / MathF.PI : p / e0[x, y, k]);
                    }
                    touch |= ratio != 1 || added[x, y, k] != 0;
                    comp[x, y, k] = held[x, y, k] + (p * ratio * near + added[x, y, k]) * (1 - alpha);
                }
                touched[y * width + x] = touch;
                if (!touch)
                {
                    plate.Pixel(x, y).CopyTo(comp.Pixel(x, y));
                }
            }
        });
        return new(comp, element, holdout, shadow, added, visibility, ao, depth, position, normal)
        {
            Touched = touched,
            Contact = touching,
            Counts = new(rays, watch.Elapsed.TotalSeconds),
        };
    }

    private static void Store(FloatImage image, int x, int y, Vector3 rgb, float alpha)
    {
        Span<float> p = image.Pixel(x, y);
        (p[0], p[1], p[2], p[3]) = (rgb.X, rgb.Y, rgb.Z, alpha);
    }

    /// <summary>Every eighth pixel each way answers for the frame's light whatever is near it.</summary>
    private static bool IsProbe(int x, int y) => (x & 7) == 4 && (y & 7) == 4;

    /// <summary>1 % of the median E0 of the receiving probe pixels, per channel: below it S is noise and counts as 1.</summary>
    private static float[] WeakLight(FloatImage e0, float[] share)
    {
        var result = new float[3];
        var values = new List<float>(share.Length / 64 + 1);
        for (int c = 0; c < 3; c++)
        {
            values.Clear();
            for (int i = 0; i < share.Length; i++)
            {
                if (share[i] > 0 && IsProbe(i % e0.Width, i / e0.Width)) { values.Add(e0.Data[3 * i + c]); }
            }
            values.Sort();
            result[c] = values.Count > 0 ? 0.01f * values[values.Count / 2] : 0;
        }
        return result;
    }

    /// <summary>Depth, position and normal at the pixel's centre: the nearest of set and element.</summary>
    private static void Data(int x, int y, SetPass pass, TraceScene elementScene, FloatImage depth, FloatImage position, FloatImage normal)
    {
        depth[x, y, 0] = float.PositiveInfinity;
        if (!pass.Camera.TryExactDirection(x + 0.5, y + 0.5, out Vector3 d)) { return; }
        var ray = new Ray(pass.Camera.Origin, d);
        Hit hit = pass.Set.Scene.Intersect(ray, RayKinds.CameraSet);
        TraceInstance? instance = hit.IsHit ? pass.Set.Instances[hit.Instance] : null;
        // A piece that does not hide leaves the element seen through it; one that is held out smaller or larger hides it there.
        Hit own = elementScene.Intersect(ray with { TMax = pass.Set.HideDistance(ray, hit) }, RayKinds.Element);
        if (own.IsHit) { (hit, instance) = (own, elementScene.Instances[own.Instance]); }
        if (instance is null) { return; }
        Vector3 p = ray.At(hit.T), n = instance.Normal(hit);
        if (Vector3.Dot(n, d) > 0) { n = -n; }
        depth[x, y, 0] = pass.Camera.DepthOf(p);
        for (int c = 0; c < 3; c++)
        {
            position[x, y, c] = p[c];
            normal[x, y, c] = n[c];
        }
    }
}
