using System.Runtime.InteropServices;
using System.Text;
using Plenk.Core.Images;

namespace Plenk.Formats.Exr;

/// <summary>A channel of an EXR: Width × Height values, row by row from the top, named "layer.channel" or "channel".</summary>
public sealed record ExrChannel(string Name, float[] Values, bool Half = false)
{
    /// <summary>
    /// The first channels of a picture, one for each letter of <paramref name="names"/>, under a layer where one is given.
    /// </summary>
    public static IEnumerable<ExrChannel> Of(FloatImage image, string names, string? layer = null, bool half = false) =>
        names.Select(
            (name, c) =>
            {
                var values = new float[image.Width * image.Height];
                for (int i = 0; i < values.Length; i++)
                {
                    values[i] = image.Data[i * image.Channels + c];
                }
                return new ExrChannel(layer is null ? $"{name}" : $"{layer}.{name}", values, half);
            }
        );
}

/// <summary>
/// An EXR's channels over its data window. The display window's corner in data-window pixels tells how the two lie.
/// Missing pixels of a part with a smaller window are 0.
/// </summary>
public sealed record ExrPicture(int Width, int Height, IReadOnlyList<ExrChannel> Channels)
{
    public int DataX { get; init; }
    public int DataY { get; init; }
    public int DisplayWidth { get; init; } = Width;
    public int DisplayHeight { get; init; } = Height;

    /// <summary>Texts of the headers, by name; of parts that have the same one the first.</summary>
    public IReadOnlyDictionary<string, string> Attributes { get; init; } = new Dictionary<string, string>();

    /// <summary>Texts of each named part's own header.</summary>
    public IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> PartAttributes { get; init; } =
        new Dictionary<string, IReadOnlyDictionary<string, string>>();

    /// <summary>What the header says its colours are; BT.709 where it says nothing, as the format has it.</summary>
    public Primaries Primaries { get; init; } = Primaries.Bt709;

    /// <summary>Planes of colour (and alpha) as a picture in the working primaries. Data must not pass through here.</summary>
    public FloatImage Colour(params ReadOnlySpan<float[]> planes) =>
        Primaries.Convert(FloatImage.Of(Width, Height, planes), Primaries.To(Primaries.Bt709));

    /// <summary>
    /// Red, green and blue (and alpha) of the layer that is the picture: the one without a name, else the first of the given names, else
    /// the first that has them and is no ID matte. A missing green or blue is the red; null where there is no such layer.
    /// </summary>
    public float[][]? Picture(bool alpha, params ReadOnlySpan<string> preferred)
    {
        float[]? One(string prefix, char letter) =>
            Channels
                .FirstOrDefault(c =>
                    c.Name.Length == prefix.Length + 1 && c.Name[^1] == letter && c.Name.StartsWith(prefix, StringComparison.Ordinal)
                )
                ?.Values;
        HashSet<string> ids = [.. Attributes.Where(a => a.Key.EndsWith("/name", StringComparison.Ordinal)).Select(a => a.Value)];
        string[] layers =
        [
            .. Channels
                .Where(c => c.Name[(c.Name.LastIndexOf('.') + 1)..] == "R")
                .Select(c => c.Name[..(c.Name.LastIndexOf('.') + 1)])
                .Where(l => l.Length < 4 || !ids.Contains(l[..^3])),
        ];
        foreach (string layer in (string[])["", .. preferred.ToArray().Select(p => p + "."), .. layers])
        {
            if (One(layer, 'R') is not { } r)
            {
                continue;
            }
            float[] g = One(layer, 'G') ?? r,
                b = One(layer, 'B') ?? r;
            if (!alpha)
            {
                return [r, g, b];
            }
            if ((One(layer, 'A') ?? One("", 'A')) is { } a)
            {
                return [r, g, b, a];
            }
        }
        return null;
    }

    /// <summary>The channel of that name under any layer prefix; Y and R stand for a single channel, R G B for X Y Z.</summary>
    public ExrChannel? Find(string layer, string channel)
    {
        string[] names = channel switch
        {
            "X" => ["X", "R"],
            "Y" => ["Y", "G"],
            "Z" => ["Z", "B", "Y", "R"],
            _ => [channel],
        };
        foreach (string n in names)
        {
            ExrChannel? found = Channels.FirstOrDefault(c => c.Name == $"{layer}.{n}")
                ?? Channels.FirstOrDefault(c => c.Name == n)
                ?? Channels.FirstOrDefault(c => c.Name.EndsWith("." + n, StringComparison.Ordinal));
            if (found is not null)
            {
                return found;
            }
        }
        return null;
    }

