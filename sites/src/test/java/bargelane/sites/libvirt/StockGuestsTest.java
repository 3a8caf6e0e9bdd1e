package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.DynamicTest.dynamicTest;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.Card;
import bargelane.blocks.refit.Guest;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.guest.BootSign;
import bargelane.core.guest.ConsoleText;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory;
import bargelane.sites.Compute;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.net.HttpURLConnection;
import java.net.URI;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.TimeUnit;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.DynamicTest;
import org.junit.jupiter.api.TestFactory;
import org.junit.jupiter.api.condition.EnabledIfSystemProperty;

/**
 * Stock guests that {@code scripts/stock-guest} installed for IDE disks and an e1000 card, on a
 * host that has paravirtual ones only, in another slot, and another network. Run on demand:
 * building and booting them takes minutes each.
 */
@EnabledIfSystemProperty(named = "stock", matches = ".+")
class StockGuestsTest {

  private static final Hardware OLD = new Hardware("ide", "e1000");
  private static final Hardware NEW = new Hardware("virtio", "virtio");
  private static final String MAC = "52:54:00:20:01:21";
  private static final List<Card> MOVED =
      List.of(new Card(MAC, "10.20.1.21", "10.20.7.40", 24, "255.255.255.0", "10.20.7.1"));

  private static Path dir;
  private static DemoHost demo;
  private static LibvirtDriver driver;

  @BeforeAll
  static void start() throws IOException {
    Path yard = SmallMachines.yard();
    dir = SmallMachines.shortDirectory();
    demo = DemoHost.start("games", dir.resolve("h"), "hithe", "10.20.7.1");
    driver =
        new LibvirtDriver("hithe", demo.address("&reserve-mib=16&yard=" + yard), Clock.systemUTC());
  }

  @AfterAll
  static void stop() throws IOException {
    demo.close();
    SmallMachines.delete(dir);
  }

  @TestFactory
  Stream<DynamicTest> guests() throws IOException {
    try (Stream<Path> files = Files.list(Path.of(System.getProperty("stock")))) {
      return files.filter(f -> f.toString().endsWith(".raw")).sorted().toList().stream()
          .map(f -> dynamicTest(f.getFileName().toString(), () -> startsHere(f)));
    }
  }

  private static void startsHere(Path image) throws IOException {
    String name = image.getFileName().toString().replace(".raw", "");
    take(image, name);
    RefitPlan plan = look(name, g -> Refit.plan(g, OLD, NEW, MOVED));
    assertEquals(List.of(), plan.refused());
    if (plan.edits().stream().anyMatch(e -> e.path().startsWith("/boot/init"))) {
      take(image, name + "-unfit");
      assertEquals(
          BootSign.NO_ROOT_DISK, started(name + "-unfit").orElseThrow().sign(), "as it was");
    }
    driver.compute().refit("refit-" + name, "bargelane/r", List.of(name), plan.edits());
    assertEquals(Optional.empty(), started(name), "it answers at its new address");
    List<?> left = look(name, g -> Refit.plan(g, OLD, NEW, List.of())).edits();
    assertEquals(List.of(), left, "nothing is left to do");
  }

  private static void take(Path image, String volume) throws IOException {
    driver.target().createVolume(volume, "bargelane/r", Files.size(image), "pool");
    String uri = driver.target().openVolume("fill", volume, true).uri();
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri));
        FileChannel file = FileChannel.open(image)) {
      ByteBuffer piece = ByteBuffer.allocate(1 << 20);
      for (long at = 0; file.read(piece.clear(), at) > 0; at += piece.limit()) {
        piece.flip();
        if (piece.mismatch(ByteBuffer.allocate(piece.limit())) >= 0) {
          disk.write(at, piece.duplicate());
        }
      }
      disk.flush();
    }
    driver.target().closeExport("fill");
  }

  private interface Use<T> {
    T with(Guest guest) throws IOException;
  }

  private static <T> T look(String volume, Use<T> use) throws IOException {
    String uri = driver.target().openVolume("look", volume, false).uri();
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri))) {
      return use.with(Guest.look(List.of(disk)));
    } finally {
      driver.target().closeExport("look");
    }
  }

  /** Starts a guest; gives the sign of its end, or nothing once it answers. */
  private static Optional<BootSign.Seen> started(String volume) throws IOException {
    String id =
        driver
            .compute()
            .define(
                new Compute.Spec(
                    volume,
                    "bargelane/r",
                    "",
                    1,
                    512,
                    "",
                    "bios",
                    "",
                    List.of(volume),
                    List.of(new PlacedNic("hithe", "10.20.7.40", false, MAC)),
                    List.of(new Inventory.Ingress("tcp", 8080, "")),
                    0,
                    Map.of()));
    driver.compute().start(id);
    try {
      Compute.WayIn way = driver.compute().wayIn(id, 0);
      long until = System.nanoTime() + TimeUnit.MINUTES.toNanos(6);
      while (System.nanoTime() < until) {
        Optional<BootSign.Seen> seen =
            BootSign.in(
                ConsoleText.of(driver.compute().console(id, ConsoleText.MOST).orElseThrow()));
        if (seen.filter(s -> s.sign().isEnd()).isPresent()) {
          return seen;
        }
        if (answers(way)) {
          return Optional.empty();
        }
        TimeUnit.SECONDS.sleep(1);
      }
      byte[] console = driver.compute().console(id, 2000).orElseThrow();
      throw new IOException("no answer: " + new String(console, StandardCharsets.UTF_8));
    } catch (InterruptedException e) {
      throw new IOException(e);
    } finally {
      driver.compute().stop(id);
      driver.compute().remove(id);
    }
  }

  private static boolean answers(Compute.WayIn way) {
    try {
      HttpURLConnection http =
          (HttpURLConnection)
              URI.create("http://" + way.host() + ":" + way.port() + "/").toURL().openConnection();
      http.setConnectTimeout(1000);
      http.setReadTimeout(1000);
      assertTrue(http.getInputStream().read() >= 0);
      return true;
    } catch (IOException e) {
      return false;
    }
  }
}
