using System.Globalization;
using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json.Nodes;
using Plenk.Core.Geometry;
using Plenk.Formats.Raster;
using Xunit;

namespace Plenk.Web.Tests;

/// <summary>A plate, a camera or a world that comes again, over HTTP: what is built and drawn keeps its place, and what moved is told.</summary>
[Collection("application")]
public sealed class ChangeApiTests(Application application)
{
    private const int Count = 4;
    private readonly HttpClient _client = application.CreateClient();

    private static byte[] Frame(int width, int height, int frame) =>
        RasterFile.ToPng(
            new CodeImage(
                width,
                height,
                3,
                8,
                [.. Enumerable.Range(0, width * height * 3).Select(i => (ushort)(60 + (i * 7919 + frame * 13) % 120))]
            )
        );

    /// <summary>A camera that goes sideways above the floor, in a gauge.</summary>
    private static byte[] Camera(Similarity gauge)
    {
        var csv = new StringBuilder("frame,tx,ty,tz,m11,m12,m13,m21,m22,m23,m31,m32,m33,focal_mm\n");
        for (int f = 1001; f < 1001 + Count; f++)
        {
            Pose pose = new Pose(Rotations.FromEulerYxzDegrees(-20, 3 * (f - 1001), 0), new(0.3 * (f - 1001), 1.6, 0)).Moved(gauge);
            double[] m = pose.ToRowMajor16();
            csv.Append(
                CultureInfo.InvariantCulture,
                $"{f},{m[3]:R},{m[7]:R},{m[11]:R},{m[0]:R},{m[1]:R},{m[2]:R},{m[4]:R},{m[5]:R},{m[6]:R},{m[8]:R},{m[9]:R},{m[10]:R},36\n"
            );
        }
        return Encoding.UTF8.GetBytes(csv.ToString());
    }

    private async Task<(long Id, string At)> Shot(string code)
    {
        var (id, at) = await _client.NewShot("CH", code, Count, f => Frame(160, 90, f));
        await _client.StandOverFloor(at, Count);
        await Given($"{at}/camera", ("c.csv", Camera(Similarity.Identity)));
        HttpResponseMessage saved = await _client.Save(at, d =>
        {
            d["surveyPoints"] = new JsonArray([
                .. ((string Name, double X, double Z)[])[("A", 0, -3), ("B", 1, -3), ("D", 0, -5)] is var points
                    ? points.Select(p => (JsonNode)new JsonObject { ["name"] = p.Name, ["position"] = new JsonArray(p.X, 0, p.Z) })
                    : [],
            ]);
            d["mattes"] = new JsonArray(
                new JsonObject
                {
                    ["id"] = "m",
                    ["name"] = "m",
                    ["kind"] = "Drawn",
                    ["feather"] = 2,
                    ["keys"] = new JsonArray(new JsonObject { ["frame"] = 1002, ["corners"] = new JsonArray(10, 20, 100, 20, 60, 80) }),
                }
            );
        });
        Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
        return (id, at);
    }

    private async Task<JsonNode> Given(string path, (string Name, byte[] Bytes) file, params (string Key, string Value)[] fields)
    {
        MultipartFormDataContent form = ShotClient.Form(file);
        foreach (var (key, value) in fields)
        {
            form.Add(new StringContent(value), key);
        }
        HttpResponseMessage answer = await _client.PostAsync(path, form);
        Assert.True(answer.IsSuccessStatusCode, await answer.Content.ReadAsStringAsync());
        return (await answer.Content.ReadFromJsonAsync<JsonNode>())!;
    }

    private async Task<(double[] Point, double Distance)> Seen(string at, int frame)
    {
        JsonNode there = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/{frame}/pixel?x=90.5&y=70.5"))!;
        return ([.. there["point"]!.AsArray().Select(v => v!.GetValue<double>())], there["distance"]!.GetValue<double>());
    }

    private async Task<string> Part(long id, string at, int since)
    {
        int revision = (await _client.State(at))["revision"]!.GetValue<int>();
        return await _client.GetStringAsync($"/shots/{id}/parts/Moved?revision={revision}&frame=1001&since={since}");
    }

    [Fact]
    public async Task A_camera_in_another_gauge_leaves_everything_where_it_was()
    {
        var (id, at) = await Shot("CH_0010");
        int before = (await _client.State(at))["revision"]!.GetValue<int>();
        var (point, distance) = await Seen(at, 1003);
        Similarity gauge = new(12.5, Rotations.FromEulerYxzDegrees(80, 20, -33), new(4, 5, -60));
        JsonNode kept = await Given($"{at}/camera", ("again.csv", Camera(gauge)), ("place", "kept"));
        Assert.Contains("laid over the place as it stood", kept["notes"]!.ToJsonString());
        var (again, far) = await Seen(at, 1003);
        // In the picture: a tenth of a pixel is so many metres there.
        double tenth = 0.1 * distance / 160;
        Assert.All(Enumerable.Range(0, 3), k => Assert.Equal(point[k], again[k], tenth));
        Assert.Contains("Nothing is seen elsewhere", await Part(id, at, before));
        // As it is in its file it is elsewhere, which is told.
        await Given($"{at}/camera", ("again.csv", Camera(gauge)));
        Assert.Contains("Seen elsewhere", await Part(id, at, before));
        // Another shot's camera is not laid over it.
        byte[] turning = Encoding.UTF8.GetBytes(
            "frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n"
                + string.Concat(
                    Enumerable
                        .Range(0, Count)
                        .Select(k =>
                            FormattableString.Invariant($"{1001 + k},0,0,{0.5 * k},0,{Math.Sin(0.2 * k):R},0,{Math.Cos(0.2 * k):R},20\n")
                        )
                )
        );
        await Given($"{at}/camera", ("c.csv", Camera(Similarity.Identity)));
        JsonNode other = await Given($"{at}/camera", ("other.csv", turning), ("place", "kept"));
        Assert.Contains("does not see the place as the old camera did", other["notes"]!.ToJsonString());
    }

