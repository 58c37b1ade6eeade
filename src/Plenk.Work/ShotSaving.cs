using Plenk.Core.Checks;
using Plenk.Core.Shots;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>What only the media can tell of a document that is to be kept.</summary>
public static class ShotSaving
{
    /// <summary>Somebody who saves ever between is waited for no longer.</summary>
    private const int MostTries = 5;

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

    /// <summary>
    /// A change made outside a page, kept as one revision on the newest document; made again where somebody saved between.
    /// </summary>
    /// <returns>The revision's number.</returns>
    public static async Task<int> Keep(
        ShotStore shots,
        MediaStore media,
        ShotEngine engine,
        long id,
        string who,
        Func<ShotDocument, (ShotDocument Shot, string What)> change
    )
    {
        for (int tries = 0; ; tries++)
        {
            var (before, revision) = await shots.Read(id) ?? throw new ShotFault("That shot is gone.");
            var (changed, what) = change(before);
            ShotDocument after = HandPath.Laid(ShotCurves.Pruned(changed));
            IReadOnlyList<string> faults = ShotChecks.Faults(after);
            if (faults.Count > 0)
            {
                throw new ShotFault(string.Join(" ", faults));
            }
            Check(before, after, media, engine);
            try
            {
                return (await shots.Save(id, revision.Number, after, who, what)).Number;
            }
            catch (ConflictException) when (tries < MostTries) { }
        }
    }
}
