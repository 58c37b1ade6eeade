using System.Text.Json.Serialization;

namespace Plenk.Core.Shots;

/// <summary>From a shot frame to another, both included; null: from the beginning, to the end.</summary>
public sealed record CarrierSpan(int? From = null, int? To = null);

/// <summary>
/// What a thing hangs on: its place and turn are told in that one's frame. While it is let go it stays where it was, and taken up again it
/// goes on from there: it never jumps.
/// </summary>
public sealed record Carrier : Extensible
{
    /// <summary>Where that one stands in the document: “movingObjects/cart”, “elements/bell”, “pieces/lid”, “lights/torch”.</summary>
    public required string On { get; init; }

    /// <summary>It turns with it; else only its place goes along.</summary>
    public bool Turns { get; init; } = true;

    /// <summary>When it hangs there, in order; none: always. Before the first that has a beginning it stands in the world.</summary>
    public IReadOnlyList<CarrierSpan> During { get; init; } = [];

    /// <summary>Its place is told in the world, as it hangs on nothing at first.</summary>
    [JsonIgnore]
    public bool BeginsFree => During.Count > 0 && During[0].From is not null;

    /// <summary>It hangs at a frame.</summary>
    public bool IsHeld(int frame) =>
        During.Count == 0 || During.Any(s => !(s.From is { } from && frame < from) && !(s.To is { } to && frame > to));

    /// <summary>Let go of at a frame, or taken up again there: the rest of the range goes with it up to where that changes anyway.</summary>
    public Carrier Switched(int frame)
    {
        if (During.Count == 0)
        {
            return this with { During = [new(null, frame)] };
        }
        List<CarrierSpan> spans = [.. During];
        int at = spans.FindIndex(s => !(s.From is { } from && frame < from) && !(s.To is { } to && frame > to));
        if (at < 0)
        {
            int after = spans.FindIndex(s => s.From > frame);
            spans.Insert(after < 0 ? spans.Count : after, new(frame, after < 0 ? null : spans[after].From - 1));
        }
        // At a span's own first frame all of it goes.
        else if (spans[at].From == frame)
        {
            spans.RemoveAt(at);
        }
        else
        {
            spans[at] = spans[at] with { To = frame };
        }
        return this with { During = spans };
    }
}
