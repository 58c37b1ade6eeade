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

    /// <summary>Brings the schema up to the newest numbered migration.</summary>
    public void Migrate()
    {
        EnsureDatabase.For.PostgresqlDatabase(ConnectionString, new DbUp.Engine.Output.NoOpUpgradeLog());
        var result = DeployChanges.To.PostgresqlDatabase(ConnectionString)
            .WithScriptsEmbeddedInAssembly(typeof(Database).Assembly, s => s.EndsWith(".sql", StringComparison.Ordinal))
            .WithTransactionPerScript().LogToNowhere().Build().PerformUpgrade();
        if (!result.Successful)
        {
            throw new InvalidOperationException($"migration {result.ErrorScript?.Name} failed: {result.Error.Message}", result.Error);
        }
    }

    public ValueTask DisposeAsync() => Source.DisposeAsync();
}
