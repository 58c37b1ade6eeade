using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>How a piece of the set breaks into the parts that an element is.</summary>
public sealed record Breaking : Extensible
{
    /// <summary>Id of the piece; from <see cref="AtFrame"/> on it is gone.</summary>
    public string Piece { get; init; } = "";

    /// <summary>When it is struck; where something falls on it: when that is let go.</summary>
    public int AtFrame { get; init; }
    public int Parts { get; init; } = 60;
    public int Seed { get; init; } = 1;
    public double DensityKgM3 { get; init; } = 2400;

    /// <summary>Of a piece that is open, behind its front; null: it has a volume.</summary>
    public double? ThicknessMetres { get; init; }

    /// <summary>Where it is struck, and parts are smaller; null: as large everywhere.</summary>
    public Vec3? Point { get; init; }

    /// <summary>Lines on its surface that cracks follow, each two places or more, in the world.</summary>
    public IReadOnlyList<IReadOnlyList<Vec3>> Cracks { get; init; } = [];

    /// <summary>Of the blow, newton seconds.</summary>
    public Vec3 ImpulseNs { get; init; }

    /// <summary>Parts farther off than this, or deeper in the direction of the blow, stay fixed; null: none does, it breaks through.</summary>
    public double? RadiusMetres { get; init; }
    public double? DepthMetres { get; init; }

    /// <summary>Of a blast that begins where it is struck, at a metre, N s/m²; it grows so fast, m/s.</summary>
    public double BlastNsM2 { get; init; }
    public double BlastSpeed { get; init; } = 340;

    /// <summary>Id of the element that falls on it; null: it is struck by the blow alone.</summary>
    public string? Falling { get; init; }
    public double FallingDensityKgM3 { get; init; } = 7850;

    /// <summary>It holds until it is struck harder than this, newton seconds.</summary>
    public double StrengthNs { get; init; } = 20;
    public double Friction { get; init; } = 0.6;
    public double Bounce { get; init; } = 0.1;

    /// <summary>Small ones thrown off the cracks: how many, how large, metres, and how fast, m/s.</summary>
    public int Scraps { get; init; }
    public double ScrapSmallestMetres { get; init; } = 0.004;
    public double ScrapLargestMetres { get; init; } = 0.03;
    public double ScrapSpeed { get; init; } = 1.5;

    /// <summary>So many clouds of dust rise where parts hit hardest.</summary>
    public int Dust { get; init; }

    /// <summary>Of what the break lays open, linear.</summary>
    public Vec3 InsideColor { get; init; } = new(0.42, 0.4, 0.37);
}
