using Assignum.Formats.Lists;
using Microsoft.AspNetCore.Mvc;

namespace Assignum.Web.Pages;

/// <summary>A list of a page as a file.</summary>
internal static class ListFile
{
    /// <summary>CSV, or a workbook where <paramref name="format"/> is <c>xlsx</c>.</summary>
    public static FileContentResult Of(
        string name,
        string format,
        IReadOnlyList<string> header,
        IEnumerable<object?[]> rows
    )
    {
        using var bytes = new MemoryStream();
        if (format == "xlsx")
        {
            ListWriter.Xlsx(name, header, rows, bytes);
            return new FileContentResult(
                bytes.ToArray(),
                "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
            )
            {
                FileDownloadName = name + ".xlsx",
            };
        }
        ListWriter.Csv(header, rows, bytes);
        return new FileContentResult(bytes.ToArray(), "text/csv; charset=utf-8") { FileDownloadName = name + ".csv" };
    }
}
