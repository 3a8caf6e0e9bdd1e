package bargelane.e2e;

import bargelane.client.ApiClient;
import bargelane.core.guest.BootSign;
import bargelane.core.guest.ConsoleText;
import bargelane.standins.host.DemoGuest;
import bargelane.standins.host.SmallMachines;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.atomic.AtomicReference;
import java.util.stream.Stream;

/**
 * A stock guest that is broken on purpose, one way after the other: the plan has to say so, and a
 * start that is wanted all the same has to be named as soon as its console tells.
 */
final class BrokenTour extends Narration {

  /** How long after the sign on the console a failure may be named. */
  private static final Duration NAMED = Duration.ofSeconds(5);

  /** One that boots without what it lacks there, started by BIOS from a disk of one file system. */
  private static final String GUEST = "bookworm-list-mbr-ext4-ifupdown";

  /**
   * A way to break a guest.
   *
   * @param what as the guest's program names it
   * @param plan what the plan's refusal has to say
   * @param failure what the failed test has to say; empty where it may work all the same
   */
  private record Break(String what, String title, String plan, String failure) {}

  private static final List<Break> BREAKS =
      List.of(
          new Break(
              "mount",
              "fstab mounts a disk that stayed behind",
              "no disk of the machine holds it",
              "emergency mode"),
          new Break(
              "driver",
              "no kernel has the driver of the disks",
              "has no drivers virtio_blk",
              "does not find the disk of its root file system"),
          new Break(
              "loader",
              "the loader's own files are damaged",
              "normal.mod is not there",
              "the boot loader stopped before the kernel"),
          // What the kernel keeps for itself may be just enough.
          new Break("room", "the root file system is full", "KiB free", ""));

  private final Path dir;

  private BrokenTour(Path dir, boolean verbose) {
    super(verbose);
    this.dir = dir;
  }

  /** Breaks the guest in every way, and writes what was said. */
  public static void main(String[] args) throws IOException {
    Path root = Path.of(System.getProperty("bargelane.root"));
    Path page = root.resolve("docs/guests.md");
    BrokenTour tour =
        new BrokenTour(
            Files.createDirectories(root.resolve("target/stock-guests")),
            List.of(args).contains("--steps"));
    List<GuestRows.Broken> rows = tour.go();
    GuestRows all = GuestRows.read(Files.exists(page) ? Files.readString(page) : "");
    rows.forEach(all::put);
    Files.writeString(page, all.page());
    System.exit(tour.sum() == 0 ? 0 : 1);
  }

  private List<GuestRows.Broken> go() throws IOException {
    System.out.println();
    System.out.println(GUEST + ", broken on purpose");
    say("Installing it, or taking it as it was installed ...");
    DemoGuest guest = SmallMachines.stock(dir, GUEST, RealHosts.freePort());
    try (RealHosts hosts = new RealHosts(guest, 0);
        Harness harness = Harness.create()) {
      ApiClient api = harness.database().service().api();
      Journey journey = new Journey(api, this::detail);
      say("It runs on its old devices after " + seconds(hosts.home.up(GUEST)) + ".");
      RealHosts.addSite(api, RealTour.HOME, hosts.home.address);
      RealHosts.addSite(api, RealTour.AWAY, hosts.away.address);
      journey.scan(RealTour.HOME);
      journey.scan(RealTour.AWAY);
      RealHosts.join(api);
      RealHosts.plan(api, journey, 30, GUEST);
      api.put(
          "/waves/lending/probes",
          Map.of("machine", GUEST, "withinSeconds", (int) Shore.BOOT.toSeconds()));
      journey.work("load");
      List<GuestRows.Broken> rows = new ArrayList<>();
      for (Break way : BREAKS) {
        rows.add(broken(api, journey, hosts, way));
      }
      return rows;
    }
  }

  private GuestRows.Broken broken(ApiClient api, Journey journey, RealHosts hosts, Break way)
      throws IOException {
    System.out.println();
    say(way.title + ".");
    word(api, "");
    done(hosts.home.asked(GUEST, "break?" + way.what));
    journey.awaitPoint(Instant.now());
    journey.work("/waves/lending/refit", null);
    List<String> refused = new ArrayList<>();
    api.get("/waves/lending/refit").path(0).path("refused").forEach(r -> refused.add(r.asText()));
    Optional<String> said = refused.stream().filter(r -> r.contains(way.plan)).findFirst();
    check("the plan says so: " + String.join("; ", refused), said.isPresent());
    word(api, "it is to be seen how it fails");
    AtomicReference<Instant> sign = new AtomicReference<>();
    Thread watch = new Thread(() -> watch(hosts.dir().resolve("b"), sign), "console");
    watch.start();
    JsonNode run = journey.follow("/waves/lending/test", Map.of());
    watch.interrupt();
    String why = run.path("problem").path("detail").asText();
    if (why.isEmpty() && way.failure.isEmpty()) {
      why = "it started all the same";
    } else {
      check("the test fails, and says: " + why, !why.isEmpty() && why.contains(way.failure));
    }
    String named = "";
    if (sign.get() == null) {
      // A start that has to fail is timed, or nothing was shown.
      check("a sign was seen on the console", way.failure.isEmpty());
    } else {
      Duration took = Duration.between(sign.get(), failed(run));
      named = seconds(took.toMillis() / 1000.0) + " after its sign";
      check("it is named " + named, took.compareTo(NAMED) < 0);
    }
    done(hosts.home.asked(GUEST, "break?" + way.what + "-mend"));
    return new GuestRows.Broken(
        way.title,
        LocalDate.now(ZoneOffset.UTC).toString(),
        said.orElse("FAILED: " + refused),
        why,
        named);
  }

  private static void word(ApiClient api, String reason) {
    api.put("/waves/lending/refit", Map.of("machine", GUEST, "reason", reason));
  }

  private static void done(String told) throws IOException {
    if (!told.contains("broken")) {
      throw new IOException("the guest could not be broken or mended: " + told);
    }
  }

  /** When the step ended that failed. */
  private static Instant failed(JsonNode run) {
    for (JsonNode s : run.path("steps")) {
      if (s.path("state").asText().equals("failed")) {
        return Instant.parse(s.path("endedAt").asText());
      }
    }
    throw new IllegalStateException("no step of the run failed: " + run);
  }

  /** Looks at the consoles on a host until one says that its machine does not start. */
  private static void watch(Path host, AtomicReference<Instant> sign) {
    try {
      while (true) {
        for (Path console : consoles(host)) {
          if (BootSign.in(ConsoleText.of(Files.readAllBytes(console)))
              .filter(s -> s.sign().isEnd())
              .isPresent()) {
            sign.set(Instant.now());
            return;
          }
        }
        Harness.pause(50);
      }
    } catch (NoSuchFileException e) {
      // It was removed: the run is over.
    } catch (IOException e) {
      // The run has ended, and this watch with it.
    }
  }

  private static List<Path> consoles(Path host) throws IOException {
    try (Stream<Path> all = Files.walk(host)) {
      return all.filter(p -> p.getParent().endsWith("console") && Files.isRegularFile(p)).toList();
    } catch (java.io.UncheckedIOException e) {
      return List.of(); // something went while it was listed
    }
  }
}
