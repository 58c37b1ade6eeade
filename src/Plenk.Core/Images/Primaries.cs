using Plenk.Core.Geometry;

namespace Plenk.Core.Images;

/// <summary>
/// What linear red, green, blue and their white stand for: chromaticities x, y (CIE 1931). Pictures are worked on in <see cref="Bt709"/>;
/// what comes in others is converted on its way in, and out. Data (positions, normals, depth, IDs) is never passed through here.
/// </summary>
public sealed record Primaries(
    string Name,
    (double X, double Y) Red,
    (double X, double Y) Green,
    (double X, double Y) Blue,
    (double X, double Y) White
)
{
    /// <summary>ITU-R BT.709-6, and sRGB; D65.</summary>
    public static readonly Primaries Bt709 = new("BT.709", (0.64, 0.33), (0.30, 0.60), (0.15, 0.06), (0.3127, 0.3290));

    /// <summary>ITU-R BT.2020-2; D65.</summary>
    public static readonly Primaries Bt2020 = new("BT.2020", (0.708, 0.292), (0.170, 0.797), (0.131, 0.046), (0.3127, 0.3290));

    /// <summary>ACEScg, the primaries AP1 (S-2014-004).</summary>
    public static readonly Primaries AcesCg = new("ACEScg", (0.713, 0.293), (0.165, 0.830), (0.128, 0.044), (0.32168, 0.33767));

    /// <summary>ACES2065-1, the primaries AP0 (SMPTE ST 2065-1).</summary>
    public static readonly Primaries Aces2065 = new("ACES2065-1", (0.7347, 0.2653), (0, 1), (0.0001, -0.0770), (0.32168, 0.33767));

    public static readonly IReadOnlyList<Primaries> Known = [Bt709, Bt2020, AcesCg, Aces2065];

    /// <summary>
    /// x, y of red, green, blue and white, as a header has them; one of <see cref="Known"/> where it is one to a thousandth. Null where
    /// they make no colour space.
    /// </summary>
    public static Primaries? Of(ReadOnlySpan<float> xy)
    {
        var own = new Primaries("its own primaries", (xy[0], xy[1]), (xy[2], xy[3]), (xy[4], xy[5]), (xy[6], xy[7]));
        foreach (Primaries known in Known)
        {
            float[] at = known.ToArray();
            bool same = true;
            for (int i = 0; i < 8; i++)
            {
                same &= Math.Abs(at[i] - xy[i]) < 1e-3f;
            }
            if (same)
            {
                return known;
            }
        }
        // Three that lie on a line span nothing; what is no number passes no comparison.
        double area = (own.Green.X - own.Red.X) * (own.Blue.Y - own.Red.Y) - (own.Green.Y - own.Red.Y) * (own.Blue.X - own.Red.X);
        return Math.Abs(area) > 1e-4 && own.White.Y > 1e-3 && own.ToXyz().Determinant is var d && double.IsFinite(d) && Math.Abs(d) > 1e-9
            ? own
            : null;
    }

    /// <summary>As commands and documents name those of <see cref="Known"/>: bt709, bt2020, acescg, aces2065-1.</summary>
    public string Key => Name.Replace(".", "", StringComparison.Ordinal).ToLowerInvariant();

    /// <summary>By key or name, in any case; null: none is called so.</summary>
    public static Primaries? Named(string name) =>
        Known.FirstOrDefault(p => p.Key.Equals(name.Replace(".", "", StringComparison.Ordinal), StringComparison.OrdinalIgnoreCase));

    /// <summary>What is said of a name that is none of <see cref="Known"/>.</summary>
    public static string Unknown(string name) => $"“{name}” names no primaries; {string.Join(", ", Known.Select(p => p.Key))} do.";

    public float[] ToArray() =>
        [(float)Red.X, (float)Red.Y, (float)Green.X, (float)Green.Y, (float)Blue.X, (float)Blue.Y, (float)White.X, (float)White.Y];

    /// <summary>Linear RGB to CIE XYZ, white with Y = 1 (SMPTE RP 177).</summary>
    public Matrix3 ToXyz()
    {
        static Vec3 Xyz((double X, double Y) c) => new(c.X, c.Y, 1 - c.X - c.Y);
        var columns = Matrix3.FromColumns(Xyz(Red), Xyz(Green), Xyz(Blue));
        Vec3 by = columns.Inverse() * (Xyz(White) * (1 / White.Y));
        return Matrix3.FromColumns(columns.Column(0) * by.X, columns.Column(1) * by.Y, columns.Column(2) * by.Z);
    }

    // Bradford's cone responses (Lam 1985), as in ICC.1 annex E.
    private static readonly Matrix3 Bradford = new(0.8951, 0.2664, -0.1614, -0.7502, 1.7135, 0.0367, 0.0389, -0.0685, 1.0296);

    /// <summary>Linear RGB of these to linear RGB of others; where their whites differ, white becomes white (Bradford).</summary>
    public Matrix3 To(Primaries other)
    {
        if (other == this)
        {
            return Matrix3.Identity;
        }
        Matrix3 adapt = Matrix3.Identity;
        if (other.White != White)
        {
            static Vec3 Cones((double X, double Y) w) => Bradford * new Vec3(w.X / w.Y, 1, (1 - w.X - w.Y) / w.Y);
            Vec3 from = Cones(White),
                to = Cones(other.White);
            adapt = Bradford.Inverse() * new Matrix3(to.X / from.X, 0, 0, 0, to.Y / from.Y, 0, 0, 0, to.Z / from.Z) * Bradford;
        }
        return other.ToXyz().Inverse() * adapt * ToXyz();
    }

    /// <summary>
    /// The first three channels of each pixel through a matrix; what is above 1 or below 0 stays so. The same picture where nothing
    /// changes.
    /// </summary>
    public static FloatImage Convert(FloatImage image, Matrix3 by)
    {
        if (by == Matrix3.Identity)
        {
            return image;
        }
        FloatImage result = image.Copy();
        for (int i = 0; i < result.Data.Length; i += image.Channels)
        {
            Span<float> p = result.Data.AsSpan(i, 3);
            Vec3 c = by * new Vec3(p[0], p[1], p[2]);
            (p[0], p[1], p[2]) = ((float)c.X, (float)c.Y, (float)c.Z);
        }
        return result;
    }

    /// <summary>
    /// A ratio of light through a matrix: what it does to the converted colour below it, M (S · c) ÷ M c, so that a picture put together in
    /// the other primaries is the same picture. Where that colour has nothing of a channel it is as over grey.
    /// </summary>
    /// <param name="over">RGB of the picture's size that the ratio is laid on.</param>
    public static FloatImage ConvertRatio(FloatImage ratio, FloatImage over, Matrix3 by)
    {
        if (by == Matrix3.Identity)
        {
            return ratio;
        }
        var result = new FloatImage(ratio.Width, ratio.Height, 3);
        for (int i = 0; i < result.Data.Length; i += 3)
        {
            ReadOnlySpan<float> s = ratio.Data.AsSpan(i, 3);
            Span<float> to = result.Data.AsSpan(i, 3);
            if (s[0] == s[1] && s[1] == s[2])
            {
                to.Fill(s[0]);
                continue;
            }
            var c = new Vec3(over.Data[i], over.Data[i + 1], over.Data[i + 2]);
            Vec3 under = by * c,
                shaded = by * new Vec3(s[0] * c.X, s[1] * c.Y, s[2] * c.Z),
                grey = by * new Vec3(s[0], s[1], s[2]);
            double least = 1e-4 * Math.Max(Math.Abs(c.X), Math.Max(Math.Abs(c.Y), Math.Abs(c.Z))) + 1e-9;
            to[0] = (float)(Math.Abs(under.X) > least ? shaded.X / under.X : grey.X);
            to[1] = (float)(Math.Abs(under.Y) > least ? shaded.Y / under.Y : grey.Y);
            to[2] = (float)(Math.Abs(under.Z) > least ? shaded.Z / under.Z : grey.Z);
        }
        return result;
    }
}
