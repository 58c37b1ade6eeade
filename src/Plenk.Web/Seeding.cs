using System.Text.Json;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work;
using Plenk.Work.Queue;
using Plenk.Work.Shelf;

namespace Plenk.Web;

public static class Seeding
{
    /// <summary>Brings the demo production in once; a production of that name is left as it is.</summary>
    public static async Task LowWater(string directory, IServiceProvider services)
    {
        var shots = services.GetRequiredService<ShotStore>();
        if (!Directory.Exists(directory))
        {
            return;
        }
        ShotRow? row = (await shots.List()).FirstOrDefault(s => s.Production == DemoSeed.Production);
        if (row is null)
        {
            MediaStore media = services.GetRequiredService<MediaStore>();
            ShotDocument document = DemoSeed.Build(directory, bytes => media.Write(bytes));
            row = await shots.Create(document, "demo", "The shot as it came in");
            await Shelf(Path.Combine(Path.GetDirectoryName(directory)!, "shelf"), services);
            foreach (ShotDocument other in DemoSeed.Others(Path.GetDirectoryName(directory)!, bytes => media.Write(bytes)))
            {
                ShotRow made = await shots.Create(other, "demo", "The shot as it came in");
                if (other.Code == "BTH_0100")
                {
                    ShotDocument broken = DemoSeed.Broken(
                        other,
                        Path.GetDirectoryName(directory)!,
                        services.GetRequiredService<ShotEngine>(),
                        media
                    );
                    await shots.Save(made.Id, made.Head, broken, "demo", "The locker’s door cut loose and swung open, the slab broken");
                }
            }
        }
        var (head, revision) = (await shots.Read(row.Id))!.Value;
        await services.GetRequiredService<Measuring>().Read(head, row.Id, revision.Number, keep: true);
    }

    /// <summary>What ships of the shelf, for the whole house.</summary>
    private static async Task Shelf(string directory, IServiceProvider services)
    {
        string list = Path.Combine(directory, "shelf.json");
        if (!File.Exists(list))
        {
            return;
        }
        MediaStore media = services.GetRequiredService<MediaStore>();
        ShelfWork shelf = services.GetRequiredService<ShelfWork>();
        string Keep(string file) => media.Write(File.ReadAllBytes(Path.Combine(directory, file)));
        foreach (ShippedThing t in JsonSerializer.Deserialize<ShippedThing[]>(await File.ReadAllTextAsync(list), ShotJson.Options)!)
        {
            await shelf.Add(
                ShippedThing.Kept(t.Part, Keep),
                new([], t.Name, "Plenk", "CC0 1.0", "Plenk’s demo", t.Tags, t.Words, House: true),
                null,
                "demo",
                Keep(t.Picture)
            );
        }
    }
}
