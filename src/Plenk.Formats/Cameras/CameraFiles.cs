using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;

namespace Plenk.Formats.Cameras;

/// <summary>What a camera file is read against; the lens, where given, overrides the file's.</summary>
public sealed record CameraImport(int Width, int Height, double SensorWidthMm, int FirstFrame, FrameRate Rate, LensValues? Lens = null);

/// <summary>Cameras in: glTF, USD text, <c>solve.json</c> and CSV (docs/camera-files.md gives the shapes).</summary>
public static class CameraFiles
{
    public static CameraSource Read(byte[] bytes, string name, CameraImport import)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Export the camera again.");
        }
        CameraSource camera = Path.GetExtension(name).ToLowerInvariant() switch
        {
            ".glb" or ".gltf" => GltfFile.ReadCamera(bytes, name, import.Width, import.Height, import.FirstFrame, import.Rate),
            ".json" => ReadSolve(bytes, name, import),
            ".usda" => UsdCamera.ToSource(Encoding.UTF8.GetString(bytes), name, import),
            ".csv" => ReadCsv(Encoding.UTF8.GetString(bytes), name, import),
            _ => throw new FormatFault(
                "file",
                $"{name} is not a camera file that is taken",
                "Bring a glTF (.glb), USD text (.usda), a solve.json or a CSV."
            ),
        };
        if (import.Lens is { } lens)
        {
            camera = camera with { Lens = lens };
        }
        return camera with { Name = name };
    }

    private static CameraSource ReadSolve(byte[] bytes, string name, CameraImport import)
    {
        try
        {
            using JsonDocument json = JsonDocument.Parse(bytes);
            JsonElement root = json.RootElement;
            if (root.TryGetProperty("status", out JsonElement status) && status.GetString() == "failed")
            {
                throw new FormatFault(
                    "file",
                    $"{name} is a solve that failed: {(root.TryGetProperty("reason", out JsonElement r) ? r.GetString() : "no reason given")}",
                    "Solve again."
                );
            }
            int width = root.GetProperty("width").GetInt32(),
                height = root.GetProperty("height").GetInt32();
            double Value(string key) => root.TryGetProperty(key, out JsonElement v) ? v.GetDouble() : 0;
            var samples = new List<CameraSample>();
            foreach (JsonElement f in root.GetProperty("frames").EnumerateArray())
            {
                double frame = f.GetProperty("frame").GetDouble();
                double[] m = [.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())];
                double focal = f.GetProperty("focal_px").GetDouble();
                Check(name, frame, m, focal);
                samples.Add(
                    new(
                        frame,
                        m,
                        focal,
                        f.TryGetProperty("cx", out JsonElement cx) ? cx.GetDouble() : width / 2.0,
                        f.TryGetProperty("cy", out JsonElement cy) ? cy.GetDouble() : height / 2.0
                    )
                );
            }
            return Finish(
                name,
                import,
                width,
                height,
                new LensValues(Value("k1"), Value("k2"), Value("p1"), Value("p2"), Value("k3")),
                samples
            );
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            throw new FormatFault(
                "file",
                $"{name} does not have the shape of a solve: {e.Message.Split('\n')[0]}",
                "See the camera file notes for the shape."
            );
        }
    }

    /// <summary>
    /// Header: frame, tx, ty, tz, then qx, qy, qz, qw (unit quaternion) or m11 … m33 (row-major), then focal_px or focal_mm;
    /// optional cx, cy, and k1, k2, p1, p2, k3 (the first row's count). Columns in any order.
    /// </summary>
    private static CameraSource ReadCsv(string text, string name, CameraImport import)
    {
        var rows = CsvFile.Read(text);
        if (rows.Count < 2)
        {
            throw new FormatFault("file", $"{name} has no rows under its header", "Export one row a frame.");
        }
        string[] header = [.. rows[0].Select(h => h.Trim().ToLowerInvariant())];
        int Column(string key) => Array.IndexOf(header, key);
        foreach (string key in (string[])["frame", "tx", "ty", "tz"])
        {
            if (Column(key) < 0)
            {
                throw new FormatFault(
                    "file",
                    $"{name}: the header has no column “{key}”",
                    "The first row must name the columns: frame, tx, ty, tz, qx, qy, qz, qw, focal_px (or focal_mm)."
                );
            }
        }
        bool quaternion = Column("qw") >= 0;
        if (!quaternion && Column("m11") < 0)
        {
            throw new FormatFault("file", $"{name}: the header has neither qx qy qz qw nor m11 … m33", "Add the camera's rotation.");
        }
        if (Column("focal_px") < 0 && Column("focal_mm") < 0)
        {
            throw new FormatFault("file", $"{name}: the header has neither focal_px nor focal_mm", "Add the focal length.");
        }
        var samples = new List<CameraSample>();
        LensValues lens = new();
        for (int i = 1; i < rows.Count; i++)
        {
            if (rows[i].Length == 1 && rows[i][0].Length == 0)
            {
                continue;
            }
            double V(string key, double? fallback = null)
            {
                int c = Column(key);
                if (c < 0 && fallback is { } f)
                {
                    return f;
                }
                if (
                    c < 0
                    || c >= rows[i].Length
                    || !double.TryParse(rows[i][c], NumberStyles.Float, CultureInfo.InvariantCulture, out double v)
                )
                {
                    throw new FormatFault(
                        "file",
                        $"{name}, row {i + 1}: column “{key}” is not a number",
                        "Numbers are written with a point."
                    );
                }
                return v;
            }
            Matrix3 r = quaternion
                ? Rotations.FromQuaternion(V("qx"), V("qy"), V("qz"), V("qw"))
                : new(V("m11"), V("m12"), V("m13"), V("m21"), V("m22"), V("m23"), V("m31"), V("m32"), V("m33"));
            double[] m = new Pose(r, new(V("tx"), V("ty"), V("tz"))).ToRowMajor16();
            double focal = Column("focal_px") >= 0 ? V("focal_px") : V("focal_mm") * import.Width / import.SensorWidthMm;
            Check(name, V("frame"), m, focal);
            samples.Add(new(V("frame"), m, focal, V("cx", import.Width / 2.0), V("cy", import.Height / 2.0)));
            if (samples.Count == 1)
            {
                lens = new(V("k1", 0), V("k2", 0), V("p1", 0), V("p2", 0), V("k3", 0));
            }
        }
        return Finish(name, import, import.Width, import.Height, lens, samples);
    }

    private static void Check(string name, double frame, double[] m, double focal)
    {
        if (Pose.FromRowMajor16(m, out string? why) is null)
        {
            throw new FormatFault("nan", $"{name}, frame {frame:0.##}: {why}", "Export the camera without scale or shear.");
        }
        if (!(focal > 0) || !double.IsFinite(focal))
        {
            throw new FormatFault(
                "nan",
                $"{name}, frame {frame:0.##}: the focal length is {focal.ToString(CultureInfo.InvariantCulture)}",
                "Export the camera with its focal length."
            );
        }
    }

    private static CameraSource Finish(string name, CameraImport import, int width, int height, LensValues lens, List<CameraSample> samples)
    {
        if (samples.Count == 0)
        {
            throw new FormatFault("file", $"{name} has no frames", "Export one sample a frame.");
        }
        var twice = samples.GroupBy(s => s.Frame).FirstOrDefault(g => g.Count() > 1);
        if (twice is not null)
        {
            throw new FormatFault("duplicate", $"{name} has frame {twice.Key:0.##} twice", "Export one sample a frame.");
        }
        return new CameraSource
        {
            Name = name,
            Rate = import.Rate,
            Mapping = new(import.FirstFrame, import.FirstFrame),
            Width = width,
            Height = height,
            Lens = lens,
            Samples = [.. samples.OrderBy(s => s.Frame)],
        };
    }
}

