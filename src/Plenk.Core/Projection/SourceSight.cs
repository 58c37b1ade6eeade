using System.Numerics;
using Plenk.Core.Algebra;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Tracing;

namespace Plenk.Core.Projection;

/// <summary>
/// What a camera saw of a set in its frame: by rays against all of it, faces turned away left out, faded between two angles.
/// </summary>
/// <param name="set">As it stood in that frame.</param>
/// <param name="pieces">Indices of those it is laid on; null: all.</param>
/// <param name="moved">By piece: what takes it from where it is looked at to where it stood in the picture; null: it did not move.</param>
public sealed class SourceSight(
    Pinhole pinhole,
    Pose cameraToWorld,
    SetScene set,
    double fadeFromDegrees = 72,
    double fadeToDegrees = 84,
    IReadOnlySet<int>? pieces = null,
    IReadOnlyList<Similarity?>? moved = null
)
{
    private readonly float _cosFrom = (float)Elementary.Cos(Rotations.Radians(fadeFromDegrees));
    private readonly float _cosTo = (float)Elementary.Cos(Rotations.Radians(fadeToDegrees));
    private readonly Vector3 _eye = cameraToWorld.Position.ToSingle();

    /// <summary>It fades out between two distances from its camera, metres; null: it reaches as far as it sees.</summary>
    public (double From, double To)? DistanceFade { get; init; }

    /// <summary>What keeps spots from its camera; null: all of the set, but for what is new where the spot is not.</summary>
    public TraceScene? Occluders { get; init; }

    public Pinhole Pinhole => pinhole;
    public Pose CameraToWorld => cameraToWorld;
    public SetScene Set => set;
    public IReadOnlyList<Similarity?>? Moved => moved;

    /// <summary>How many pixels a metre has there, along the direction that is seen worst; 0 where it is not seen.</summary>
    public float Density(Vector3 point, Vector3 normal, int piece) =>
        Sees(ref point, ref normal, piece, out float reach, out float cos, out _, out _) && reach > 0
            ? (float)pinhole.Fx * cos / Vector3.Distance(_eye, point)
            : 0;

    /// <summary>Whether the picture shows a spot; point and normal are moved to where they were in it.</summary>
    /// <param name="reach">1, less where the angle fade takes it.</param>
    /// <param name="cos">Of the angle between the normal and the way to the camera.</param>
    public bool Sees(ref Vector3 point, ref Vector3 normal, int piece, out float reach, out float cos, out double px, out double py)
    {
        (reach, cos, px, py) = (0, 0, 0, 0);
        if (pieces is not null && !pieces.Contains(piece))
        {
            return false;
        }
        if (moved?[piece] is { } back)
        {
            point = back.Apply(Vec3.From(point)).ToSingle();
            normal = (back.Rotation * Vec3.From(normal)).ToSingle();
        }
        Vector3 to = _eye - point;
        float distance = to.Length();
        Vector3 d = to / distance;
        cos = Vector3.Dot(normal, d);
        if (cos <= _cosTo)
        {
            return false;
        }
        reach = _cosFrom > _cosTo ? Math.Clamp((cos - _cosTo) / (_cosFrom - _cosTo), 0, 1) : 1;
        if (DistanceFade is { } fade)
        {
            reach *= (float)Math.Clamp((fade.To - distance) / Math.Max(1e-6, fade.To - fade.From), 0, 1);
            if (reach <= 0)
            {
                return false;
            }
        }
        if (!pinhole.TryProject(cameraToWorld, Vec3.From(point), out px, out py) || !pinhole.Contains(px, py))
        {
            return false;
        }
        // The start is lifted along the normal by the rounding of the point, and a little more where the ray grazes.
        float lift = 1e-5f * (2 + distance + point.Length()) + 2e-4f * distance * (1 - cos);
        // What was not there when the picture was taken kept nothing that was from it; pictures that are painted for what is new know of it.
        TraceScene before = Occluders ?? (set.Pieces[piece].Duties.New ? set.Scene : set.Filmed);
        return !before.Occluded(new Ray(point + normal * lift, d, 0, distance), RayKinds.CameraSet);
    }
}
