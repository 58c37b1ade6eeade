using System.Globalization;
using System.Text.RegularExpressions;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Cameras.Readers;

namespace Plenk.Formats.Cameras;

/// <summary>
/// The first camera of a USD text file: its own transform ops as matrices or as translation and rotation, apertures and focal length.
/// </summary>
public static partial class UsdCamera
{
    [GeneratedRegex(@"def\s+Camera\s+""([^""]*)""")]
    private static partial Regex Camera();

    [GeneratedRegex(@"-?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|-?inf|nan")]
    private static partial Regex Number();

    [GeneratedRegex(@"(-?[\d.]+(?:[eE][-+]?\d+)?)\s*:\s*((?:\(\s*(?:\([^()]*\)\s*,?\s*)+\))|(?:\([^()]*\))|(?:[^,{}()]+))")]
    private static partial Regex Sample();

    private static double[] Numbers(string text) =>
        [
            .. Number()
                .Matches(text)
                .Select(m => double.TryParse(m.Value, NumberStyles.Float, CultureInfo.InvariantCulture, out double v) ? v : double.NaN),
        ];

    /// <summary>As the file has it; USD's own convention is that of <see cref="ToSource"/>.</summary>
    public static RawCamera Read(string text, string name)
    {
        if (!text.StartsWith("#usda", StringComparison.Ordinal))
        {
            throw new FormatFault(
                "file",
                $"{name} is not USD text (it does not begin with #usda)",
                "Export the camera as .usda; the binary form is not taken."
            );
        }
        Match camera = Camera().Match(text);
        if (!camera.Success)
        {
            throw new FormatFault("file", $"{name} holds no camera", "Export the camera with the file.");
        }
        string body = Body(text, camera.Index + camera.Length);
        // Values by time; one without time stands at NaN.
        SortedDictionary<double, double[]> Values(string attribute)
        {
            var values = new SortedDictionary<double, double[]>();
            Match timed = Regex.Match(body, Regex.Escape(attribute) + @"\.timeSamples\s*=\s*\{([^{}]*)\}", RegexOptions.Singleline);
            if (timed.Success)
            {
                foreach (Match s in Sample().Matches(timed.Groups[1].Value))
                {
                    if (double.TryParse(s.Groups[1].Value, NumberStyles.Float, CultureInfo.InvariantCulture, out double time))
                    {
                        values[time] = Numbers(s.Groups[2].Value);
                    }
                }
                return values;
            }
            Match one = Regex.Match(body, Regex.Escape(attribute) + @"\s*=\s*([^\n]*)");
            if (one.Success)
            {
                values[double.NegativeInfinity] = Numbers(one.Groups[1].Value);
            }
            return values;
        }
        static double[]? At(SortedDictionary<double, double[]> values, double time) =>
            values.Count == 0 ? null : values.Where(v => v.Key <= time + 1e-9).Select(v => v.Value).LastOrDefault() ?? values.First().Value;
        var transform = Values("xformOp:transform");
        var translate = Values("xformOp:translate");
        string? rotation = new[] { "XYZ", "XZY", "YXZ", "YZX", "ZXY", "ZYX" }.FirstOrDefault(o =>
            body.Contains($"xformOp:rotate{o}", StringComparison.Ordinal)
        );
        var rotate = rotation is null ? [] : Values($"xformOp:rotate{rotation}");
        if (transform.Count == 0 && translate.Count == 0)
        {
            throw new FormatFault(
                "file",
                $"{name}: the camera “{camera.Groups[1].Value}” has no place of its own",
                "Export it with its transform as xformOp:transform, or as translate and rotate."
            );
        }
        var focals = Values("focalLength");
        double aperture = At(Values("horizontalAperture"), 0)?.FirstOrDefault() ?? 20.955,
            vertical = At(Values("verticalAperture"), 0)?.FirstOrDefault() ?? 15.2908;
        double[] times = [.. transform.Keys.Concat(translate.Keys).Concat(rotate.Keys).Where(double.IsFinite).Distinct().Order()];
        if (times.Length == 0)
        {
            times = [1];
        }
        var samples = new List<RawCameraSample>();
        foreach (double time in times)
        {
            // Only the ratio of focal length to aperture matters; both are in tenths of the scene's unit.
            double focal = At(focals, time)?.FirstOrDefault() ?? 50;
            if (At(transform, time) is { } m)
            {
                var (r, p) = CameraSamples.FromSixteen(m, name, time);
                // Row vectors where there is no place to tell it by.
                if (m.Length == 16 && m[12] == 0 && m[13] == 0 && m[14] == 0)
                {
                    r = r.Transpose();
                }
                samples.Add(new(time, p, r, null, focal));
                continue;
            }
            double[] t = At(translate, time)!,
                angles = At(rotate, time) ?? [0, 0, 0];
            if (t.Length < 3 || angles.Length < 3 || t.Concat(angles).Any(v => !double.IsFinite(v)))
            {
                throw new FormatFault(
                    "nan",
                    $"{name}: the place or turn at time {time.ToString(CultureInfo.InvariantCulture)} is not three numbers",
                    "Export the camera again."
                );
            }
            samples.Add(new(time, new(t[0], t[1], t[2]), Turn(angles, rotation ?? "XYZ"), null, focal));
        }
        return new()
        {
            Samples = samples,
            FocalUnit = FocalUnit.Millimetres,
            SensorWidthMm = aperture,
            SensorHeightMm = vertical,
        };

        static Matrix3 Turn(double[] a, string order) =>
            Core.Solving.ConventionFinder.FromAngles(new(a[0], a[1], a[2]), order.ToLowerInvariant(), radians: false);
    }

