namespace Plenk.Work;

/// <summary>Where things are, from the environment; ./start sets all of it.</summary>
public static class Settings
{
    /// <summary>PLENK_DATA: media, renders and the database cluster.</summary>
    public static string DataRoot => Environment.GetEnvironmentVariable("PLENK_DATA") ?? Path.Combine(Environment.CurrentDirectory, "data");

    /// <summary>PLENK_DATABASE: an Npgsql connection string.</summary>
    public static string DatabaseConnection =>
        Environment.GetEnvironmentVariable("PLENK_DATABASE")
        ?? $"Host=127.0.0.1;Port=5481;Username=plenk;Passfile={Path.Combine(DataRoot, "pg.pass")};Database=plenk;Timeout=5;Include Error Detail=false";

    /// <summary>
    /// PLENK_PAGES: middle where pages are to ask neither for the range nor for the finest picture while a hand rests, which takes every core;
    /// hand-overs are always finest.
    /// </summary>
    public static string PagesFinest => Environment.GetEnvironmentVariable("PLENK_PAGES") == "middle" ? "middle" : "full";

    /// <summary>PLENK_LOG: a file that the log is kept in, turned over at 16 MB; null: it goes to the console alone.</summary>
    public static string? Log => Environment.GetEnvironmentVariable("PLENK_LOG") is { Length: > 0 } file ? file : null;
}
