using System.Text.RegularExpressions;
using Plenk.Core.Geometry;
using Plenk.Core.Images;
using Plenk.Core.Lighting;
using Plenk.Core.Shots;
using Plenk.Formats.Exr;
using Plenk.Formats.Raster;
using Plenk.Store;

namespace Plenk.Work;

/// <summary>Writes a rendered frame: the comp as PNG in the plate's encoding, and the layers as one EXR (docs/exr-layers.md).</summary>
public static class FrameFiles
{
    public static string PngName(ShotDocument shot, int frame) => $"{shot.Code}.comp.{frame:0000}.png";

    public static string ExrName(ShotDocument shot, int frame) => $"{shot.Code}.layers.{frame:0000}.exr";

    /// <param name="only">Layers of the EXR, by their names; null: all there are.</param>
    /// <exception cref="ShotFault">There is no layer of a name.</exception>
    public static void Write(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        FrameLayers layers,
        string directory,
        IReadOnlyList<string>? only = null
    )
    {
        Directory.CreateDirectory(directory);
        MediaStore.WriteWhole(Path.Combine(directory, PngName(shot, frame)), RasterFile.ToPng(engine.Renderer.Comp(shot, frame, layers)));
        var (channels, attributes) = Channels(
            shot,
            frame,
            layers,
            engine.Plates.Plate(shot, frame, layers.Comp.Width),
            mattes: engine.Mattes.Named(shot, frame, layers.Comp.Width, layers.Comp.Height)
        );
        channels = Only(channels, only);
        try
        {
            ExrFile.Write(
                Path.Combine(directory, ExrName(shot, frame)),
                layers.Comp.Width,
                layers.Comp.Height,
                channels,
                ExrCompression.Zip,
                (shot.Rate.Num, shot.Rate.Den),
                attributes
            );
        }
        catch (IOException e) when (e.Message.Contains("space", StringComparison.OrdinalIgnoreCase))
        {
            throw new DiskFullException(ExrName(shot, frame));
        }
    }

    /// <summary>The channels of some layers; ranks of ID mattes go by the name without their number.</summary>
    public static IReadOnlyList<ExrChannel> Only(IReadOnlyList<ExrChannel> channels, IReadOnlyList<string>? layers)
    {
        if (layers is null)
        {
            return channels;
        }
        string[] there = [.. channels.Select(c => LayerOf(c.Name)).Distinct()];
        return layers.FirstOrDefault(l => !there.Contains(l)) is { } missing
            ? throw new ShotFault($"There is no layer “{missing}” in this shot; there are {string.Join(", ", there)}.")
            : [.. channels.Where(c => layers.Contains(LayerOf(c.Name)))];
    }

    /// <summary>A channel's layer; ranks of ID mattes go by the name without their number.</summary>
    internal static string LayerOf(string channel) => Regex.Replace(channel[..channel.LastIndexOf('.')], @"^(id_\w+?)\d\d$", "$1");

    /// <summary>Channels of a frame that is looked at, by layer.</summary>
    /// <param name="layers">With the data passes, parts and ID mattes.</param>
    public static IReadOnlyDictionary<string, IReadOnlyList<ExrChannel>> Layers(
        ShotEngine engine,
        ShotDocument shot,
        int frame,
        FrameLayers layers
    ) =>
        Channels(
            shot,
            frame,
            layers,
            engine.Plates.Plate(shot, frame, layers.Comp.Width),
            mattes: engine.Mattes.Named(shot, frame, layers.Comp.Width, layers.Comp.Height)
        )
            .Channels.GroupBy(c => LayerOf(c.Name))
            .ToDictionary(g => g.Key, g => (IReadOnlyList<ExrChannel>)[.. g]);

