using System.Text;
using System.Text.Json;
using Plenk.Core.Images;
using Plenk.Core.Lighting;

namespace Plenk.Formats.Exr;

/// <summary>
/// ID mattes as the open ID-matte specification 1.2 lays them down: ranked pairs of hash and coverage in float channels, two pairs a level
/// (layer00.RGBA, layer01.RGBA …), and a manifest that gives each name its hash.
/// </summary>
public static class IdMatteFile
{
    /// <summary>The specification's own prefix of its header entries; readers look for it.</summary>
    private const string Prefix = "cryptomatte/";

    /// <summary>A layer that was read: coverage by name, a value a pixel.</summary>
    public sealed record Layer(string Name, IReadOnlyDictionary<string, float[]> Coverage, IReadOnlyList<string> Notes);

    /// <summary>MurmurHash3_x86_32 (Appleby, public domain).</summary>
    public static uint Hash(ReadOnlySpan<byte> data, uint seed = 0)
    {
        const uint c1 = 0xcc9e2d51,
            c2 = 0x1b873593;
        uint h = seed;
        int blocks = data.Length / 4;
        for (int i = 0; i < blocks; i++)
        {
            uint k = System.Buffers.Binary.BinaryPrimitives.ReadUInt32LittleEndian(data[(4 * i)..]) * c1;
            h ^= uint.RotateLeft(k, 15) * c2;
            h = uint.RotateLeft(h, 13) * 5 + 0xe6546b64;
        }
        uint rest = 0;
        for (int i = data.Length - 1; i >= 4 * blocks; i--)
        {
            rest = (rest << 8) | data[i];
        }
        if ((data.Length & 3) != 0)
        {
            h ^= uint.RotateLeft(rest * c1, 15) * c2;
        }
        h ^= (uint)data.Length;
        h = (h ^ (h >> 16)) * 0x85ebca6b;
        h = (h ^ (h >> 13)) * 0xc2b2ae35;
        return h ^ (h >> 16);
    }

    /// <summary>
    /// A name's ID: its hash, with a bit of the exponent turned where the float would be none (zero, subnormal, infinite, no number).
    /// </summary>
    public static uint IdOf(string name)
    {
        uint id = Hash(Encoding.UTF8.GetBytes(name)),
            exponent = (id >> 23) & 255;
        return exponent is 0 or 255 ? id ^ (1u << 23) : id;
    }

    public static float AsFloat(uint id) => BitConverter.UInt32BitsToSingle(id);

    /// <summary>Key of a layer's header entries: the first seven digits of its name's hash.</summary>
    public static string KeyOf(string layer) => Hash(Encoding.UTF8.GetBytes(layer)).ToString("x8")[..7];

    public static IReadOnlyDictionary<string, string> Attributes(string layer, IReadOnlyList<string> names)
    {
        string key = $"{Prefix}{KeyOf(layer)}/";
        var manifest = new SortedDictionary<string, string>(StringComparer.Ordinal);
        foreach (string n in names)
        {
            manifest[n] = IdOf(n).ToString("x8");
        }
        return new Dictionary<string, string>
        {
            [key + "name"] = layer,
            [key + "hash"] = "MurmurHash3_32",
            [key + "conversion"] = "uint32_to_float32",
            [key + "manifest"] = JsonSerializer.Serialize(
                manifest,
                new JsonSerializerOptions { Encoder = System.Text.Encodings.Web.JavaScriptEncoder.UnsafeRelaxedJsonEscaping }
            ),
        };
    }

    /// <summary>Float channels; never half, never averaged.</summary>
    /// <param name="names">By number; numbers of one name are added together.</param>
    public static IReadOnlyList<ExrChannel> Channels(IdMatte matte, IReadOnlyList<string> names)
    {
        int pixels = matte.Numbers.Length / IdMatte.Ranks;
        float[] ids = [.. names.Select(n => AsFloat(IdOf(n)))];
        var planes = new float[2 * IdMatte.Ranks][];
        for (int k = 0; k < planes.Length; k++)
        {
            planes[k] = new float[pixels];
        }
        for (int i = 0; i < pixels; i++)
        {
            for (int r = 0; r < IdMatte.Ranks; r++)
            {
                int number = matte.Numbers[i * IdMatte.Ranks + r];
                if (number >= 0)
                {
                    (planes[2 * r][i], planes[2 * r + 1][i]) = (ids[number], matte.Coverage[i * IdMatte.Ranks + r]);
                }
            }
        }
        return [.. planes.Select((p, k) => new ExrChannel($"{matte.Layer}{k / 4:00}.{"RGBA"[k % 4]}", p))];
    }

