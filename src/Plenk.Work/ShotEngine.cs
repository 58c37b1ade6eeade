using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Lighting;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Meshes;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A step cannot be computed for this shot as it stands; the message says why and what would mend it.</summary>
public sealed class ShotFault(string message) : Exception(message);

/// <summary>
/// How two cameras of the projections meet on the set: the share of the first one's picture, the parallax along the shortest border, how
/// far they differ in stops before and with their gains.
/// </summary>
public sealed record CameraMeeting(
    string First,
    string Second,
    double Overlap,
    double? ParallaxDegrees,
    double? WorstParallaxDegrees,
    int Spots,
    double StopsBefore,
    double StopsNow,
    int Frame,
    double? WorstX,
    double? WorstY
);

/// <summary>
/// Which frames see the set best, one after another; the share that the projections cover now; that of each piece; and spots that no frame
/// ever saw.
/// </summary>
/// <param name="Nothing">Ids of projections that lie on no spot of the set.</param>
public sealed record CoveragePlan(
    IReadOnlyList<PlannedSource> Frames,
    double Now,
    IReadOnlyList<(string Piece, double Covered)> Pieces,
    IReadOnlyList<Vector3> NeverSeen,
    IReadOnlyList<string> Nothing
);

/// <summary>(found depth − set's) ÷ set's a pixel, NaN where one of them is not known; and the piece that is seen there.</summary>
public sealed record DepthDifference(int Width, int Height, float[] Relative, int[] Piece, IReadOnlyList<string> Names);

/// <summary>What lies under a pixel of the plate: the nearest of set and elements, and the set below where an element is seen.</summary>
/// <param name="Point">The place that is seen, with its distance and its normal towards the camera.</param>
/// <param name="PieceId">Of the set, there or behind the element.</param>
/// <param name="OnSet">The place of the set: what things are stood on. The same where no element is before it.</param>
public sealed record PickResult(
    double X,
    double Y,
    double[]? Linear,
    double? Distance,
    double[]? Point,
    double[]? Normal,
    string? PieceId,
    string? ElementId
)
{
    public double[]? OnSet { get; init; }
    public double[]? OnSetNormal { get; init; }
}

/// <summary>A result that may be nothing, as caches keep it.</summary>
public sealed record Box<T>(T Value);

/// <summary>
/// One shot’s parts of work together: what the pages, the command line and the jobs ask, so that the same frame has the same pixels whoever
/// asks. Each part remembers what is asked for again.
/// </summary>
public sealed class ShotEngine
{
    private readonly IMedia media;

    private readonly ElementWork _elements;
    private readonly RenderedElements _rendered;

    public ShotEngine(IMedia from)
    {
        media = from;
        Clouds = new(from);
        _elements = new(from);
        _rendered = new(this, from);
        Relit = new(this);
        Mattes = new(this, from);
        Helped = new(this);
        Figures = new(this);
        Finish = new(this, from);
        Plates = new(from);
        Place = new(this, from);
        Projection = new(this, from);
        Depth = new(this, from);
        Clean = new(this, from);
        Background = new(this);
        Seen = new(this);
        Filmed = new(this);
        Behind = new(media);
        Renderer = new(this);
        Scatters = new(this);
    }

    public PlateMedia Plates { get; }
    public PlaceMedia Place { get; }
    public ProjectionWork Projection { get; }
    public FoundDepth Depth { get; }
    public CleanPlateWork Clean { get; }
    public BackgroundWork Background { get; }
    public SeenPieces Seen { get; }
    public FilmedWork Filmed { get; }
    public BehindFrames Behind { get; }
    public RelitWork Relit { get; }
    public FrameRenderer Renderer { get; }

    public ScatterWork Scatters { get; }

    public FigureWork Figures { get; }

    public FinishWork Finish { get; }

    public MatteWork Mattes { get; }

    public DrawnWithHelp Helped { get; }

    private readonly Cache<RayGrid> _grids = new(Sizes.Of);

    private TrackWork? _tracks;

    public TrackWork TrackWork => _tracks ??= new(this, media);

    public CloudWork Clouds { get; }

    /// <summary>The elements that are on, as they stand in a frame of the document as it is.</summary>
    /// <param name="moment">While the shutter is open: when; null: at the frame itself.</param>
    public IReadOnlyList<PlacedElement> Elements(ShotDocument shot, int? frame = null, double? moment = null) =>
        Scatters.Strewn(shot, _elements.Placed(shot, frame ?? shot.Range.First, moment), frame ?? shot.Range.First);

    /// <summary>An element's mesh with what the artist chose for its materials.</summary>
    /// <inheritdoc cref="RenderedElements.IdNames"/>
    public (IReadOnlyList<(string Layer, string Name, double Share)> Names, IReadOnlyList<string> Notes) IdNames(
        ShotDocument shot,
        Element element,
        int frame
    ) => _rendered.IdNames(shot, element, frame);

    /// <inheritdoc cref="ElementWork.Moving"/>
    public IMovingMesh? Moving(Element element) => _elements.Moving(element);

    /// <summary>Names of the joints of an element's skeleton; none: it has no such.</summary>
    public IReadOnlyList<string> Joints(Element element) => _elements.File(element)?.Joints ?? [];

