using System.Diagnostics;
using Npgsql;
using Plenk.Store;
using Xunit;

namespace Plenk.Work.Tests;

/// <summary>The plenk command as a shell runs it, on a database and a data folder that one test has for itself.</summary>
public abstract class CommandSite : IAsyncLifetime
{
    private readonly string _name = $"work_{Guid.NewGuid():N}";

    protected string Folder { get; } = Directory.CreateTempSubdirectory("plenk-command-").FullName;

    private static string Server =>
        Environment.GetEnvironmentVariable("PLENK_TEST_DATABASE")
        ?? throw new InvalidOperationException("run ./test, which starts the database");

    protected string Connection => $"{Server};Database={_name}";

    public Task InitializeAsync()
    {
        new Database(Connection).Migrate();
        return Task.CompletedTask;
    }

    public async Task DisposeAsync()
    {
        NpgsqlConnection.ClearAllPools();
        await using NpgsqlDataSource admin = NpgsqlDataSource.Create($"{Server};Database=postgres");
        await using NpgsqlCommand drop = admin.CreateCommand($"drop database if exists {_name} with (force)");
        await drop.ExecuteNonQueryAsync();
        Directory.Delete(Folder, recursive: true);
    }

    private Dictionary<string, string> Own => new() { ["PLENK_DATABASE"] = Connection, ["PLENK_DATA"] = Folder };

    protected Process Start(string command) => PlenkCommand.Start(command, "", Own);

    protected (int Exit, string Out, string Error) Run(string command, string shell = "") => PlenkCommand.Run(command, shell, Own);
}

/// <summary>Starts the plenk command through a shell.</summary>
internal static class PlenkCommand
{
    /// <param name="shell">What the shell does before it becomes the command.</param>
    public static Process Start(string command, string shell = "", IReadOnlyDictionary<string, string>? environment = null)
    {
        var start = new ProcessStartInfo(
            "bash",
            ["-c", $"{shell} exec dotnet '{Path.Combine(AppContext.BaseDirectory, "plenk.dll")}' {command}"]
        )
        {
            RedirectStandardOutput = true,
            RedirectStandardError = true,
        };
        foreach (var (name, value) in environment ?? new Dictionary<string, string>())
        {
            start.Environment[name] = value;
        }
        return Process.Start(start)!;
    }

    public static (int Exit, string Out, string Error) Run(
        string command,
        string shell = "",
        IReadOnlyDictionary<string, string>? environment = null
    )
    {
        using Process process = Start(command, shell, environment);
        Task<string> error = process.StandardError.ReadToEndAsync();
        string output = process.StandardOutput.ReadToEnd();
        process.WaitForExit();
        return (process.ExitCode, output, error.Result);
    }
}
