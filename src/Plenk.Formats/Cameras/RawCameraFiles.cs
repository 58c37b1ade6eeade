using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Meshes;

namespace Plenk.Formats.Cameras;

/// <summary>
/// Cameras from elsewhere as their files have them, nothing assumed (docs/camera-files.md): CSV of matrices or of position and
/// angles, phone capture and solve.json, USD text, glTF.
/// </summary>
public static class RawCameraFiles
{
    public static RawCamera Read(byte[] bytes, string name, int plateWidth, int plateHeight, int firstFrame, FrameRate rate)
    {
        if (bytes.Length == 0)
        {
            throw new FormatFault("empty", $"{name} is empty (0 bytes)", "Export the camera again.");
        }
        RawCamera camera = Path.GetExtension(name).ToLowerInvariant() switch
        {
            ".csv" => Csv(Encoding.UTF8.GetString(bytes), name),
            ".json" => Json(bytes, name, rate),
            ".usda" => UsdCamera.Read(Encoding.UTF8.GetString(bytes), name),
            ".glb" or ".gltf" => FromSource(GltfFile.ReadCamera(bytes, name, plateWidth, plateHeight, firstFrame, rate)),
            _ => throw new FormatFault(
                "file",
                $"{name} is not a camera file that is taken",
                "Bring a CSV, a JSON, USD text (.usda) or glTF (.glb)."
            ),
        };
        for (int i = 1; i < camera.Samples.Count; i++)
        {
            if (!(camera.Samples[i].Frame > camera.Samples[i - 1].Frame))
            {
                throw new FormatFault(
                    "file",
                    $"{name}: frame {camera.Samples[i].Frame.ToString(CultureInfo.InvariantCulture)} does not come after {camera.Samples[i - 1].Frame.ToString(CultureInfo.InvariantCulture)}",
                    "Sort the samples by frame, one each."
                );
            }
        }
        return camera.Samples.Count > 0
            ? camera
            : throw new FormatFault("file", $"{name} holds no samples of a camera", "Export one for every frame.");
    }

    private static RawCamera FromSource(CameraSource source) =>
        new()
        {
            Samples =
            [
                .. source.Samples.Select(s => new RawCameraSample(
                    s.Frame,
                    new(s.CameraToWorld[3], s.CameraToWorld[7], s.CameraToWorld[11]),
                    Rows(s.CameraToWorld, 4),
                    null,
                    s.FocalPx
                )),
            ],
            Width = source.Width,
            Height = source.Height,
        };

    private static Matrix3 Rows(IReadOnlyList<double> m, int stride) =>
        new(m[0], m[1], m[2], m[stride], m[stride + 1], m[stride + 2], m[2 * stride], m[2 * stride + 1], m[2 * stride + 2]);

    /// <summary>16 numbers in either layout: where the last row holds the place, vectors are rows and the matrix is transposed.</summary>
    internal static (Matrix3 Rotation, Vec3 Position) FromSixteen(IReadOnlyList<double> m, string name, double frame)
    {
        if (m.Count != 16 || m.Any(v => !double.IsFinite(v)))
        {
            throw new FormatFault(
                "nan",
                $"{name}: the matrix of frame {frame.ToString(CultureInfo.InvariantCulture)} has {m.Count} numbers, or one that is not finite; 16 are needed",
                "Export the camera again."
            );
        }
        bool rows = m[3] == 0 && m[7] == 0 && m[11] == 0 && (m[12] != 0 || m[13] != 0 || m[14] != 0);
        Matrix3 r = Rows(m, 4);
        Vec3 p = rows ? new(m[12], m[13], m[14]) : new(m[3], m[7], m[11]);
        return (Unscaled(rows ? r.Transpose() : r, name, frame), p);
    }

    /// <summary>A uniform scale is taken off; a shear is refused. A mirror stays: the finder reads it.</summary>
    private static Matrix3 Unscaled(Matrix3 r, string name, double frame)
    {
        double s = Math.Cbrt(Math.Abs(r.Determinant));
        Matrix3 m = r * (1 / s);
        double off = Math.Max(
            Math.Abs(Vec3.Dot(m.Column(0), m.Column(1))),
            Math.Max(Math.Abs(Vec3.Dot(m.Column(1), m.Column(2))), Math.Abs(Vec3.Dot(m.Column(0), m.Column(2))))
        );
        if (!(s > 0) || !(off < 0.01))
        {
            throw new FormatFault(
                "file",
                $"{name}: the matrix of frame {frame.ToString(CultureInfo.InvariantCulture)} is not a rotation",
                "Export the camera without shear or uneven scale."
            );
        }
        // A mirrored rotation is one of a left-handed camera: its own back axis turns round.
        return m.Determinant < 0 ? Matrix3.FromColumns(m.Column(0), m.Column(1), -m.Column(2)) : m;
    }

