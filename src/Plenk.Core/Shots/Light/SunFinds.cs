using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Towards the sun as a shadow, the date and a fit say; null: not asked. Place and time as they were typed.</summary>
public sealed record SunFinds : Extensible
{
    public Vec3? FromShadow { get; init; }
    public Vec3? FromDate { get; init; }
    public Vec3? FromFit { get; init; }

    /// <summary>ISO 8601 with its offset, like 2003-10-17T12:30:30-07:00.</summary>
    public string Moment { get; init; } = "";
    public double LatitudeDegrees { get; init; }
    public double LongitudeDegrees { get; init; }

    /// <summary>The heading of north in the world, clockwise from −Z.</summary>
    public double NorthDegrees { get; init; }
}
