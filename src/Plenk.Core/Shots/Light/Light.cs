using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>
/// Strength × Color is irradiance on a facing surface for a sun; radiance for a sky, a fill, a rectangle and (times its picture) a
/// panorama; radiant intensity for a point and a spot.
/// </summary>
public sealed record Light : Extensible
{
    public required string Id { get; init; }
    public string Name { get; init; } = "";
    public LightKind Kind { get; init; }

    /// <summary>Towards the light, from the surface; made unit length on use.</summary>
    public Vec3 Direction { get; init; } = new(0, 1, 0);
    public double Strength { get; init; } = 1;
    public Vec3 Color { get; init; } = new(1, 1, 1);
    public double AngularDiameterDegrees { get; init; } = 0.53;

    /// <summary>Its colour is that of this temperature; null: <see cref="Color"/> stands as it is.</summary>
    public double? Kelvin { get; init; }

    /// <summary>
    /// Of point, spot, rectangle and a panorama that shows the place, metres. A spot and a rectangle shine along −<see cref="Direction"/>.
    /// </summary>
    public Vec3 Position { get; init; } = new(0, 2, 0);

    /// <summary>Of a spot: half angles within which it is whole and beyond which it is dark.</summary>
    public double InnerDegrees { get; init; } = 20;
    public double OuterDegrees { get; init; } = 30;

    /// <summary>Of a rectangle, metres.</summary>
    public double Width { get; init; } = 1;
    public double Height { get; init; } = 1;

    /// <summary>
    /// Of a rectangle that may be rolled or skewed: from its middle to the middle of two edges, metres; null: upright, by width and height.
    /// </summary>
    public Vec3? HalfU { get; init; }
    public Vec3? HalfV { get; init; }

    public SkyKind Sky { get; init; }
    public Vec3 HorizonColor { get; init; } = new(1, 1, 1);
    public double Turbidity { get; init; } = 2.5;

    /// <summary>A panorama's picture and how far it is turned.</summary>
    public string? Media { get; init; }
    public double HeadingDegrees { get; init; }

    /// <summary>
    /// A panorama is a picture of the place itself, shot at <see cref="Position"/>: it lights nothing, and what mirrors reads it for what
    /// the plate does not show.
    /// </summary>
    public bool ShowsPlace { get; init; }

    /// <summary>It lit the place when the plate was shot; else it is a new lamp.</summary>
    public bool InPlate { get; init; } = true;
    public bool LightsSet { get; init; } = true;
    public bool LightsElements { get; init; } = true;
    public bool CastsShadow { get; init; } = true;

    /// <summary>Id of a matte inside which it does not reach the set, with and without elements: for a caster that is not built.</summary>
    public string? ShadeMatte { get; init; }

    /// <summary>Where any light is alone, only those that are count.</summary>
    public bool Alone { get; init; }

    /// <summary>Of a lamp at a place: in whose frame it stands; null: in the world.</summary>
    public Carrier? HangsOn { get; init; }

    /// <summary>Of a spot and a rectangle: where it shines, whatever its direction; null: along that.</summary>
    public Aim? AimsAt { get; init; }
    public Shake? Shake { get; init; }
    public AssetCredit? Credit { get; init; }

    /// <summary>Null: it was not taken from the shelf.</summary>
    public ShelfOrigin? FromShelf { get; init; }
    public bool Off { get; init; }
}
