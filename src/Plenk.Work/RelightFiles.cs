using System.Numerics;
using System.Text.Json.Serialization;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Formats.Exr;
using Plenk.Formats.Meshes;

namespace Plenk.Work;

/// <summary>How positions were found to be meant.</summary>
/// <param name="MetresPerUnit">Null: it cannot be told, and a unit was taken as a metre.</param>
/// <param name="Margin">How many times worse the next unit is.</param>
/// <param name="Flips">
/// Each axis of ours (X right, Y up, Z towards the viewer) as one of theirs with its sign, like +X +Z -Y; null: no camera was given.
/// </param>
public sealed record RelightPositions(
    [property: JsonPropertyName("metres_per_unit")] double? MetresPerUnit,
    [property: JsonPropertyName("margin")] double? Margin,
    [property: JsonPropertyName("flips")] string? Flips,
    [property: JsonPropertyName("space")] string Space
)
{
    public static RelightPositions Of(PassMeaning? m) =>
        m is null
            ? new(null, null, null, "world")
            : new(m.Margin is null ? null : m.Metres, m.Margin, m.Positions.Replace('−', '-'), m.PositionsInCamera ? "camera" : "world");
}

/// <summary>What was made of passes that lamps were added to.</summary>
public sealed record RelightReport(
    int Width,
    int Height,
    int Lights,
    long PixelsLit,
    long PixelsWithoutSurface,
    double? AssumedAlbedo,
    bool ShadowsFromSet,
    RelightPositions Positions,
    string Normals,
    IReadOnlyList<string> Told
)
{
    /// <summary>Of a sequence.</summary>
    public int? Frame { get; init; }
}

/// <summary>A rendered picture and its passes as files, lit again without a shot.</summary>
public static class RelightFiles
{
    private const int Rays = 256; // towards lamps that have a size: this picture is kept

