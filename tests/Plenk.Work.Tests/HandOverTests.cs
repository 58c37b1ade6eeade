using System.Diagnostics;
using System.Numerics;
using System.Text.Json;
using Microsoft.Extensions.Logging.Abstractions;
using Npgsql;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Store;
using Plenk.Work.Queue;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Hand-overs: versions, resuming, what is checked; workers that are killed; the commands as a shell runs them.</summary>
public sealed class HandOverTests(DemoShot demo) : CommandSite, IClassFixture<DemoShot>
{
    private static readonly HandOverChoice Small = new(["exr", "png16"], Width: 160, Readings: false);

    private ShotDocument Closed =>
        demo.Document with
        {
            Finish = new()
            {
                Steps =
                [
                    new() { Id = "grain_1", Kind = FinishKind.Grain },
                    new()
                    {
                        Id = "grade_1",
                        Kind = FinishKind.Grade,
                        Grade = new() { Stops = 0.5 },
                        Objects = ["bell"],
                    },
                ],
            },
        };

    [Fact]
    public void Versions_are_counted_frames_stand_and_every_file_is_checked()
    {
        var work = new HandOverWork(demo.Engine);
        string folder = Path.Combine(Folder, "out");
        HandOverWork.Start one = HandOverWork.Begin(Closed, Small, folder);
        Assert.Equal((1, false), (one.Version, one.TakenUp));
        IReadOnlyList<HandedFile> first = work.Frame(Closed, Small, 1, 1036, folder);
        DateTime written = File.GetLastWriteTimeUtc(Path.Combine(folder, first[0].Name));
        // Begun again with the same: it goes on, and what is done is not done again.
        HandOverWork.Start again = HandOverWork.Begin(Closed, Small, folder);
        Assert.Equal((1, true), (again.Version, again.TakenUp));
        Assert.Equal(first, work.Frame(Closed, Small, 1, 1036, folder));
        Assert.Equal(written, File.GetLastWriteTimeUtc(Path.Combine(folder, first[0].Name)));
        string sheet = work.Close(Closed, null, Small, 1, [1036], folder);
        HandOverWork.Verified good = Assert.Single(HandOverWork.Verify(folder));
        Assert.Empty(good.Faults);
        Assert.False(Directory.Exists(Path.Combine(folder, ".frames")));

        // The layers go together again to what the sheet says.
        ExrPicture layers = ExrFile.Read(Path.Combine(folder, first[0].Name));
        float[] Of(string name) => layers.Channels.Single(c => c.Name == name).Values;
        float[] plate = [.. Enumerable.Range(0, 160 * 90).Select(i => demo.Engine.Plates.Plate(Closed, 1036, 160).Data[3 * i + 1])];
        int off = 0;
        for (int i = 0; i < plate.Length; i++)
        {
            float a = Of("element.A")[i] - Of("holdout.A")[i],
                held = Of("element.A")[i] > 0 ? Of("element.G")[i] * a / Of("element.A")[i] : 0;
            // Grain lies on the element in the comp alone.
            if (
                a < 0.001f
                && Math.Abs(held + plate[i] * Of("shadow.G")[i] * (1 - a) + Of("added.G")[i] - Of("comp.G")[i]) > 0.002f * (1 + plate[i])
            )
            {
                off++;
            }
        }
        Assert.Equal(0, off);
        Assert.Contains("id_object00.R", layers.Channels.Select(c => c.Name));
        IdMatteFile.Layer ids = IdMatteFile.Read(layers).Single(l => l.Name == "id_object");
        Assert.Empty(ids.Notes);
        Assert.True(ids.Coverage["Diving bell"].Sum() > 50);

        // Changed, cut off, gone: each is named. Another version leaves the first alone.
        Assert.Equal(2, HandOverWork.Begin(Closed with { Seed = 9 }, Small, folder).Version);
        Assert.Contains(HandOverWork.Verify(folder), v =>
            v.Faults.Any(f => f.Contains("begun and not finished", StringComparison.Ordinal))
        );
        byte[] bytes = File.ReadAllBytes(Path.Combine(folder, first[1].Name));
        bytes[^20] ^= 1;
        File.WriteAllBytes(Path.Combine(folder, first[1].Name), bytes);
        Assert.Contains("other contents", HandOverWork.Verify(folder).Single(v => v.Sheet == sheet).Faults.Single());
        File.WriteAllBytes(Path.Combine(folder, first[1].Name), bytes[..100]);
        Assert.Contains("cut off", HandOverWork.Verify(folder).Single(v => v.Sheet == sheet).Faults.Single());
    }

