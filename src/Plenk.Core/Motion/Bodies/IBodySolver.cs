using Plenk.Core.Geometry;

namespace Plenk.Core.Motion.Bodies;

/// <summary>Where a body is and how it goes: its centre of mass, its turn, m/s and rad/s in the world.</summary>
public readonly record struct BodyState(Vec3 Place, double W, double X, double Y, double Z, Vec3 Velocity, Vec3 Spin)
{
    public static BodyState At(Vec3 place) => new(place, 1, 0, 0, 0, Vec3.Zero, Vec3.Zero);

    public Matrix3 Turn => Rotations.FromQuaternion(X, Y, Z, W);

    public Vec3 ToWorld(Vec3 own) => Turn * own + Place;

    /// <summary>The velocity of a spot of it, in the world.</summary>
    public Vec3 VelocityAt(Vec3 spot) => Velocity + Vec3.Cross(Spin, spot - Place);
}

/// <summary>Two bodies touch, or a body and what stands still (<see cref="B"/> −1).</summary>
/// <param name="Normal">Unit length; pushes A.</param>
/// <param name="Slip">Unit length, at right angles to it: along this friction holds.</param>
/// <param name="Friction">Coulomb's coefficient.</param>
/// <param name="Bounce">Restitution, 0..1, of what comes faster than <paramref name="BounceSpeed"/>, m/s.</param>
public readonly record struct Touch(
    int A,
    int B,
    Vec3 At,
    Vec3 Normal,
    Vec3 Slip,
    double Friction,
    double Bounce,
    double BounceSpeed,
    double Depth
);

/// <summary>Moves rigid bodies on by a step under gravity and contacts. It knows no shapes.</summary>
public interface IBodySolver : IDisposable
{
    /// <param name="inertia">About the centre of mass along the body's own axes, kg m².</param>
    int Add(double mass, Matrix3 inertia);

    /// <summary>A body hangs on a point of the world, by the spot of it that is there now.</summary>
    void Hang(int body, in BodyState state, Vec3 point);

    /// <summary>A body goes its own way and pushes what it meets; nothing moves it.</summary>
    void Carry(int body);

    /// <summary>States go in and out; bodies that are not awake stand.</summary>
    void Step(Span<BodyState> states, ReadOnlySpan<bool> awake, ReadOnlySpan<Touch> touches, double seconds, uint seed);
}
