using System.Reflection;
using System.Runtime.InteropServices;
using Plenk.Core.Geometry;
using Plenk.Core.Motion.Bodies;

namespace Plenk.Work;

/// <summary>Rigid bodies by ODE, through our own C shim. One world at a time in a process: the library has one stream of random numbers.</summary>
public sealed partial class OdeSolver : IBodySolver
{
    private static readonly Lock One = new();
    private readonly nint _world;
    private double[] _values = [];
    private byte[] _awake = [];
    private double[] _contacts = [];
    private int _count;
    private bool _ended;

    static OdeSolver() =>
        NativeLibrary.SetDllImportResolver(Assembly.GetExecutingAssembly(), (name, _, _) =>
            name == Library && NativeLibrary.TryLoad(Path.Combine(AppContext.BaseDirectory, "libplenk_ode.so"), out nint handle)
                ? handle
                : 0
        );

    /// <param name="iterations">Of its relaxation, a step.</param>
    /// <exception cref="ShotFault">The library is not there, or built for single precision.</exception>
    public OdeSolver(double gravity, int iterations)
    {
        try
        {
            if (Unfit() is not 0 and var why)
            {
                throw new ShotFault(
                    why == 1
                        ? "The library for rigid bodies on this machine is built for single precision: bodies would not rest. Install libode8 of Debian 12."
                        : "The library for rigid bodies (libode8) does not start on this machine."
                );
            }
        }
        catch (DllNotFoundException)
        {
            throw new ShotFault(
                "The library for rigid bodies (libode8) is not on this machine. Install libode-dev and run native/build.sh."
            );
        }
        _world = Begin(gravity, iterations);
    }

    public int Add(double mass, Matrix3 i)
    {
        double[] inertia = [i.M11, i.M22, i.M33, i.M12, i.M13, i.M23];
        if (Body(_world, mass, inertia) < 0)
        {
            throw new OutOfMemoryException();
        }
        return _count++;
    }

    public void Hang(int body, in BodyState state, Vec3 point) =>
        Hang(_world, body, [state.Place.X, state.Place.Y, state.Place.Z, state.W, state.X, state.Y, state.Z], [point.X, point.Y, point.Z]);

    public void Carry(int body) => Carry(_world, body);

    public void Step(Span<BodyState> states, ReadOnlySpan<bool> awake, ReadOnlySpan<Touch> touches, double seconds, uint seed)
    {
        if (_values.Length != 13 * _count)
        {
            (_values, _awake) = (new double[13 * _count], new byte[_count]);
        }
        if (_contacts.Length < ContactNumbers * touches.Length)
        {
            _contacts = new double[2 * ContactNumbers * touches.Length];
        }
        for (int i = 0; i < _count; i++)
        {
            BodyState s = states[i];
            (
                (ReadOnlySpan<double>)
                    [
                        s.Place.X,
                        s.Place.Y,
                        s.Place.Z,
                        s.W,
                        s.X,
                        s.Y,
                        s.Z,
                        s.Velocity.X,
                        s.Velocity.Y,
                        s.Velocity.Z,
                        s.Spin.X,
                        s.Spin.Y,
                        s.Spin.Z,
                    ]
            ).CopyTo(_values.AsSpan(13 * i));
            _awake[i] = awake[i] ? (byte)1 : (byte)0;
        }
        for (int k = 0; k < touches.Length; k++)
        {
            Touch t = touches[k];
            (
                (ReadOnlySpan<double>)
                    [
                        t.A,
                        t.B,
                        t.At.X,
                        t.At.Y,
                        t.At.Z,
                        t.Normal.X,
                        t.Normal.Y,
                        t.Normal.Z,
                        t.Slip.X,
                        t.Slip.Y,
                        t.Slip.Z,
                        t.Friction,
                        t.Bounce,
                        t.BounceSpeed,
                    ]
            ).CopyTo(_contacts.AsSpan(ContactNumbers * k));
        }
        lock (One)
        {
            Put(_world, _values, _awake);
            Step(_world, seconds, seed, _contacts, touches.Length);
            Get(_world, _values);
        }
        for (int i = 0; i < _count; i++)
        {
            if (!awake[i])
            {
                continue;
            }
            ReadOnlySpan<double> v = _values.AsSpan(13 * i, 13);
            states[i] = new(new(v[0], v[1], v[2]), v[3], v[4], v[5], v[6], new(v[7], v[8], v[9]), new(v[10], v[11], v[12]));
        }
    }

    public void Dispose()
    {
        if (!_ended)
        {
            _ended = true;
            End(_world);
        }
    }

    /// <summary>Of a contact as the shim has it.</summary>
    private const int ContactNumbers = 14;
    private const string Library = "plenk_ode";

    [LibraryImport(Library, EntryPoint = "plenk_ode_unfit")]
    private static partial int Unfit();

    [LibraryImport(Library, EntryPoint = "plenk_ode_begin")]
    private static partial nint Begin(double gravity, int iterations);

    [LibraryImport(Library, EntryPoint = "plenk_ode_body")]
    private static partial int Body(nint world, double mass, double[] inertia);

    [LibraryImport(Library, EntryPoint = "plenk_ode_hang")]
    private static partial void Hang(nint world, int body, double[] state, double[] point);

    [LibraryImport(Library, EntryPoint = "plenk_ode_carry")]
    private static partial void Carry(nint world, int body);

    [LibraryImport(Library, EntryPoint = "plenk_ode_put")]
    private static partial void Put(nint world, double[] state, byte[] awake);

    [LibraryImport(Library, EntryPoint = "plenk_ode_get")]
    private static partial void Get(nint world, [In, Out] double[] state);

    [LibraryImport(Library, EntryPoint = "plenk_ode_step")]
    private static partial void Step(nint world, double seconds, nuint seed, double[] contacts, int count);

    [LibraryImport(Library, EntryPoint = "plenk_ode_end")]
    private static partial void End(nint world);
}