    private static readonly Dictionary<string, string[]> Names = new()
    {
        ["frame"] = ["frame", "f", "framenumber"],
        ["time"] = ["time", "seconds", "timestamp", "t"],
        ["x"] = ["x", "tx", "px", "posx", "positionx", "translatex", "cx", "locx", "locationx"],
        ["y"] = ["y", "ty", "py", "posy", "positiony", "translatey", "cy", "locy", "locationy"],
        ["z"] = ["z", "tz", "pz", "posz", "positionz", "translatez", "cz", "locz", "locationz"],
        ["rx"] = ["rx", "rotx", "rotationx", "rotatex", "anglex", "ax", "pitch", "tilt"],
        ["ry"] = ["ry", "roty", "rotationy", "rotatey", "angley", "ay", "yaw", "pan", "heading"],
        ["rz"] = ["rz", "rotz", "rotationz", "rotatez", "anglez", "az", "roll"],
        ["qx"] = ["qx"],
        ["qy"] = ["qy"],
        ["qz"] = ["qz"],
        ["qw"] = ["qw"],
        ["px"] = ["focalpx", "focalpixels", "fx", "fpx"],
        ["mm"] = ["focalmm", "focallength", "focal", "focallengthmm", "fl"],
        ["degrees"] = ["fov", "hfov", "vfov", "fovdegrees", "angleofview"],
        ["sensorwidth"] = ["sensorwidth", "sensorwidthmm", "filmbackwidth", "horizontalaperture", "aperturex", "filmwidth"],
        ["sensorheight"] = ["sensorheight", "sensorheightmm", "filmbackheight", "verticalaperture", "aperturey", "filmheight"],
        ["width"] = ["width", "imagewidth"],
        ["height"] = ["height", "imageheight"],
    };

    private static RawCamera Csv(string text, string name)
    {
        List<string[]> rows =
        [
            .. CsvFile.Read(text).Select(r => r.ToArray()).Where(r => r.Any(c => c.Trim().Length > 0) && !r[0].TrimStart().StartsWith('#')),
        ];
        if (rows.Count < 2)
        {
            throw new FormatFault("file", $"{name} has no rows under its header", "Export one row a frame.");
        }
        string[] header = [.. rows[0].Select(h => new string([.. h.ToLowerInvariant().Where(char.IsLetterOrDigit)]))];
        int Column(string key) => Array.FindIndex(header, h => Names[key].Contains(h));
        int[] matrix =
        [
            .. Enumerable.Range(0, 4).SelectMany(r => Enumerable.Range(0, 4).Select(c => Array.IndexOf(header, $"m{r + 1}{c + 1}"))),
        ];
        int[] fromZero = [.. Enumerable.Range(0, 4).SelectMany(r => Enumerable.Range(0, 4).Select(c => Array.IndexOf(header, $"m{r}{c}")))];
        int[] counted = [.. Enumerable.Range(0, 16).Select(i => Array.IndexOf(header, $"m{i}"))];
        if (Array.IndexOf(header, "m00") >= 0)
        {
            matrix = fromZero;
        }
        else if (Array.IndexOf(header, "m0") >= 0)
        {
            matrix = counted;
        }
        bool whole = matrix.Take(12).All(c => c >= 0),
            three = matrix[0] >= 0 && matrix[5] >= 0 && matrix[10] >= 0 && !whole;
        bool quaternion = Column("qw") >= 0,
            angles = Column("rx") >= 0 && Column("ry") >= 0 && Column("rz") >= 0;
        if (!whole && Column("x") < 0)
        {
            throw new FormatFault(
                "file",
                $"{name}: the header names no place (tx, ty, tz) and no matrix (m11 … m44)",
                "Name the columns as the camera file notes say."
            );
        }
        if (!whole && !three && !quaternion && !angles)
        {
            throw new FormatFault(
                "file",
                $"{name}: the header has neither a matrix (m11 … m33), nor angles (rx, ry, rz), nor a quaternion",
                "Add the camera's rotation."
            );
        }
        FocalUnit unit =
            Column("px") >= 0 ? FocalUnit.Pixels
            : Column("mm") >= 0 ? FocalUnit.Millimetres
            : FocalUnit.Degrees;
        int focal = Column(
            unit == FocalUnit.Pixels ? "px"
            : unit == FocalUnit.Millimetres ? "mm"
            : "degrees"
        );
        if (focal < 0)
        {
            throw new FormatFault(
                "file",
                $"{name}: the header has no focal length (focal_px, focal_mm or fov)",
                "Add the focal length or the angle of view."
            );
        }
        int frame = Column("frame"),
            time = Column("time");
        double[] Row(int i)
        {
            if (rows[i].Length < header.Length)
            {
                throw new FormatFault(
                    "file",
                    $"{name}: row {i + 1} has {rows[i].Length} values, the header {header.Length}",
                    "The file may be cut off; export it again."
                );
            }
            return
            [
                .. rows[i].Select(v => double.TryParse(v, NumberStyles.Float, CultureInfo.InvariantCulture, out double d) ? d : double.NaN),
            ];
        }
        double[] top = Row(1);
        double Constant(string key, double fallback) => Column(key) is var c and >= 0 && top[c] > 0 ? top[c] : fallback;
        var samples = new List<RawCameraSample>();
        double? rate = null;
        if (frame < 0 && time >= 0 && rows.Count > 2)
        {
            rate = (rows.Count - 2) / (Row(rows.Count - 1)[time] - top[time]);
        }
        for (int i = 1; i < rows.Count; i++)
        {
            double[] v = Row(i);
            double at =
                frame >= 0 ? v[frame]
                : rate is { } r ? 1 + (v[time] - top[time]) * r
                : i;
            double Value(int column, string what) =>
                double.IsFinite(v[column])
                    ? v[column]
                    : throw new FormatFault(
                        "nan",
                        $"{name}: row {i + 1} has no number for {what}",
                        "Export the camera again, or leave that row out."
                    );
            Matrix3? rotation = null;
            Vec3? turned = null;
            Vec3 place;
            if (whole)
            {
                double[] m =
                [
                    .. Enumerable
                        .Range(0, 16)
                        .Select(k =>
                            matrix[k] >= 0 ? Value(matrix[k], $"the matrix")
                            : k == 15 ? 1
                            : 0
                        ),
                ];
                (rotation, place) = FromSixteen(m, name, at);
            }
            else
            {
                place = new(Value(Column("x"), "x"), Value(Column("y"), "y"), Value(Column("z"), "z"));
                if (three)
                {
                    rotation = Unscaled(
                        Rows([.. new[] { 0, 1, 2, 4, 5, 6, 8, 9, 10 }.Select(k => Value(matrix[k], "the matrix"))], 3),
                        name,
                        at
                    );
                }
                else if (quaternion)
                {
                    rotation = Unscaled(
                        Rotations.FromQuaternion(
                            Value(Column("qx"), "qx"),
                            Value(Column("qy"), "qy"),
                            Value(Column("qz"), "qz"),
                            Value(Column("qw"), "qw")
                        ),
                        name,
                        at
                    );
                }
                else
                {
                    turned = new(Value(Column("rx"), "rx"), Value(Column("ry"), "ry"), Value(Column("rz"), "rz"));
                }
            }
            samples.Add(new(at, place, rotation, turned, Value(focal, "the focal length")));
        }
        double sensorWidth = Constant("sensorwidth", 36);
        return new()
        {
            Samples = samples,
            FocalUnit = unit,
            SensorWidthMm = sensorWidth,
            SensorHeightMm = Constant("sensorheight", sensorWidth * 2 / 3),
            Width = Column("width") >= 0 ? (int)top[Column("width")] : null,
            Height = Column("height") >= 0 ? (int)top[Column("height")] : null,
        };
    }

