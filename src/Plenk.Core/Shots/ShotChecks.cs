using Plenk.Core.Geometry;
using Plenk.Core.Sets;

namespace Plenk.Core.Shots;

/// <summary>What makes a document unfit to be kept, in the artist's terms; each message begins with where it is.</summary>
public static class ShotChecks
{
    public static IReadOnlyList<string> Faults(ShotDocument d)
    {
        var faults = new List<string>();
        void Need(bool good, string message)
        {
            if (!good) { faults.Add(message); }
        }
        Need(!string.IsNullOrWhiteSpace(d.Code), "Shot: the code is empty.");
        Need(d.Range.First <= d.Range.Last, $"Shot: the range ends ({d.Range.Last}) before it begins ({d.Range.First}).");
        Need(d.Range.Count <= 100_000, "Shot: the range is longer than 100,000 frames.");
        Need(d.Cut is not { } cut || (cut.First <= cut.Last && d.Range.Contains(cut.First) && d.Range.Contains(cut.Last)), $"Shot: the cut ({d.Cut?.First}–{d.Cut?.Last}) must lie within the plate's frames ({d.Range.First}–{d.Range.Last}).");
        Need(d.Rate.Num > 0 && d.Rate.Den > 0, "Shot: the frame rate must be a ratio of two positive whole numbers, like 24000/1001.");
        if (d.Plate is { } plate)
        {
            Need(plate.SensorWidthMm is > 0.1 and < 1000 && plate.SensorHeightMm is > 0.1 and < 1000, "Plate: the sensor's size must be positive, in millimetres.");
            Need(plate.FullWidth is null == plate.FullHeight is null, "Plate: a proxy's full size needs width and height.");
            if (plate is { FullWidth: { } fw, FullHeight: { } fh, Width: > 0, Height: > 0 })
            {
                Need(fw >= plate.Width && fh >= plate.Height, $"Plate: {fw} × {fh} is smaller than the proxy itself, {plate.Width} × {plate.Height}.");
                Need(Math.Abs((double)fw / fh / ((double)plate.Width / plate.Height) - 1) < 0.01, $"Plate: {fw} × {fh} has another shape than the proxy, {plate.Width} × {plate.Height}. Was it cropped?");
            }
            Need(plate.FocalMm is null or (> 0.1 and < 100_000), "Plate: the focal length must be positive, in millimetres.");
            Need(plate.Rate.Num > 0 && plate.Rate.Den > 0, "Plate: the frame rate must be a ratio of two positive whole numbers.");
        }
        Need(d.Look.Curve is not { } curve || (curve.White > curve.Black && curve.Gamma is >= 0.1 and <= 10), "Contrast curve: its white must lie above its black, its gamma between 0.1 and 10.");
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
            Need(m.Keys.All(k => k.Corners.Length >= 6 && k.Corners.Length % 2 == 0 && k.Corners.All(double.IsFinite)), $"Matte {m.Name}: a shape needs three corners or more, all of them numbers.");
            Need(m.Keys.Select(k => k.Corners.Length).Distinct().Count() < 2, $"Matte {m.Name}: its keys have different numbers of corners.");
            Need(m.Keys.Select(k => k.Frame).Distinct().Count() == m.Keys.Count, $"Matte {m.Name}: two keys stand at one frame.");
        }
        if (d.Still is { } still)
        {
            Need(still.Lines.All(l => l.Axis is "x" or "y" or "z" && double.IsFinite(l.X1 + l.Y1 + l.X2 + l.Y2)), "Lines: every line runs along x, y or z and has two ends that are numbers.");
            Need(still.Origin is null || (still.Origin.Length == 2 && still.Origin.All(double.IsFinite)), "Lines: the origin is two numbers.");
            Need(still.Length is not { } length || (length.From.Length == 2 && length.To.Length == 2 && length.From.Concat(length.To).All(double.IsFinite) && length.Metres > 0 && length.Along is null or "x" or "y" or "z" or "floor"), "Lines: the known length has two ends and more than 0 m.");
        }
        Need(d.Orientation.Level.All(l => double.IsFinite(l.X1 + l.Y1 + l.X2 + l.Y2)), "Level: every line has two ends that are numbers.");
        Need(d.KnownLengths.All(k => k.Metres > 0 && double.IsFinite(k.Metres)), "Known lengths: each must be more than 0 m.");
        Need(d.StandIns.All(s => s.Position.IsFinite && s.HeightMetres is > 0.01 and < 1000), "Stand-ins: each needs a place and a height between 1 cm and 1,000 m.");
        Doubles(d.StandIns.Select(s => s.Id), "Stand-ins");
        Need(d.Solving.RefineLens is "none" or "k1" or "k1k2", "Solve: the lens is refined by none, k1 or k1k2.");
        Doubles(d.SurveyPoints.Select(p => p.Name), "Survey points");
        Doubles(d.Pieces.Select(p => p.Id), "Set");
        Doubles(d.Elements.Select(p => p.Id), "Contact");
        Doubles(d.MovingObjects.Select(o => o.Id), "Moving things");
        foreach (MovingObject o in d.MovingObjects)
        {
            if (o.Holds.Select(h => (h.Frame, h.ObjectToWorld)).Concat(o.Frames.Select(f => (f.Frame, f.ObjectToWorld))).Select(f => (f.Frame, Why: Pose.FromRowMajor16(f.ObjectToWorld, out string? why) is null ? why : null)).FirstOrDefault(f => f.Why is not null) is { Why: { } fault } at)
            {
                faults.Add($"{o.Name}, frame {at.Frame}: {fault}.");
            }
            Need(o.Holds.Select(h => h.Frame).Distinct().Count() == o.Holds.Count, $"{o.Name}: it is held twice in one frame.");
            Need(o.DistanceMetres is null or (> 0 and < 1e6), $"{o.Name}: its distance must be more than 0 m.");
        }
        foreach (string hung in d.Pieces.Select(p => p.HangsOn).Concat(d.Elements.Select(e => e.HangsOn)).OfType<string>().Distinct())
        {
            Need(d.MovingObjects.Any(o => o.Id == hung), $"Something hangs on “{hung}”, which is no longer in the shot. Let it stand in the world first.");
        }
        foreach (SurveyPoint p in d.SurveyPoints)
        {
            Need(p.Position is not { IsFinite: false }, $"Survey point {p.Name}: its position is not a number.");
        }
        foreach (Piece p in d.Pieces)
        {
            Need(p.Position.IsFinite && p.RotationYxzDegrees.IsFinite, $"Set, {p.Name}: its place is not a number.");
            Need(p.Size.IsFinite && p.Size is { X: > 0, Z: > 0 } && (p.Kind is PieceKind.Plane or PieceKind.Outline || p.Size.Y > 0), $"Set, {p.Name}: its size must be positive, in metres.");
            Need(p.Scale > 0 && double.IsFinite(p.Scale), $"Set, {p.Name}: its scale must be positive.");
            Need(Math.Abs(p.Duties.HoldoutMillimetres) <= 2000 && Math.Abs(p.Duties.HoldoutPixels) <= 50, $"Set, {p.Name}: a holdout grows or shrinks by up to 2,000 mm and 50 px.");
            if (OutlineMesh.Fault(p) is { } drawn) { faults.Add($"Set, {p.Name}: {drawn}."); }
            Need(p.Kind != PieceKind.Stairs || p.Count is >= 1 and <= 500, $"Set, {p.Name}: stairs have between 1 and 500 steps, not {p.Count}.");
            Need(p.Kind != PieceKind.Cylinder || p.Count is 0 or (>= 3 and <= 256), $"Set, {p.Name}: a cylinder has between 3 and 256 sides.");
            Need(p.Kind != PieceKind.Mesh || p.Media is not null, $"Set, {p.Name}: its mesh file is missing.");
        }
        foreach (ProjectionSource p in d.Projections)
        {
            Need(p.FadeFromDegrees is >= 0 and <= 90 && p.FadeToDegrees >= p.FadeFromDegrees && p.FadeToDegrees <= 90, $"Projection {p.Name}: it must fade between two angles from 0° to 90°, the first the smaller.");
        }
        foreach (Light l in d.Lights)
        {
            Need(l.Direction.IsFinite && l.Direction.Length > 1e-9, $"Light, {l.Name}: its direction has no length.");
            Need(l.Strength >= 0 && double.IsFinite(l.Strength), $"Light, {l.Name}: its strength must be 0 or more.");
            Need(l.Color.IsFinite && l.Color is { X: >= 0, Y: >= 0, Z: >= 0 }, $"Light, {l.Name}: its colour must be 0 or more in each channel.");
            Need(l.AngularDiameterDegrees is >= 0 and <= 90, $"Light, {l.Name}: its angular size must lie between 0° and 90°.");
        }
        foreach (Element e in d.Elements)
        {
            Need(e.Position.IsFinite && double.IsFinite(e.TurnDegrees) && e.Up.IsFinite && e.Up.Length > 1e-9, $"Contact, {e.Name}: its place is not a number.");
            Need(e.Scale > 0 && double.IsFinite(e.Scale), $"Contact, {e.Name}: its scale must be positive.");
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
}
