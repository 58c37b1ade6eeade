using Plenk.Core.Shots;
using Plenk.Work.Queue;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>Keys know what is read, and nothing else is given; who waits for a picture takes turns.</summary>
public sealed class KeyTests(DemoShot demo) : IClassFixture<DemoShot>
{
    private string[] Changed(ShotDocument shot) =>
        [.. ReadingKind.All.Where(k => k.Key(shot) != k.Key(demo.Document)).Select(k => k.Blank.Id)];

    [Fact]
    public void A_cut_is_part_of_what_the_finished_frame_is_measured_in()
    {
        string[] finish = ["finish.black", "finish.white", "finish.tint", "finish.edge", "finish.holdout", "finish.grain"];
        Assert.Equal(finish, Changed(demo.Document with { Cut = new(1001, 1010) }));
        // And they then are of another frame: the cut's middle.
        Assert.NotEqual(FinishWork.MeasuredAt(demo.Document), FinishWork.MeasuredAt(demo.Document with { Cut = new(1001, 1010) }));
        Assert.Empty(
            Changed(
                demo.Document with
                {
                    Title = "Another",
                    Notes = [],
                    Tolerances = new Dictionary<string, double> { ["contact.gap"] = 1 },
                    StandIns = [new("s", true, new(0, 0, 0), 1)],
                }
            )
        );
        // Where a survey point was clicked judges the camera alone; where it is moves everything that stands in the world.
        SurveyPoint clicked = demo.Document.SurveyPoints[0] with { Clicks = [new(1001, 3, 4)] };
        Assert.Equal(
            ["camera.reprojection", "camera.floor", "camera.lengths"],
            Changed(demo.Document with { SurveyPoints = [clicked, .. demo.Document.SurveyPoints.Skip(1)] })
        );
        Assert.Contains(
            "set.edges",
            Changed(
                demo.Document with
                {
                    SurveyPoints =
                    [
                        .. demo.Document.SurveyPoints.Select(p => p with { Position = p.Position + new Core.Geometry.Vec3(0, 0.1, 0) }),
                    ],
                }
            )
        );
    }

    // What is measured on the whole document and on the reduced one is the same: nothing else is read.
    [Theory]
    [InlineData("camera.floor")]
    [InlineData("set.shared")]
    [InlineData("contact.gap")]
    [InlineData("contact.shadow")]
    [InlineData("light.sun")]
    public void A_reading_is_taken_of_what_its_key_names(string id)
    {
        ReadingKind kind = ReadingKind.All.Single(k => k.Blank.Id == id);
        ShotDocument reduced = kind.Reads(demo.Document);
        Assert.NotEqual("", demo.Document.Title);
        Assert.Equal("", reduced.Title);
        Assert.Null(reduced.Tracks);
        Assert.Equal(kind.Key(demo.Document), kind.Key(reduced));
        var (whole, of) = (kind.Measure(demo.Engine, demo.Document, default), kind.Take(demo.Engine, demo.Document));
        Assert.Equal((whole.Value, whole.Note), (of.Value, of.Note));
    }

    [Fact]
    public async Task Pictures_are_made_in_turns_the_quick_ones_first()
    {
        var line = new FairLine(1);
        var order = new List<string>();
        IDisposable first = await line.Enter(1, 1, default);
        async Task Ask(long of, int rank, string name)
        {
            using IDisposable turn = await line.Enter(of, rank, default);
            lock (order)
            {
                order.Add(name);
            }
        }
        Task[] asked = [Ask(1, 1, "one full"), Ask(1, 1, "one again"), Ask(2, 1, "two full"), Ask(1, 0, "one quick")];
        using var gone = new CancellationTokenSource();
        Task<IDisposable> left = line.Enter(3, 0, gone.Token);
        Assert.True(line.Before(2) > 0);
        await gone.CancelAsync();
        await Assert.ThrowsAnyAsync<OperationCanceledException>(() => left);
        first.Dispose();
        await Task.WhenAll(asked);
        Assert.Equal("one quick", order[0]);
        Assert.True(order.IndexOf("two full") < order.IndexOf("one again"), string.Join(", ", order));
        Assert.Null(line.Before(1));
    }

    [Fact]
    public async Task A_lane_runs_what_it_is_given_on_its_own_threads_loops_and_all()
    {
        using var threads = new LaneThreads("test", 3, LaneThreads.Long);
        var names = new System.Collections.Concurrent.ConcurrentBag<string?>();
        int sum = await threads.Run(async () =>
        {
            await Task.Delay(5);
            int all = 0;
            Parallel.For(0, 200, Core.Cores.All, i =>
            {
                names.Add(Thread.CurrentThread.Name);
                Interlocked.Add(ref all, i);
            });
            return all;
        });
        Assert.Equal(19900, sum);
        Assert.All(names, n => Assert.StartsWith("test ", n));
    }
}
