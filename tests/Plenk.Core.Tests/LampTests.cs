using System.Numerics;
using System.Text.Json.Nodes;
using Plenk.Core.Contact;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Lighting.Kinds;
using Plenk.Core.Shots;
using Plenk.Core.Tracing;
using Xunit;

namespace Plenk.Core.Tests;

/// <summary>Lamps, skies, panoramas and where the sun stands, against closed formulas and published values.</summary>
public sealed class LampTests
{
    /// <summary>Mean over many ways towards a light: the irradiance at a place.</summary>
    private static Vector3 Irradiance(
        Light light,
        Vec3 place,
        Vec3 normal,
        int samples = 1,
        Func<Light, Panorama>? panorama = null,
        Light? beside = null
    )
    {
        LightRig rig = LightRig.Of(beside is null ? [light] : [light, beside], panorama);
        return Irradiance(rig.Sampled[0], place, normal, samples);
    }

    private static Vector3 Irradiance(SampledLight light, Vec3 place, Vec3 normal, int samples)
    {
        Vector3 sum = default;
        for (uint i = 0; i < samples; i++)
        {
            sum += light.Sample(place.ToSingle(), normal.ToSingle(), Sampling.Point(i, 5, 1), null).Irradiance;
        }
        return sum / samples;
    }

    // Inverse-square and cosine law: 800 cd, 3 m above.
    [Theory]
    [InlineData(0, 88.8888889)]
    [InlineData(4, 19.2000000)]
    public void A_point_light(double x, double e) =>
        Assert.Equal(
            e,
            Irradiance(
                new Light
                {
                    Id = "p",
                    Kind = LightKind.Point,
                    Strength = 800,
                    Position = new(0, 3, 0),
                },
                new(x, 0, 0),
                Vec3.UnitY
            ).X,
            1e-4
        );

    // glTF extension KHR_lights_punctual, reference attenuation, 20° and 30°.
    [Theory]
    [InlineData(15, 1)]
    [InlineData(22, 0.68923040)]
    [InlineData(25, 0.29900730)]
    [InlineData(28, 0.052767262)]
    [InlineData(31, 0)]
    public void A_spots_cone(double degrees, double share)
    {
        // A facing surface a metre from it, at an angle off its axis.
        double a = Rotations.Radians(degrees);
        var spot = new Light
        {
            Id = "s",
            Kind = LightKind.Spot,
            Strength = 1,
            Position = default,
            Direction = Vec3.UnitY,
        };
        Vec3 at = new(Math.Sin(a), -Math.Cos(a), 0);
        Assert.Equal(share, Irradiance(spot, at, -at).X, 2e-6);
    }

    // Howell's catalogue of configuration factors: parallel above a corner (four of them: centred), perpendicular before a lower corner.
    [Fact]
    public void Rectangles_that_shine()
    {
        Light Above(double w, double h, double height) =>
            new()
            {
                Id = "r",
                Kind = LightKind.Rectangle,
                Strength = 1,
                Position = new(0, height, 0),
                Direction = Vec3.UnitY,
                Width = w,
                Height = h,
            };
        Assert.Equal(Math.PI * 0.5541264240, Irradiance(Above(2, 2, 1), default, Vec3.UnitY, 65536).X, 2e-3);
        Assert.Equal(Math.PI * 4 * 0.1673750099, Irradiance(Above(4, 2, 1), default, Vec3.UnitY, 65536).X, 3e-3);
        // Upright, 2 m wide and 1 m high, its foot on the floor a metre away: twice the corner's factor.
        var upright = new Light
        {
            Id = "r",
            Kind = LightKind.Rectangle,
            Strength = 1,
            Position = new(0, 0.5, -1),
            Direction = new(0, 0, -1),
            Width = 2,
            Height = 1,
        };
        Assert.Equal(Math.PI * 2 * 0.05573419700, Irradiance(upright, default, Vec3.UnitY, 65536).X, 1e-3);
        // Behind it is dark.
        Assert.Equal(0, Irradiance(upright, new(0, 0, -2), Vec3.UnitY, 64).X);
    }

