using Plenk.Core.Finishing;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Sets.Kinds;
using Plenk.Core.Shots;
using Plenk.Core.Tracking.Mattes;

namespace Plenk.Core.Checks;

/// <summary>What makes a document unfit to be kept, in the artist's terms; each message begins with where it is.</summary>
public static class ShotChecks
{
    private const double Farthest = 200_000; // metres

    public static IReadOnlyList<string> Faults(ShotDocument d) => [.. Still(d), .. CurveChecks.Faults(d, Still)];

    /// <summary>The same as it stands, whatever its values are keyed to.</summary>
    private static IReadOnlyList<string> Still(ShotDocument d)
    {
        var faults = new List<string>();
        void Need(bool good, string message)
        {
            if (!good)
            {
                faults.Add(message);
            }
        }
        Need(!string.IsNullOrWhiteSpace(d.Code), "Shot: the code is empty.");
        Need(d.Range.First <= d.Range.Last, $"Shot: the range ends ({d.Range.Last}) before it begins ({d.Range.First}).");
        Need(d.Range.Count <= 100_000, "Shot: the range is longer than 100,000 frames.");
        Need(
            d.Cut is not { } cut || (cut.First <= cut.Last && d.Range.Contains(cut.First) && d.Range.Contains(cut.Last)),
            $"Shot: the cut ({d.Cut?.First}–{d.Cut?.Last}) must lie within the plate's frames ({d.Range.First}–{d.Range.Last})."
        );
        Need(d.Rate.Num > 0 && d.Rate.Den > 0, "Shot: the frame rate must be a ratio of two positive whole numbers, like 24000/1001.");
        if (d.Plate is { } plate)
        {
            Need(
                plate.SensorWidthMm is > 0.1 and < 1000 && plate.SensorHeightMm is > 0.1 and < 1000,
                "Plate: the sensor's size must be positive, in millimetres."
            );
            Need(
                plate.Primaries is null || Images.Primaries.Named(plate.Primaries) is not null,
                $"Plate: {Images.Primaries.Unknown(plate.Primaries!)}"
            );
            Need(plate.FullWidth is null == plate.FullHeight is null, "Plate: a proxy's full size needs width and height.");
            if (plate is { FullWidth: { } fw, FullHeight: { } fh, Width: > 0, Height: > 0 })
            {
                Need(
                    fw >= plate.Width && fh >= plate.Height,
                    $"Plate: {fw} × {fh} is smaller than the proxy itself, {plate.Width} × {plate.Height}."
                );
                Need(
                    Math.Abs((double)fw / fh / ((double)plate.Width / plate.Height) - 1) < 0.01,
                    $"Plate: {fw} × {fh} has another shape than the proxy, {plate.Width} × {plate.Height}. Was it cropped?"
                );
            }
            Need(plate.FocalMm is null or (> 0.1 and < 100_000), "Plate: the focal length must be positive, in millimetres.");
            Need(plate.Rate.Num > 0 && plate.Rate.Den > 0, "Plate: the frame rate must be a ratio of two positive whole numbers.");
        }
        Need(
            d.Look.Curve is not { } curve || (curve.White > curve.Black && curve.Gamma is >= 0.1 and <= 10),
            "Contrast curve: its white must lie above its black, its gamma between 0.1 and 10."
        );
        if (d.Camera?.Hand is { } hand)
        {
            if (HandPath.Fault(hand) is { } unfit)
            {
                faults.Add(unfit);
            }
            Need(
                d.Orientation is { Floor.Count: 0, Origin: null, Axis: null, Scale: null, Level.Count: 0 },
                "Camera: it is set by hand, in metres of the world itself. Move it, instead of naming floor, origin, axis or scale."
            );
        }
        foreach (CameraSample s in d.Camera?.Samples ?? [])
        {
            if (Pose.FromRowMajor16(s.CameraToWorld, out string? why) is null)
            {
                faults.Add($"Camera, frame {s.Frame:0.##}: {why}.");
                break;
            }
            if (!(s.FocalPx > 0) || !double.IsFinite(s.FocalPx))
            {
                faults.Add($"Camera, frame {s.Frame:0.##}: the focal length is {s.FocalPx}; it must be positive.");
                break;
            }
        }
        Doubles(d.Mattes.Select(m => m.Id), "Mattes");
        foreach (Matte m in d.Mattes)
        {
            OfMatte(m, d.Mattes);
            Doubles((m.Footage?.Mattes ?? []).Select(q => q.Id), $"Matte {m.Name}");
            foreach (Matte own in m.Footage?.Mattes ?? [])
            {
                OfMatte(own, m.Footage!.Mattes);
            }
        }
        void OfMatte(Matte m, IReadOnlyList<Matte> among)
        {
            Need(
                m.Keys.All(k => k.Corners.Length >= (m.Open ? 4 : 6) && k.Corners.Length % 2 == 0 && k.Corners.All(double.IsFinite)),
                $"Matte {m.Name}: a shape needs three corners or more, all of them numbers."
            );
            Need(
                m.Keys.Select(k => k.Corners.Length).Distinct().Count() < 2,
                $"Matte {m.Name}: its keys have different numbers of corners."
            );
            Need(
                m.Keys.All(k =>
                    (k.Handles is not { } h || (h.Length == 2 * k.Corners.Length && h.All(double.IsFinite)))
                    && (k.Feathers is not { } f || (f.Length == k.Corners.Length && f.All(v => v is >= 0 and <= 500)))
                ),
                $"Matte {m.Name}: each of its corners has two handles, and a feather of 0 to 500 px on either side."
            );
            Need(m.WidthPixels is > 0 and <= 2000, $"Matte {m.Name}: a line is up to 2000 px wide, and more than 0.");
            Need(m.Keys.Select(k => k.Frame).Distinct().Count() == m.Keys.Count, $"Matte {m.Name}: two keys stand at one frame.");
            Need(
                m.FeatherPixels is >= 0 and <= 500 && Math.Abs(m.GrowPixels) <= 200,
                $"Matte {m.Name}: its edge is between 0 and 500 px wide, and it grows or shrinks by up to 200 px."
            );
            Need(
                m.Motion is not { } motion || motion.Steps.All(s => s.Homography.Length == 9 && s.Homography.All(double.IsFinite)),
                $"Matte {m.Name}: its motion is not a number. Track it anew."
            );
            Need(
                m.Parts.All(p => among.Any(o => o.Id == p.Matte && o.Id != m.Id)),
                $"Matte {m.Name}: a matte that it is joined to is no longer in the shot. Take it off {m.Name} first."
            );
            Need(m.HidesBeyondMetres is null or (>= 0 and < 1e6), $"Matte {m.Name}: what it hides begins at 0 m or more.");
            string? wrong = MatteForms.Of(m).Fault(d, m);
            Need(wrong is null, $"Matte {m.Name}: {wrong}");
        }
        foreach (string frames in (string[])[d.CleanPlate.Without, d.CleanPlate.Preferred])
        {
            Need(
                frames.Trim().Length == 0 || FrameList.TryParse(frames, out _),
                $"Clean plate: “{frames}” is no list of frames. Type them like 1001-1010,1020."
            );
        }
        if (d.Still is { } still)
        {
            Need(
                still.Lines.All(l => l.Axis is "x" or "y" or "z" && double.IsFinite(l.X1 + l.Y1 + l.X2 + l.Y2)),
                "Lines: every line runs along x, y or z and has two ends that are numbers."
            );
            Need(
                still.Origin is null || (still.Origin.Length == 2 && still.Origin.All(double.IsFinite)),
                "Lines: the origin is two numbers."
            );
            Need(
                still.Length is not { } length
                    || (
                        length.From.Length == 2
                        && length.To.Length == 2
                        && length.From.Concat(length.To).All(double.IsFinite)
                        && length.Metres > 0
                        && length.Along is null or "x" or "y" or "z" or "floor"
                    ),
                "Lines: the known length has two ends and more than 0 m."
            );
        }
        Need(d.Orientation.Level.All(l => double.IsFinite(l.X1 + l.Y1 + l.X2 + l.Y2)), "Level: every line has two ends that are numbers.");
        Need(d.KnownLengths.All(k => k.Metres > 0 && double.IsFinite(k.Metres)), "Known lengths: each must be more than 0 m.");
        Need(
            d.StandIns.All(s => s.Position.IsFinite && s.HeightMetres is > 0.01 and < 1000),
            "Stand-ins: each needs a place and a height between 1 cm and 1,000 m."
        );
        Doubles(d.StandIns.Select(s => s.Id), "Stand-ins");
        Need(d.Solving.RefineLens is "none" or "k1" or "k1k2", "Solve: the lens is refined by none, k1 or k1k2.");
        Doubles(d.SurveyPoints.Select(p => p.Name), "Survey points");
        Doubles(d.Pieces.Select(p => p.Id), "Set");
        Doubles(d.Elements.Select(p => p.Id), "Contact");
        Doubles(d.MovingObjects.Select(o => o.Id), "Moving things");
        foreach (MovingObject o in d.MovingObjects)
        {
            if (
                o
                    .Holds.Select(h => (h.Frame, h.ObjectToWorld))
                    .Concat(o.Frames.Select(f => (f.Frame, f.ObjectToWorld)))
                    .Select(f => (f.Frame, Why: Pose.FromRowMajor16(f.ObjectToWorld, out string? why) is null ? why : null))
                    .FirstOrDefault(f => f.Why is not null) is
                { Why: { } fault } at
            )
            {
                faults.Add($"{o.Name}, frame {at.Frame}: {fault}.");
            }
            Need(o.Holds.Select(h => h.Frame).Distinct().Count() == o.Holds.Count, $"{o.Name}: it is held twice in one frame.");
            Need(o.DistanceMetres is null or (> 0 and < 1e6), $"{o.Name}: its distance must be more than 0 m.");
        }
        faults.AddRange(HangingChecks.Faults(d));
        foreach (SurveyPoint p in d.SurveyPoints)
        {
            Need(p.Position is not { IsFinite: false }, $"Survey point {p.Name}: its position is not a number.");
        }
        foreach (Piece p in d.Pieces)
        {
            Need(p.Position.IsFinite && p.RotationYxzDegrees.IsFinite, $"Set, {p.Name}: its place is not a number.");
            Need(
                p.Hinge is not { } hinge
                    || (hinge.At.IsFinite && hinge.Axis.IsFinite && hinge.Axis.Length > 1e-9 && Math.Abs(hinge.Degrees) <= 36_000),
                $"Set, {p.Name}: its hinge is a place and a direction, and opens by a number of degrees."
            );
            Need(
                Math.Max(p.Size.X, Math.Max(p.Size.Y, p.Size.Z)) <= Farthest && p.Position.Length <= Farthest,
                $"Set, {p.Name}: nothing filmed is more than {Farthest / 1000:0} km large or away. Check the unit."
            );
            if (PieceForms.Of(p).Fault(p) is { } built)
            {
                faults.Add($"Set, {p.Name}: {built}.");
            }
            Need(p.Scale > 0 && double.IsFinite(p.Scale), $"Set, {p.Name}: its scale must be positive.");
            Need(
                Math.Abs(p.Duties.HoldoutMillimetres) <= 2000 && Math.Abs(p.Duties.HoldoutPixels) <= 50,
                $"Set, {p.Name}: a holdout grows or shrinks by up to 2,000 mm and 50 px."
            );
            Need(
                p.Duties.SeenWithin is not { } within || d.Mattes.Any(m => m.Id == within),
                $"Set, {p.Name}: the matte that it is seen within is no longer in the shot. Take the matte off it first."
            );
            Need(p.Duties.FadePixels is >= 0 and <= 500, $"Set, {p.Name}: it comes up from its edge over 0 to 500 px.");
            if (DrawnOutline.Fault(p) is { } drawn)
            {
                faults.Add($"Set, {p.Name}: {drawn}.");
            }
            Need(
                p.Pins.All(n => n.Place.IsFinite && n.Along is not { IsFinite: false } && double.IsFinite(n.X + n.Y)),
                $"Set, {p.Name}: a pin is not a number."
            );
            Need(p.Subdivisions is >= 0 and <= 6, $"Set, {p.Name}: it can be subdivided up to 6 times.");
            Need(
                p.Figure is not { } figure || (figure.ThicknessMetres is > 0.001 and <= 20 && d.Mattes.Any(m => m.Id == figure.Matte)),
                $"Set, {p.Name}: a figure needs a matte that is in the shot, and a thickness between 1 mm and 20 m."
            );
            Need(
                p.Figure is not { } keyed
                    || keyed.Keys.All(k => k.Shift is not { IsFinite: false } && k.Scale is null or (> 0.01 and < 100)),
                $"Set, {p.Name}: a correction is no number, or sizes it to nothing."
            );
            Need(
                p.Mirror is not { } mirror || (mirror.Reflectivity is >= 0 and <= 1 && mirror.Roughness is >= 0 and <= 1),
                $"Set, {p.Name}: reflectivity and roughness lie between 0 and 1."
            );
            Need(
                p.Mirror?.Matte is not { } wet || d.Mattes.Any(m => m.Id == wet),
                $"Set, {p.Name}: the matte of what mirrors is no longer in the shot."
            );
            Need(
                p.Duties.Bounces is null or { IsFinite: true, X: >= 0 and <= 1, Y: >= 0 and <= 1, Z: >= 0 and <= 1 },
                $"Set, {p.Name}: the colour that it bounces lies between 0 and 1 in each channel."
            );
        }
        foreach (ProjectionSource p in d.Projections)
        {
            Need(
                p.Primaries is null || Images.Primaries.Named(p.Primaries) is not null,
                $"Projection {p.Name}: {Images.Primaries.Unknown(p.Primaries!)}"
            );
            Need(p.Kind != SourceKind.Picture || p.Media is not null, $"Projection {p.Name}: its picture is missing.");
            Need(
                p.BeyondPixels is >= 0 and <= ProjectionSource.MostBeyond && (p.BeyondPixels == 0 || p.Kind == SourceKind.Picture),
                $"Projection {p.Name}: a picture goes on beyond its frame by 0 to {ProjectionSource.MostBeyond} pixels; what the plate shows ends with it."
            );
            Need(
                p.Camera is null || d.OtherCameras.Any(c => c.Id == p.Camera),
                $"Projection {p.Name}: its camera is no longer in the shot."
            );
            Need(
                p.Matte is null || d.Mattes.Any(m => m.Id == p.Matte),
                $"Projection {p.Name}: its matte is no longer in the shot. Take the matte off the projection first."
            );
            Need(p.MatteFeatherPixels is >= 0 and <= 500, $"Projection {p.Name}: a matte's edge is between 0 and 500 px wide.");
            Need(
                p.FadeFromMetres is null == p.FadeToMetres is null
                    && (p.FadeFromMetres is not { } near || (near >= 0 && p.FadeToMetres > near)),
                $"Projection {p.Name}: it fades between two distances, the first the nearer."
            );
            Need(
                p.FadeFromDegrees is >= 0 and <= 90 && p.FadeToDegrees >= p.FadeFromDegrees && p.FadeToDegrees <= 90,
                $"Projection {p.Name}: it must fade between two angles from 0° to 90°, the first the smaller."
            );
        }
        Doubles(d.Clouds.Select(c => c.Id), "Point clouds");
        foreach (PointCloud c in d.Clouds)
        {
            Need(c.Targets.All(t => t.Place.IsFinite), $"Point cloud {c.Name}: a target's place is not a number.");
            Need(
                c.Targets.Select(t => t.Point).Distinct().Count() == c.Targets.Count,
                $"Point cloud {c.Name}: two of its targets are one survey point."
            );
        }
        Doubles(d.Projections.Select(p => p.Id), "Projections");
        Doubles(d.OtherCameras.Select(c => c.Id), "Other cameras");
        Need(d.ShutterDegrees is >= 0 and <= 360, "Finish: a shutter is open between 0° and 360°.");
        Doubles(d.Finish.Steps.Select(s => s.Id), "Finish");
        foreach (FinishStep s in d.Finish.Steps)
        {
            if (StepKinds.Fault(d, s) is { } fault)
            {
                faults.Add($"Finish, {StepKinds.Of(s).Name}: {fault}");
            }
        }
        Need(
            d.Finish.Region is null or { X: >= 0, Y: >= 0, Width: >= 16, Height: >= 16 },
            "Finish: the region that is measured is at least 16 × 16 pixels."
        );
        Need(d.SeamBlendPixels is >= 0 and <= 500, "Projections: a seam is between 0 and 500 px wide.");
        foreach (OtherCamera c in d.OtherCameras)
        {
            Need(c.Gain.IsFinite && c.Gain is { X: > 0, Y: > 0, Z: > 0 }, $"Camera {c.Name}: its gain must be positive in each channel.");
            Need(
                c.Camera is null || c.Camera.Samples.All(s => s.FocalPx > 0 && Pose.FromRowMajor16(s.CameraToWorld, out _) is not null),
                $"Camera {c.Name}: it has a sample that is no camera."
            );
        }
        Need(
            d.Contact.Strength is >= 0 and <= 1 && d.Contact.ReachMetres is > 0.0005 and <= 20,
            "Contact: its strength lies between 0 and 1, its reach between 0.5 mm and 20 m."
        );
        Need(
            d.RealShadow is not { } pair || double.IsFinite(pair.LitX + pair.LitY + pair.DarkX + pair.DarkY),
            "Real shadow: a spot is not a number."
        );
        foreach (Light l in d.Lights)
        {
            Need(l.Direction.IsFinite && l.Direction.Length > 1e-9, $"Light, {l.Name}: its direction has no length.");
            Need(l.Strength >= 0 && double.IsFinite(l.Strength), $"Light, {l.Name}: its strength must be 0 or more.");
            Need(
                l.Color.IsFinite && l.Color is { X: >= 0, Y: >= 0, Z: >= 0 },
                $"Light, {l.Name}: its colour must be 0 or more in each channel."
            );
            Need(
                l.Kelvin is null or (>= Images.ColorTemperature.Coldest and <= Images.ColorTemperature.Hottest),
                $"Light, {l.Name}: its temperature lies between 1,667 and 25,000 K."
            );
            Need(
                l.Position.IsFinite && l.HorizonColor is { IsFinite: true, X: >= 0, Y: >= 0, Z: >= 0 } && double.IsFinite(l.HeadingDegrees),
                $"Light, {l.Name}: its place or colour is not a number."
            );
            string? wrong = LightForms.Of(l).Fault(l);
            Need(wrong is null, $"Light, {l.Name}: {wrong}");
            Need(!l.ShowsPlace || l.Kind == LightKind.Panorama, $"Light, {l.Name}: only a panorama can show the place.");
            Need(l.Turbidity is >= 1.7 and <= 10, $"Light, {l.Name}: a sky's turbidity lies between 1.7 (very clear) and 10 (thick haze).");
            Need(
                l.ShadeMatte is not { } shade || d.Mattes.Any(m => m.Id == shade),
                $"Light, {l.Name}: the matte of its shade is no longer in the shot. Take it off the light first."
            );
            Need(l.AngularDiameterDegrees is >= 0 and <= 90, $"Light, {l.Name}: its angular size must lie between 0° and 90°.");
        }
        foreach (Element e in d.Elements)
        {
            Need(
                e.Position.IsFinite && e.RotationYxzDegrees.IsFinite && e.Pivot.IsFinite,
                $"Contact, {e.Name}: its place, its turn or its pivot is no number."
            );
            Need(
                e.Scale > 0
                    && double.IsFinite(e.Scale)
                    && e.Stretch is { IsFinite: true, X: > 0 and < 1e6, Y: > 0 and < 1e6, Z: > 0 and < 1e6 },
                $"Contact, {e.Name}: its scale and its size along each axis must be positive."
            );
            Need(
                e.Pivot.Length < 1e5,
                $"Contact, {e.Name}: its pivot lies {e.Pivot.Length / 1000:0} km off; put it on the element or near it."
            );
            Need(
                e.Opacity is >= 0 and <= 1 && e.Saturation is >= 0 and <= 4 && e.Stops is >= -20 and <= 20,
                $"Contact, {e.Name}: its opacity is between 0 and 100 %, the strength of its colours between 0 and 4, its light within 20 stops."
            );
            Need(
                e.SoftMetres is >= 0 and <= 100 && e.RepeatAcross is > 0 and <= 1000 && e.RepeatUp is > 0 and <= 1000,
                $"Contact, {e.Name}: it goes soft over 0 to 100 m, and stands beside and above itself up to 1000 times."
            );
            Need(e.LightStops is >= -20 and <= 20, $"Contact, {e.Name}: the light that it gives is within 20 stops of what is seen of it.");
            Need(
                e.Scatter is not { } strewn
                    || (
                        strewn.PerSquareMetre is > 0 and <= 1e5
                        && strewn.Most is >= 1 and <= Scatter.MostEver
                        && strewn.ApartMetres is >= 0 and <= 1e4
                        && strewn is { Smallest: > 0, Largest: <= 1000 }
                        && strewn.Largest >= strewn.Smallest
                        && strewn.TurnDegrees is >= 0 and <= 180
                        && strewn.LeanDegrees is >= 0 and <= 90
                        && strewn.SteepestDegrees is >= 0 and <= 180
                        && strewn.SinkMetres is >= -1000 and <= 1000
                    ),
                $"Contact, {e.Name}: it is strewn by more than 0 and up to 100,000 copies a square metre, 1 to {Scatter.MostEver:N0} in all, "
                    + "each more than 0 and up to 1,000 times as large, turned by 0 to 180°, leaning by 0 to 90°."
            );
            Need(
                e.Scatter?.Matte is not { } where || Scatter.MayBeBy(d, where),
                $"Contact, {e.Name}: it is strewn by a matte that is drawn, keyed off a screen or brought in as pictures; "
                    + "the one that is named is none, or is no longer in the shot. Choose another, or none."
            );
            Need(
                e.Scatter is null || (e.LetGo is null && e.Broke is null && e.Kind != ElementKind.Rendered && e.Blend == ElementBlend.Over),
                $"Contact, {e.Name}: what is strewn as copies neither falls nor breaks, and is laid over what is behind it. Take one of the two away."
            );
            Need(
                e.LetGo is not { } go
                    || (
                        go.DensityKgM3 is > 0 and < 1e5
                        && go.Friction is >= 0 and <= 10
                        && go.Bounce is >= 0 and <= 1
                        && go
                            is {
                                Speed.IsFinite: true,
                                SpinDegrees.IsFinite: true,
                                ImpulseNs.IsFinite: true,
                                ImpulseAt: null or { IsFinite: true }
                            }
                    ),
                $"Contact, {e.Name}: it falls with a density of more than 0 kg/m³, friction of 0 to 10 and bounciness of 0 to 1; its speed, spin and push are numbers."
            );
            Need(
                e.LetGo is not { RestFrame: { } rest } put || rest > put.AtFrame,
                $"Contact, {e.Name}: it is put to rest after it is let go."
            );
            Need(e.Kind != ElementKind.Mesh || e.Media.Length > 0, $"Contact, {e.Name}: its mesh file is missing.");
            Need(
                e.Frames?.Primaries is null || Images.Primaries.Named(e.Frames.Primaries) is not null,
                $"Contact, {e.Name}: {Images.Primaries.Unknown(e.Frames?.Primaries!)}"
            );
            Need(
                e.Frames is null or { Overscan: >= 1 and <= 3 },
                $"Contact, {e.Name}: rendered frames are 1 to 3 times as wide as the plate."
            );
            Need(
                e.Kind is not (ElementKind.Card or ElementKind.Rendered) || e.Frames is { Frames.Count: > 0 },
                $"Contact, {e.Name}: its pictures are missing."
            );
            Need(e.DepthAs?.Fault is null, $"Contact, {e.Name}: {e.DepthAs?.Fault}");
            Need(e.Relit is not { } relit || IsLook(relit.Look), $"Contact, {e.Name}: {LookRange}");
            Need(
                e.Passes is not { } passes
                    || (
                        PassReader.AxesOf(passes.Positions) is not null
                        && PassReader.AxesOf(passes.Normals) is not null
                        && passes.Metres is > 0 and <= 1e6
                    ),
                $"Contact, {e.Name}: its passes are meant by axes like +X +Z −Y, and a unit of more than 0 m."
            );
            Need(e.WidthMetres is > 0 and < 10_000, $"Contact, {e.Name}: its width must be more than 0 m.");
            Need(
                e.Text is not { } text
                    || (
                        text.HeightMetres is > 0.001 and < 1000
                        && text.DepthMetres is >= 0 and < 1000
                        && text.BevelMetres >= 0
                        && text.StrokeMetres is >= 0 and <= 10
                        && text.Text.Length is > 0 and <= 200
                    ),
                $"Contact, {e.Name}: lettering has up to 200 letters, a height of 1 mm or more, no thickness below 0, and a stroke of up to 10 m."
            );
            Need(
                e.Motion is not { } m || (double.IsFinite(m.StartFrame) && m.Speed is > 0 and <= 1000),
                $"Contact, {e.Name}: its animation begins at a frame and runs up to 1000 times as fast."
            );
            Need(
                e.FromFrame is not { } from || e.ToFrame is not { } to || from <= to,
                $"Contact, {e.Name}: it is there from {e.FromFrame} to {e.ToFrame}, which is never. Give it a first frame before its last."
            );
            Need(
                e.Letters is not { } l
                    || (
                        l is { ShiftMetres: { IsFinite: true, Length: < 1e5 }, RotationYxzDegrees.IsFinite: true, Scale: > 0 and < 1e4 }
                        && l is { LaterFrames: >= 0 and <= 1000, UnevenFrames: >= 0 and <= 1000, UnevenShare: >= 0 and <= 1 }
                    ),
                $"Contact, {e.Name}: a letter goes up to 100 km off its place at a size of more than 0, starts 0 to 1000 frames after the one before it, and differs by 0 to 100 %."
            );
            Need(
                e.Materials.All(m =>
                    m.Metallic is null or (>= 0 and <= 1)
                    && m.Roughness is null or (>= 0 and <= 1)
                    && m.BaseColor is null or { IsFinite: true, X: >= 0 and <= 1, Y: >= 0 and <= 1, Z: >= 0 and <= 1 }
                    && m.Emission is null or { IsFinite: true, X: >= 0, Y: >= 0, Z: >= 0 }
                ),
                $"Contact, {e.Name}: a material's colour, metallic and roughness lie between 0 and 1, its own light is 0 or more."
            );
        }
        return faults;

        void Doubles(IEnumerable<string> names, string where)
        {
            foreach (string name in names.GroupBy(n => n).Where(g => g.Count() > 1).Select(g => g.Key))
            {
                faults.Add($"{where}: two are called {name}.");
            }
        }
    }

    private const string LookRange =
        "diffuse and highlight go from 0 to 100, the highlight's exponent from 1 to 5,000, even light up to 1,000, the albedo up to 1.";

    private static bool IsLook(RelightLook look) =>
        look
            is {
                Diffuse: >= 0 and <= 100,
                Specular: >= 0 and <= 100,
                Width: >= 1 and <= 5000,
                Ambient: >= 0 and <= 1000,
                Albedo: > 0 and <= 1
            };
}
