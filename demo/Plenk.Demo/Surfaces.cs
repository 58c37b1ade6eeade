using System.Numerics;

namespace Plenk.Demo;

/// <summary>What a spot of the hall is made of: diffuse albedo, strength of the mirror part at normal incidence, and its bumped normal.</summary>
public readonly record struct Surface(Vector3 Albedo, float Mirror, Vector3 MirrorNormal);

/// <summary>Procedural paint, tile, silt, rust and damp. Everything is a function of the spot, so frames agree.</summary>
public static class Surfaces
{
    public static Surface At(Stuff stuff, Vector3 p, Vector3 n) =>
        stuff switch
        {
            Stuff.BasinTile => BasinTile(p, n),
            Stuff.Deck => Deck(p, n),
            Stuff.Coping => Stone(p, n),
            Stuff.Plaster => Plaster(p, n),
            Stuff.Iron => PaintedIron(p, n),
            Stuff.Timber => Timber(p, n),
            Stuff.Board => Boards(p, n),
            Stuff.Cubicle => Cubicle(p, n),
            Stuff.WindowFrame => Flat(new(0.42f, 0.44f, 0.40f), p, n, 6),
            Stuff.Rail => new(
                Vector3.Lerp(new(0.34f, 0.33f, 0.31f), new(0.24f, 0.11f, 0.05f), Noise.Step(0.5f, 0.7f, Noise.Fractal(p * 9, 4))),
                0.10f,
                n
            ),
            Stuff.Rubble => Flat(
                Noise.Cell((int)(p.X * 3), (int)(p.Z * 3), 1) > 0.5f ? new(0.55f, 0.52f, 0.46f) : new(0.38f, 0.33f, 0.28f),
                p,
                n,
                30
            ),
            Stuff.Concrete => Concrete(p, n),
            Stuff.Chequer => Chequer(p, n),
            Stuff.Locker => Locker(p, n),
            Stuff.Coat => Flat(new(0.17f, 0.20f, 0.155f), p, n, 22),
            Stuff.Trousers => Flat(new(0.10f, 0.095f, 0.09f), p, n, 24),
            Stuff.Skin => Flat(new(0.44f, 0.29f, 0.21f), p, n, 12),
            Stuff.Boot => Flat(new(0.035f, 0.034f, 0.032f), p, n, 18) with { Mirror = 0.03f },
            Stuff.Mop => Flat(new(0.55f, 0.51f, 0.43f), p, n, 60),
            _ => Door(p, n),
        };

    private static Surface Flat(Vector3 c, Vector3 p, Vector3 n, float scale) =>
        new(c * (0.75f + 0.5f * Noise.Fractal(p * scale, 3)), 0, n);

    /// <summary>The two coordinates of a spot on an axis-aligned face; slopes count as floors.</summary>
    private static Vector2 OnFace(Vector3 p, Vector3 n)
    {
        Vector3 a = Vector3.Abs(n);
        return a.Y > 0.7f ? new(p.X, p.Z)
            : a.X > a.Z ? new(p.Z, p.Y)
            : new(p.X, p.Y);
    }