    /// <summary>A solve, or a phone's capture: samples by time at a rate of its own, matrices in the phone's space.</summary>
    private static RawCamera Json(byte[] bytes, string name, FrameRate plateRate)
    {
        try
        {
            using JsonDocument json = JsonDocument.Parse(bytes);
            JsonElement root = json.RootElement;
            bool phone = root.TryGetProperty("samples", out JsonElement list);
            if (!phone)
            {
                list = root.GetProperty("frames");
            }
            double rate = phone ? root.GetProperty("rate").GetDouble() : plateRate.PerSecond;
            var samples = new List<RawCameraSample>();
            foreach (JsonElement s in list.EnumerateArray())
            {
                double at = s.TryGetProperty("frame", out JsonElement f) ? f.GetDouble() : 1 + s.GetProperty("time").GetDouble() * rate;
                var (rotation, place) = FromSixteen(
                    [.. s.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())],
                    name,
                    at
                );
                samples.Add(new(at, place, rotation, null, s.GetProperty("focal_px").GetDouble()));
            }
            double Value(string key) => root.TryGetProperty(key, out JsonElement v) ? v.GetDouble() : 0;
            return new()
            {
                Samples = samples,
                Width = root.GetProperty("width").GetInt32(),
                Height = root.GetProperty("height").GetInt32(),
                Lens = root.TryGetProperty("k1", out _) ? new(Value("k1"), Value("k2"), Value("p1"), Value("p2"), Value("k3")) : null,
            };
        }
        catch (Exception e) when (e is JsonException or KeyNotFoundException or InvalidOperationException or FormatException)
        {
            throw new FormatFault(
                "file",
                $"{name} does not have the shape of a solve or of a phone's capture: {e.Message.Split('\n')[0]}",
                "See the camera file notes for the shape."
            );
        }
    }
}
