using System.Text.Json;
using Plenk.Core.Checks;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;
using Plenk.Formats.Raster;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>BTH_0090 in a media store of its own.</summary>
public sealed class MopShot : IDisposable
{
    private readonly string _folder = Path.Combine(Path.GetTempPath(), $"plenk-contact-{Guid.NewGuid():N}");

    public MopShot()
    {
        Media = new MediaStore(Path.Combine(_folder, "media"));
        Engine = new(Media);
        Document = DemoSeed.Shot(Path.Combine(DemoShot.Repository, "demo"), "BTH_0090", b => Media.Write(b));
    }

    public MediaStore Media { get; }
    public ShotEngine Engine { get; }
    public ShotDocument Document { get; }

    public void Dispose() => Directory.Delete(_folder, recursive: true);
}

/// <summary>The attendant of BTH_0090 as a solid, elements of every kind in the demo's shots, lights as files.</summary>
public sealed class ContactWorkTests(MopShot shot) : IClassFixture<MopShot>
{
    private readonly MediaStore _media = shot.Media;
    private readonly ShotEngine _engine = shot.Engine;
    private readonly ShotDocument _mop = shot.Document;

    [Fact]
    public void A_matte_is_what_lies_in_a_range_of_the_set_or_of_the_plate()
    {
        int width = 320,
            height = 180;
        float[] In(MatteRange range) =>
            _engine.Mattes.Coverage(
                _mop with
                {
                    Mattes =
                    [
                        new()
                        {
                            Id = "r",
                            Kind = MatteKind.Range,
                            Range = range,
                        },
                    ],
                },
                "r",
                1013,
                width,
                height
            );
        ShotDocument at = Hanging.At(_mop with { Pieces = [.. _mop.Pieces.Where(p => p.Kind != PieceKind.Figure)] }, 1013);
        var grid = _engine.Grid(_mop, 1013, width, height);
        var scene = _engine.Place.Set(at).Scene;
        float[] far = In(new(From: 12)),
            high = In(new(MatteMeasure.Height, From: 1, To: 3)),
            floor = In(new(MatteMeasure.Slope, To: 20)),
            bright = In(new(MatteMeasure.Brightness, From: 0.2, Soft: 0.1));
        FloatImage plate = _engine.Plates.QuietPlate(_mop, 1013, width);
        int held = 0,
            walls = 0;
        for (int y = 1; y < height - 1; y++)
        {
            for (int x = 1; x < width - 1; x++)
            {
                int i = y * width + x;
                Assert.Equal(Math.Clamp(1 + (Luminance.Of(plate.Data.AsSpan(3 * i, 3)) - 0.2f) / 0.1f, 0, 1), bright[i], 1e-4f);
                // By the ray through its middle, where all of the pixel is of one mind.
                Assert.True(grid.TryDirection(x, y, new(0.5f, 0.5f), out var d));
                var ray = new Ray(grid.Origin, d);
                var hit = scene.Intersect(ray, RayKinds.CameraSet);
                if (far[i] is 0 or 1)
                {
                    held++;
                    Assert.Equal(!hit.IsHit || grid.DepthOf(ray.At(hit.T)) > 12, far[i] == 1);
                }
                if (high[i] is 0 or 1 && hit.IsHit)
                {
                    Assert.Equal(ray.At(hit.T).Y is > 1 and < 3, high[i] == 1);
                }
                walls += high[i] == 1 && floor[i] == 0 ? 1 : 0;
            }
        }
        Assert.True(held > 0.9 * width * height && walls > 300, $"{held}, {walls}");
        Assert.Contains(floor, f => f == 1);
        ShotDocument open = _mop with
        {
            Mattes =
            [
                new()
                {
                    Id = "r",
                    Name = "all",
                    Kind = MatteKind.Range,
                    Range = new(),
                },
            ],
        };
        Assert.Contains(ShotChecks.Faults(open), f => f.Contains("no bound", StringComparison.Ordinal));
    }

