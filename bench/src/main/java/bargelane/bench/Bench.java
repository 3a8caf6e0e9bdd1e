package bargelane.bench;

import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;

/** Measures what its arguments name; figures are for docs/performance.md. */
public final class Bench {

  private Bench() {}

  public static void main(String[] args) throws Exception {
    List<String> parts =
        args.length == 0
            ? List.of(
                "passes",
                "cost",
                "hosts",
                "machines",
                "discovery",
                "sources",
                "assessment",
                "pages")
            : List.of(args);
    for (String part : parts) {
      switch (part) {
        case "passes" -> PassBench.run();
        case "large" -> LargeBench.run();
        case "cost" -> CostBench.run();
        case "hosts" -> HostBench.run();
        case "machines" -> MachineBench.run();
        case "discovery" -> DiscoveryBench.run();
        case "sources" -> SourcesBench.run();
        case "assessment" -> AssessmentBench.run();
        case "pages" -> PagesBench.run();
        default -> {
          System.err.println(
              "'"
                  + part
                  + "' is not measured; passes, large, cost, hosts, machines, discovery, sources, assessment and pages are");
          System.exit(2);
        }
      }
    }
  }

  static long peak(long pid) throws IOException {
    for (String line : Files.readAllLines(Path.of("/proc/" + pid + "/status"))) {
      if (line.startsWith("VmHWM:")) {
        return Long.parseLong(line.replaceAll("[^0-9]", "")) * 1024;
      }
    }
    return 0;
  }

  static String mib(long bytes) {
    return String.format(Locale.ROOT, "%.0f MiB", bytes / 1048576.0);
  }

  static void print(String what, String figure) {
    System.out.println(String.format(Locale.ROOT, "%-42s %s", what, figure));
  }
}
