using System.Diagnostics;
using DbUp;
using Npgsql;

namespace Plenk.Store;

/// <summary>The project's PostgreSQL, through plain ADO.NET.</summary>
public sealed class Database(string connectionString) : IAsyncDisposable
{
    // Renders keep every core busy; an answer of the database must not wait until the pool grows a thread for it.
    static Database() => ThreadPool.SetMinThreads(64, 64);

    public NpgsqlDataSource Source { get; } = NpgsqlDataSource.Create(connectionString);

    public string ConnectionString { get; } = connectionString;

    /// <summary>
    /// Brings the schema up to the newest numbered migration. A database that is only starting, or recovering from a crash, is waited for.
    /// </summary>
    /// <param name="patience">How long; a minute where nothing is said.</param>
    /// <exception cref="InvalidOperationException">A migration failed.</exception>
    /// <exception cref="NpgsqlException">The database did not answer in all that time, or refuses.</exception>
    public void Migrate(TimeSpan? patience = null)
    {
        var watch = Stopwatch.StartNew();
        while (true)
        {
            try
            {
                MigrateNow();
                return;
            }
            catch (NpgsqlException e) when (IsAway(e) && watch.Elapsed < (patience ?? TimeSpan.FromMinutes(1)))
            {
                Thread.Sleep(250);
            }
        }
    }

    /// <summary>
    /// It will likely answer in a moment: nothing listens yet, it starts, it ends, or its connections died with a backend.
    /// </summary>
    private static bool IsAway(NpgsqlException e) =>
        e.IsTransient
        || e.SqlState is PostgresErrorCodes.CannotConnectNow or PostgresErrorCodes.AdminShutdown or PostgresErrorCodes.CrashShutdown;

    private void MigrateNow()
    {
        EnsureDatabase.For.PostgresqlDatabase(ConnectionString, new DbUp.Engine.Output.NoOpUpgradeLog());
        var result = DeployChanges
            .To.PostgresqlDatabase(ConnectionString)
            .WithScriptsEmbeddedInAssembly(typeof(Database).Assembly, s => s.EndsWith(".sql", StringComparison.Ordinal))
            .WithTransactionPerScript()
            .LogToNowhere()
            .Build()
            .PerformUpgrade();
        if (result.Successful)
        {
            return;
        }
        if (result.Error is NpgsqlException away && IsAway(away))
        {
            throw away;
        }
        throw new InvalidOperationException($"migration {result.ErrorScript?.Name} failed: {result.Error.Message}", result.Error);
    }

    public ValueTask DisposeAsync() => Source.DisposeAsync();
}
