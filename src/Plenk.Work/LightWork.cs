using System.Globalization;
using System.Numerics;
using Plenk.Core;
using Plenk.Core.Cameras;
using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Readings;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Work;

/// <summary>Lights found and set from the picture.</summary>
public static class LightWork
{
    private const int FitWidth = 480;

    public static SunFit Fit(ShotEngine engine, ShotDocument shot, int frame)
    {
        SetScene set = engine.Place.Set(Hanging.At(Reduced.Filmed(shot), frame));
        if (set.Pieces.Count == 0)
        {
            throw new ShotFault("Nothing is built yet: light and shadow are told by the set. Build it at step 3.");
        }
        FloatImage plate = engine.Plates.QuietPlate(shot, frame, Math.Min(FitWidth, shot.Plate?.Width ?? FitWidth));
        var (pose, pinhole) = engine.Camera(shot, frame);
        return new(set, new RayGrid(pinhole.Resized(plate.Width, plate.Height), pose), plate);
    }

    public static FoundSun FindByFit(ShotEngine engine, ShotDocument shot, int frame, CancellationToken stop = default)
    {
        SunFit fit = Fit(engine, shot, frame);
        return fit.Find(stop)
            ?? throw new ShotFault(
                fit.Probes < 100
                    ? $"Hardly any receiving piece is seen at {frame}. Go to a frame that sees more of the set."
                    : $"No direction of a sun explains the light at {frame}: there may be none, or what casts its shadows is not built."
            );
    }

    /// <summary>From a shadow: the foot of what casts it, its top seen above that, and the shadow's tip.</summary>
    public static Vec3 FromShadow(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        (double X, double Y) foot,
        (double X, double Y) top,
        (double X, double Y) tip
    )
    {
        Vec3 standing = OnSet(engine, shot, frame, foot, "foot"),
            end = OnSet(engine, shot, frame, tip, "shadow's tip");
        double height = SetWork.Above(engine, shot, frame, standing, null, top.X, top.Y).Height;
        Vec3 towards = standing + height * Vec3.UnitY - end;
        if (!(towards.Y > 0.01 * towards.Length))
        {
            throw new ShotFault(
                "The top lies no higher than the shadow's tip: a sun above the horizon casts no such shadow. Click foot, top and tip in that order."
            );
        }
        return towards.Normalized();
    }

    public static (Vec3 Direction, SunAngles Angles) FromDate(SunFinds asked)
    {
        if (!DateTimeOffset.TryParse(asked.Moment, CultureInfo.InvariantCulture, DateTimeStyles.AssumeUniversal, out DateTimeOffset moment))
        {
            throw new ShotFault($"“{asked.Moment}” is not a date and time with its offset, like 2003-10-17T12:30:30-07:00.");
        }
        if (
            !(
                asked.LatitudeDegrees is >= -90 and <= 90
                && asked.LongitudeDegrees is >= -180 and <= 180
                && double.IsFinite(asked.NorthDegrees)
            )
        )
        {
            throw new ShotFault("Latitude lies between −90° and 90°, longitude between −180° and 180°, east positive.");
        }
        SunAngles sun = SolarPosition.At(moment, asked.LatitudeDegrees, asked.LongitudeDegrees);
        if (sun.ElevationDegrees <= 0)
        {
            throw new ShotFault(
                $"At that moment the sun is {-sun.ElevationDegrees:0.0}° below the horizon there. Check the offset from universal time "
                    + "and the signs of the place."
            );
        }
        return (sun.Direction(asked.NorthDegrees), sun);
    }

    /// <summary>10–90 % of an edge that a disk blurs, as a share of the disk's diameter: where (asin u + u √(1 − u²)) ÷ π = 0.4.</summary>
    private const double EdgeOfDisk = 0.6870;