    [Fact]
    public void What_lies_in_a_matte_is_cut_out_as_a_card_that_stands_where_it_stood()
    {
        ShotDocument three = _mop with { Cut = new(1012, 1014) };
        Matte matte = _mop.Mattes[0];
        var (card, told) = CutOut.Of(_engine, _media, three, matte.Id, 1013);
        Assert.Contains("where its foot is at 1013", told, StringComparison.Ordinal);
        Assert.Equal([1012, 1013, 1014], card.Frames!.Frames.Select(f => f.Frame));
        // Alone, before nothing: pixel on pixel what was filmed, as whole as its matte.
        int width = three.Plate!.Width,
            height = three.Plate.Height;
        ShotDocument alone = three with
        {
            Elements = [card],
            Pieces = [],
            Mattes = [],
            Background = BackgroundKind.Nothing,
            Finish = new(),
        };
        FrameLayers seen = _engine.Renderer.Render(alone, 1013, width, RenderQuality.Middle, dataPasses: false);
        float[] coverage = _engine.Mattes.Coverage(three, matte.Id, 1013, width, height);
        FloatImage plate = _engine.Plates.Plate(three, 1013, width);
        double both = 0,
            either = 0,
            off = 0;
        int inside = 0;
        for (int i = 0; i < coverage.Length; i++)
        {
            float a = seen.Element.Data[4 * i + 3];
            (both, either) = (both + Math.Min(a, coverage[i]), either + Math.Max(a, coverage[i]));
            if (coverage[i] >= 1 && a > 0.999f)
            {
                inside++;
                off += Enumerable.Range(0, 3).Average(c => Math.Abs(seen.Element.Data[4 * i + c] - plate.Data[3 * i + c]));
            }
        }
        double tone = Enumerable.Range(0, coverage.Length).Where(i => coverage[i] >= 1).Average(i => plate.Data[3 * i + 1]);
        Assert.True(both / either > 0.95, $"coverage overlaps by {both / either:0.0000}");
        Assert.True(inside > 500, $"{inside} px");
        Assert.True(off / inside < 0.12 * tone, $"off by {off / inside:0.0000} of {tone:0.0000}");
        ShotFault none = Assert.Throws<ShotFault>(() =>
            CutOut.Of(
                _engine,
                _media,
                three with
                {
                    Mattes = [matte with { Kind = MatteKind.Drawn, Keys = [], Frames = null, Frozen = null }],
                },
                matte.Id,
                1013
            )
        );
        Assert.Contains("covers nothing", none.Message, StringComparison.Ordinal);
    }

    // Against the generator's own truth, which traces the attendant's real shape: a check of the whole chain, not an outside one.
    [Fact]
    public void The_attendant_stands_as_a_solid_and_the_bells_shadow_is_the_truths()
    {
        ExrPicture truth = ExrFile.Read(Path.Combine(DemoShot.Repository, "demo", "BTH_0090", "truth.1013.exr"));
        float[] shadow = truth.Find("shadow", "G")!.Values,
            bell = truth.Find("bell", "A")!.Values;
        FrameLayers ours = _engine.Renderer.Render(_mop, 1013, truth.Width, new RenderQuality(16, 1, 8), dataPasses: false);
        double both = 0,
            either = 0,
            off = 0;
        int dark = 0;
        for (int i = 0; i < shadow.Length; i++)
        {
            float held = ours.Element.Data[4 * i + 3] - ours.Holdout.Data[i];
            (both, either) = (both + Math.Min(held, bell[i]), either + Math.Max(held, bell[i]));
            if (bell[i] > 0 || held > 0 || shadow[i] > 0.7f)
            {
                continue;
            }
            dark++;
            off += ours.Shadow.Data[3 * i + 1] - shadow[i];
        }
        Assert.True(both / either > 0.98, $"coverage overlaps by {both / either:0.0000}");
        Assert.True(dark > 60, $"{dark} pixels in shadow");
        Assert.InRange(off / dark, -0.03, 0.03);
        // Where the bell would stand behind him he hides it, and his shadow falls on it: without him both are gone.
        ShotDocument closer =
                _mop with
                {
                    Elements = [_mop.Elements[0] with { Position = _mop.Elements[0].Position + new Vec3(-1.05, 0, 0.3) }],
                },
            alone = closer with { Pieces = [.. closer.Pieces.Where(p => p.Kind != PieceKind.Figure)] };
        FrameLayers with = _engine.Renderer.Render(closer, 1013, 480, RenderQuality.Middle, dataPasses: false),
            without = _engine.Renderer.Render(alone, 1013, 480, RenderQuality.Middle, dataPasses: false);
        Assert.True(
            with.Holdout.Data.Sum() > without.Holdout.Data.Sum() + 300,
            $"{with.Holdout.Data.Sum():0} held out with him, {without.Holdout.Data.Sum():0} without"
        );
        // His outline changes with his matte.
        PieceFigure figure = _mop.Pieces.Single(p => p.Kind == PieceKind.Figure).Figure!;
        Assert.NotEqual(
            _engine.Figures.Outline(_mop, figure, 1005).Sum(p => p.Area),
            _engine.Figures.Outline(_mop, figure, 1013).Sum(p => p.Area)
        );
        Piece solid = _engine.Figures.At(_mop, 1013).Pieces.Single(p => p.Id == "figure_1");
        var (min, max) = _engine.Figures.Mesh(solid.Media!).Bounds();
        Assert.InRange(max.Y - min.Y, 1.68, 1.9); // he is 1.77 m tall, and his boot stands before him
    }

