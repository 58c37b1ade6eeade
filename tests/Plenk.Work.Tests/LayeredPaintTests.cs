using System.Diagnostics;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Images.Layers;
using Plenk.Core.Shots;
using Plenk.Formats.Layers;
using Plenk.Store;
using Plenk.Work.Paint;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Frames painted on in layers: what goes out, what comes back, by which hands, and what is told of it.</summary>
public sealed class LayeredPaintTests(DemoShot demo) : CommandSite, IClassFixture<DemoShot>
{
    private const int Frame = 1036;

    private LayeredPaint Paint => new(demo.Engine, demo.Media);

    private static PaintTaking At(int frame = Frame) => new(frame, Metres: 70);

    /// <summary>A frame with a layer that is whole within a box, in codes.</summary>
    private static PaintLayer Box(LayeredPicture of, string name, int left, int top, int right, int bottom, float tone = 0.5f)
    {
        var picture = new FloatImage(of.Width, of.Height, 4);
        for (int y = top; y < bottom; y++)
        {
            for (int x = left; x < right; x++)
            {
                picture.Pixel(x, y).Fill(tone);
                picture[x, y, 3] = 1;
            }
        }
        return new(name, picture);
    }

    private LayeredPicture Sent(int beyond = 0, bool linear = false) => Paint.Picture(demo.Document, At(), beyond, linear);

    [Fact]
    public void What_goes_out_has_the_plate_at_its_back_and_guides_that_are_left_out_again()
    {
        LayeredPicture sent = Sent();
        Assert.Equal("guide plate of BTH_0040 at 1036", sent.Layers[0].Name);
        Assert.All(sent.Layers.Skip(1), l => Assert.True(l.Hidden && PaintGuides.Is(l), l.Name));
        Assert.Contains(sent.Layers, l => l.Name == "guide outline of walkway");
        Assert.Contains(sent.Layers, l => l.Name == "guide wires");
        var told = new List<string>();
        ShotFault none = Assert.Throws<ShotFault>(() => Paint.In(demo.Document, sent, "p.ora", At(), told));
        Assert.Contains("no layer with paint on it", none.Message);
    }

    [Fact]
    public void A_layer_stands_where_its_foot_is_on_the_set_whatever_file_it_came_in()
    {
        LayeredPicture sent = Sent();
        // Its foot stands on the walkway, a level floor: by the ray through its lower border and that height.
        const int foot = 660;
        LayeredPicture painted = sent with { Layers = [.. sent.Layers, Box(sent, "figure", 560, 300, 640, foot)] };
        var (pose, pinhole) = demo.Engine.Camera(demo.Document, Frame);
        Assert.True(pinhole.TryDirection(600, foot, out Vec3 d));
        Vec3 ray = pose.Rotation * d;
        Piece floor = demo.Document.Pieces.First(p => p.Name == "walkway");
        double height = demo.Engine.Place.Set(demo.Document) is var set
            ? set.Meshes[set.Pieces.ToList().FindIndex(p => p.Id == floor.Id)].Positions.Max(p => p.Y)
            : 0;
        Vec3 away = new Vec3(-pose.Rotation.Column(2).X, 0, -pose.Rotation.Column(2).Z).Normalized();
        double meant = Vec3.Dot((height - pose.Position.Y) / ray.Y * ray, away);
        var media = new HashSet<string>();
        foreach (LayeredKind kind in Enum.GetValues<LayeredKind>())
        {
            LayeredPicture given = kind == LayeredKind.Exr ? Linear(painted) : painted;
            var told = new List<string>();
            string name = "figure" + LayeredFile.Extension(kind);
            ShotDocument made = Paint.Take(demo.Document, [(name, LayeredFile.Write(given, kind))], At(1001), told);
            Piece card = made.Pieces[^1];
            Assert.Equal("figure", card.Name);
            Assert.True(card.Duties is { Seen: true, New: true, BlocksLight: false });
            Assert.Equal(meant, Vec3.Dot(card.Position - pose.Position, away), 0.02 * meant);
            ProjectionSource on = made.Projections[0];
            Assert.Equal((Frame, "figure", card.Id), (on.Frame, on.Layer, Assert.Single(on.Pieces)));
            Assert.Contains(told, t => t.Contains("was painted on frame 1036", StringComparison.Ordinal));
            if (kind != LayeredKind.Exr)
            {
                media.Add(on.Media!);
            }
        }
        Assert.Single(media);

        LayeredPicture Linear(LayeredPicture p)
        {
            LayeredPicture own = Sent(linear: true);
            return own with { Layers = [.. own.Layers, p.Layers[^1]] };
        }
    }