    /// <summary>A frame's layers as channels, and the texts that go with them.</summary>
    /// <param name="overscan">By how many pixels the layers go on beyond the plate on every side: the comp covers the plate alone.</param>
    /// <param name="plate">Linear, of the layers' size.</param>
    /// <param name="mattes">The shot's mattes, of the plate's size without the overscan; or why one cannot be told in that frame.</param>
    /// <param name="into">Primaries that colours are written in; null: the working ones.</param>
    public static (IReadOnlyList<ExrChannel> Channels, IReadOnlyDictionary<string, string> Attributes) Channels(
        ShotDocument shot,
        int frame,
        FrameLayers layers,
        FloatImage plate,
        int overscan = 0,
        Primaries? into = null,
        IReadOnlyList<(string Name, float[]? Coverage, string? Fault)>? mattes = null
    )
    {
        var channels = new List<ExrChannel>();
        Matrix3 by = Primaries.Bt709.To(into ?? Primaries.Bt709);
        void Colour(string layer, FloatImage image, string names) => Add(layer, Primaries.Convert(image, by), names, half: true);
        void Add(string layer, FloatImage image, string names, bool half) => channels.AddRange(ExrChannel.Of(image, names, layer, half));
        Colour("comp", layers.Comp, "RGB");
        bool OnPlate(int x, int y) =>
            x >= overscan && y >= overscan && x < layers.Comp.Width - overscan && y < layers.Comp.Height - overscan;
        FloatImage background = layers.Background?.Rgba ?? Opaque(plate, OnPlate),
            under = layers.Background?.Rgb ?? plate;
        FloatImage? pieces = layers.Background?.Pieces is { } own ? NewPieces.Whole(background, own) : null;
        channels.Add(
            new(
                "comp.A",
                [
                    .. Enumerable
                        .Range(0, layers.Comp.Width * layers.Comp.Height)
                        .Select(i =>
                            !OnPlate(i % layers.Comp.Width, i / layers.Comp.Width) ? 0f
                            : layers.Background is null ? 1f
                            : 1 - (1 - layers.Held.Data[4 * i + 3]) * (1 - background.Data[4 * i + 3])
                        ),
                ],
                Half: true
            )
        );
        FloatImage behind = pieces is null ? background : NewPieces.Behind(background, pieces),
            darkened = pieces is null ? under : behind.Colours();
        Colour("background", behind, "RGBA");
        FloatImage? shown = pieces is null ? null : NewPieces.Lit(layers, pieces);
        // Framed anew, the comp lies elsewhere than its layers.
        if (!shot.Finish.InOrder().Any(s => s.Kind == FinishKind.Reframe))
        {
            FloatImage elements = FrameMerge.OnTop(layers, under, OnPlate);
            Colour("elements", shown is null ? elements : NewPieces.Under(elements, shown), "RGBA");
        }
        if (shown is not null)
        {
            Colour("pieces", shown, "RGBA");
        }
        Colour("element", layers.Element, "RGBA");
        Add("holdout", layers.Holdout, "A", half: true);
        Add("shadow", into is null ? layers.Shadow : Primaries.ConvertRatio(layers.Shadow, darkened, by), "RGB", half: true);
        foreach (var (matte, drawn) in layers.Drawn)
        {
            string stem =
                    $"shadow_{LayerName(shot.Mattes.FirstOrDefault(m => m.Id == matte)?.Name is { Length: > 0 } named ? named : matte)}",
                name = stem;
            for (int k = 2; channels.Any(c => c.Name == $"{name}.R"); k++)
            {
                name = $"{stem}_{k}";
            }
            Add(name, into is null ? drawn : Primaries.ConvertRatio(drawn, darkened, by), "RGB", half: true);
        }
        Colour("added", layers.Added, "RGB");
        Add("visibility", layers.Visibility, "Y", half: true);
        Add("ao", layers.Ao, "Y", half: true);
        if (layers.Contact is not null)
        {
            Add("contact", layers.Contact, "Y", half: true);
            Add("touch", new FloatImage(layers.Comp.Width, layers.Comp.Height, 1, layers.Near!), "Y", half: true);
        }
        if (layers.Mirror is not null)
        {
            Colour("mirror", layers.Mirror, "RGB");
        }
        if (layers.Parts is { } parts)
        {
            Colour("albedo", parts.Albedo, "RGB");
            Colour("diffuse", parts.Diffuse, "RGB");
            Colour("specular", parts.Specular, "RGB");
            Colour("reflection", parts.Reflection, "RGB");
            if (parts.Emission.Data.Any(v => v != 0))
            {
                Colour("emission", parts.Emission, "RGB");
            }
            foreach (var (light, rgb) in parts.Groups)
            {
                Colour($"light_{LayerName(light)}", rgb, "RGB");
            }
            Add("uv", parts.Uv, "XY", half: false);
            Add("motion", parts.Motion, "XY", half: false);
        }
        Add("depth", layers.Depth, "Z", half: false);
        Add("P", layers.Position, "XYZ", half: false);
        Add("N", layers.Normal, "XYZ", half: true);
        var attributes = new Dictionary<string, string>
        {
            ["plenk/shot"] = shot.Code,
            ["plenk/frame"] = frame.ToString(System.Globalization.CultureInfo.InvariantCulture),
            ["plenk/depth"] = "z-depth along the camera's axis, metres; +inf: nothing hit",
            ["plenk/noise"] = FormattableString.Invariant(
                $"root mean square of what is left: shadow {layers.Counts.ShadowError:0.00000}, element {layers.Counts.ElementError:0.00000}"
            ),
        };
        foreach (var (name, coverage, fault) in mattes ?? [])
        {
            string layer = $"matte_{LayerName(name)}";
            if (fault is not null)
            {
                attributes[$"plenk/{layer}"] = fault;
                continue;
            }
            for (int k = 2; channels.Any(c => c.Name == $"{layer}.A"); k++)
            {
                layer = $"matte_{LayerName(name)}_{k}";
            }
            int across = layers.Comp.Width - 2 * overscan,
                down = layers.Comp.Height - 2 * overscan;
            Add(
                layer,
                new FloatImage(layers.Comp.Width, layers.Comp.Height, 1, FloatImage.Around(coverage!, across, down, 1, overscan)),
                "A",
                half: true
            );
        }
        foreach (IdMatte ids in ((IdMatte?[])[layers.Objects, layers.Materials]).OfType<IdMatte>())
        {
            IReadOnlyList<string> names = ids.Layer == IdMatte.ObjectLayer ? [.. ids.Names.Select(id => NameOf(shot, id))] : ids.Names;
            channels.AddRange(IdMatteFile.Channels(ids, names));
            foreach (var (key, value) in IdMatteFile.Attributes(ids.Layer, names))
            {
                attributes[key] = value;
            }
        }
        return (channels, attributes);
    }

    /// <summary>The plate where it is, nothing beyond it.</summary>
    private static FloatImage Opaque(FloatImage rgb, Func<int, int, bool> there)
    {
        var rgba = new FloatImage(rgb.Width, rgb.Height, 4);
        for (int i = 0; i < rgb.Width * rgb.Height; i++)
        {
            if (!there(i % rgb.Width, i / rgb.Width))
            {
                continue;
            }
            rgb.Data.AsSpan(3 * i, 3).CopyTo(rgba.Data.AsSpan(4 * i));
            rgba.Data[4 * i + 3] = 1;
        }
        return rgba;
    }

    private static string NameOf(ShotDocument shot, string id) =>
        shot.Elements.FirstOrDefault(e => e.Id == id)?.Name is { Length: > 0 } element ? element
        : shot.Pieces.FirstOrDefault(p => p.Id == id)?.Name is { Length: > 0 } piece ? piece
        : id;

    /// <summary>A name as a layer can bear it: a dot would begin a layer of its own.</summary>
    private static string LayerName(string name) => string.Concat(name.Select(c => char.IsAsciiLetterOrDigit(c) ? c : '_'));
}
