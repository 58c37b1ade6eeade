using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>A shot on disk: <c>shot.json</c> (docs/shot-document.md) and <c>media/</c> with files named by their SHA-256.</summary>
public sealed class ShotFolder(string directory) : IMedia
{
    public string Directory { get; } = directory;

    public byte[] Read(string hash)
    {
        string path = Path.Combine(Directory, "media", hash);
        if (!MediaStore.IsHash(hash) || !File.Exists(path))
        {
            throw new MissingMediaException(hash);
        }
        return File.ReadAllBytes(path);
    }

    public static bool Is(string directory) => File.Exists(Path.Combine(directory, "shot.json"));

    public ShotDocument ReadDocument()
    {
        try
        {
            return ShotJson.Read(File.ReadAllText(Path.Combine(Directory, "shot.json")));
        }
        catch (JsonException e)
        {
            throw new ShotFault($"shot.json cannot be read: {e.Message}");
        }
    }

    /// <summary>Hashes of all media a document names.</summary>
    public static IEnumerable<string> MediaOf(ShotDocument shot) =>
        (shot.Plate?.Frames.Select(f => f.Media) ?? [])
            .Concat(shot.Pieces.Select(p => p.Media).OfType<string>())
            .Concat(shot.Elements.Where(e => e.Media.Length > 0).Select(e => e.Media))
            .Concat(shot.Elements.SelectMany(e => e.Beside.Values))
            .Concat(shot.Elements.SelectMany(e => e.PassFrames).SelectMany(p => p.Frames).Select(f => f.Media))
            .Concat(shot.Elements.Select(e => e.Text?.FontMedia).OfType<string>())
            .Concat(shot.Elements.SelectMany(e => e.Frames?.Frames ?? []).Select(f => f.Media))
            .Concat(
                shot.Mattes.Concat(shot.Mattes.SelectMany(m => m.Footage?.Mattes ?? []))
                    .SelectMany(m => (m.Frames?.Frames ?? []).Concat(m.Frozen?.Frames ?? []))
                    .Select(f => f.Media)
            )
            .Concat(shot.Finish.Steps.SelectMany(s => s.Ripple?.Frames?.Frames ?? []).Select(f => f.Media))
            .Concat(shot.BackgroundFrames?.Frames.Select(f => f.Media) ?? [])
            .Concat(shot.Plate?.GrainFree?.Frames.Select(f => f.Media) ?? [])
            .Concat(shot.CleanPlate.Frames.SelectMany(f => (string[])[f.Media, f.Given]))
            .Concat(shot.Lights.Select(l => l.Media).OfType<string>())
            .Concat(shot.Clouds.Select(c => c.Media))
            .Concat(shot.Depth?.Frames.Select(f => f.Media) ?? [])
            .Concat(shot.Pieces.SelectMany(p => p.Baked?.Tiles ?? []))
            .Concat(shot.Projections.Select(p => p.Media).OfType<string>())
            .Concat(shot.OtherCameras.SelectMany(c => c.Plate.Frames.Concat(c.Plate.GrainFree?.Frames ?? []).Select(f => f.Media)))
            .Concat(shot.MovingObjects.Select(o => o.Media).OfType<string>())
            .Concat(((string?[])[shot.Look.LutMedia, shot.Tracks?.Media, shot.Solve?.Media]).OfType<string>())
            .Distinct();

    /// <summary>Writes the media first and the document last, so that a folder with a document is whole.</summary>
    public static void Write(string directory, ShotDocument shot, IMedia media)
    {
        foreach (string hash in MediaOf(shot))
        {
            string path = Path.Combine(directory, "media", hash);
            if (!File.Exists(path))
            {
                MediaStore.WriteWhole(path, media.Read(hash));
            }
        }
        MediaStore.WriteWhole(
            Path.Combine(directory, "shot.json"),
            System.Text.Encoding.UTF8.GetBytes(ShotJson.Write(shot, indented: true) + "\n")
        );
    }

    /// <summary>Takes the folder's media into a store after checking each against its hash. Nothing is taken when one is wrong.</summary>
    public void CopyMediaTo(MediaStore store, ShotDocument shot)
    {
        foreach (string hash in MediaOf(shot))
        {
            if (MediaStore.HashOf(Read(hash)) != hash)
            {
                throw new ShotFault($"The file media/{hash[..12]}… is damaged: its contents do not match its name. Export the shot again.");
            }
        }
        foreach (string hash in MediaOf(shot))
        {
            store.Write(Read(hash));
        }
    }
}