    [Fact]
    public void What_a_figure_lacks_is_told()
    {
        ShotDocument Without(Func<PlateFrame, bool> of) =>
            _mop with
            {
                Mattes =
                [
                    _mop.Mattes[0] with
                    {
                        Frames = _mop.Mattes[0].Frames! with { Frames = [.. _mop.Mattes[0].Frames!.Frames.Where(of)] },
                    },
                ],
            };
        Assert.Contains(
            "no picture for frame 1013",
            Assert.Throws<ShotFault>(() => _engine.Figures.At(Without(f => f.Frame != 1013), 1013)).Message
        );
        Assert.Contains(
            "stands on nothing",
            Assert
                .Throws<ShotFault>(() =>
                    _engine.Figures.At(_mop with { Pieces = [.. _mop.Pieces.Where(p => p.Kind == PieceKind.Figure)] }, 1013)
                )
                .Message
        );
        // A frame where nobody is has no solid, and nothing fails.
        var empty = new CodeImage(64, 36, 1, 8, new ushort[64 * 36]);
        ShotDocument gone = _mop with
        {
            Mattes = [_mop.Mattes[0] with { Frames = new() { Frames = [new(1001, "empty.png", _media.Write(RasterFile.ToPng(empty)))] } }],
        };
        Assert.True(_engine.Figures.At(gone, 1013).Pieces.Single(p => p.Id == "figure_1").Off);
    }

    [Fact]
    public void Cards_lettering_copies_and_rendered_frames_stand_in_the_shot()
    {
        // A half-covered card, twice from one picture; lettering; an element's own frame brought back with its depth.
        var codes = new CodeImage(
            8,
            8,
            4,
            8,
            [.. Enumerable.Range(0, 64).SelectMany(i => (ushort[])[200, 40, 40, (ushort)(i % 8 < 4 ? 255 : 0)])]
        );
        var frames = new FrameSource { Frames = [new(0, "card.png", _media.Write(RasterFile.ToPng(codes)))] };
        Vec3 spot = _mop.Elements[0].Position;
        ShotDocument cards = _mop with
        {
            Elements =
            [
                new()
                {
                    Id = "card",
                    Name = "card",
                    Kind = ElementKind.Card,
                    Frames = frames,
                    Position = spot,
                    WidthMetres = 1,
                    FacesCamera = true,
                },
                new()
                {
                    Id = "card_2",
                    Name = "card 2",
                    Kind = ElementKind.Card,
                    Frames = frames,
                    Position = spot + new Vec3(1.2, 0, 0),
                    WidthMetres = 1,
                },
            ],
        };
        Assert.Same(_engine.Elements(cards, 1013)[0].Model.Tree, _engine.Elements(cards, 1013)[1].Model.Tree);
        FrameLayers one = _engine.Renderer.Render(
            cards with
            {
                Elements = [cards.Elements[0]],
            },
            1013,
            320,
            RenderQuality.Middle,
            dataPasses: false
        );
        double covered = one.Element.Data.Where((_, i) => i % 4 == 3).Sum(),
            full = _engine
                .Renderer.Render(
                    cards with
                    {
                        Elements =
                        [
                            cards.Elements[0] with
                            {
                                Frames = new()
                                {
                                    Frames =
                                    [
                                        new(
                                            0,
                                            "full.png",
                                            _media.Write(
                                                RasterFile.ToPng(
                                                    codes with
                                                    {
                                                        Codes = [.. codes.Codes.Select((c, i) => i % 4 == 3 ? (ushort)255 : c)],
                                                    }
                                                )
                                            )
                                        ),
                                    ],
                                },
                            },
                        ],
                    },
                    1013,
                    320,
                    RenderQuality.Middle,
                    dataPasses: false
                )
                .Element.Data.Where((_, i) => i % 4 == 3)
                .Sum();
        Assert.Equal(0.5, covered / full, 0.04);

        TriangleMesh text = LetteringMesh.Of(new("HIL", 0.5, 0.1, 0.01));
        var (min, max) = text.Bounds();
        Assert.Equal(0.5, max.Y - min.Y, 0.01);
        Assert.Equal(0, min.Y, 0.01);
        Assert.Equal(0.1, max.Z - min.Z, 1e-5);
        Assert.InRange(text.AreaAndVolume().Volume, 0.01, 0.04);
        Assert.InRange(LetteringMesh.Of(new("gy", 0.5)).Bounds().Min.Y, -0.3, -0.08); // tails reach below the line
        Assert.Throws<FormatFault>(() => LetteringMesh.Of(new("  ")));

        // What was rendered here comes back as frames and gives the same picture, hidden by the same things.
        FrameLayers bell = _engine.Renderer.Render(_mop, 1013, 480, RenderQuality.Middle);
        byte[] exr = ExrFile.ToBytes(480, 270, [.. ExrChannel.Of(bell.Element, "RGBA"), .. ExrChannel.Of(bell.Depth, "Z", "depth")]);
        ShotDocument back = _mop with
        {
            Elements =
            [
                new()
                {
                    Id = "frames",
                    Name = "frames",
                    Kind = ElementKind.Rendered,
                    Frames = new() { Frames = [new(1013, "bell.1013.exr", _media.Write(exr))], Premultiplied = true },
                },
            ],
        };
        FrameLayers again = _engine.Renderer.Render(back, 1013, 480, RenderQuality.Middle, dataPasses: false);
        double apart = 0,
            whole = 0;
        for (int i = 0; i < 480 * 270; i++)
        {
            apart += Math.Abs(
                again.Element.Data[4 * i + 3] - again.Holdout.Data[i] - (bell.Element.Data[4 * i + 3] - bell.Holdout.Data[i])
            );
            whole += bell.Element.Data[4 * i + 3];
        }
        Assert.True(apart < 0.02 * whole, $"{apart:0} of {whole:0} pixels differ");
        Assert.All(again.Shadow.Data, v => Assert.Equal(1, v)); // it brings no geometry to cast one
    }