    // The same catalogue: a card's picture shines like a rectangle of its light; half of it, like half of it.
    [Fact]
    public void Pictures_that_shine()
    {
        PlacedElement Card(Func<int, float> light, float repeat = 1)
        {
            // 2 × 2 m, a metre above the floor.
            var mesh = new TriangleMesh([new(-1, 0, 1), new(1, 0, 1), new(1, 0, -1), new(-1, 0, -1)], [0, 1, 2, 0, 2, 3])
            {
                TextureCoordinates = [new(0, repeat), new(repeat, repeat), new(repeat, 0), new(0, 0)],
            };
            var picture = new FloatImage(8, 8, 4);
            for (int i = 0; i < 64; i++)
            {
                (picture.Data[4 * i], picture.Data[4 * i + 1], picture.Data[4 * i + 2], picture.Data[4 * i + 3]) = (
                    light(i),
                    2 * light(i),
                    0,
                    1
                );
            }
            return new(
                "card",
                new(
                    new MeshTree(mesh),
                    [
                        new Material("card", default, 0, 1)
                        {
                            Emission = Vector3.One,
                            Picture = picture,
                            SeeThrough = true,
                        },
                    ]
                ),
                new Similarity(1, Matrix3.Identity, new(0, 1, 0))
            );
        }
        double whole = Math.PI * 0.5541264240;
        PictureLight Of(PlacedElement card, double stops = 0, bool both = true) => PictureLight.Of(card, "card", stops, both)!;
        Vector3 even = Irradiance(Of(Card(_ => 1)), default, Vec3.UnitY, 65536);
        Assert.Equal(whole, even.X, 2e-3);
        Assert.Equal(2 * whole, even.Y, 4e-3);
        Assert.Equal(0, even.Z);
        Assert.Equal(whole / 2, Irradiance(Of(Card(i => i % 8 < 4 ? 1 : 0)), default, Vec3.UnitY, 65536).X, 2e-3);
        Assert.Equal(4 * whole, Irradiance(Of(Card(_ => 1), stops: 2), default, Vec3.UnitY, 65536).X, 8e-3);
        // Four times beside and above itself its bright half is half of it again.
        Assert.Equal(whole / 2, Irradiance(Of(Card(i => i % 8 < 4 ? 1 : 0, repeat: 4)), default, Vec3.UnitY, 65536).X, 2e-2);
        // It is seen from +Y: below it is dark, unless it shines both ways; what is black is no light.
        Assert.Equal(0, Irradiance(Of(Card(_ => 1), both: false), default, Vec3.UnitY, 64).X);
        Assert.Null(PictureLight.Of(Card(_ => 0), "card", 0, true));
    }

    // Moon and Spencer 1942: 7π/9 of the zenith on the floor, here scaled to π; an unobstructed wall gets 0.96804 where the floor gets 2.44346.
    [Fact]
    public void An_overcast_sky()
    {
        var sky = new Light
        {
            Id = "o",
            Kind = LightKind.Sky,
            Sky = SkyKind.Overcast,
            Strength = 1,
        };
        Assert.Equal(Math.PI, Irradiance(sky, default, Vec3.UnitY, 16384).X, 2e-3);
        Assert.Equal(Math.PI * 0.968043220 / 2.44346095, Irradiance(sky, default, Vec3.UnitX, 65536).X, 5e-3);
    }

    [Theory]
    [InlineData(SkyKind.Gradient)]
    [InlineData(SkyKind.Clear)]
    [InlineData(SkyKind.Uniform)]
    public void A_floor_under_any_sky_gets_pi(SkyKind kind)
    {
        var sky = new Light
        {
            Id = "s",
            Kind = LightKind.Sky,
            Sky = kind,
            Strength = 1,
            Color = new(0.5, 0.8, 1),
            HorizonColor = new(1, 1, 0.9),
        };
        Vector3 e = Irradiance(
            sky,
            default,
            Vec3.UnitY,
            32768,
            beside: new Light
            {
                Id = "sun",
                Kind = LightKind.Sun,
                Direction = new(0.3, 0.7, 0.4),
            }
        );
        float luminance = 0.2126f * e.X + 0.7152f * e.Y + 0.0722f * e.Z;
        Assert.Equal(
            Math.PI,
            kind == SkyKind.Clear ? luminance : luminance / (0.2126 * 0.5 + 0.7152 * 0.8 + 0.0722),
            kind == SkyKind.Clear ? 0.7 : 0.02
        );
    }