    [Fact]
    public void The_grade_of_everything_goes_beside_and_in_what_is_for_review()
    {
        var work = new HandOverWork(demo.Engine);
        ShotDocument graded = Closed with
        {
            Finish = Closed.Finish with
            {
                Steps =
                [
                    .. Closed.Finish.Steps,
                    new()
                    {
                        Id = "whole_1",
                        Kind = FinishKind.Whole,
                        Grade = new() { Cdl = new("warm", new(1.1, 1, 0.9), new(0.01, 0, 0), new(1, 1, 1), 0.9) },
                        Saturation = new(),
                    },
                ],
            },
        };
        HandOverChoice all = Small with { Formats = ["png16", "stills"] };
        (string Folder, CodeImage Comp, CodeImage Review) Made(ShotDocument shot, string name)
        {
            string folder = Path.Combine(Folder, name);
            HandOverWork.Begin(shot, all, folder);
            IReadOnlyList<HandedFile> files = work.Frame(shot, all, 1, 1036, folder);
            work.Close(shot, null, all, 1, [1036], folder);
            Assert.Empty(Assert.Single(HandOverWork.Verify(folder)).Faults);
            CodeImage Read(string part) =>
                RasterFile.Read(
                    File.ReadAllBytes(Path.Combine(folder, files.Single(f => f.Name.Contains(part, StringComparison.Ordinal)).Name)),
                    part
                );
            return (folder, Read("comp"), Read("review"));
        }
        var plain = Made(Closed, "plain");
        var with = Made(graded, "graded");
        Assert.Equal(plain.Comp.Codes, with.Comp.Codes);
        Assert.NotEqual(plain.Review.Codes, with.Review.Codes);
        Assert.Empty(Directory.GetFiles(plain.Folder, "*.grade.*"));
        string cube = Directory.GetFiles(with.Folder, "*.grade.cube").Single(),
            cc = Directory.GetFiles(with.Folder, "*.grade.cc").Single();
        Assert.Equal(1.1f, Plenk.Formats.Looks.CdlFile.Read(File.ReadAllBytes(cc), cc).Slope.X);
        // The comp through the LUT is what was reviewed, but for what lies between its places.
        Lut lut = Plenk.Formats.Looks.CubeFile.Read(File.ReadAllBytes(cube), cube);
        var through = new ushort[with.Comp.Codes.Length];
        for (int i = 0; i < through.Length; i += 3)
        {
            Vector3 code = lut.Apply(new Vector3(with.Comp.Codes[i], with.Comp.Codes[i + 1], with.Comp.Codes[i + 2]) / 65535);
            for (int c = 0; c < 3; c++)
            {
                through[i + c] = (ushort)Math.Round(65535 * Math.Clamp(code[c], 0, 1));
            }
        }
        CodeImage shown = new CodeImage(with.Comp.Width, with.Comp.Height, 3, 16, through).Through(
            demo.Engine.Plates.View(graded, SeenThrough.Display)
        );
        double worst = Enumerable
            .Range(0, through.Length)
            // What is brighter than the codes end ends there for the LUT.
            .Where(i => Enumerable.Range(i / 3 * 3, 3).All(k => with.Comp.Codes[k] < 65535))
            .Max(i => Math.Abs(shown.Codes[i] / (double)((1 << shown.Bits) - 1) - with.Review.Codes[i] / 255.0));
        Assert.InRange(worst, 0, 0.02);
        // Kept to a part no file can say it, which the sheet does.
        ShotDocument half = graded with
        {
            Finish = new() { Steps = [.. graded.Finish.Steps.Select(s => s.Kind == FinishKind.Whole ? s with { Strength = 0.5 } : s)] },
        };
        Assert.Empty(WholeGrade.Files(half, "x"));
        Assert.Contains("kept to a part", WholeGrade.Says(half));
        Assert.Null(WholeGrade.Says(Closed));
    }

