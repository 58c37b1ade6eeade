using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Projection;
using Plenk.Core.Sets;
using Plenk.Core.Shots;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>
/// Seen pieces over the plate. Values follow from similar triangles and from the over operator (Porter and Duff, "Compositing digital
/// images", SIGGRAPH 1984: premultiplied, c = a + (1 − α) b), worked by hand.
/// </summary>
public class SeenSetTests
{
    private const int Width = 64,
        Height = 36;
    private static readonly Pinhole Camera = new(Width, Height, 64, 64, 32, 18, Lens.None);

    /// <summary>An upright plane across the view, its left edge at a place.</summary>
    private static Piece Card(string id, double z, double left = -50, bool seen = true, bool hides = true) =>
        new()
        {
            Id = id,
            Kind = PieceKind.Plane,
            Position = new(left + 50, 0, z),
            Size = new(100, 0, 100),
            RotationYxzDegrees = new(90, 0, 0),
            Duties = new() { Seen = seen, Hides = hides },
        };

    private static FloatImage Even(float r, float g, float b)
    {
        var picture = new FloatImage(Width, Height, 3);
        for (int i = 0; i < Width * Height; i++)
        {
            (picture.Data[3 * i], picture.Data[3 * i + 1], picture.Data[3 * i + 2]) = (r, g, b);
        }
        return picture;
    }

    /// <summary>Every pixel another colour.</summary>
    private static FloatImage Plate()
    {
        var picture = new FloatImage(Width, Height, 3);
        for (int i = 0; i < picture.Data.Length; i++)
        {
            picture.Data[i] = 0.1f + 0.7f * ((i * 7919) % 1000) / 1000f;
        }
        return picture;
    }

    private static readonly FloatImage Painted = Even(0.9f, 0.2f, 0.05f);

    private static Background Seen(
        FloatImage plate,
        IReadOnlyList<Piece> pieces,
        FloatImage painting,
        float[]? kept = null,
        IReadOnlyList<HidingMatte>? before = null,
        BackgroundKind behind = BackgroundKind.Plate,
        bool lookedAt = false,
        int samples = 16,
        params string[] on
    )
    {
        var set = new SetScene(pieces, (_, _) => throw new InvalidOperationException());
        HashSet<int>? only = on.Length == 0 ? null : [.. on.Select(id => pieces.ToList().FindIndex(p => p.Id == id))];
        var sight = new SourceSight(Camera, Pose.Identity, set, pieces: only);
        return SeenSet.Render(
            [new(new RayGrid(Camera, Pose.Identity), set)],
            plate,
            null,
            [new Projector(painting, sight, kept) { IsLookedAt = lookedAt }],
            null,
            before ?? [],
            behind,
            SourceMix.Order,
            samples,
            1,
            out _
        );
    }

    private static Vector4 At(Background b, int x, int y) => new(b.Rgba[x, y, 0], b.Rgba[x, y, 1], b.Rgba[x, y, 2], b.Rgba[x, y, 3]);

    private static Vector3 Of(FloatImage image, int x, int y) => new(image[x, y, 0], image[x, y, 1], image[x, y, 2]);

    private static void Near(Vector3 meant, Vector4 got, double within = 1e-4)
    {
        Assert.Equal(meant.X, got.X, within);
        Assert.Equal(meant.Y, got.Y, within);
        Assert.Equal(meant.Z, got.Z, within);
    }

    [Fact]
    public void Where_no_piece_is_seen_the_plate_stays_to_the_bit()
    {
        FloatImage plate = Plate();
        Background none = Seen(plate, [Card("wall", -5, seen: false)], Painted);
        Assert.DoesNotContain(true, none.Touched);
        Assert.Equal(plate.Data, none.Rgb.Data);
        Assert.All(Enumerable.Range(0, Width * Height), i => Assert.Equal(1, none.Rgba.Data[4 * i + 3]));
    }

