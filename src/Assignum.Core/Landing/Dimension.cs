namespace Assignum.Core.Landing;

/// <summary>What a leg can be told apart by. <see cref="Line"/> is an account written on the document itself.</summary>
public enum Dimension
{
    Line,
    Item,
    ItemGroup,
    Party,
    PartyGroup,
    Location,
    Channel,
    Method,
    Project,
    ProjectGroup,
    Reason,
    TaxCode,
    Currency,
    Counterparty,
}

/// <summary>A rung: the dimensions an assignment on it fills, in the order they are listed. Empty is
/// <c>default</c>.</summary>
/// <remarks>The order matters where several nested dimensions stand on one rung: the last listed walks outward
/// first.</remarks>
public sealed class Rung : IEquatable<Rung>
{
    /// <summary>The last rung of every ladder; it has no key.</summary>
    public static readonly Rung Default = new([]);

    /// <summary>The rung of an account written on the document.</summary>
    public static readonly Rung Line = new([Dimension.Line]);

    private Rung(Dimension[] dimensions)
    {
        Dimensions = dimensions;
        Name = dimensions.Length == 0 ? "default" : string.Join('+', dimensions.Select(Words.Of));
        foreach (var dimension in dimensions)
            Set |= 1 << (int)dimension;
    }

    /// <summary>The dimensions in listed order, at most three.</summary>
    public IReadOnlyList<Dimension> Dimensions { get; }

    /// <summary><c>default</c>, <c>line</c>, or the dimensions joined by <c>+</c>.</summary>
    public string Name { get; }

    /// <summary>The dimensions as bits; two rungs with the same set hold the same assignments.</summary>
    public int Set { get; }

    /// <summary>Reads a rung's name. Says in <paramref name="why"/> what is wrong when it returns null.</summary>
    public static Rung? Parse(string name, out string why)
    {
        why = "";
        if (name == "default")
            return Default;
        if (name == "line")
            return Line;
        var parts = name.Split('+');
        var dimensions = new List<Dimension>(parts.Length);
        foreach (var part in parts)
        {
            if (!Words.TryParse<Dimension>(part, out var dimension))
            {
                why = $"'{part}' is no dimension; use {string.Join(", ", Words.All<Dimension>())}.";
                return null;
            }
            if (dimension == Dimension.Line)
            {
                why = "'line' stands alone on its rung.";
                return null;
            }
            if (dimensions.Contains(dimension))
            {
                why = $"'{part}' is named twice.";
                return null;
            }
            dimensions.Add(dimension);
        }
        if (dimensions.Count > 3)
        {
            why = "A rung has at most three dimensions.";
            return null;
        }
        return new Rung([.. dimensions]);
    }

    /// <summary>The rung of a shipped ladder; throws on a misspelling, which only a bug can cause.</summary>
    internal static Rung Known(string name) =>
        Parse(name, out var why) ?? throw new ArgumentException(why, nameof(name));

    /// <inheritdoc/>
    public bool Equals(Rung? other) => other is not null && Name == other.Name;

    /// <inheritdoc/>
    public override bool Equals(object? obj) => Equals(obj as Rung);

    /// <inheritdoc/>
    public override int GetHashCode() => Name.GetHashCode(StringComparison.Ordinal);

    /// <inheritdoc/>
    public override string ToString() => Name;
}
