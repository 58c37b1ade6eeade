using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What only the media can tell of a document that is to be kept.</summary>
public static class ShotSaving
{
    /// <exception cref="MissingMediaException">It names media that are not there.</exception>
    /// <exception cref="ShotFault">
    /// Names of materials stand in the elements' files: those are asked where something was chosen anew.
    /// </exception>
    public static void Check(ShotDocument before, ShotDocument after, MediaStore media, ShotEngine engine)
    {
        HashSet<string> known = [.. ShotFolder.MediaOf(before)];
        foreach (string hash in ShotFolder.MediaOf(after))
        {
            if (!known.Contains(hash) && !media.Has(hash))
            {
                throw new MissingMediaException(hash);
            }
        }
        foreach (
            Element e in after.Elements.Where(e =>
                e.Materials.Count > 0 && before.Elements.FirstOrDefault(b => b.Id == e.Id)?.Materials.SequenceEqual(e.Materials) != true
            )
        )
        {
            if (engine.MaterialFault(after, e) is { } fault)
            {
                throw new ShotFault($"Contact: {fault}");
            }
        }
    }
}