    [Fact]
    public void The_very_frame_looked_at_gives_its_own_pixels_back()
    {
        FloatImage plate = Plate();
        Background own = Seen(plate, [Card("wall", -5, left: 0.3)], plate, lookedAt: true);
        Assert.DoesNotContain(true, own.Touched);
        Assert.Equal(plate.Data, own.Rgb.Data);
    }

    [Fact]
    public void An_edge_covers_as_much_of_a_pixel_as_lies_in_it()
    {
        // 64 px focal length, 5 m away: x = 0.25 / 64 · 5 m is a quarter into pixel 32.
        FloatImage plate = Even(0.1f, 0.5f, 0.7f);
        Background seen = Seen(plate, [Card("wall", -5, left: 0.25 / 64 * 5)], Painted, samples: 256);
        for (int y = 0; y < Height; y++)
        {
            Near(Of(plate, 31, y), At(seen, 31, y), 0);
            Near(0.25f * Of(plate, 32, y) + 0.75f * Of(Painted, 32, y), At(seen, 32, y), 0.012);
            Near(Of(Painted, 33, y), At(seen, 33, y));
            Assert.Equal(1, seen.Rgba[32, y, 3]);
        }
    }

    [Fact]
    public void A_piece_that_stands_for_the_plate_shows_it_before_what_is_seen_behind()
    {
        FloatImage plate = Plate();
        Background hidden = Seen(plate, [Card("column", -3, seen: false), Card("city", -9)], Painted, on: "city");
        Assert.DoesNotContain(true, hidden.Touched);
        // One that hides nothing, or any without the plate, leaves it to be seen: here the painting comes through all that stands before it.
        var set = new SetScene([Card("column", -3, seen: false, hides: false), Card("city", -9)], (_, _) =>
            throw new InvalidOperationException()
        );
        var city = new SetScene([Card("city", -9)], (_, _) => throw new InvalidOperationException());
        Background open = SeenSet.Render(
            [new(new RayGrid(Camera, Pose.Identity), set)],
            plate,
            null,
            [
                new Projector(
                    Painted,
                    new SourceSight(Camera, Pose.Identity, set, pieces: new HashSet<int> { 1 }) { Occluders = city.Scene }
                ),
            ],
            null,
            [],
            BackgroundKind.Plate,
            SourceMix.Order,
            4,
            1,
            out float[] quiet
        );
        Assert.DoesNotContain(false, open.Touched);
        Near(Of(Painted, 9, 9), At(open, 9, 9));
        Assert.Equal(1, quiet[9 * Width + 9], 1e-5);
    }

    [Theory]
    [InlineData(4f, true)] // it stood nearer than the card
    [InlineData(6f, false)]
    public void What_was_filmed_before_a_piece_stands_before_it(float beyond, bool before)
    {
        FloatImage plate = Plate();
        var coverage = new float[Width * Height];
        Array.Fill(coverage, 0.25f);
        FloatImage filmed = Even(0.02f, 0.03f, 0.04f); // premultiplied
        Background seen = Seen(plate, [Card("wall", -5)], Painted, before: [new(coverage, beyond, filmed)]);
        Vector3 meant = before ? Of(filmed, 5, 5) + 0.75f * Of(Painted, 5, 5) : Of(Painted, 5, 5);
        // Along the rays of the picture's middle the card is 5 m away.
        Near(meant, At(seen, 32, 18));
    }

    [Fact]
    public void Two_mattes_lie_over_one_another_in_their_order()
    {
        float[] half = [.. Enumerable.Repeat(0.5f, Width * Height)];
        FloatImage first = Even(0.4f, 0, 0),
            second = Even(0, 0.3f, 0);
        Background seen = Seen(Plate(), [Card("wall", -5)], Painted, before: [new(half, 2, second), new(half, 1, first)]);
        Near(Of(first, 0, 0) + 0.5f * (Of(second, 0, 0) + 0.5f * Of(Painted, 0, 0)), At(seen, 32, 18));
    }