    [Fact]
    public void A_matte_that_hides_keeps_shadow_off_unless_it_is_to_take_it()
    {
        ShotDocument open = _mop with { Pieces = [.. _mop.Pieces.Where(p => p.Figure is null)] };
        var (w, h) = (_mop.Plate!.Width, _mop.Plate.Height);
        ShotDocument With(bool takes) =>
            open with
            {
                Mattes =
                [
                    new()
                    {
                        Id = "all",
                        Name = "all",
                        Keys = [new(1013, [-9, -9, w + 9, -9, w + 9, h + 9, -9, h + 9])],
                        HidesBeyondMetres = 0,
                        TakesLight = takes,
                    },
                ],
            };
        int Dark(ShotDocument d) =>
            _engine.Renderer.Render(d, 1013, 320, RenderQuality.Middle, dataPasses: false).Shadow.Data.Count(v => v < 0.7f);
        int dark = Dark(open);
        Assert.True(dark > 100, $"{dark}");
        Assert.Equal(0, Dark(With(takes: false)));
        Assert.Equal(dark, Dark(With(takes: true)));
    }

    [Fact]
    public void Cards_and_lettering_are_keyed_in_opacity_colour_and_light()
    {
        var codes = new CodeImage(4, 4, 3, 8, [.. Enumerable.Range(0, 16).SelectMany(_ => (ushort[])[200, 40, 40])]);
        double red = ColorEncodings.SrgbToLinear(200 / 255f),
            green = ColorEncodings.SrgbToLinear(40 / 255f),
            grey = 0.2126 * red + 0.7874 * green; // luminance of BT.709
        static ValueCurve Curve(string at, params (int Frame, double Value)[] keys) =>
            new() { Id = $"elements/card/{at}", Keys = [.. keys.Select(k => new CurveKey(k.Frame, k.Value, Handle: KeyHandle.Straight))] };
        var card = new Element
        {
            Id = "card",
            Name = "card",
            Kind = ElementKind.Card,
            Frames = new() { Frames = [new(0, "card.png", _media.Write(RasterFile.ToPng(codes)))] },
            Position = _mop.Elements[0].Position,
            FacesCamera = true,
        };
        ShotDocument shot = _mop with
        {
            Elements = [card],
            Curves =
            [
                Curve("opacity", (1003, 1), (1013, 0.5)),
                Curve("saturation", (1003, 1), (1013, 0)),
                Curve("stops", (1003, 0), (1013, 1)),
            ],
        };
        (double R, double G, double A) Of(int frame)
        {
            Material m = Assert.Single(_engine.Elements(Hanging.At(shot, frame), frame)[0].Model.Materials);
            return m.Picture is { } p ? (p.Data[0], p.Data[1], p.Data[3]) : default;
        }
        Assert.Equal((red, green, 1), Of(1000), Near);
        // Half way: ¾ of it hides, half of its colour, half a stop more; premultiplied.
        Assert.Equal((0.75 * Math.Sqrt(2) * (grey + red) / 2, 0.75 * Math.Sqrt(2) * (grey + green) / 2, 0.75), Of(1008), Near);
        Assert.Equal((grey, grey, 0.5), Of(1020), Near); // a stop more and half of it
        // In the frame: as much is covered as it hides.
        double Covered(ShotDocument d) =>
            _engine.Renderer.Render(d, 1013, 320, RenderQuality.Middle, dataPasses: false).Element.Data.Where((_, i) => i % 4 == 3).Sum();
        Assert.Equal(0.5, Covered(shot) / Covered(shot with { Curves = [] }), 0.03);

        var lettering = new Element
        {
            Id = "text",
            Name = "text",
            Kind = ElementKind.Lettering,
            Text = new("A", Color: new(0.5, 0.2, 0.1)) { OwnColour = true },
        };
        Material own = Assert.Single(_engine.Elements(_mop with { Elements = [lettering] }, 1013)[0].Model.Materials);
        Assert.Equal((new(0.5f, 0.2f, 0.1f), default, 0), (own.Emission, own.BaseColor, own.Specular));
        Assert.Equal(0.25f, Model(lettering with { Opacity = 0.25 }).Stops(new(1, 0, 0, 0, 0)));
        Assert.Contains(ShotChecks.Faults(shot with { Curves = [Curve("opacity", (1010, 1.2))] }), f =>
            f.Contains("opacity is between 0 and 100 %")
        );
        ElementModel Model(Element e) => _engine.Elements(_mop with { Elements = [e] }, 1013)[0].Model;
    }

