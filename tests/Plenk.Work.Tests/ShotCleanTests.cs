using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>
/// A shot's clean plate on the <see cref="PatchedCourt"/>: made, kept, corrected by hand, and taken as what the comp and projections show.
/// </summary>
public sealed class ShotCleanTests : IDisposable
{
    private const int At = 1003;
    private readonly string _folder = Directory.CreateTempSubdirectory("plenk-clean-").FullName;
    private readonly PatchedCourt _court = new();
    private readonly MediaStore _media;
    private readonly ShotEngine _engine;
    private readonly ShotDocument _shot;

    public ShotCleanTests()
    {
        _media = new(_folder);
        _engine = new(_media);
        _shot = _court.Shot(_media);
    }

    public void Dispose() => Directory.Delete(_folder, recursive: true);

    private ShotDocument Made(ShotDocument shot, params int[] frames)
    {
        var made = new List<CleanPlateFrame>();
        var told = new List<string>();
        _engine.Clean.Make(
            shot,
            frames.Length > 0 ? frames : [.. Enumerable.Range(shot.Range.First, shot.Range.Count)],
            _media,
            made.Add,
            told,
            default,
            (_, _) => { }
        );
        return shot with { CleanPlate = shot.CleanPlate with { Frames = made, Told = told } };
    }

    private static double Psnr(FloatImage picture, FloatImage meant, Func<int, bool> at)
    {
        int[] inside = [.. Enumerable.Range(0, picture.Width * picture.Height).Where(at)];
        return -10
            * Math.Log10(
                inside.Sum(i => Enumerable.Range(3 * i, 3).Sum(k => Math.Pow(picture.Data[k] - meant.Data[k], 2))) / (3.0 * inside.Length)
            );
    }

    private FloatImage Meant(int frame) => _court.Was[frame].ToLinear(ColorEncoding.Srgb);

    [Fact]
    public void It_is_the_plate_outside_the_matte_and_what_other_frames_saw_inside()
    {
        ShotDocument shot = Made(_shot);
        foreach (int frame in _court.Was.Keys)
        {
            CleanLight clean = _engine.Clean.Clean(shot, frame);
            FloatImage plate = _engine.Plates.Plate(shot, frame);
            Assert.Equal(_court.Gone[frame], clean.Cleaned);
            Assert.All(Enumerable.Range(0, plate.Data.Length).Where(i => !_court.Gone[frame][i / 3]), i =>
                Assert.Equal(plate.Data[i], clean.Linear.Data[i])
            );
            Assert.True(Psnr(clean.Linear, Meant(frame), i => _court.Gone[frame][i]) > 30);
            var (w, _, given) = _engine.Clean.Given(shot, frame);
            Assert.All(Enumerable.Range(0, given.Length), i =>
                Assert.True(_court.Gone[frame][i] ? given[i] is -1 or (>= 1001 and <= 1006) && given[i] != frame : given[i] == 0)
            );
            // Reduced, a pixel counts as cleaned where any of it is.
            CleanLight half = _engine.Clean.Clean(shot, frame, w / 2);
            Assert.Equal(w / 2, half.Linear.Width);
            Assert.True(half.Cleaned.Count(c => c) * 4 >= clean.Cleaned.Count(c => c));
        }
        Assert.All(shot.CleanPlate.Frames, f => Assert.Equal(1, f.Taken + f.Filled, 1e-4));
    }