    // Preetham, Shirley and Smits 1999, appendix A.2 (constants from memory): turbidity 2.5, sun 50° from the zenith, a view at 60° and 40° from the sun.
    [Fact]
    public void The_clear_sky_model()
    {
        var sky = new ClearSky(2.5, Rotations.Radians(50));
        Assert.Equal(5.334451, sky.Zenith.Luminance, 1e-5);
        Assert.Equal(0.241582, sky.Zenith.X, 1e-6);
        Assert.Equal(0.246051, sky.Zenith.Y, 1e-6);
        var (luminance, x, y) = sky.At(Rotations.Radians(60), Rotations.Radians(40));
        Assert.Equal(10.75057, luminance, 1e-4);
        Assert.Equal(0.259996, x, 1e-6);
        Assert.Equal(0.266759, y, 1e-6);
    }

    // The furnace: radiance 1 all around gives π; a small bright patch gives L Ω cos θ.
    [Fact]
    public void A_panorama_lights_as_its_integral_says()
    {
        Panorama Of(Func<int, int, float> light)
        {
            var image = new FloatImage(512, 256, 3);
            for (int y = 0; y < 256; y++)
            {
                for (int x = 0; x < 512; x++)
                {
                    float l = light(x, y);
                    (image[x, y, 0], image[x, y, 1], image[x, y, 2]) = (l, l, l);
                }
            }
            return new(image);
        }
        var around = new Light
        {
            Id = "a",
            Kind = LightKind.Panorama,
            Media = "a",
            Strength = 1,
        };
        Panorama even = Of((_, _) => 1);
        Assert.Equal(Math.PI, Irradiance(around, default, Vec3.UnitY, 4096, _ => even).X, 0.02);
        // Four pixels a side at u = 0.75 (towards +X), 45° up; turned by 90° it stands towards +Z.
        Panorama patch = Of((x, y) => x is >= 382 and < 386 && y is >= 62 and < 66 ? 5000 : 0);
        double omega = Enumerable.Range(62, 4).Sum(r => 4 * Panorama.SolidAngle(512, 256, r)),
            expected = 5000 * omega * Math.Cos(Math.PI / 4);
        Assert.Equal(expected, Irradiance(around, default, Vec3.UnitY, 32768, _ => patch).X, 0.03 * expected);
        Assert.Equal(
            5000 * omega * Math.Cos(Math.PI / 4),
            Irradiance(around with { HeadingDegrees = 90 }, default, Vec3.UnitZ, 32768, _ => patch).X,
            0.05 * expected
        );
        Assert.Equal(0, Irradiance(around with { HeadingDegrees = 90 }, default, new(0, -1, 0), 4096, _ => patch).X, 1e-3);
    }

    [Fact]
    public void Keys_alone_and_temperature()
    {
        var torch = new Light
        {
            Id = "t",
            Kind = LightKind.Spot,
            Strength = 1,
        };
        // As it was kept before lights were keyed as everything is.
        JsonObject old = JsonNode
            .Parse(
                ShotJson.Write(
                    new()
                    {
                        Production = "P",
                        Sequence = "S",
                        Code = "C",
                        Lights = [torch],
                    }
                )
            )!
            .AsObject();
        old["schemaVersion"] = 4;
        old["lights"]![0]!["keys"] = JsonNode.Parse(
            """[{"frame":1010,"strength":4,"direction":[0,1,0]},{"frame":1001,"strength":2,"direction":[1,1,0]}]"""
        );
        ShotDocument raised = ShotJson.Read(old.ToJsonString());
        Light At(double frame) => Hanging.At(raised, frame).Lights[0];
        Assert.Equal(3, At(1005).Strength + 1.0 / 9, 1e-9); // 2 + 2 · 4/9
        Assert.Equal(2, At(990).Strength);
        Assert.Equal(4, At(1100).Strength);
        Assert.Equal(45, Rotations.Degrees(Math.Atan2(At(1001).Direction.X, At(1001).Direction.Y)), 1e-9);
        Light sun = new() { Id = "sun", Kind = LightKind.Sun },
            lamp =
                new()
                {
                    Id = "lamp",
                    Kind = LightKind.Point,
                    Alone = true,
                };
        Assert.Equal(LightKind.Point, Assert.Single(LightRig.Of([sun, lamp]).Sampled).Kind);
        Vector3 e = Irradiance(
            new Light
            {
                Id = "p",
                Kind = LightKind.Point,
                Strength = 9,
                Position = new(0, 3, 0),
                Kelvin = 3200,
            },
            default,
            Vec3.UnitY
        );
        Assert.Equal(0.5157, e.Y / e.X, 4e-3);
        Assert.Equal(0.1937, e.Z / e.X, 8e-3);
    }

