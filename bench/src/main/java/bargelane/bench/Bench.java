package bargelane.bench;

import bargelane.e2e.FaultBatch;
import bargelane.e2e.NodeBatch;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Locale;

/** Measures what its arguments name; figures are for docs/performance.md. */
public final class Bench {

  private Bench() {}

  public static void main(String[] args) throws Exception {
    if (args.length > 0 && args[0].equals("faults")) {
      faults(
          args.length > 1 ? Integer.parseInt(args[1]) : 200,
          args.length > 2 ? Long.parseLong(args[2]) : 1);
      return;
    }
    if (args.length > 0 && args[0].equals("nodes")) {
      try (NodeBatch batch = new NodeBatch(System.out::println)) {
        batch.run(
            args.length > 1 ? Integer.parseInt(args[1]) : 50,
            args.length > 2 ? Long.parseLong(args[2]) : 1);
      }
      return;
    }
    if (args.length > 0 && args[0].equals("tows")) {
      TowsBench.run(
          args.length > 1 ? Integer.parseInt(args[1]) : 500,
          args.length > 2 ? Integer.parseInt(args[2]) : 900);
      return;
    }
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
                "pages",
                "lanes",
                "access")
            : List.of(args);
    for (String part : parts) {
      switch (part) {
        case "passes" -> PassBench.run();
        case "large" -> LargeBench.run();
        case "disks" -> DisksBench.run();
        case "cost" -> CostBench.run();
        case "hosts" -> HostBench.run();
        case "machines" -> MachineBench.run();
        case "discovery" -> DiscoveryBench.run();
        case "sources" -> SourcesBench.run();
        case "assessment" -> AssessmentBench.run();
        case "pages" -> PagesBench.run();
        case "lanes" -> LanesBench.run();
        case "access" -> AccessBench.run();
        default -> {
          System.err.println(
              "'"
                  + part
                  + "' is not measured; passes, large, disks, faults, nodes, tows, cost, hosts, machines, discovery, sources, assessment, pages, lanes and access are");
          System.exit(2);
        }
      }
    }
  }

  /** Injects faults, each drawn from a seed, and reads every point that survives. */
  private static void faults(int count, long seed) throws IOException {
    try (FaultBatch batch = new FaultBatch(System.out::println)) {
      batch.run(count, seed);
      batch.end();
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
