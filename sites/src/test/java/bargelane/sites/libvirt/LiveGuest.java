package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;

import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.BlockDevice.Extent;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.sites.SiteException;
import bargelane.standins.host.DemoGuest;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.net.HttpURLConnection;
import java.net.InetAddress;
import java.net.ServerSocket;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeAll;

/** A host with one guest that runs and writes all the while, and a driver that looks at it. */
abstract class LiveGuest {

  static final String GUEST = "ledger";
  static final String OWNER = "bargelane/f";
  static Path dir;
  static DemoHost demo;
  static LibvirtDriver driver;

  static final String SETTINGS = "&devices=ide&reserve-mib=16&scratch-mib=4";

  @BeforeAll
  static void start() throws IOException {
    List<Path> images = SmallMachines.guestDisks();
    dir = SmallMachines.shortDirectory();
    demo = DemoHost.start("games", dir.resolve("h"), "hithe", "10.20.1.1");
    driver = new LibvirtDriver("hithe", demo.address(SETTINGS), Clock.systemUTC());
    int port;
    try (ServerSocket s = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      port = s.getLocalPort();
    }
    demo.takeIn(DemoGuest.small(GUEST, images, "qcow2", "10.20.1.0/24", "10.20.1.21", port));
    demo.virsh("start", GUEST);
    status();
  }

  @AfterAll
  static void stop() throws IOException {
    demo.close();
    SmallMachines.delete(dir);
  }

  @AfterEach
  void nothingStays() {
    for (String name : List.of("one", "two", "three")) {
      driver.source().dropSnapshot(name);
      driver.source().forgetMarker(name);
    }
    assertEquals(List.of(), driver.target().owned(OWNER));
  }

  static MachineFacts guest() {
    return driver.inventory().machines().get(0);
  }

  static Host host() {
    return new Host("hithe", Settings.parse(demo.address(SETTINGS)));
  }

  static List<String> disks() {
    return guest().disks().stream().map(d -> d.volume()).toList();
  }

  static String ask(String path, int seconds) throws IOException {
    var way = driver.compute().wayIn(guest().platformId(), 0);
    HttpURLConnection http =
        (HttpURLConnection)
            URI.create("http://" + way.host() + ":" + way.port() + path).toURL().openConnection();
    http.setConnectTimeout(2000);
    http.setReadTimeout(seconds * 1000);
    return new String(http.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
  }

  /** What the guest tells of itself, waiting for it to boot. */
  static String status() throws IOException {
    long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(120);
    while (true) {
      try {
        return ask("/", 3);
      } catch (IOException e) {
        if (System.nanoTime() > until) {
          throw e;
        }
        pause();
      }
    }
  }

  /** The guest has no way to tell that it is up but to answer. */
  static void pause() throws IOException {
    try {
      TimeUnit.MILLISECONDS.sleep(200);
    } catch (InterruptedException e) {
      throw new IOException(e);
    }
  }

  static void snapshot(String name, Optional<String> since) {
    driver.source().snapshot(name, OWNER, disks(), since, false);
  }

  static SiteException refused(org.junit.jupiter.api.function.Executable call) {
    return assertThrows(SiteException.class, call);
  }

  static long changed(String snapshot, String since) throws IOException {
    String uri =
        driver.source().openSnapshot("x", snapshot, disks().get(1), Optional.of(since)).uri();
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri))) {
      return disk.status(Context.CHANGED, 0, disk.size()).stream()
          .filter(Extent::set)
          .mapToLong(Extent::length)
          .sum();
    }
  }
}
