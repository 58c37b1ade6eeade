using System.Text.Json;
using System.Text.RegularExpressions;
using Microsoft.AspNetCore.Diagnostics;
using Microsoft.AspNetCore.Mvc;
using Microsoft.Extensions.Diagnostics.HealthChecks;
using Plenk.Core.Edits;
using Plenk.Formats;
using Plenk.Store;
using Plenk.Work;

namespace Plenk.Web;

/// <summary>Turns faults into problem details in the artist's terms; never a stack trace.</summary>
public sealed partial class FaultHandler(ILogger<FaultHandler> log) : IExceptionHandler
{
    private const string Ours = "Something went wrong on our side. Nothing was changed.";

    /// <summary>What the reader says, without the names of our types.</summary>
    private static string Unread(JsonException e)
    {
        string said = e.Message.Split('\n')[0],
            lacks = "including: ";
        return "The request cannot be read: "
            + (
                said.Contains(lacks, StringComparison.Ordinal)
                    ? $"it lacks {said[(said.IndexOf(lacks, StringComparison.Ordinal) + lacks.Length)..].TrimEnd('.')}."
                : said.Contains("Plenk.", StringComparison.Ordinal) || said.Contains("System.", StringComparison.Ordinal)
                    ? $"what stands at {e.Path ?? "its beginning"} is not what is asked for there."
                : said
            );
    }

    /// <summary>How the framework tells of a value that it could not read: by type and name, in quotes.</summary>
    [GeneratedRegex("""parameter "\S+ (\w+)" """)]
    private static partial Regex Unbound();

    public async ValueTask<bool> TryHandleAsync(HttpContext context, Exception exception, CancellationToken stop)
    {
        if (exception is OperationCanceledException && context.RequestAborted.IsCancellationRequested)
        {
            context.Response.StatusCode = 499;
            return true;
        }
        (int status, string title, string? mend) = exception switch
        {
            ConflictException e => (409, e.Message, (string?)null),
            NothingToUndoException e => (400, e.Message, null),
            EditFault e => (e.IsConflict ? 409 : 422, e.Message, null),
            FormatFault e => (422, e.Message + ".", e.Mend),
            ShotFault or MissingMediaException or RefusedException => (422, exception.Message, null),
            DiskFullException e => (507, e.Message, null),
            NotThereException e => (404, e.Message, null),
            BadHttpRequestException { StatusCode: 413 } => (
                413,
                "The upload is larger than 4 GB.",
                "Bring the frames from a folder on the server instead."
            ),
            BadHttpRequestException { InnerException: JsonException e } => (400, Unread(e), null),
            BadHttpRequestException { InnerException: null } e when Unbound().Match(e.Message) is { Success: true } m => (
                400,
                $"The request’s {m.Groups[1].Value} is missing or not what is expected here.",
                null
            ),
            BadHttpRequestException or InvalidDataException or IOException { Source: "Microsoft.AspNetCore.WebUtilities" } => (
                400,
                "The upload was cut off or is not what was expected; nothing of it was kept.",
                "Send it again."
            ),
            JsonException e => (400, Unread(e), null),
            NotSupportedException { Source: "System.Text.Json" } => (
                400,
                "The request cannot be read: it does not say of which kind something in it is.",
                null
            ),
            Npgsql.PostgresException { SqlState: ['2', '2', ..] } => (
                422,
                "A text or a number in it cannot be kept. Take out what is no letter, digit or sign.",
                null
            ),
            Npgsql.PostgresException { SqlState: ['2', '3', ..] or ['4', '2', ..] } => (500, Ours, null),
            Npgsql.NpgsqlException => (503, "The database does not answer. Nothing was lost; try again in a moment.", null),
            _ => (500, Ours, null),
        };
        // The log has the same number.
        if (status == 500)
        {
            log.LogError(
                exception,
                "request {Request}: unhandled at {Method} {Path}",
                context.TraceIdentifier,
                context.Request.Method,
                context.Request.Path
            );
        }
        else if (status >= 503)
        {
            log.LogWarning(
                "request {Request}: {Status} at {Method} {Path}: {Message}",
                context.TraceIdentifier,
                status,
                context.Request.Method,
                context.Request.Path,
                exception.Message
            );
        }
        else
        {
            log.LogInformation(
                "request {Request}: {Status} at {Method} {Path}: {Title}",
                context.TraceIdentifier,
                status,
                context.Request.Method,
                context.Request.Path,
                title
            );
        }
        var problem = new ProblemDetails { Status = status, Title = title };
        if (status >= 500)
        {
            problem.Extensions["request"] = context.TraceIdentifier;
        }
        if (mend is not null)
        {
            problem.Extensions["mend"] = mend;
        }
        if (exception is ConflictException conflict)
        {
            problem.Extensions["head"] = conflict.Head.Number;
        }
        if (exception is EditFault { At: var at })
        {
            problem.Extensions["at"] = at;
        }
        context.Response.StatusCode = status;
        if (
            context.Request.Path.StartsWithSegments("/api")
            || context.Request.Headers.Accept.ToString().Contains("application/problem+json", StringComparison.Ordinal)
        )
        {
            await context.Response.WriteAsJsonAsync(problem, options: null, "application/problem+json", stop);
        }
        else
        {
            context.Response.ContentType = "text/html; charset=utf-8";
            await context.Response.WriteAsync(
                "<!doctype html><meta charset=utf-8><title>Plenk</title><link rel=stylesheet href=/css/site.css><body "
                    + "class=\"day\"><main "
                    + $"class=\"page\"><h1>{System.Net.WebUtility.HtmlEncode(title)}</h1>{(status >= 500 ? $"<p>The server's log has it as request {System.Net.WebUtility.HtmlEncode(context.TraceIdentifier)}.</p>" : "")}<p><a "
                    + "href=\"/\">To the productions</a></p></main>",
                stop
            );
        }
        return true;
    }
}

public sealed class DatabaseHealth(Database database) : IHealthCheck
{
    public async Task<HealthCheckResult> CheckHealthAsync(HealthCheckContext context, CancellationToken stop = default)
    {
        try
        {
            await using var command = database.Source.CreateCommand("select 1");
            await command.ExecuteScalarAsync(stop);
            return HealthCheckResult.Healthy();
        }
        catch (Npgsql.NpgsqlException e)
        {
            return HealthCheckResult.Unhealthy("the database does not answer", e);
        }
    }
}
