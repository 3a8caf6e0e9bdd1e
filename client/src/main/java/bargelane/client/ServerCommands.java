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
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;

/** Servers of sites that are lists of them. */
@Command(
    name = "server",
    description = "Servers of sites of kind servers: read over SSH, nothing installed on them.",
    mixinStandardHelpOptions = true,
    subcommands = {
      ServerCommands.ListServers.class,
      ServerCommands.Add.class,
      ServerCommands.Trust.class,
      ServerCommands.Remove.class
    })
final class ServerCommands {

  /** What every one of them is about. */
  abstract static class OfSite extends Common {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String site;

    String path(String... more) {
      StringBuilder path = new StringBuilder("/sites/" + escape(site) + "/servers");
      for (String part : more) {
        path.append('/').append(escape(part));
      }
      return path.toString();
    }
  }

  @Command(
      name = "list",
      description = "List the servers of a site, those with a problem first.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane server list branches"})
  static final class ListServers extends OfSite implements Callable<Integer> {
    @Option(names = "--page", defaultValue = "0", description = "Page, from 0.")
    int page;

    @Option(names = "--size", defaultValue = "100", description = "Servers a page, up to 500.")
    int size;

    @Override
    public Integer call() {
      JsonNode told = api().get(path() + "?page=" + page + "&size=" + size);
      rows(
          out(),
          output,
          output == Form.json ? told : told.path("items"),
          "No servers yet. Add some: bargelane server add " + site + " ADDRESS ...",
          text("ADDRESS", "address"),
          text("MACHINE", "machine"),
          text("CREDENTIAL", "credential"),
          text("HOST KEY", "hostKey"),
          time("READ", "readAt"),
          of("PROBLEM", r -> plain(r.path("problem").path("cause"))));
      return 0;
    }
  }

  @Command(
      name = "add",
      description = "Add servers to a site, from the command line or from a CSV file.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane server add branches 10.20.9.7 10.20.9.8:2222",
        "  bargelane server add branches --csv servers.csv --dry-run"
      })
  static final class Add extends OfSite implements Callable<Integer> {
    @Parameters(
        index = "1..*",
        paramLabel = "ADDRESS",
        description = "A name or an address, with :PORT if it is not 22.")
    List<String> addresses = List.of();

    @Option(
        names = "--csv",
        description = "CSV file with the column address and, if wanted, host_key.")
    Path csv;

    @Option(names = "--dry-run", description = "Only say what is wrong in it.")
    boolean dryRun;

    @Override
    public Integer call() {
      if (addresses.isEmpty() == (csv == null)) {
        throw new ParameterException(
            spec.commandLine(), "give addresses, or a file with --csv FILE");
      }
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("addresses", addresses);
      body.put("csv", csv == null ? "" : textOf("--csv", csv));
      body.put("dryRun", dryRun);
      return imported(api().post(path(), body), "servers", "");
    }
  }

  @Command(
      name = "trust",
      description = "Say which host key a server has: it is not talked to with another.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Example:",
        "  bargelane server trust branches 10.20.9.7 SHA256:x9Lw2oGpY1m8rTqVbN0cEzKfJhUaDsI5nMvQe7kRtWg"
      })
  static final class Trust extends OfSite implements Callable<Integer> {
    @Parameters(index = "1", paramLabel = "ADDRESS", description = "As the list shows it.")
    String address;

    @Parameters(
        index = "2",
        paramLabel = "FINGERPRINT",
        description = "As ssh-keygen -l shows it on that server.")
    String fingerprint;

    @Override
    public Integer call() {
      api().put(path(address), Map.of("hostKey", fingerprint));
      out().println(address + " is " + fingerprint + " from now on.");
      return 0;
    }
  }

  @Command(
      name = "remove",
      description = "Take a server from a site.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane server remove branches 10.20.9.7"})
  static final class Remove extends OfSite implements Callable<Integer> {
    @Parameters(index = "1", paramLabel = "ADDRESS", description = "As the list shows it.")
    String address;

    @Override
    public Integer call() {
      api().delete(path(address));
      out().println(address + " is not a server of " + site + " any more.");
      return 0;
    }
  }
}
