using System.Numerics;
using Plenk.Core.Tracing;
using Plenk.Formats;
using Xunit;

namespace Plenk.Formats.Tests;

public sealed class LetteringTests
{
    private static LetterFont Font(bool serif) => serif ? LetterFont.Serif : LetterFont.Sans;

    private static byte[] Shipped(string name)
    {
        using Stream from = typeof(LetterFont).Assembly.GetManifestResourceStream($"Plenk.Formats.Lettering.{name}.woff")!;
        using var to = new MemoryStream();
        from.CopyTo(to);
        return to.ToArray();
    }

    private static double Area(TriangleMesh mesh, int material) =>
        Enumerable
            .Range(0, mesh.TriangleCount)
            .Where(i => (mesh.Materials?[i] ?? 0) == material)
            .Sum(i => mesh.Triangle(i) is var (a, b, c) ? Vector3.Cross(b - a, c - a).Length() / 2 : 0);

    // Capital heights in thousandths of the size, as the fonts' own OS/2 tables have them (sCapHeight, read from the shipped files): a fallback font of the machine has others.
    [Theory]
    [InlineData(false, 698)]
    [InlineData(true, 670)]
    public void Letters_are_of_the_shipped_font(bool serif, int capital)
    {
        var (values, width, height) = LetterPicture.Of("H", Font(serif), 1000);
        Assert.InRange(height, capital - 6, capital + 6);
        Assert.Equal(width * height, values.Length);
        Assert.Equal(0, LetterPicture.Of("  ", Font(serif), 20).Width);
    }

    // Names and characters as the shipped files' own tables have them.
    [Fact]
    public void A_font_that_is_brought_in_says_what_it_is_called_and_which_letters_it_has()
    {
        OpenTypeFont serif = OpenTypeFont.Read(Shipped("serif"), "a.woff");
        Assert.StartsWith("Source Serif 4", serif.Name);
        Assert.Empty(serif.Lacks("Night bus 12, ÅÉ"));
        Assert.Equal(["漢", "𝄞"], serif.Lacks("a漢𝄞漢"));
        // The same unpacked is the same font.
        OpenTypeFont plain = OpenTypeFont.Read(serif.Named(serif.Name), "a.ttf");
        Assert.Equal(serif.Name, plain.Name);
        Assert.Empty(plain.Lacks("Night bus"));
        LetterFont own = LetterFont.Of(plain, serif.Named(serif.Name));
        Assert.InRange(LetterPicture.Of("H", own, 1000).Height, 664, 676);
    }

    [Fact]
    public void What_is_no_font_is_refused()
    {
        byte[] font = OpenTypeFont.Read(Shipped("sans"), "a.woff").Named("A");
        foreach (
            byte[] bad in (byte[][])
                [
                    [],
                    [1, 2, 3],
                    [.. font.Take(font.Length / 3)],
                    [.. Shipped("sans").Take(4000)],
                    [.. Enumerable.Repeat((byte)7, 5000)],
                ]
        )
        {
            Assert.Contains("no OpenType font", Assert.Throws<FormatFault>(() => OpenTypeFont.Read(bad, "b.ttf")).Message);
        }
        // Its letters wiped out: nothing can be drawn of it, and that is said.
        OpenTypeFont sound = OpenTypeFont.Read(font, "a.ttf");
        byte[] wiped = [.. font];
        int tables = wiped[5];
        for (int i = 0; i < tables; i++)
        {
            Span<byte> entry = wiped.AsSpan(12 + 16 * i, 16);
            if (System.Text.Encoding.ASCII.GetString(entry[..4]) is "glyf" or "CFF " or "loca")
            {
                int at = System.Buffers.Binary.BinaryPrimitives.ReadInt32BigEndian(entry[8..]),
                    length = System.Buffers.Binary.BinaryPrimitives.ReadInt32BigEndian(entry[12..]);
                wiped.AsSpan(at, length).Clear();
            }
        }
        Assert.Empty(sound.Lacks("Night"));
        Assert.Throws<FormatFault>(() => LetteringMesh.Of(new("Night") { FontName = "a.ttf" }, wiped));
        var text = new Core.Shots.Lettering("漢字") { FontName = "a.ttf" };
        Assert.Contains("no letter for 漢 字", Assert.Throws<FormatFault>(() => LetteringMesh.Of(text, font)).Message);
    }

    // Steiner's formula: a band of a width along an outline has its length times the width (corners aside). An I of the sans font is a bar:
    // its outline's length follows from its area and its height.
    [Fact]
    public void A_stroke_lies_along_the_outlines_half_of_it_outside()
    {
        var plain = new Core.Shots.Lettering("l", HeightMetres: 1);
        TriangleMesh bar = LetteringMesh.Of(plain);
        double area = Area(bar, 0),
            high = bar.Positions.Max(p => p.Y) - bar.Positions.Min(p => p.Y),
            wide = area / high,
            w = 0.02,
            length = 2 * (high + wide);
        TriangleMesh with = LetteringMesh.Of(plain with { StrokeMetres = w });
        Assert.Equal(length * w, Area(with, 1), 0.05 * length * w);
        Assert.Equal(area - length * w / 2, Area(with, 0), 0.02 * area);
        TriangleMesh hollow = LetteringMesh.Of(plain with { StrokeMetres = w, Hollow = true });
        Assert.Equal(0, Area(hollow, 0));
        Assert.Equal(Area(with, 1), Area(hollow, 1), 1e-9);
    }

    [Fact]
    public void Its_face_goes_from_left_to_right_and_from_head_to_foot()
    {
        TriangleMesh mesh = LetteringMesh.Of(new Core.Shots.Lettering("HH", HeightMetres: 0.5));
        int left = Array.IndexOf(mesh.Positions, mesh.Positions.MinBy(p => p.X)),
            head = Array.IndexOf(mesh.Positions, mesh.Positions.MaxBy(p => p.Y));
        Assert.Equal(0, mesh.TextureCoordinates![left].X, 1e-6);
        Assert.Equal(1, mesh.TextureCoordinates.Max(t => t.X), 1e-6);
        Assert.Equal(0, mesh.TextureCoordinates[head].Y, 0.02);
    }
}
