package bargelane.sites.libvirt;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.Guest;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;

/** A host with paravirtual devices and a yard, and looks into guests whose disks are there. */
abstract class YardHost {

  static final String OWNER = "bargelane/y";
  static final int MIB = 1 << 20;

  static Path dir;
  static DemoHost demo;
  static LibvirtDriver driver;

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

  static void take(String volume, Path image) throws IOException {
    driver.target().createVolume(volume, OWNER, Files.size(image), "pool", "");
    String uri = driver.target().openVolume("fill", volume, true).uri();
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri));
        FileChannel file = FileChannel.open(image)) {
      ByteBuffer piece = ByteBuffer.allocate(MIB);
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

  interface Use<T> {
    T with(Guest guest) throws IOException;
  }

  static <T> T look(List<String> volumes, Use<T> use) throws IOException {
    return look(volumes, Optional.empty(), use);
  }

  /**
   * Looks into a guest.
   *
   * @param copied the volume that holds what a yard copied out of it
   */
  static <T> T look(List<String> volumes, Optional<String> copied, Use<T> use) throws IOException {
    List<String> all = new ArrayList<>(volumes);
    copied.ifPresent(all::add);
    List<NbdClient> disks = new ArrayList<>();
    try {
      for (String v : all) {
        disks.add(
            NbdClient.connect(
                NbdAddress.parse(driver.target().openVolume("look-" + v, v, false).uri())));
      }
      return use.with(
          Guest.look(disks.subList(0, volumes.size()), copied.map(c -> disks.get(volumes.size()))));
    } finally {
      for (NbdClient d : disks) {
        d.close();
      }
      all.forEach(v -> driver.target().closeExport("look-" + v));
    }
  }
}
