using System.Diagnostics;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>A folder of the test's own, and foreign tools run in it.</summary>
public abstract class FileTests : IDisposable
{
    protected string Folder { get; } = Directory.CreateTempSubdirectory("plenk-formats-").FullName;

    public void Dispose()
    {
        Directory.Delete(Folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    protected string At(string name) => Path.Combine(Folder, name);

    /// <summary>What a program of Debian's prints; it must end well.</summary>
    protected string Tool(string program, params string[] arguments)
    {
        using Process p = Process.Start(
            new ProcessStartInfo(program, arguments)
            {
                RedirectStandardOutput = true,
                RedirectStandardError = true,
                WorkingDirectory = Folder,
            }
        )!;
        Task<string> error = p.StandardError.ReadToEndAsync();
        string output = p.StandardOutput.ReadToEnd();
        p.WaitForExit();
        Assert.True(p.ExitCode == 0, error.Result);
        return output;
    }
}
