package bargelane.client;

import static bargelane.client.Output.*;

import com.fasterxml.jackson.databind.JsonNode;
import com.fasterxml.jackson.databind.node.ArrayNode;
import com.fasterxml.jackson.databind.node.ObjectNode;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

/** Who tells what of a machine, and what is inside it. */
final class MachineInsideCommands {

  private MachineInsideCommands() {}

  @Command(
      name = "facts",
      description = "What each source says of a machine, fact by fact, and when.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane machine facts lending-db"})
  static final class Facts extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
    String name;

    @Override
    public Integer call() {
      JsonNode facts = api().get("/machines/" + escape(name) + "/facts");
      if (output == Form.json) {
        json(out(), facts);
        return 0;
      }
      ArrayNode rows = ApiClient.JSON.createArrayNode();
      for (JsonNode fact : facts) {
        for (JsonNode told : fact.path("told")) {
          ObjectNode row = told.deepCopy();
          row.put("fact", fact.path("fact").asText());
          rows.add(row);
        }
      }
      rows(
          out(),
          output,
          rows,
          "Nothing is known of it.",
          text("FACT", "fact"),
          text("VALUE", "value"),
          text("TOLD BY", "site"),
          time("AT", "at"));
      return 0;
    }
  }

  @Command(
      name = "survey",
      description = "What is inside a machine, as it was read from inside.",
      mixinStandardHelpOptions = true,
      footer = {"", "Example:", "  bargelane machine survey photo-store --packages"})
  static final class Survey extends Common implements Callable<Integer> {
    @Parameters(index = "0", paramLabel = "MACHINE", description = "Name or id.")
    String name;

    @Option(names = "--packages", description = "List the installed packages.")
    boolean packages;

    @Override
    public Integer call() {
      JsonNode surveys = api().get("/machines/" + escape(name) + "/surveys");
      if (output == Form.json) {
        json(out(), surveys);
      } else if (surveys.isEmpty()) {
        out().println(name + " was never read from inside: bargelane site add NAME --kind servers");
      } else if (packages) {
        rows(
            out(),
            output,
            surveys.get(0).path("packages"),
            "No packages.",
            text("PACKAGE", "name"),
            text("VERSION", "version"),
            text("ARCHITECTURE", "architecture"));
      } else {
        print(surveys.get(0));
      }
      return 0;
    }

    private void print(JsonNode s) {
      pairs(
          out(),
          "Read",
          local(s.path("readAt").asText())
              + " by "
              + s.path("site").asText()
              + " as "
              + s.path("account").asText(),
          "Hardware",
          (s.path("vendor").asText() + " " + s.path("product").asText()).strip()
              + ", "
              + plain(s.path("cpuModel"))
              + ", "
              + s.path("architecture").asText(),
          "Up for",
          seconds(s.path("uptimeSeconds")),
          "Packages",
          s.path("packages").size()
              + (s.path("patchedAt").isTextual()
                  ? ", changed last " + local(s.path("patchedAt").asText())
                  : ""),
          "Services",
          plain(s.path("services")));
      rows(
          out(),
          Form.table,
          s.path("devices"),
          "No block devices.",
          text("DEVICE", "name"),
          bytes("SIZE", "bytes"),
          text("PART OF", "parents"),
          text("MODEL", "model"),
          text("MOUNTED AT", "mounts"));
      rows(
          out(),
          Form.table,
          s.path("listeners"),
          "Nothing is served.",
          text("PROTOCOL", "protocol"),
          text("ADDRESS", "address"),
          number("PORT", "port"),
          text("PROCESS", "process"));
      for (JsonNode u : s.path("unread")) {
        out().println("not read: " + u.path("fact").asText() + " (" + u.path("why").asText() + ")");
      }
    }
  }
}
