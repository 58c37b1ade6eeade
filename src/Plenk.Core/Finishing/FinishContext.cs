using System.Numerics;
using Plenk.Core.Cameras;
using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>
/// A lamp as the camera sees it: pixels of the picture, its colour, the share of it that nothing hides, and its depth, metres.
/// </summary>
public sealed record SeenLamp(double X, double Y, Vector3 Color, float Visible, double Depth);

/// <summary>What steps need beside the layers.</summary>
/// <param name="Pinhole">Of the picture's size.</param>
/// <param name="Scale">Pixels of the picture a pixel of the plate.</param>
/// <param name="SensorWidthMm">For focal length and discs.</param>
/// <param name="Seconds">Time of the frame, for what goes on by itself.</param>
public sealed record FinishContext(Pinhole Pinhole, double Scale, double SensorWidthMm, int Frame, double Seconds, uint Seed)
{
    /// <summary>Of the plate, measured at the picture's size; null: no grain can be told.</summary>
    public Grain? Grain { get; init; }

    /// <summary>What stands in the set is blurred by samples already.</summary>
    public bool BlurredBySamples { get; init; }

    /// <summary>Where the camera stands; only haze that thins with height asks.</summary>
    public Geometry.Pose CameraToWorld { get; init; } = Geometry.Pose.Identity;

    /// <summary>Coverage of a matte on the picture's grid, by id.</summary>
    public Func<string, float[]>? Matte { get; init; }

    /// <summary>Ids of pieces that are seen, and whether each was not there when the plate was shot.</summary>
    public IReadOnlyDictionary<string, bool> SeenPieces { get; init; } = new Dictionary<string, bool>();
    public IReadOnlyDictionary<string, SeenLamp> Lamps { get; init; } = new Dictionary<string, SeenLamp>();

    /// <summary>Lights that are on, as they are at the frame, by id.</summary>
    public IReadOnlyDictionary<string, Light> Lights { get; init; } = new Dictionary<string, Light>();

    /// <summary>Where the middle of a light or an element is at the frame, by its id; null: it is not there.</summary>
    public Func<string, Geometry.Vec3?>? Places { get; init; }
    public double FramesPerSecond { get; init; } = 24;

    /// <summary>The driving picture of a ripple at this frame, linear; null: it has none.</summary>
    public Func<RippleSettings, FloatImage?>? Driving { get; init; }

    /// <summary>So many pixels on every side lie beyond the plate (overscan).</summary>
    public int Margin { get; init; }

    /// <summary>Of the plate, in pixels of the picture.</summary>
    public int PlateWidth => Pinhole.Width - 2 * Margin;
    public int PlateHeight => Pinhole.Height - 2 * Margin;

    public double FocalMm => Pinhole.Fx * SensorWidthMm / PlateWidth;
}

/// <summary>A step cannot be done as it is set; the message says why, in the artist's terms.</summary>
public sealed class FinishFault(string message) : Exception(message);
