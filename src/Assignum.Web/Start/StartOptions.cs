namespace Assignum.Web.Start;

/// <summary>What the start command says, from environment variables that begin with ASSIGNUM_.</summary>
/// <param name="Connection">Connection string of the application.</param>
/// <param name="OwnerConnection">Connection string that may migrate; null: the schema was brought up to date
/// before.</param>
/// <param name="Demo"><c>skerrow</c>, <c>large</c> or <c>none</c>: what to load into an empty database.</param>
/// <param name="DemoFolder">Where the demo's files are.</param>
/// <param name="ApiKey">The administrator's key, or null to make one.</param>
/// <param name="AdminPassword">The first administrator's password, or null to make one.</param>
/// <param name="Instance">What <c>/readyz</c> says it is, so that whoever started it knows it from others; null:
/// nothing.</param>
/// <param name="Ring">Encrypts the keys of cookies in the database; null: they are kept as they are.</param>
public sealed record StartOptions(
    string Connection,
    string? OwnerConnection,
    string Demo,
    string DemoFolder,
    string? ApiKey,
    string? AdminPassword,
    string? Instance,
    string? Ring
)
{
    /// <summary>Reads the options.</summary>
    /// <exception cref="InvalidOperationException">No database is named, or the key is too short.</exception>
    public static StartOptions From(IConfiguration configuration)
    {
        var connection = configuration["ASSIGNUM_DB"]
            ?? throw new InvalidOperationException(
                "ASSIGNUM_DB names no database. Start the application with ./start."
            );
        var key = configuration["ASSIGNUM_API_KEY"];
        if (key is { Length: > 0 and < 32 })
            throw new InvalidOperationException("ASSIGNUM_API_KEY has fewer than 32 characters.");
        var password = configuration["ASSIGNUM_ADMIN_PASSWORD"];
        if (password is { Length: > 0 and < Desk.Access.SignIn.ShortestPassword })
            throw new InvalidOperationException(
                $"ASSIGNUM_ADMIN_PASSWORD has fewer than {Desk.Access.SignIn.ShortestPassword} characters."
            );
        return new StartOptions(
            connection,
            configuration["ASSIGNUM_DB_OWNER"] is { Length: > 0 } owner ? owner : null,
            configuration["ASSIGNUM_DEMO"] is { Length: > 0 } demo ? demo : "none",
            configuration["ASSIGNUM_DEMO_FOLDER"] ?? Path.Combine(AppContext.BaseDirectory, "demo"),
            string.IsNullOrEmpty(key) ? null : key,
            string.IsNullOrEmpty(password) ? null : password,
            configuration["ASSIGNUM_INSTANCE"],
            configuration["ASSIGNUM_RING"] is { Length: > 0 } ring ? ring : null
        );
    }
}

/// <summary>How far the first start has come; <c>/readyz</c> answers from it.</summary>
public sealed class StartProgress
{
    private volatile string doing = "starting";
    private volatile bool ready;

    /// <summary>What is being done, in words.</summary>
    public string Doing
    {
        get => doing;
        set => doing = value;
    }

    /// <summary>Whether the application may be used.</summary>
    public bool Ready
    {
        get => ready;
        set => ready = value;
    }
}
