using System.Numerics;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

/// <summary>
/// A kind of light: its names, how it begins, what can be set of it, what is wrong with it, and what it sends where. Each has a file of its
/// own here and a line in <see cref="LightForms.All"/>.
/// </summary>
public abstract class LightForm
{
    public abstract LightKind Kind { get; }

    /// <summary>Within a sentence.</summary>
    public virtual string Name => Kind.ToString().ToLowerInvariant();

    /// <summary>What its strength is: irradiance, radiance, radiant intensity, in the plate's linear light.</summary>
    public abstract string Strength { get; }

    /// <summary>It hangs at a place of the set; else it lies around everything.</summary>
    public virtual bool Hangs => false;

    /// <summary>It is offered by a button; others come in as files.</summary>
    public virtual bool IsAdded => true;

    /// <summary>It comes from, or shines against, a direction.</summary>
    public virtual bool IsAimed => false;

    /// <summary>How it begins, without an id.</summary>
    public virtual Light Default =>
        new()
        {
            Id = "",
            Kind = Kind,
            Direction = new(0.5, 0.7, 0.5),
            Strength = 0.3,
        };

    /// <summary>What can be set beside strength, colour, direction and place.</summary>
    public virtual IReadOnlyList<KindField> Fields => [];

    /// <summary>What it is wrongly set to, in the artist's terms; null: it can shine.</summary>
    public virtual string? Fault(Light light) => null;

    /// <summary>Puts it into a rig, in the form rays need it.</summary>
    /// <param name="light">As it is at a frame.</param>
    /// <param name="strength">Times its colour.</param>
    public abstract void Into(RigParts rig, Light light, Vector3 strength);
}
