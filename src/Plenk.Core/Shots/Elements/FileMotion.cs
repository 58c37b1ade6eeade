namespace Plenk.Core.Shots;

/// <summary>How the animation of an element's file runs in the shot.</summary>
public sealed record FileMotion : Extensible
{
    /// <summary>The shot frame at which it begins.</summary>
    public double StartFrame { get; init; } = 1001;

    /// <summary>Times as fast as its file has it, by the shot's own rate.</summary>
    public double Speed { get; init; } = 1;

    /// <summary>It begins anew when it has ended; else it stays as it ended.</summary>
    public bool Repeats { get; init; }

    /// <summary>How far into it a frame is, seconds.</summary>
    /// <param name="length">Of the animation, seconds.</param>
    public double SecondsAt(double frame, double framesPerSecond, double length)
    {
        double seconds = (frame - StartFrame) / framesPerSecond * Speed;
        return Repeats && length > 0 ? seconds - length * Math.Floor(seconds / length) : Math.Clamp(seconds, 0, length);
    }
}
