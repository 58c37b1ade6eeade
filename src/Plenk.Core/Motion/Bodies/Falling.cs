using Plenk.Core.Algebra;
using Plenk.Core.Geometry;

namespace Plenk.Core.Motion.Bodies;

/// <summary>How bodies fall.</summary>
/// <param name="First">Frames that are told, and the one at which what is loose is let go.</param>
/// <param name="Rate">Frames a second.</param>
public sealed record FallSettings(int First, int Last, int At, double Rate)
{
    public double Gravity { get; init; } = 9.80665; // standard gravity, m/s²
    public uint Seed { get; init; } = 1;

    /// <summary>Of the set.</summary>
    public double Friction { get; init; } = 0.6;
    public double Bounce { get; init; } = 0.1;

    /// <summary>Steps a second at least; null: as many as the bodies allow.</summary>
    public double? Steps { get; init; }
}

/// <summary>A frame of a fall.</summary>
/// <param name="Kinetic">J.</param>
/// <param name="Potential">J, against a height of 0.</param>
/// <param name="Deepest">How deep any body stands in the set, metres; of those that do not from the beginning.</param>
/// <param name="Awake">So many move.</param>
public sealed record FallFrame(int Frame, BodyState[] Bodies, double Kinetic, double Potential, double Deepest, int Awake)
{
    /// <summary>Which body stands the deepest in the set.</summary>
    public int DeepestBody { get; init; }
}

/// <summary>What came of a fall.</summary>
/// <param name="Through">Bodies with the pieces of the set that they stood in from the beginning.</param>
/// <param name="Broken">The frame in which glued bodies came loose; null: they did not, or there were none.</param>
public sealed record FallResult(IReadOnlyList<FallFrame> Frames, IReadOnlyCollection<(int Body, int Piece)> Through, double? Broken)
{
    /// <summary>Bodies with the pieces that they stood in a little way, and how deep, metres: they are held up as deep.</summary>
    public IReadOnlyDictionary<(int Body, int Piece), double> Sunk { get; init; } = new Dictionary<(int Body, int Piece), double>();
}

/// <summary>
/// Rigid bodies under gravity at a fixed rate: contacts of hulls, the solver's step, and what is left of depth taken out of the places alone,
/// so that it gives no speed. A free body's path is exact at every step: it begins half a step's fall ahead (leapfrog, Verlet 1967).
/// </summary>
public sealed class Falling
{
    /// <summary>So deep contacts may stay, metres; so much of the rest is taken out a step.</summary>
    private const double Slop = 5e-4,
        Share = 0.8;
    private const int Passes = 8;

    /// <summary>What is slower for so long sleeps, m/s, rad/s and seconds; what hits it faster wakes it.</summary>
    private const double SlowSpeed = 0.03,
        SlowSpin = 0.15,
        SleepAfter = 0.35,
        WakeSpeed = 0.15;

    /// <summary>Rolling on a contact loses so much of its spin a second: no body is hard and round for ever.</summary>
    private const double SpinLoss = 1.5;
    private readonly IReadOnlyList<FallingBody> _bodies;
    private readonly StillSet? _set;
    private readonly FallSettings _with;
    private readonly IBodySolver _solver;
    private readonly Touching _touching;
    private readonly BodyState[] _states;
    private readonly bool[] _loose,
        _asleep,
        _awake,
        _all;
    private readonly double[] _slow,
        _depth;
    private readonly bool[] _touched,
        _held; // by what is carried, and will go on
    private readonly List<Touch> _touches = [];
    private readonly List<int> _near = [];
    private double _ahead; // seconds of fall that free bodies are ahead
    private uint _step;
    private double? _broken;

    private Falling(IReadOnlyList<FallingBody> bodies, StillSet? set, FallSettings with, IBodySolver solver)
    {
        (_bodies, _set, _with, _solver) = (bodies, set, with, solver);
        _touching = new(bodies, set, with.Friction, with.Bounce);
        _states = [.. bodies.Select(b => b.Start)];
        (_loose, _asleep, _awake, _touched) = (
            new bool[bodies.Count],
            new bool[bodies.Count],
            new bool[bodies.Count],
            new bool[bodies.Count]
        );
        _all = [.. bodies.Select(_ => true)];
        (_slow, _depth) = (new double[bodies.Count], new double[bodies.Count]);
        _held = new bool[bodies.Count];
        foreach (FallingBody b in bodies)
        {
            int number = solver.Add(b.Mass, b.Inertia);
            if (b.HangsOn is { } point)
            {
                solver.Hang(number, b.Start, point);
            }
            if (b.Carried is not null)
            {
                solver.Carry(number);
            }
        }
    }

