using System.Net;

namespace Plenk.Web;

/// <summary>
/// Who is let in: requests that name one of our hosts, and changes that a page of ours (or a script on this machine, which names no page)
/// asks for. A page of another origin can send a form or a fetch to a server on loopback as easily as ours can; browsers say where it came
/// from.
/// </summary>
public sealed class Doors
{
    private readonly HashSet<string> _hosts = new(StringComparer.OrdinalIgnoreCase) { "127.0.0.1", "localhost", "[::1]" };

    /// <param name="further">Names by which the server is reached besides loopback: PLENK_HOSTS, parted by commas.</param>
    public Doors(string? further) =>
        _hosts.UnionWith((further ?? "").Split(',', StringSplitOptions.RemoveEmptyEntries | StringSplitOptions.TrimEntries));

    /// <summary>Scripts and pictures of our own, forms to our own, nobody frames us.</summary>
    public const string Policy =
        "default-src 'self'; img-src 'self' blob: data:; style-src 'self' 'unsafe-inline'; form-action 'self'; base-uri "
        + "'self'; object-src 'none'; frame-ancestors 'none'";

    public bool Knows(HostString host) => host.HasValue && _hosts.Contains(host.Host);

    /// <summary>Why a request is not taken, with the status that says so; null: it is.</summary>
    public (int Status, string Why)? Refusal(HttpRequest request)
    {
        if (!Knows(request.Host))
        {
            return (
                400,
                "This server does not go by that name. Open it by the address that it was started with; further names stand in PLENK_HOSTS."
            );
        }
        if (HttpMethods.IsGet(request.Method) || HttpMethods.IsHead(request.Method) || HttpMethods.IsOptions(request.Method))
        {
            return null;
        }
        const string foreign = "Another site's page asked for a change here. Nothing was changed; make it on Plenk's own page.";
        string site = request.Headers["Sec-Fetch-Site"].ToString(),
            origin = request.Headers.Origin.ToString();
        if (site.Length > 0 && site is not ("same-origin" or "none"))
        {
            return (403, foreign);
        }
        if (origin.Length > 0)
        {
            return
                Uri.TryCreate(origin, UriKind.Absolute, out Uri? from)
                && from.Authority.Equals(request.Host.Value, StringComparison.OrdinalIgnoreCase)
                ? null
                : (403, foreign);
        }
        // A script says neither; it is taken where it runs on this machine.
        return site.Length > 0 || request.HttpContext.Connection.RemoteIpAddress is not { } address || IPAddress.IsLoopback(address)
            ? null
            : (403, "A change from another machine must come from a page of this server.");
    }
}
