using System.Globalization;
using System.Text;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;

namespace Plenk.Formats.Cameras.Readers;

/// <summary>A row a frame, columns by name.</summary>
public sealed class CsvCamera : CameraReader
{
    public override string Name => "a CSV";
    public override IReadOnlyList<string> Extensions => [".csv"];

    public override CameraSource Read(byte[] bytes, string name, CameraImport import) =>
        Meant(Encoding.UTF8.GetString(bytes), name, import);

    public override RawCamera ReadRaw(byte[] bytes, string name, CameraImport import) => Raw(Encoding.UTF8.GetString(bytes), name);

    /// <summary>
    /// Header: frame, tx, ty, tz, then qx, qy, qz, qw (unit quaternion) or m11 … m33 (row-major), then focal_px or focal_mm;
    /// optional cx, cy, and k1, k2, p1, p2, k3 (the first row's count). Columns in any order.
    /// </summary>
    private static CameraSource Meant(string text, string name, CameraImport import)
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
            CameraSamples.Check(name, V("frame"), m, focal);
            samples.Add(new(V("frame"), m, focal, V("cx", import.Width / 2.0), V("cy", import.Height / 2.0)));
            if (samples.Count == 1)
            {
                lens = new(V("k1", 0), V("k2", 0), V("p1", 0), V("p2", 0), V("k3", 0));
            }
        }
        return CameraSamples.Finish(name, import, import.Width, import.Height, lens, samples);
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

    private static RawCamera Raw(string text, string name)
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
                (rotation, place) = CameraSamples.FromSixteen(m, name, at);
            }
            else
            {
                place = new(Value(Column("x"), "x"), Value(Column("y"), "y"), Value(Column("z"), "z"));
                if (three)
                {
                    rotation = CameraSamples.Unscaled(
                        CameraSamples.Rows([.. new[] { 0, 1, 2, 4, 5, 6, 8, 9, 10 }.Select(k => Value(matrix[k], "the matrix"))], 3),
                        name,
                        at
                    );
                }
                else if (quaternion)
                {
                    rotation = CameraSamples.Unscaled(
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
}
