namespace Assignum.Storage;

/// <summary>Somebody else changed what this change was made on; nothing was written. Read again and repeat.</summary>
public sealed class ChangedMeanwhileException(string what)
    : Exception($"{what} was changed by somebody else meanwhile. Look at it again and repeat your change.");
