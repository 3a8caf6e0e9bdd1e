package bargelane.client;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.ArrayList;
import java.util.List;

/** A machine for people. */
final class MachinePrinter {

  private MachinePrinter() {}

  static long bytes(JsonNode machine) {
    long sum = 0;
    for (JsonNode d : machine.path("disks")) {
      sum += d.path("bytes").asLong();
    }
    return sum;
  }

  static String addresses(JsonNode machine) {
    List<String> all = new ArrayList<>();
    machine.path("nics").forEach(n -> all.add(n.path("address").asText()));
    return String.join(" ", all);
  }

  private static boolean has(JsonNode names, String name) {
    for (JsonNode n : names) {
      if (n.asText().equals(name)) {
        return true;
      }
    }
    return false;
  }

  private static String labels(JsonNode machine) {
    List<String> all = new ArrayList<>();
    machine
        .path("labels")
        .fields()
        .forEachRemaining(
            l ->
                all.add(
                    l.getKey()
                        + "="
                        + l.getValue().asText()
                        + (has(machine.path("ownLabels"), l.getKey()) ? " (by hand)" : "")
                        + (has(machine.path("ruledLabels"), l.getKey()) ? " (by a rule)" : "")));
    return String.join("  ", all);
  }

  private static String sources(JsonNode machine) {
    List<String> all = new ArrayList<>();
    for (JsonNode source : machine.path("sources")) {
      all.add(
          source.path("site").asText()
              + (source.path("home").asBoolean() ? " (its home)" : "")
              + (source.path("seenAt").isTextual()
                  ? " at " + Output.local(source.path("seenAt").asText())
                  : ""));
    }
    return String.join(", ", all);
  }

  static int print(Common c, JsonNode m) {
    if (c.output == Output.Form.json) {
      Output.json(c.out(), m);
      return 0;
    }
    Output.pairs(
        c.out(),
        "Machine",
        m.path("name").asText()
            + " ("
            + m.path("id").asText()
            + ", "
            + m.path("platformId").asText()
            + " at "
            + m.path("site").asText()
            + ")",
        "System",
        Output.plain(m.path("os"))
            + (m.path("firmware").asText().isEmpty() ? "" : ", " + m.path("firmware").asText()),
        "Size",
        m.path("cpus").asInt() + " processors, " + m.path("memoryMib").asLong() + " MiB",
        "Power",
        m.path("on").asBoolean() ? "on" : "off",
        "Wave",
        Output.plain(m.path("wave")),
        "Labels",
        labels(m),
        "Told by",
        sources(m));
    Output.rows(
        c.out(),
        Output.Form.table,
        m.path("disks"),
        "No disks.",
        Output.text("DISK", "volume"),
        Output.bytes("SIZE", "bytes"),
        Output.text("STORAGE", "storage"),
        Output.of("MOUNTED AT", d -> Output.plain(d.path("mounts"))));
    Output.rows(
        c.out(),
        Output.Form.table,
        m.path("nics"),
        "No network cards.",
        Output.text("NETWORK", "network"),
        Output.text("ADDRESS", "address"),
        Output.text("MAC", "mac"));
    JsonNode guest = m.path("guest");
    if (guest.isObject()) {
      Output.pairs(
          c.out(),
          "Guest",
          guest.path("os").asText()
              + ", kernel "
              + guest.path("kernel").asText()
              + ", calls itself "
              + guest.path("hostname").asText()
              + "; read at "
              + Output.local(guest.path("readAt").asText()));
      Output.rows(
          c.out(),
          Output.Form.table,
          guest.path("fileSystems"),
          "No file systems.",
          Output.text("MOUNT", "mount"),
          Output.text("TYPE", "type"),
          Output.bytes("SIZE", "bytes"),
          Output.bytes("USED", "used"));
    }
    return 0;
  }
}
