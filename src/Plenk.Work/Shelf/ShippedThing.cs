using Plenk.Core.Shots;

namespace Plenk.Work.Shelf;

/// <summary>A thing that ships as files: where its part names media, these are names of files beside it.</summary>
/// <param name="Picture">Name of its picture's file.</param>
public sealed record ShippedThing(string Name, string Tags, string Words, string Picture, ShotPart Part)
{
    /// <summary>The part with its files taken into a store.</summary>
    /// <param name="keep">What a file is called there, by its name here.</param>
    public static ShotPart Kept(ShotPart part, Func<string, string> keep) =>
        part with
        {
            Elements =
            [
                .. part.Elements.Select(e =>
                    e with
                    {
                        Media = e.Media.Length > 0 ? keep(e.Media) : "",
                        Frames = e.Frames is null
                            ? null
                            : e.Frames with
                            {
                                Frames = [.. e.Frames.Frames.Select(f => f with { Media = keep(f.Media) })],
                            },
                    }
                ),
            ],
            Lights = [.. part.Lights.Select(l => l.Media is null ? l : l with { Media = keep(l.Media) })],
        };
}
