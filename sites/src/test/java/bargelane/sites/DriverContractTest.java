package bargelane.sites;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.core.finding.Finding;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.standins.StandinServer;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.time.Clock;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/**
 * What every driver promises, run on every platform there is, each as source, as target and as
 * compute.
 */
class DriverContractTest {

  private static final long MIB = 1 << 20;

  @TempDir static Path dir;
  private static final Map<String, StandinServer> SERVERS = new HashMap<>();

  private static SiteDriver driver(String kind) throws IOException {
    if (!SERVERS.containsKey(kind)) {
      SERVERS.put(
          kind,
          StandinServer.start(
              kind, dir.resolve(kind), dir.resolve("r" + kind.charAt(0)), 0, kind.equals("cloud")));
    }
    return Drivers.open(
        "standin", kind, SERVERS.get(kind).address(), token(kind), Clock.systemUTC());
  }

  private static String token(String kind) {
    return kind.equals("estate") ? "mill-street-demo" : "saltmarsh-demo";
  }

  private static String storage(String kind) {
    return kind.equals("estate") ? "shelf-a" : "reed";
  }

  @AfterAll
  static void stop() throws IOException {
    for (StandinServer server : SERVERS.values()) {
      server.close();
    }
  }

  private static NbdClient open(ExportRef export) throws IOException {
    return NbdClient.connect(NbdAddress.parse(export.uri()));
  }

  private static byte[] read(ExportRef export, int length) throws IOException {
    try (NbdClient disk = open(export)) {
      ByteBuffer bytes = ByteBuffer.allocate(length);
      disk.read(0, bytes);
      return bytes.array();
    }
  }

