using System.Net;
using System.Net.Http.Json;
using System.Text;
using System.Text.Json;
using System.Text.Json.Nodes;
using Plenk.Formats.Raster;
using Xunit;
using static Plenk.Web.Tests.ShotClient;

namespace Plenk.Web.Tests;

/// <summary>Looks, things that move, pieces and sources over HTTP: what is refused says why and changes nothing.</summary>
[Collection("application")]
public sealed class SetApiTests(Application application)
{
    private readonly HttpClient _client = application.CreateClient();

    private static MultipartFormDataContent File(string name, string text) => Form((name, Encoding.UTF8.GetBytes(text)));

    /// <summary>A shot of three striped frames, with a camera that walks along at 1.6 m and looks down −Z.</summary>
    private async Task<(long Id, string At)> Shot(string code, bool camera = true)
    {
        var (id, at) = await _client.NewShot("S", code, 3, f =>
            RasterFile.ToPng(
                new CodeImage(
                    160,
                    90,
                    3,
                    8,
                    [.. Enumerable.Range(0, 160 * 90 * 3).Select(i => (ushort)(60 + 120 * (i / 3 % 160 / (10 + f - 1001) % 2)))]
                )
            )
        );
        if (camera)
        {
            Assert.Equal(
                HttpStatusCode.OK,
                (
                    await _client.PostAsync(
                        $"{at}/camera",
                        File(
                            "c.csv",
                            "frame,tx,ty,tz,qx,qy,qz,qw,focal_mm\n1001,0,1.6,0,0,0,0,1,36\n1002,0.1,1.6,0,0,0,0,1,36\n1003,0.2,1.6,0,0,0,0,1,36\n"
                        )
                    )
                ).StatusCode
            );
        }
        return (id, at);
    }

    private async Task<JsonNode> Document(string at) => (await _client.GetFromJsonAsync<JsonNode>(at))!["document"]!;

    private async Task<int> Revision(string at) => (await _client.GetFromJsonAsync<JsonElement>(at)).GetProperty("revision").GetInt32();

