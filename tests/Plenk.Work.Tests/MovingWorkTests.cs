using System.Text.Json;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>
/// The demo's trolley through the shot's own paths, against the truth that its generator wrote beside the footage (a check of the
/// whole chain, not an outside one).
/// </summary>
public sealed class MovingWorkTests : IDisposable
{
    private static readonly string Folder = Path.Combine(DemoShot.Repository, "demo", "BTH_0070");
    private readonly string _store = Path.Combine(Path.GetTempPath(), $"plenk-moving-{Guid.NewGuid():N}");
    private readonly ShotEngine _engine;
    private readonly MovingWork _work;
    private readonly ShotDocument _shot;
    private readonly Dictionary<int, Pose> _trolley;

    public MovingWorkTests()
    {
        var media = new MediaStore(_store);
        _engine = new(media);
        _work = new(_engine);
        JsonElement truth = JsonDocument.Parse(File.ReadAllText(Path.Combine(Folder, "truth.json"))).RootElement;
        Dictionary<int, Pose> Poses(string key) =>
            truth
                .GetProperty("frames")
                .EnumerateArray()
                .ToDictionary(
                    f => f.GetProperty("frame").GetInt32(),
                    f => Pose.FromRowMajor16([.. f.GetProperty(key).EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
                );
        _trolley = Poses("trolley_to_world");
        _shot = DemoSeed.Shot(Path.GetDirectoryName(Folder)!, "BTH_0070", bytes => media.Write(bytes)) with
        {
            Range = new(1027, 1033),
            Camera = new CameraSource
            {
                Name = "truth",
                Width = 960,
                Height = 540,
                Lens = new(truth.GetProperty("k1").GetDouble(), truth.GetProperty("k2").GetDouble()),
                Samples =
                [
                    .. Poses("camera_to_world")
                        .Select(p => new CameraSample(p.Key, p.Value.ToRowMajor16(), truth.GetProperty("focal_px").GetDouble(), 480, 270)),
                ],
            },
            MovingObjects =
            [
                new MovingObject
                {
                    Id = "trolley",
                    Name = "trolley",
                    Media = media.Write(File.ReadAllBytes(Path.Combine(Folder, "trolley.obj"))),
                    Holds = [new(1030, _trolley[1030].ToRowMajor16(), [])],
                },
            ],
        };
    }

    public void Dispose() => Directory.Delete(_store, recursive: true);

    private MovingObject Follow(ShotDocument shot) => _work.Follow(shot, "trolley", CancellationToken.None, (_, _) => { });

    [Fact]
    public void Followed_from_one_hold_the_trolley_stays_on_the_picture_and_carries_what_hangs_on_it()
    {
        MovingObject followed = Follow(_shot);
        Assert.Equal(7, followed.Frames.Count);
        foreach (ObjectPose f in followed.Frames)
        {
            Pose pose = Pose.FromRowMajor16(f.ObjectToWorld, out _)!.Value;
            Assert.InRange((pose.ToWorld(new(0, 0.8, 0)) - _trolley[f.Frame].ToWorld(new(0, 0.8, 0))).Length, 0, 0.04);
            Assert.InRange(Rotations.DegreesBetween(pose.Rotation, _trolley[f.Frame].Rotation), 0, 3);
        }
        // A box in the trolley's frame, before its lockers: the pixel of its middle hits it in every frame.
        ShotDocument hung = _shot with
        {
            MovingObjects = [followed],
            Pieces =
            [
                new Piece
                {
                    Id = "crate",
                    Kind = PieceKind.Box,
                    Position = new(0.5, 0.6, 0),
                    Size = new(0.3, 0.5, 0.5),
                    HangsOn = new() { On = "movingObjects/trolley" },
                },
            ],
        };
        foreach (int frame in (int[])[1027, 1033])
        {
            var (camera, pinhole) = _engine.Camera(hung, frame);
            Assert.True(pinhole.TryProject(camera, _trolley[frame].ToWorld(new(0.5, 0.85, 0)), out double x, out double y));
            Assert.Equal("crate", _engine.Pick(hung, frame, x, y).PieceId);
        }
        // The thing itself as a piece: what stands half a metre behind it is hidden, wherever it has gone.
        ShotDocument behind = _shot with { MovingObjects = [followed] },
            held = behind with { Pieces = [Hanging.StoodIn(behind, followed)] };
        Assert.Empty(Core.Checks.ShotChecks.Faults(held).Except(Core.Checks.ShotChecks.Faults(behind)));
        foreach (int frame in (int[])[1027, 1033])
        {
            var (camera, pinhole) = _engine.Camera(behind, frame);
            Vec3 middle = _trolley[frame].ToWorld(new(0, 0.8, 0)),
                away = (middle - camera.Position).Normalized();
            Element word = new()
            {
                Id = "word",
                Kind = ElementKind.Lettering,
                Text = new("I", 6, 4),
                Position = middle + 4 * away + new Vec3(0, -3, 0),
            };
            Assert.True(pinhole.TryProject(camera, middle, out double x, out double y));
            Assert.Equal("word", _engine.Pick(behind with { Elements = [word] }, frame, x, y).ElementId);
            PickResult hit = _engine.Pick(held with { Elements = [word] }, frame, x, y);
            Assert.Equal((null, "trolley_1"), (hit.ElementId, hit.PieceId));
        }
        // Hung on nothing it stands where its own numbers say, which is elsewhere.
        ShotDocument stood = hung with { Pieces = [hung.Pieces[0] with { HangsOn = null }] };
        var (c, p) = _engine.Camera(stood, 1027);
        Assert.True(p.TryProject(c, _trolley[1027].ToWorld(new(0.5, 0.85, 0)), out double u, out double v));
        Assert.Null(_engine.Pick(stood, 1027, u, v).PieceId);
    }

    [Fact]
    public void Pins_pull_the_mesh_and_bad_ones_are_told()
    {
        var (camera, pinhole) = _engine.Camera(_shot, 1030);
        ObjectPin Pin(Vec3 place) =>
            pinhole.TryProject(camera, _trolley[1030].ToWorld(place), out double x, out double y)
                ? new(place, x, y)
                : throw new InvalidOperationException();
        // Held a hand's breadth off, and pinned by four corners of its front where they belong.
        ShotDocument off = _shot with
        {
            MovingObjects =
            [
                _shot.MovingObjects[0] with
                {
                    Holds =
                    [
                        new(
                            1030,
                            new Pose(
                                _trolley[1030].Rotation * Rotations.AboutY(0.2),
                                _trolley[1030].Position + new Vec3(0.1, 0.05, -0.1)
                            ).ToRowMajor16(),
                            []
                        ),
                    ],
                },
            ],
        };
        PulledMesh pulled = _work.Pull(
            off,
            "trolley",
            1030,
            [Pin(new(0.27, 0.2, 0.62)), Pin(new(0.27, 0.2, -0.62)), Pin(new(0.27, 1.52, 0.62)), Pin(new(0.27, 1.52, -0.62))]
        );
        Assert.Null(pulled.Fault);
        Assert.InRange(pulled.RmsPx, 0, 1e-3);
        Assert.NotEmpty(pulled.Lines);
        Assert.InRange((Pose.FromRowMajor16(pulled.ObjectToWorld, out _)!.Value.Position - _trolley[1030].Position).Length, 0, 1e-3);
        ObjectPin[] line = [Pin(new(0.27, 0.2, 0.62)), Pin(new(0.27, 0.2, 0.1)), Pin(new(0.27, 0.2, -0.62))];
        Assert.Contains("in one line", _work.Pull(off, "trolley", 1030, line).Fault);
        ShotFault refused = Assert.Throws<ShotFault>(() =>
            Follow(
                off with
                {
                    MovingObjects = [off.MovingObjects[0] with { Holds = [off.MovingObjects[0].Holds[0] with { Pins = line }] }],
                }
            )
        );
        Assert.Contains("frame 1030", refused.Message);
        Assert.Contains(
            "held in no frame",
            Assert.Throws<ShotFault>(() => Follow(off with { MovingObjects = [off.MovingObjects[0] with { Holds = [] }] })).Message
        );
        Assert.Contains("is not there", Assert.Throws<ShotFault>(() => _work.Spot(off, "trolley", 1030, 5, 5)).Message);
        Assert.InRange(
            (_work.Spot(_shot, "trolley", 1030, Pin(new(0.27, 1, 0)).X, Pin(new(0.27, 1, 0)).Y) - new Vec3(0.27, 1, 0)).Length,
            0,
            1e-3
        );
    }

    [Fact]
    public void A_thing_without_matte_mesh_or_camera_says_what_it_needs()
    {
        ShotFault Needs(ShotDocument shot) => Assert.Throws<ShotFault>(() => _work.Solve(shot, "t", CancellationToken.None, (_, _) => { }));
        ShotDocument bare = _shot with { MovingObjects = [new MovingObject { Id = "t", Name = "trolley" }] };
        Assert.Contains("has no matte", Needs(bare).Message);
        bare = bare with { MovingObjects = [bare.MovingObjects[0] with { Matte = _shot.Mattes[0].Id }] };
        Assert.Contains("no camera", Needs(bare with { Camera = null }).Message);
        Assert.Contains("no sample for frame 1061", Needs(bare with { Range = new(1050, 1061) }).Message);
        Assert.Contains("no mesh", Assert.Throws<ShotFault>(() => _work.Follow(bare, "t", CancellationToken.None, (_, _) => { })).Message);
    }
}