    /// <param name="solver">Empty yet.</param>
    public static FallResult Of(
        IReadOnlyList<FallingBody> bodies,
        StillSet? set,
        FallSettings with,
        IBodySolver solver,
        CancellationToken stop = default,
        Action<double>? progress = null
    ) => new Falling(bodies, set, with, solver).Run(stop, progress);

    private FallResult Run(CancellationToken stop, Action<double>? progress)
    {
        Carry(_with.First, _with.First, 0);
        _touching.Place(_states, _all);
        _touching.NoteThrough(_states, 5e-3);
        var sunk = _touching.Sunk.ToDictionary(s => s.Key, s => s.Value);
        var frames = new List<FallFrame>();
        for (int frame = _with.First; frame <= _with.Last; frame++)
        {
            stop.ThrowIfCancellationRequested();
            Release(frame);
            frames.Add(Told(frame));
            progress?.Invoke((double)(frame - _with.First + 1) / (_with.Last - _with.First + 1));
            if (frame < _with.Last && _loose.Any(l => l))
            {
                Frame(frame);
            }
        }
        return new(frames, _touching.Through, _broken) { Sunk = sunk };
    }

    private void Release(int frame)
    {
        for (int i = 0; i < _bodies.Count; i++)
        {
            FallingBody b = _bodies[i];
            if (b.Until <= frame)
            {
                if (_loose[i])
                {
                    _loose[i] = false;
                    _states[i] = _states[i] with { Velocity = Vec3.Zero, Spin = Vec3.Zero };
                }
            }
            else if (
                !_loose[i]
                && !b.IsFixed
                && b.Carried is null
                && b.Glue is null
                && frame >= (b.From ?? _with.At) + b.LateSeconds * _with.Rate - 1e-6
            )
            {
                _loose[i] = true;
                // In step with those that fall already.
                _states[i] = b.Start with { Velocity = b.Start.Velocity + new Vec3(0, _with.Gravity * _ahead, 0) };
            }
        }
    }

    private void Frame(int frame)
    {
        double seconds = 1 / _with.Rate,
            least = _with.Steps ?? (_bodies.Count <= 64 ? 960 : 240);
        int steps = Math.Max(1, (int)Math.Ceiling(least * seconds));
        double thinnest = double.PositiveInfinity;
        for (int i = 0; i < _bodies.Count; i++)
        {
            thinnest = _loose[i] ? Math.Min(thinnest, _bodies[i].Hull.Thinnest) : thinnest;
        }
        for (int s = 0; s < steps; s++)
        {
            // What would go further than half its thinnest side in a step takes it in smaller ones.
            double h = seconds / steps,
                most = 1;
            for (int i = 0; i < _bodies.Count; i++)
            {
                if (_loose[i] && !_asleep[i])
                {
                    most = Math.Max(most, _states[i].Velocity.Length * h / (0.5 * _bodies[i].Hull.Thinnest));
                }
                else if (IsCarried(i))
                {
                    most = Math.Max(most, Fastest(i) * h / (0.5 * Math.Min(thinnest, _bodies[i].Hull.Thinnest)));
                }
            }
            int parts = (int)Math.Min(16, Math.Ceiling(most));
            for (int k = 0; k < parts; k++)
            {
                Step(h / parts, frame + (s + (k + 1.0) / parts) / steps);
            }
        }
    }

    /// <summary>What is carried goes to where it is at one moment, with the speed that takes it to where it is at another.</summary>
    private void Carry(double from, double to, double seconds)
    {
        for (int i = 0; i < _bodies.Count; i++)
        {
            if (_bodies[i].Carried is { } path)
            {
                _states[i] = path.Going(from, to, seconds);
            }
        }
    }

    private bool IsCarried(int body) => _bodies[body].Carried is not null;

    /// <summary>How fast any spot of it goes, m/s, at the most.</summary>
    private double Fastest(int body) => _states[body].Velocity.Length + _states[body].Spin.Length * _bodies[body].Hull.Radius;

