using Plenk.Core.Shots;

namespace Plenk.Core.Finishing;

/// <summary>What a step asks of the frame that it is laid on.</summary>
[Flags]
public enum StepNeeds
{
    None = 0,

    /// <summary>The element's light by parts, and where each pixel goes.</summary>
    Parts = 1,
    Depth = 2,

    /// <summary>The plate's grain, measured.</summary>
    Grain = 4,

    /// <summary>Lights as the lens sees them.</summary>
    Lamps = 8,
}

/// <summary>
/// A kind of step: its names, how it begins, what can be set, what is wrong with it and what it does to a frame. Each has a file of its own
/// in Steps, and a line in <see cref="StepKinds.All"/>.
/// </summary>
public abstract class StepKind
{
    public abstract FinishKind Kind { get; }

    /// <summary>As a heading.</summary>
    public abstract string Title { get; }

    /// <summary>Within a sentence.</summary>
    public virtual string Name => char.ToLowerInvariant(Title[0]) + Title[1..];

    /// <summary>It acts on the merged picture; else on the element and what it does to the plate, before the merge.</summary>
    public virtual bool AfterMerge => false;

    /// <summary>It is of all that is seen, last: not of what is handed over in layers, nor of what is measured.</summary>
    public virtual bool OfWhole => false;

    /// <summary>It can be kept to single objects and materials.</summary>
    public virtual bool ByObjects => false;

    /// <summary>Something the artist should know, below the fields.</summary>
    public virtual string? Hint => null;

    /// <summary>How it begins, without an id.</summary>
    public virtual FinishStep Default => new() { Id = "", Kind = Kind };

    public virtual IReadOnlyList<KindField> Fields => [];

    /// <summary>A light that it can be of, where it is of one.</summary>
    public virtual bool Takes(Light light) => true;

    public virtual StepNeeds Needs(FinishStep step) => StepNeeds.None;

    /// <summary>What it is wrongly set to, in the artist's terms; null: it can be done.</summary>
    public virtual string? Fault(ShotDocument shot, FinishStep step) => null;

    /// <summary>Does it to the frame.</summary>
    /// <exception cref="FinishFault">It cannot be done to this frame.</exception>
    public abstract void Lay(FinishCanvas canvas, FinishStep step);

    /// <summary>What it comes to in a frame, in its own terms; null: nothing to say.</summary>
    public virtual string? Says(FinishStep step, StepEffect.Frames frames) => null;

    /// <summary>Settings that a document must bring, and that an older one may lack.</summary>
    protected T Given<T>(T? settings)
        where T : class => settings ?? throw new FinishFault($"The step {Name} has no settings. Take it away and add it again.");
}