    private static Surface BasinTile(Vector3 p, Vector3 n)
    {
        const float size = 0.15f;
        bool floor = n.Y > 0.7f;
        Vector2 t = OnFace(p, n) / size;
        if (!floor)
        {
            t.X += MathF.Floor(t.Y) % 2 == 0 ? 0.5f : 0;
        }
        int ix = (int)MathF.Floor(t.X),
            iy = (int)MathF.Floor(t.Y);
        int side =
            floor ? 0
            : n.X > 0.5f ? 1
            : n.X < -0.5f ? 2
            : 3;
        float r0 = Noise.Cell(ix, iy, side),
            r1 = Noise.Cell(ix, iy, side + 10),
            r2 = Noise.Cell(ix, iy, side + 20);
        float fx = t.X - ix,
            fy = t.Y - iy;
        float edge = MathF.Min(MathF.Min(fx, 1 - fx), MathF.Min(fy, 1 - fy)) * size;

        var glaze = Vector3.Lerp(new(0.66f, 0.68f, 0.62f), new(0.54f, 0.62f, 0.58f), r0 * 0.9f);
        glaze *= 0.86f + 0.22f * r1;
        if (floor)
        {
            // Lane lines with a bar across their southern ends, and a darker border along the walls.
            float lane = MathF.Abs(MathF.Abs(p.X + 1.0f) - 1.0f);
            bool line = (MathF.Abs(p.X) < 0.16f || MathF.Abs(MathF.Abs(p.X) - 2.0f) < 0.16f) && p.Z < 0.3f;
            bool bar = p.Z is > -0.1f and < 0.21f && (MathF.Abs(p.X) < 0.5f || MathF.Abs(MathF.Abs(p.X) - 2.0f) < 0.5f);
            if (line || bar)
            {
                glaze = new Vector3(0.045f, 0.075f, 0.12f) * (0.8f + 0.5f * r1 + 0.1f * lane);
            }
            if (MathF.Abs(p.X) > 3.7f)
            {
                glaze = new Vector3(0.12f, 0.20f, 0.19f) * (0.8f + 0.4f * r1);
            }
        }
        else if (side != 0 && p.Y > -0.36f && p.Y < -0.06f)
        {
            glaze = ((ix + iy) & 1) == 0 ? new Vector3(0.06f, 0.16f, 0.17f) * (0.8f + 0.4f * r1) : glaze;
        }
        // Repairs with a newer, greyer tile; tiles lost down to the mortar bed.
        float patch = Noise.Fractal(new Vector3(ix * 0.08f, iy * 0.08f, side * 5), 3);
        if (r2 > 0.985f)
        {
            glaze = new(0.58f, 0.56f, 0.50f);
        }
        bool lost = r2 < 0.012f || (patch > 0.70f && r2 < 0.42f);
        float mirror = 0.045f;
        float crack = Noise.Cracks(p * 0.9f, 0.006f, 5) * Noise.Step(0.45f, 0.6f, Noise.Fractal(p * 0.31f + new Vector3(9, 1, 4), 3));
        glaze *= 0.93f + 0.14f * Noise.Fractal(p * 40, 3);
        Vector3 albedo = glaze;
        if (edge < 0.0035f)
        {
            albedo = new Vector3(0.30f, 0.28f, 0.24f) * (0.7f + 0.6f * Noise.Value(p * 25));
            mirror = 0;
        }
        if (lost)
        {
            albedo = new Vector3(0.36f, 0.32f, 0.27f) * (0.65f + 0.7f * Noise.Fractal(p * 30, 4));
            mirror = 0;
        }
        albedo = Vector3.Lerp(albedo, new Vector3(0.07f, 0.06f, 0.05f), crack * 0.85f);

        // Silt gathers low and in the corners; lime and rust run down the walls.
        Vector3 mirrorNormal = n;
        if (floor)
        {
            float silt =
                Noise.Fractal(new Vector3(p.X * 0.55f, 0, p.Z * 0.35f), 5)
                + 0.10f * Noise.Step(2.6f, 4, MathF.Abs(p.X))
                + 0.05f * Noise.Step(0, -12, p.Z);
            float amount = Noise.Step(0.46f, 0.72f, silt) * (0.55f + 0.45f * Noise.Fractal(p * 11, 3));
            albedo = Vector3.Lerp(albedo, new Vector3(0.25f, 0.20f, 0.14f) * (0.75f + 0.5f * Noise.Fractal(p * 22, 3)), amount * 0.85f);
            mirror *= 1 - amount;
            float wet = Wetness(p);
            if (wet > 0)
            {
                albedo *= 1 - 0.45f * wet;
                mirror = MathF.Max(mirror, 0.026f * wet + 0.004f);
                float calm = Noise.Step(0.55f, 1, wet);
                mirrorNormal = Bump(n, p, 7, 0.012f * (1 - calm) + 0.0015f);
                return new(albedo, mirror, mirrorNormal);
            }
        }
        else
        {
            float run = Noise.Fractal(new Vector3(p.X * 3.1f + p.Z * 3.1f, p.Y * 0.35f, side), 4);
            float stain = Noise.Step(0.52f, 0.74f, run) * Noise.Step(-2.2f, -0.1f, p.Y);
            albedo = Vector3.Lerp(albedo, new Vector3(0.33f, 0.22f, 0.11f), stain * 0.6f);
            float tide = Noise.Step(0.35f, 0, MathF.Abs(p.Y + 0.75f + 0.12f * Noise.Value(p * 2)));
            albedo *= 1 - 0.22f * tide;
            float silt = Noise.Step(0.5f, 0, p.Y - BathHall.FloorHeight(p.Z) + 0.25f * Noise.Fractal(p * 3, 3));
            albedo = Vector3.Lerp(albedo, new Vector3(0.22f, 0.18f, 0.13f), silt * 0.7f);
            mirror *= 1 - 0.8f * MathF.Max(stain, silt);
        }
        // Every tile leans its own way by a few tenths of a degree.
        mirrorNormal = Vector3.Normalize(n + new Vector3(r0 - 0.5f, 0, r1 - 0.5f) * 0.012f);
        return new(albedo, mirror, Bump(mirrorNormal, p, 18, 0.008f));
    }

