using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>
/// A shot taken anew from elsewhere: what the projected set shows there is its plate, where the view stood is its camera, and set, lights
/// and elements stand in both: what one changes of them the other has as well.
/// </summary>
public static class Reshoot
{
    /// <summary>A frame of the new plate: the projected set, 16 bits in the old plate's encoding.</summary>
    public static PlateFrame Frame(
        ShotEngine engine,
        MediaStore media,
        ShotDocument shot,
        OtherView view,
        string code,
        int frame,
        CancellationToken stop,
        Action<double>? progress = null
    )
    {
        FloatImage seen = ElsewhereWork.Frame(engine, shot, view, frame, stop, progress);
        return new(
            frame,
            $"{code}.{frame:0000}.png",
            media.Write(RasterFile.ToPng(CodeImage.FromLinear(seen.Colours(), shot.Plate!.Space, 16)))
        );
    }

    /// <param name="frames">Made by <see cref="Frame"/>, in their order.</param>
    /// <param name="told">What does not come along.</param>
    public static ShotDocument Document(
        ShotEngine engine,
        ShotDocument shot,
        OtherView view,
        string code,
        IReadOnlyList<PlateFrame> frames,
        out IReadOnlyList<string> told
    )
    {
        FrameRange range = new(frames[0].Frame, frames[^1].Frame);
        RayGrid Grid(int frame) => (RayGrid)ElsewhereWork.Rays(engine, shot, view, frame);
        Pinhole first = Grid(range.First).Pinhole;
        PlateSource plate = shot.Plate!;
        double wider = (double)first.Width / plate.Width;
        ShotCamera camera = ShotCamera.Of(shot)!;
        var own = new List<CameraSample>();
        foreach (int f in Enumerable.Range(shot.Range.First, shot.Range.Count))
        {
            if (camera.TryAt(f, out Pose pose, out Pinhole p))
            {
                own.Add(new(f, pose.ToRowMajor16(), p.Fx, p.Cx, p.Cy));
            }
        }
        string old = FreeId.Of(shot.OtherCameras.Select(c => c.Id), shot.Code);
        Similarity toWorld = camera.SourceToWorld;
        var notes = new List<string>();
        string[] used = [.. shot.Projections.Select(p => p.Matte).OfType<string>()];
        if (shot.Mattes.Count(m => !used.Contains(m.Id)) is > 0 and int left)
        {
            notes.Add($"{left} {(left == 1 ? "matte is" : "mattes are")} of the old picture and not in it");
        }
        if (shot.Projections.Any(p => p.Cleaned))
        {
            notes.Add("what was laid on from the clean plate shows the plate there");
        }
        if (shot.Finish.Steps.Count > 0)
        {
            notes.Add("its finish begins anew");
        }
        told = notes;
        return new ShotDocument
        {
            Production = shot.Production,
            Sequence = shot.Sequence,
            Code = code,
            Title = shot.Title.Length > 0 ? $"{shot.Title}, from elsewhere" : $"{shot.Code} from elsewhere",
            Range = range,
            Rate = shot.Rate,
            Plate = new()
            {
                Name = code,
                Rate = shot.Rate,
                Mapping = new(range.First, range.First),
                Width = first.Width,
                Height = first.Height,
                Bits = 16,
                Encoding = plate.Encoding,
                Primaries = plate.Primaries,
                SensorWidthMm = plate.SensorWidthMm * wider,
                SensorHeightMm = plate.SensorHeightMm * first.Height / plate.Height,
                Frames = frames,
            },
            Look = shot.Look,
            Camera = new()
            {
                Name = $"{shot.Code} from elsewhere",
                Rate = shot.Rate,
                Mapping = new(range.First, range.First),
                Lens = shot.Camera!.Lens,
                Width = first.Width,
                Height = first.Height,
                Samples =
                [
                    .. frames.Select(f =>
                    {
                        RayGrid grid = Grid(f.Frame);
                        return new CameraSample(
                            f.Frame,
                            ElsewhereWork.PoseOf(engine, shot, view, f.Frame).ToRowMajor16(),
                            grid.Pinhole.Fx,
                            grid.Pinhole.Cx,
                            grid.Pinhole.Cy
                        );
                    }),
                ],
            },
            // The world as it is laid already: cameras and points stand in it.
            SurveyPoints =
            [
                .. shot
                    .SurveyPoints.Where(p => p.Position is not null)
                    .Select(p => p with { Clicks = [], Position = toWorld.Apply(p.Position!.Value) }),
            ],
            MovingObjects = shot.MovingObjects,
            Pieces = shot.Pieces,
            Lights = shot.Lights,
            Elements = shot.Elements,
            Curves = [.. shot.Curves.Where(c => c.Id.Split('/')[0] is "pieces" or "lights" or "elements")],
            Bounces = shot.Bounces,
            Contact = shot.Contact,
            ShutterDegrees = shot.ShutterDegrees,
            Seed = shot.Seed,
            Mattes =
            [
                .. shot.Mattes.Where(m => used.Contains(m.Id)).Select(m => m with { HidesBeyondMetres = null, KeepsTracksOff = false }),
            ],
            ProjectionsMix = shot.ProjectionsMix,
            SeamBlendPixels = shot.SeamBlendPixels,
            OtherCameras =
            [
                .. shot.OtherCameras,
                new()
                {
                    Id = old,
                    Name = shot.Code,
                    Plate = plate,
                    Camera = shot.Camera with
                    {
                        Rate = shot.Rate,
                        Mapping = new(shot.Range.First, shot.Range.First),
                        Width = plate.Width,
                        Height = plate.Height,
                        Samples = own,
                    },
                },
            ],
            Projections = [.. shot.Projections.Select(p => p with { Camera = p.Camera ?? old, Cleaned = false })],
        };
    }
}
