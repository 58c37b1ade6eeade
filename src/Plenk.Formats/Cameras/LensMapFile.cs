using Plenk.Core.Cameras;
using Plenk.Formats.Cameras.LensMaps;
using Plenk.Formats.Exr;

namespace Plenk.Formats.Cameras;

/// <summary>
/// Lens maps in: an EXR of the plate's shape whose R and G say where in the plate a straight pixel comes from, in one of the forms below,
/// or the other way, where in the straight picture the plate's pixel goes. Which it is is known by what a lens leaves of it.
/// </summary>
public static class LensMapFile
{
    /// <summary>A lens, how it was read, and what it leaves in pixels of the camera's picture.</summary>
    public sealed record Reading(Lens Lens, string How, double RmsPx, double WorstPx);

    private const double Acceptable = 1; // pixels

    public static IReadOnlyList<LensMapForm> Forms { get; } =
    [new ShareForm(fromBottom: true), new ShareForm(fromBottom: false), new PixelForm()];

    public static Reading Read(string path, string name, Pinhole pinhole)
    {
        ExrPicture map = ExrFile.Read(path);
        FormatFault Bad(string what) =>
            new("file", $"{name} {what}", "Export the map again with R and G as positions, from 0 to 1 or in pixels, in float.");
        float[] u = (map.Find("", "R") ?? map.Find("", "X"))?.Values ?? throw Bad("has no channel R"),
            v = (map.Find("", "G") ?? map.Find("", "Y"))?.Values ?? throw Bad("has no channel G");
        if (Math.Abs((double)map.Width / map.Height / ((double)pinhole.Width / pinhole.Height) - 1) > 0.01)
        {
            throw new FormatFault(
                "size",
                $"{name} is {map.Width} × {map.Height}, another shape than the camera's {pinhole.Width} × {pinhole.Height}",
                "Bring the map of this plate."
            );
        }
        var best = new List<Reading>();
        string? why = null;
        foreach (LensMapForm form in Forms)
        {
            var straight = new List<(double, double, double, double)>();
            int step = Math.Max(1, (int)Math.Sqrt(map.Width * map.Height / 6000.0));
            double sx = (double)pinhole.Width / map.Width,
                sy = (double)pinhole.Height / map.Height;
            for (int y = step / 2; y < map.Height; y += step)
            {
                for (int x = step / 2; x < map.Width; x += step)
                {
                    var (atX, atY) = form.Spot(u[y * map.Width + x], v[y * map.Width + x], map.Width, map.Height);
                    if (double.IsFinite(atX) && double.IsFinite(atY))
                    {
                        straight.Add(((x + 0.5) * sx, (y + 0.5) * sy, atX * pinhole.Width, atY * pinhole.Height));
                    }
                }
            }
            foreach (bool undistorts in (bool[])[true, false])
            {
                LensFitResult? fit = LensFit.FromMap(
                    undistorts ? straight : [.. straight.Select(s => (s.Item3, s.Item4, s.Item1, s.Item2))],
                    pinhole,
                    out string? reason
                );
                if (fit is null)
                {
                    why ??= reason;
                    continue;
                }
                best.Add(
                    new(
                        fit.Lens,
                        $"{(undistorts ? "makes the plate straight" : "makes straight pictures like the plate")}, counted {form.Name}",
                        fit.RmsPx,
                        fit.WorstPx
                    )
                );
            }
        }
        Reading found = best.MinBy(r => r.RmsPx) ?? throw Bad($"is no lens map: {why}");
        return found.RmsPx <= Acceptable
            ? found
            : throw new FormatFault(
                "file",
                $"{name} is no map of a lens like ours: at best it is off by {found.RmsPx:0.0} px (read as one that {found.How})",
                "Is it this camera's, at this focal length? Was it saved as a picture, with a colour transform?"
            );
    }
}