    /// <summary>0 dry .. 1 standing water; more of it towards the deep end.</summary>
    public static float Wetness(Vector3 p)
    {
        float pools = Noise.Fractal(new Vector3(p.X * 0.48f + 3.1f, 2, p.Z * 0.30f), 4) + 0.10f * Noise.Step(1, -13, p.Z);
        return Noise.Step(0.53f, 0.585f, pools);
    }

    private static Vector3 Bump(Vector3 n, Vector3 p, float scale, float strength)
    {
        float a = Noise.Fractal(p * scale, 2),
            b = Noise.Fractal(p * scale + new Vector3(7.7f, 3.3f, 1.9f), 2);
        return Vector3.Normalize(n + new Vector3(a - 0.5f, 0, b - 0.5f) * (2 * strength));
    }

    private static Surface Deck(Vector3 p, Vector3 n)
    {
        const float size = 0.20f;
        var t = new Vector2(p.X, p.Z) / size;
        int ix = (int)MathF.Floor(t.X),
            iy = (int)MathF.Floor(t.Y);
        float r = Noise.Cell(ix, iy, 40),
            q = Noise.Cell(ix, iy, 41);
        float fx = t.X - ix,
            fy = t.Y - iy;
        float edge = MathF.Min(MathF.Min(fx, 1 - fx), MathF.Min(fy, 1 - fy)) * size;
        Vector3 c = ((ix + iy) & 1) == 0 ? new(0.33f, 0.15f, 0.10f) : new(0.50f, 0.43f, 0.33f);
        c *= 0.78f + 0.36f * r;
        if (q > 0.99f)
        {
            c = new Vector3(0.30f, 0.28f, 0.26f);
        }
        float wear = Noise.Fractal(p * 1.3f, 4);
        c = Vector3.Lerp(c, new Vector3(0.34f, 0.28f, 0.22f), Noise.Step(0.48f, 0.75f, wear) * 0.65f);
        c *= 0.85f + 0.3f * Noise.Fractal(p * 35, 3);
        float crack = Noise.Cracks(p * 1.1f + new Vector3(4, 0, 9), 0.005f, 5) * Noise.Step(0.5f, 0.62f, Noise.Fractal(p * 0.4f, 3));
        c = Vector3.Lerp(c, new Vector3(0.06f), crack * 0.8f);
        float mirror = 0.03f * (1 - Noise.Step(0.4f, 0.6f, wear));
        if (edge < 0.004f)
        {
            (c, mirror) = (new Vector3(0.20f, 0.18f, 0.15f) * (0.7f + 0.5f * Noise.Value(p * 30)), 0);
        }
        float damp = Noise.Step(0.60f, 0.66f, Noise.Fractal(new Vector3(p.X * 0.7f, 8, p.Z * 0.7f), 4));
        c *= 1 - 0.35f * damp;
        return new(c, MathF.Max(mirror, 0.02f * damp), Bump(n, p, 12, 0.02f - 0.014f * damp));
    }

