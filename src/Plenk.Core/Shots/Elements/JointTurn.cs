using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>A joint of an element's skeleton, turned by hand on top of what its file does.</summary>
public sealed record JointTurn : Extensible
{
    /// <summary>The joint's name in the file.</summary>
    public required string Id { get; init; }

    /// <summary>In the joint's own axes, before its own turn: tilt, heading, roll, degrees (<see cref="Rotations.FromEulerYxzDegrees"/>).</summary>
    public Vec3 DegreesYxz { get; init; }
}
