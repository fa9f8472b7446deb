using Assignum.Desk;
using Assignum.Storage;
using Assignum.Web;
using Assignum.Web.Access;
using Assignum.Web.Api;
using Assignum.Web.Pages;
using Assignum.Web.Start;
using Microsoft.AspNetCore.Authentication.Cookies;
using Microsoft.AspNetCore.DataProtection;
using Microsoft.AspNetCore.DataProtection.KeyManagement;
using Microsoft.AspNetCore.Http.Features;
using Microsoft.Extensions.Options;
using Serilog;

var builder = WebApplication.CreateBuilder(args);
Watching.Logs(builder);
StartOptions options;
Serving serving;
try
{
    options = StartOptions.From(builder.Configuration);
    serving = Serving.From(builder.Configuration);
}
catch (InvalidOperationException e)
{
    Console.Error.WriteLine(e.Message);
    return 1;
}
serving.Configure(builder);
Watching.Figures(builder.Services);
Throttle.Add(builder.Services, builder.Configuration.GetValue("ASSIGNUM_LIMIT_FACTOR", 1));
builder.Services.AddSingleton(options);
builder.Services.AddSingleton(new Database(options.Connection));
builder.Services.AddSingleton<DeskContext>();
builder.Services.AddSingleton<StartProgress>();
builder.Services.AddHostedService<FirstStart>();
builder.Services.AddHostedService<WorkService>();
builder.Services.AddHostedService<FeedService>();
builder.Services.AddSingleton(
    Assignum.Desk.Connections.LinkSettings.Of(
        builder.Configuration["ASSIGNUM_LINK_HOSTS"],
        builder.Configuration["ASSIGNUM_FILE_FOLDERS"]
    )
);
DeskTasks.Register(builder.Services);

builder.WebHost.ConfigureKestrel(k =>
{
    k.AddServerHeader = false;
    k.Limits.MaxRequestBodySize = Limits.Body;
});
builder.Services.Configure<FormOptions>(f =>
{
    f.MultipartBodyLengthLimit = Limits.Upload;
    f.ValueLengthLimit = Limits.FormValue;
    f.ValueCountLimit = 20_000;
});

builder.Services.AddDataProtection().SetApplicationName("Assignum");
builder.Services.AddSingleton<IConfigureOptions<KeyManagementOptions>, DatabaseKeyRing>();
builder
    .Services.AddAuthentication(CookieAuthenticationDefaults.AuthenticationScheme)
    .AddCookie(c => SessionCookie.Configure(c, serving.Secure))
    .AddScheme<Microsoft.AspNetCore.Authentication.AuthenticationSchemeOptions, ApiKeyHandler>(
        ApiKeyHandler.Scheme,
        null
    );
builder
    .Services.AddAuthorizationBuilder()
    .SetFallbackPolicy(
        new Microsoft.AspNetCore.Authorization.AuthorizationPolicyBuilder(
            CookieAuthenticationDefaults.AuthenticationScheme
        )
            .RequireAuthenticatedUser()
            .Build()
    )
    .AddPolicy(ApiKeyHandler.Scheme, p => p.AddAuthenticationSchemes(ApiKeyHandler.Scheme).RequireAuthenticatedUser());
builder.Services.AddAntiforgery(a =>
{
    a.Cookie.Name = "assignum-form";
    a.Cookie.SameSite = SameSiteMode.Strict;
    a.Cookie.SecurePolicy = serving.Secure ? CookieSecurePolicy.Always : CookieSecurePolicy.SameAsRequest;
    a.HeaderName = "X-Form-Token";
});
builder.Services.AddHttpContextAccessor();
builder.Services.AddRazorPages(p =>
{
    p.Conventions.AllowAnonymousToPage("/SignIn");
    p.Conventions.AllowAnonymousToPage("/Join");
    p.Conventions.ConfigureFilter(new CleanForms());
});
builder.Services.AddSingleton<Microsoft.AspNetCore.Mvc.ViewFeatures.CookieTempDataProvider>();
builder.Services.AddSingleton<Microsoft.AspNetCore.Mvc.ViewFeatures.ITempDataProvider, ToldOnce>();
builder.Services.Configure<Microsoft.AspNetCore.Mvc.MvcOptions>(m =>
    m.ModelBinderProviders.Insert(0, new Assignum.Web.Pages.DayBinder())
);
builder.Services.ConfigureHttpJsonOptions(j => ApiJson.Configure(j.SerializerOptions));

// A value of the wrong kind in an address is answered like any other fault (FaultPages).
builder.Services.Configure<RouteHandlerOptions>(r => r.ThrowOnBadRequest = true);
builder.Services.AddExceptionHandler<FaultPages>();
builder.Services.AddSingleton<Assets>();
builder.Services.AddOpenApi("v1");
builder.Services.AddResponseCompression();

// Before anything else reads the database: the keys of cookies are in it. With --migrate that is all: whoever brings the
// schema up to date owns the database, and the application that stays does not.
try
{
    if (options.OwnerConnection is { } owner)
        Database.Migrate(owner);
    else
        Database.Check(options.Connection);
}
catch (Exception e) when (e is Npgsql.NpgsqlException or InvalidOperationException)
{
    Console.Error.WriteLine($"The database cannot be used: {e.Message}");
    return 1;
}
if (args.Contains("--migrate"))
    return 0;
if (args.Contains("--verify"))
{
    await using var database = new Database(options.Connection);
    return await Verifying.RunAsync(new Assignum.Desk.Access.Evidence(new DeskContext(database)));
}

var app = builder.Build();
app.Services.GetRequiredService<DeskContext>().Unforeseen = e =>
    Log.Error(e, "An event was refused for a fault of the program");

// Without named proxies nobody is believed: the framework would believe everybody.
if (serving.Proxies.Count > 0)
    app.UseForwardedHeaders();
Watching.Requests(app);
app.UseExceptionHandler(_ => { });
app.Use((http, next) => http.RequestServices.GetRequiredService<Database>().ServeAsync(() => next(http)));
app.UseHostFiltering();
if (serving.Secure)
    app.UseHsts();
app.UseSecurityHeaders(SecurityHeaders.Policy);
app.UseResponseCompression();
app.UseStatusCodePages(FaultPages.SayAsync);

// At their own address for good; elsewhere they are asked for again each time.
foreach (
    var (at, kept) in new[]
    {
        (app.Services.GetRequiredService<Assets>().Root, "public, max-age=31536000, immutable"),
        ("", "no-cache"),
    }
)
    app.UseStaticFiles(
        new StaticFileOptions
        {
            RequestPath = at,
            OnPrepareResponse = c => c.Context.Response.Headers.CacheControl = kept,
        }
    );
app.UseRouting();
app.UseAuthentication();
app.UseAuthorization();
app.UseRateLimiter();
app.Use(DayForms.Use);
app.UseMiddleware<AuditedAnswers>();
app.UseMiddleware<Gate>();
app.MapOpenApi().AllowAnonymous();
app.MapHealth(options.Instance);
Watching.Map(app);
app.MapApi();
app.MapHooks();
app.MapRazorPages();
try
{
    await app.RunAsync();
}
catch (IOException e)
{
    // Another program has the port.
    Console.Error.WriteLine($"Assignum cannot listen there: {e.Message} Choose another port with --port.");
    return 1;
}
return Environment.ExitCode;

/// <summary>The application; public so that tests can start it.</summary>
public partial class Program;