    private static Surface Stone(Vector3 p, Vector3 n)
    {
        float along = MathF.Abs(p.X) > BathHall.BasinHalfWidth - 0.05f && MathF.Abs(p.X) < 6 ? p.Z : p.X;
        float joint = MathF.Abs(along / 0.9f - MathF.Round(along / 0.9f)) * 0.9f;
        var c =
            new Vector3(0.52f, 0.50f, 0.45f)
            * (0.72f + 0.4f * Noise.Fractal(p * 4, 5) + 0.12f * Noise.Cell((int)MathF.Floor(along / 0.9f + 0.5f), 3, 3));
        c = Vector3.Lerp(c, new Vector3(0.22f, 0.20f, 0.15f), Noise.Step(0.56f, 0.78f, Noise.Fractal(p * 1.7f, 4)) * 0.7f);
        return new(joint < 0.004f ? c * 0.35f : c, 0, n);
    }

    private static Surface Plaster(Vector3 p, Vector3 n)
    {
        Vector2 t = OnFace(p, n);
        if (p.Y < 1.5f && MathF.Abs(n.Y) < 0.5f)
        {
            // Bottle-green dado tiles under a cap line.
            const float w = 0.15f,
                h = 0.075f;
            float row = MathF.Floor(t.Y / h),
                x = t.X / w + (row % 2 == 0 ? 0 : 0.5f);
            float r = Noise.Cell((int)MathF.Floor(x), (int)row, 60);
            float fx = x - MathF.Floor(x),
                fy = t.Y / h - row;
            float edge = MathF.Min(MathF.Min(fx, 1 - fx) * w, MathF.Min(fy, 1 - fy) * h);
            Vector3 c = p.Y > 1.425f ? new(0.05f, 0.07f, 0.06f) : new Vector3(0.07f, 0.17f, 0.12f) * (0.7f + 0.6f * r);
            float dirt = Noise.Step(0.5f, 0.7f, Noise.Fractal(p * 1.1f, 4) + 0.15f * Noise.Step(0.6f, 0, p.Y));
            c = Vector3.Lerp(c, new Vector3(0.16f, 0.14f, 0.10f), dirt * 0.6f);
            return edge < 0.003f ? new(new Vector3(0.17f, 0.16f, 0.13f), 0, n) : new(c, 0.045f * (1 - dirt), Bump(n, p, 15, 0.015f));
        }
        var paint = new Vector3(0.63f, 0.58f, 0.46f) * (0.88f + 0.2f * Noise.Fractal(p * 0.9f, 4));
        float peel = Noise.Fractal(p * 0.75f + new Vector3(2, 7, 1), 6);
        float bare = Noise.Step(0.575f, 0.60f, peel);
        var under = new Vector3(0.45f, 0.40f, 0.34f) * (0.75f + 0.45f * Noise.Fractal(p * 9, 4));
        // Where even the plaster has come off, brick shows.
        float brick = Noise.Step(0.67f, 0.69f, peel);
        if (brick > 0)
        {
            float row = MathF.Floor(t.Y / 0.075f),
                bx = t.X / 0.225f + (row % 2 == 0 ? 0 : 0.5f);
            float fx = bx - MathF.Floor(bx),
                fy = t.Y / 0.075f - row;
            bool joint = fx is < 0.04f or > 0.96f || fy is < 0.13f;
            Vector3 b = joint
                ? new(0.34f, 0.31f, 0.27f)
                : new Vector3(0.36f, 0.15f, 0.09f) * (0.7f + 0.6f * Noise.Cell((int)MathF.Floor(bx), (int)row, 70));
            under = Vector3.Lerp(under, b, brick);
        }
        float run = Noise.Step(0.54f, 0.75f, Noise.Fractal(new Vector3(p.X * 2.2f + p.Z * 2.2f, p.Y * 0.22f, 4), 4));
        paint = Vector3.Lerp(paint, new Vector3(0.36f, 0.28f, 0.18f), run * 0.65f);
        paint = Vector3.Lerp(
            paint,
            new Vector3(0.20f, 0.23f, 0.17f),
            Noise.Step(0.60f, 0.78f, Noise.Fractal(p * 0.5f + new Vector3(5), 4)) * 0.5f
        );
        Vector3 albedo = Vector3.Lerp(paint, under, bare);
        if (MathF.Abs(peel - 0.575f) < 0.006f)
        {
            albedo *= 0.6f;
        }
        albedo *= 0.94f + 0.12f * Noise.Fractal(p * 30, 2);
        return new(albedo, 0, n);
    }

