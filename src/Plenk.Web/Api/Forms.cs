using Plenk.Work;

namespace Plenk.Web.Api;

/// <summary>Forms with files, as pages send them.</summary>
public static class Forms
{
    /// <summary>What is no form is told.</summary>
    public static Task<IFormCollection> FormIn(this HttpRequest request) =>
        request.HasFormContentType
            ? request.ReadFormAsync(request.HttpContext.RequestAborted)
            : throw new ShotFault("Files come in as a form (multipart/form-data); this request is none.");
}
