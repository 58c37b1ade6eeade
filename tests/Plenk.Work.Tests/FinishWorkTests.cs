using System.Numerics;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Step 7 and 8 on the demo shot: levels by a press, readings over the range, overscan, what is made for review.</summary>
public sealed class FinishWorkTests(DemoShot demo) : IClassFixture<DemoShot>, IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("plenk-finish-").FullName;

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    [Fact]
    public void Black_and_white_are_brought_to_the_plate_by_a_press()
    {
        // Four stops too bright and lifted: brighter than anything in the plate.
        ShotDocument shot = demo.Document with
        {
            Finish = new()
            {
                Steps =
                [
                    new()
                    {
                        Id = "grade_1",
                        Kind = FinishKind.Grade,
                        Grade = new() { Stops = 4 },
                    },
                ],
            },
        };
        Reading White(ShotDocument s) => FinishReadings.White(demo.Engine.Finish.Measured(s));
        Reading before = White(shot);
        FinishWork.Brought black = demo.Engine.Finish.BringToPlate(shot, FinishKind.Levels),
            both = demo.Engine.Finish.BringToPlate(shot, FinishKind.Levels, white: true);
        Assert.DoesNotContain("White", Assert.Single(black.Notes));
        FinishStep step = both.Finish.Steps.Single(s => s.Kind == FinishKind.Levels);
        Assert.InRange(step.Levels!.Gain.X, 0.02, 0.999);
        Assert.Equal(step.Levels.Gain.X, step.Levels.Gain.Z); // one gain: colours stay
        Reading after = White(shot with { Finish = both.Finish });
        Assert.True(after.Value < before.Value || before.Value == 0, $"{before.Value} then {after.Value}");
        Assert.Equal(Verdict.Within, after.Verdict);
        Assert.NotEqual(Verdict.Outside, FinishReadings.Black(demo.Engine.Finish.Measured(shot with { Finish = both.Finish })).Verdict);
    }

    [Fact]
    public void A_step_that_is_brought_takes_its_own_place_and_leaves_the_artists_others()
    {
        FinishStep own = new() { Id = "levels_1", Kind = FinishKind.Levels },
            second =
                new()
                {
                    Id = "levels_2",
                    Kind = FinishKind.Levels,
                    Strength = 0.5,
                };
        FinishStep set = own with { Strength = 0.25 };
        Assert.Equal([second, set], FinishWork.With(new() { Steps = [own, second] }, FinishKind.Levels, set).Steps);
        Assert.Equal([second], FinishWork.With(new() { Steps = [second] }, FinishKind.Grain, null).Steps);
        Assert.Empty(FinishWork.With(new() { Steps = [own, second] }, FinishKind.Levels, null).Steps);
    }

    // Whatever a plate's codes stand for: where nothing touches it the comp has its codes, and light that is doubled is doubled light.
    [Theory]
    [InlineData(ColorEncoding.Bt709, null)]
    [InlineData(ColorEncoding.Pq, "bt2020")]
    [InlineData(ColorEncoding.Hlg, null)]
    [InlineData(ColorEncoding.PrintingDensity, null)]
    [InlineData(ColorEncoding.AcesCct, "acescg")]
    public void A_plate_of_any_encoding_keeps_its_codes(ColorEncoding encoding, string? primaries)
    {
        ShotDocument shot = demo.Document with
        {
            Plate = demo.Document.Plate! with { Encoding = encoding, Primaries = primaries },
            Elements = [],
            Finish = new(),
        };
        ColorSpace space = shot.Plate!.Space;
        static Vector3 Of(float[] data) => new(data.AsSpan(3 * 5000, 3));
        CodeImage plate = demo.Engine.Plates.PlateCodes(shot, 1036);
        FrameLayers layers = demo.Engine.Finish.Frame(shot, 1036, plate.Width, RenderQuality.Draft, dataPasses: false);
        Assert.True(plate.Codes.AsSpan().SequenceEqual(demo.Engine.Renderer.Comp(shot, 1036, layers).Codes));
        Assert.InRange(
            Vector3.Distance(
                space.ToLinear(new Vector3(plate.Codes[3 * 5000], plate.Codes[3 * 5000 + 1], plate.Codes[3 * 5000 + 2]) / 255f),
                Of(layers.Comp.Data)
            ),
            0,
            1e-4f * (1 + Of(layers.Comp.Data).Length())
        );
        // A touched pixel goes back through the same encoding.
        bool[] touched = [.. layers.Touched];
        FloatImage brighter = layers.Comp.Copy();
        touched[5000] = true;
        for (int c = 0; c < 3; c++)
        {
            brighter.Data[3 * 5000 + c] *= 0.5f;
        }
        CodeImage half = demo.Engine.Renderer.Comp(shot, 1036, layers with { Touched = touched, Comp = brighter }, 16);
        Vector3 back = space.ToLinear(new Vector3(half.Codes[3 * 5000], half.Codes[3 * 5000 + 1], half.Codes[3 * 5000 + 2]) / 65535f);
        Assert.InRange(Vector3.Distance(0.5f * Of(layers.Comp.Data), back), 0, 1e-3f * Math.Max(0.05f, Of(layers.Comp.Data).Length()));
    }

    [Fact]
    public void Readings_are_taken_over_the_range_the_worst_first()
    {
        ShotDocument shot = demo.Document with { Cut = new(1036, 1037) };
        var readings = ReadingKind.FinishOverRange(demo.Engine, shot, default, (_, _) => { });
        Assert.Equal(6, readings.Count);
        foreach (var (key, reading) in readings)
        {
            ReadingKind kind = ReadingKind.All.Single(k => k.Blank.Id == reading.Id);
            // Kept where the shot with this cut looks for it, and not where another cut does.
            Assert.NotEqual(kind.Key(demo.Document), key);
            Assert.NotEqual(kind.Key(shot with { Cut = new(1036, 1038) }), key);
            if (reading.PerFrame is { } frames)
            {
                Assert.Equal([1036, 1037], frames.Select(f => f.Frame));
                Assert.Equal(frames.Max(f => Math.Abs(f.Value)), Math.Abs(reading.Value!.Value), 12);
            }
        }
        Assert.Contains(readings, r => r.Reading.PerFrame is not null);
        // Of one frame it is that frame's own.
        Reading own = FinishReadings.Black(demo.Engine.Finish.Measured(shot, at: 1037));
        Assert.Equal(own.Value, readings.Single(r => r.Reading.Id == own.Id).Reading.PerFrame!.Single(f => f.Frame == 1037).Value);
        Assert.Throws<ShotFault>(() => ReadingKind.FinishOverRange(demo.Engine, shot with { Elements = [] }, default, (_, _) => { }));
    }

    [Fact]
    public void Overscan_goes_on_beyond_the_plate_and_leaves_what_lies_within()
    {
        // The bell at the border: half of it lies beyond the plate.
        var work = new HandOverWork(demo.Engine);
        var choice = new HandOverChoice(["exr", "png16"], Width: 160, Scene: false, Readings: false);
        // A lens step acts by the plate's corner, not the picture's; framing moves the comp alone.
        ShotDocument shot = demo.Document with
        {
            ShutterDegrees = 0,
            Finish = new()
            {
                Steps =
                [
                    new()
                    {
                        Id = "lens_1",
                        Kind = FinishKind.Lens,
                        Lens = new(-0.2, 0, 0, 0),
                    },
                    new() { Id = "grain_1", Kind = FinishKind.Grain },
                ],
            },
        };
        string a = Path.Combine(_folder, "a"),
            b = Path.Combine(_folder, "b");
        HandedFile plain = work.Frame(shot, choice, HandOverWork.Begin(shot, choice, a).Version, 1036, a).First(f => f.Kind == "exr");
        HandOverChoice wider = choice with { Overscan = 0.1 };
        IReadOnlyList<HandedFile> files = work.Frame(shot, wider, HandOverWork.Begin(shot, wider, b).Version, 1036, b);
        ExrPicture small = ExrFile.Read(Path.Combine(a, plain.Name)),
            large = ExrFile.Read(Path.Combine(b, files.First(f => f.Kind == "exr").Name));
        Assert.Equal(
            (192, 122, -16, -16, 160, 90),
            (large.Width, large.Height, large.DataX, large.DataY, large.DisplayWidth, large.DisplayHeight)
        );
        foreach (string name in (string[])["comp.G", "comp.A", "element.G", "element.A", "holdout.A", "shadow.G", "depth.Z", "P.X", "N.Y"])
        {
            float[] s = small.Channels.Single(c => c.Name == name).Values,
                l = large.Channels.Single(c => c.Name == name).Values;
            int off = 0;
            for (int i = 0; i < s.Length; i++)
            {
                float v = l[(i / 160 + 16) * 192 + i % 160 + 16];
                if (!(Math.Abs(v - s[i]) <= 2e-3f * (1 + Math.Abs(s[i]))) && v != s[i])
                {
                    off++;
                }
            }
            Assert.True(off <= 40, $"{name}: {off} pixels differ within the plate"); // a ray that just met an edge may just miss it
        }
        float[] alpha = large.Channels.Single(c => c.Name == "comp.A").Values,
            depth = large.Channels.Single(c => c.Name == "depth.Z").Values,
            shadow = large.Channels.Single(c => c.Name == "shadow.G").Values;
        Assert.Equal(0, alpha[5 * 192 + 5]);
        Assert.True(
            depth.Where((d, i) => (i % 192 < 16 || i % 192 >= 176) && float.IsFinite(d)).Count() > 500,
            "the set goes on beyond the plate"
        );
        Assert.All(shadow, v => Assert.InRange(v, 0, 4));
        // The chain hangs from beyond the upper border.
        float[] element = large.Channels.Single(c => c.Name == "element.A").Values;
        Assert.True(element.Take(16 * 192).Sum() > 1, "the element goes on beyond the plate");
        CodeImage One(string folder, string name) => RasterFile.Read(File.ReadAllBytes(Path.Combine(folder, name)), name);
        CodeImage first = One(a, HandOverWork.NameOf(shot, choice, 1, "comp", 1036, "png")),
            second = One(b, files.First(f => f.Kind == "png").Name);
        Assert.Equal((160, 90), (second.Width, second.Height));
        Assert.True(first.Codes.Zip(second.Codes).Count(p => p.First != p.Second) < 300, "the comp is the same with and without");
        Assert.Contains("50 %", (choice with { Overscan = 0.8 }).Fault());
    }

    // In other primaries the layers go together to the same picture: M (comp) = held + M (plate) · shadow · (1 − a) + added, and come in again as they were.
    [Fact]
    public void What_is_handed_over_in_ACEScg_goes_together_there_and_comes_back()
    {
        ShotDocument shot = demo.Document with { Finish = new(), Contact = new(0) };
        var work = new HandOverWork(demo.Engine);
        var choice = new HandOverChoice(["exr"], Width: 160, Scene: false, Readings: false);
        HandOverChoice wide = choice with { Primaries = "acescg" };
        string a = Path.Combine(_folder, "a"),
            b = Path.Combine(_folder, "b");
        HandOverWork.Begin(shot, choice, a);
        HandOverWork.Begin(shot, wide, b);
        ExrPicture near = ExrFile.Read(Path.Combine(a, work.Frame(shot, choice, 1, 1036, a).Single().Name)),
            there = ExrFile.Read(Path.Combine(b, work.Frame(shot, wide, 1, 1036, b).Single().Name));
        Assert.Same(Primaries.AcesCg, there.Primaries);
        FloatImage Three(ExrPicture p, string layer) =>
            FloatImage.Of(p.Width, p.Height, [.. "RGB".Select(c => p.Channels.Single(k => k.Name == $"{layer}.{c}").Values)]);
        float[] One(ExrPicture p, string name) => p.Channels.Single(c => c.Name == name).Values;
        FloatImage plate = Primaries.Convert(demo.Engine.Plates.Plate(shot, 1036, 160), Primaries.Bt709.To(Primaries.AcesCg)),
            comp = Three(there, "comp"),
            shadow = Three(there, "shadow"),
            added = Three(there, "added"),
            element = Three(there, "element");
        float[] alpha = One(there, "element.A"),
            holdout = One(there, "holdout.A");
        double worst = 0;
        for (int i = 0; i < 160 * 90; i++)
        {
            float held = alpha[i] - holdout[i],
                share = alpha[i] > 0 ? held / alpha[i] : 0;
            if (held is > 0.02f and < 0.98f)
            {
                continue;
            } // an edge's element is not all of one distance
            for (int c = 0; c < 3; c++)
            {
                float together =
                    element.Data[3 * i + c] * share + (plate.Data[3 * i + c] * shadow.Data[3 * i + c] + added.Data[3 * i + c]) * (1 - held);
                worst = Math.Max(worst, Math.Abs(together - comp.Data[3 * i + c]) / (0.05 + comp.Data[3 * i + c]));
            }
        }
        Assert.InRange(worst, 0, 0.01);
        // Data is the same in both; colours are, once they are back.
        foreach (string data in (string[])["depth.Z", "P.X", "N.Y", "holdout.A", "id_object00.R"])
        {
            Assert.Equal(One(near, data), One(there, data));
        }
        float[] ours = Three(near, "element").Data,
            back = there.Colour([.. "RGB".Select(c => One(there, $"element.{c}"))]).Data;
        for (int i = 0; i < ours.Length; i++)
        {
            Assert.InRange(Math.Abs(ours[i] - back[i]), 0, 0.003f * (0.1f + Math.Abs(ours[i])));
        }
        string sheet = File.ReadAllText(Path.Combine(b, work.Close(shot, null, wide, 1, [1036], b)));
        Assert.Contains("primaries of ACEScg", sheet);
        Assert.Contains("The plate is converted to ACEScg first", sheet);
        Assert.Contains("names no primaries", (choice with { Primaries = "p3" }).Fault());

        // Brought in as a rendered element, it is its element layer that stands in the shot, in the working primaries.
        string hash = demo.Media.Write(File.ReadAllBytes(Directory.GetFiles(b, "*.exr").Single()));
        ShotDocument again = shot with
        {
            ShutterDegrees = 0,
            Elements =
            [
                new()
                {
                    Id = "frames",
                    Name = "frames",
                    Kind = ElementKind.Rendered,
                    Frames = new() { Frames = [new(1036, "bell.1036.exr", hash)], Premultiplied = true },
                },
            ],
        };
        FloatImage stands = demo.Engine.Renderer.Render(again, 1036, 160, RenderQuality.Draft, dataPasses: false).Element;
        for (int i = 0; i < 160 * 90; i++)
        {
            for (int c = 0; c < 3; c++)
            {
                Assert.InRange(Math.Abs(stands.Data[4 * i + c] - ours[3 * i + c]), 0, 0.004f * (0.1f + Math.Abs(ours[3 * i + c])));
            }
        }
    }

    [Fact]
    public void What_is_for_review_bears_shot_version_and_frame()
    {
        var work = new HandOverWork(demo.Engine);
        var bare = new HandOverChoice(["stills"], Width: 320, Scene: false, Readings: false);
        HandOverChoice all = bare with { Formats = ["stills", "contact", "mp4"], BurnIn = true };
        string a = Path.Combine(_folder, "a"),
            b = Path.Combine(_folder, "b");
        HandOverWork.Begin(demo.Document, bare, a);
        HandOverWork.Begin(demo.Document, all, b);
        CodeImage clean = Read(a, work.Frame(demo.Document, bare, 1, 1036, a).Single().Name);
        foreach (int f in (int[])[1036, 1037])
        {
            work.Frame(demo.Document, all, 1, f, b);
        }
        string sheet = work.Close(demo.Document, null, all, 1, [1036, 1037], b);
        CodeImage burned = Read(b, HandOverWork.NameOf(demo.Document, all, 1, "review", 1036, "png"));
        Assert.Equal(8, burned.Bits);
        // Words at the lower border, left and right, white on dark; nothing else is changed.
        bool[] differs =
        [
            .. Enumerable
                .Range(0, 320 * 180)
                .Select(i => Enumerable.Range(0, 3).Any(c => clean.Codes[3 * i + c] != burned.Codes[3 * i + c])),
        ];
        Assert.True(differs.Take(320 * 150).All(d => !d), "the picture above is left");
        Assert.InRange(differs.Where((d, i) => d && i % 320 < 140).Count(), 100, 2500);
        Assert.InRange(differs.Where((d, i) => d && i % 320 > 260).Count(), 40, 1000);
        Assert.Contains(burned.Codes.Skip(3 * 320 * 150), v => v == 255);
        CodeImage contact = Read(b, "BTH_0040_v001.contact.png");
        Assert.Equal(12 + 2 * (320 + 12), contact.Width);
        Assert.Contains(Directory.GetFiles(b), f => f.EndsWith("_v001.mp4", StringComparison.Ordinal));
        Assert.Empty(Assert.Single(HandOverWork.Verify(b)).Faults);
        Assert.Contains("burned in", File.ReadAllText(Path.Combine(b, sheet)));
        Assert.False(Directory.Exists(Path.Combine(b, ".frames")));

        static CodeImage Read(string folder, string name) => RasterFile.Read(File.ReadAllBytes(Path.Combine(folder, name)), name);
    }

    [Fact]
    public void A_long_hand_over_has_thirty_frames_on_its_sheet()
    {
        var picture = new CodeImage(64, 36, 3, 8, new ushort[64 * 36 * 3]);
        CodeImage sheet = ReviewPicture.ContactSheet("made up", [.. Enumerable.Range(0, 30).Select(i => ($"{i}", picture))]);
        Assert.Equal(12 + 6 * 332, sheet.Width);
        Assert.Equal(64 + 5 * (180 + 32 + 12) + 12, sheet.Height);
        Assert.Equal(0, sheet.Codes[3 * (64 * sheet.Width + 12)]); // the first picture's corner
    }
}
