package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Sites: where machines run and where they can go. */
@Command(
    name = "site",
    description = "Sites: where machines run and where they can go.",
    mixinStandardHelpOptions = true,
    subcommands = {
      SiteCommands.ListSites.class,
      SiteCommands.Show.class,
      SiteCommands.Add.class,
      SiteCommands.Check.class,
      SiteCommands.Scan.class,
      ChangesCommand.OfSite.class,
      SiteCommands.Credentials.class,
      SiteCommands.Schedule.class,
      SiteCommands.Leftovers.class,
      SiteCommands.Remove.class
    })
final class SiteCommands {

  @Command(
      name = "list",
      description = "List sites.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site list"})
  static final class ListSites extends Common implements Callable<Integer> {

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/sites"),
          "No sites yet. Add one: bargelane site add NAME --address URL --token-file FILE",
          text("NAME", "name"),
          text("KIND", "kind"),
          text("STATUS", "status"),
          text("PLATFORM", "platform"),
          text("VERSION", "version"),
          number("MACHINES", "machines"),
          time("CHECKED", "checkedAt"),
          time("SCANNED", "scannedAt"));
      return 0;
    }
  }

  @Command(
      name = "show",
      description = "Show a site.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site show mill-street"})
  static final class Show extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      return SitePrinter.print(this, api().get("/sites/" + escape(name)));
    }
  }

  @Command(
      name = "add",
      description = "Add a site. Its token is read from a file or from SITE_TOKEN.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane site add mill-street --address http://127.0.0.1:7070 --token-file token",
        "  bargelane site add annex --kind libvirt --address qemu:///system",
        "  bargelane site add branches --kind servers --credential scouts"
      })
  static final class Add extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name to give it.")
    String name;

    @Option(
        names = "--kind",
        defaultValue = "standin",
        description =
            "Kind of site: standin, libvirt, ovf, servers, agents or csv (default: standin).")
    String kind;

    @Option(
        names = "--address",
        defaultValue = "",
        description = "Address of its control interface; of kind ovf, the folder.")
    String address;

    @Option(names = "--token-file", description = "File with its token.")
    Path tokenFile;

    @Option(
        names = "--credential",
        description = "A stored credential to try; may be given again, in the order wanted.")
    List<String> credentials = List.of();

    @Override
    public Integer call() {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("name", name);
      body.put("kind", kind);
      body.put("address", address);
      body.put("credentials", credentials);
      if (tokenFile != null || kind.equals("standin") && credentials.isEmpty()) {
        body.put("token", secret("--token-file", tokenFile, "SITE_TOKEN"));
      }
      return SitePrinter.print(this, api().post("/sites", body));
    }
  }

  @Command(
      name = "check",
      description = "Test reach, permissions, clock and version; exit 1 if it finds something.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site check mill-street"})
  static final class Check extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      return SitePrinter.print(this, api().post("/sites/" + escape(name) + "/check", null));
    }
  }

  @Command(
      name = "scan",
      description = "Read the inventory.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site scan mill-street --wait"})
  static final class Scan extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Option(names = "--wait", description = "Follow the run until it is over.")
    boolean wait;

    @Override
    public Integer call() {
      JsonNode run = api().post("/sites/" + escape(name) + "/scan", null);
      return started(run, wait);
    }
  }

  @Command(
      name = "schedule",
      description = "Scan a site on schedule.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site schedule mill-street \"30 2 * * *\""})
  static final class Schedule extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Parameters(
        index = "1",
        arity = "0..1",
        defaultValue = "",
        paramLabel = "CRON",
        description =
            "Minute, hour, day of the month, month and day of the week, in UTC; none for never.")
    String cron;

    @Override
    public Integer call() {
      return SitePrinter.print(
          this, api().put("/sites/" + escape(name) + "/schedule", java.util.Map.of("cron", cron)));
    }
  }

  @Command(
      name = "credentials",
      description = "Have a site try these credentials, in this order, and no others.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site credentials branches scouts old-scouts"})
  static final class Credentials extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Parameters(index = "1..*", paramLabel = "CREDENTIAL", description = "Names, in their order.")
    List<String> credentials = List.of();

    @Override
    public Integer call() {
      return SitePrinter.print(
          this,
          api().put("/sites/" + escape(name) + "/credentials", Map.of("credentials", credentials)));
    }
  }

  @Command(
      name = "leftovers",
      description = "List things of ours at a site.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site leftovers saltmarsh"})
  static final class Leftovers extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      rows(
          out(),
          output,
          api().get("/sites/" + escape(name) + "/leftovers"),
          "Nothing of ours is there.",
          text("KIND", "kind"),
          text("NAME", "name"),
          text("OWNER", "owner"),
          text("RECORDED", "recorded"));
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Remove a site that no lane uses.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane site remove mill-street"})
  static final class Remove extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      api().delete("/sites/" + escape(name));
      out().println("Site " + name + " removed.");
      return 0;
    }
  }
}