    [Fact]
    public void What_cannot_be_handed_over_says_why()
    {
        var work = new HandOverWork(demo.Engine);
        Assert.Contains("{version}", (Small with { Names = "{shot}_{layer}.{frame}" }).Fault());
        Assert.Contains("{what}", (Small with { Names = "{what}_{layer}_{version}.{frame}" }).Fault());
        Assert.Contains("tga", (Small with { Formats = ["tga"] }).Fault());
        HandOverChoice strange = Small with { Formats = ["exr"], Layers = ["comp", "smoke"] };
        string folder = Path.Combine(Folder, "strange");
        HandOverWork.Begin(Closed, strange, folder);
        Assert.Contains("“smoke”", Assert.Throws<ShotFault>(() => work.Frame(Closed, strange, 1, 1036, folder)).Message);
        Assert.Empty(Directory.GetFiles(folder, "*.exr"));
        // Somebody's own file of that name is not overwritten.
        string mine = Path.Combine(Folder, "mine");
        Directory.CreateDirectory(mine);
        File.WriteAllText(Path.Combine(mine, HandOverWork.NameOf(Closed, Small, 1, "layers", 1036, "exr")), "mine");
        File.SetLastWriteTimeUtc(
            Path.Combine(mine, HandOverWork.NameOf(Closed, Small, 1, "layers", 1036, "exr")),
            DateTime.UtcNow.AddHours(-1)
        );
        HandOverWork.Begin(Closed, Small, mine);
        Assert.Contains("in the folder already", Assert.Throws<ShotFault>(() => work.Frame(Closed, Small, 1, 1036, mine)).Message);
        Assert.Equal("mine", File.ReadAllText(Directory.GetFiles(mine, "*.exr")[0]));
    }

    [Fact]
    public void The_commands_hand_over_verify_and_say_what_is_wrong()
    {
        string shot = Path.Combine(Folder, "shot"),
            folder = Path.Combine(Folder, "by-command");
        ShotFolder.Write(shot, Closed, demo.Media);
        var (exit, output, error) = Run(
            $"hand-over {shot} --frames 1036-1037 --out {folder} --format exr,dpx,mp4 --width 160 --no-readings --parts"
        );
        Assert.True(exit == 0, error);
        Assert.Equal(2, JsonDocument.Parse(output).RootElement.GetProperty("frames").GetInt32());
        Assert.Equal(0, Run($"verify-files {folder}").Exit);
        Assert.Equal(2, Directory.GetFiles(folder, "*.dpx").Length);
        File.Delete(Directory.GetFiles(folder, "*.mp4")[0]);
        (exit, output, error) = Run($"verify-files {folder}");
        Assert.Equal(3, exit);
        Assert.Contains("is missing", error);
        Assert.Equal(3, Run($"verify-files {Folder}").Exit);
        Assert.Equal(2, Run($"hand-over {shot} --frames 1036 --out {folder} --format tga").Exit);
        Assert.Equal(2, Run($"hand-over {shot} --frames x --out {folder}").Exit);
        (exit, _, error) = Run($"hand-over {shot} --frames 2000 --out {folder}/b --no-readings");
        Assert.Equal(3, exit);
        Assert.Contains("Frame 2000", error);
    }