    [Fact]
    public void A_comp_over_it_has_its_codes_and_hides_nothing_that_a_matte_brings_back()
    {
        ShotDocument shot = Made(_shot) with { Background = BackgroundKind.Clean };
        FloatImage clean = _engine.Clean.Clean(shot, At).Linear;
        Background background = _engine.Background.Of(shot, At, _court.Camera.Width, 4)!;
        Assert.Equal(clean.Data, background.Rgb.Data);
        Assert.Equal(_court.Gone[At], background.Touched);
        Assert.All(Enumerable.Range(0, background.Touched.Length), i => Assert.Equal(1, background.Rgba.Data[4 * i + 3]));
        // What is taken out and stands before what is added is laid over it again.
        ShotDocument back = shot with { Mattes = [.. shot.Mattes.Select(m => m with { HidesBeyondMetres = 1 })] };
        FloatImage plate = _engine.Plates.Plate(shot, At);
        Assert.True(Psnr(_engine.Background.Of(back, At, _court.Camera.Width, 4)!.Rgb, plate, _ => true) > 90);
        // A piece that is seen wears the clean frame, and where it looks at itself has its codes.
        ShotDocument worn = shot with
        {
            Pieces = [.. shot.Pieces.Select(p => p with { Duties = p.Duties with { Seen = true } })],
            Projections =
            [
                new()
                {
                    Id = "a",
                    Frame = At,
                    Cleaned = true,
                },
            ],
        };
        Assert.Equal(clean.Data, _engine.Projection.SourcePicture(worn, worn.Projections[0], At).Picture.Data);
        Assert.True(Psnr(_engine.Background.Of(worn, At, _court.Camera.Width, 4)!.Rgb, clean, _ => true) > 90);
    }

    [Fact]
    public void Frames_are_forbidden_and_preferred()
    {
        ShotDocument without = Made(_shot with { CleanPlate = _shot.CleanPlate with { Without = "1001-1002,1006" } }, At);
        Assert.Subset(new HashSet<int> { 0, -1, 1004, 1005 }, _engine.Clean.Given(without, At).Given.ToHashSet());
        ShotDocument preferred = Made(_shot with { CleanPlate = _shot.CleanPlate with { Preferred = "1001" } }, At);
        int[] given = _engine.Clean.Given(preferred, At).Given;
        Assert.True(given.Count(g => g == 1001) > 0.8 * _court.Gone[At].Count(g => g));
        ShotFault none = Assert.Throws<ShotFault>(() => Made(_shot with { CleanPlate = _shot.CleanPlate with { Without = "1001-1006" } }));
        Assert.Contains("No frame is left", none.Message);
    }

    [Fact]
    public void A_painted_frame_is_carried_to_the_others()
    {
        // One frame is painted red where the patch of another lies on the floor.
        const int painted = 1004;
        FloatImage frame = _engine.Plates.QuietPlate(_shot, painted, _court.Camera.Width).Copy();
        for (int i = 0; i < _court.Gone[painted].Length; i++)
        {
            (frame.Data[3 * i], frame.Data[3 * i + 1], frame.Data[3 * i + 2]) = (0.8f, 0.05f, 0.05f);
        }
        ShotDocument shot = _shot with
        {
            Projections =
            [
                new()
                {
                    Id = "red",
                    Name = "red",
                    Kind = SourceKind.Picture,
                    Frame = painted,
                    HasGrain = true,
                    Media = _media.Write(RasterFile.ToPng(CodeImage.FromLinear(frame, ColorSpace.Srgb, 16))),
                    Encoding = ColorEncoding.Srgb,
                },
            ],
            CleanPlate = _shot.CleanPlate with { Painted = ["red"] },
        };
        ShotDocument made = Made(shot, At, painted);
        foreach (int f in (int[])[At, painted])
        {
            CleanLight clean = _engine.Clean.Clean(made, f);
            int[] inside = [.. Enumerable.Range(0, clean.Cleaned.Length).Where(i => clean.Cleaned[i])];
            Assert.All(inside, i => Assert.Equal(0.8, clean.Linear.Data[3 * i], 0.01));
            Assert.All(inside, i => Assert.Equal(-1, _engine.Clean.Given(made, f).Given[i]));
        }
        // A painting of another size is told, and left out.
        ShotDocument small = shot with
        {
            Projections = [shot.Projections[0] with { Media = _media.Write(RasterFile.ToPng(new CodeImage(8, 8, 3, 8, new ushort[192]))) }],
        };
        Assert.Contains(Made(small, At).CleanPlate.Told, t => t.Contains("red is 8 × 8") && t.Contains("not carried"));
    }

