using Plenk.Core.Geometry;

namespace Plenk.Core.Finishing.Steps;

/// <summary>What several kinds ask of their settings.</summary>
internal static class Settings
{
    public static bool Positive(Vec3 v) => v is { IsFinite: true, X: > 0, Y: > 0, Z: > 0 };

    public static bool NotNegative(Vec3 v) => v is { IsFinite: true, X: >= 0, Y: >= 0, Z: >= 0 };
}