    [Fact]
    public void A_newer_file_takes_the_place_of_the_one_before_and_what_was_set_stays()
    {
        LayeredPicture sent = Sent();
        PaintLayer sky = Box(sent, "sky", 0, 0, 1280, 40),
            wall = Box(sent, "wall", 100, 100, 500, 640);
        var told = new List<string>();
        ShotDocument first = Paint.In(demo.Document, sent with { Layers = [sky, wall] }, "a.ora", At(), told);
        Assert.Contains("2 new, 0 replaced", told[0]);
        ProjectionSource own = first.Projections.First(p => p.Layer == "wall");
        first = Paint.Stood(first, own.Id, 6.5);
        first = first with
        {
            Projections =
            [
                .. first.Projections.Select(p =>
                    p.Id == own.Id ? p with { Name = "my wall", HasGrain = true, FadeToDegrees = 80, FadeFromDegrees = 70 } : p
                ),
            ],
        };
        // As it goes out again its layers are in it.
        Assert.Equal(["sky", "wall"], Paint.Picture(first, At(), 0, false).Layers.Where(l => !PaintGuides.Is(l)).Select(l => l.Name));
        told.Clear();
        PaintLayer blue = Box(sent, "wall", 90, 80, 520, 650, 0.7f),
            birds = Box(sent, "birds", 600, 10, 620, 20) with { Opacity = 0.5 };
        ShotDocument second = Paint.In(first, sent with { Layers = [blue, birds] }, "b.ora", At(), told);
        Assert.Contains("1 new, 1 replaced", told[0]);
        Assert.Contains(told, t => t.Contains("sky is no longer in b.ora", StringComparison.Ordinal));
        ProjectionSource now = second.Projections.First(p => p.Id == own.Id);
        Assert.Equal(("my wall", true, 70.0), (now.Name, now.HasGrain, now.FadeFromDegrees));
        Assert.NotEqual(own.Media, now.Media);
        Assert.Equal(6.5, Paint.DistanceOf(second, now)!.Value, 1e-9);
        Assert.Equal(3, second.Projections.Count(p => p.Layer is not null));
        // Its opacity is in its picture.
        ProjectionSource flying = second.Projections.First(p => p.Layer == "birds");
        Assert.Equal(0.5f, demo.Engine.Projection.SourcePicture(second, flying, Frame).Kept![15 * 1280 + 610], 1e-4f);
        ShotDocument lain = LayeredPaint.Lain(second, own.Id);
        Assert.DoesNotContain(lain.Pieces, p => p.Name == "wall");
        Assert.Null(Paint.DistanceOf(lain, lain.Projections.First(p => p.Id == own.Id)));
    }

    [Fact]
    public void What_does_not_fit_is_refused_and_what_is_odd_is_told()
    {
        LayeredPicture sent = Sent();
        PaintLayer box = Box(sent, "box", 100, 100, 500, 640);
        string Refused(LayeredPicture p, PaintTaking? at = null) =>
            Assert.Throws<ShotFault>(() => Paint.In(demo.Document, p, "p.ora", at ?? At(), [])).Message;
        Assert.Contains("two layers called “box”", Refused(sent with { Layers = [box, box] }));
        Assert.Contains("1000 × 720", Refused(sent with { Width = 1000, Layers = [box] }));
        Assert.Contains("frame 2000", Refused(sent with { Layers = [box] }, At(2000)));
        Assert.Contains(
            "through the camera elsewhere",
            Refused(sent with { Layers = [sent.Layers[0] with { Name = "guide plate of BTH_0040 at 1036 through elsewhere" }, box] })
        );
        // Saved as linear light into a file of codes.
        FloatImage dark = sent.Layers[0].Picture.Copy();
        for (int i = 0; i < dark.Data.Length; i++)
        {
            dark.Data[i] = i % 4 == 3 ? 1 : (float)ColorEncodings.ToLinear(ColorEncoding.Srgb, dark.Data[i]);
        }
        Assert.Contains("but like it as linear light", Refused(sent with { Layers = [sent.Layers[0] with { Picture = dark }, box] }));
        var told = new List<string>();
        // Twice as large, of the same shape; of another shot; with paint on the plate's own layer.
        FloatImage big = new(2560, 1440, 4);
        for (int y = 200; y < 1280; y++)
        {
            for (int x = 200; x < 1000; x++)
            {
                big.Pixel(x, y).Fill(1);
            }
        }
        ShotDocument made = Paint.In(demo.Document, new(2560, 1440, [new("box", big)], false, 16), "big.ora", At(), told);
        Assert.Contains(told, t => t.Contains("brought to the plate’s 1280 × 720", StringComparison.Ordinal));
        float[] kept = demo.Engine.Projection.SourcePicture(made, made.Projections[0], Frame).Kept!;
        Assert.Equal((1f, 0f), (kept[300 * 1280 + 300], kept[300 * 1280 + 520]));
        told.Clear();
        FloatImage scrawled = sent.Layers[0].Picture.Copy();
        for (int y = 0; y < 200; y++)
        {
            scrawled.Row(y).Fill(1);
        }
        Paint.In(
            demo.Document,
            sent with
            {
                Layers = [sent.Layers[0] with { Name = "guide plate of BTH_0999 at 1036", Picture = scrawled }, box],
            },
            "p.ora",
            At(),
            told
        );
        Assert.Contains(told, t => t.Contains("painted on a frame of BTH_0999", StringComparison.Ordinal));
        Assert.Contains(told, t => t.Contains("The plate’s own layer", StringComparison.Ordinal));
    }