    /// <summary>
    /// What names of a layer cover together, a value a pixel, at most 1; a name that the picture does not show covers nothing. Null where
    /// there is no such layer.
    /// </summary>
    public static FloatImage? Coverage(ExrPicture picture, string layer, IReadOnlyList<string> names)
    {
        if (Read(picture).FirstOrDefault(l => l.Name == layer) is not { } found)
        {
            return null;
        }
        var sum = new FloatImage(picture.Width, picture.Height, 1);
        foreach (string name in names)
        {
            if (found.Coverage.TryGetValue(name, out float[]? own))
            {
                for (int i = 0; i < own.Length; i++)
                {
                    sum.Data[i] = Math.Min(1, sum.Data[i] + own[i]);
                }
            }
        }
        return sum;
    }

    /// <summary>
    /// All ID-matte layers of a picture. What has no manifest is named by its hash; coverage that adds up to more than a pixel, and IDs of
    /// half floats, are told.
    /// </summary>
    public static IReadOnlyList<Layer> Read(ExrPicture picture)
    {
        var layers = new List<Layer>();
        foreach (
            var (entry, name) in picture.Attributes.Where(a =>
                a.Key.StartsWith(Prefix, StringComparison.Ordinal) && a.Key.EndsWith("/name", StringComparison.Ordinal)
            )
        )
        {
            string key = entry[..^4];
            var notes = new List<string>();
            var byId = new Dictionary<uint, string>();
            if (picture.Attributes.TryGetValue(key + "manifest", out string? manifest))
            {
                try
                {
                    foreach (var (n, id) in JsonSerializer.Deserialize<Dictionary<string, string>>(manifest) ?? [])
                    {
                        if (uint.TryParse(id, System.Globalization.NumberStyles.HexNumber, null, out uint v))
                        {
                            byId[v] = n;
                        }
                    }
                }
                catch (JsonException)
                {
                    notes.Add($"The manifest of {name} cannot be read; its IDs are named by their hash.");
                }
            }
            else
            {
                notes.Add($"{name} has no manifest: its IDs are named by their hash.");
            }
            var coverage = new Dictionary<string, float[]>();
            var total = new float[picture.Width * picture.Height];
            int strange = 0,
                seen = 0;
            for (int level = 0; ; level++)
            {
                float[]?[] plane = [.. "RGBA".Select(c => picture.Channels.FirstOrDefault(k => k.Name == $"{name}{level:00}.{c}")?.Values)];
                if (plane[0] is null || plane[1] is null)
                {
                    break;
                }
                for (int pair = 0; pair < 2 && plane[2 * pair] is { } ids && plane[2 * pair + 1] is { } shares; pair++)
                {
                    for (int i = 0; i < ids.Length; i++)
                    {
                        uint id = BitConverter.SingleToUInt32Bits(ids[i]);
                        if (id == 0 || !(shares[i] > 0))
                        {
                            continue;
                        }
                        seen++;
                        if (byId.Count > 0 && !byId.ContainsKey(id))
                        {
                            strange++;
                        }
                        string who = byId.GetValueOrDefault(id, id.ToString("x8"));
                        // A picture whose IDs were averaged has a new one at every edge: they are not kept one by one.
                        if (!coverage.TryGetValue(who, out float[]? own))
                        {
                            if (coverage.Count >= 4096)
                            {
                                continue;
                            }
                            coverage[who] = own = new float[total.Length];
                        }
                        own[i] += shares[i];
                        total[i] += shares[i];
                    }
                }
            }
            if (total.Any(t => t > 1.001f))
            {
                notes.Add($"{name}: coverage adds up to more than a whole pixel; it was filtered or stored as half.");
            }
            if (seen > 0 && strange > seen / 50)
            {
                notes.Add(
                    $"{name}: {100.0 * strange / seen:0} % of its IDs are in no manifest; the picture was filtered or colour-transformed on "
                        + "its way. Export it anew, as float, without either."
                );
            }
            layers.Add(new(name, coverage, notes));
        }
        return layers;
    }
}
