using Plenk.Core.Images;
using Plenk.Formats.Exr;

namespace Plenk.Work;

/// <summary>What a rendered picture's files bring beside the picture: layers found by their names, whatever program wrote them.</summary>
public sealed class RenderedPasses
{
    private static readonly Dictionary<string, string> Roles = new(
        from role in new (string Role, string[] Names)[]
        {
            ("picture", ["beauty", "comp", "rgba", "rgb", "combined", "c"]),
            ("position", ["p", "position", "pos", "pworld", "worldposition", "world_position", "point"]),
            ("normal", ["n", "normal", "normals", "nworld", "worldnormal", "world_normal"]),
            ("albedo", ["albedo", "basecolor", "base_color", "diffusecolor", "diffuse_color", "diffcol"]),
            ("depth", ["depth", "z"]),
            ("shadow", ["shadow", "shadows"]),
            ("motion", ["motion"]),
        }
        from name in role.Names
        select KeyValuePair.Create(name, role.Role)
    );
    private readonly List<(string Role, string Channel, float[] Values, Primaries Primaries)> _channels = [];

    public int Width { get; private set; }
    public int Height { get; private set; }

    /// <summary>
    /// Channels of all files together; a file's own name stands for a layer where there are several files and its channels have none.
    /// </summary>
    /// <exception cref="ShotFault">Files of several sizes.</exception>
    public RenderedPasses(IReadOnlyList<(ExrPicture Picture, string Name)> files)
    {
        foreach (var (p, name) in files)
        {
            if (Width == 0)
            {
                (Width, Height) = (p.Width, p.Height);
            }
            else if (p.Width != Width || p.Height != Height)
            {
                throw new ShotFault(
                    $"{name} is {p.Width} × {p.Height}, the files before it {Width} × {Height}. Render all passes at one size."
                );
            }
            string bare = files.Count > 1 ? RoleOfFile(name) : "plain";
            foreach (ExrChannel c in p.Channels)
            {
                int dot = c.Name.LastIndexOf('.');
                _channels.Add(
                    (dot < 0 ? bare : RoleOf(c.Name[..dot]) ?? "", dot < 0 ? c.Name : c.Name[(dot + 1)..], c.Values, p.Primaries)
                );
            }
        }
    }

    /// <summary>What a layer is by its name: N, view.N, bell_N.</summary>
    private static string? RoleOf(string layer)
    {
        string last = layer.Split('.')[^1].ToLowerInvariant();
        return Roles.GetValueOrDefault(last) ?? Roles.GetValueOrDefault(last.Split('_', '-', ' ')[^1]);
    }

    /// <summary>A channel by which it can be told where a picture without alpha shows something: of positions, or depth.</summary>
    public static bool CoversBy(string channel) =>
        channel.LastIndexOf('.') is var dot and >= 0 ? RoleOf(channel[..dot]) is "position" or "depth" : channel is "Z" or "z";

    /// <summary>What a file brings by its name: normal, depth …; null: the picture.</summary>
    public static string? PassOf(string file) => RoleOfFile(file) is var role and not ("plain" or "picture") ? role : null;

    /// <summary>
    /// What a file without layers is: N.exr, bell.N.1001.exr, bell_N.1001.exr; any other is taken for the picture where none is named so.
    /// </summary>
    private static string RoleOfFile(string name) =>
        name.Split('.')[..^1].Reverse().Select(RoleOf).FirstOrDefault(r => r is not null) ?? "plain";

    /// <summary>Three channels of a role as they are: position, normal; null: there are none.</summary>
    public FloatImage? Data(string role) =>
        One(role, "X", "R") is { } a && One(role, "Y", "G") is { } b && One(role, "Z", "B") is { } c
            ? FloatImage.Of(Width, Height, a, b, c)
            : null;

    /// <summary>Two channels of a role as they are: motion in pixels; null: there are none.</summary>
    public FloatImage? Pair(string role) =>
        One(role, "X", "R") is { } a && One(role, "Y", "G") is { } b ? FloatImage.Of(Width, Height, a, b) : null;

    private float[]? One(string role, params ReadOnlySpan<string> letters)
    {
        foreach (string letter in letters)
        {
            if (
                _channels.FirstOrDefault(c => c.Role == role && c.Channel.Equals(letter, StringComparison.OrdinalIgnoreCase)).Values is
                { } found
            )
            {
                return found;
            }
        }
        return null;
    }

    /// <summary>Colours in the working primaries, of the file that they came in; data has none, whatever its file says.</summary>
    public FloatImage? Colour(string role) =>
        Data(role) is { } image ? Primaries.Convert(image, _channels.First(c => c.Role == role).Primaries.To(Primaries.Bt709)) : null;

    public float[]? Depth =>
        _channels
            .FirstOrDefault(c => c.Role is "depth" or "picture" or "plain" && c.Channel.ToLowerInvariant() is "z" or "y" or "v" or "depth")
            .Values
        ?? One("depth", "R");
}
