package bargelane.client;

import java.nio.file.Path;
import java.time.Duration;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Lists that are given as CSV files (docs/formats/lists.md). */
final class ListCommands {

  private ListCommands() {}

  /** What every one of them takes. */
  abstract static class FromFile extends Common {
    private static final Duration PATIENCE = Duration.ofMinutes(15);

    @Option(names = "--csv", required = true, description = "The CSV file.")
    Path csv;

    @Option(names = "--dry-run", description = "Only say what would become of it.")
    boolean dryRun;

    int give(String path, boolean whole, String rows, String things) {
      Map<String, Object> body = new LinkedHashMap<>();
      body.put("csv", textOf("--csv", csv));
      body.put("dryRun", dryRun);
      body.put("whole", whole);
      return imported(api().post(path, body, PATIENCE), rows, things);
    }
  }

  @Command(
      name = "add",
      description = "Import a list of machines of a site of kind csv.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Columns: name, and if wanted id, cpus, memory, os, firmware, power, disks, nics, label.NAME.",
        "",
        "Example:",
        "  bargelane machine add boathouse --csv machines.csv --dry-run"
      })
  static final class Machines extends FromFile implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id.")
    String site;

    @Option(
        names = "--whole",
        description = "The list is complete: mark other machines as vanished.")
    boolean whole;

    @Override
    public Integer call() {
      return give("/sites/" + escape(site) + "/machines", whole, "machines", "");
    }
  }

  @Command(
      name = "add",
      description = "Import a list of connections, in place of the site's last one.",
      mixinStandardHelpOptions = true,
      footer = {
        "",
        "Columns: client, server, port, and if wanted protocol, process, count, bytes, first_seen, last_seen.",
        "",
        "Example:",
        "  bargelane connection add boathouse --csv connections.csv"
      })
  static final class Connections extends FromFile implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "SITE", description = "Name or id; of kind csv.")
    String site;

    @Override
    public Integer call() {
      return give("/sites/" + escape(site) + "/connections", false, "connections", "");
    }
  }

  /** What machines used. */
  @Command(
      name = "usage",
      description = "What machines used, from lists. To look at it: bargelane machine usage NAME",
      mixinStandardHelpOptions = true,
      subcommands = {Usage.Add.class})
  static final class Usage {

    @Command(
        name = "add",
        description = "Import samples of what machines used.",
        mixinStandardHelpOptions = true,
        footer = {
          "",
          "Columns: machine, time, and of seconds, cpu, memory, read_bytes, reads, written_bytes, writes,",
          "received_bytes, sent_bytes those that were measured.",
          "",
          "Example:",
          "  bargelane usage add --csv usage.csv --dry-run"
        })
    static final class Add extends FromFile implements Callable<Integer> {
      @Override
      public Integer call() {
        return give("/usage", false, "samples", "days of machines ");
      }
    }
  }
}
