package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.core.finding.Finding;
import bargelane.sites.SiteException;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;

/** The pools of a host, and what lies in them that is not ours. */
class PoolsTest {

  private static final String OWNER = "bargelane/f";
  private static final String SETTINGS = "&devices=ide&reserve-mib=16";
  private static Path dir;
  private static DemoHost demo;
  private static LibvirtDriver driver;

  @BeforeAll
  static void start() throws IOException {
    dir = SmallMachines.shortDirectory();
    demo = DemoHost.start("games", dir.resolve("h"), "hithe", "10.20.1.1");
    driver = at(demo.address(SETTINGS));
  }

  @AfterAll
  static void stop() throws IOException {
    demo.close();
    SmallMachines.delete(dir);
  }

  private static LibvirtDriver at(String address) {
    return new LibvirtDriver("hithe", address, Clock.systemUTC());
  }

  private static SiteException refused(Executable call) {
    return assertThrows(SiteException.class, call);
  }

  @Test
  void theCatalogueStaysWhereItWasFirstWhateverPoolsComeOrGo() throws IOException {
    String settled = driver.settledAddress().orElseThrow();
    assertTrue(settled.endsWith("&pool=pool"), settled);
    assertEquals(Optional.empty(), at(settled).settledAddress());
    at(settled).target().createVolume("kept", OWNER, 1 << 20, "pool", "");
    Path other = Files.createDirectory(dir.resolve("another"));
    demo.virsh("pool-create-as", "another", "dir", "--target", other.toString());
    try {
      assertEquals(1, at(settled).target().owned(OWNER).size());
      demo.virsh("pool-destroy", "pool");
      assertEquals("no-pool", refused(() -> at(settled).target().owned(OWNER)).code());
      demo.virsh("pool-create-as", "pool", "dir", "--target", demo.pool().toString());
      at(settled).target().deleteVolume("kept");
      assertEquals(List.of(), at(settled).target().owned(OWNER));
    } finally {
      demo.virsh("pool-destroy", "another");
    }
  }

  @Test
  void aRemovalThatWasCutOffIsEndedByTheNext() throws IOException {
    driver.target().createVolume("cut", OWNER, 1 << 20, "pool", "");
    Path file = demo.pool().resolve("cut.qcow2");
    assertTrue(Files.exists(file));
    HostShell shell = new HostShell("hithe", demo.pool(), Optional.empty());
    new Catalogue("hithe", shell, demo.pool().resolve("bargelane").toString())
        .change(s -> s.volumes().remove("cut"));
    driver.target().deleteVolume("cut");
    assertFalse(Files.exists(file), "nothing needs its layer");
  }

  @Test
  void aCheckNamesTheDiskThatKeepsNoChangesAndThePoolThatIsShort() throws IOException {
    Path raw = demo.pool().resolve("old.raw");
    Files.write(raw, new byte[1 << 20]);
    Path xml = dir.resolve("old.xml");
    Files.writeString(
        xml,
        "<domain type='qemu'><name>old</name><memory unit='MiB'>32</memory><os><type>hvm</type></os><devices>"
            + "<disk type='file' device='disk'><driver name='qemu' type='raw'/><source file='"
            + raw
            + "'/><target dev='hda' bus='ide'/></disk></devices></domain>");
    demo.virsh("define", xml.toString());
    try {
      List<Finding> found =
          new LibvirtDriver("hithe", demo.address("&reserve-mib=99999999"), Clock.systemUTC())
              .check();
      assertEquals(
          List.of(Finding.Code.SITE_ROOM_SHORT, Finding.Code.DISK_KEEPS_NO_CHANGES),
          found.stream().map(Finding::code).toList());
      assertTrue(found.get(1).thing().contains("old"));
      String id =
          driver.inventory().machines().stream()
              .filter(m -> m.name().equals("old"))
              .findFirst()
              .orElseThrow()
              .platformId();
      String disk = driver.compute().machine(id).disks().get(0).volume();
      assertEquals(
          SiteException.Kind.MARKER_LOST,
          refused(
                  () ->
                      driver
                          .source()
                          .snapshot("two", OWNER, List.of(disk), Optional.of("one"), false))
              .kind());
      assertEquals(
          Finding.Code.STORAGE_UNKNOWN,
          new LibvirtDriver("hithe", demo.address("&pool=elsewhere"), Clock.systemUTC())
              .check()
              .get(0)
              .code());
    } finally {
      demo.virsh("undefine", "old");
    }
  }

  /**
   * A guest may write on its raw disk what looks like the header of an image that lies on any file
   * of the host.
   */
  @Test
  void aGuestThatWritesAnImagesHeaderOnItsRawDiskGetsItsOwnBytesAndNothingElse() throws Exception {
    Path secret = demo.pool().resolve("secret");
    Files.write(secret, "not for guests".getBytes(java.nio.charset.StandardCharsets.US_ASCII));
    Path image = demo.pool().resolve("liar.qcow2");
    assertEquals(
        0,
        new ProcessBuilder(
                "qemu-img",
                "create",
                "-q",
                "-f",
                "qcow2",
                "-F",
                "raw",
                "-b",
                secret.toString(),
                image.toString(),
                "2M")
            .start()
            .waitFor());
    byte[] header = Files.readAllBytes(image);
    Files.delete(image);
    Path raw = demo.pool().resolve("liar.raw");
    byte[] written = java.util.Arrays.copyOf(header, 1 << 20);
    Files.write(raw, written);
    Path xml = dir.resolve("liar.xml");
    Files.writeString(
        xml,
        "<domain type='qemu'><name>liar</name><memory unit='MiB'>32</memory><os><type>hvm</type></os><devices>"
            + "<disk type='file' device='disk'><driver name='qemu' type='raw'/><source file='"
            + raw
            + "'/><target dev='hda' bus='ide'/></disk></devices></domain>");
    demo.virsh("define", xml.toString());
    try {
      String disk = raw.toString();
      assertEquals(
          1 << 20,
          driver.inventory().machines().stream()
              .filter(m -> m.name().equals("liar"))
              .findFirst()
              .orElseThrow()
              .disks()
              .get(0)
              .bytes());
      driver.source().snapshot("one", OWNER, List.of(disk), Optional.empty(), false);
      assertHolds(written, driver.source().openSnapshot("x", "one", disk, Optional.empty()).uri());
      driver.source().dropSnapshot("one");
      assertHolds(written, driver.target().openVolume("x", disk, false).uri());
      driver.target().freeze("p", OWNER, List.of(disk));
      driver.target().cloneVolume("copy", OWNER, "pool", "p", disk);
      assertHolds(written, driver.target().openVolume("x", "copy", false).uri());
    } finally {
      driver.target().closeExport("x");
      driver.target().deleteVolume("copy");
      driver.target().deletePoint("p");
      demo.virsh("undefine", "liar");
      Files.delete(raw);
      Files.delete(secret);
    }
  }

  private static void assertHolds(byte[] wanted, String uri) throws IOException {
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri))) {
      ByteBuffer all = ByteBuffer.allocate((int) disk.size());
      disk.read(0, all);
      org.junit.jupiter.api.Assertions.assertArrayEquals(wanted, all.array());
    }
  }
}
