using Plenk.Store;

namespace Plenk.Work.Queue;

/// <summary>
/// How work that was taken from a queue comes to its end, whatever went wrong: told in words, and told to a database that may be away for a
/// moment.
/// </summary>
public static class Endings
{
    /// <summary>It was stopped, alone or in all parts of a loop.</summary>
    public static bool IsStop(Exception e) =>
        e is OperationCanceledException
        || (e is AggregateException all && all.Flatten().InnerExceptions.All(i => i is OperationCanceledException));

    /// <summary>What an artist is told of a fault that has words for them; null of one that has none.</summary>
    public static string? InWords(Exception e) =>
        e switch
        {
            AggregateException { InnerExceptions: [var only] } => InWords(only),
            ShotFault or MissingMediaException or DiskFullException => e.Message,
            Formats.FormatFault f => $"{f.Message}. {f.Mend}",
            _ => null,
        };

    /// <summary>
    /// Tries for ten seconds while the database is away; throws its fault then, or at once where nothing is worth the wait.
    /// </summary>
    public static async Task Told(Func<Task> tell, Func<bool>? hurry = null)
    {
        for (int attempt = 0; ; attempt++)
        {
            try
            {
                await tell();
                return;
            }
            catch (Npgsql.NpgsqlException) when (attempt < 20 && hurry?.Invoke() != true)
            {
                await Task.Delay(500, CancellationToken.None);
            }
        }
    }
}