    /// <summary>The first of these names that is there: without a layer, else in any.</summary>
    public float[]? Any(params ReadOnlySpan<string> names)
    {
        foreach (string n in names)
        {
            if (
                (
                    Channels.FirstOrDefault(c => c.Name == n)
                    ?? Channels.FirstOrDefault(c => c.Name.EndsWith("." + n, StringComparison.Ordinal))
                ) is
                { } found
            )
            {
                return found.Values;
            }
        }
        return null;
    }

    /// <summary>The first layer that has a channel for every letter, as a picture of them in that order; null where none has.</summary>
    public FloatImage? Layer(string letters)
    {
        foreach (string prefix in Channels.Select(c => c.Name[..(c.Name.LastIndexOf('.') + 1)]).Distinct())
        {
            float[]?[] planes = [.. letters.Select(n => Channels.FirstOrDefault(c => c.Name == $"{prefix}{n}")?.Values)];
            if (planes.All(p => p is not null))
            {
                return FloatImage.Of(Width, Height, planes!);
            }
        }
        return null;
    }
}

/// <summary>What stands in a file's header beside its channels.</summary>
public sealed record ExrHead
{
    public ExrCompression Compression { get; init; } = ExrCompression.Zip;
    public (int Num, int Den) Rate { get; init; }
    public IReadOnlyDictionary<string, string> Attributes { get; init; } = new Dictionary<string, string>();

    /// <summary>Corner of the data window in the display window, whose own is (0, 0); negative with overscan.</summary>
    public (int X, int Y) DataCorner { get; init; }

    /// <summary>Null: that of the data.</summary>
    public (int Width, int Height)? Display { get; init; }

    /// <summary>What its colours are; null: not said.</summary>
    public Primaries? Primaries { get; init; }

    /// <summary>Row-major, for row vectors, as the standard attributes have them; null: not said.</summary>
    public float[]? WorldToCamera { get; init; }
    public float[]? WorldToNdc { get; init; }

    /// <summary>Every layer is a part of its own.</summary>
    public bool PartPerLayer { get; init; }

    /// <summary>Of parts: what stands in the header of a layer's part alone.</summary>
    public IReadOnlyDictionary<string, IReadOnlyDictionary<string, string>> PartAttributes { get; init; } =
        new Dictionary<string, IReadOnlyDictionary<string, string>>();
}

public enum ExrCompression
{
    None = 0,
    Zips = 2,
    Zip = 3,
    Piz = 4,
}

/// <summary>OpenEXR in and out, through the C ABI in native/ over Debian's library.</summary>
public static unsafe partial class ExrFile
{
    private const string Library = "plenk_exr";

    /// <summary>The bytes begin as those of an EXR do (its magic number, 20000630).</summary>
    public static bool Is(ReadOnlySpan<byte> bytes) => bytes.StartsWith((ReadOnlySpan<byte>)[0x76, 0x2f, 0x31, 0x01]);

    static ExrFile()
    {
        NativeLibrary.SetDllImportResolver(typeof(ExrFile).Assembly, (name, assembly, path) =>
            name == Library && NativeLibrary.TryLoad(Path.Combine(AppContext.BaseDirectory, "libplenk_exr.so"), out IntPtr handle)
                ? handle
                : IntPtr.Zero
        );
    }

    /// <summary>Writes to a temporary name beside the target, then renames: a file under its name is always whole.</summary>
    public static void Write(
        string path,
        int width,
        int height,
        IReadOnlyList<ExrChannel> channels,
        ExrCompression compression = ExrCompression.Zip,
        (int Num, int Den) rate = default,
        IReadOnlyDictionary<string, string>? attributes = null
    ) =>
        Write(
            path,
            width,
            height,
            channels,
            new ExrHead
            {
                Compression = compression,
                Rate = rate,
                Attributes = attributes ?? new Dictionary<string, string>(),
            }
        );

