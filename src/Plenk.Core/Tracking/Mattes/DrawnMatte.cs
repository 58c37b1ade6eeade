using Plenk.Core.Shots;

namespace Plenk.Core.Tracking.Mattes;

/// <summary>An outline by keys, and its motion; its hands stand on the page.</summary>
public sealed class DrawnMatte : MatteForm
{
    public override MatteKind Kind => MatteKind.Drawn;
    public override bool GrowsItself => true;

    public override string Aside(Matte matte) =>
        $"{matte.Keys.Count} key{(matte.Keys.Count == 1 ? "" : "s")}{(matte.Motion is null ? "" : ", carried")}{(matte.Followed.Count == 0 ? "" : ", followed")}";

    /// <summary>While the shutter is open a matte that is blurred by it is looked at so often.</summary>
    private const int Moments = 12;

    public override float[] Coverage(Matte matte, int frame, int width, int height, double scale, IMatteSources sources)
    {
        double open = matte.BlursByShutter ? sources.Shutter : 0;
        if (open <= 0)
        {
            return MatteShape.Coverage(matte, frame, width, height, scale);
        }
        var sum = new float[width * height];
        for (int i = 0; i < Moments; i++)
        {
            float[] own = MatteShape.Coverage(matte, frame + ((i + 0.5) / Moments - 0.5) * open, width, height, scale);
            for (int k = 0; k < sum.Length; k++)
            {
                sum[k] += own[k] / Moments;
            }
        }
        return sum;
    }
}