    /// <summary>The world is laid by the survey: A and B are two metres apart in it, one in the camera’s own.</summary>
    private async Task Oriented(string at, string origin)
    {
        HttpResponseMessage saved = await _client.Save(at, d =>
        {
            d["surveyPoints"]!.AsArray().Add(new JsonObject { ["name"] = "O", ["position"] = new JsonArray(0, 0, 0) });
            d["orientation"] = new JsonObject
            {
                ["floor"] = new JsonArray("A", "B", "D"),
                ["origin"] = origin,
                ["scale"] = new JsonObject
                {
                    ["from"] = "A",
                    ["to"] = "B",
                    ["metres"] = 2,
                },
            };
        });
        Assert.True(saved.IsSuccessStatusCode, await saved.Content.ReadAsStringAsync());
    }

    [Fact]
    public async Task A_corrected_scale_takes_what_is_built_along_by_a_press()
    {
        var (id, at) = await Shot("CH_0020");
        var (point, distance) = await Seen(at, 1002);
        await Oriented(at, "A");
        JsonNode state = await _client.State(at);
        int revision = state["revision"]!.GetValue<int>();
        string told = await _client.GetStringAsync($"/shots/{id}/parts/WorldMoved?revision={revision}&frame=1001");
        Assert.Contains("is 2 times as large", told);
        Assert.Contains("floor is seen up to", told);
        HttpResponseMessage moved = await _client.PostAsJsonAsync($"{at}/keep-place", new { baseRevision = revision });
        Assert.True(moved.IsSuccessStatusCode, await moved.Content.ReadAsStringAsync());
        var (now, far) = await Seen(at, 1002);
        Assert.Equal(2 * distance, far, 1e-4);
        // A is the origin, everything twice as far from it.
        Assert.Equal(2 * point[0], now[0], 1e-3);
        Assert.Equal(2 * (point[2] + 3), now[2], 1e-3);
        Assert.Equal(2, (await _client.State(at))["document"]!["pieces"]![0]!["scale"]!.GetValue<double>(), 1e-9);
        Assert.DoesNotContain("(piece)", await Part(id, at, revision - 1));
        // Once: there is nothing more to move.
        HttpResponseMessage twice = await _client.PostAsJsonAsync($"{at}/keep-place", new { baseRevision = revision + 1 });
        Assert.Equal(HttpStatusCode.UnprocessableEntity, twice.StatusCode);
    }

    [Fact]
    public async Task What_is_built_about_the_origin_is_seen_elsewhere_by_its_corners()
    {
        var (id, at) = await Shot("CH_0025");
        await Oriented(at, "O");
        JsonNode state = await _client.State(at);
        Assert.Equal([0.0, 0, 0], state["document"]!["pieces"]![0]!["position"]!.AsArray().Select(v => v!.GetValue<double>()));
        string told = await _client.GetStringAsync(
            $"/shots/{id}/parts/WorldMoved?revision={state["revision"]!.GetValue<int>()}&frame=1001"
        );
        Assert.Contains("floor is seen up to", told);
    }

    [Fact]
    public async Task A_newer_plate_takes_the_old_ones_place_and_keys_go_to_its_size()
    {
        var (id, at) = await Shot("CH_0030");
        int before = (await _client.State(at))["revision"]!.GetValue<int>();
        // Half as large, a frame more at either end, by the same numbers.
        MultipartFormDataContent form = ShotClient.Form([
            .. Enumerable.Range(1000, Count + 2).Select(f => ($"new.{f}.png", Frame(80, 45, f))),
        ]);
        form.Add(new StringContent("true"), "keeps");
        form.Add(new StringContent("1001"), "first");
        HttpResponseMessage answer = await _client.BringPlate(at, form);
        string text = await answer.Content.ReadAsStringAsync();
        Assert.True(answer.IsSuccessStatusCode, text);
        Assert.Contains("0.5 times as wide", text);
        JsonNode d = (await _client.State(at))["document"]!;
        Assert.Equal((1000, 1005), (d["range"]!["first"]!.GetValue<int>(), d["range"]!["last"]!.GetValue<int>()));
        Assert.Equal([5.0, 10, 50, 10, 30, 40], d["mattes"]![0]!["keys"]![0]!["corners"]!.AsArray().Select(v => v!.GetValue<double>()));
        Assert.Equal(1002, d["mattes"]![0]!["keys"]![0]!["frame"]!.GetValue<int>());
        Assert.Contains("Nothing is seen elsewhere", await Part(id, at, before));
        // Another shape is refused, and nothing is changed.
        MultipartFormDataContent square = ShotClient.Form([.. Enumerable.Range(1001, 2).Select(f => ($"s.{f}.png", Frame(64, 64, f)))]);
        square.Add(new StringContent("true"), "keeps");
        HttpResponseMessage refused = await _client.BringPlate(at, square);
        Assert.Contains("another shape", await refused.Content.ReadAsStringAsync());
        Assert.Equal(80, (await _client.State(at))["document"]!["plate"]!["width"]!.GetValue<int>());
        // Back with one press.
        int now = (await _client.State(at))["revision"]!.GetValue<int>();
        await _client.PostAsJsonAsync($"{at}/undo", new { baseRevision = now });
        Assert.Equal(160, (await _client.State(at))["document"]!["plate"]!["width"]!.GetValue<int>());
    }
}
