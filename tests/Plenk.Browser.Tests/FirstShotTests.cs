using System.Diagnostics;
using System.Globalization;
using System.Net.Http.Json;
using System.Text.Json;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Shots;
using Plenk.Formats.Raster;
using Xunit;
using Xunit.Abstractions;

namespace Plenk.Browser.Tests;

/// <summary>
/// A first shot that needs no telling: from frames that foreign code filmed to an element that stands, hides behind a pillar and throws its
/// shadow, by what the line “Next:” names at each moment. Actions are counted. With PLENK_WALK_PLATE and PLENK_WALK_TRUTH the same is
/// walked over a whole sequence (bench/walk).
/// </summary>
[Collection("site")]
public sealed class FirstShotTests(Site site, ITestOutputHelper say)
{
    private const int MostActions = 30;
    private int _actions;
    private readonly Stopwatch _waited = new();
    private readonly List<string> _did = [];

    /// <summary>Does what the line above the sheet names; to go to another step is an action too.</summary>
    private void Do(Sheet page, string next, string what, Action act)
    {
        page.Shows("#next", next);
        _did.Add($"{++_actions}. {what}");
        act();
    }

    private void Wait(Action until)
    {
        _waited.Start();
        until();
        _waited.Stop();
    }

    private void GoOn(Sheet page, string next, string step) => Do(page, next, $"go to {step}", () => page.Follow($"Go to {step}"));