    [Fact]
    public void On_a_thing_that_moves_it_is_made_in_the_things_own_space()
    {
        // The world goes by on a belt: the same pictures, the camera standing, the floor moving.
        ShotDocument still = _shot with { CleanPlate = _shot.CleanPlate with { HangsOn = "belt" } };
        CameraSample first = _shot.Camera!.Samples[0];
        Pose Stood(CameraSample s) => Pose.FromRowMajor16(s.CameraToWorld, out _)!.Value;
        still = still with
        {
            Camera = _shot.Camera with { Samples = [.. _shot.Camera.Samples.Select(s => s with { CameraToWorld = first.CameraToWorld })] },
            Pieces = [.. _shot.Pieces.Select(p => p with { HangsOn = new() { On = "movingObjects/belt" } })],
            MovingObjects =
            [
                new()
                {
                    Id = "belt",
                    Name = "belt",
                    Frames =
                    [
                        .. _shot.Camera.Samples.Select(s =>
                        {
                            Pose own = Stood(s);
                            Similarity back = new Similarity(1, own.Rotation, own.Position).Inverse();
                            return new ObjectPose(
                                (int)s.Frame,
                                new Pose(back.Rotation, back.Translation)
                                    .Moved(new(1, Stood(first).Rotation, Stood(first).Position))
                                    .ToRowMajor16()
                            );
                        }),
                    ],
                },
            ],
        };
        CleanLight moved = _engine.Clean.Clean(Made(still, At), At),
            filmed = _engine.Clean.Clean(Made(_shot, At), At);
        Assert.True(Psnr(moved.Linear, Meant(At), i => _court.Gone[At][i]) > 30);
        Assert.True(Psnr(moved.Linear, filmed.Linear, i => moved.Cleaned[i]) > 45);
        ShotFault bare = Assert.Throws<ShotFault>(() => Made(still with { Pieces = [] }, At));
        Assert.Contains("Nothing is built on belt", bare.Message);
    }

    [Fact]
    public void What_is_not_there_or_old_is_said()
    {
        ShotFault none = Assert.Throws<ShotFault>(() => _engine.Background.Of(_shot with { Background = BackgroundKind.Clean }, At, 64, 1));
        Assert.Contains("no clean plate yet", none.Message);
        ShotDocument some = Made(_shot, At, At + 1) with { Background = BackgroundKind.Clean };
        ShotFault other = Assert.Throws<ShotFault>(() => _engine.Background.Of(some, 1006, 64, 1));
        Assert.Contains("Frame 1006 has no clean plate; 1003-1004 have one", other.Message);
        // Another plate: what was made of the old one does not lie over it.
        ShotDocument changed = some with
        {
            Plate = some.Plate! with { Frames = [.. some.Plate.Frames.Select(f => f with { Media = some.Plate.Frames[0].Media })] },
        };
        Assert.Contains("another plate", Assert.Throws<ShotFault>(() => _engine.Clean.Clean(changed, At)).Message);
        // Handles that come later leave it alone, and what gave it.
        int[] given = _engine.Clean.Given(some, At).Given;
        Assert.Equal(given, _engine.Clean.Given(some with { Range = new(997, 1006) }, At).Given);
        // A change of what it is made of is known by its key; one of anything else leaves it alone.
        string made = some.CleanPlate.Frames[0].MadeOf;
        Assert.Equal(made, CleanPlateWork.KeyOf(some with { Title = "other", Elements = [], Seed = some.Seed }));
        Assert.NotEqual(made, CleanPlateWork.KeyOf(some with { CleanPlate = some.CleanPlate with { Without = "1001" } }));
        Assert.NotEqual(made, CleanPlateWork.KeyOf(some with { Mattes = [.. some.Mattes.Select(m => m with { GrowPixels = 2 })] }));
        Assert.Equal(made, CleanPlateWork.KeyOf(some with { Mattes = [.. some.Mattes, new() { Id = "b", Kind = MatteKind.Drawn }] }));
        ShotFault nothing = Assert.Throws<ShotFault>(() => Made(_shot with { CleanPlate = new() { Mattes = ["gone"] } }));
        Assert.Contains("Nothing is taken out yet", nothing.Message);
    }
}
