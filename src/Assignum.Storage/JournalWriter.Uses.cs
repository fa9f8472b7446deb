using Assignum.Core.Entries;

namespace Assignum.Storage;

public sealed partial class JournalWriter
{
    /// <summary>The records that something refers to and that are not known to be kept as used.</summary>
    private sealed class Uses(JournalIds ids)
    {
        private readonly HashSet<(string Part, string Key)> fresh = [];
        private readonly string?[] last = new string?[7];

        public void Add(string part, string? key)
        {
            if (key is not null && !ids.Used(part, key))
                fresh.Add((part, key));
        }

        // Lines of an entry mostly refer to what the line before did.
        private void Add(int place, string part, string? key)
        {
            if (key is null || ReferenceEquals(last[place], key))
                return;
            last[place] = key;
            Add(part, key);
        }

        public void Add(LegContext context)
        {
            Add(0, "items", context.Item);
            Add(1, "parties", context.Party);
            Add(2, "locations", context.Location);
            Add(3, "channels", context.Channel);
            Add(4, "methods", context.Method);
            Add(5, "projects", context.Project);
            Add(6, "reasons", context.Reason);
        }

        // What another batch kept meanwhile is left out.
        public List<(string Part, string Key)> Fresh() => [.. fresh.Where(f => !ids.Used(f.Part, f.Key)).Order()];
    }
}