    private static bool Near((double, double, double) a, (double, double, double) b) =>
        Math.Abs(a.Item1 - b.Item1) + Math.Abs(a.Item2 - b.Item2) + Math.Abs(a.Item3 - b.Item3) < 2e-4;

    [Fact]
    public void A_matte_joined_to_an_elements_coverage_goes_with_it()
    {
        Element bell = _mop.Elements[0];
        ShotDocument Joined(Vec3 shift) =>
            _mop with
            {
                Elements = [bell with { Position = bell.Position + shift }],
                Mattes =
                [
                    new()
                    {
                        Id = "nothing",
                        Name = "nothing",
                        Keys = [new(1013, [-9, -9, -8, -9, -8, -8])],
                        Parts = [new("bell", MatteJoin.Add)],
                    },
                    new()
                    {
                        Id = "bell",
                        Name = "bell",
                        Kind = MatteKind.Element,
                        Element = bell.Id,
                    },
                ],
            };
        double Middle(ShotDocument shot)
        {
            float[] inside = _engine.Mattes.Coverage(shot, "nothing", 1013, 480, 270);
            Assert.True(inside.Sum() > 100);
            return inside.Select((v, i) => v * (i % 480)).Sum() / inside.Sum();
        }
        double here = Middle(Joined(default)),
            there = Middle(Joined(new(0.4, 0, 0)));
        Assert.True(Math.Abs(there - here) > 10, $"{here:0.0} and {there:0.0}");
        Assert.Equal(here, Middle(Joined(default)));
    }