    [Fact]
    public async Task From_frames_to_an_element_that_stands_hides_and_throws_its_shadow_in_thirty_actions()
    {
        string folder = Environment.GetEnvironmentVariable("PLENK_WALK_PLATE") ?? Path.Combine(Site.Repository, "tests", "data", "court"),
            truthFile = Environment.GetEnvironmentVariable("PLENK_WALK_TRUTH") ?? Path.Combine(folder, "truth.json");
        string[] frames = [.. Directory.GetFiles(folder, "plate.*.png").Order(StringComparer.Ordinal)];
        using JsonDocument file = JsonDocument.Parse(File.ReadAllText(truthFile));
        JsonElement truth = file.RootElement;
        double N(string key) => truth.GetProperty(key).GetDouble();
        var trueCamera = new Pinhole(
            (int)N("width"),
            (int)N("height"),
            N("focal_px"),
            N("focal_px"),
            N("cx"),
            N("cy"),
            new Lens(N("k1"), N("k2"), 0, 0, 0)
        );
        Pose[] truePoses =
        [
            .. truth
                .GetProperty("frames")
                .EnumerateArray()
                .Select(f =>
                    Pose.FromRowMajor16([.. f.GetProperty("camera_to_world").EnumerateArray().Select(v => v.GetDouble())], out _)!.Value
                ),
        ];
        // The first frame is looked at, where all tracks are fresh.
        const int looked = 1001;
        (double X, double Y) Seen(double x, double y, double z)
        {
            Assert.True(trueCamera.TryProject(truePoses[0], new(x, y, z), out double px, out double py));
            return (px, py);
        }

        // A loop through places of the court as the first frame sees them, within its edges.
        (double X, double Y)[] Around(params (double X, double Y, double Z)[] corners) =>
            [
                .. corners
                    .Select(c => Seen(c.X, c.Y, c.Z))
                    .Select(p => (Math.Clamp(p.X, 8, trueCamera.Width - 8), Math.Clamp(p.Y, 8, trueCamera.Height - 8))),
            ];

        static Vec3 V(JsonElement e) => new(e[0].GetDouble(), e[1].GetDouble(), e[2].GetDouble());
        using Sheet page = site.Open();
        void Click((double X, double Y) p) => page.ClickPicture(p.X, p.Y);
        page.Go("/");
        page.Find("[name=code]").SendKeys("FIRST_0010");
        page.Press("Begin the shot");
        page.Until("document.body.dataset.ready !== undefined");
        long id = long.Parse(page.Driver.Url.Split('/')[^1].Split('?')[0], CultureInfo.InvariantCulture);

        // 1 Plate.
        Do(page, "bring the plate in", "choose the frames", () =>
            page.Give("input[aria-label='Bring these frames in']", string.Join('\n', frames))
        );
        Do(page, "bring the plate in", "bring them in", () => page.Press("Bring these frames in"));
        Wait(() => page.UntilState($"(state.document.plate?.frames ?? []).length === {frames.Length}", 120));

        // 2 Camera: tracked, solved; floor and scale.
        GoOn(page, "find the camera", "Camera");
        Do(page, "track the plate", "track", () => page.Press("Track the plate"));
        Wait(() => page.UntilState("state.document.tracks !== null", 300));
        Do(page, "solve the camera", "solve", () => page.Press("Solve the camera"));
        Wait(() => page.UntilState("state.document.solve !== null", 300));
        Wait(() => page.Until("document.querySelectorAll('#overlay path').length > 3"));
        Do(page, "say where the floor is", "circle tracks", () => page.Press("Circle tracks on the floor"));
        Do(page, "say where the floor is", "draw a loop", () =>
            page.Loop(Around((-1.2, 0, 0.3), (1.0, 0, 0.3), (1.0, 0, 2.0), (-1.2, 0, 2.0)))
        );
        page.UntilState("state.document.orientation.floor.length >= 3");
        page.Shows("#told", "lie on one plane");
        // Two of its points, and how far these are from one another in the place.
        ShotDocument shot = await Document(id);
        var known = shot
            .Orientation.Floor.Select(n => (Name: n, Click: shot.SurveyPoints.First(p => p.Name == n).Clicks[0]))
            .Select(p =>
            {
                Assert.True(trueCamera.TryFloor(truePoses[p.Click.Frame - 1001], p.Click.X, p.Click.Y, out Vec3 place, out _));
                return (p.Name, Place: place);
            })
            .ToArray();
        var (from, to) = known.SelectMany(a => known.Select(b => (A: a, B: b))).MaxBy(p => (p.A.Place - p.B.Place).Length);
        double metres = (from.Place - to.Place).Length;
        Do(page, "say how long something is", "from a point", () => page.Choose("Length from", from.Name, saves: false));
        Do(page, "say how long something is", "to a point", () => page.Choose("Length to", to.Name));
        page.Shows("#next", "build the set");
        Do(page, "build the set", "so many metres", () => page.Type("It measures", metres.ToString("F4", CultureInfo.InvariantCulture)));
        // The camera stands as high over the floor as it did, and goes as far.
        shot = await Document(id);
        ShotCamera camera = ShotCamera.Of(shot)!;
        Pose P(int frame) => camera.TryAt(frame, out Pose pose, out _) ? pose : throw new InvalidOperationException();
        Assert.Equal(truePoses[0].Position.Y, P(1001).Position.Y, 1);
        double path = (truePoses[^1].Position - truePoses[0].Position).Length;
        Assert.InRange((P(1000 + frames.Length).Position - P(1001).Position).Length / path, 0.97, 1.03);

        // 3 Set: the floor that is seen, and a box around the pillar.
        GoOn(page, "build the set", "Set");
        Do(page, "build what elements stand on", "a plane", () => page.PressAndSave("Add a plane"));
        Do(page, "build what elements go behind", "through points", () => page.Press("Through points"));
        Wait(() => page.UntilModule("steps/setlines", "drawing.places.length > 0"));
        Do(page, "build what elements go behind", "circle points", () => page.Press("Circle points"));
        Do(page, "build what elements go behind", "draw a loop", () =>
            page.Loop(Around((0.38, 3.2, -1.95), (0.82, 3.2, -1.95), (0.82, 0.2, -1.95), (0.38, 0.2, -1.95)))
        );
        Wait(() =>
            page.Until("[...document.querySelectorAll('#sheet button')].some((b) => b.textContent === 'Box around them' && !b.disabled)")
        );
        Do(page, "build what elements go behind", "a box around them", () => page.PressAndSave("Box around them"));

        // 4 Projection.
        GoOn(page, "lay the footage on the set", "Projection");
        Do(page, "lay the frame", "lay this frame", () => page.PressAndSave($"Lay frame {looked} on the set"));

        // 5 Light.
        GoOn(page, "set the light", "Light");
        Do(page, "the sun first", "a sun", () => page.PressAndSave("Add a sun"));
        // The near crate's left edge, and where the shadow of its top ends on the floor.
        var corner = new Vec3(1.2098, 0.5, 0.8311);
        Vec3 towardsSun = V(truth.GetProperty("lights").GetProperty("sun_direction_to_light"));
        Vec3 tip = corner - (corner.Y / towardsSun.Y) * towardsSun;
        Do(page, "find where the sun stood", "from a shadow", () => page.Press("From a shadow"));
        Do(page, "find where the sun stood", "its caster's foot", () => Click(Seen(corner.X, 0, corner.Z)));
        Do(page, "find where the sun stood", "its top", () => Click(Seen(corner.X, corner.Y, corner.Z)));
        Do(page, "find where the sun stood", "the shadow's tip", () => Click(Seen(tip.X, 0, tip.Z)));
        Wait(() => page.UntilState("(state.document.sun.fromShadow ?? null) !== null", 60));
        double elevation = Rotations.Degrees(Math.Asin((await Document(id)).Lights[0].Direction.Normalized().Y));
        Assert.Equal(Rotations.Degrees(Math.Asin(towardsSun.Normalized().Y)), elevation, 3.0);

        // 6 Contact: the bell comes in, goes behind the pillar, stands.
        GoOn(page, "place what is added", "Contact");
        string bell = Path.Combine(Site.Demo, "bell.glb");
        Do(page, "bring in what is added", "choose its file", () => page.Give("input[aria-label='Bring an element in']", bell));
        Do(page, "bring in what is added", "bring it in", () => page.Press("Bring an element in"));
        Wait(() => page.UntilState("state.document.elements.length === 1"));
        shot = await Document(id);
        camera = ShotCamera.Of(shot)!;
        Assert.True(camera.TryAt(looked, out Pose pose, out Pinhole pinhole));
        // It may come in half behind the pillar: it is taken where it is seen.
        double bx = 0,
            by = 0;
        foreach (double aside in (double[])[0, 0.15, -0.15, 0.3, -0.3])
        {
            Assert.True(pinhole.TryProject(pose, shot.Elements[0].Position + new Vec3(aside, 0.25, 0), out bx, out by));
            JsonElement there = await site.Json(
                string.Create(CultureInfo.InvariantCulture, $"/api/shots/{id}/frames/{looked}/pixel?x={bx}&y={by}")
            );
            if (there.GetProperty("elementId").ValueKind == JsonValueKind.String)
            {
                break;
            }
        }
        // Just beside the pillar, behind it.
        double tx = Seen(0.85, 0.3, -2.45).X + 14,
            ty = Seen(1.0, 0, -3.4).Y;
        Assert.True(pinhole.TryProject(pose, shot.Elements[0].Position, out double fx, out double fy));
        string held = page.State("state.revision");
        Do(page, "pull it to where it belongs", "pull it behind the pillar", () =>
            page.Drag(page.OnPage(bx, by), page.OnPage(tx + bx - fx, ty + by - fy))
        );
        page.UntilState($"state.revision > {held}");
        Do(page, "lower it until it touches", "lower it", () => page.PressAndSave("Lower until it touches"));
        Wait(() => page.Until("document.querySelector(\"[data-reading='contact.gap'] .verdict\")?.textContent === 'within'", 90));

        say.WriteLine(
            $"{_actions} actions, {_waited.Elapsed.TotalSeconds:0} s of waiting, {frames.Length} frames\n{string.Join('\n', _did)}"
        );
        Assert.InRange(_actions, 10, MostActions);
        await HidesAndThrowsAShadow(id, looked, shot, Seen);
        page.NoErrors();
    }