    private static Surface PaintedIron(Vector3 p, Vector3 n)
    {
        Vector3 paint = p.Y is > 0.25f and < 2.72f ? new(0.11f, 0.21f, 0.18f) : new(0.40f, 0.34f, 0.20f);
        if (p.Y > 3.4f)
        {
            paint = new(0.10f, 0.17f, 0.15f);
        }
        float rust = Noise.Fractal(p * new Vector3(6, 3, 6), 5) + 0.14f * Noise.Step(0.9f, 0, p.Y) + 0.08f * Noise.Step(2.5f, 2.8f, p.Y);
        float amount = Noise.Step(0.54f, 0.63f, rust);
        Vector3 iron = Vector3.Lerp(new(0.30f, 0.13f, 0.05f), new(0.13f, 0.06f, 0.035f), Noise.Fractal(p * 40, 3));
        Vector3 c = Vector3.Lerp(paint * (0.8f + 0.4f * Noise.Fractal(p * 14, 3)), iron, amount);
        if (MathF.Abs(rust - 0.54f) < 0.010f)
        {
            c = new Vector3(0.45f, 0.42f, 0.33f);
        } // the primer at the edge of a flake
        return new(c, 0.045f * (1 - amount), Bump(n, p, 30, 0.03f));
    }

    private static Surface Timber(Vector3 p, Vector3 n)
    {
        float grain = Noise.Fractal(new Vector3(p.X * 1.5f, p.Y * 16, p.Z * 6), 4);
        var c = Vector3.Lerp(new(0.17f, 0.115f, 0.07f), new(0.30f, 0.22f, 0.14f), grain);
        return new(c * (0.8f + 0.35f * Noise.Fractal(p * 0.8f, 3)), 0, n);
    }

    private static Surface Boards(Vector3 p, Vector3 n)
    {
        float b = p.X / 0.14f,
            f = b - MathF.Floor(b);
        var c =
            new Vector3(0.44f, 0.42f, 0.35f)
            * (0.7f + 0.3f * Noise.Cell((int)MathF.Floor(b), 0, 80) + 0.25f * Noise.Fractal(p * new Vector3(3, 1, 0.5f), 4));
        c = Vector3.Lerp(c, new Vector3(0.22f, 0.18f, 0.12f), Noise.Step(0.55f, 0.72f, Noise.Fractal(p * 0.35f, 4)));
        return new(f < 0.07f ? c * 0.35f : c, 0, n);
    }

