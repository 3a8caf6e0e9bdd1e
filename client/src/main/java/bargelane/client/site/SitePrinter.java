package bargelane.client.site;

import bargelane.api.SiteView;
import bargelane.client.Answer;
import bargelane.client.Common;
import bargelane.client.Output;

/** A site for people. */
public final class SitePrinter {

  private SitePrinter() {}

  /** Prints; 1 if there are findings that block. */
  public static int print(Common c, Answer<SiteView> answer) {
    SiteView site = answer.value();
    if (c.output == Output.Form.json) {
      Output.json(c.out(), answer.json());
    } else {
      Output.pairs(
          c.out(),
          "Site",
          site.name() + " (" + site.id() + ")",
          "Address",
          Output.plain(site.address()),
          "Credentials",
          site.credentials().isEmpty() ? "none" : Output.join(site.credentials(), ", then "),
          "Status",
          site.status(),
          "Platform",
          Output.plain(site.platform()) + " " + Output.plain(site.version()),
          "One snapshot reaches",
          Output.plain(site.instantReach()),
          "Tracked block",
          site.granularityBytes() != null ? Output.size(site.granularityBytes()) : "-",
          "Tracking survives a crash",
          Output.plain(site.markersSurviveCrash()),
          "Machines",
          Output.plain(site.machines())
              + (site.servers() != null ? " of " + site.servers() + " servers" : ""),
          "Scanned on schedule",
          site.nextScanAt() != null
              ? "at " + site.schedule() + " (UTC), next " + Output.local(site.nextScanAt())
              : "off");
      Output.findings(c.out(), site.findings());
    }
    return site.status().equals("finding") ? 1 : 0;
  }
}
