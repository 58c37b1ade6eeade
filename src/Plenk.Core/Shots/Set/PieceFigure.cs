namespace Plenk.Core.Shots;

/// <summary>
/// A filmed figure: the matte that is its outline, its thickness, what it is turned to. It stands where its outline's foot meets the set,
/// or at the place of what it hangs on; keys correct it.
/// </summary>
public sealed record PieceFigure(string Matte, double ThicknessMetres = 0.25, bool TowardsLight = false)
{
    public IReadOnlyList<FigureKey> Keys { get; init; } = [];
}