    private static Surface Cubicle(Vector3 p, Vector3 n)
    {
        float door = p.Z / 0.95f,
            f = door - MathF.Floor(door);
        int id = (int)MathF.Floor(door);
        float plank = p.Z / 0.118f,
            g = plank - MathF.Floor(plank);
        Vector3 c =
            f is > 0.08f and < 0.92f && p.Y is > 0.22f and < 1.95f
                ? new Vector3(0.15f, 0.27f, 0.27f) * (0.75f + 0.5f * Noise.Cell(id, 1, 90))
                : new Vector3(0.52f, 0.49f, 0.39f);
        c *= 0.78f + 0.4f * Noise.Fractal(p * new Vector3(5, 1.5f, 9), 4);
        float flake = Noise.Step(0.60f, 0.64f, Noise.Fractal(p * 2.3f, 5) + 0.1f * Noise.Step(0.5f, 0, p.Y));
        c = Vector3.Lerp(c, new Vector3(0.24f, 0.17f, 0.11f), flake);
        if (f is > 0.065f and < 0.08f or > 0.92f and < 0.935f || (g < 0.06f && p.Y is > 0.22f and < 1.95f))
        {
            c *= 0.3f;
        }
        if (f is > 0.78f and < 0.82f && p.Y is > 1.02f and < 1.08f)
        {
            c = new Vector3(0.38f, 0.29f, 0.13f);
        }
        return new(c, 0, n);
    }

    private static Surface Concrete(Vector3 p, Vector3 n)
    {
        var c = new Vector3(0.46f, 0.45f, 0.42f) * (0.7f + 0.5f * Noise.Fractal(p * 3, 5));
        float run = Noise.Step(0.52f, 0.7f, Noise.Fractal(new Vector3(p.X * 5 + p.Z * 5, p.Y * 0.8f, 2), 4));
        return new(Vector3.Lerp(c, new Vector3(0.26f, 0.16f, 0.09f), run * 0.6f), 0, n);
    }

    private static Surface Chequer(Vector3 p, Vector3 n)
    {
        const float size = 0.40f;
        var t = new Vector2(p.X, p.Z) / size;
        int ix = (int)MathF.Floor(t.X),
            iy = (int)MathF.Floor(t.Y);
        float fx = t.X - ix,
            fy = t.Y - iy,
            edge = MathF.Min(MathF.Min(fx, 1 - fx), MathF.Min(fy, 1 - fy)) * size;
        Vector3 c =
            (((ix + iy) & 1) == 0 ? new Vector3(0.10f, 0.10f, 0.095f) : new Vector3(0.56f, 0.53f, 0.46f))
            * (0.8f + 0.35f * Noise.Cell(ix, iy, 44));
        c *= 0.85f + 0.3f * Noise.Fractal(p * 14 + new Vector3(ix, 0, iy), 5);
        // A path is worn from the street to the steps; plaster dust lies along the walls.
        float path = Noise.Step(1.4f, 0.2f, MathF.Abs(p.X + 2.9f) + 0.6f * Noise.Fractal(p * 0.8f, 3));
        c = Vector3.Lerp(c, new Vector3(0.33f, 0.30f, 0.25f), 0.35f * path);
        float dust = Noise.Step(
            0.52f,
            0.75f,
            Noise.Fractal(p * 0.9f, 5) + 0.2f * Noise.Step(-5.2f, -7, p.X) + 0.15f * Noise.Step(-5.5f, -7.2f, p.Z)
        );
        c = Vector3.Lerp(c, new Vector3(0.46f, 0.43f, 0.37f) * (0.8f + 0.4f * Noise.Fractal(p * 19, 3)), 0.7f * dust);
        float crack = Noise.Cracks(p * 0.8f + new Vector3(1, 0, 3), 0.005f, 5) * Noise.Step(0.5f, 0.62f, Noise.Fractal(p * 0.37f, 3));
        c = Vector3.Lerp(c, new Vector3(0.05f), crack * 0.8f);
        if (edge < 0.003f)
        {
            return new(new Vector3(0.14f, 0.13f, 0.11f), 0, n);
        }
        return new(c, 0.035f * (1 - dust), Bump(n, p, 9, 0.012f));
    }