    [Fact]
    public void Over_nothing_the_comp_is_as_opaque_as_what_is_seen()
    {
        float[] some = [.. Enumerable.Repeat(0.25f, Width * Height)];
        FloatImage filmed = Even(0.1f, 0.1f, 0.1f);
        // The card covers the right half; 40 % of its painting are laid on.
        float[] kept = [.. Enumerable.Repeat(0.4f, Width * Height)];
        Background seen = Seen(Plate(), [Card("wall", -5, left: 0)], Painted, kept, [new(some, 1, filmed)], BackgroundKind.Nothing);
        Near(Of(filmed, 0, 0), At(seen, 8, 18));
        Assert.Equal(0.25, seen.Rgba[8, 18, 3], 1e-5);
        // Filmed over the card's 40 %: α = 0.25 + 0.75 · 0.4.
        Near(Of(filmed, 0, 0) + 0.75f * 0.4f * Of(Painted, 0, 0), At(seen, 50, 18));
        Assert.Equal(0.25 + 0.75 * 0.4, seen.Rgba[50, 18, 3], 1e-5);
        Assert.DoesNotContain(false, seen.Touched);
    }

    [Fact]
    public void See_through_cards_lie_over_one_another()
    {
        FloatImage plate = Even(0.5f, 0.5f, 0.5f);
        float[] kept = [.. Enumerable.Repeat(0.4f, Width * Height)];
        var pieces = new[] { Card("near", -5), Card("far", -7) };
        var set = new SetScene(pieces, (_, _) => throw new InvalidOperationException());
        SourceSight Alone(int piece) =>
            new(Camera, Pose.Identity, set, pieces: new HashSet<int> { piece })
            {
                Occluders = new SetScene([pieces[piece]], (_, _) => throw new InvalidOperationException()).Scene,
            };
        FloatImage far = Even(0, 0, 1);
        Background seen = SeenSet.Render(
            [new(new RayGrid(Camera, Pose.Identity), set)],
            plate,
            null,
            [new Projector(Painted, Alone(0), kept), new Projector(far, Alone(1), kept)],
            null,
            [],
            BackgroundKind.Plate,
            SourceMix.Order,
            4,
            1,
            out _
        );
        Near(0.4f * Of(Painted, 0, 0) + 0.6f * (0.4f * Of(far, 0, 0) + 0.6f * Of(plate, 0, 0)), At(seen, 20, 20));
    }

    [Fact]
    public void A_seen_card_lets_the_projected_set_through_where_it_has_no_paint()
    {
        // The near card is painted on its left half, a quarter of it see-through; the far one is whole.
        Piece[] pieces = [Card("far", -20), Card("near", -5)];
        float[] kept = [.. Enumerable.Range(0, Width * Height).Select(i => i % Width < 32 ? 0.75f : 0)];
        FloatImage Shown(bool nearSeen)
        {
            var set = new SetScene([pieces[0], pieces[1] with { Duties = pieces[1].Duties with { Seen = nearSeen } }], (_, _) =>
                throw new InvalidOperationException()
            );
            SourceSight On(int piece) =>
                new(Camera, Pose.Identity, set, pieces: new HashSet<int> { piece })
                {
                    Occluders = new SetScene([pieces[piece]], (_, _) => throw new InvalidOperationException()).Scene,
                };
            return ProjectedView.Render(
                new RayGrid(Camera, Pose.Identity),
                set,
                [new(Painted, On(1), kept), new(Even(0.2f, 0.4f, 0.6f), On(0))]
            );
        }
        FloatImage shown = Shown(true);
        Assert.Equal(0.75f * 0.9f + 0.25f * 0.2f, shown[8, 18, 0], 1e-4f);
        Assert.Equal(0.6f, shown[56, 18, 2], 1e-4f);
        Assert.Equal(1, shown[8, 18, 3], 1e-4f);
        // One that is not seen stands for what the plate shows: nothing is seen through it.
        Assert.Equal(0.75f, Shown(false)[8, 18, 3], 1e-4f);
        Assert.Equal(0, Shown(false)[56, 18, 3]);
    }
}