    /// <inheritdoc cref="Write(string, int, int, IReadOnlyList{ExrChannel}, ExrCompression, ValueTuple{int, int}, IReadOnlyDictionary{string, string})"/>
    public static void Write(string path, int width, int height, IReadOnlyList<ExrChannel> channels, ExrHead head)
    {
        foreach (ExrChannel c in channels)
        {
            if (c.Values.Length != width * height)
            {
                throw new ArgumentException($"channel {c.Name} has {c.Values.Length} values, not {width} × {height}");
            }
        }
        string temporary = path + "." + Guid.NewGuid().ToString("N")[..8] + ".tmp";
        static string LayerOf(string channel) => channel.LastIndexOf('.') is >= 0 and var dot ? channel[..dot] : "main";
        string[] parts = head.PartPerLayer ? [.. channels.Select(c => LayerOf(c.Name)).Distinct()] : ["main"];
        int[] partOf = [.. channels.Select(c => head.PartPerLayer ? Array.IndexOf(parts, LayerOf(c.Name)) : 0)];
        // A part's name stands for its channels' layer.
        var names = new Strings(channels.Select(c => parts.Length > 1 ? c.Name[(c.Name.LastIndexOf('.') + 1)..] : c.Name));
        var partNames = new Strings(parts);
        (string Key, string Value, int Part)[] attributes =
        [
            .. head.Attributes.Select(a => (a.Key, a.Value, -1)),
            .. head.PartAttributes.SelectMany(p => p.Value.Select(a => (a.Key, a.Value, Array.IndexOf(parts, p.Key)))),
        ];
        var keyStrings = new Strings(attributes.Select(a => a.Key));
        var valueStrings = new Strings(attributes.Select(a => a.Value));
        int[] attributeOf = [.. attributes.Select(a => a.Part)];
        int[] window = [head.DataCorner.X, head.DataCorner.Y, head.Display?.Width ?? width, head.Display?.Height ?? height];
        var numbers = new float[9 + 17 + 17];
        void Given(float[]? values, int at)
        {
            if (values is null)
            {
                return;
            }
            numbers[at] = 1;
            values.CopyTo(numbers, at + 1);
        }
        Given(head.Primaries?.ToArray(), 0);
        Given(head.WorldToCamera, 9);
        Given(head.WorldToNdc, 26);
        GCHandle[] pins = [.. channels.Select(c => GCHandle.Alloc(c.Values, GCHandleType.Pinned))];
        try
        {
            nint[] planes = [.. pins.Select(p => p.AddrOfPinnedObject())];
            int[] half = [.. channels.Select(c => c.Half ? 1 : 0)];
            byte* error = stackalloc byte[512];
            if (
                NativeWrite(
                    temporary,
                    width,
                    height,
                    window,
                    channels.Count,
                    names.Pointers,
                    planes,
                    half,
                    partOf,
                    parts.Length,
                    partNames.Pointers,
                    (int)head.Compression,
                    head.Rate.Num,
                    head.Rate.Den,
                    numbers,
                    attributes.Length,
                    keyStrings.Pointers,
                    valueStrings.Pointers,
                    attributeOf,
                    error,
                    512
                ) != 0
            )
            {
                throw new IOException($"{Path.GetFileName(path)} could not be written: {Text(error)}");
            }
            File.Move(temporary, path, overwrite: true);
        }
        finally
        {
            File.Delete(temporary);
            foreach (GCHandle p in pins)
            {
                p.Free();
            }
            names.Free();
            partNames.Free();
            keyStrings.Free();
            valueStrings.Free();
        }
    }

    /// <summary>
    /// Reads all channels of all parts as float. A file that is no EXR, damaged or deep is refused by a <see cref="FormatFault"/>.
    /// </summary>
    public static ExrPicture Read(string path) => Read(File.ReadAllBytes(path), Path.GetFileName(path));

    /// <summary>The same of a file in memory; its faults say the name that it came under.</summary>
    public static ExrPicture Read(byte[] bytes, string name)
    {
        fixed (byte* file = bytes)
        {
            return Read(file, bytes.Length, name);
        }
    }

    /// <summary>What <see cref="Write"/> would put into a file.</summary>
    public static byte[] ToBytes(int width, int height, IReadOnlyList<ExrChannel> channels, ExrHead? head = null)
    {
        // The library writes files only.
        string path = Path.Combine(Path.GetTempPath(), $"plenk-{Guid.NewGuid():N}.exr");
        try
        {
            Write(path, width, height, channels, head ?? new ExrHead());
            return File.ReadAllBytes(path);
        }
        finally
        {
            File.Delete(path);
        }
    }

