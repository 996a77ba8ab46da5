namespace Rhabdon.Server.Accounts;

/// <summary>What can be told of the device that asks.</summary>
internal static class Device
{
    private const string Cookie = "rhabdon-device";
    private const int Longest = 120;

    /// <summary>As this server has marked it; null for one that it has not seen.</summary>
    public static Guid? Of(HttpContext http) => Guid.TryParse(http.Request.Cookies[Cookie], out var id) ? id : null;

    public static void Remember(HttpContext http, Guid id) => http.Response.Cookies.Append(Cookie, id.ToString(), new()
    {
        HttpOnly = true,
        SameSite = SameSiteMode.Strict,
        Secure = http.Request.IsHttps,
        MaxAge = TimeSpan.FromDays(365),
        IsEssential = true,
    });

    public static string Address(HttpContext http) => http.Connection.RemoteIpAddress?.ToString() ?? "";

    /// <summary>Browser and system, as the browser says them; shown, never trusted.</summary>
    public static string Name(HttpContext http)
    {
        var said = new string([.. http.Request.Headers.UserAgent.ToString().Where(c => !char.IsControl(c)).Take(Longest * 4)]);
        string? Found(params (string Mark, string Name)[] of) => of.FirstOrDefault(x => said.Contains(x.Mark, StringComparison.Ordinal)).Name;
        var browser = Found(("Edg", "Edge"), ("OPR/", "Opera"), ("Firefox/", "Firefox"), ("Chrome/", "Chrome"), ("Safari/", "Safari"));
        var system = Found(("Android", "Android"), ("iPhone", "iPhone"), ("iPad", "iPad"), ("Windows", "Windows"), ("Mac OS", "macOS"), ("CrOS", "ChromeOS"), ("Linux", "Linux"));
        return browser is null && system is null ? said[..Math.Min(said.Length, Longest)] : string.Join(", ", new[] { browser, system }.OfType<string>());
    }
}
