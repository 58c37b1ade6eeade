using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.FileProviders;
using Plenk.Core.Shots;
using Plenk.Store;
using Plenk.Web;
using Plenk.Web.Api;
using Plenk.Web.Pages;
using Plenk.Work;
using Plenk.Work.Paint;
using Plenk.Work.Queue;
using Plenk.Work.Shelf;
using Scalar.AspNetCore;
using Serilog;

var builder = WebApplication.CreateBuilder(args);
builder.Host.UseSerilog(
    (_, log) =>
    {
        log.MinimumLevel.Information()
            .MinimumLevel.Override("Microsoft.AspNetCore", Serilog.Events.LogEventLevel.Warning)
            .Enrich.FromLogContext();
        var lines = new Serilog.Formatting.Compact.RenderedCompactJsonFormatter();
        if (Settings.Log is { } file)
        {
            log.WriteTo.File(lines, file, fileSizeLimitBytes: 16 << 20, rollOnFileSizeLimit: true, retainedFileCountLimit: 8);
        }
        else
        {
            log.WriteTo.Console(lines);
        }
    }
);

var database = new Database(Settings.DatabaseConnection);
database.Migrate();
builder.Services.AddSingleton(database);
builder.Services.AddSingleton(new MediaStore(Path.Combine(Settings.DataRoot, "media")));
builder.Services.AddSingleton<IMedia>(s => s.GetRequiredService<MediaStore>());
builder.Services.AddSingleton<ShotStore>();
builder.Services.AddSingleton<ResultStore>();
builder.Services.AddSingleton<JobStore>();
builder.Services.AddSingleton<FrameStore>();
builder.Services.AddSingleton<ShelfStore>();

// Frames can be left to workers of their own.
if (Environment.GetEnvironmentVariable("PLENK_NO_WORKER") is null)
{
    builder.Services.AddHostedService<FrameWorker>();
}
builder.Services.AddSingleton<ShotEngine>();
builder.Services.AddSingleton(s => s.GetRequiredService<ShotEngine>().TrackWork);
builder.Services.AddSingleton<MovingWork>();
builder.Services.AddSingleton<GrainWork>();
builder.Services.AddSingleton<FillWork>();
builder.Services.AddSingleton<PaintWork>();
builder.Services.AddSingleton<LayeredPaint>();
builder.Services.AddSingleton<ShelfWork>();
builder.Services.AddSingleton<BakeWork>();
builder.Services.AddSingleton<CutLooseWork>();
builder.Services.AddSingleton(s => s.GetRequiredService<ShotEngine>().Clouds);
builder.Services.AddSingleton<PictureService>();
builder.Services.AddSingleton<TrayJobs, PlateJobs>();
builder.Services.AddSingleton<TrayJobs, CameraJobs>();
builder.Services.AddSingleton<TrayJobs, SetJobs>();
builder.Services.AddSingleton<TrayJobs, BreakJobs>();
builder.Services.AddSingleton<TrayJobs, FallJobs>();
builder.Services.AddSingleton<TrayJobs, MatteJobs>();
builder.Services.AddSingleton<TrayJobs, FinishJobs>();
builder.Services.AddHostedService<JobRunner>();
builder.Services.AddHostedService<MemoryRest>();
builder.Services.AddHostedService<WarmStart>();
builder.Services.AddSingleton<Measuring>();
builder.Services.AddHostedService(s => s.GetRequiredService<Measuring>());
builder.Services.AddSingleton(s =>
    ActivatorUtilities.CreateInstance<DemoProduction>(s, Environment.GetEnvironmentVariable("PLENK_DEMO") ?? "")
);
builder.Services.AddHostedService(s => s.GetRequiredService<DemoProduction>());
builder.Services.AddRazorPages();
builder.Services.AddProblemDetails();
builder.Services.AddExceptionHandler<FaultHandler>();
builder.Services.AddOpenApi();
builder.Services.AddHealthChecks().AddCheck<DatabaseHealth>("database").AddCheck<DemoProduction>("demo production");
builder.Services.ConfigureHttpJsonOptions(o => RequestJson.Set(o.SerializerOptions));

// A request that cannot be read is answered in words, not by a bare number.
builder.Services.Configure<RouteHandlerOptions>(o => o.ThrowOnBadRequest = true);
builder.Services.Configure<FormOptions>(o => o.MultipartBodyLengthLimit = 4L << 30);
builder.WebHost.ConfigureKestrel(k => k.Limits.MaxRequestBodySize = 4L << 30);
var app = builder.Build();
var doors = new Doors(Environment.GetEnvironmentVariable("PLENK_HOSTS"));
app.Use(
    async (context, next) =>
    {
        // Nothing on a page comes from another host.
        context.Response.Headers.ContentSecurityPolicy = Doors.Policy;
        context.Response.Headers.XContentTypeOptions = "nosniff";
        context.Response.Headers["Referrer-Policy"] = "same-origin";
        context.Response.Headers["Cross-Origin-Resource-Policy"] = "same-origin";
        if (doors.Refusal(context.Request) is { } refused)
        {
            context.Response.StatusCode = refused.Status;
            await context.Response.WriteAsJsonAsync(
                new Microsoft.AspNetCore.Mvc.ProblemDetails { Status = refused.Status, Title = refused.Why },
                options: null,
                "application/problem+json"
            );
            return;
        }
        await next();
    }
);
app.UseExceptionHandler();
app.UseStatusCodePagesWithReExecute("/Missing", "?code={0}");
app.Use(
    (context, next) =>
    {
        // What is missing of the API is no page.
        if (
            context.Request.Path.StartsWithSegments("/api")
            && context.Features.Get<Microsoft.AspNetCore.Diagnostics.IStatusCodePagesFeature>() is { } pages
        )
        {
            pages.Enabled = false;
        }
        return next();
    }
);
app.UseStaticFiles();
app.UseStaticFiles(
    new StaticFileOptions { FileProvider = new PhysicalFileProvider(GuideModel.Pictures), RequestPath = GuideModel.PicturesAddress }
);
app.MapRazorPages();
app.MapOpenApi();
app.MapScalarApiReference("/api");
app.MapHealthChecks("/health");
app.MapShots();
app.MapPlate();
app.MapPictures();
app.MapJobs();
app.MapHandOver();
app.MapCamera();
app.MapHandCamera();
app.MapMoving();
app.MapOutlines();
app.MapSet();
app.MapProjection();
app.MapPaint();
app.MapShelf();
app.MapLight();
app.MapContact();
app.MapFinish();
app.MapFallback("/api/{**rest}", IResult () =>
    throw new NotThereException("There is nothing at this address of the API; /api describes it.")
);

app.Logger.LogInformation(
    "pictures may take {Memory:0.0} GiB of memory, all that is kept of them together (PLENK_MEMORY)",
    Plenk.Formats.PictureMemory.Bytes / (double)(1 << 30)
);
app.Run();

namespace Plenk.Web
{
    /// <summary>Named so that tests can start the application in their own process.</summary>
    public partial class Program;
}