    [Fact]
    public async Task By_command_paint_goes_out_and_comes_back_and_a_folder_is_watched()
    {
        ShotFolder.Write(Path.Combine(Folder, "shot"), demo.Document, demo.Media);
        Assert.Equal(0, Run($"import-shot {Folder}/shot").Exit);
        string file = Path.Combine(Folder, "p.ora"),
            watched = Path.Combine(Folder, "watched");
        Assert.Equal(0, Run($"give-paint BTH_0040 --frame {Frame} --out {file}").Exit);
        LayeredPicture sent = LayeredFile.Read(File.ReadAllBytes(file), "p.ora");
        Assert.Equal(0, Run($"give-paint BTH_0040 --frame {Frame} --out {Folder}/layers").Exit);
        Assert.Equal(sent.Layers.Count, Directory.GetFiles(Path.Combine(Folder, "layers")).Length);
        Assert.Equal(3, Run($"give-paint BTH_0040 --frame {Frame} --out {Folder}/p.psx").Exit);
        File.WriteAllBytes(
            file,
            LayeredFile.Write(sent with { Layers = [.. sent.Layers, Box(sent, "wall", 100, 100, 500, 640)] }, LayeredKind.OpenRaster)
        );
        var (exit, said, error) = Run($"take-paint BTH_0040 {file}");
        Assert.True(exit == 0, error);
        Assert.Contains("1 new, 0 replaced", said);
        Assert.Equal(2, Run($"take-paint BTH_0040 {Folder}/none.ora").Exit);

        using Process watch = Start($"watch BTH_0040 {watched} --give {Frame}");
        try
        {
            async Task<string> Says(string words)
            {
                using var soon = new CancellationTokenSource(TimeSpan.FromSeconds(60));
                while (await watch.StandardOutput.ReadLineAsync(soon.Token) is { } line)
                {
                    if (line.Contains(words, StringComparison.Ordinal))
                    {
                        return line;
                    }
                }
                throw new InvalidOperationException($"it never said “{words}”: {await watch.StandardError.ReadToEndAsync(soon.Token)}");
            }
            await Says("Watching");
            string own = Path.Combine(watched, $"BTH_0040.layers.{Frame}.ora");
            LayeredPicture given = LayeredFile.Read(await File.ReadAllBytesAsync(own), "own");
            Assert.Contains(given.Layers, l => l.Name == "wall");
            byte[] saved = LayeredFile.Write(
                given with
                {
                    Layers = [.. given.Layers, Box(sent, "sign", 700, 200, 800, 300)],
                },
                LayeredKind.OpenRaster
            );
            await File.WriteAllBytesAsync(own, saved);
            await Says("1 new, 1 replaced");
            // A crate, modelled; then modelled anew; and half a file, which is told and hinders nothing.
            string crate = Path.Combine(watched, "crate.obj");
            await File.WriteAllTextAsync(crate, "v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n");
            await Says("crate.obj: revision");
            await File.WriteAllBytesAsync(Path.Combine(watched, "half.ora"), saved[..(saved.Length / 2)]);
            await Says("cut off or damaged");
            await File.WriteAllTextAsync(crate, "v 0 0 0\nv 2 0 0\nv 0 2 0\nf 1 2 3\n");
            await Says("crate.obj: revision");
            var store = new ShotStore(new Database(Connection));
            ShotRow row = (await store.FindByCode("BTH_0040"))!;
            var (shot, revision) = (await store.Read(row.Id))!.Value;
            Assert.EndsWith(WatchedFiles.Mark, revision.Who);
            Assert.Equal(["sign", "wall"], shot.Projections.Select(p => p.Layer).OfType<string>());
            Element made = Assert.Single(shot.Elements, e => e.Id == "crate");
            Assert.Contains(
                "2 0 0",
                await File.ReadAllTextAsync(Path.Combine(Folder, "media", made.Media[..2], made.Media)),
                StringComparison.Ordinal
            );
        }
        finally
        {
            watch.Kill(entireProcessTree: true);
        }
    }
}