    private static ExrPicture Read(byte* bytes, long size, string name)
    {
        byte* error = stackalloc byte[512];
        int* window = stackalloc int[8];
        if (NativeOpen(name, bytes, size, out nint handle, window, out int count, error, 512) != 0)
        {
            throw new FormatFault("unreadable", $"{name} cannot be read as EXR: {Text(error)}", "Write the file again.");
        }
        try
        {
            long width = (long)window[2] - window[0] + 1,
                height = (long)window[3] - window[1] + 1;
            PictureMemory.Check(width, height, count, name);
            var planes = new float[count][];
            for (int i = 0; i < count; i++)
            {
                planes[i] = new float[width * height];
            }
            GCHandle[] pins = [.. planes.Select(p => GCHandle.Alloc(p, GCHandleType.Pinned))];
            try
            {
                nint[] pointers = [.. pins.Select(p => p.AddrOfPinnedObject())];
                if (NativeRead(handle, pointers, error, 512) != 0)
                {
                    throw new FormatFault("truncated", $"{name} is damaged or cut off: {Text(error)}", "Write the file again.");
                }
            }
            finally
            {
                foreach (GCHandle p in pins)
                {
                    p.Free();
                }
            }
            float* xy = stackalloc float[8];
            Primaries primaries =
                NativeChromaticities(handle, xy) == 0
                    ? Primaries.Bt709
                    : Primaries.Of(new ReadOnlySpan<float>(xy, 8))
                        ?? throw new FormatFault(
                            "primaries",
                            $"{name} names primaries that make no colour space (chromaticities in its header)",
                            "Export it anew, or take the attribute out."
                        );
            ExrChannel[] channels = [.. planes.Select((p, i) => new ExrChannel(Marshal.PtrToStringUTF8(NativeChannel(handle, i))!, p))];
            (string Owner, string Key, string Value)[] attributes =
            [
                .. Enumerable
                    .Range(0, NativeAttributes(handle))
                    .Select(i => (Utf8(NativeOwner(handle, i)), Utf8(NativeKey(handle, i)), Utf8(NativeValue(handle, i)))),
            ];
            return new((int)width, (int)height, channels)
            {
                Primaries = primaries,
                DataX = window[0] - window[4],
                DataY = window[1] - window[5],
                DisplayWidth = window[6] - window[4] + 1,
                DisplayHeight = window[7] - window[5] + 1,
                Attributes = attributes.DistinctBy(a => a.Key).ToDictionary(a => a.Key, a => a.Value),
                PartAttributes = attributes
                    .Where(a => a.Owner.Length > 0)
                    .GroupBy(a => a.Owner)
                    .ToDictionary(
                        g => g.Key,
                        IReadOnlyDictionary<string, string> (g) => g.DistinctBy(a => a.Key).ToDictionary(a => a.Key, a => a.Value)
                    ),
            };
        }
        finally
        {
            NativeClose(handle);
        }
    }

    private static string Utf8(nint text) => Marshal.PtrToStringUTF8(text)!;

    private static string Text(byte* error) => Marshal.PtrToStringUTF8((nint)error) ?? "unknown fault";

    private readonly struct Strings(IEnumerable<string> texts)
    {
        public readonly nint[] Pointers = [.. texts.Select(Marshal.StringToCoTaskMemUTF8)];

        public void Free()
        {
            foreach (nint p in Pointers)
            {
                Marshal.FreeCoTaskMem(p);
            }
        }
    }

    [LibraryImport(Library, EntryPoint = "plenk_exr_write", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int NativeWrite(
        string path,
        int width,
        int height,
        int[] window,
        int count,
        nint[] names,
        nint[] planes,
        int[] half,
        int[] partOf,
        int partCount,
        nint[] partNames,
        int compression,
        int rateNum,
        int rateDen,
        float[] numbers,
        int attributes,
        nint[] keys,
        nint[] values,
        int[] attributeOf,
        byte* error,
        int errorSize
    );

    [LibraryImport(Library, EntryPoint = "plenk_exr_open", StringMarshalling = StringMarshalling.Utf8)]
    private static partial int NativeOpen(
        string name,
        byte* bytes,
        long size,
        out nint handle,
        int* window,
        out int count,
        byte* error,
        int errorSize
    );

    [LibraryImport(Library, EntryPoint = "plenk_exr_channel")]
    private static partial nint NativeChannel(nint handle, int i);

    [LibraryImport(Library, EntryPoint = "plenk_exr_attributes")]
    private static partial int NativeAttributes(nint handle);

    [LibraryImport(Library, EntryPoint = "plenk_exr_key")]
    private static partial nint NativeKey(nint handle, int i);

    [LibraryImport(Library, EntryPoint = "plenk_exr_value")]
    private static partial nint NativeValue(nint handle, int i);

    [LibraryImport(Library, EntryPoint = "plenk_exr_owner")]
    private static partial nint NativeOwner(nint handle, int i);

    [LibraryImport(Library, EntryPoint = "plenk_exr_chromaticities")]
    private static partial int NativeChromaticities(nint handle, float* xy);

    [LibraryImport(Library, EntryPoint = "plenk_exr_read")]
    private static partial int NativeRead(nint handle, nint[] planes, byte* error, int errorSize);

    [LibraryImport(Library, EntryPoint = "plenk_exr_close")]
    private static partial void NativeClose(nint handle);
}
