using System.Diagnostics;
using Plenk.Formats.Exr;
using Xunit;

namespace Plenk.Browser.Tests;

/// <summary>The script of the documentation, run as it stands there.</summary>
[Collection("site")]
public sealed class ScriptTests(Site site)
{
    [Fact]
    public async Task A_folder_of_frames_becomes_a_frame_handed_over_by_the_api_alone()
    {
        string folder = Directory.CreateTempSubdirectory("plenk-script").FullName;
        try
        {
            string frames = Directory.CreateDirectory(Path.Combine(folder, "frames")).FullName,
                delivered = Directory.CreateDirectory(Path.Combine(folder, "out")).FullName;
            foreach (string f in Directory.GetFiles(Path.Combine(Site.Demo, "plate")).Order(StringComparer.Ordinal).Take(3))
            {
                File.Copy(f, Path.Combine(frames, Path.GetFileName(f)));
            }
            var start = new ProcessStartInfo("node") { RedirectStandardOutput = true, RedirectStandardError = true };
            string script = Path.Combine(Site.Repository, "docs", "frames-to-comp.mjs");
            foreach (
                string a in (string[])[script, site.Url.TrimEnd('/'), frames, Path.Combine(Site.Demo, "solve.json"), "28", "36", delivered]
            )
            {
                start.ArgumentList.Add(a);
            }
            using Process process = Process.Start(start)!;
            Task<string> said = process.StandardOutput.ReadToEndAsync(),
                faults = process.StandardError.ReadToEndAsync();
            await process.WaitForExitAsync();
            Assert.True(process.ExitCode == 0, await faults);
            Assert.Contains("/shots/", await said, StringComparison.Ordinal);
            string exr = Assert.Single(Directory.GetFiles(delivered, "*.exr"));
            ExrPicture picture = ExrFile.Read(File.ReadAllBytes(exr), exr);
            Assert.Equal((1280, 720), (picture.Width, picture.Height));
        }
        finally
        {
            Directory.Delete(folder, recursive: true);
        }
    }
}
