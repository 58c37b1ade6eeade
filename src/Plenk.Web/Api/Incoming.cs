using Plenk.Core.Shots;
using Plenk.Core.Solving;
using Plenk.Formats;
using Plenk.Formats.Meshes;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web.Api;

/// <summary>Files and fields of an upload, and the one revision that uses them.</summary>
internal static class Incoming
{
    public const long LargestFile = 1L << 30;

    /// <summary>The one mesh of an upload, read and kept.</summary>
    public static async Task<(IFormCollection Form, string Name, ImportedMesh Mesh, string Hash)> TakeMesh(
        HttpContext http,
        MediaStore media
    )
    {
        IFormCollection form = await http.Request.FormIn();
        IFormFile file = One(form);
        byte[] bytes = Bytes(file);
        string name = Path.GetFileName(file.FileName);
        ImportedMesh mesh = ImportedMesh.Read(bytes, name);
        return (form, name, mesh, media.Write(bytes));
    }

    public static async Task<object> Save(
        ShotStore shots,
        long id,
        HttpContext http,
        string what,
        IFormCollection form,
        Func<ShotDocument, ShotDocument> change,
        IReadOnlyList<string> notes
    )
    {
        var (document, revision) = await ShotApi.Need(shots, id);
        ShotDocument changed = change(document);
        await ShotApi.Keep(shots, id, http, changed, what, form["baseRevision"], revision.Number);
        return new { state = await ShotApi.State(shots, id), notes };
    }

    public static IFormFile One(IFormCollection form) => form.Files.Count == 1 ? form.Files[0] : throw new ShotFault("Choose one file.");

    public static byte[] Bytes(IFormFile file)
    {
        if (file.Length > LargestFile)
        {
            throw new FormatFault("too_large", $"{Path.GetFileName(file.FileName)} is larger than 1 GB", "Reduce it.");
        }
        using Stream stream = file.OpenReadStream();
        byte[] bytes = new byte[file.Length];
        stream.ReadExactly(bytes);
        return bytes;
    }

    public static double Number(IFormCollection form, string key, double fallback)
    {
        string text = form[key].ToString().Trim();
        if (text.Length == 0)
        {
            return fallback;
        }
        return
            double.TryParse(text, System.Globalization.NumberStyles.Float, System.Globalization.CultureInfo.InvariantCulture, out double v)
            && double.IsFinite(v)
            ? v
            : throw new ShotFault($"“{text}” is not a number.");
    }

    public static int Whole(IFormCollection form, string key, int fallback)
    {
        double v = Number(form, key, fallback);
        return v == Math.Floor(v) && Math.Abs(v) < 1e8 ? (int)v : throw new ShotFault($"{v} is not a whole frame number.");
    }

    public static FrameRate Rate(IFormCollection form, string key, FrameRate fallback)
    {
        string text = form[key].ToString().Trim();
        if (text.Length == 0)
        {
            return fallback;
        }
        return GltfFile.TryRate(text, out FrameRate rate)
            ? rate
            : throw new ShotFault($"“{text}” is not a frame rate. Write it as a ratio, like 24 or 24000/1001.");
    }
}