/// <summary>Survey points in: CSV with the header name, x, y, z and, where a point is already clicked, frame, px, py (a row a click).</summary>
public static class SurveyFile
{
    public static IReadOnlyList<SurveyPoint> Read(byte[] bytes, string name)
    {
        var rows = CsvFile.Read(Encoding.UTF8.GetString(bytes));
        string[] header = rows.Count > 0 ? [.. rows[0].Select(h => h.Trim().ToLowerInvariant())] : [];
        int Column(string key) => Array.IndexOf(header, key);
        foreach (string key in (string[])["name", "x", "y", "z"])
        {
            if (Column(key) < 0)
            {
                throw new FormatFault(
                    "file",
                    $"{name}: the header has no column “{key}”",
                    "The first row must name the columns: name, x, y, z, and if points are already clicked frame, px, py."
                );
            }
        }
        var points = new Dictionary<string, SurveyPoint>();
        for (int i = 1; i < rows.Count; i++)
        {
            if (rows[i].Length == 1 && rows[i][0].Length == 0)
            {
                continue;
            }
            bool Filled(string key) => Column(key) >= 0 && Column(key) < rows[i].Length && rows[i][Column(key)].Length > 0;
            double V(string key) =>
                Filled(key)
                && double.TryParse(rows[i][Column(key)], NumberStyles.Float, CultureInfo.InvariantCulture, out double v)
                && double.IsFinite(v)
                    ? v
                    : throw new FormatFault(
                        "nan",
                        $"{name}, row {i + 1}: column “{key}” is not a number",
                        "Numbers are written with a point."
                    );
            string point = rows[i][Column("name")].Trim();
            if (point.Length == 0)
            {
                throw new FormatFault("file", $"{name}, row {i + 1}: the point has no name", "Name every point.");
            }
            if (!points.TryGetValue(point, out SurveyPoint? p))
            {
                p = new() { Name = point, Position = new(V("x"), V("y"), V("z")) };
            }
            if (Filled("frame"))
            {
                p = p with { Clicks = [.. p.Clicks, new((int)V("frame"), V("px"), V("py"))] };
            }
            points[point] = p;
        }
        if (points.Count == 0)
        {
            throw new FormatFault("file", $"{name} names no points", "Write one row a point.");
        }
        return [.. points.Values];
    }
}