    // IDM-04 as a matte: two names together cover what both do; a layer that is not there says so.
    [Fact]
    public void Id_mattes_of_frames_become_mattes()
    {
        string[] names = ["bunny", "hero"];
        var ids = new IdMatte("ids", names, 480 * 270);
        for (int i = 0; i < 480 * 270; i++)
        {
            (ids.Numbers[6 * i], ids.Coverage[6 * i]) = (0, i % 480 < 240 ? 0.6f : 0.1f);
            (ids.Numbers[6 * i + 1], ids.Coverage[6 * i + 1]) = (1, 0.3f);
        }
        string file = Path.Combine(Path.GetTempPath(), $"plenk-ids-{Guid.NewGuid():N}.exr");
        ExrFile.Write(file, 480, 270, IdMatteFile.Channels(ids, names), new ExrHead { Attributes = IdMatteFile.Attributes("ids", names) });
        string hash = _media.Write(File.ReadAllBytes(file));
        File.Delete(file);
        ShotDocument With(params string[] of) =>
            _mop with
            {
                Mattes =
                [
                    new()
                    {
                        Id = "ids",
                        Name = "ids",
                        Kind = MatteKind.Frames,
                        Frames = new() { Frames = [new(1013, "ids.1013.exr", hash)] },
                        Ids = new("ids", of),
                    },
                ],
            };
        Assert.Equal(0.6f, _engine.Mattes.Coverage(With("bunny"), "ids", 1013, 480, 270)[10], 1e-4);
        Assert.Equal(0.4f, _engine.Mattes.Coverage(With("bunny", "hero"), "ids", 1013, 480, 270)[400], 1e-4);
        ShotDocument strange = With("bunny") with { Mattes = [With("bunny").Mattes[0] with { Ids = new("smoke", ["bunny"]) }] };
        Assert.Contains(
            "no ID mattes “smoke”",
            Assert.Throws<ShotFault>(() => _engine.Mattes.Coverage(strange, "ids", 1013, 480, 270)).Message
        );
    }

    // A rendered element is graded by a name of its own ID mattes; frames without it, or of another kind, say so.
    [Fact]
    public void A_rendered_element_is_graded_by_its_own_ids()
    {
        string[] names = ["bunny", "hero"];
        var ids = new IdMatte("ids", names, 480 * 270);
        for (int i = 0; i < 480 * 270; i++)
        {
            (ids.Numbers[6 * i], ids.Coverage[6 * i]) = (i % 480 < 240 ? 0 : 1, 1);
        }
        float[] grey = [.. Enumerable.Repeat(0.2f, 480 * 270)],
            one = [.. Enumerable.Repeat(1f, 480 * 270)];
        string Written(IReadOnlyDictionary<string, string> attributes, params IEnumerable<ExrChannel> more)
        {
            string file = Path.Combine(Path.GetTempPath(), $"plenk-ids-{Guid.NewGuid():N}.exr");
            ExrFile.Write(
                file,
                480,
                270,
                [new("beauty.R", grey), new("beauty.G", grey), new("beauty.B", grey), new("beauty.A", one), .. more],
                new ExrHead { Attributes = attributes }
            );
            string hash = _media.Write(File.ReadAllBytes(file));
            File.Delete(file);
            return hash;
        }
        ShotDocument Shot(string hash, string name = "r.1013.exr") =>
            _mop with
            {
                ShutterDegrees = 0,
                Elements =
                [
                    new()
                    {
                        Id = "frames",
                        Name = "frames",
                        Kind = ElementKind.Rendered,
                        Frames = new() { Frames = [new(1013, name, hash)], Premultiplied = true },
                        Position = new(0, 1, 0),
                    },
                ],
            };
        ShotDocument shot = Shot(Written(IdMatteFile.Attributes("ids", names), IdMatteFile.Channels(ids, names)));
        Element own = shot.Elements[0];
        var (told, notes) = _engine.IdNames(shot, own, 1013);
        Assert.Empty(notes);
        Assert.Equal([("ids", "bunny", 0.5), ("ids", "hero", 0.5)], told.OrderBy(t => t.Name));
        FinishStep up = new()
        {
            Id = "grade_1",
            Kind = FinishKind.Grade,
            Grade = new() { Stops = 1 },
            RenderedIds = [new("frames", "ids", "bunny")],
        };
        Assert.Empty(ShotChecks.Faults(shot with { Finish = new() { Steps = [up] } }));
        FloatImage element = _engine
            .Finish.Frame(shot with { Finish = new() { Steps = [up] } }, 1013, 480, RenderQuality.Draft, dataPasses: false)
            .Element;
        Assert.Equal(0.4f, element[100, 100, 0], 1e-4f);
        Assert.Equal(0.2f, element[300, 100, 0], 1e-4f);

        string Refused(ShotDocument s, FinishStep step) =>
            Assert
                .Throws<ShotFault>(() =>
                    _engine.Finish.Frame(s with { Finish = new() { Steps = [step] } }, 1013, 480, RenderQuality.Draft, dataPasses: false)
                )
                .Message;
        Assert.Contains("no ID mattes “cloth”; it has ids", Refused(shot, up with { RenderedIds = [new("frames", "cloth", "bunny")] }));
        ShotDocument bare = Shot(Written(new Dictionary<string, string>()));
        Assert.Contains("no ID mattes “ids”", Refused(bare, up));
        Assert.Contains(
            "brings no ID mattes",
            Assert.Single(_engine.IdNames(bare, own with { Frames = bare.Elements[0].Frames }, 1013).Notes)
        );
        FrameSource two = own.Frames! with
        {
            Frames = [own.Frames.Frames[0], own.Frames.Frames[0] with { Frame = 1014 }],
            Mapping = new(1013, 1013),
        };
        Assert.Contains("no picture at 1001", Assert.Single(_engine.IdNames(shot, own with { Frames = two }, 1001).Notes));
        ShotDocument png = Shot(_media.Write(RasterFile.ToPng(new CodeImage(480, 270, 4, 8, new ushort[480 * 270 * 4]))), "r.1013.png");
        Assert.Contains("brings no ID mattes", Refused(png, up));
        Assert.Contains(
            ShotChecks.Faults(shot with { Finish = new() { Steps = [up with { RenderedIds = [new("gone", "ids", "bunny")] }] } }),
            f => f.Contains("no rendered element", StringComparison.Ordinal)
        );
    }