    /// <summary>
    /// A real shadow's edge read along a line across it, from the lit to the shadowed side: how wide it is on the surface (10–90 %,
    /// perpendicular to the sun), how far what casts it is, and the angular size of a light that makes it so (SHD-01: width = d · tan of
    /// it).
    /// </summary>
    public static (double AngularDegrees, double WidthMetres, double DistanceMetres) ShadowEdge(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        (double X, double Y) from,
        (double X, double Y) to
    )
    {
        Light sun = ShotCurves.At(shot, frame).Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false })
            ?? throw new ShotFault("No sun is set: the edge's width is read against its direction. Find the sun first.");
        FloatImage plate = engine.Plates.QuietPlate(
            shot,
            frame,
            shot.Plate?.Width ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.")
        );
        double length = Math.Sqrt(Math.Pow(to.X - from.X, 2) + Math.Pow(to.Y - from.Y, 2));
        if (length < 6)
        {
            throw new ShotFault("The line is too short to hold an edge: draw it from well in the light to well in the shadow.");
        }
        int n = (int)Math.Ceiling(2 * length);
        double ux = (to.X - from.X) / length,
            uy = (to.Y - from.Y) / length;
        // A few pixels beside the line are averaged: texture goes, the edge stays.
        double[] level =
        [
            .. Enumerable
                .Range(0, n + 1)
                .Select(i =>
                    Enumerable
                        .Range(-3, 7)
                        .Average(k =>
                        {
                            Span<float> rgb = stackalloc float[3];
                            plate.SampleBilinear(
                                Math.Clamp(from.X + ux * length * i / n - uy * k, 0.5, plate.Width - 0.5),
                                Math.Clamp(from.Y + uy * length * i / n + ux * k, 0.5, plate.Height - 0.5),
                                rgb
                            );
                            return (double)Luminance.Of(rgb);
                        })
                ),
        ];
        int rest = Math.Max(2, n / 6);
        double lit = level.Take(rest).Order().ElementAt(rest / 2),
            dark = level.TakeLast(rest).Order().ElementAt(rest / 2);
        if (!(lit > 1.15 * dark))
        {
            throw new ShotFault(
                "The line does not go from light into shadow: its end is hardly darker than its beginning. Draw it the other way "
                    + "round, across an edge on one surface."
            );
        }
        double Crossing(double share)
        {
            double at = dark + share * (lit - dark);
            for (int i = 1; i <= n; i++)
            {
                if (level[i - 1] > at && level[i] <= at)
                {
                    return i - 1 + (level[i - 1] - at) / Math.Max(1e-12, level[i - 1] - level[i]);
                }
            }
            return double.NaN;
        }
        double first = Crossing(0.9),
            last = Crossing(0.1);
        if (!(last > first))
        {
            throw new ShotFault("No clean edge lies on the line. Draw it across a shadow's edge on a plain surface.");
        }
        Vec3 Place(double i) => OnSet(engine, shot, frame, (from.X + ux * length * i / n, from.Y + uy * length * i / n), "edge");
        Vec3 d = sun.Direction.Normalized(),
            across = Place(last) - Place(first);
        double width = (across - Vec3.Dot(across, d) * d).Length;
        // Just inside the shadow the way to the sun meets what casts it.
        Vec3 inside = OnSet(
            engine,
            shot,
            frame,
            (from.X + ux * length * Math.Min(n, last + 0.15 * n) / n, from.Y + uy * length * Math.Min(n, last + 0.15 * n) / n),
            "shadow"
        );
        ShotDocument still = Hanging.At(shot, frame);
        Hit caster = engine.Place.Set(still).Scene.Intersect(new Ray((inside + 0.01 * d).ToSingle(), d.ToSingle()), RayKinds.LightSet);
        if (!caster.IsHit)
        {
            throw new ShotFault("Nothing of the set casts that shadow as the sun stands: build what casts it, or find the sun first.");
        }
        return (Rotations.Degrees(2 * Math.Atan(width / EdgeOfDisk / caster.T / 2)), width, caster.T);
    }

    /// <summary>
    /// The set as these lights light it, each piece in the middle of its own colour; and how many stops the plate is brighter, NaN where
    /// that cannot be told. What is left over is texture where the lights are right, and shapes of light where they are not.
    /// </summary>
    public static (FloatImage Lit, float[] Stops) SetLit(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        int width,
        CancellationToken stop = default
    )
    {
        SetLight light = engine.Renderer.LightOn(shot, frame, width, stop);
        FloatImage plate = engine.Plates.QuietPlate(shot, frame, width);
        var (albedo, doubt) = OwnColour.Of(plate, light);
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        RayGrid grid = engine.Grid(shot, frame, plate.Width, plate.Height);
        var piece = new int[plate.Width * plate.Height];
        Parallel.For(0, plate.Height, Cores.All, y =>
        {
            for (int x = 0; x < plate.Width; x++)
            {
                Hit hit = grid.TryDirection(x, y, new(0.5f, 0.5f), out Vector3 d)
                    ? set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet)
                    : Hit.None;
                piece[y * plate.Width + x] = set.PieceOf(hit);
            }
        });
        var middle = new Vector3[set.Pieces.Count];
        for (int p = 0; p < middle.Length; p++)
        {
            int[] own = [.. Enumerable.Range(0, piece.Length).Where(i => piece[i] == p && doubt[i] == ColourDoubt.None)];
            for (int c = 0; c < 3 && own.Length > 0; c++)
            {
                float[] v = [.. own.Select(i => albedo.Data[3 * i + c]).Order()];
                middle[p][c] = v[v.Length / 2];
            }
        }
        var lit = new FloatImage(plate.Width, plate.Height, 3);
        var stops = new float[piece.Length];
        Array.Fill(stops, float.NaN);
        for (int i = 0; i < piece.Length; i++)
        {
            if (piece[i] < 0 || light.Sun[i] < 0)
            {
                continue;
            }
            Vector3 shown =
                middle[piece[i]]
                / MathF.PI
                * new Vector3(light.Irradiance.Data[3 * i], light.Irradiance.Data[3 * i + 1], light.Irradiance.Data[3 * i + 2]);
            (lit.Data[3 * i], lit.Data[3 * i + 1], lit.Data[3 * i + 2]) = (shown.X, shown.Y, shown.Z);
            float ours = Luminance.Of(shown),
                real = Luminance.Of(plate.Data.AsSpan(3 * i, 3));
            if (ours > 1e-5f && real > 1e-5f)
            {
                stops[i] = MathF.Log2(real / ours);
            }
        }
        return (lit, stops);
    }

    /// <summary>The sun turned so that the shadow which falls on one spot falls on another.</summary>
    public static Vec3 PullShadow(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        Vec3 sun,
        (double X, double Y) from,
        (double X, double Y) to
    )
    {
        Vec3 a = OnSet(engine, shot, frame, from, "shadow"),
            b = OnSet(engine, shot, frame, to, "place it should fall on");
        ShotDocument at = Hanging.At(shot, frame);
        SetScene set = engine.Place.Set(at);
        Vector3 d = sun.Normalized().ToSingle();
        var start = new Ray(a.ToSingle() + d * 0.01f, d);
        var elements = new Core.Contact.ElementScene(engine.Elements(at, frame));
        Hit own = elements.Intersect(start),
            other = set.Scene.Intersect(start, RayKinds.LightSet);
        float t = Math.Min(own.IsHit ? own.T : float.PositiveInfinity, other.IsHit ? other.T : float.PositiveInfinity);
        if (!float.IsFinite(t))
        {
            throw new ShotFault("Nothing casts a shadow there as the sun stands now. Press on a cast shadow, near its tip.");
        }
        Vec3 towards = Vec3.From(start.At(t)) - b;
        if (!(towards.Y > 0.01 * towards.Length))
        {
            throw new ShotFault("From there the sun would stand below the horizon.");
        }
        return towards.Normalized();
    }

    /// <summary>How much brighter a panorama must be so that a surface of that albedo shows what the plate shows at a spot.</summary>
    public static double ScaleFor(ShotEngine engine, ShotDocument shot, int frame, Light panorama, double x, double y, double albedo)
    {
        if (!(albedo is > 0.01 and <= 1))
        {
            throw new ShotFault("An albedo lies between 0.01 and 1; a grey card has 0.18.");
        }
        PickResult hit = engine.Pick(shot, frame, x, y);
        if (hit.OnSet is not { } p || hit.OnSetNormal is not { } n || hit.Linear is not { } plate)
        {
            throw new ShotFault("Nothing of the set is there. Click on a piece.");
        }
        SetScene set = engine.Place.Set(Hanging.At(shot, frame));
        double wanted = Luminance.Of(new Vector3((float)plate[0], (float)plate[1], (float)plate[2]));
        var normal = new Vector3((float)n[0], (float)n[1], (float)n[2]);
        Vector3 point = new Vector3((float)p[0], (float)p[1], (float)p[2]) + normal * 1e-3f;
        if (panorama.ShowsPlace)
        {
            return
                new PlacePicture(panorama, engine.Place.Around(panorama.Media!)).TryAt(point, normal, set.Scene, out Vector3 shown)
                && Luminance.Of(shown) > 0
                ? wanted / Luminance.Of(shown)
                : throw new ShotFault(
                    "That spot was not seen from where the panorama was shot. Click one that it shows, or type its place."
                );
        }
        SampledLight light = LightRig.Of([panorama with { Off = false, Alone = false }], l => engine.Place.Around(l.Media!)).Sampled[0];
        double e = 0;
        const int samples = 8192;
        for (uint i = 0; i < samples; i++)
        {
            LightSample s = light.Sample(point, normal, Sampling.Point(i, 3, 1), null);
            if (s.Factor > 0 && !set.Scene.Occluded(new Ray(point, s.Direction), RayKinds.LightSet))
            {
                e += Luminance.Of(s.Irradiance);
            }
        }
        e /= samples;
        return e > 1e-9
            ? Math.PI * wanted / albedo / e
            : throw new ShotFault("The panorama does not reach that surface: the set closes it off, or it is turned away.");
    }

    /// <summary>The ratio shadowed ÷ lit of the named real shadow: the plate's, and what our lights give with the sun taken away.</summary>
    public static (Vector3 Real, Vector3 Ours, Vector3 Sun, Vector3 Around) Level(ShotEngine engine, ShotDocument shot)
    {
        shot = Reduced.Filmed(shot);
        ShadowPair pair = shot.RealShadow ?? throw new ShotFault("Name a lit and a shadowed spot of one surface first.");
        FloatImage plate = engine.Plates.QuietPlate(shot, pair.Frame, shot.Plate?.Width ?? 0);
        Vector3 Level(double x, double y)
        {
            if (!(x >= 0 && y >= 0 && x < plate.Width && y < plate.Height))
            {
                throw new ShotFault("A spot of the real shadow lies outside the picture. Name it anew.");
            }
            Vector3 sum = default;
            int n = 0;
            for (int v = Math.Max(0, (int)y - 3); v <= Math.Min(plate.Height - 1, (int)y + 3); v++)
            {
                for (int u = Math.Max(0, (int)x - 3); u <= Math.Min(plate.Width - 1, (int)x + 3); u++)
                {
                    Span<float> p = plate.Pixel(u, v);
                    sum += new Vector3(p[0], p[1], p[2]);
                    n++;
                }
            }
            return Vector3.Max(sum / n, new(1e-5f));
        }
        Vector3 real = Level(pair.DarkX, pair.DarkY) / Level(pair.LitX, pair.LitY);
        if (real.X >= 1 || real.Y >= 1 || real.Z >= 1)
        {
            throw new ShotFault("The shadowed spot is no darker than the lit one. Name them the other way round, on one surface.");
        }
        var (lit, _) = Irradiance(engine, shot, pair.Frame, (pair.LitX, pair.LitY), "lit spot");
        var (_, around) = Irradiance(engine, shot, pair.Frame, (pair.DarkX, pair.DarkY), "shadowed spot");
        if (lit == default)
        {
            throw new ShotFault(
                "Our sun does not reach the lit spot: the set closes it off, or no sun is set. Find the sun at step 5 first."
            );
        }
        return (real, around / Vector3.Max(new(1e-9f), around + lit), lit, around);
    }

    /// <summary>
    /// Widths of the named real shadow's edge along the line between its two spots, pixels of the plate: the plate's, that of our sun's
    /// visibility on the set, and that of the plate's sharpest edges.
    /// </summary>
    /// <exception cref="ShotFault">One of them cannot be told; says which and why.</exception>
    public static (double Real, double Ours, double? Lens) Softness(ShotEngine engine, ShotDocument shot)
    {
        double ours = SunEdge(engine, shot);
        shot = Reduced.Filmed(shot);
        ShadowPair pair = shot.RealShadow!;
        FloatImage plate = engine.Plates.QuietPlate(shot, pair.Frame, shot.Plate?.Width ?? 0);
        const int half = 8;
        double Level(Vector2 at)
        {
            if (!(at.X >= 0.5 && at.Y >= 0.5 && at.X < plate.Width - 0.5 && at.Y < plate.Height - 0.5))
            {
                throw new ShotFault("The line between the two spots of the real shadow leaves the picture. Name them anew.");
            }
            Span<float> p = stackalloc float[3];
            plate.SampleBilinear(at.X, at.Y, p);
            return Luminance.Of(new Vector3(p[0], p[1], p[2]));
        }
        Vector2[] line = Line(pair);
        Vector2 along = Vector2.Normalize(line[^1] - line[0]),
            aside = new(-along.Y, along.X);
        double[] real = [.. line.Select(at => Enumerable.Range(-half, 2 * half + 1).Average(k => Level(at + k * aside)))];
        return (
            SoftnessReadings.Width(real)
                ?? throw new ShotFault(
                    "The plate shows no single edge between the two spots: name them on one even surface, well on either side of it."
                ),
            ours,
            PlateMeasure.Of(plate, null, null).EdgePx
        );
    }

    /// <summary>Pixels apart from the lit to the shadowed spot.</summary>
    private static Vector2[] Line(ShadowPair pair)
    {
        Vector2 from = new((float)pair.LitX, (float)pair.LitY),
            way = new Vector2((float)pair.DarkX, (float)pair.DarkY) - from;
        float length = way.Length();
        return length < 12
            ? throw new ShotFault("The two spots of the real shadow are less than 12 px apart: name them further from its edge.")
            : [.. Enumerable.Range(0, (int)length + 1).Select(i => from + i / length * way)];
    }

    /// <summary>The width of our sun's edge on the set between the two spots of the real shadow, 10 to 90 %, pixels of the plate.</summary>
    /// <exception cref="ShotFault">There is none; says why.</exception>
    public static double SunEdge(ShotEngine engine, ShotDocument shot)
    {
        shot = Reduced.Filmed(shot);
        ShadowPair pair = shot.RealShadow ?? throw new ShotFault("Name a lit and a shadowed spot of one surface first.");
        ShotDocument at = Hanging.At(shot, pair.Frame);
        Light sun = at.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false, InPlate: true })
            ?? throw new ShotFault("No sun is set that lit the plate: find it at step 5.");
        SampledLight sampled = LightRig.Of([sun with { Alone = false }]).Sampled[0];
        SetScene set = engine.Place.Set(at);
        var (pose, pinhole) = engine.Camera(shot, pair.Frame);
        const uint rays = 256;
        double Open(Vector2 spot)
        {
            if (!pinhole.TryDirection(spot.X, spot.Y, out Vec3 d))
            {
                throw new ShotFault("The line between the two spots of the real shadow leaves the picture. Name them anew.");
            }
            var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * d).Normalized().ToSingle());
            Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
            if (!hit.IsHit)
            {
                throw new ShotFault("Part of the line between the two spots of the real shadow lies on nothing that is built.");
            }
            Vector3 n = set.Instances[hit.Instance].FaceNormal(hit);
            n = Vector3.Dot(n, ray.Direction) > 0 ? -n : n;
            Vector3 p = ray.At(hit.T) + 1e-3f * n;
            int open = 0;
            for (uint k = 0; k < rays; k++)
            {
                LightSample s = sampled.Sample(p, n, Sampling.Point(k, shot.Seed + 17, 0), null);
                open += s.Factor > 0 && !set.Scene.Occluded(new Ray(p, s.Direction), RayKinds.LightSet) ? 1 : 0;
            }
            return (double)open / rays;
        }
        return SoftnessReadings.Width([.. Line(pair).Select(Open)])
            ?? throw new ShotFault(
                "Our sun casts no single edge between the two spots: build what throws that shadow, or name them further from the edge."
            );
    }

    /// <summary>Direct light (suns and lamps of the plate) and what comes from all around, on the set at a spot of the picture.</summary>
    private static (Vector3 Direct, Vector3 Around) Irradiance(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        (double X, double Y) spot,
        string what
    )
    {
        ShotDocument at = Hanging.At(shot, frame);
        PickResult hit = engine.Pick(shot, frame, spot.X, spot.Y);
        if (hit.OnSet is not { } p || hit.OnSetNormal is not { } n)
        {
            throw new ShotFault($"Nothing of the set is where the {what} is. Build the surface there first.");
        }
        SetScene set = engine.Place.Set(at);
        LightRig rig = LightRig.Of(at.Lights.Where(l => l.InPlate), l => engine.Place.Around(l.Media!));
        var normal = new Vector3((float)n[0], (float)n[1], (float)n[2]);
        Vector3 point = new Vector3((float)p[0], (float)p[1], (float)p[2]) + normal * 1e-3f,
            direct = default,
            around = rig.FillPlate;
        const int rays = 2048;
        SkyOpenings? openings = engine.Place.OpeningsOf(at);
        for (int k = 0; k < rig.Sampled.Count; k++)
        {
            Vector3 sum = default;
            for (uint i = 0; i < rays; i++)
            {
                LightSample s = rig.Sampled[k].Sample(point, normal, Sampling.Point(i, shot.Seed + 11, (uint)k), openings);
                if (s.Factor > 0 && !set.Scene.Occluded(new Ray(point, s.Direction, 0, s.Distance), RayKinds.LightSet))
                {
                    sum += s.Irradiance;
                }
            }
            if (rig.Sampled[k].IsAround)
            {
                around += sum / rays;
            }
            else
            {
                direct += sum / rays;
            }
        }
        return (direct, around);
    }

    /// <summary>
    /// The shot with skies, panoramas and fills so scaled, a channel at a time, that our shadow has the real one's level.
    /// </summary>
    public static ShotDocument ToRealShadow(ShotEngine engine, ShotDocument shot)
    {
        var (real, _, sun, around) = Level(engine, shot);
        int frame = shot.RealShadow!.Frame;
        // around' ÷ (around' + sun) = real.
        Vector3 by = sun * real / (Vector3.One - real) / Vector3.Max(around, new(1e-9f));
        if (
            !shot.Lights.Any(l =>
                l is { Off: false, InPlate: true, ShowsPlace: false, Kind: LightKind.Sky or LightKind.Fill or LightKind.Panorama }
            )
        )
        {
            throw new ShotFault("There is no sky or fill that could lighten the shadow. Add one at step 5 first.");
        }
        return ShotCurves
            .At(shot, frame)
            .Lights.Where(l =>
                l is { Off: false, InPlate: true, ShowsPlace: false, Kind: LightKind.Sky or LightKind.Fill or LightKind.Panorama }
            )
            .Aggregate(shot, (to, l) => Shining(to, l, frame, SampledLight.ColourOf(l) * by));
    }

    /// <summary>
    /// The shot with a light that is to shine so at a frame, strength times colour: where these are keyed, by a key of the frame. A horizon
    /// keeps its ratio to the zenith.
    /// </summary>
    /// <param name="now">As it is at the frame.</param>
    private static ShotDocument Shining(ShotDocument shot, Light now, int frame, Vector3 light)
    {
        float most = Math.Max(light.X, Math.Max(light.Y, light.Z));
        Vector3 colour = most > 0 ? light / most : now.Color.ToSingle(),
            before = SampledLight.ColourOf(now with { Strength = 1 });
        Light With(Light l) =>
            l with
            {
                Strength = Math.Max(most, 0),
                Kelvin = most > 0 ? null : l.Kelvin,
                Color = Vec3.From(colour),
                HorizonColor = most > 0 ? Vec3.From(l.HorizonColor.ToSingle() * colour / Vector3.Max(before, new(1e-6f))) : l.HorizonColor,
            };
        string at = ShotCurves.PlaceOf("lights", now.Id);
        ValueCurve Key(ValueCurve curve, double? value, Vec3? triple) =>
            curve with
            {
                Keys =
                [
                    .. curve
                        .Keys.Where(k => k.Frame != frame)
                        .Append(
                            (curve.Keys.FirstOrDefault(k => k.Frame == frame) ?? new(frame, Handle: KeyHandle.Straight)) with
                            {
                                Value = value,
                                Triple = triple,
                            }
                        )
                        .OrderBy(k => k.Frame),
                ],
            };
        return shot with
        {
            Lights = [.. shot.Lights.Select(l => l.Id == now.Id ? With(l) : l)],
            Curves =
            [
                .. shot.Curves.Select(c =>
                    c.Id == $"{at}/strength" ? Key(c, Math.Max(most, 0), null)
                    : c.Id == $"{at}/color" ? Key(c, null, Vec3.From(colour))
                    : c
                ),
            ],
        };
    }

    /// <summary>The shot with strengths and colours of the chosen lights that explain the plate best; and what is left over.</summary>
    public static (ShotDocument Shot, FittedLights Fit) FitStrengths(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        IReadOnlyList<string> ids,
        IReadOnlyList<string> pieces,
        CancellationToken stop = default
    )
    {
        ShotDocument at = Hanging.At(Reduced.Filmed(shot), frame);
        Light[] chosen = [.. at.Lights.Where(l => ids.Contains(l.Id) && l is { Off: false, InPlate: true, ShowsPlace: false })];
        if (chosen.Length == 0)
        {
            throw new ShotFault("Choose the lights to be fitted: those that lit the place when the plate was shot.");
        }
        SetScene set = engine.Place.Set(at);
        if (set.Pieces.Count == 0)
        {
            throw new ShotFault("Nothing is built yet: lights are fitted on the set. Build it at step 3.");
        }
        FloatImage plate = engine.Plates.QuietPlate(shot, frame, Math.Min(FitWidth, shot.Plate?.Width ?? FitWidth));
        var (pose, pinhole) = engine.Camera(shot, frame);
        HashSet<int>? only =
            pieces.Count == 0 ? null : [.. Enumerable.Range(0, set.Pieces.Count).Where(i => pieces.Contains(set.Pieces[i].Id))];
        var fit = new LightFit(
            set,
            new RayGrid(pinhole.Resized(plate.Width, plate.Height), pose),
            plate,
            engine.Place.OpeningsOf(at),
            chosen,
            [.. at.Lights.Where(l => !l.Off && !ids.Contains(l.Id))],
            l => engine.Place.Around(l.Media!),
            only,
            stop: stop
        );
        FittedLights found = fit.Solve([.. chosen.Select(SampledLight.ColourOf)])
            ?? throw new ShotFault(
                $"The chosen lights reach too little of what is seen at {frame} ({fit.Probes} places). Choose another frame, more surfaces, or other lights."
            );
        return (chosen.Select((l, i) => (l, i)).Aggregate(shot, (to, c) => Shining(to, c.l, frame, found.Strengths[c.i])), found);
    }

    /// <summary>The piece under an element's shadow, grown as far as the shadow goes.</summary>
    public static Piece Extended(ShotEngine engine, ShotDocument shot, string elementId)
    {
        ShotDocument at = Hanging.At(shot, shot.Range.First);
        var element = engine.Elements(at).FirstOrDefault(e => e.Id == elementId)
            ?? throw new ShotFault("That element is no longer in the shot, or is off.");
        Light sun = at.Lights.FirstOrDefault(l => l is { Kind: LightKind.Sun, Off: false })
            ?? throw new ShotFault("No sun is set: there is no shadow to make room for.");
        SetScene set = engine.Place.Set(at);
        if (Core.Contact.Standing.Below(set, element.ObjectToWorld.Translation + 0.35 * Vec3.UnitY) is not { } under)
        {
            throw new ShotFault("Nothing of the set lies below the element. Move it over a piece.");
        }
        var down = new Ray((under.Point + 0.01 * under.Normal).ToSingle(), (-under.Normal).ToSingle());
        Hit hit = set.Scene.Intersect(down, RayKinds.CameraSet);
        Piece piece = hit.IsHit
            ? set.Pieces[set.PieceOf(hit)]
            : throw new ShotFault("Nothing of the set lies below the element. Move it over a piece.");
        if (piece.Kind != PieceKind.Plane)
        {
            throw new ShotFault(
                $"{piece.Name} is no plane: it cannot simply be extended. Lay a plane beside it that receives, or size it by hand."
            );
        }
        if (piece.Locked)
        {
            throw new ShotFault($"{piece.Name} is locked. Unlock it first.");
        }
        Vec3 towards = sun.Direction.Normalized();
        Similarity place = PieceMeshes.PlaceOf(piece),
            into = place.Inverse();
        Vec3 local = into.Rotation * towards;
        if (local.Y < 0.02)
        {
            throw new ShotFault("The sun grazes that plane: its shadow has no end on it.");
        }
        const double margin = 0.6;
        double left = -piece.Size.X / 2,
            right = piece.Size.X / 2,
            far = -piece.Size.Z / 2,
            near = piece.Size.Z / 2;
        foreach (Vector3 v in element.Model.Tree.Mesh.Positions)
        {
            Vec3 p = into.Apply(element.ObjectToWorld.Apply(Vec3.From(v)));
            if (p.Y <= 0)
            {
                continue;
            }
            double x = p.X - local.X / local.Y * p.Y,
                z = p.Z - local.Z / local.Y * p.Y;
            (left, right, far, near) = (
                Math.Min(left, x - margin / piece.Scale),
                Math.Max(right, x + margin / piece.Scale),
                Math.Min(far, z - margin / piece.Scale),
                Math.Max(near, z + margin / piece.Scale)
            );
        }
        if (right - left > 1000 || near - far > 1000)
        {
            throw new ShotFault($"The shadow reaches {Math.Max(right - left, near - far):0} m: the sun stands too low for that plane.");
        }
        return shot.Pieces.First(p => p.Id == piece.Id) with
        {
            Position = place.Apply(new((left + right) / 2, 0, (far + near) / 2)),
            Size = new(right - left, piece.Size.Y, near - far),
        };
    }

    private static Vec3 OnSet(ShotEngine engine, ShotDocument shot, int frame, (double X, double Y) spot, string what) =>
        engine.Pick(shot, frame, spot.X, spot.Y).OnSet is { } p
            ? new(p[0], p[1], p[2])
            : throw new ShotFault(
                $"Nothing of the set is where the {what} was clicked. It is read off the set: build the surface there first."
            );
}
