using Plenk.Core.Geometry;

namespace Plenk.Core.Shots;

/// <summary>Airlight, linear radiance, and extinction a metre, by channel.</summary>
/// <param name="ThinsOverMetres">
/// So many metres further up there is 1/e of it, from the world's floor (y = 0); null: it is as thick everywhere.
/// </param>
public sealed record HazeSettings(Vec3 Airlight, Vec3 PerMetre, double? ThinsOverMetres = null);
