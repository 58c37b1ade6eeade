using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Work.Shelf;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>The shelf by command, and what it does where something is missing.</summary>
public sealed class ShelfCommandTests(DemoShot demo) : CommandSite, IClassFixture<DemoShot>
{
    [Fact]
    public async Task A_thing_is_put_there_found_and_taken_and_a_lost_file_is_told()
    {
        ShotFolder.Write(Path.Combine(Folder, "shot"), demo.Document, demo.Media);
        Assert.Equal(0, Run($"import-shot {Folder}/shot").Exit);
        const string credits = "--author Plenk --licence CC0 --source demo";
        Assert.Equal(2, Run("shelf-add BTH_0040 elements/bell --name bell").Exit);
        Assert.Contains(
            "There is no elements/nobody",
            Run($"shelf-add BTH_0040 elements/nobody --name x {credits}").Error,
            StringComparison.Ordinal
        );
        var (exit, said, error) = Run($"shelf-add BTH_0040 elements/bell --name bell {credits} --tags brass,diving --house");
        Assert.True(exit == 0, error);
        Assert.Contains("bell, version 1", said);
        Assert.Contains("version 2", Run($"shelf-add BTH_0040 elements/bell --name bell {credits} --house").Out, StringComparison.Ordinal);
        Assert.StartsWith("bell\telement\t2\thouse\tPlenk\tCC0\tdemo", Run("shelf-list bell").Out, StringComparison.Ordinal);
        Assert.Empty(Run("shelf-list trombone").Out);

        var (took, told, why) = Run("shelf-take BTH_0040 bell --version 1 --frame 1036");
        Assert.True(took == 0, why);
        Assert.Contains("elements/bell_1", told, StringComparison.Ordinal);
        var database = new Database(Connection);
        var shots = new ShotStore(database);
        ShotRow row = (await shots.FindByCode("BTH_0040"))!;
        ShotDocument shot = (await shots.Read(row.Id))!.Value.Document;
        Element bell = shot.Elements.First(e => e.Id == "bell_1");
        Assert.Equal((1, "CC0"), (bell.FromShelf!.Version, bell.Credit!.Licence));
        // It is put down on the set where the frame looks, not where it stood.
        Assert.NotEqual(shot.Elements[0].Position, bell.Position);
        Assert.Equal(3, Run("shelf-take BTH_0040 trombone").Exit);

        // Its picture is Plenk's own: the bell's brass on grey.
        var store = new MediaStore(Path.Combine(Folder, "media"));
        ShelfRow thing = (await new ShelfStore(database).Named("bell", null))!;
        var picture = Formats.Raster.RasterFile.Read(store.Read(thing.Preview), "preview");
        Assert.Equal((320, 240), (picture.Width, picture.Height));
        int brass = Enumerable.Range(0, 320 * 240).Count(i => picture.Codes[3 * i] > picture.Codes[3 * i + 2] + 30);
        Assert.InRange(brass, 100, 40_000);

        // Another version keeps where it stands; and a file that is gone leaves the shot as it was.
        var work = new ShelfWork(new ShelfStore(database), store);
        var (renewed, _) = await work.Renewed(shot, "elements/bell_1", null);
        Element now = renewed.Elements.First(e => e.Id == "bell_1");
        Assert.Equal((2, bell.Position), (now.FromShelf!.Version, now.Position));
        File.Delete(store.PathOf(bell.Media));
        var (lost, _, gone) = Run("shelf-take BTH_0040 bell");
        Assert.Equal(3, lost);
        Assert.Contains("nothing of it was taken", gone, StringComparison.Ordinal);
        await database.DisposeAsync();
    }
}