    /// <inheritdoc cref="ElementWork.MaterialFault"/>
    public string? MaterialFault(ShotDocument shot, Element element) => _elements.MaterialFault(shot, element);

    /// <summary>A rendered element's picture of a frame, on a grid that goes on by a margin.</summary>
    internal RenderedLayer? LayerOf(ShotDocument shot, Element element, int frame, RayGrid grid, int margin) =>
        _rendered.Layer(shot, element, frame, grid, margin, Relit.Of(shot, element, frame, grid));

    public ElementModel Model(ShotDocument shot, Element element, int? frame = null) =>
        _elements.Model(shot, element, frame ?? shot.Range.First);

    public (Pose Pose, Pinhole Pinhole) Camera(ShotDocument shot, int frame)
    {
        ShotCamera camera = ShotCamera.Of(shot) ?? throw new ShotFault("The shot has no camera yet. Bring one in at step 2.");
        return camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
            ? (pose, pinhole)
            : throw new ShotFault(
                $"The camera has no sample for frame {frame}. Check its first frame and rate at step 2, or shorten the range."
            );
    }

    public RayGrid Grid(ShotDocument shot, int frame, int width, int height)
    {
        var (pose, pinhole) = Camera(shot, frame);
        // The inverse lens is the same wherever the camera stands.
        return _grids
            .Get(ResultKey.Of("rays", 2, pinhole, width, height), () => new RayGrid(pinhole.Resized(width, height), Pose.Identity))
            .From(pose);
    }

    public PickResult Pick(ShotDocument shot, int frame, double x, double y)
    {
        shot = Hanging.At(shot, frame);
        double[]? linear = null;
        if (shot.Plate is { } plate && x >= 0 && y >= 0 && x < plate.Width && y < plate.Height)
        {
            Span<float> p = Plates.Plate(shot, frame).Pixel((int)x, (int)y);
            linear = [p[0], p[1], p[2]];
        }
        if (
            ShotCamera.Of(shot) is not { } camera
            || !camera.TryAt(frame, out Pose pose, out Pinhole pinhole)
            || !pinhole.TryDirection(x, y, out Vec3 inCamera)
        )
        {
            return new(x, y, linear, null, null, null, null, null);
        }
        SetScene set = Place.Set(shot);
        IReadOnlyList<PlacedElement> elements = Elements(shot, frame);
        var elementScene = new ElementScene(elements);
        var ray = new Ray(pose.Position.ToSingle(), (pose.Rotation * inCamera).Normalized().ToSingle());
        Hit hit = set.Scene.Intersect(ray, RayKinds.CameraSet);
        Hit own = elementScene.Shows(ray with { TMax = hit.T });
        float reach =
            own.IsHit ? own.T
            : hit.IsHit ? hit.T
            : float.PositiveInfinity;
        if (_rendered.Under(shot, frame, Grid(shot, frame, pinhole.Width, pinhole.Height), x, y, reach) is { } seen)
        {
            return new(
                x,
                y,
                linear,
                (seen.Place - pose.Position).Length,
                [seen.Place.X, seen.Place.Y, seen.Place.Z],
                seen.Normal is { } facing ? [facing.X, facing.Y, facing.Z] : null,
                null,
                seen.Element
            );
        }
        if (!hit.IsHit && !own.IsHit)
        {
            // Where nothing is built the found depth still answers.
            if (
                Depth.DepthOf(shot, frame) is { } map
                && x >= 0
                && y >= 0
                && x < map.Width
                && y < map.Height
                && map.Depth[(int)y * map.Width + (int)x] is var depth
                && float.IsFinite(depth)
            )
            {
                Vec3 place = pose.Position + depth * (pose.Rotation * inCamera);
                return new(x, y, linear, (place - pose.Position).Length, [place.X, place.Y, place.Z], null, null, null)
                {
                    OnSet = [place.X, place.Y, place.Z],
                };
            }
            return new(x, y, linear, null, null, null, null, null);
        }
        TraceInstance instance = own.IsHit ? elementScene.Instances[own.Instance] : set.Instances[hit.Instance];
        Vector3 p3 = ray.At(own.IsHit ? own.T : hit.T),
            n = instance.FaceNormal(own.IsHit ? own : hit);
        if (Vector3.Dot(n, ray.Direction) > 0)
        {
            n = -n;
        }
        double[]? onSet = null,
            onSetNormal = null;
        if (hit.IsHit)
        {
            Vector3 at = ray.At(hit.T),
                up = set.Instances[hit.Instance].FaceNormal(hit);
            if (Vector3.Dot(up, ray.Direction) > 0)
            {
                up = -up;
            }
            (onSet, onSetNormal) = ([at.X, at.Y, at.Z], [up.X, up.Y, up.Z]);
        }
        return new(
            x,
            y,
            linear,
            (p3 - ray.Origin).Length(),
            [p3.X, p3.Y, p3.Z],
            [n.X, n.Y, n.Z],
            hit.IsHit ? set.Pieces[set.PieceOf(hit)].Id : null,
            own.IsHit ? elements[own.Instance].Id : null
        )
        {
            OnSet = onSet,
            OnSetNormal = onSetNormal,
        };
    }
}
