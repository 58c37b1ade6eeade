using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;

namespace Plenk.Work;

/// <summary>Places on elements that bend, for other things to hang on: read off their meshes over the shot's frames.</summary>
public static class SpotWork
{
    /// <summary>What is clicked on an element at a frame, with its way over the range.</summary>
    /// <param name="x">Pixels of the plate.</param>
    /// <exception cref="ShotFault">The element is not there.</exception>
    public static ElementSpot Click(ShotEngine engine, ShotDocument shot, string element, int frame, double x, double y)
    {
        Element own = Of(shot, element);
        PickResult hit = engine.Pick(shot, frame, x, y);
        if (hit.ElementId != element || hit.Point is not { } at)
        {
            throw new ShotFault($"{own.Name} is not what is seen there. Click on it.");
        }
        if (own.Scatter is not null)
        {
            throw new ShotFault($"{own.Name} stands as copies: nothing hangs on one of them.");
        }
        Element stood = Of(Hanging.At(shot, frame), element);
        Vec3 place = stood.ObjectToWorld.Inverse().Apply(new Vec3(at[0], at[1], at[2]));
        var (corners, shares) = Nearest(MeshAt(engine, shot, element, frame), place);
        string id = FreeId.Of(own.Spots.Select(s => s.Id), "spot");
        return Followed(
            engine,
            shot,
            own,
            new()
            {
                Id = id,
                Name = $"spot {own.Spots.Count + 1} of {own.Name}",
                Corners = corners,
                Shares = shares,
            }
        );
    }

    /// <summary>The way of a spot read off its element anew.</summary>
    /// <exception cref="ShotFault">The mesh has other corners now.</exception>
    public static ElementSpot Followed(ShotEngine engine, ShotDocument shot, Element own, ElementSpot spot)
    {
        var poses = new List<double[]>();
        for (int f = shot.Range.First; f <= shot.Range.Last; f++)
        {
            TriangleMesh mesh = MeshAt(engine, shot, own.Id, f);
            if (spot.Corners.Any(c => c >= mesh.Positions.Length))
            {
                throw new ShotFault($"{own.Name} has another mesh now, on which {spot.Name} is not. Take the spot away and click it anew.");
            }
            // Where its triangle is a line it lies as it did before.
            poses.Add(ElementSpot.PoseOn(mesh, spot.Corners, spot.Shares) ?? (poses.Count > 0 ? poses[^1] : [0, 0, 0, 0, 0, 0, 1]));
        }
        return spot with { FirstFrame = shot.Range.First, Poses = poses, MadeOf = KeyOf(shot, own) };
    }

    /// <summary>Its element has changed in itself since its way was read.</summary>
    public static bool IsStale(ShotDocument shot, Element own, ElementSpot spot) => spot.MadeOf != KeyOf(shot, own);

    private static string KeyOf(ShotDocument shot, Element own)
    {
        string[] inner = ["joints/", "stretch", "motion"];
        string at = $"{ShotCurves.PlaceOf("elements", own.Id)}/";
        return ResultKey.Of(
            "spots",
            1,
            shot.Range,
            shot.Rate,
            own.Media,
            own.Frames,
            own.Motion,
            own.Joints,
            own.Stretch,
            shot.Curves.Where(c => inner.Any(i => c.Id.StartsWith(at + i, StringComparison.Ordinal))).ToArray()
        );
    }

    private static Element Of(ShotDocument shot, string id) =>
        shot.Elements.FirstOrDefault(e => e.Id == id) ?? throw new ShotFault("That element is no longer in the shot.");

    private static TriangleMesh MeshAt(ShotEngine engine, ShotDocument shot, string element, int frame)
    {
        ShotDocument then = ShotCurves.At(shot, frame);
        return engine.Model(then, Of(then, element), frame).Tree.Mesh;
    }

    /// <summary>The triangle that lies nearest to a place of its space, and the place's shares of its corners.</summary>
    private static (int[] Corners, double[] Shares) Nearest(TriangleMesh mesh, Vec3 place)
    {
        (double Off, int[] Corners, double[] Shares) best = (double.PositiveInfinity, [], []);
        for (int i = 0; i < mesh.TriangleCount; i++)
        {
            int[] corners = [mesh.Indices[3 * i], mesh.Indices[3 * i + 1], mesh.Indices[3 * i + 2]];
            Vec3 a = Vec3.From(mesh.Positions[corners[0]]),
                u = Vec3.From(mesh.Positions[corners[1]]) - a,
                v = Vec3.From(mesh.Positions[corners[2]]) - a,
                w = place - a;
            double uu = Vec3.Dot(u, u),
                uv = Vec3.Dot(u, v),
                vv = Vec3.Dot(v, v),
                det = uu * vv - uv * uv;
            if (!(det > 1e-20))
            {
                continue;
            }
            double b = (vv * Vec3.Dot(w, u) - uv * Vec3.Dot(w, v)) / det,
                c = (uu * Vec3.Dot(w, v) - uv * Vec3.Dot(w, u)) / det;
            (b, c) = (Math.Clamp(b, 0, 1), Math.Clamp(c, 0, 1));
            if (b + c > 1)
            {
                (b, c) = (b / (b + c), c / (b + c));
            }
            double off = (a + b * u + c * v - place).Length;
            if (off < best.Off)
            {
                best = (off, corners, [1 - b - c, b, c]);
            }
        }
        return best.Corners.Length > 0 ? (best.Corners, best.Shares) : throw new ShotFault("The element has no faces there.");
    }
}