    /// <summary>Painted steel doors with vents, numbers' brass plates, dents, scratches and the torn rests of bills; in the trolley's own space.</summary>
    private static Surface Locker(Vector3 p, Vector3 n)
    {
        bool front = MathF.Abs(n.X) > 0.7f;
        Vector3 c = new Vector3(0.20f, 0.25f, 0.31f) * (0.85f + 0.25f * Noise.Fractal(p * 3, 4));
        if (front)
        {
            float z = (p.Z + LockerTrolley.HalfWidth) / (2 * LockerTrolley.HalfWidth / 3),
                y = (p.Y - LockerTrolley.Foot) / ((LockerTrolley.Top - LockerTrolley.Foot) / 2);
            int column = (int)MathF.Floor(z),
                row = (int)MathF.Floor(y);
            float fz = z - column,
                fy = y - row;
            c *= 0.75f + 0.5f * Noise.Cell(column, row, 95);
            if (fz is < 0.03f or > 0.97f || fy is < 0.02f or > 0.98f)
            {
                c *= 0.25f;
            }
            if (fz is > 0.3f and < 0.7f && fy is > 0.82f and < 0.94f && (fy * 60 - MathF.Floor(fy * 60)) < 0.4f)
            {
                c *= 0.2f;
            }
            if (fz is > 0.40f and < 0.60f && fy is > 0.68f and < 0.75f)
            {
                c =
                    Noise.Cell((int)(fz * 70), (int)(fy * 90), row * 3 + column) > 0.55f
                        ? new(0.10f, 0.08f, 0.05f)
                        : new(0.46f, 0.37f, 0.18f);
            }
            if (fz is > 0.84f and < 0.89f && fy is > 0.42f and < 0.50f)
            {
                c = new(0.45f, 0.43f, 0.40f);
            }
            // Bills, torn.
            float torn = Noise.Fractal(p * 7 + new Vector3(3, column, row), 4);
            if (fz is > 0.18f and < 0.72f && fy is > 0.16f and < 0.58f && torn > 0.47f)
            {
                c =
                    Noise.Cell((int)(p.Z * 110), (int)(p.Y * 30), 97) > 0.42f && p.Y * 30 - MathF.Floor(p.Y * 30) < 0.4f
                        ? new(0.14f, 0.12f, 0.13f)
                        : new Vector3(0.60f, 0.55f, 0.44f) * (0.8f + 0.3f * torn);
            }
        }
        float rust = Noise.Fractal(p * 5 + new Vector3(8, 2, 5), 5) + 0.16f * Noise.Step(0.5f, 0.2f, p.Y);
        c = Vector3.Lerp(c, new Vector3(0.27f, 0.12f, 0.05f) * (0.6f + 0.7f * Noise.Fractal(p * 30, 3)), Noise.Step(0.56f, 0.62f, rust));
        float scratch = Noise.Cracks(p * 4, 0.012f, 4) * Noise.Step(0.5f, 0.6f, Noise.Fractal(p * 2.2f, 3));
        c = Vector3.Lerp(c, new Vector3(0.45f, 0.44f, 0.42f), scratch * 0.7f);
        return new(c, 0.02f, n);
    }

    private static Surface Door(Vector3 p, Vector3 n)
    {
        float x = MathF.Abs(p.X) - 3.2f;
        bool panel = MathF.Abs(MathF.Abs(x) - 0.35f) < 0.22f && (p.Y is > 0.25f and < 1.05f or > 1.25f and < 2.25f);
        var c = new Vector3(0.25f, 0.10f, 0.07f) * (0.8f + 0.4f * Noise.Fractal(p * new Vector3(3, 1, 3), 4));
        if (MathF.Abs(x) < 0.008f)
        {
            c *= 0.25f;
        }
        return new(panel ? c * 0.78f : c, 0.03f, n);
    }
}
