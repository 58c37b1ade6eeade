namespace Plenk.Core.Shots;

/// <summary>What a curve's keys hold.</summary>
public enum CurveShape
{
    Number,
    Triple,
    Tick,
    Name,
}
