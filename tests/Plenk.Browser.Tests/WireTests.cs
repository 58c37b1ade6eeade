using System.Net;
using System.Net.Http.Json;
using System.Net.Sockets;
using System.Text;
using System.Text.Json;
using Npgsql;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>What goes wrong between the page and the server: a line that breaks, a database that goes away.</summary>
[Collection("site")]
public sealed class WireTests(Site site)
{
    private async Task<long> NewShot()
    {
        HttpResponseMessage made = await site.Http.PostAsJsonAsync(
            "/api/shots",
            new
            {
                production = "Wire",
                sequence = "W",
                code = $"W_{Guid.NewGuid():N}"[..20],
            }
        );
        return (await made.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("id").GetInt64();
    }

    [Fact]
    public async Task An_upload_that_is_cut_off_leaves_nothing()
    {
        long id = await NewShot();
        byte[] jpeg = File.ReadAllBytes(Directory.GetFiles(Path.Combine(Site.Demo, "plate"))[0]);
        string head =
            "--edge\r\nContent-Disposition: form-data; name=\"files\"; filename=\"p.1001.jpg\"\r\nContent-Type: image/jpeg\r\n\r\n";
        using (var line = new TcpClient())
        {
            await line.ConnectAsync(site.Http.BaseAddress!.Host, site.Http.BaseAddress.Port);
            await using NetworkStream stream = line.GetStream();
            await stream.WriteAsync(
                Encoding.ASCII.GetBytes(
                    $"POST /api/shots/{id}/plate HTTP/1.1\r\nHost: x\r\nContent-Type: multipart/form-data; boundary=edge\r\nContent-Length: {jpeg.Length + 4000}\r\n\r\n{head}"
                )
            );
            await stream.WriteAsync(jpeg.AsMemory(0, jpeg.Length / 2));
            await Task.Delay(300);
        }
        await Task.Delay(500);
        JsonElement state = await site.Json($"/api/shots/{id}");
        Assert.Equal(1, state.GetProperty("revision").GetInt32());
        Assert.Equal(JsonValueKind.Null, state.GetProperty("document").GetProperty("plate").ValueKind);

        // A body that ends before its boundary, the line still up: told, and nothing kept.
        using var cut = new ByteArrayContent([.. Encoding.ASCII.GetBytes(head), .. jpeg[..5000]]);
        cut.Headers.TryAddWithoutValidation("Content-Type", "multipart/form-data; boundary=edge");
        HttpResponseMessage answer = await site.Http.PostAsync($"/api/shots/{id}/plate", cut);
        Assert.Equal(HttpStatusCode.BadRequest, answer.StatusCode);
        Assert.Contains("cut off", (await answer.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString());
        Assert.Equal(1, (await site.Json($"/api/shots/{id}")).GetProperty("revision").GetInt32());
    }

    [Fact]
    public async Task The_database_goes_and_comes_back()
    {
        long id = await NewShot();
        JsonElement before = await site.Json($"/api/shots/{id}");
        await using NpgsqlDataSource admin = NpgsqlDataSource.Create($"{Site.Server};Database=postgres");
        async Task Do(string sql)
        {
            await using NpgsqlCommand c = admin.CreateCommand(sql);
            await c.ExecuteNonQueryAsync();
        }
        await Do($"alter database {site.Database} allow_connections false");
        try
        {
            await Do($"select pg_terminate_backend(pid) from pg_stat_activity where datname = '{site.Database}'");
            HttpResponseMessage gone = await site.Http.GetAsync($"/api/shots/{id}");
            Assert.Equal(HttpStatusCode.ServiceUnavailable, gone.StatusCode);
            Assert.Contains(
                "database does not answer",
                (await gone.Content.ReadFromJsonAsync<JsonElement>()).GetProperty("title").GetString()
            );
            Assert.Equal(HttpStatusCode.ServiceUnavailable, (await site.Http.GetAsync("/health")).StatusCode);
            HttpResponseMessage page = await site.Http.GetAsync("/");
            string html = await page.Content.ReadAsStringAsync();
            Assert.Contains("database does not answer", html);
            Assert.DoesNotContain("   at ", html);
        }
        finally
        {
            await Do($"alter database {site.Database} allow_connections true");
        }
        for (int i = 0; i < 50 && (await site.Http.GetAsync("/health")).StatusCode != HttpStatusCode.OK; i++)
        {
            await Task.Delay(200);
        }
        Assert.Equal(before.GetRawText(), (await site.Json($"/api/shots/{id}")).GetRawText());
    }

    // Files named by a path, or a folder outside the permitted ones, reach nothing.
    [Theory]
    [InlineData("/etc")]
    [InlineData("/")]
    [InlineData("../..")]
    public async Task Only_permitted_folders_are_read(string folder)
    {
        long id = await NewShot();
        HttpResponseMessage answer = await site.Http.PostAsync(
            $"/api/shots/{id}/plate-from-folder",
            new MultipartFormDataContent { { new StringContent(folder), "folder" } }
        );
        Assert.Equal(HttpStatusCode.UnprocessableEntity, answer.StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await site.Http.GetAsync("/renders/1/..%2f..%2fmedia")).StatusCode);
        Assert.Equal(HttpStatusCode.NotFound, (await site.Http.GetAsync("/media/..%2f..%2fetc%2fpasswd")).StatusCode);
    }

    // The same frame on the page and by command: the page's picture is what the engine makes, byte for byte of its codes; a second asking is the same.
    [Fact]
    public async Task The_pages_picture_is_the_engines()
    {
        long id = await site.DemoShot();
        byte[] one = await site.Http.GetByteArrayAsync($"/api/shots/{id}/frames/1040/picture?kind=comp&width=320&quality=full");
        string store = Directory.CreateTempSubdirectory("plenk-wire-").FullName;
        try
        {
            var media = new Store.MediaStore(store);
            Core.Shots.ShotDocument shot = Core.Shots.ShotJson.Read(
                (await site.Json($"/api/shots/{id}")).GetProperty("document").GetRawText()
            );
            Core.Shots.ShotDocument own = Work.DemoSeed.Build(Site.Demo, bytes => media.Write(bytes));
            var engine = new Work.ShotEngine(media);
            var layers = engine.Finish.Frame(shot with { Seed = own.Seed }, 1040, 320, Core.Lighting.RenderQuality.Full);
            Assert.Equal(engine.Renderer.Comp(shot, 1040, layers).Codes, Formats.Raster.RasterFile.Read(one, "page").Codes);
        }
        finally
        {
            Directory.Delete(store, recursive: true);
        }
    }
}