    /// <summary>Free bodies' velocities are those half a step later.</summary>
    private void Ahead(double seconds)
    {
        Vec3 by = new(0, _with.Gravity * (seconds - _ahead), 0);
        _ahead = seconds;
        if (by.Y == 0)
        {
            return;
        }
        for (int i = 0; i < _bodies.Count; i++)
        {
            if (_loose[i] && !_asleep[i] && !_touched[i])
            {
                _states[i] = _states[i] with { Velocity = _states[i].Velocity + by };
            }
        }
    }

    private void Step(double h, double when)
    {
        Ahead(h / 2);
        Carry(when - h * _with.Rate, when, h);
        Awake();
        _touching.Place(_states, _awake);
        _touching.Find(_states, _awake, _all, _touches);
        if (Loosened(when) | Woken())
        {
            Awake();
            _touching.Find(_states, _awake, _all, _touches);
        }
        Array.Clear(_touched);
        Array.Clear(_held);
        var pushing = new List<Touch>(_touches.Count);
        foreach (Touch found in _touches)
        {
            Touch t = found;
            _touched[t.A] = true;
            if (t.B >= 0)
            {
                _touched[t.B] = true;
                _held[t.A] |= _bodies[t.B].Carried is { } b && when < b.LastMove;
                _held[t.B] |= _bodies[t.A].Carried is { } a && when < a.LastMove;
            }
            // What stands counts as the set does.
            if (t.B >= 0 && !_awake[t.B])
            {
                t = t with { B = -1 };
            }
            else if (!_awake[t.A])
            {
                t = t with { A = t.B, B = -1, Normal = -t.Normal };
            }
            // What goes its own way is stopped by nothing that stands.
            if (t.B >= 0 || !IsCarried(t.A))
            {
                pushing.Add(t);
            }
        }
        Touch[] given = [.. pushing];
        Vec3[] places = [.. _states.Select(s => s.Place)];
        _solver.Step(_states, _awake, given, h, HashMix.Of(_with.Seed * 2654435761u + ++_step));
        Carry(when, when, 0);
        Swept(places);
        PushedOut(given);
        Rest(h);
    }

    private void Awake()
    {
        for (int i = 0; i < _bodies.Count; i++)
        {
            _awake[i] = (_loose[i] && !_asleep[i]) || IsCarried(i);
        }
    }

    /// <summary>Glued bodies that are struck hard enough come loose, all that hang together.</summary>
    private bool Loosened(double when)
    {
        foreach (Touch t in _touches)
        {
            foreach (var (glued, other) in ((int, int)[])[(t.A, t.B), (t.B, t.A)])
            {
                if (
                    glued < 0
                    || other < 0
                    || _loose[glued]
                    || _bodies[glued] is not { Glue: { } strength, IsFixed: false }
                    || !(_loose[other] || IsCarried(other))
                )
                {
                    continue;
                }
                double blow = _bodies[other].Mass * Math.Abs(Vec3.Dot(t.Normal, _states[other].VelocityAt(t.At)));
                if (blow <= strength)
                {
                    continue;
                }
                for (int i = 0; i < _bodies.Count; i++)
                {
                    _loose[i] |= _bodies[i] is { Glue: not null, IsFixed: false };
                }
                _broken ??= when;
                return true;
            }
        }
        return false;
    }

    private bool Woken()
    {
        bool any = false;
        foreach (Touch t in _touches)
        {
            if (t.B < 0 || (_awake[t.A] && _awake[t.B]))
            {
                continue;
            }
            int sleeper = _awake[t.A] ? t.B : t.A,
                other = _awake[t.A] ? t.A : t.B;
            if (
                _loose[sleeper]
                && _asleep[sleeper]
                && (
                    Vec3.Dot(_states[other].VelocityAt(t.At), t.Normal) * (other == t.A ? -1 : 1) > WakeSpeed
                    || (IsCarried(other) && _states[other].VelocityAt(t.At).Length > 1e-4)
                )
            )
            {
                (_asleep[sleeper], _slow[sleeper], any) = (false, 0, true);
            }
        }
        return any;
    }