    // A worker that is killed in the middle of a frame loses it to another; the pixels do not tell who computed them.
    [Fact]
    public async Task A_killed_workers_frame_is_taken_again_and_pixels_are_equal()
    {
        await using var database = new Database(Connection);
        var media = new MediaStore(Path.Combine(Folder, "media"));
        foreach (string hash in ShotFolder.MediaOf(Closed))
        {
            media.Write(demo.Media.Read(hash));
        }
        var (shots, jobs, frames) = (new ShotStore(database), new JobStore(database), new FrameStore(database, new JobStore(database)));
        long id = (await shots.Create(Closed, "tester", "New")).Id;
        async Task<long> Job(int version)
        {
            var p = new HandOverParameters(
                1,
                [1036, 1037, 1038, 1039],
                Small with
                {
                    Formats = ["png16"],
                    Width = 320,
                    Scene = false,
                },
                version
            );
            var (job, _) = await jobs.Add(
                new(
                    id,
                    FrameWorker.Kind,
                    "hand over",
                    JsonSerializer.Serialize(p, ShotJson.Options),
                    $"k{version}",
                    4,
                    "tester",
                    Lane.Frames,
                    p.Frames
                )
            );
            return job.Id;
        }
        long killed = await Job(1);
        using (Process worker = Start("worker --name first"))
        {
            for (int i = 0; i < 2400 && (await frames.Of(killed)).All(f => f.State != "running"); i++)
            {
                await Task.Delay(50);
            }
            Assert.Contains(await frames.Of(killed), f => f is { State: "running", Worker: "first" });
            worker.Kill();
            await worker.WaitForExitAsync();
        }
        using (
            Process second = Start("worker --name second --idle-exit 20"),
                third = Start("worker --name third --idle-exit 20")
        )
        {
            // A machine that does much else takes minutes; it is no measure of speed.
            for (int i = 0; i < 9000 && (await jobs.Find(killed))!.State is "waiting" or "running"; i++)
            {
                await Task.Delay(100);
            }
            second.Kill();
            third.Kill();
        }
        JobRow done = (await jobs.Find(killed))!;
        Assert.True(done.State == "done", done.Message);
        IReadOnlyList<FrameRow> all = await frames.Of(killed);
        Assert.All(all, f => Assert.Equal("done", f.State));
        Assert.Contains(all, f => f.Attempts == 2);
        Assert.DoesNotContain(all, f => f.Worker == "first");
        // As this process makes them.
        foreach (int f in (int[])[1036, 1039])
        {
            FrameLayers own = demo.Engine.Finish.Frame(Closed, f, 320, RenderQuality.Full, dataPasses: false);
            CodeImage theirs = RasterFile.Read(
                File.ReadAllBytes(Directory.GetFiles(Path.Combine(Folder, "renders", $"{killed}"), $"*{f}.png")[0]),
                "frame"
            );
            Assert.Equal(demo.Engine.Renderer.Comp(Closed, f, own, 16).Codes, theirs.Codes);
        }
    }

    [Fact]
    public async Task A_failed_frame_is_named_and_tried_again_by_itself()
    {
        await using var database = new Database(Connection);
        var (shots, jobs, frames) = (new ShotStore(database), new JobStore(database), new FrameStore(database, new JobStore(database)));
        long id = (await shots.Create(Closed, "tester", "New")).Id;
        var (job, _) = await jobs.Add(new(id, FrameWorker.Kind, "hand over", "{}", "k", 2, "tester", Lane.Frames, [1, 2]));
        LeasedFrame one = (await frames.Take("a"))!,
            two = (await frames.Take("b"))!;
        Assert.Equal((1, 2), (one.Frame, two.Frame));
        Assert.Null(await frames.Take("c"));
        Assert.True(await frames.Hold(one, "a"));
        Assert.False(await frames.Hold(one, "c"));
        await frames.End(one, "a", "failed", null, "no room");
        await frames.End(two, "late", "done", 1, "");
        Assert.Equal(["failed", "running", "waiting"], (await frames.Of(job.Id)).Select(f => f.State));
        await frames.End(two, "b", "done", 1, "");
        // The job ends with its last frame, nobody has to notice.
        Assert.Equal(("failed", "frame 1: no room"), (await jobs.Find(job.Id)) is { } failed ? (failed.State, failed.Message) : default);
        await frames.Again(job.Id, 1);
        Assert.Equal("waiting", (await jobs.Find(job.Id))!.State);
        Assert.Equal(1, (await frames.Take("c"))!.Frame);
        await jobs.AskToStop(job.Id);
        Assert.Null(await frames.Take("d"));
    }

    // A job ends whoever was lost over it: three workers gone over one frame fail it by name, and one that is to stop stops though its worker is gone.
    [Fact]
    public async Task A_job_whose_workers_are_all_lost_comes_to_its_end()
    {
        await using var database = new Database(Connection);
        var (shots, jobs, frames) = (new ShotStore(database), new JobStore(database), new FrameStore(database, new JobStore(database)));
        long id = (await shots.Create(Closed, "tester", "New")).Id;
        async Task<long> Job(string key)
        {
            var (job, _) = await jobs.Add(
                new(
                    id,
                    FrameWorker.Kind,
                    "hand over",
                    JsonSerializer.Serialize(new HandOverParameters(1, [1036], Small, 1), ShotJson.Options),
                    key,
                    1,
                    "tester",
                    Lane.Frames,
                    [1036]
                )
            );
            return job.Id;
        }
        async Task Run(string sql, long job)
        {
            await using NpgsqlCommand c = database.Source.CreateCommand(sql);
            c.Parameters.AddWithValue(job);
            await c.ExecuteNonQueryAsync();
        }
        long lost = await Job("lost");
        Assert.Equal(lost, (await frames.Take("gone"))!.Job);
        await Run("update job_frame set lease_until = now() - interval '1 s', attempts = 3 where job_id = $1", lost);
        long stopping = await Job("stopping");
        Assert.Equal(stopping, (await frames.Take("gone"))!.Job);
        await jobs.AskToStop(stopping);
        await Run("update job_frame set lease_until = now() - interval '1 s' where job_id = $1", stopping);
        await new FrameWorker(frames, jobs, shots, new ResultStore(database), demo.Engine, NullLogger<FrameWorker>.Instance).Work(
            CancellationToken.None,
            TimeSpan.FromSeconds(1)
        );
        JobRow failed = (await jobs.Find(lost))!,
            stopped = (await jobs.Find(stopping))!;
        Assert.Equal("failed", failed.State);
        Assert.Contains("frame 1036: the worker was lost over this frame, 3 times", failed.Message);
        Assert.Equal("stopped", stopped.State);
    }