  private static void write(SiteDriver d, String volume, long at, int value) throws IOException {
    try (NbdClient disk = open(d.target().openVolume("x-" + volume, volume, true))) {
      disk.write(at, ByteBuffer.wrap(new byte[] {(byte) value}));
    }
    d.target().closeExport("x-" + volume);
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void pointsAreImmutableAndClonesBeginAsThem(String kind) throws IOException {
    SiteDriver d = driver(kind);
    Target t = d.target();
    t.createVolume("p-vol", "bargelane/t", 4 * MIB, storage(kind));
    t.createVolume("p-vol", "bargelane/t", 4 * MIB, storage(kind));
    write(d, "p-vol", 5, 1);
    t.freeze("p-1", "bargelane/t", List.of("p-vol"));
    t.freeze("p-1", "bargelane/t", List.of("p-vol"));
    write(d, "p-vol", 5, 2);
    t.freeze("p-2", "bargelane/t", List.of("p-vol"));
    t.cloneVolume("p-clone", "bargelane/t", storage(kind), "p-1", "p-vol");
    write(d, "p-clone", 6, 9);
    assertEquals(1, read(t.openVolume("x", "p-clone", false), 8)[5]);
    t.deletePoint("p-1");
    t.deletePoint("p-1");
    t.cloneVolume("p-clone2", "bargelane/t", storage(kind), "p-2", "p-vol");
    assertArrayEquals(
        new byte[] {0, 0, 0, 0, 0, 2, 0, 0}, read(t.openVolume("x", "p-clone2", false), 8));
    t.attach("p-2", "manifest", new byte[] {4, 2});
    assertArrayEquals(new byte[] {4, 2}, t.attachment("p-2", "manifest").orElseThrow());
    assertEquals(Optional.empty(), t.attachment("p-2", "nothing"));
    t.closeExport("x");
    for (String v : List.of("p-clone", "p-clone2", "p-vol", "p-vol")) {
      t.deleteVolume(v);
    }
    t.deletePoint("p-2");
    assertEquals(List.of(), t.owned("bargelane/t"), "nothing is left");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void changesSinceAMarkerComeWithTheNextSnapshot(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("c-vol", "bargelane/t", 4 * MIB, storage(kind));
    d.source().snapshot("c-1", "bargelane/t", List.of("c-vol"));
    write(d, "c-vol", 2 * MIB, 7);
    d.source().snapshot("c-2", "bargelane/t", List.of("c-vol"));
    write(d, "c-vol", 3 * MIB, 8);
    ExportRef export = d.source().openSnapshot("x", "c-2", "c-vol", Optional.of("c-1"));
    assertTrue(export.tracksChanges());
    int granularity = d.capabilities().granularityBytes();
    try (NbdClient disk = open(export)) {
      assertTrue(disk.readOnly());
      List<BlockDevice.Extent> changed =
          disk.status(Context.CHANGED, 0, disk.size()).stream()
              .filter(BlockDevice.Extent::set)
              .toList();
      assertEquals(2 * MIB, changed.get(0).offset());
      assertEquals(granularity, changed.stream().mapToLong(BlockDevice.Extent::length).sum());
      ByteBuffer later = ByteBuffer.allocate(1);
      disk.read(3 * MIB, later);
      assertEquals(0, later.get(0), "the snapshot does not see what came after it");
    }
    SiteException lost =
        assertThrows(
            SiteException.class,
            () -> d.source().openSnapshot("x", "c-2", "c-vol", Optional.of("never-was")));
    assertEquals(SiteException.Kind.MARKER_LOST, lost.kind());
    d.source().dropSnapshot("c-1");
    d.source().dropSnapshot("c-2");
    assertTrue(
        d.source().markers().containsAll(List.of("c-1", "c-2")), "a marker outlives its snapshot");
    d.source().forgetMarker("c-1");
    d.source().forgetMarker("c-2");
    d.source().closeExport("x");
    d.target().deleteVolume("c-vol");
    assertEquals(List.of(), d.target().owned("bargelane/t"));
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void afterAnExportIsRevokedItsWriterWritesNoMore(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("w-vol", "bargelane/t", 4 * MIB, storage(kind));
    try (NbdClient stalled = open(d.target().openVolume("w", "w-vol", true))) {
      stalled.write(0, ByteBuffer.wrap(new byte[] {1}));
      ExportRef renewed = d.target().openVolume("w", "w-vol", true);
      assertThrows(IOException.class, () -> stalled.write(0, ByteBuffer.wrap(new byte[] {2})));
      assertEquals(1, read(renewed, 1)[0]);
    }
    d.target().closeExport("w");
    d.target().closeExport("w");
    d.target().deleteVolume("w-vol");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void aMachineIsStartedFromItsDisksAndNeverWhileFenced(String kind) throws IOException {
    SiteDriver d = driver(kind);
    SiteDriver from = driver("estate");
    // A bootable disk: the database's system disk, copied over NBD.
    from.source().snapshot("boot", "bargelane/t", List.of("vm-101-system"));
    d.target().createVolume("m-vol", "bargelane/t", 192 * MIB, storage(kind));
    ExportRef source =
        from.source().openSnapshot("boot-s", "boot", "vm-101-system", Optional.empty());
    ExportRef target = d.target().openVolume("boot-t", "m-vol", true);
    new bargelane.blocks.pass.PassEngine(2)
        .run(
            () -> open(source),
            () -> open(target),
            bargelane.blocks.pass.DiskPass.full(),
            new Quiet());
    from.source().closeExport("boot-s");
    d.target().closeExport("boot-t");
    Inventory inventory = d.inventory();
    String network = inventory.networks().get(0).id();
    String isolated = d.compute().isolate("iso", network, "bargelane/t");
    String size = inventory.sizes().isEmpty() ? "" : inventory.sizes().get(0).id();
    Compute.Spec spec =
        new Compute.Spec(
            "probe-me",
            "bargelane/t",
            size,
            2,
            4096,
            "Debian",
            "bios",
            "",
            List.of("m-vol"),
            List.of(
                new PlacedNic(
                    isolated, inventory.networks().get(0).cidr().replaceFirst("0/.*", "9"), true)),
            List.of(),
            Map.of());
    String id = d.compute().define(spec);
    assertEquals(id, d.compute().define(spec));
    d.compute().fence(id);
    assertEquals("fenced", assertThrows(SiteException.class, () -> d.compute().start(id)).code());
    d.compute().unfence(id);
    d.source().mark("armed", "bargelane/t", List.of("m-vol"));
    d.compute().start(id);
    MachineFacts running = d.compute().machine(id);
    assertTrue(running.on());
    assertTrue(d.compute().wayIn(id).port() > 0);
    d.compute().stop(id);
    d.source().snapshot("after", "bargelane/t", List.of("m-vol"));
    try (NbdClient disk =
        open(d.source().openSnapshot("x", "after", "m-vol", Optional.of("armed")))) {
      assertTrue(
          disk.status(Context.CHANGED, 0, disk.size()).stream().anyMatch(BlockDevice.Extent::set),
          "what the guest wrote since its first instruction is tracked");
    }
    d.source().closeExport("x");
    d.compute().remove(id);
    d.compute().remove(id);
    d.compute().removeNetwork(isolated);
    for (String s : List.of("after", "boot")) {
      d.source().dropSnapshot(s);
      d.source().forgetMarker(s);
      from.source().dropSnapshot(s);
      from.source().forgetMarker(s);
    }
    d.source().forgetMarker("armed");
    d.target().deleteVolume("m-vol");
    assertEquals(
        List.of(),
        d.target().owned("bargelane/t").stream().filter(o -> !o.kind().equals("fence")).toList());
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void aMachineWhoseDiskHasNoBootRecordDoesNotStart(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("n-vol", "bargelane/t", 4 * MIB, storage(kind));
    Inventory inventory = d.inventory();
    String size = inventory.sizes().isEmpty() ? "" : inventory.sizes().get(0).id();
    Inventory.Network network = inventory.networks().get(0);
    String id =
        d.compute()
            .define(
                new Compute.Spec(
                    "blank",
                    "bargelane/t",
                    size,
                    1,
                    512,
                    "",
                    "bios",
                    "",
                    List.of("n-vol"),
                    List.of(
                        new PlacedNic(
                            network.id(), network.cidr().replaceFirst("0/.*", "77"), false)),
                    List.of(),
                    Map.of()));
    assertEquals(
        "not-bootable", assertThrows(SiteException.class, () -> d.compute().start(id)).code());
    d.compute().remove(id);
    d.target().deleteVolume("n-vol");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void aCheckNamesEachMissingPermissionAndAWrongToken(String kind) throws IOException {
    SiteDriver full = driver(kind);
    assertEquals(List.of(), full.check());
    String address = SERVERS.get(kind).address();
    String readonly = kind.equals("estate") ? "mill-street-readonly" : "saltmarsh-readonly";
    List<Finding> missing =
        Drivers.open("standin", "s", address, readonly, Clock.systemUTC()).check();
    assertEquals(4, missing.size());
    assertTrue(
        missing.stream()
            .allMatch(
                f ->
                    f.code() == Finding.Code.SITE_PERMISSION_MISSING
                        && f.blocks()
                        && !f.remedy().isEmpty()));
    assertEquals(
        Finding.Code.SITE_TOKEN_REFUSED,
        Drivers.open("standin", "s", address, "no", Clock.systemUTC()).check().get(0).code());
    Clock ahead = Clock.offset(Clock.systemUTC(), java.time.Duration.ofSeconds(30));
    assertEquals(
        Finding.Code.SITE_CLOCK_OFF,
        Drivers.open("standin", "s", address, token(kind), ahead).check().get(0).code());
  }

  @ParameterizedTest
  @ValueSource(strings = {"http://127.0.0.1:1"})
  void anAbsentSiteIsAFindingAndACallToItMayPass(String address) {
    SiteDriver gone = Drivers.open("standin", "gone", address, "t", Clock.systemUTC());
    assertEquals(Finding.Code.SITE_UNREACHABLE, gone.check().get(0).code());
    assertEquals(
        SiteException.Kind.MAY_PASS, assertThrows(SiteException.class, gone::inventory).kind());
    assertFalse(assertThrows(SiteException.class, gone::inventory).getMessage().contains("null"));
  }

  private static final class Quiet implements bargelane.blocks.pass.PassWatcher {
    @Override
    public void intent(bargelane.blocks.Ranges ranges, boolean anywhere) {}

    @Override
    public void progress(bargelane.blocks.pass.PassProgress progress) {}
  }
}
