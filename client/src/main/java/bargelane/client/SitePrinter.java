package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;

/** A site for people. */
final class SitePrinter {

  private SitePrinter() {}

  /** Prints; 1 if there are findings that block. */
  static int print(Common c, JsonNode site) {
    if (c.output == Output.Form.json) {
      Output.json(c.out(), site);
    } else {
      Output.pairs(
          c.out(),
          "Site",
          site.path("name").asText() + " (" + site.path("id").asText() + ")",
          "Address",
          Output.plain(site.path("address")),
          "Credentials",
          site.path("credentials").isEmpty()
              ? "none"
              : Output.join(site.path("credentials"), ", then "),
          "Status",
          site.path("status").asText(),
          "Platform",
          Output.plain(site.path("platform")) + " " + Output.plain(site.path("version")),
          "One snapshot reaches",
          Output.plain(site.path("instantReach")),
          "Tracked block",
          site.path("granularityBytes").isNumber()
              ? Output.size(site.path("granularityBytes").asLong())
              : "-",
          "Tracking survives a crash",
          Output.plain(site.path("markersSurviveCrash")),
          "Machines",
          Output.plain(site.path("machines"))
              + (site.path("servers").isNumber()
                  ? " of " + site.path("servers").asInt() + " servers"
                  : ""),
          "Scanned on schedule",
          site.path("nextScanAt").isTextual()
              ? "at "
                  + site.path("schedule").asText()
                  + " (UTC), next "
                  + Output.local(site.path("nextScanAt").asText())
              : "off");
      Output.findings(c.out(), site.path("findings"));
    }
    return site.path("status").asText().equals("finding") ? 1 : 0;
  }
}
