using System.Net;
using System.Net.Http.Json;
using System.Text.Json.Nodes;
using Plenk.Core.Images;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>Somebody filmed before a screen in another shot, as a layer of this one, over HTTP.</summary>
[Collection("application")]
public sealed class FilmedApiTests(Application application)
{
    private const int Width = 160,
        Height = 90;
    private static readonly ushort[] Screen = [20, 190, 40],
        Skin = [200, 90, 60];
    private static readonly int[] Figure = [200, 90, 60],
        Grey = [120, 120, 120];
    private readonly HttpClient _client = application.CreateClient();

    private static byte[] Png(Func<int, int, ushort[]> at) =>
        RasterFile.ToPng(
            new CodeImage(Width, Height, 3, 8, [.. Enumerable.Range(0, Width * Height).SelectMany(i => at(i % Width, i / Width))])
        );

    /// <summary>A grey plate over a floor; and a figure before a green screen that goes 20 px to the right a frame.</summary>
    private async Task<(string At, long Filmed, string FilmedAt)> Shots(string code, string filmed, bool keyed = true)
    {
        var (_, at) = await _client.NewShot("FM", code, 4, _ => Png((_, _) => [120, 120, 120]));
        await _client.StandOverFloor(at, 4);
        var (other, otherAt) = await _client.NewShot("FM", filmed, 3, f =>
            Png((x, y) => x >= 30 + 20 * (f - 1001) && x < 60 + 20 * (f - 1001) && y >= 20 && y < 80 ? Skin : Screen)
        );
        if (keyed)
        {
            JsonNode found = (
                await (
                    await _client.PostAsJsonAsync(
                        $"{otherAt}/mattes/screen",
                        new
                        {
                            x = 150,
                            y = 10,
                            frame = 1001,
                        }
                    )
                ).Content.ReadFromJsonAsync<JsonNode>()
            )!;
            HttpResponseMessage saved = await _client.Save(otherAt, d => d["mattes"] = new JsonArray(
                    new JsonObject
                    {
                        ["id"] = "screen",
                        ["name"] = "the walker",
                        ["kind"] = "Screen",
                        ["screen"] = new JsonObject
                        {
                            ["color"] = found["color"]!.DeepClone(),
                            ["low"] = 0.1,
                            ["high"] = 0.5,
                            ["takesSpillOff"] = true,
                            ["edgeBySides"] = true,
                        },
                    }
                ));
            Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
        }
        return (at, other, otherAt);
    }

    private async Task<HttpResponseMessage> Bring(string at, object shot) =>
        await _client.PostAsJsonAsync(
            $"{at}/mattes/filmed",
            new { baseRevision = (await _client.State(at))["revision"]!.GetValue<int>(), shot }
        );

    private async Task<CodeImage> Picture(string at, string kind, int frame) =>
        RasterFile.Read(
            await _client.GetByteArrayAsync($"{at}/frames/{frame}/picture?kind={Uri.EscapeDataString(kind)}&width=160&quality=middle"),
            kind
        );

    private static int[] At(CodeImage picture, int x, int y) =>
        [.. Enumerable.Range(0, 3).Select(c => (int)picture.Codes[(y * Width + x) * picture.Channels + c])];

    [Fact]
    public async Task It_lies_on_the_plate_pixel_for_pixel_and_comes_as_late_as_is_said()
    {
        var (at, other, _) = await Shots("FM_0010", "FM_0015");
        // A choice of the sheet sends its number as text.
        HttpResponseMessage brought = await Bring(at, other.ToString(System.Globalization.CultureInfo.InvariantCulture));
        Assert.True(brought.IsSuccessStatusCode, await brought.Content.ReadAsStringAsync());
        CodeImage comp = await Picture(at, "comp", 1002);
        Assert.Equal(Figure, At(comp, 65, 50));
        Assert.Equal(Grey, At(comp, 40, 50));
        Assert.Equal(Grey, At(comp, 65, 85));
        // After its last frame it is not there; no rim of the screen is left.
        Assert.Equal(Grey, At(await Picture(at, "comp", 1004), 90, 50));
        Assert.DoesNotContain(Enumerable.Range(0, Width * Height), i =>
            comp.Codes[i * comp.Channels + 1] > Math.Max(comp.Codes[i * comp.Channels], comp.Codes[i * comp.Channels + 2]) + 3
        );
        HttpResponseMessage later = await _client.Save(at, d => d["mattes"]![0]!["footage"]!["later"] = 1);
        Assert.True(later.IsSuccessStatusCode, await later.Content.ReadAsStringAsync());
        comp = await Picture(at, "comp", 1002);
        Assert.Equal(Figure, At(comp, 35, 50));
        Assert.Equal(Grey, At(comp, 65, 50));
        Assert.Equal(Grey, At(await Picture(at, "comp", 1001), 35, 50));
        Assert.Equal(Figure, At(await Picture(at, "comp", 1004), 75, 50));
    }

