using System.IO.Enumeration;
using System.Runtime.CompilerServices;
using Plenk.Core.Cameras;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Elements that are strewn over pieces, as copies at their places.</summary>
public sealed class ScatterWork(ShotEngine engine)
{
    /// <summary>What hides a place from the camera that is painted through is so much nearer, metres.</summary>
    private const float Nearer = 0.01f;

    /// <summary>Places on a set that is kept are kept with it.</summary>
    private readonly ConditionalWeakTable<SetScene, Cache<IReadOnlyList<Similarity>>> _kept = [];

    /// <summary>Pieces that are named, in the order of the set.</summary>
    public static IReadOnlyList<Piece> Pieces(IReadOnlyList<Piece> all, string named)
    {
        string[] names = named.Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries);
        return [.. all.Where(p => !p.Off && names.Any(n => FileSystemName.MatchesSimpleExpression(n, p.Name)))];
    }

    /// <summary>Without those that are strewn and have no place anywhere; the others with the places of their copies.</summary>
    /// <param name="shot">As it stands in the frame.</param>
    public IReadOnlyList<PlacedElement> Strewn(ShotDocument shot, IReadOnlyList<PlacedElement> placed, int frame)
    {
        if (!shot.Elements.Any(e => e is { Scatter: not null, Off: false }))
        {
            return placed;
        }
        var result = new List<PlacedElement>();
        foreach (PlacedElement p in placed)
        {
            Element e = shot.Elements.First(x => x.Id == p.Id);
            if (e.Scatter is null)
            {
                result.Add(p);
            }
            else if (Places(shot, e, frame) is { Count: > 0 } copies)
            {
                result.Add(p with { ObjectToWorld = copies[0], Copies = copies });
            }
        }
        return result;
    }

    /// <summary>Where the copies of an element are, as the set stands in a frame.</summary>
    public IReadOnlyList<Similarity> Places(ShotDocument shot, Element e, int frame)
    {
        Scatter how = e.Scatter!;
        SetScene set = engine.Place.Set(shot);
        Similarity own = (e with { Position = Vec3.Zero }).ObjectToWorld;
        Vec3? eye = ShotCamera.Of(shot) is { } camera && camera.TryAt(frame, out Pose pose, out _) ? pose.Position : null;
        string key = ResultKey.Of(
            "scatter",
            1,
            how,
            own,
            e.FacesCamera ? eye : null,
            how.Matte is null ? null : MatteWork.KeyOf(shot),
            how.Matte is null ? null : Reduced.Camera(shot)
        );
        return _kept
            .GetValue(set, _ => new(places => Sizes.Small + (long)places.Count * Unsafe.SizeOf<Similarity>()))
            .Get(key, () =>
            {
                HashSet<string> over = [.. Pieces(set.Pieces, how.On).Select(p => p.Id)];
                TriangleMesh[] surfaces = [.. set.Meshes.Where((_, i) => over.Contains(set.Pieces[i].Id))];
                return Scattering.Places(surfaces, how, own, Painted(shot, set, how), e.FacesCamera ? eye : null);
            });
    }

    /// <summary>How opaque the matte is where a place is seen in its frame; hidden and outside nothing is painted.</summary>
    private Func<Vec3, double>? Painted(ShotDocument shot, SetScene set, Scatter how)
    {
        if (how.Matte is null)
        {
            return null;
        }
        PlateSource plate = shot.Plate ?? throw new ShotFault("The shot has no plate yet. Bring one in at step 1.");
        var (pose, pinhole) = engine.Camera(shot, how.MatteFrame);
        float[] coverage = engine.Mattes.Coverage(shot, how.Matte, how.MatteFrame, plate.Width, plate.Height);
        return place =>
        {
            if (!pinhole.TryProject(pose, place, out double x, out double y) || !pinhole.Contains(x, y))
            {
                return 0;
            }
            Vec3 way = place - pose.Position;
            float far = (float)way.Length;
            var ray = new Ray(pose.Position.ToSingle(), way.Normalized().ToSingle(), 0, far - Nearer);
            return set.Scene.Occluded(ray, RayKinds.CameraSet) ? 0 : coverage[(int)y * plate.Width + (int)x];
        };
    }
}