    /// <summary>The picture with the lamps' light, in its own primaries.</summary>
    /// <param name="cameraFor">The camera that the picture was rendered with, for its width and height; null: nobody knows.</param>
    /// <param name="meaning">How its passes are meant where that was found in another frame; else it is found here, and given back.</param>
    /// <exception cref="ShotFault">No reading of the positions fits the camera: nothing is made of them.</exception>
    public static (FloatImage Picture, float[]? Alpha, Primaries Primaries, RelightReport Report) Run(
        string color,
        string position,
        string normal,
        string? albedo,
        string? set,
        Func<int, int, (Pose Pose, Pinhole Pinhole)>? cameraFor,
        LightsFile lights,
        RelightLook look,
        ref PassMeaning? meaning,
        CancellationToken stop = default
    )
    {
        ExrPicture c = ExrFile.Read(color);
        FloatImage picture = Three(c, color, "RGB", "XYZ", "picture"),
            p = Three(ExrFile.Read(position), position, "XYZ", "RGB", "positions"),
            n = Three(ExrFile.Read(normal), normal, "XYZ", "RGB", "normals");
        FloatImage? a = null;
        if (albedo is not null)
        {
            ExrPicture own = ExrFile.Read(albedo);
            a = Primaries.Convert(Three(own, albedo, "RGB", "XYZ", "colour"), own.Primaries.To(Primaries.Bt709));
        }
        foreach (var (image, path) in new[] { (p, position), (n, normal) }.Concat(a is null ? [] : [(a, albedo!)]))
        {
            if (image.Width != picture.Width || image.Height != picture.Height)
            {
                throw new ShotFault(
                    $"{Path.GetFileName(path)} is {image.Width} × {image.Height}, the picture {picture.Width} × {picture.Height}. Passes "
                        + "must be of the picture's size and frame."
                );
            }
        }
        var told = new List<string>(lights.Told);
        (Pose Pose, Pinhole Pinhole)? camera = cameraFor?.Invoke(picture.Width, picture.Height);
        if (camera is { } cam)
        {
            if (meaning is null)
            {
                PassReport report = PassReader.Read(p, n, cam.Pose, cam.Pinhole.Resized(picture.Width, picture.Height));
                told.AddRange(report.Told);
                meaning = PassReader.Meaning(report);
                if (meaning is null && report.Positions.Count > 0)
                {
                    throw new ShotFault(
                        $"{Path.GetFileName(position)}: no axes, space or unit of the positions fit the camera's rays (best: "
                            + $"{report.Positions[0].Error:0.#} px). Nothing is written. Is it the camera of this frame?"
                    );
                }
                if (meaning is null)
                {
                    told.Add("Too few places of the positions are smooth to tell how they are meant. They are taken as ours, in metres.");
                }
            }
            (p, n) = meaning is null ? (p, n) : PassReader.InWorld(p, n, meaning, cam.Pose);
        }
        float[]? alpha = c.Any("A");
        TraceScene? casts = null;
        if (set is not null)
        {
            ImportedMesh mesh = ImportedMesh.Read(File.ReadAllBytes(set), Path.GetFileName(set));
            told.AddRange(mesh.Warnings);
            casts = new([new TraceInstance(new MeshTree(mesh.Merged()), Similarity.Identity, RayKinds.LightSet)]);
            foreach (
                Core.Shots.Light l in lights.Lights.Where(l =>
                    l.Kind is Core.Shots.LightKind.Point or Core.Shots.LightKind.Spot && InsideWall(casts, l.Position.ToSingle())
                )
            )
            {
                told.Add($"{l.Name} stands inside something solid of the set: it lights nothing. Move it out of the wall.");
            }
        }
        // Lights are in the working primaries; what they add goes back to the picture's own.
        FloatImage light = Relight.Light(
            p,
            n,
            a,
            lights.Rig(),
            look with
            {
                Shadows = casts is not null,
            },
            camera?.Pose.Position.ToSingle(),
            casts,
            stop,
            Rays,
            onSet: casts is not null
        );
        light = Primaries.Convert(light, Primaries.Bt709.To(c.Primaries));
        long lit = 0,
            bare = 0;
        for (int i = 0; i < picture.Width * picture.Height; i++)
        {
            bool surface =
                float.IsFinite(p.Data[3 * i] + p.Data[3 * i + 1] + p.Data[3 * i + 2])
                && MathF.Abs(p.Data[3 * i] + p.Data[3 * i + 1] + p.Data[3 * i + 2]) < 1e8f
                && (n.Data[3 * i] != 0 || n.Data[3 * i + 1] != 0 || n.Data[3 * i + 2] != 0);
            if (!surface)
            {
                bare++;
            }
            float by = alpha?[i] ?? 1;
            bool any = false;
            for (int k = 0; k < 3; k++)
            {
                float add = light.Data[3 * i + k] * by;
                any |= add != 0;
                picture.Data[3 * i + k] += add;
            }
            if (any)
            {
                lit++;
            }
        }
        if (lit == 0)
        {
            told.Add(
                "The lights reach nothing of the picture: they are turned away, shadowed, or far off. Are positions and lights in one space, in metres?"
            );
        }
        return (
            picture,
            alpha,
            c.Primaries,
            new(
                picture.Width,
                picture.Height,
                lights.Lights.Count,
                lit,
                bare,
                a is null ? look.Albedo : null,
                casts is not null,
                RelightPositions.Of(camera is null ? null : meaning),
                (meaning is { } m ? $"{m.Normals}, {(m.NormalsInCamera ? "camera" : "world")}" : "ours: +X +Y +Z, world").Replace('−', '-'),
                told
            )
        );
    }

    /// <summary>Faces look away from a spot on nearly all sides: it lies within something solid.</summary>
    public static bool InsideWall(TraceScene set, Vector3 spot)
    {
        int backs = 0,
            all = 0;
        for (uint i = 0; i < 64; i++)
        {
            float z = 1 - 2 * (i + 0.5f) / 64,
                r = MathF.Sqrt(1 - z * z),
                a = i * 2.39996323f;
            var d = new Vector3(r * MathF.Cos(a), z, r * MathF.Sin(a));
            Hit hit = set.Intersect(new Ray(spot, d), RayKinds.LightSet);
            if (!hit.IsHit)
            {
                continue;
            }
            all++;
            if (Vector3.Dot(set.Instances[hit.Instance].FaceNormal(hit), d) > 0)
            {
                backs++;
            }
        }
        return all == 64 && backs > 58;
    }

    /// <summary>The first layer that has three channels of one of two namings.</summary>
    private static FloatImage Three(ExrPicture exr, string path, string first, string second, string what) =>
        exr.Layer(first)
        ?? exr.Layer(second)
        ?? throw new Formats.FormatFault(
            "passes",
            $"{Path.GetFileName(path)} holds no {what} ({string.Join(", ", first.ToCharArray())} or {string.Join(", ", second.ToCharArray())})",
            "Write the pass as three channels of one layer."
        );
}
