using System.Numerics;
using System.Runtime.InteropServices;
using Plenk.Core.Tracing;

namespace Plenk.Bench;

/// <summary>
/// The reference ray kernel (Debian's libembree3) over one mesh, with its robust flag, by its single-ray calls. The calls
/// skip the runtime's transition into foreign code, so that they are timed at their best.
/// </summary>
public sealed unsafe class ReferenceKernel : IDisposable
{
    private const string Library = "libembree3.so.3";
    private const uint Robust = 4,
        Uint3 = 0x5003,
        Float3 = 0x9003;
    private readonly nint _device,
        _scene;
    private readonly byte* _context;

    [ThreadStatic]
    private static float* s_ray; // one a thread
    private static readonly delegate* unmanaged[SuppressGCTransition]<nint, void*, void*, void> s_intersect,
        s_occluded;

    static ReferenceKernel()
    {
        nint library = NativeLibrary.Load(Library);
        s_intersect = (delegate* unmanaged[SuppressGCTransition]<nint, void*, void*, void>)
            NativeLibrary.GetExport(library, "rtcIntersect1");
        s_occluded = (delegate* unmanaged[SuppressGCTransition]<nint, void*, void*, void>)NativeLibrary.GetExport(library, "rtcOccluded1");
    }

    public ReferenceKernel(TriangleMesh mesh)
    {
        // It builds with all threads; both trace with one.
        _device = rtcNewDevice(null);
        _scene = rtcNewScene(_device);
        rtcSetSceneFlags(_scene, Robust);
        rtcSetSceneBuildQuality(_scene, 2);
        nint geometry = rtcNewGeometry(_device, 0);
        var vertices = new Span<Vector3>(
            rtcSetNewGeometryBuffer(geometry, 1, 0, Float3, 12, (nuint)mesh.Positions.Length),
            mesh.Positions.Length
        );
        mesh.Positions.CopyTo(vertices);
        var indices = new Span<int>(rtcSetNewGeometryBuffer(geometry, 0, 0, Uint3, 12, (nuint)mesh.TriangleCount), mesh.Indices.Length);
        mesh.Indices.CopyTo(indices);
        rtcCommitGeometry(geometry);
        rtcAttachGeometry(_scene, geometry);
        rtcReleaseGeometry(geometry);
        rtcCommitScene(_scene);
        _context = (byte*)NativeMemory.AlignedAlloc(64, 16);
        new Span<byte>(_context, 64).Clear();
        *(uint*)(_context + 16) = uint.MaxValue; // no instance
    }

    /// <summary>Distance to the nearest crossing; infinity when there is none.</summary>
    public float Intersect(in Ray ray)
    {
        float* r = Filled(ray);
        ((uint*)r)[17] = uint.MaxValue; // triangle
        ((uint*)r)[18] = uint.MaxValue; // mesh
        ((uint*)r)[19] = uint.MaxValue; // instance
        s_intersect(_scene, _context, r);
        return ((uint*)r)[18] == uint.MaxValue ? float.PositiveInfinity : r[8];
    }

    public bool Occluded(in Ray ray)
    {
        float* r = Filled(ray);
        s_occluded(_scene, _context, r);
        return r[8] < 0;
    }

    private static float* Filled(in Ray ray)
    {
        float* r = s_ray is null ? s_ray = (float*)NativeMemory.AlignedAlloc(96, 16) : s_ray;
        (r[0], r[1], r[2], r[3]) = (ray.Origin.X, ray.Origin.Y, ray.Origin.Z, ray.TMin);
        (r[4], r[5], r[6], r[7]) = (ray.Direction.X, ray.Direction.Y, ray.Direction.Z, 0);
        r[8] = ray.TMax;
        ((uint*)r)[9] = uint.MaxValue;
        ((uint*)r)[10] = 0;
        ((uint*)r)[11] = 0;
        return r;
    }

    public void Dispose()
    {
        rtcReleaseScene(_scene);
        rtcReleaseDevice(_device);
        NativeMemory.AlignedFree(_context);
    }

    [DllImport(Library)]
    private static extern nint rtcNewDevice(byte* configuration);

    [DllImport(Library)]
    private static extern void rtcReleaseDevice(nint device);

    [DllImport(Library)]
    private static extern nint rtcNewScene(nint device);

    [DllImport(Library)]
    private static extern void rtcReleaseScene(nint scene);

    [DllImport(Library)]
    private static extern void rtcSetSceneFlags(nint scene, uint flags);

    [DllImport(Library)]
    private static extern void rtcSetSceneBuildQuality(nint scene, int quality);

    [DllImport(Library)]
    private static extern void rtcCommitScene(nint scene);

    [DllImport(Library)]
    private static extern nint rtcNewGeometry(nint device, int type);

    [DllImport(Library)]
    private static extern void* rtcSetNewGeometryBuffer(nint geometry, int type, uint slot, uint format, nuint stride, nuint count);

    [DllImport(Library)]
    private static extern void rtcCommitGeometry(nint geometry);

    [DllImport(Library)]
    private static extern uint rtcAttachGeometry(nint scene, nint geometry);

    [DllImport(Library)]
    private static extern void rtcReleaseGeometry(nint geometry);
}
