using System.Diagnostics;
using System.Globalization;
using System.Text;
using System.Text.Json;
using Plenk.Core.Images;
using Plenk.Formats.Exr;

namespace Plenk.Bench;

/// <summary>
/// What the command place-element makes of a filmed court beside a brute-force reference over the reference ray kernel, which shares only
/// files with it (bench/reference/composite.cpp): a ball partly behind a pillar and a post whose shadow runs down the steps.
/// </summary>
public static class CompositeAccuracy
{
    private static readonly int[] Frames = [1024, 1048];

    /// <param name="court">Folder of the foreign sequence.</param>
    /// <param name="reference">The reference, built.</param>
    public static int Run(string court, string command, string reference)
    {
        string work = Directory.CreateTempSubdirectory("plenk-bench-").FullName;
        try
        {
            using JsonDocument json = JsonDocument.Parse(File.ReadAllText(Path.Combine(court, "truth.json")));
            JsonElement truth = json.RootElement,
                lights = truth.GetProperty("lights");
            double[] Numbers(JsonElement e) => [.. e.EnumerateArray().Select(v => v.GetDouble())];
            double[] sun = Numbers(lights.GetProperty("sun_direction_to_light")),
                irradiance = [.. Numbers(lights.GetProperty("sun_irradiance_over_pi")).Select(v => Math.PI * v)],
                sky = Numbers(lights.GetProperty("sky_irradiance_over_pi"));
            double diameter = lights.GetProperty("sun_angular_diameter_deg").GetDouble(),
                k1 = truth.GetProperty("k1").GetDouble(),
                k2 = truth.GetProperty("k2").GetDouble();
            var (width, height) = (truth.GetProperty("width").GetInt32(), truth.GetProperty("height").GetInt32());
            string element = Path.Combine(work, "element.obj"),
                rig = Path.Combine(work, "lights.json"),
                camera = Path.Combine(work, "solve.json"),
                set = Path.Combine(court, "set.obj");
            File.WriteAllText(element, Element());
            File.WriteAllText(
                rig,
                JsonSerializer.Serialize(
                    new object[]
                    {
                        new
                        {
                            kind = "sun",
                            direction = sun,
                            irradiance,
                            angularDiameterDegrees = diameter,
                        },
                        new { kind = "sky", radiance = sky },
                    }
                )
            );
            var frames = truth.GetProperty("frames").EnumerateArray().ToDictionary(f => f.GetProperty("frame").GetInt32());
            File.WriteAllText(
                camera,
                JsonSerializer.Serialize(
                    new
                    {
                        status = "solved",
                        width,
                        height,
                        k1,
                        k2,
                        frames = frames.Values.Select(f => new
                        {
                            frame = f.GetProperty("frame").GetInt32(),
                            camera_to_world = Numbers(f.GetProperty("camera_to_world")),
                            focal_px = f.GetProperty("focal_px").GetDouble(),
                            cx = f.GetProperty("cx").GetDouble(),
                            cy = f.GetProperty("cy").GetDouble(),
                        }),
                    }
                )
            );
            Call(
                command,
                "place-element",
                "--plate",
                court,
                "--camera",
                camera,
                "--set",
                set,
                "--element",
                element,
                "--lights",
                rig,
                "--frames",
                string.Join(',', Frames),
                "--out",
                work
            );
            bool all = true;
            foreach (int frame in Frames)
            {
                JsonElement f = frames[frame];
                string scene = Path.Combine(work, "scene.txt"),
                    raw = Path.Combine(work, "reference.raw");
                double[] numbers =
                [
                    width,
                    height,
                    f.GetProperty("focal_px").GetDouble(),
                    f.GetProperty("cx").GetDouble(),
                    f.GetProperty("cy").GetDouble(),
                    k1,
                    k2,
                    .. Numbers(f.GetProperty("camera_to_world")),
                    .. sun,
                    diameter,
                    .. irradiance,
                    .. sky,
                ];
                File.WriteAllText(scene, string.Join(' ', numbers.Select(n => n.ToString("R", CultureInfo.InvariantCulture))));
                Call(reference, set, element, scene, "3000", raw);
                float[] theirs = new float[5 * width * height];
                Buffer.BlockCopy(File.ReadAllBytes(raw), 0, theirs, 0, 4 * theirs.Length);
                all &= Compare(frame, ExrFile.Read(Path.Combine(work, $"comp.{frame}.exr")), theirs, width, height);
            }
            return all ? 0 : 3;
        }
        finally
        {
            Directory.Delete(work, recursive: true);
        }
    }

