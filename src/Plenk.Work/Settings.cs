namespace Plenk.Work;

/// <summary>Where things are, from the environment; ./start sets all of it.</summary>
public static class Settings
{
    /// <summary>PLENK_DATA: media, renders and the database cluster.</summary>
    public static string DataRoot => Environment.GetEnvironmentVariable("PLENK_DATA") ?? Path.Combine(Environment.CurrentDirectory, "data");

    /// <summary>PLENK_DATABASE: an Npgsql connection string.</summary>
    public static string DatabaseConnection => Environment.GetEnvironmentVariable("PLENK_DATABASE")
        ?? "Host=127.0.0.1;Port=5481;Username=plenk;Database=plenk;Timeout=5;Include Error Detail=false";
}
