using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work.Paint;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>
/// Footage on the demo's set through the paths that a shot takes: stitched, filled, painted, baked, seen from elsewhere. Against the
/// demo's own plates and what its generator was told (a check of the chain, not an outside one).
/// </summary>
public sealed class FootageWorkTests : IDisposable
{
    private readonly string _store = Path.Combine(Path.GetTempPath(), $"plenk-footage-{Guid.NewGuid():N}");
    private readonly MediaStore _media;
    private readonly ShotEngine _engine;
    private static readonly Action<string, double> Quiet = (_, _) => { };

    public FootageWorkTests()
    {
        _media = new(_store);
        _engine = new(_media);
    }

    public void Dispose() => Directory.Delete(_store, recursive: true);

    private string Keep(byte[] bytes) => _media.Write(bytes);

    private ShotDocument Bell() => DemoSeed.Build(Path.Combine(DemoShot.Repository, "demo", "BTH_0040"), Keep);

    private ShotDocument Beside() => DemoSeed.Shot(Path.Combine(DemoShot.Repository, "demo"), "BTH_0080", Keep);

    private static Matte Square(double left, double top, double right, double bottom) =>
        new()
        {
            Id = "m",
            Name = "mark",
            Keys = [new(1036, [left, top, right, top, right, bottom, left, bottom])],
        };

    private static double MedianOff(FloatImage a, FloatImage b, Func<int, bool> where) =>
        Enumerable
            .Range(0, a.Width * a.Height)
            .Where(where)
            .Select(i =>
                Enumerable.Range(0, 3).Sum(c => Math.Abs(a.Data[3 * i + c] - (double)b.Data[3 * i + c]))
                / Math.Max(0.02, Enumerable.Range(0, 3).Sum(c => (double)b.Data[3 * i + c]))
            )
            .Order()
            .ElementAt(Enumerable.Range(0, a.Width * a.Height).Count(where) / 2);

    [Fact]
    public void Two_cameras_are_matched_to_what_their_exposures_were()
    {
        ShotDocument shot = Beside();
        IReadOnlyList<OtherCamera> matched = _engine.Projection.Matched(shot, 1001);
        // The right camera was filmed with gains of 1.52, 1.41 and 1.27.
        Vec3 gain = matched[0].Gain;
        Assert.Equal(1 / 1.52, gain.X, 0.02);
        Assert.Equal(1 / 1.41, gain.Y, 0.02);
        Assert.Equal(1 / 1.27, gain.Z, 0.02);
        CameraMeeting before = Assert.Single(_engine.Projection.Meetings(shot, 1001)),
            after = Assert.Single(_engine.Projection.Meetings(shot with { OtherCameras = matched }, 1001));
        Assert.InRange(before.StopsBefore, 0.45, 0.65);
        Assert.True(after.StopsNow < 0.15, $"{after.StopsNow}");
        Assert.InRange(before.Overlap, 0.2, 0.5);
        // 1.05 m apart: over the far wall 22 m away 2.7°, nearer ground more.
        Assert.InRange(before.ParallaxDegrees!.Value, 2.4, 6);
        // Both cameras in one view: what each alone covers, and the seam leaves no gap.
        ShotDocument seamed = shot with { OtherCameras = matched, ProjectionsMix = SourceMix.Seam };
        double Covered(ShotDocument s) =>
            _engine
                .Projection.Projected(
                    s,
                    ElsewhereWork.Rays(
                        _engine,
                        s with
                        {
                            Plate = s.Plate! with { Width = 240, Height = 135 },
                        },
                        new() { Overscan = 2 },
                        1001
                    ),
                    1001,
                    1
                )
                .Data.Where((_, i) => i % 4 == 3)
                .Average();
        double both = Covered(shot),
            one = Covered(shot with { Projections = [shot.Projections[0]] });
        Assert.True(both > 1.3 * one);
        Assert.Equal(both, Covered(seamed), 0.003);
    }