    // CIE 15; spectral sums with the 2° observer (the cubic fits of Kim et al. 2002 stay within 0.0012).
    [Theory]
    [InlineData(2000, 0.5267, 0.4134)]
    [InlineData(2856, 0.4476, 0.4075)]
    [InlineData(3200, 0.4234, 0.3991)]
    [InlineData(5500, 0.3325, 0.3412)]
    [InlineData(10000, 0.2807, 0.2885)]
    public void Black_bodies(double kelvin, double x, double y)
    {
        var (px, py) = ColorTemperature.Planckian(kelvin);
        Assert.Equal(x, px, 1.2e-3);
        Assert.Equal(y, py, 1.2e-3);
    }

    // CIE 15 daylight locus; McCamy 1992.
    [Theory]
    [InlineData(6504, 0.31271, 0.32912)]
    [InlineData(5003, 0.34565, 0.35860)]
    [InlineData(5500, 0.33250, 0.34761)]
    [InlineData(10000, 0.27880, 0.29197)]
    public void Daylight(double kelvin, double x, double y)
    {
        var (dx, dy) = ColorTemperature.Daylight(kelvin);
        Assert.Equal(x, dx, 1e-5);
        Assert.Equal(y, dy, 1e-5);
        Assert.Equal(6505.1, ColorTemperature.Correlated(0.3127, 0.3290), 0.1);
        Assert.Equal(2857.3, ColorTemperature.Correlated(0.44757, 0.40745), 0.1);
    }

    // Meeus, Astronomical Algorithms, 2nd edition, chapter 7 and example 12.a.
    [Theory]
    [InlineData(2000, 1, 1.5, 2451545.0)]
    [InlineData(1957, 10, 4.81, 2436116.31)]
    [InlineData(1987, 1, 27.0, 2446822.5)]
    [InlineData(1988, 6, 19.5, 2447332.0)]
    [InlineData(1900, 1, 1.0, 2415020.5)]
    public void Julian_days(int year, int month, double day, double julian)
    {
        Assert.Equal(julian, SolarPosition.JulianDay(year, month, day), 1e-6);
        Assert.Equal(197.693195, SolarPosition.SiderealDegrees(SolarPosition.JulianDay(1987, 4, 10)), 1e-6);
    }

    // Meeus, example 25.a: 1992-10-13, 0h dynamical time.
    [Fact]
    public void Solar_coordinates()
    {
        var (ra, dec, longitude, distance) = SolarPosition.Coordinates(2448908.5);
        Assert.Equal(198.38083, ra, 2e-5);
        Assert.Equal(-7.78507, dec, 2e-5);
        Assert.Equal(199.90895, longitude, 2e-5);
        Assert.Equal(0.99766, distance, 1e-5);
    }

    // Reda and Andreas, NREL/TP-560-34302, the worked example, 2003-10-17 12:30:30 UTC−7: zenith 50.11162°, azimuth 194.34024° (to 0.02° for a low-accuracy method).
    [Fact]
    public void The_sun_at_a_place_and_time()
    {
        SunAngles sun = SolarPosition.At(new DateTimeOffset(2003, 10, 17, 12, 30, 30, TimeSpan.FromHours(-7)), 39.742476, -105.1786);
        Assert.Equal(90 - 50.11162, sun.ElevationDegrees, 0.02);
        Assert.Equal(194.34024, sun.AzimuthDegrees, 0.02);
        // To the scene (derived): east is +X, north −Z; with north turned by 25°.
        var exact = new SunAngles(194.34024, 39.888378);
        Assert.True((exact.Direction() - new Vec3(-0.190043307, 0.641294032, 0.743387857)).Length < 2e-6);
        Assert.True((exact.Direction(25) - new Vec3(-0.486407013, 0.641294032, 0.593422432)).Length < 2e-6);
    }

    // Derived: the height at upper culmination is 90° − |latitude − declination|.
    [Theory]
    [InlineData(51.5, 6, 21, 61.94)]
    [InlineData(51.5, 12, 21, 15.06)]
    [InlineData(-33.9, 6, 21, 32.66)]
    public void Noon(double latitude, int month, int day, double height)
    {
        double highest = Enumerable
            .Range(0, 24 * 60)
            .Max(m =>
                SolarPosition.At(new DateTimeOffset(2026, month, day, 0, 0, 0, TimeSpan.Zero).AddMinutes(m), latitude, 0).ElevationDegrees
            );
        Assert.Equal(height, highest - SolarPosition.Refraction(height), 0.02);
    }
}