    [Fact]
    public void What_is_no_number_in_rendered_frames_shows_nothing()
    {
        float[] one = [.. Enumerable.Repeat(1f, 480 * 270)],
            bad = [.. one];
        bad[0] = float.NaN;
        byte[] exr = ExrFile.ToBytes(480, 270, [new("R", bad), new("G", one), new("B", one), new("A", one)]);
        ShotDocument shot = _mop with
        {
            Elements =
            [
                new()
                {
                    Id = "frames",
                    Name = "frames",
                    Kind = ElementKind.Rendered,
                    Frames = new() { Frames = [new(1013, "w.1013.exr", _media.Write(exr))], Premultiplied = true },
                    Position = new(0, 1, 0),
                },
            ],
        };
        Assert.All(_engine.Renderer.Render(shot, 1013, 480, RenderQuality.Draft, dataPasses: false).Comp.Data, v =>
            Assert.True(float.IsFinite(v))
        );
    }

    [Fact]
    public void Materials_are_read_with_their_pictures_and_can_be_overridden()
    {
        const string mtl =
            "newmtl brass\nKd 0.6 0.4 0.1\nPm 1\nPr 0.35\nnewmtl cloth\nKd 0.2 0.3 0.1\nKs 0 0 0\nmap_Kd cloth.png\nnewmtl lamp\nKd 0 0 0\nKe 4 3 2\n";
        const string obj =
            "mtllib own.mtl\no a\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl cloth\nf 1/1 2/2 3/3\nusemtl brass\nf 3/3 2/2 1/1\nusemtl lamp\nf 1/1 3/3 2/2\nusemtl unknown\nf 1/1 2/2 3/3\n";
        byte[] picture = RasterFile.ToPng(new CodeImage(2, 2, 3, 8, [255, 0, 0, 255, 0, 0, 255, 0, 0, 255, 0, 0]));
        byte[]? Beside(string name) =>
            name switch
            {
                "own.mtl" => System.Text.Encoding.UTF8.GetBytes(mtl),
                "cloth.png" => picture,
                _ => null,
            };
        ImportedMesh mesh = ImportedMesh.Read(System.Text.Encoding.UTF8.GetBytes(obj), "own.obj", Beside);
        Assert.Equal(["cloth", "brass", "lamp", "unknown"], mesh.Materials.Select(m => m.Name));
        Assert.Equal((0f, 1f, 0.35f), (mesh.Materials[0].Specular, mesh.Materials[1].Metallic, mesh.Materials[1].Roughness));
        Assert.Equal(new System.Numerics.Vector3(4, 3, 2), mesh.Materials[2].Emission);
        Assert.Contains(mesh.Warnings, w => w.Contains("“unknown” is not in the material file"));
        ImportedMesh bare = ImportedMesh.Read(System.Text.Encoding.UTF8.GetBytes(obj), "own.obj", _ => null);
        Assert.Contains(bare.Warnings, w => w.Contains("own.mtl is not there"));
        var element = new Element
        {
            Id = "e",
            Name = "e",
            Media = _media.Write(System.Text.Encoding.UTF8.GetBytes(obj)),
            Beside = new Dictionary<string, string>
            {
                ["own.mtl"] = _media.Write(System.Text.Encoding.UTF8.GetBytes(mtl)),
                ["cloth.png"] = _media.Write(picture),
            },
            Materials = [new("brass", BaseColor: new(0.1, 0.2, 0.3), Roughness: 0.9)],
        };
        var model = _engine.Model(_mop with { Elements = [element] }, element);
        Assert.Equal((0.9f, 1f), (model.Materials[1].Roughness, model.Materials[1].Metallic));
        Assert.Equal(0.2, model.At(new Hit(1, 0.2f, 0.2f, 0, 0)).BaseColor.X, 1e-3); // the cloth's red in its picture times 0.2
        Assert.Equal(0, model.At(new Hit(1, 0.2f, 0.2f, 0, 0)).BaseColor.Y, 1e-6);
        Assert.Contains(element.Beside["cloth.png"], ShotFolder.MediaOf(_mop with { Elements = [element] }));
    }

