using System.Numerics;
using Plenk.Core.Shots;

namespace Plenk.Core.Lighting.Kinds;

public sealed class FillForm : LightForm
{
    public override LightKind Kind => LightKind.Fill;
    public override string Strength => "Radiance";

    public override void Into(RigParts rig, Light light, Vector3 strength)
    {
        if (light.InPlate)
        {
            rig.FillPlate += strength * MathF.PI;
        }
        else
        {
            rig.FillNew += strength * MathF.PI;
        }
    }
}
