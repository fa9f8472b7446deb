namespace Assignum.Web.Access;

/// <summary>The headers of every answer: nothing from elsewhere, nothing inline, nobody frames us.</summary>
internal static class SecurityHeaders
{
    public static readonly HeaderPolicyCollection Policy = new HeaderPolicyCollection()
        .AddFrameOptionsDeny()
        .AddContentTypeOptionsNoSniff()
        .AddReferrerPolicySameOrigin()
        .RemoveServerHeader()
        .AddCrossOriginOpenerPolicy(p => p.SameOrigin())
        .AddContentSecurityPolicy(p =>
        {
            p.AddDefaultSrc().Self();
            p.AddScriptSrc().Self();
            p.AddStyleSrc().Self();
            p.AddImgSrc().Self().Data();
            p.AddFontSrc().Self();
            p.AddConnectSrc().Self();
            p.AddObjectSrc().None();
            p.AddBaseUri().None();
            p.AddFormAction().Self();
            p.AddFrameAncestors().None();
        });
}