    // A chart made for it: the patch of black, grain by level, a slanted edge. Bars: 0.0005, 5 %, 5 %.
    [Fact]
    public void A_made_chart_is_measured_by_command()
    {
        const int w = 320,
            h = 240;
        string folder = Path.Combine(Folder, "chart");
        Directory.CreateDirectory(folder);
        for (int frame = 1; frame <= 2; frame++)
        {
            var random = new Random(frame);
            double Normal()
            {
                double s = -6;
                for (int i = 0; i < 12; i++)
                {
                    s += random.NextDouble();
                }
                return s;
            }
            var planes = new float[3][];
            for (int c = 0; c < 3; c++)
            {
                planes[c] = new float[w * h];
                for (int i = 0; i < w * h; i++)
                {
                    int x = i % w,
                        y = i / w;
                    // Three patches; the edge between the two upper ones leans by 1 in 8 and is a ramp 4 px wide: 3.2 px from 10 % to 90 %.
                    double step = Math.Clamp((x + 0.5 - 160 - (y - 60) / 8.0) / Math.Sqrt(1 + 1 / 64.0) / 4 + 0.5, 0, 1),
                        level = y < 120 ? 0.0123 + 0.3 * step : 0.6;
                    planes[c][i] = (float)(level + Math.Sqrt(6e-5 * level + 4e-6) * Normal());
                }
            }
            ExrFile.Write(
                Path.Combine(folder, $"chart.{frame:0000}.exr"),
                w,
                h,
                [new("R", planes[0]), new("G", planes[1]), new("B", planes[2])]
            );
        }
        var (exit, output, error) = Run($"measure-plate --plate {folder} --at 1 --region 0,0,320,240");
        Assert.True(exit == 0, error);
        JsonElement m = JsonDocument.Parse(output).RootElement;
        for (int c = 0; c < 3; c++)
        {
            Assert.Equal(0.0123, m.GetProperty("black")[c].GetDouble(), 0.0005);
        }
        // The patches below begin with a hard edge: the ramp is read by itself.
        Assert.Equal(
            1,
            JsonDocument
                .Parse(Run($"measure-plate --plate {folder} --at 1 --region 0,0,320,112").Out)
                .RootElement.GetProperty("edge_px")
                .GetDouble() / 3.2,
            0.05
        );
        foreach (JsonElement g in m.GetProperty("grain").EnumerateArray())
        {
            double level = g.GetProperty("level").GetDouble();
            for (int c = 0; c < 3; c++)
            {
                Assert.Equal(1, g.GetProperty("sd")[c].GetDouble() / Math.Sqrt(6e-5 * level + 4e-6), 0.05);
            }
        }
        Assert.Equal(3, m.GetProperty("grain").GetArrayLength());
        Assert.Equal(3, Run($"measure-plate --plate {folder} --at 1 --region 0,0,900,10").Exit);
        Assert.Equal(2, Run($"measure-plate --plate {folder} --at 1 --region 0,0").Exit);
        Assert.Equal(3, Run($"measure-plate --plate {folder} --at 77").Exit);
        (exit, output, error) = Run($"measure-plate --plate {folder} --at 1 --region 20,130,100,90");
        Assert.Equal(0, exit);
        Assert.Equal(JsonValueKind.Null, JsonDocument.Parse(output).RootElement.GetProperty("edge_px").ValueKind);
        Assert.Contains("No straight edge", error);
    }
}
