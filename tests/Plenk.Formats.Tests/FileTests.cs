using System.Diagnostics;
using Xunit;

namespace Plenk.Formats.Tests;

/// <summary>A folder of the test's own, and foreign tools run in it.</summary>
public abstract class FileTests : IDisposable
{
    private readonly string _folder = Directory.CreateTempSubdirectory("plenk-formats-").FullName;

    public void Dispose()
    {
        Directory.Delete(_folder, recursive: true);
        GC.SuppressFinalize(this);
    }

    protected string At(string name) => Path.Combine(_folder, name);

    /// <summary>What a program of Debian's prints; it must end well.</summary>
    protected string Tool(string program, params string[] arguments)
    {
        using Process p = Process.Start(new ProcessStartInfo(program, arguments) { RedirectStandardOutput = true, WorkingDirectory = _folder })!;
        string output = p.StandardOutput.ReadToEnd();
        p.WaitForExit();
        Assert.Equal(0, p.ExitCode);
        return output;
    }
}