    /// <summary>
    /// On the pillar nothing of the element is seen, and without the pillar's box it would be; beside it the floor is darker than the
    /// plate.
    /// </summary>
    private async Task HidesAndThrowsAShadow(long id, int frame, ShotDocument shot, Func<double, double, double, (double X, double Y)> seen)
    {
        async Task<CodeImage> Picture(string kind) =>
            RasterFile.Read(
                await site.Http.GetByteArrayAsync(
                    $"/api/shots/{id}/frames/{frame}/picture?kind={kind}&width={shot.Plate!.Width}&quality=middle"
                ),
                kind
            );
        static int Changed(CodeImage a, CodeImage b, Func<int, int, bool> where, Func<int, bool> how)
        {
            int count = 0;
            for (int y = 0; y < a.Height; y++)
            {
                for (int x = 0; x < a.Width; x++)
                {
                    if (where(x, y) && how(a.Codes[(y * a.Width + x) * a.Channels + 1] - b.Codes[(y * b.Width + x) * b.Channels + 1]))
                    {
                        count++;
                    }
                }
            }
            return count;
        }
        // The middle half of the pillar's front in the picture: a box around points of it ends where the outermost of them are.
        var (left, top) = seen(0.35, 3.0, -1.95);
        var (right, bottom) = seen(0.85, 0.3, -1.95);
        bool Pillar(int x, int y) => x > left + 0.25 * (right - left) && x < right - 0.25 * (right - left) && y > top && y < bottom - 4;
        CodeImage plate = await Picture("plate"),
            comp = await Picture("comp");
        int hidden = Changed(comp, plate, Pillar, d => Math.Abs(d) > 6);
        int beside = Changed(comp, plate, (x, y) => !Pillar(x, y), d => Math.Abs(d) > 12);
        int darker = Changed(comp, plate, (x, y) => y > bottom, d => d < -12);
        ShotDocument now = await Document(id);
        string box = now.Pieces.First(p => p.Kind == PieceKind.Box).Id;
        async Task Off(bool off) =>
            (
                await site.Http.PostAsJsonAsync(
                    $"/api/shots/{id}/edits",
                    new
                    {
                        edits = new[]
                        {
                            new
                            {
                                edit = "set",
                                at = $"pieces/{box}/off",
                                to = off,
                            },
                        },
                    }
                )
            ).EnsureSuccessStatusCode();
        await Off(true);
        int without = Changed(await Picture("comp"), plate, Pillar, d => Math.Abs(d) > 6);
        say.WriteLine($"changed on the pillar {hidden} px, without its box {without}; beside it {beside}; darker floor {darker}");
        Assert.True(without > 200, $"without the box only {without} px of the pillar are covered: the element stands beside it");
        Assert.True(hidden < 0.15 * without, $"{hidden} px of the pillar are changed, {without} without its box");
        Assert.True(beside > 1000);
        Assert.True(darker > 100, $"only {darker} px of the floor are darker");
    }

    private async Task<ShotDocument> Document(long id) =>
        ShotJson.Read((await site.Json($"/api/shots/{id}")).GetProperty("document").GetRawText());
}