    [Fact]
    public async Task An_element_stands_before_it_or_behind_it_by_its_distance()
    {
        var (at, other, _) = await Shots("FM_0020", "FM_0025");
        Assert.Equal(HttpStatusCode.OK, (await Bring(at, other)).StatusCode);
        byte[] wall = System.Text.Encoding.UTF8.GetBytes("o wall\nv -2 0 0\nv 2 0 0\nv 2 2 0\nv -2 2 0\nf 1 2 3 4\n");
        Assert.Equal(HttpStatusCode.OK, (await _client.PostAsync($"{at}/element", ShotClient.Form(("wall.obj", wall)))).StatusCode);
        async Task<int[]> With(double beyond)
        {
            HttpResponseMessage saved = await _client.Save(at, d =>
            {
                d["elements"]![0]!["position"] = new JsonArray(0, 0, -3.8);
                d["mattes"]![0]!["hidesBeyondMetres"] = beyond;
            });
            Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
            return At(await Picture(at, "comp", 1003), 85, 40);
        }
        Assert.Equal(Figure, await With(3));
        Assert.NotEqual(Figure, await With(8));
        // Stood on the floor where its foot is: camera 1.6 m high, 20° down, foot at row 80 of 90 by f = 160 px.
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        HttpResponseMessage stood = await _client.PostAsJsonAsync(
            $"{at}/mattes/matte_1/stand",
            new { baseRevision = revision, frame = 1003 }
        );
        Assert.True(stood.IsSuccessStatusCode, await stood.Content.ReadAsStringAsync());
        JsonArray place = (await _client.State(at))["document"]!["mattes"]![0]!["footage"]!["at"]!.AsArray();
        double down = 20 * Math.PI / 180 + Math.Atan(35.0 / 160);
        Assert.Equal(0, place[1]!.GetValue<double>(), 1e-4);
        Assert.Equal(-1.6 / Math.Tan(down), place[2]!.GetValue<double>(), 0.02);
        // The wall is 4 m away, it stands nearer.
        Assert.Equal(Figure, At(await Picture(at, "comp", 1003), 85, 40));
    }

    [Fact]
    public async Task Through_a_camera_of_its_own_it_stands_in_the_place()
    {
        var (at, other, otherAt) = await Shots("FM_0030", "FM_0035");
        await _client.StandOverFloor(otherAt, 3);
        Assert.Equal(HttpStatusCode.OK, (await Bring(at, other)).StatusCode);
        HttpResponseMessage refused = await _client.Save(at, d => d["mattes"]![0]!["footage"]!["throughItsCamera"] = true);
        Assert.True(refused.IsSuccessStatusCode, await refused.Content.ReadAsStringAsync());
        HttpResponseMessage nowhere = await _client.GetAsync($"{at}/frames/1003/picture?kind=comp&width=160&quality=middle");
        Assert.Contains("stands nowhere yet", await nowhere.Content.ReadAsStringAsync());
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        HttpResponseMessage stood = await _client.PostAsJsonAsync(
            $"{at}/mattes/matte_1/stand",
            new { baseRevision = revision, frame = 1003 }
        );
        Assert.True(stood.IsSuccessStatusCode, await stood.Content.ReadAsStringAsync());
        // The cameras are one: it looks as if it lay pixel for pixel.
        CodeImage comp = await Picture(at, "comp", 1003);
        Assert.Equal(Figure, At(comp, 85, 50));
        Assert.Equal(Grey, At(comp, 60, 50));
        Assert.Equal(Grey, At(comp, 110, 50));
    }

    [Fact]
    public async Task What_cannot_be_laid_on_is_refused_in_the_artists_words()
    {
        var (at, other, _) = await Shots("FM_0040", "FM_0045", keyed: false);
        HttpResponseMessage bare = await Bring(at, other);
        Assert.Equal(HttpStatusCode.UnprocessableEntity, bare.StatusCode);
        Assert.Contains("Key its screen, or draw around it", await bare.Content.ReadAsStringAsync());
        HttpResponseMessage self = await Bring(at, long.Parse(at.Split('/')[^1], System.Globalization.CultureInfo.InvariantCulture));
        Assert.Contains("this shot itself", await self.Content.ReadAsStringAsync());
        // Another shape than the plate.
        var (wide, wideAt) = await _client.NewShot("FM", "FM_0047", 2, _ =>
            RasterFile.ToPng(new CodeImage(200, 90, 3, 8, [.. Enumerable.Repeat((ushort)90, 200 * 90 * 3)]))
        );
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(wideAt, d => d["mattes"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "drawn",
                            ["name"] = "drawn",
                            ["hidesBeyondMetres"] = 0,
                            ["keys"] = new JsonArray(
                                new JsonObject { ["frame"] = 1001, ["corners"] = new JsonArray(0, 0, 40, 0, 40, 90, 0, 90) }
                            ),
                        }
                    ))).StatusCode);
        Assert.Equal(HttpStatusCode.OK, (await Bring(at, wide)).StatusCode);
        HttpResponseMessage shape = await _client.GetAsync($"{at}/frames/1001/picture?kind=comp&width=160&quality=middle");
        Assert.Contains("another shape than the plate", await shape.Content.ReadAsStringAsync());
        // A hole is named before anything is made.
        HttpResponseMessage holed = await _client.Save(at, d =>
        {
            d["otherCameras"]![0]!["plate"]!["frames"]![1]!["frame"] = 1004;
            d["otherCameras"]![0]!["plate"]!["mapping"]!["sourceFrame"] = 1001;
        });
        Assert.True(holed.IsSuccessStatusCode, await holed.Content.ReadAsStringAsync());
        HttpResponseMessage handed = await _client.PostAsJsonAsync(
            $"{at}/render",
            new
            {
                first = 1001,
                last = 1004,
                formats = new[] { "exr" },
                layers = new[] { "comp" },
            }
        );
        Assert.Contains("no picture for 1002-1003", await handed.Content.ReadAsStringAsync());
        // Its plate cannot be taken away under it.
        HttpResponseMessage away = await _client.Save(at, d => d["otherCameras"] = new JsonArray());
        Assert.Equal(HttpStatusCode.UnprocessableEntity, away.StatusCode);
        Assert.Contains("Delete the matte first", await away.Content.ReadAsStringAsync());
    }
}
