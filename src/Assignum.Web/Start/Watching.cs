using System.Diagnostics;
using System.Globalization;
using Assignum.Desk;
using Assignum.Desk.Access;
using Assignum.Desk.Work;
using Assignum.Web.Access;
using OpenTelemetry.Metrics;
using Serilog;
using Serilog.Formatting.Compact;

namespace Assignum.Web.Start;

/// <summary>What the person on duty watches: logs, figures, and what is the matter.</summary>
internal static class Watching
{
    private const long LogFile = 50L << 20;
    private const int LogFiles = 14;
    private const string Everything = "everything";

    /// <summary>What is said stands on the console; every request, as JSON with its id, in files that are kept two
    /// weeks, where a folder is named.</summary>
    public static void Logs(WebApplicationBuilder builder) =>
        builder.Host.UseSerilog(
            (context, log) =>
            {
                log.MinimumLevel.Information()
                    .MinimumLevel.Override("Microsoft.AspNetCore", Serilog.Events.LogEventLevel.Warning)
                    .Enrich.FromLogContext()
                    .WriteTo.Logger(l =>
                        l.Filter.ByExcluding(Serilog.Filters.Matching.FromSource("Serilog.AspNetCore"))
                            .WriteTo.Console(formatProvider: CultureInfo.InvariantCulture)
                    );
                if (context.Configuration["ASSIGNUM_LOGS"] is { Length: > 0 } folder)
                    log.WriteTo.File(
                        new CompactJsonFormatter(),
                        Path.Combine(folder, "assignum-.jsonl"),
                        rollingInterval: RollingInterval.Day,
                        rollOnFileSizeLimit: true,
                        fileSizeLimitBytes: LogFile,
                        retainedFileCountLimit: LogFiles,
                        shared: false
                    );
            }
        );

    /// <summary>Figures as Prometheus reads them.</summary>
    public static void Figures(IServiceCollection services)
    {
        services
            .AddOpenTelemetry()
            .WithMetrics(m =>
                m.AddAspNetCoreInstrumentation()
                    .AddRuntimeInstrumentation()
                    .AddMeter("Microsoft.AspNetCore.Server.Kestrel", "Npgsql", DeskFigures.Meter)
                    .AddPrometheusExporter()
            );
        services
            .AddAuthorizationBuilder()
            .AddPolicy(Everything, p =>
                p.AddAuthenticationSchemes(ApiKeyHandler.Scheme)
                    .RequireAuthenticatedUser()
                    .RequireAssertion(a =>
                        a.Resource is HttpContext http
                        && http.Items[typeof(Actor)] is Actor actor
                        && actor.MayEverywhere(Role.Administrator)
                    )
            );
    }

    /// <summary>Each request has an id, which is in its answer and in the log.</summary>
    public static void Requests(WebApplication app)
    {
        app.Use(
            (http, next) =>
            {
                http.Response.Headers["X-Request-Id"] = http.TraceIdentifier;
                return next(http);
            }
        );
        app.UseSerilogRequestLogging(o =>
            o.EnrichDiagnosticContext = (said, http) =>
            {
                said.Set("RequestId", http.TraceIdentifier);
                said.Set("Who", http.User.Identity?.Name ?? "");
                said.Set("From", http.Connection.RemoteIpAddress?.ToString() ?? "");
            }
        );
    }

    /// <summary><c>/metrics</c> and <c>/healthz/detail</c>, for an administrator's key.</summary>
    public static void Map(WebApplication app)
    {
        app.MapPrometheusScrapingEndpoint("/metrics").RequireAuthorization(Everything);
        app.MapGet(
                "/healthz/detail",
                async (DeskContext desk, StartProgress progress, WorkDesk work, HttpContext http) =>
                {
                    var watch = Stopwatch.StartNew();
                    var answers = await desk.AnswersAsync(http.RequestAborted);
                    var took = watch.Elapsed.TotalMilliseconds;
                    using var me = Process.GetCurrentProcess();
                    return Results.Json(
                        new
                        {
                            ready = progress.Ready && answers,
                            doing = progress.Doing,
                            version = typeof(Watching).Assembly.GetName().Version?.ToString(),
                            since = me.StartTime.ToUniversalTime(),
                            database = new { answers, milliseconds = Math.Round(took, 1) },
                            memory = new { bytes = me.WorkingSet64, managed = GC.GetTotalMemory(false) },
                            setUps = new { bytes = desk.Shelf.Held.Bytes },
                            work = answers ? await work.CountsAsync(http.RequestAborted) : null,
                            disk = new { free = new DriveInfo(Path.GetTempPath()).AvailableFreeSpace },
                        },
                        statusCode: progress.Ready && answers ? 200 : 503
                    );
                }
            )
            .RequireAuthorization(Everything)
            .ExcludeFromDescription();
    }
}
