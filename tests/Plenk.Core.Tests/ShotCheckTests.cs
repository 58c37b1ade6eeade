using System.Text.Json.Nodes;
using Plenk.Core.Checks;
using Plenk.Core.Geometry;
using Plenk.Core.Readings;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>What a shot cannot be is told in words that name the thing and its bound. The bounds are ours.</summary>
public sealed class ShotCheckTests
{
    private static readonly Light Sun = new()
    {
        Id = "sun",
        Name = "sun",
        Kind = LightKind.Sun,
    };
    private static readonly Element Bell = new()
    {
        Id = "bell",
        Name = "bell",
        Media = "x",
    };
    private static readonly Matte Edge = new()
    {
        Id = "edge",
        Name = "edge",
        Keys = [new(1001, [0, 0, 9, 0, 9, 9])],
    };
    private static readonly ProjectionSource Footage = new()
    {
        Id = "p",
        Name = "wall",
        Kind = SourceKind.Held,
    };

    private static readonly ShotDocument Good = new()
    {
        Production = "P",
        Sequence = "S",
        Code = "C",
        Range = new(1001, 1024),
        Lights = [Sun],
        Elements = [Bell],
        Mattes = [Edge],
        Projections = [Footage],
        Plate = new()
        {
            Width = 1920,
            Height = 1080,
            SensorWidthMm = 36,
            SensorHeightMm = 20.25,
            Bits = 8,
            Rate = new(24, 1),
        },
        Pieces =
        [
            new Piece
            {
                Id = "floor",
                Name = "floor",
                Kind = PieceKind.Plane,
                Size = new(4, 1, 4),
            },
        ],
    };

    private static ShotDocument With(Light light) => Good with { Lights = [light] };

    private static ShotDocument With(Element element) => Good with { Elements = [element] };

    private static ShotDocument With(Matte matte) => Good with { Mattes = [matte] };

    private static ShotDocument With(Piece piece) => Good with { Pieces = [piece] };

    private static ShotDocument With(ProjectionSource source) => Good with { Projections = [source] };

    private static ShotDocument With(FinishStep step) => Good with { Finish = new() { Steps = [step] } };

    private static FinishStep Step(FinishKind kind) => new() { Id = "s", Kind = kind };