    /// <summary>Read as USD says: camera to world, −Z ahead, +Y up, width fitted; the stage's up axis and unit brought to ours.</summary>
    public static CameraSource ToSource(string text, string name, CameraImport import)
    {
        RawCamera raw = Read(text, name);
        double? Said(string key, double most)
        {
            Match m = Regex.Match(text, key + @"\s*=\s*([^\s)]+)");
            if (!m.Success)
            {
                return null;
            }
            return double.TryParse(m.Groups[1].Value, NumberStyles.Float, CultureInfo.InvariantCulture, out double v) && v > 0 && v <= most
                ? v
                : throw new FormatFault(
                    "file",
                    $"{name} says {key} = {m.Groups[1].Value}, which is none",
                    "Export the camera again, or mend that line."
                );
        }
        double unit = Said("metersPerUnit", 1e6) ?? 0.01;
        bool zUp = Regex.IsMatch(text, @"upAxis\s*=\s*""Z""");
        FrameRate rate = Said("timeCodesPerSecond", 1000) is { } r ? Nearest(r) : import.Rate;
        var world = new Similarity(unit, zUp ? Rotations.AboutX(-Math.PI / 2) : Matrix3.Identity, Vec3.Zero);
        return new()
        {
            Name = name,
            Rate = rate,
            Mapping = new(raw.Samples[0].Frame, (int)Math.Round(raw.Samples[0].Frame)),
            Width = import.Width,
            Height = import.Height,
            Samples =
            [
                .. raw.Samples.Select(s => new CameraSample(
                    s.Frame,
                    new Pose(s.Rotation!.Value, s.Position).Moved(world).ToRowMajor16(),
                    s.Focal * import.Width / raw.SensorWidthMm,
                    import.Width / 2.0,
                    import.Height / 2.0
                )),
            ],
        };
    }

    /// <summary>24000/1001 and its kin are meant where a rate is written as 23.976.</summary>
    private static FrameRate Nearest(double rate)
    {
        foreach (int n in (int[])[24, 25, 30, 48, 50, 60])
        {
            if (Math.Abs(rate - n) < 1e-6)
            {
                return new(n, 1);
            }
            if (Math.Abs(rate - n * 1000.0 / 1001) < 5e-3)
            {
                return new(n * 1000, 1001);
            }
        }
        return new(Math.Max(1, (int)Math.Round(rate * 1000)), 1000);
    }

    private static string Body(string text, int from)
    {
        // A prim's metadata in parentheses may come before its body.
        int open = text.IndexOf('{', from),
            depth = 0;
        if (open < 0)
        {
            return "";
        }
        for (int i = open; i < text.Length; i++)
        {
            depth +=
                text[i] == '{' ? 1
                : text[i] == '}' ? -1
                : 0;
            if (depth == 0)
            {
                return text[open..i];
            }
        }
        return text[open..];
    }
}
