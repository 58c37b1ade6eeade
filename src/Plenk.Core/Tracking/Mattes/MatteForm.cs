using Plenk.Core.Images;
using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>What mattes of a frame are made of, on a picture of one size; the frame and the size are its own.</summary>
public interface IMatteSources
{
    /// <summary>The plate, scene-linear, without its grain where there is a copy without.</summary>
    FloatImage Plate();

    /// <summary>How long the shot's shutter is open, frames.</summary>
    double Shutter { get; }

    /// <summary>Pictures of coverage, or the named parts of ID mattes.</summary>
    float[] Pictures(FrameSource source, IdChoice? ids);

    /// <summary>What an element covers.</summary>
    float[] Element(string id);

    /// <summary>What was filmed on another plate.</summary>
    float[] Filmed(FilmedFootage footage);

    /// <summary>What lies in a range of something that is known of each pixel.</summary>
    float[] Range(MatteRange range);
}

/// <summary>
/// A kind of matte: its words, its fields, what is wrong with it, and what lies in it. Each has a file of its own here and a line in <see
/// cref="MatteForms.All"/>.
/// </summary>
public abstract class MatteForm
{
    public abstract MatteKind Kind { get; }

    /// <summary>Beside its name in a list.</summary>
    public abstract string Aside(Matte matte);

    public virtual IReadOnlyList<KindField> Fields => [];

    /// <summary>It is read from the plate's picture.</summary>
    public virtual bool ReadsPlate => false;

    /// <summary>It is read from elements where they stand.</summary>
    public virtual bool ReadsElements => false;

    /// <summary>It is read from other plates, seen by the shot's camera.</summary>
    public virtual bool ReadsFootage => false;

    /// <summary>It is read from the set where it stands.</summary>
    public virtual bool ReadsSet => false;

    /// <summary>Its edge is grown and feathered as a shape; else as a picture.</summary>
    public virtual bool GrowsItself => false;

    /// <summary>What it is wrongly set to, in the artist's terms; null: it can be kept.</summary>
    public virtual string? Fault(ShotDocument shot, Matte matte) => null;

    /// <summary>What it lacks to be seen, with what would mend it; null: nothing.</summary>
    public virtual string? Lacks(Matte matte) => null;

    /// <summary>
    /// How much of each pixel lies in it, before it is joined to others; <paramref name="scale"/> is the picture's width over the plate's.
    /// </summary>
    public abstract float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources);
}