    /// <summary>No middle of a body goes through the set: it stops where it would.</summary>
    private void Swept(Vec3[] before)
    {
        if (_set is null)
        {
            return;
        }
        for (int i = 0; i < _bodies.Count; i++)
        {
            if (!_awake[i] || IsCarried(i))
            {
                continue;
            }
            int body = i;
            Vec3 from = before[i],
                to = _states[i].Place;
            if (_set.Meets(from, to, t => !_touching.Through.Contains((body, _set.PieceOf(t))), _near) is not var (share, triangle))
            {
                continue;
            }
            Vec3 n = _set.Normal(triangle);
            n = Vec3.Dot(n, from - _set.Corners(triangle).A) >= 0 ? n : -n;
            Vec3 v = _states[i].Velocity;
            double into = Math.Min(0, Vec3.Dot(v, n));
            _states[i] = _states[i] with { Place = from + Math.Max(0, share - 0.01) * (to - from) + 1e-4 * n, Velocity = v - into * n };
        }
    }

    /// <summary>Depth is taken out of the places alone, each by its share of the mass.</summary>
    private void PushedOut(ReadOnlySpan<Touch> touches)
    {
        bool any = false;
        foreach (Touch t in touches)
        {
            any |= t.Depth > Slop;
        }
        if (!any)
        {
            return;
        }
        var moved = new Vec3[_bodies.Count];
        for (int pass = 0; pass < Passes; pass++)
        {
            foreach (Touch t in touches)
            {
                double depth = t.Depth - Slop - Vec3.Dot(t.Normal, moved[t.A] - (t.B < 0 ? Vec3.Zero : moved[t.B]));
                if (depth <= 0)
                {
                    continue;
                }
                double a = IsCarried(t.A) ? 0 : 1 / _bodies[t.A].Mass,
                    b = t.B < 0 || IsCarried(t.B) ? 0 : 1 / _bodies[t.B].Mass;
                Vec3 by = Share * depth / (a + b) * t.Normal;
                moved[t.A] += a * by;
                if (t.B >= 0)
                {
                    moved[t.B] -= b * by;
                }
            }
        }
        for (int i = 0; i < moved.Length; i++)
        {
            if (moved[i] != Vec3.Zero)
            {
                // No jump: what stands deep comes out over some steps.
                double far = moved[i].Length,
                    most = 0.1 * _bodies[i].Hull.Radius;
                _states[i] = _states[i] with { Place = _states[i].Place + (far > most ? most / far : 1) * moved[i] };
            }
        }
    }

    private void Rest(double h)
    {
        for (int i = 0; i < _bodies.Count; i++)
        {
            if (!_awake[i] || IsCarried(i))
            {
                continue;
            }
            if (_touched[i])
            {
                _states[i] = _states[i] with { Spin = _states[i].Spin * Math.Max(0, 1 - SpinLoss * h) };
            }
            bool slow = _touched[i] && !_held[i] && _states[i].Velocity.Length < SlowSpeed && _states[i].Spin.Length < SlowSpin;
            _slow[i] = slow ? _slow[i] + h : 0;
            if (_slow[i] > SleepAfter)
            {
                _asleep[i] = true;
                _states[i] = _states[i] with { Velocity = Vec3.Zero, Spin = Vec3.Zero };
            }
        }
    }

    private FallFrame Told(int frame)
    {
        _touching.Place(_states, _all);
        _touching.Find(_states, _loose, _all, _touches);
        Array.Clear(_depth);
        foreach (Touch t in _touches)
        {
            if (t.B < 0)
            {
                _depth[t.A] = Math.Max(_depth[t.A], t.Depth);
            }
        }
        double kinetic = 0,
            potential = 0;
        for (int i = 0; i < _bodies.Count; i++)
        {
            FallingBody b = _bodies[i];
            BodyState s = _states[i];
            potential += b.Mass * _with.Gravity * s.Place.Y;
            if (!_loose[i] || _asleep[i])
            {
                continue;
            }
            // As it is now: half a step earlier than it is kept.
            Vec3 v = _touched[i] ? s.Velocity : s.Velocity - new Vec3(0, _with.Gravity * _ahead, 0),
                own = s.Turn.Transpose() * s.Spin;
            kinetic += (b.Mass * v.LengthSquared + Vec3.Dot(own, b.Inertia * own)) / 2;
        }
        return new(frame, [.. _states], kinetic, potential, _depth.Max(), _loose.Zip(_asleep).Count(p => p.First && !p.Second))
        {
            DeepestBody = Array.IndexOf(_depth, _depth.Max()),
        };
    }
}