    [Fact]
    public async Task A_look_comes_in_and_only_what_is_seen_changes()
    {
        var (_, at) = await Shot("S_0010", camera: false);
        Assert.Contains("neither a LUT", await Refused(_client.PostAsync($"{at}/look", File("a.txt", "x"))));
        Assert.Contains("asks for 8", await Refused(_client.PostAsync($"{at}/look", File("a.cube", "LUT_3D_SIZE 2\n0 0 0\n"))));
        byte[] before = await _client.GetByteArrayAsync($"{at}/frames/1001/picture?kind=plate&seen=look");
        Assert.Equal(
            HttpStatusCode.OK,
            (await _client.PostAsync($"{at}/look", File("dark.cube", "LUT_1D_SIZE 2\n0 0 0\n0.5 0.5 0.5\n"))).StatusCode
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.PostAsync(
                    $"{at}/look",
                    File("a.cc", "<ColorCorrection id=\"a\"><SOPNode><Offset>0.1 0.1 0.1</Offset></SOPNode></ColorCorrection>")
                )
            ).StatusCode
        );
        CodeImage seen = RasterFile.Read(await _client.GetByteArrayAsync($"{at}/frames/1001/picture?kind=plate&seen=look"), "seen"),
            plain = RasterFile.Read(before, "plain");
        // CDL first, then the LUT: (60/255 + 0.1) / 2.
        Assert.Equal((60 / 255.0 + 0.1) / 2 * 255, seen.Codes[0], 1.01);
        Assert.Equal(60, plain.Codes[0]);
        JsonNode pixel = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/pixel?x=0.5&y=0.5"))!;
        Assert.Equal(0.0452, pixel["linear"]![0]!.GetValue<double>(), 1e-3);
        JsonNode curve = (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/curve"))!;
        Assert.Equal(60 / 255.0, curve["black"]!.GetValue<double>(), 1e-3);
        // A cut beyond the plate and a proxy of another shape are refused in words.
        Assert.Contains(
            "must lie within",
            await Refused(_client.Save(at, d => d["cut"] = new JsonObject { ["first"] = 990, ["last"] = 1002 }))
        );
        Assert.Contains("another shape", await Refused(_client.Save(at, d =>
                {
                    d["plate"]!["fullWidth"] = 640;
                    d["plate"]!["fullHeight"] = 480;
                })));
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d =>
                {
                    d["plate"]!["fullWidth"] = 640;
                    d["plate"]!["fullHeight"] = 360;
                })).StatusCode);
    }

    [Fact]
    public async Task Things_say_what_they_need_and_pieces_hang_on_them()
    {
        var (_, at) = await Shot("S_0020");
        const string box = "o box\nv -0.5 0 0\nv 0.5 0 0\nv 0.5 1 0\nv -0.5 1 0\nf 1 2 3\nf 1 3 4\n";
        Assert.Equal(HttpStatusCode.OK, (await _client.PostAsync($"{at}/thing", File("cart.obj", box))).StatusCode);
        Assert.Contains("no place at frame 1001", await Refused(_client.GetAsync($"{at}/things/cart/spot?frame=1001&x=80&y=45")));
        Assert.Contains("no longer in the shot", await Refused(_client.GetAsync($"{at}/things/other/stand?frame=1001&x=80&y=45")));
        JsonNode stood = (await _client.GetFromJsonAsync<JsonNode>($"{at}/things/cart/stand?frame=1001&x=80&y=45"))!;
        // Without a floor it stands five metres before the camera, upright as the camera is.
        Assert.Equal(-5, stood["objectToWorld"]![11]!.GetValue<double>(), 0.02);
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["movingObjects"]![0]!["holds"] = new JsonArray(
                        new JsonObject
                        {
                            ["frame"] = 1001,
                            ["objectToWorld"] = stood["objectToWorld"]!.DeepClone(),
                            ["pins"] = new JsonArray(),
                        }
                    ))).StatusCode);
        Assert.Contains("is not there", await Refused(_client.GetAsync($"{at}/things/cart/spot?frame=1001&x=3&y=3")));
        JsonNode spot = (await _client.GetFromJsonAsync<JsonNode>($"{at}/things/cart/spot?frame=1001&x=84&y=40"))!;
        Assert.InRange(spot["place"]![0]!.GetValue<double>(), 0.05, 0.2);
        Assert.Contains(
            "no path yet",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/hang",
                    new
                    {
                        baseRevision = await Revision(at),
                        what = "pieces/x",
                        on = "movingObjects/cart",
                        frame = 1001,
                    }
                )
            )
        );
        // A path, and a plane hung on it: where it stood it stands, and a frame later it has gone along.
        double[] Pose(double x) => [1, 0, 0, x, 0, 1, 0, 0.5, 0, 0, 1, -5, 0, 0, 0, 1];
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d =>
                {
                    d["movingObjects"]![0]!["frames"] = new JsonArray([
                        .. Enumerable
                            .Range(0, 3)
                            .Select(i => new JsonObject
                            {
                                ["frame"] = 1001 + i,
                                ["objectToWorld"] = JsonSerializer.SerializeToNode(Pose(0.3 * i)),
                            }),
                    ]);
                    d["pieces"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "board",
                            ["name"] = "board",
                            ["kind"] = "Plane",
                            ["position"] = new JsonArray(0, 1.5, -5),
                            ["rotationYxzDegrees"] = new JsonArray(90, 0, 0),
                            ["size"] = new JsonArray(1, 0, 1),
                        }
                    );
                })).StatusCode);
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.PostAsJsonAsync(
                    $"{at}/hang",
                    new
                    {
                        baseRevision = await Revision(at),
                        what = "pieces/board",
                        on = "movingObjects/cart",
                        frame = 1001,
                    }
                )
            ).StatusCode
        );
        JsonNode board = (await Document(at))["pieces"]![0]!;
        Assert.Equal(("movingObjects/cart", 1.0), (board["hangsOn"]!["on"]!.GetValue<string>(), board["position"]![1]!.GetValue<double>()));
        async Task<double> Left(int frame) =>
            (await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/{frame}/overlay"))!["wire"]!
                .AsArray()
                .SelectMany(l => l!["p"]!.AsArray().Where((_, i) => i % 2 == 0).Select(v => v!.GetValue<double>()))
                .Min();
        // 0.3 m less the camera's own 0.1 at 5 m, f = 160 px: 6.4 px.
        Assert.Equal(6.4, await Left(1002) - await Left(1001), 0.25);
        Assert.Contains(
            "let it stand in the world",
            (await Refused(_client.Save(at, d => d["movingObjects"] = new JsonArray()))).ToLowerInvariant()
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (
                await _client.PostAsJsonAsync(
                    $"{at}/hang",
                    new
                    {
                        baseRevision = await Revision(at),
                        what = "pieces/board",
                        on = (string?)null,
                        frame = 1001,
                    }
                )
            ).StatusCode
        );
        Assert.Equal(1.5, (await Document(at))["pieces"]![0]!["position"]![1]!.GetValue<double>(), 1e-9);
    }

    [Fact]
    public async Task Pieces_are_measured_from_the_picture_and_hostile_ones_refused()
    {
        var (_, at) = await Shot("S_0030");
        // A foot on y = 0, 5 m ahead; 2 m above it is seen 12.8 px above the middle's row at f = 160.
        JsonNode above = (
            await (
                await _client.PostAsJsonAsync(
                    $"{at}/frames/1001/above",
                    new
                    {
                        foot = new[] { 0, 0, -5 },
                        x = 80,
                        y = 45 - 160 * 0.4 / 5,
                    }
                )
            ).Content.ReadFromJsonAsync<JsonNode>()
        )!;
        Assert.Equal(2, above["height"]!.GetValue<double>(), 1e-6);
        Assert.Contains(
            "beside the corner",
            await Refused(
                _client.PostAsJsonAsync(
                    $"{at}/frames/1001/above",
                    new
                    {
                        foot = new[] { 2, 0, -5 },
                        x = 80,
                        y = 30,
                    }
                )
            )
        );
        Assert.Contains("more than 1 cm", await Refused(_client.GetAsync($"{at}/frames/1001/card?metres=0")));
        Assert.Contains("no sample for frame 1009", await Refused(_client.GetAsync($"{at}/frames/1009/card?metres=5")));
        Assert.Contains("hardly any points", await Refused(_client.GetAsync($"{at}/frames/1001/surface?x=5&y=5")));
        Assert.Empty((await _client.GetFromJsonAsync<JsonNode>($"{at}/frames/1001/places"))!.AsArray());
        JsonObject Piece(string kind, params (string Key, JsonNode Value)[] more)
        {
            var p = new JsonObject
            {
                ["id"] = "p",
                ["name"] = "piece",
                ["kind"] = kind,
                ["position"] = new JsonArray(0, 0, -5),
                ["size"] = new JsonArray(2, 1, 2),
            };
            foreach (var (key, value) in more)
            {
                p[key] = value;
            }
            return p;
        }
        Assert.Contains(
            "crosses itself",
            await Refused(
                _client.Save(at, d => d["pieces"] = new JsonArray(Piece("Outline", ("corners", new JsonArray(0, 0, 2, 2, 2, 0, 0, 2)))))
            )
        );
        Assert.Contains("not 0", await Refused(_client.Save(at, d => d["pieces"] = new JsonArray(Piece("Stairs")))));
        Assert.Contains(
            "between 3 and 256",
            await Refused(_client.Save(at, d => d["pieces"] = new JsonArray(Piece("Cylinder", ("count", 2)))))
        );
        Assert.Equal(
            HttpStatusCode.OK,
            (await _client.Save(at, d => d["pieces"] = new JsonArray(Piece("Stairs", ("count", 4))))).StatusCode
        );
        // What covers it: one source sees a part, the plan says which frames would, the map of texels is a picture.
        Assert.Equal(HttpStatusCode.OK, (await _client.Save(at, d => d["projections"] = new JsonArray(
                        new JsonObject
                        {
                            ["id"] = "s",
                            ["name"] = "s",
                            ["frame"] = 1001,
                        }
                    ))).StatusCode);
        JsonNode sources = (await _client.GetFromJsonAsync<JsonNode>($"{at}/sources"))!;
        Assert.InRange(sources["now"]!.GetValue<double>(), 0.2, 0.8);
        Assert.InRange(sources["plan"]!.AsArray().Count, 1, 3);
        CodeImage texels = RasterFile.Read(await _client.GetByteArrayAsync($"{at}/frames/1003/picture?kind=texels"), "texels");
        Assert.Equal((160, 90), (texels.Width, texels.Height));
        Assert.True(
            Enumerable
                .Range(0, 160 * 90)
                .Select(i => (texels.Codes[3 * i], texels.Codes[3 * i + 1], texels.Codes[3 * i + 2]))
                .Distinct()
                .Count() > 3
        );
        JsonNode around = (await _client.GetFromJsonAsync<JsonNode>($"{at}/around?frame=1002"))!;
        Assert.Equal((1, 1), (around["pieces"]!.AsArray().Count, around["cameras"]!.AsArray().Count));
        // Four treads, four risers, eight sides and a back: 17 quads of four corners, three floats each.
        Assert.Equal(17 * 4 * 12, Convert.FromBase64String(around["pieces"]![0]!["positions"]!.GetValue<string>()).Length);
    }
}
