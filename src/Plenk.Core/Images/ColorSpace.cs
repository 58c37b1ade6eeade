using System.Numerics;
using Plenk.Core.Geometry;

namespace Plenk.Core.Images;

/// <summary>
/// What the codes of a picture stand for: how they encode light, and the primaries of that light. An encoding alone means those of BT.709,
/// in which all is worked.
/// </summary>
public sealed record ColorSpace
{
    private readonly Matrix3 _toWorking,
        _fromWorking;
    private readonly bool _isWorking;

    public ColorEncoding Encoding { get; }
    public Primaries Primaries { get; }

    public ColorSpace(ColorEncoding encoding, Primaries primaries)
    {
        (Encoding, Primaries) = (encoding, primaries);
        (_toWorking, _fromWorking) = (primaries.To(Primaries.Bt709), Primaries.Bt709.To(primaries));
        _isWorking = primaries == Primaries.Bt709;
    }

    public static implicit operator ColorSpace(ColorEncoding encoding) => new(encoding, Primaries.Bt709);

    /// <summary>IEC 61966-2-1.</summary>
    public static readonly ColorSpace Srgb = ColorEncoding.Srgb;

    /// <param name="primaries">As commands and documents name them; null, and what names none: BT.709's.</param>
    public static ColorSpace Of(ColorEncoding encoding, string? primaries) =>
        new(encoding, Primaries.Named(primaries ?? "") ?? Primaries.Bt709);

    /// <summary>
    /// With the primaries that its standard goes with: ACEScct is of ACEScg's (S-2016-001), PQ and HLG of BT.2020's (BT.2100); others are
    /// of BT.709's.
    /// </summary>
    public static ColorSpace Usual(ColorEncoding encoding) =>
        new(
            encoding,
            encoding switch
            {
                ColorEncoding.AcesCct => Primaries.AcesCg,
                ColorEncoding.Pq or ColorEncoding.Hlg => Primaries.Bt2020,
                _ => Primaries.Bt709,
            }
        );

    /// <summary>As a sentence names it.</summary>
    public string Name => _isWorking ? ColorEncodings.NameOf(Encoding) : $"{ColorEncodings.NameOf(Encoding)} of {Primaries.Name}";

    /// <summary>What a document keeps of the primaries; null: BT.709's.</summary>
    public string? PrimariesKey => _isWorking ? null : Primaries.Key;

    /// <summary>Linear light in the working primaries of codes 0..1.</summary>
    public Vector3 ToLinear(Vector3 code) =>
        Through(
            _toWorking,
            new(
                ColorEncodings.ToLinear(Encoding, code.X),
                ColorEncodings.ToLinear(Encoding, code.Y),
                ColorEncodings.ToLinear(Encoding, code.Z)
            )
        );

    /// <summary>Codes, neither clamped nor rounded, of linear light in the working primaries.</summary>
    public Vector3 ToCodes(Vector3 light)
    {
        light = Through(_fromWorking, light);
        return new(
            ColorEncodings.FromLinear(Encoding, light.X),
            ColorEncodings.FromLinear(Encoding, light.Y),
            ColorEncodings.FromLinear(Encoding, light.Z)
        );
    }

    public FloatImage ToLinear(FloatImage codes) => Each(codes, ToLinear);

    public FloatImage ToCodes(FloatImage linear) => Each(linear, ToCodes);

    /// <summary>Light of these primaries as working light, and back; the same picture where nothing changes.</summary>
    public FloatImage ToWorking(FloatImage light) => Primaries.Convert(light, _toWorking);

    public FloatImage FromWorking(FloatImage light) => Primaries.Convert(light, _fromWorking);

    /// <summary>How much of each channel's change comes through in a working channel: a row of the matrix.</summary>
    public Vec3 Share(int channel) =>
        channel switch
        {
            0 => new(_toWorking.M11, _toWorking.M12, _toWorking.M13),
            1 => new(_toWorking.M21, _toWorking.M22, _toWorking.M23),
            _ => new(_toWorking.M31, _toWorking.M32, _toWorking.M33),
        };

    private Vector3 Through(in Matrix3 m, Vector3 c) => _isWorking ? c : (m * Vec3.From(c)).ToSingle();

    private static FloatImage Each(FloatImage image, Func<Vector3, Vector3> map)
    {
        FloatImage result = image.Copy();
        Parallel.For(0, image.Height, Cores.All, y =>
        {
            for (int i = y * image.Width * image.Channels; i < (y + 1) * image.Width * image.Channels; i += image.Channels)
            {
                Vector3 v = map(new(image.Data[i], image.Data[i + 1], image.Data[i + 2]));
                (result.Data[i], result.Data[i + 1], result.Data[i + 2]) = (v.X, v.Y, v.Z);
            }
        });
        return result;
    }
}
