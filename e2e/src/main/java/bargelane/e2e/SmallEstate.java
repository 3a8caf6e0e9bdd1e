package bargelane.e2e;

import bargelane.client.ApiClient;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import java.util.stream.IntStream;

/**
 * An estate of small machines on one network, and a lane from it to the simulated cloud: for
 * measurements and faults, where the demo estate's machines say nothing.
 */
public final class SmallEstate {

  /** A disk of a machine: its size, and how much of it holds files. */
  public record Disk(int sizeMib, int fillMib) {}

  /**
   * @param on whether its guest writes to its disks
   */
  public record Machine(String name, boolean on, List<Disk> disks) {}

  private static final String LANE = "lane";

  /** The disks of more machines get their bytes when they are first needed. */
  private static final int MANY = 10;

  private SmallEstate() {}

  /** Writes the estate's seed to a temporary file, which the caller deletes. */
  public static Path seed(List<Machine> machines) throws IOException {
    StringBuilder seed =
        new StringBuilder(
            """
            traits: {kind: estate, name: mill-street, version: "4.2", instant: site, granularity: 65536, markersSurviveCrash: false, sized: false}
            tokens: {mill-street-demo: [read, snapshot, volumes, machines, exports, faults]}
            quota: {machines: 10000, volumeGib: 10000}
            zones: []
            networks: [{id: net-staff, name: staff, zone: "", cidr: 10.20.0.0/16, gateway: 10.20.0.1, isolated: false, like: "", owner: ""}]
            storages: [{id: shelf-a, name: Shelf A, media: ssd, pricePerGibMonth: "0", currency: EUR}]
            sizes: []
            machines:
            """);
    for (int i = 0; i < machines.size(); i++) {
      seed.append(machine(i + 1, machines.get(i), machines.size() > MANY));
    }
    Path file = Files.createTempFile("estate", ".yaml");
    return Files.writeString(file, seed);
  }

  private static String machine(int n, Machine m, boolean onDemand) {
    String disks =
        IntStream.range(0, m.disks.size())
            .mapToObj(
                d ->
                    "{name: disk-%d, sizeMib: %d, fillMib: %d, storage: shelf-a}"
                        .formatted(d, m.disks.get(d).sizeMib, m.disks.get(d).fillMib))
            .collect(Collectors.joining(", "));
    return """
      - {id: vm-%d, name: %s, cpus: 1, memoryMib: 1024, os: Debian GNU/Linux 12, firmware: bios, on: %b, onDemand: %b,
         disks: [%s],
         nics: [{network: net-staff, address: 10.20.%d.%d, mac: "52:54:00:14:%02x:%02x"}]}
    """
        .formatted(n, m.name, m.on, onDemand, disks, 1 + n / 200, 10 + n % 200, n >> 8, n & 255);
  }

  /** Adds and scans both sites, and joins them by a lane. */
  public static void join(Harness harness, Journey journey) {
    journey.addSite("mill-street", harness.estate());
    journey.addSite("saltmarsh", harness.saltmarsh());
    journey.scan("mill-street");
    journey.scan("saltmarsh");
    harness
        .api()
        .post(
            "/lanes",
            Map.of(
                "name",
                LANE,
                "from",
                "mill-street",
                "to",
                "saltmarsh",
                "networks",
                Map.of("net-staff", "sub-staff"),
                "storages",
                Map.of("shelf-a", "reed")));
  }

  /** Plans a wave of machines that start together. */
  public static void wave(ApiClient api, String name, String timetable, List<String> machines) {
    api.post(
        "/waves",
        Map.of(
            "name", name,
            "lane", LANE,
            "timetable", timetable,
            "machines", machines.stream().map(m -> Map.of("machine", m, "rank", 1)).toList()));
  }
}