    [Theory]
    [InlineData("{}", "not a list of lights")]
    [InlineData("[]", "holds no light")]
    [InlineData("[{\"kind\":\"moon\"}]", "has no kind among sun")]
    [InlineData("[{\"kind\":\"sun\",\"direction\":[0,0,0],\"irradiance\":[1,1,1]}]", "has no length")]
    [InlineData("[{\"kind\":\"sun\",\"direction\":[0,1,0]}]", "needs “irradiance”")]
    [InlineData("[{\"kind\":\"sky\",\"radiance\":[1,-1,1]}]", "0 or more in each channel")]
    [InlineData("[{\"kind\":\"point\",\"position\":[0,1,0],\"intensity\":[1,1,1],\"radius\":2}]", "“radius”, which a point does not know")]
    [InlineData("[{\"kind\":\"rectangle\",\"centre\":[0,1,0],\"halfU\":[1,0,0],\"halfV\":[2,0,0],\"radiance\":[1,1,1]}]", "span no area")]
    [InlineData("[{\"kind\":\"panorama\",\"file\":\"none.exr\"}]", "cannot be read")]
    public void Lights_that_make_no_sense_are_told(string json, string says) =>
        Assert.Contains(
            says,
            Assert
                .Throws<FormatFault>(() =>
                    LightsFile.Read(System.Text.Encoding.UTF8.GetBytes(json), "lights.json", _ => throw new FileNotFoundException())
                )
                .Message
        );

    // LGT-04 of the check list (Howell, element to a parallel rectangle): a centred 2 × 2 light at height 1 gives E = π L 0.5541264240.
    [Fact]
    public void Lights_of_a_file_shine_as_they_say()
    {
        const string json =
            """[{"kind":"rectangle","centre":[0,1,0],"halfU":[1,0,0],"halfV":[0,0,1],"radiance":[1,1,1]},{"kind":"rectangle","centre":[0,1,0],"halfU":[0,0,1],"halfV":[1,0,0],"radiance":[1,1,1]},{"kind":"ambient","radiance":[0.25,0,0]},{"kind":"sun","direction":[0,-1,0],"irradiance":[1,1,1],"castsShadow":false,"inPlate":false}]""";
        LightsFile file = LightsFile.Read(System.Text.Encoding.UTF8.GetBytes(json), "lights.json", _ => []);
        Assert.Contains(file.Told, t => t.Contains("below the horizon"));
        Assert.Equal((false, false), (file.Lights[3].CastsShadow, file.Lights[3].InPlate));
        LightRig rig = file.Rig();
        Assert.Equal(0.25 * Math.PI, rig.FillPlate.X, 1e-5);
        double[] e =
        [
            .. Enumerable
                .Range(0, 2)
                .Select(k =>
                    Enumerable
                        .Range(0, 20_000)
                        .Average(i =>
                            rig.Sampled[k].Sample(default, System.Numerics.Vector3.UnitY, Sampling.Point((uint)i, 1, 1), null).Irradiance.X
                        )
                ),
        ];
        // It shines along halfU × halfV: one of the two faces the floor.
        Assert.Equal(Math.PI * 0.5541264240, e.Max(), 0.01);
        Assert.Equal(0, e.Min());
    }
}