    private static bool Compare(int frame, ExrPicture ours, float[] theirs, int width, int height)
    {
        bool all = true;
        void Report(string name, double value, double bar, bool atLeast, string unit = "")
        {
            bool good = atLeast ? value >= bar : value <= bar;
            all &= good;
            Console.WriteLine(
                $"{frame} {name, -50} {value, 10:0.####} {unit, -3} bar {(atLeast ? "≥" : "≤")} {bar}  {(good ? "within" : "OUTSIDE")}"
            );
        }
        int n = width * height,
            shadowed = 0,
            open = 0;
        double squares = 0,
            outside = 0;
        float[][] shadow = [.. "RGB".Select(c => ours.Find("shadow", c.ToString())!.Values)];
        for (int i = 0; i < n; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                double apart = shadow[c][i] - theirs[5 * i + c];
                if (theirs[5 * i + c] < 0.97)
                {
                    (squares, shadowed) = (squares + apart * apart, shadowed + 1);
                }
                else
                {
                    (outside, open) = (outside + apart, open + 1);
                }
            }
        }
        Report(
            $"shadow, where it is below 0.97 ({100.0 * shadowed / (3 * n):0.0} % of the frame)",
            10 * Math.Log10(shadowed / squares),
            38,
            true,
            "dB"
        );
        Report("shadow, bias elsewhere", Math.Abs(100 * outside / open), 0.5, false, "%");
        float[] before = ours.Find("element", "A")!.Values,
            hidden = ours.Find("holdout", "A")!.Values;
        void Outline(string name, Func<int, float> a, Func<int, float> b)
        {
            int both = 0,
                either = 0;
            double between = 0,
                length = 0;
            for (int i = 0; i < n; i++)
            {
                bool inA = a(i) >= 0.5,
                    inB = b(i) >= 0.5;
                (both, either) = (both + (inA && inB ? 1 : 0), either + (inA || inB ? 1 : 0));
                between += Math.Abs(a(i) - b(i));
                int x = i % width,
                    y = i / width;
                // Length of an outline from its sides between pixels, by π/4 on the average of all directions.
                if (x > 0 && b(i - 1) >= 0.5 != inB)
                {
                    length += Math.PI / 4;
                }
                if (y > 0 && b(i - width) >= 0.5 != inB)
                {
                    length += Math.PI / 4;
                }
            }
            Report($"{name}, intersection over union", (double)both / either, 0.99, true);
            Report($"{name}, mean edge distance (area between ÷ length)", between / length, 0.3, false, "px");
        }
        Outline("element", i => before[i], i => theirs[5 * i + 3]);
        Outline("what shows", i => before[i] - hidden[i], i => theirs[5 * i + 4]);
        Outline("holdout", i => hidden[i], i => theirs[5 * i + 3] - theirs[5 * i + 4]);
        return all;
    }

    private static void Call(string program, params string[] arguments)
    {
        using Process process = Process.Start(new ProcessStartInfo(program, arguments))!;
        process.WaitForExit();
        if (process.ExitCode != 0)
        {
            throw new InvalidOperationException($"{Path.GetFileName(program)} ended with {process.ExitCode}");
        }
    }

    /// <summary>A ball of 0.55 m behind the second pillar, and a post of 0.4 × 1.5 × 0.4 m before the steps.</summary>
    private static string Element()
    {
        const int around = 96,
            up = 48;
        var text = new StringBuilder("o ball\n");
        for (int i = 0; i <= up; i++)
        {
            double polar = Math.PI * i / up;
            for (int k = 0; k < around; k++)
            {
                double a = 2 * Math.PI * k / around;
                text.Append(
                    CultureInfo.InvariantCulture,
                    $"v {3.35 + 0.55 * Math.Sin(polar) * Math.Cos(a):R} {0.55 + 0.55 * Math.Cos(polar):R} {-3.3 + 0.55 * Math.Sin(polar) * Math.Sin(a):R}\n"
                );
            }
        }
        int Ball(int i, int k) => i * around + k % around + 1;
        for (int i = 0; i < up; i++)
        {
            for (int k = 0; k < around; k++)
            {
                if (i > 0)
                {
                    text.Append(CultureInfo.InvariantCulture, $"f {Ball(i, k)} {Ball(i, k + 1)} {Ball(i + 1, k)}\n");
                }
                if (i < up - 1)
                {
                    text.Append(CultureInfo.InvariantCulture, $"f {Ball(i, k + 1)} {Ball(i + 1, k + 1)} {Ball(i + 1, k)}\n");
                }
            }
        }
        text.Append("o post\n");
        int first = (up + 1) * around + 1;
        for (int c = 0; c < 8; c++)
        {
            text.Append(CultureInfo.InvariantCulture, $"v {-1.7 + 0.4 * (c & 1):R} {1.5 * (c >> 1 & 1):R} {-3.2 + 0.4 * (c >> 2):R}\n");
        }
        foreach (
            int[] q in (int[][])
                [
                    [0, 2, 3, 1],
                    [4, 5, 7, 6],
                    [0, 1, 5, 4],
                    [2, 6, 7, 3],
                    [0, 4, 6, 2],
                    [1, 3, 7, 5],
                ]
        )
        {
            text.Append("f ").AppendJoin(' ', q.Select(c => first + c)).Append('\n');
        }
        return text.ToString();
    }
}
