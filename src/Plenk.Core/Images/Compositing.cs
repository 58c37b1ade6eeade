using System.Numerics;

namespace Plenk.Core.Images;

/// <summary>Premultiplied merges, Porter &amp; Duff, "Compositing Digital Images", SIGGRAPH 1984.</summary>
public static class Compositing
{
    /// <summary>A over B, both premultiplied (RGBA in X Y Z W).</summary>
    public static Vector4 Over(Vector4 a, Vector4 b) => a + b * (1 - a.W);

    /// <summary>The part of A outside B.</summary>
    public static Vector4 Out(Vector4 a, Vector4 b) => a * (1 - b.W);

    /// <summary>Straight colour of a premultiplied pixel; a pixel without coverage keeps its colour, never divided.</summary>
    public static Vector4 Unpremultiply(Vector4 p) => p.W > 0 ? new Vector4(p.X / p.W, p.Y / p.W, p.Z / p.W, p.W) : p;

    public static Vector4 Premultiply(Vector4 p) => p.W > 0 ? new Vector4(p.X * p.W, p.Y * p.W, p.Z * p.W, p.W) : p;
}
