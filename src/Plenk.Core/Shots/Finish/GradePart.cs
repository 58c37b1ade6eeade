using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>What a grade acts on: the element, or one part of its light.</summary>
[JsonConverter(typeof(JsonStringEnumConverter<GradePart>))]
public enum GradePart
{
    Element,
    Diffuse,
    Specular,
    Reflection,
    Emission,

    /// <summary>What one light brings; <see cref="FinishStep.Light"/> names it.</summary>
    Light,

    /// <summary>What new lamps bring onto the set.</summary>
    Added,

    /// <summary>What is seen of elements in mirroring pieces.</summary>
    Mirror,
}