    private static readonly Dictionary<string, ShotDocument> Wrong = new()
    {
        ["Shot: the code is empty"] = Good with { Code = " " },
        ["Shot: the range ends (1000) before it begins (1001)"] = Good with { Range = new(1001, 1000) },
        ["longer than 100,000 frames"] = Good with { Range = new(1, 200_000) },
        ["the cut (1000–1010) must lie within the plate's frames (1001–1024)"] = Good with { Cut = new(1000, 1010) },
        ["the frame rate must be a ratio of two positive whole numbers"] = Good with { Rate = new(24, 0) },
        ["the sensor's size must be positive"] = Good with { Plate = Good.Plate! with { SensorWidthMm = 0 } },
        ["1280 × 720 is smaller than the proxy itself"] = Good with { Plate = Good.Plate! with { FullWidth = 1280, FullHeight = 720 } },
        ["another shape than the proxy"] = Good with { Plate = Good.Plate! with { FullWidth = 4096, FullHeight = 3072 } },
        ["Plate: “wide” names no primaries; bt709, bt2020, acescg, aces2065-1 do"] = Good with
        {
            Plate = Good.Plate! with { Primaries = "wide" },
        },
        ["Projection wall: “wide” names no primaries"] = With(Footage with { Primaries = "wide" }),
        ["Contact, bell: “wide” names no primaries"] = With(Bell with { Frames = new() { Primaries = "wide" } }),
        ["a proxy's full size needs width and height"] = Good with { Plate = Good.Plate! with { FullWidth = 4096 } },
        ["Contrast curve: its white must lie above its black"] = Good with { Look = new() { Curve = new(0.5, 0.5) } },
        ["Camera, frame 1001: "] = Good with
        {
            Camera = new() { Samples = [new(1001, [2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 2, 0, 0, 0, 0, 1], 1000, 960, 540)] },
        },
        ["the focal length is -5; it must be positive"] = Good with
        {
            Camera = new() { Samples = [new(1001, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], -5, 960, 540)] },
        },
        ["Matte edge: a shape needs three corners"] = With(Edge with { Keys = [new(1001, [0, 0, 9, 0])] }),
        ["its keys have different numbers of corners"] = With(
            Edge with
            {
                Keys = [new(1001, [0, 0, 9, 0, 9, 9]), new(1002, [0, 0, 9, 0, 9, 9, 0, 9])],
            }
        ),
        ["Matte edge: two keys stand at one frame"] = With(
            Edge with
            {
                Keys = [new(1001, [0, 0, 9, 0, 9, 9]), new(1001, [0, 0, 9, 0, 9, 9])],
            }
        ),
        ["between 0 and 500 px wide, and it grows or shrinks by up to 200 px"] = With(Edge with { GrowPixels = double.NaN }),
        ["a matte that it is joined to is no longer in the shot"] = With(Edge with { Parts = [new("gone")] }),
        ["what it hides begins at 0 m or more"] = With(Edge with { HidesBeyondMetres = -1 }),
        ["its band goes from a smaller to a larger difference"] = With(
            Edge with
            {
                Kind = MatteKind.Screen,
                Screen = new(new(0, 0.5, 0), 0.5, 0.2),
            }
        ),
        ["its pictures are missing"] = With(Edge with { Kind = MatteKind.Frames }),
        ["its element is no longer in the shot"] = With(Edge with { Kind = MatteKind.Element, Element = "gone" }),
        ["every line runs along x, y or z"] = Good with { Still = new() { Lines = [new("w", 0, 0, 1, 1)] } },
        ["the origin is two numbers"] = Good with { Still = new() { Origin = [1, double.NaN] } },
        ["the known length has two ends and more than 0 m"] = Good with { Still = new() { Length = new([0, 0], [5, 5], 0) } },
        ["Known lengths: each must be more than 0 m"] = Good with { KnownLengths = [new("a", "b", -2)] },
        ["Survey points: two are called a"] = Good with { SurveyPoints = [new() { Name = "a" }, new() { Name = "a" }] },
        ["Survey point a: its position is not a number"] = Good with
        {
            SurveyPoints = [new() { Name = "a", Position = new(0, double.NaN, 0) }],
        },
        ["hangs on “movingObjects/lift”, which is no longer in the shot"] = With(
            Bell with
            {
                HangsOn = new() { On = "movingObjects/lift" },
            }
        ),
        ["Set, floor: its size must be positive"] = With(Good.Pieces[0] with { Size = new(0, 1, 4) }),
        ["Set, floor: its place is not a number"] = With(Good.Pieces[0] with { Position = new(double.PositiveInfinity, 0, 0) }),
        ["a holdout grows or shrinks by up to 2,000 mm and 50 px"] = With(Good.Pieces[0] with { Duties = new() { HoldoutPixels = 51 } }),
        ["it can be subdivided up to 6 times"] = With(Good.Pieces[0] with { Subdivisions = 7 }),
        ["a cylinder has between 3 and 256 sides"] = With(Good.Pieces[0] with { Kind = PieceKind.Cylinder, Count = 2 }),
        ["the colour that it bounces lies between 0 and 1"] = With(Good.Pieces[0] with { Duties = new() { Bounces = new(1.2, 0, 0) } }),
        ["Set, floor: its mesh file is missing"] = With(Good.Pieces[0] with { Kind = PieceKind.Mesh }),
        ["Projection wall: its picture is missing"] = With(Footage with { Kind = SourceKind.Picture }),
        ["Projection wall: its camera is no longer in the shot"] = With(Footage with { Camera = "gone" }),
        ["a picture goes on beyond its frame by 0 to 2048 pixels"] = With(Footage with { BeyondPixels = 12 }),
        ["Take the matte off the projection first"] = With(Footage with { Matte = "gone" }),
        ["it fades between two distances, the first the nearer"] = With(Footage with { FadeFromMetres = 9, FadeToMetres = 4 }),
        ["it must fade between two angles"] = With(Footage with { FadeFromDegrees = 80, FadeToDegrees = 70 }),
        ["its direction has no length"] = With(Sun with { Direction = default }),
        ["its strength must be 0 or more"] = With(Sun with { Strength = -1 }),
        ["its temperature lies between 1,667 and 25,000 K"] = With(Sun with { Kelvin = 1000 }),
        ["a spot is whole within an angle and dark beyond a larger one"] = With(
            Sun with
            {
                Kind = LightKind.Spot,
                InnerDegrees = 40,
                OuterDegrees = 30,
            }
        ),
        ["its width and height must be positive"] = With(Sun with { Kind = LightKind.Rectangle, Width = 0 }),
        ["only a panorama can show the place"] = With(Sun with { ShowsPlace = true }),
        ["turbidity lies between 1.7"] = With(Sun with { Turbidity = 1 }),
        ["Take it off the light first"] = With(Sun with { ShadeMatte = "gone" }),
        ["its angular size must lie between 0° and 90°"] = With(Sun with { AngularDiameterDegrees = 91 }),
        ["Contact, bell: its scale and its size along each axis must be positive"] = With(Bell with { Scale = 0 }),
        ["Contact, bell: its scale and its size along each axis must be"] = With(Bell with { Stretch = new(1, -1, 1) }),
        ["its pivot lies 200 km off"] = With(Bell with { Pivot = new(200_000, 0, 0) }),
        ["a letter goes up to 100 km off its place"] = With(Bell with { Letters = new() { UnevenShare = 2 } }),
        ["its animation begins at a frame and runs up to 1000 times"] = With(Bell with { Motion = new() { Speed = 0 } }),
        ["it is there from 1009 to 1003, which is never"] = With(Bell with { FromFrame = 1009, ToFrame = 1003 }),
        ["Contact, bell: its mesh file is missing"] = With(Bell with { Media = "" }),
        ["Contact, bell: its pictures are missing"] = With(Bell with { Kind = ElementKind.Rendered }),
        ["Contact, bell: diffuse and highlight go from 0 to 100"] = With(Bell with { Relit = new() { Look = new(Specular: -1) } }),
        ["Contact, bell: its passes are meant by axes like"] = With(Bell with { Passes = new("+X +X +Z") }),
        ["a unit of more than 0 m"] = With(Bell with { Passes = new(Metres: 0) }),
        ["Contact: two are called bell"] = Good with { Elements = [Bell, Bell] },
        ["a shutter is open between 0° and 360°"] = Good with { ShutterDegrees = 400 },
        ["the region that is measured is at least 16 × 16 pixels"] = Good with { Finish = new() { Region = new(0, 0, 8, 40) } },
        ["Finish, grade: it has no values"] = With(Step(FinishKind.Grade)),
        ["Finish, grade: its strength lies between 0 and 1"] = With(Step(FinishKind.Grade) with { Grade = new(), Strength = 1.5 }),
        ["gamma is greater than 0"] = With(Step(FinishKind.Grade) with { Grade = new() { Gamma = new(1, 0, 1) } }),
        ["exposure changes by up to 20 stops"] = With(Step(FinishKind.Grade) with { Grade = new() { Stops = double.NaN } }),
        ["a curve needs two points and more, no two over the same value"] = With(
            Step(FinishKind.Grade) with
            {
                Grade = new() { Curve = [new(0.5, 0), new(0.5, 1)] },
            }
        ),
        ["Take the matte off the step"] = With(Step(FinishKind.Grade) with { Grade = new(), Matte = "gone" }),
        ["which is no rendered element of the shot"] = With(
            Step(FinishKind.Grade) with
            {
                Grade = new(),
                RenderedIds = [new("bell", "id", "rim")],
            }
        ),
        ["it cannot be kept to single objects; use a matte"] = With(Step(FinishKind.Glow) with { Objects = ["bell"] }),
        ["Finish, glow: its size lies between 0 and 1,000 px"] = With(Step(FinishKind.Glow) with { Pixels = -1 }),
        ["Finish, black and white level: "] = With(Step(FinishKind.Levels) with { Levels = new(default, new(-1, 1, 1)) }),
        ["airlight and extinction are not negative"] = With(Step(FinishKind.Haze) with { Haze = new(new(0.5, 0.5, 0.5), new(-0.1, 0, 0)) }),
        ["haze thins over more than 0 m of height"] = With(Step(FinishKind.Haze) with { Haze = new(default, default, 0) }),
        ["an f-number is greater than 0"] = With(Step(FinishKind.Defocus) with { Defocus = new(FNumber: 0) }),
        ["the lens cannot be focused at -2 m: that is behind it"] = With(Step(FinishKind.Defocus) with { Defocus = new(FocusMetres: -2) }),
        ["an opening is a disc (0) or has 3 to 20 blades"] = With(Step(FinishKind.Defocus) with { Defocus = new(Blades: 2) }),
        ["Finish, motion blur by vectors: a shutter is open"] = With(Step(FinishKind.Motion) with { Degrees = 361 }),
        ["enlarged by less than 50 in a thousand"] = With(Step(FinishKind.Lens) with { Lens = new(RedPermille: 60) }),
        ["density is not negative"] = With(Step(FinishKind.Shadow) with { Shadow = new(new(-1, 1, 1)) }),
        ["the matte of the plate's own shadow is no longer in the shot"] = With(
            Step(FinishKind.ShadowMerge) with
            {
                ShadowJoin = new("gone"),
            }
        ),
        ["a shadow leaves a share between 0 and 1 of the light"] = With(
            Step(FinishKind.ShadowMerge) with
            {
                ShadowJoin = new(null, new Vec3(0.5, 1.5, 0.5)),
            }
        ),
        ["its lamp is no longer in the shot"] = With(Step(FinishKind.Flare) with { Flare = new("gone") }),
        ["a lamp has up to 64 streaks"] = With(Step(FinishKind.Flare) with { Flare = new("sun", Streaks: 65) }),
        ["its pattern has a size"] = With(Step(FinishKind.Ripple) with { Ripple = new(SizePixels: 0) }),
        ["a picture is enlarged by more than 0"] = With(Step(FinishKind.Reframe) with { Reframe = new([new(1001, Scale: 0)]) }),
    };

    public static TheoryData<string> Words => [.. Wrong.Keys];

    [Theory]
    [MemberData(nameof(Words))]
    public void What_is_wrong_is_told(string words)
    {
        IReadOnlyList<string> faults = ShotChecks.Faults(Wrong[words]);
        Assert.Contains(faults, f => f.Contains(words, StringComparison.Ordinal));
        Assert.All(faults, f => Assert.True(f[^1] is '.' or '?', f));
    }

    [Fact]
    public void A_good_shot_has_no_faults() => Assert.Empty(ShotChecks.Faults(Good));

    // Whatever number stands in a document: it is told or let be, nothing is thrown.
    [Fact]
    public void No_number_in_a_document_is_more_than_a_fault()
    {
        ShotDocument full = Good with
        {
            Finish = new()
            {
                Steps =
                [
                    .. Wrong.Values.SelectMany(d => d.Finish.Steps).GroupBy(s => s.Kind).Select((g, i) => g.First() with { Id = $"{i}" }),
                ],
                Region = new(1, 1, 40, 40),
            },
            Pieces =
            [
                .. Good.Pieces,
                new Piece
                {
                    Id = "room",
                    Kind = PieceKind.Outline,
                    Corners = [0, 0, 4, 0, 4, 3],
                    Size = new(1, 2, 1),
                    Openings = [new(0, 1, 2, 0, 2)],
                },
            ],
            Lights = [Sun with { Kelvin = 5000 }],
            Camera = new() { Samples = [new(1001, [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1], 1000, 960, 540)] },
            KnownLengths = [new("a", "b", 1)],
        };
        string json = ShotJson.Write(full);
        int numbers = 0,
            told = 0;
        foreach (string value in (string[])["-1e300", "1e300", "0", "-1"])
        {
            for (int k = 0; ; k++)
            {
                JsonNode root = JsonNode.Parse(json)!;
                int left = k;
                if (!Replace(root, ref left, value))
                {
                    numbers = k;
                    break;
                }
                ShotDocument? harmed = null;
                try
                {
                    harmed = ShotJson.Read(root.ToJsonString());
                }
                catch (Exception e) when (e is ArgumentException or System.Text.Json.JsonException or FormatException)
                {
                    told++;
                }
                if (harmed is not null)
                {
                    told += ShotChecks.Faults(harmed).Count > 0 ? 1 : 0;
                }
            }
        }
        Assert.InRange(numbers, 150, 2000);
        Assert.True(told > numbers, $"{told} of {4 * numbers} were told");
    }

    /// <summary>Sets the number that comes at a place in the order of the text.</summary>
    private static bool Replace(JsonNode? node, ref int left, string value)
    {
        switch (node)
        {
            case JsonObject o:
                foreach (string key in o.Select(p => p.Key).ToList())
                {
                    if (o[key] is JsonValue v && v.GetValueKind() == System.Text.Json.JsonValueKind.Number)
                    {
                        if (left-- == 0)
                        {
                            o[key] = JsonNode.Parse(value);
                            return true;
                        }
                    }
                    else if (Replace(o[key], ref left, value))
                    {
                        return true;
                    }
                }
                return false;
            case JsonArray a:
                for (int i = 0; i < a.Count; i++)
                {
                    if (a[i] is JsonValue v && v.GetValueKind() == System.Text.Json.JsonValueKind.Number)
                    {
                        if (left-- == 0)
                        {
                            a[i] = JsonNode.Parse(value);
                            return true;
                        }
                    }
                    else if (Replace(a[i], ref left, value))
                    {
                        return true;
                    }
                }
                return false;
            default:
                return false;
        }
    }

    // Common practice, no source: a verdict is near from 80 % of its tolerance on, from 125 % downwards where more is better.
    [Theory]
    [InlineData(0.79, false, Verdict.Within)]
    [InlineData(-0.81, false, Verdict.Near)]
    [InlineData(1.0, false, Verdict.Near)]
    [InlineData(-1.01, false, Verdict.Outside)]
    [InlineData(1.26, true, Verdict.Within)]
    [InlineData(1.24, true, Verdict.Near)]
    [InlineData(0.99, true, Verdict.Outside)]
    [InlineData(double.NaN, false, Verdict.Nothing)]
    public void A_reading_is_judged_by_its_tolerance(double value, bool over, Verdict verdict) =>
        Assert.Equal(verdict, (PlateReadings.Blank with { Value = value, Tolerance = 1, Over = over }).Judged().Verdict);

    [Fact]
    public void Missing_frames_are_counted_and_the_first_is_named()
    {
        Assert.Equal("no plate yet", PlateReadings.SequenceComplete(Good).Note);
        PlateFrame[] frames =
        [
            .. Enumerable.Range(1001, 24).Where(f => f is not (1007 or 1008)).Select(f => new PlateFrame(f, $"{f}.png", $"{f}")),
        ];
        Reading reading = PlateReadings.SequenceComplete(Good with { Plate = Good.Plate! with { Frames = frames } });
        Assert.Equal(
            (2, Verdict.Outside, "first missing at 1007", 1007),
            (reading.Value!.Value, reading.Verdict, reading.Note, reading.Worst!.Frame)
        );
        reading = PlateReadings.SequenceComplete(Good with { Range = new(1009, 1024), Plate = Good.Plate! with { Frames = frames } });
        Assert.Equal((0, Verdict.Within, "16 of 16 frames"), (reading.Value!.Value, reading.Verdict, reading.Note));
    }

    [Fact]
    public void Over_a_range_the_worst_frame_speaks()
    {
        Reading Of(double? v, bool over = false) => PlateReadings.Blank with { Value = v, Note = $"{v}", Over = over };
        Reading worst = OverFrames.Worst([(1001, Of(0.2)), (1002, Of(-0.9)), (1003, Of(null)), (1004, Of(0.5))]);
        Assert.Equal(-0.9, worst.Value);
        Assert.Equal([1001, 1002, 1004], worst.PerFrame!.Select(f => f.Frame));
        Assert.Equal(0.2, OverFrames.Worst([(1, Of(0.7, true)), (2, Of(0.2, true))]).Value);
        Assert.Null(OverFrames.Worst([(1, Of(null)), (2, Of(null))]).Value);
    }
}