    [Fact]
    public void One_camera_alone_cannot_be_matched()
    {
        ShotDocument shot = Beside();
        Assert.Contains(
            "one camera",
            Assert.Throws<ShotFault>(() => _engine.Projection.Matched(shot with { Projections = [shot.Projections[0]] }, 1001)).Message
        );
        // Turned away: nothing is shared.
        OtherCamera away = shot.OtherCameras[0] with
        {
            Camera = shot.OtherCameras[0].Camera! with
            {
                Samples =
                [
                    .. shot.OtherCameras[0]
                        .Camera!.Samples.Select(s =>
                            s with
                            {
                                CameraToWorld = (
                                    Pose.FromRowMajor16(s.CameraToWorld, out _)!.Value is var p
                                        ? p with
                                        {
                                            Rotation = Rotations.AboutY(Math.PI) * p.Rotation,
                                        }
                                        : default
                                ).ToRowMajor16(),
                            }
                        ),
                ],
            },
        };
        Assert.Contains(
            "too little",
            Assert.Throws<ShotFault>(() => _engine.Projection.Matched(shot with { OtherCameras = [away] }, 1001)).Message
        );
    }

    [Fact]
    public void A_hole_is_filled_with_what_other_frames_show_there()
    {
        // A spot of the basin floor is painted green in frame 1036; the others know what is there.
        ShotDocument shot = Bell();
        var fill = new FillWork(_engine, _media);
        Matte mark = Square(700, 480, 760, 520);
        shot = shot with
        {
            Mattes =
            [
                mark with
                {
                    Keys =
                    [
                        .. Enumerable.Range(1001, 72).Select(f => new MatteKey(f, f == 1036 ? mark.Keys[0].Corners : [0, 0, 4, 0, 4, 4])),
                    ],
                },
            ],
        };
        CodeImage clean = _engine.Plates.PlateCodes(shot, 1036),
            marked = clean with { Codes = [.. clean.Codes] };
        for (int y = 482; y < 518; y++)
        {
            for (int x = 702; x < 758; x++)
            {
                (marked.Codes[3 * (y * 1280 + x)], marked.Codes[3 * (y * 1280 + x) + 1], marked.Codes[3 * (y * 1280 + x) + 2]) = (
                    20,
                    240,
                    20
                );
            }
        }
        string green = Keep(RasterFile.ToPng(marked));
        ShotDocument painted = shot with
        {
            Plate = shot.Plate! with { Frames = [.. shot.Plate!.Frames.Select(f => f.Frame == 1036 ? f with { Media = green } : f)] },
        };
        ProjectionSource made = fill.Fill(painted, 1036, null, "m", FillHow.Frames, CancellationToken.None, Quiet);
        Assert.Contains("from 16 other frames", made.MadeBy);
        FloatImage filled = _engine.Projection.SourcePicture(painted, made, 1036).Picture,
            truth = clean.ToLinear(ColorEncoding.Srgb);
        bool Inside(int i) => i % 1280 is > 704 and < 756 && i / 1280 is > 484 and < 516;
        // Pixel by pixel the plate's own grain is between them; on average they are one.
        Assert.True(MedianOff(filled, truth, Inside) < 0.13, $"{MedianOff(filled, truth, Inside)}");
        double Mean(FloatImage image, int c) => Enumerable.Range(0, 1280 * 720).Where(Inside).Average(i => image.Data[3 * i + c]);
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(1, Mean(filled, c) / Mean(truth, c), 0.03);
        }
        Assert.Equal(0, MedianOff(filled, truth, i => !Inside(i) && i % 1280 < 600), 1e-3);
        // The light fell by a third in that frame only: brought to the rim, what the others show is as dark as its surroundings.
        ushort Dimmed(ushort code) =>
            (ushort)Math.Round(255 * ColorEncodings.LinearToSrgb(ColorEncodings.SrgbToLinear(code / 255f) * 2 / 3));
        string dark = Keep(RasterFile.ToPng(marked with { Codes = [.. marked.Codes.Select(Dimmed)] }));
        ShotDocument dimmed = shot with
        {
            Plate = shot.Plate! with { Frames = [.. shot.Plate!.Frames.Select(f => f.Frame == 1036 ? f with { Media = dark } : f)] },
        };
        ProjectionSource met = fill.Fill(dimmed, 1036, null, "m", FillHow.Frames, CancellationToken.None, Quiet, meetsRim: true);
        Assert.Contains("brought to the rim", met.MadeBy);
        FloatImage level = _engine.Projection.SourcePicture(dimmed, met, 1036).Picture;
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(2 / 3.0, Mean(level, c) / Mean(truth, c), 0.06);
        }
        // By patches: the texture of the place, no green.
        FloatImage patched = _engine
            .Projection.SourcePicture(painted, fill.Fill(painted, 1036, null, "m", FillHow.Patches, CancellationToken.None, Quiet), 1036)
            .Picture;
        Assert.True(MedianOff(patched, truth, Inside) < 0.5);
        Assert.DoesNotContain(Enumerable.Range(0, 1280 * 720).Where(Inside), i => patched.Data[3 * i + 1] > 2.5f * patched.Data[3 * i]);
        // As a frame it has grain where it was filled, and the plate's own codes elsewhere.
        CodeImage frame = fill.WithGrain(painted with { Projections = [made with { Id = "p" }] }, made with { Id = "p" });
        Assert.Equal(marked.Codes[3 * (100 * 1280 + 100)] * 257, frame.Codes[3 * (100 * 1280 + 100)]);
        double Rough(Func<int, double> v) =>
            Enumerable
                .Range(0, 30 * 50)
                .Select(k => (490 + k / 50) * 1280 + 705 + k % 50)
                .Average(i => Math.Abs(v(i) - (v(i - 1) + v(i + 1)) / 2));
        // Compression has left the footage's grain soft: it shows less between neighbours than the tiles' own texture does.
        double rougher = Rough(i => frame.Codes[3 * i + 1] / 257.0) / Rough(i => ColorEncodings.LinearToSrgb(filled.Data[3 * i + 1]) * 255);
        Assert.True(rougher > 1.02, $"{rougher:0.000}");
        Assert.Contains(
            "does not lie in frame 1036",
            Assert
                .Throws<ShotFault>(() =>
                    fill.Fill(
                        shot with
                        {
                            Mattes = [Square(-50, -50, -20, -20)],
                        },
                        1036,
                        null,
                        "m",
                        FillHow.Smooth,
                        CancellationToken.None,
                        Quiet
                    )
                )
                .Message
        );
        Assert.Contains(
            "Draw it closer",
            Assert
                .Throws<ShotFault>(() =>
                    fill.Fill(
                        shot with
                        {
                            Mattes = [Square(0, 0, 1280, 600)],
                        },
                        1036,
                        null,
                        "m",
                        FillHow.Patches,
                        CancellationToken.None,
                        Quiet
                    )
                )
                .Message
        );
        Assert.Contains(
            "Nothing is built",
            Assert
                .Throws<ShotFault>(() =>
                    fill.Fill(shot with { Pieces = [] }, 1036, null, "m", FillHow.Frames, CancellationToken.None, Quiet)
                )
                .Message
        );
    }

    [Fact]
    public void A_painted_frame_comes_back_checked()
    {
        ShotDocument shot = Bell();
        var paint = new PaintWork(_engine, _media);
        var notes = new List<string>();
        var (name, bytes) = paint.Out(shot, 1036, null, ownColour: false, exr: false);
        Assert.Equal("BTH_0040.1036.png", name);
        ProjectionSource back = paint.In(shot, bytes, name, 1036, null, false, notes);
        Assert.Empty(notes);
        Assert.Equal(
            0,
            MedianOff(_engine.Projection.SourcePicture(shot, back, 1036).Picture, _engine.Plates.Plate(shot, 1036), _ => true),
            1e-4
        );
        Assert.Contains(
            "says it is frame 1036",
            Assert.Throws<ShotFault>(() => paint.In(shot, bytes, name, 1040, null, false, notes)).Message
        );
        Assert.Contains(
            "not 1060",
            Assert
                .Throws<ShotFault>(() =>
                    paint.In(shot, paint.Out(shot, 1055, null, false, false).Bytes, "painted.png", 1060, null, false, notes)
                )
                .Message
        );
        CodeImage codes = RasterFile.Read(bytes, name);
        byte[] linear = RasterFile.ToPng(CodeImage.FromLinear(codes.ToLinear(ColorEncoding.Srgb), ColorEncoding.Linear, 16));
        Assert.Contains(
            "but like it as linear light",
            Assert.Throws<ShotFault>(() => paint.In(shot, linear, "a.png", 1036, null, false, notes)).Message
        );
        Assert.Contains(
            "64 × 36",
            Assert
                .Throws<ShotFault>(() =>
                    paint.In(
                        shot,
                        RasterFile.ToPng(new CodeImage(64, 36, 3, 8, new ushort[64 * 36 * 3])),
                        "a.png",
                        1036,
                        null,
                        false,
                        notes
                    )
                )
                .Message
        );
        // EXR is linear whatever the plate is.
        var (exrName, exr) = paint.Out(shot, 1036, null, ownColour: false, exr: true);
        Assert.Equal(ColorEncoding.AcesCct, paint.In(shot, exr, exrName, 1036, null, false, notes).Encoding);
    }

    [Fact]
    public void Own_colour_is_painted_under_the_light()
    {
        ShotDocument shot = Bell();
        shot = shot with { Plate = shot.Plate! with { GrainFree = null } };
        var (albedo, doubt) = _engine.Renderer.OwnColourOf(shot, 1036, 320);
        // Basin tiles in sun and in shadow: 2.2 stops apart on the plate, alike in own colour.
        FloatImage plate = _engine.Plates.Plate(shot, 1036, 320);
        SetLight light = _engine.Renderer.LightOn(shot, 1036, 320);
        SetScene set = _engine.Place.Set(shot);
        var grid = new RayGrid(_engine.Camera(shot, 1036).Pinhole.Resized(320, 180), _engine.Camera(shot, 1036).Pose);
        int floor = Enumerable.Range(0, set.Pieces.Count).First(i => set.Pieces[i].Id == "basin_floor");
        double Median(FloatImage image, Func<float, bool> sun) =>
            Enumerable
                .Range(0, 320 * 180)
                .Where(i =>
                    doubt[i] == ColourDoubt.None
                    && sun(light.Sun[i])
                    && grid.TryDirection(i % 320, i / 320, new(0.5f), out var d)
                    && set.Scene.Intersect(new Ray(grid.Origin, d), RayKinds.CameraSet) is { IsHit: true } hit
                    && set.PieceOf(hit) == floor
                )
                .Select(i => (double)image.Data[3 * i + 1])
                .Order()
                .ToList()
                is var l
                ? l[l.Count / 2]
                : 0;
        Assert.True(Median(plate, s => s > 0.98f) / Median(plate, s => s < 0.02f) > 2);
        Assert.Equal(1, Median(albedo, s => s > 0.98f) / Median(albedo, s => s < 0.02f), 0.25);
        Assert.Contains(
            "No light of the plate",
            Assert.Throws<ShotFault>(() => _engine.Renderer.OwnColourOf(shot with { Lights = [] }, 1036, 320)).Message
        );
        // Out and in again, under the light that is there, it is the frame again.
        var paint = new PaintWork(_engine, _media);
        var (name, bytes) = paint.Out(shot, 1036, null, ownColour: true, exr: true);
        ProjectionSource back = paint.In(shot, bytes, name, 1036, null, true, []);
        FloatImage lit = _engine.Projection.SourcePicture(shot, back, 1036).Picture,
            whole = _engine.Plates.Plate(shot, 1036);
        Assert.True(MedianOff(lit, whole, i => whole.Data[3 * i] < 0.9f && lit.Data[3 * i] > 0) < 0.01);
    }

    [Fact]
    public void A_baked_piece_keeps_its_footage_where_it_goes()
    {
        ShotDocument shot = Bell();
        string folder = Path.Combine(_store, "bake");
        var (baked, files) = new BakeWork(_engine, _media).Bake(shot, ["wall_north"], 1036, 12, folder, CancellationToken.None, Quiet);
        Assert.Contains("set.glb", files);
        Assert.All(files, f => Assert.True(File.Exists(Path.Combine(folder, f))));
        ShotDocument own = shot with
        {
            Pieces = [.. shot.Pieces.Select(p => baked.TryGetValue(p.Id, out BakedFootage? b) ? p with { Baked = b } : p)],
        };
        FloatImage before = _engine.Projection.Projected(shot, 1036, 480, 1),
            after = _engine.Projection.Projected(own, 1036, 480, 1);
        int wall = 0,
            close = 0;
        double off = 0;
        for (int i = 0; i < 480 * 270; i++)
        {
            if (before.Data[4 * i + 3] < 0.99f || after.Data[4 * i + 3] < 0.99f || before.Data[4 * i] == after.Data[4 * i])
            {
                continue;
            }
            wall++;
            double d = Math.Abs(before.Data[4 * i + 1] - after.Data[4 * i + 1]) / Math.Max(0.03, before.Data[4 * i + 1]);
            off += d;
            if (d < 0.1)
            {
                close++;
            }
        }
        Assert.True(wall > 1000 && close > 0.85 * wall, $"{close} of {wall}");
        // Moved half a metre aside and nearer, it still shows the same spots of itself.
        ShotDocument moved = own with
        {
            Pieces = [.. own.Pieces.Select(p => p.Id == "wall_north" ? p with { Position = p.Position + new Vec3(0.5, 0, 1) } : p)],
        };
        SetScene set = _engine.Place.Set(moved);
        BakedSurface surface = _engine.Place.Baked(set)!.OfType<BakedSurface>().Single();
        Assert.True(
            surface.At(0, 0.3f, 0.3f, 0.02f)
                == _engine.Place.Baked(_engine.Place.Set(own))!.OfType<BakedSurface>().Single().At(0, 0.3f, 0.3f, 0.02f)
        );
        // Another shape: the textures are not its own any more.
        Assert.All(
            _engine.Place.Baked(
                _engine.Place.Set(
                    own with
                    {
                        Pieces = [.. own.Pieces.Select(p => p.Id == "wall_north" ? p with { Size = p.Size with { X = 10 } } : p)],
                    }
                )
            )!,
            Assert.Null
        );
        Assert.Contains(
            "more than memory holds",
            Assert
                .Throws<ShotFault>(() => new BakeWork(_engine, _media).Bake(shot, [], 1036, 0.05, folder, CancellationToken.None, Quiet))
                .Message
        );
    }

    [Fact]
    public void From_elsewhere_is_the_shot_camera_until_it_is_changed()
    {
        ShotDocument shot = Bell();
        ShotDocument small = shot with { Plate = shot.Plate! with { Width = 320, Height = 180 } };
        var rays = (RayGrid)ElsewhereWork.Rays(_engine, small, new OtherView(), 1036);
        Assert.Equal(_engine.Camera(small, 1036).Pinhole, rays.Pinhole);
        // A metre to the right in the camera's own frame; twice as long; half as wide again.
        var other = (RayGrid)
            ElsewhereWork.Rays(
                _engine,
                small,
                new OtherView
                {
                    Moved = new(1, 0, 0),
                    FocalMm = 56,
                    Overscan = 1.5,
                },
                1036
            );
        Assert.Equal(1, (Vec3.From(other.Origin) - Vec3.From(rays.Origin)).Length, 1e-4);
        Assert.Equal((480, 270), (other.Width, other.Height));
        Assert.Equal(2, other.Pinhole.Fx / rays.Pinhole.Fx, 0.01);
        // Steadied, it shakes less and still goes where it went.
        Vec3 At(double steady, int f) => ElsewhereWork.PoseOf(_engine, small, new OtherView { SteadyFrames = steady }, f).Position;
        double Shake(double steady) =>
            Enumerable.Range(1003, 66).Sum(f => (At(steady, f + 1) - 2 * At(steady, f) + At(steady, f - 1)).Length);
        Assert.True(Shake(8) < 0.5 * Shake(0), $"{Shake(0)} {Shake(8)}");
        Assert.Equal((At(0, 1072) - At(0, 1001)).Length, (At(8, 1072) - At(8, 1001)).Length, 0.08);
        // A sphere filled: no hole is left black, and alpha still says what was seen.
        FloatImage sphere = ElsewhereWork.Filled(
            _engine.Projection.Projected(shot, new LatLongRays(128, 64, new(0, 1, -6)), 1036, 1),
            around: true
        );
        Assert.Contains(Enumerable.Range(0, 128 * 64), i => sphere.Data[4 * i + 3] == 0);
        Assert.All(Enumerable.Range(0, 128 * 64), i => Assert.True(sphere.Data[4 * i] > 0.001f));
        Assert.NotNull(ElsewhereWork.Fault(new OtherView { Overscan = 9 }));
        Assert.NotNull(ElsewhereWork.Fault(new OtherView { Moved = new(double.NaN, 0, 0) }));
    }

    [Fact]
    public void Found_depth_answers_where_nothing_is_built_and_hides()
    {
        ShotDocument shot = Bell() with { Pieces = [] };
        var (pose, pinhole) = _engine.Camera(shot, 1036);
        // A made-up map: 6 m on the left half, nothing sure on the right.
        var map = new DepthMap(
            1280,
            720,
            [.. Enumerable.Range(0, 1280 * 720).Select(i => i % 1280 < 640 ? 6f : 4f)],
            [.. Enumerable.Range(0, 1280 * 720).Select(i => i % 1280 < 640 ? 0.9f : 0.1f)]
        );
        shot = shot with { Depth = new DepthSource { Frames = [new(1036, Keep(DepthFile.Write(map)))] } };
        PickResult hit = _engine.Pick(shot, 1036, 300.5, 400.5);
        Assert.Equal(6, -pose.ToLocal(new(hit.Point![0], hit.Point[1], hit.Point[2])).Z, 1e-3);
        Assert.Null(_engine.Pick(shot, 1036, 900, 400).Point);
        // The same by another convention, as another program would write it.
        var buffer = new DepthConvention(DepthKind.BufferReversed, 0.1, 500);
        byte[] theirs = DepthFile.Write(map with { Depth = [.. map.Depth.Select(d => (float)buffer.FromAxis(d))] });
        Assert.Equal(6, DepthFile.Import(theirs, "z.exr", buffer, pinhole).Depth[400 * 1280 + 300], 1e-3f);
        Assert.Contains(
            "near plane",
            Assert.Throws<ShotFault>(() => DepthFile.Import(theirs, "z.exr", new(DepthKind.Buffer, 5, 1), pinhole)).Message
        );
        Assert.Contains(
            "another shape",
            Assert.Throws<ShotFault>(() => DepthFile.Import(theirs, "z.exr", buffer, pinhole with { Width = 400, Height = 400 })).Message
        );
        // Against a set: a wall across at 5 m along the axis is found a fifth too far.
        Pose card = pose;
        ShotDocument built = shot with
        {
            Pieces =
            [
                new Piece
                {
                    Id = "card",
                    Name = "card",
                    Kind = PieceKind.Plane,
                    Position = card.Position - 5 * card.Rotation.Column(2),
                    RotationYxzDegrees = Rotations.ToEulerYxzDegrees(
                        Matrix3.FromColumns(card.Rotation.Column(0), card.Rotation.Column(2), -card.Rotation.Column(1))
                    ),
                    Size = new(20, 0, 20),
                },
            ],
        };
        DepthDifference against = _engine.Depth.DepthAgainstSet(built, 1036);
        Assert.Equal(0.2f, against.Relative[400 * 1280 + 300], 1e-3f);
        Assert.True(float.IsNaN(against.Relative[400 * 1280 + 900]));
        // The bell, 8 m away on the left of the picture, goes behind it once it hides.
        Element bell = shot.Elements[0] with { Position = pose.Position + 8 * (pose.Rotation * new Vec3(-0.3, -0.1, -1)), Scale = 0.5 };
        shot = shot with { Elements = [bell], Lights = [] };
        double Seen(bool hides) =>
            _engine
                .Renderer.Render(
                    shot with
                    {
                        Depth = shot.Depth! with { Hides = hides },
                    },
                    1036,
                    320,
                    RenderQuality.Draft,
                    dataPasses: false
                )
                .Holdout.Data.Sum();
        Assert.Equal(0, Seen(false));
        Assert.True(Seen(true) > 50);
    }

    [Fact]
    public void A_cloud_lies_where_its_targets_say_and_serves_like_points()
    {
        ShotDocument shot = Bell();
        var clouds = new CloudWork(_media);
        Similarity toWorld = ShotCamera.Of(shot)!.SourceToWorld,
            scanner = new(1, Rotations.FromEulerYxzDegrees(0, 140, 0), new(30, -2, 7));
        // Scanned: a grid on the walkway beside the basin, in the scanner's own space, with a little noise.
        var random = new Random(2);
        Vec3[] world =
        [
            .. Enumerable
                .Range(0, 900)
                .Select(i => new Vec3(-0.9 + 0.06 * (i % 30), 0.002 * (random.NextDouble() - 0.5), 0.4 + 0.04 * (i / 30))),
        ];
        Similarity fromScanner = scanner.Inverse();
        string ply =
            $"ply\nformat ascii 1.0\nelement vertex {world.Length}\nproperty float x\nproperty float y\nproperty float z\nend_header\n"
            + string.Join(
                '\n',
                world.Select(w => scanner.Apply(w)).Select(p => FormattableString.Invariant($"{p.X:0.#####} {p.Y:0.#####} {p.Z:0.#####}"))
            );
        var cloud = new PointCloud
        {
            Id = "cloud_1",
            Name = "scan.ply",
            Media = Keep(System.Text.Encoding.ASCII.GetBytes(ply)),
            Count = world.Length,
        };
        shot = shot with { Clouds = [cloud] };
        Assert.Contains("three", CloudWork.Place(shot, cloud).Reason);
        cloud = cloud with
        {
            Targets = [.. shot.SurveyPoints.Take(5).Select(s => new CloudTarget(s.Name, scanner.Apply(toWorld.Apply(s.Position!.Value))))],
        };
        shot = shot with { Clouds = [cloud] };
        CloudPlace place = CloudWork.Place(shot, cloud);
        Assert.Null(place.Reason);
        Assert.True(place.RmsMetres < 1e-3);
        var seen = clouds.Seen(shot, 1036);
        Assert.True(seen.Count > 30, $"{seen.Count}");
        string[] chosen = [.. seen.Take(40).Select(p => p.Name)];
        FittedPiece plane = SurveyWork.Fit(shot, _engine.TrackWork, clouds, PieceKind.Plane, chosen, 1036);
        Assert.True(plane.RmsMetres < 0.002);
        Assert.Equal(0, plane.Piece.Position.Y, 0.003);
        // Against the pieces: they are the walkway itself.
        Core.Readings.Reading against = ReadingKind.All.First(k => k.Blank.Id == "set.cloud").Take(_engine, shot);
        Assert.InRange(against.Value!.Value, 0, 3);
        Assert.Contains("points", against.Note);
        Assert.NotEmpty(SurveyWork.Surface(shot, _engine.TrackWork, clouds, 1036, seen[seen.Count / 2].X, seen[seen.Count / 2].Y));
    }
}
