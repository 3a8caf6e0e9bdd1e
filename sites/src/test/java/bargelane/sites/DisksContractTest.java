package bargelane.sites;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.nbd.NbdClient;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermission;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** What every driver promises of disks: points, clones, changes, exports. */
class DisksContractTest extends DriverContract {

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void pointsAreImmutableAndClonesBeginAsThem(String kind) throws IOException {
    SiteDriver d = driver(kind);
    Target t = d.target();
    t.createVolume("p-vol", "bargelane/t", 4 * MIB, storage(kind), "");
    t.createVolume("p-vol", "bargelane/t", 4 * MIB, storage(kind), "");
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
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void aKeyThatTheSiteDoesNotOfferIsRefused(String kind) throws IOException {
    SiteDriver d = driver(kind);
    List<String> keys = d.inventory().offers().keys();
    assertEquals(kind.equals("cloud") ? List.of("tide-key", "archive-key") : List.of(), keys);
    SiteException refused =
        assertThrows(
            SiteException.class,
            () ->
                d.target()
                    .createVolume("k-vol", "bargelane/t", 4 * MIB, storage(kind), "nobody-s"));
    assertEquals("key-unknown", refused.code());
    assertEquals(SiteException.Kind.FINAL, refused.kind());
    for (String key : keys) {
      d.target().createVolume("k-vol", "bargelane/t", 4 * MIB, storage(kind), key);
    }
    d.target().deleteVolume("k-vol");
    assertEquals(List.of(), d.target().owned("bargelane/t"));
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void aPointIsReadAsItWasFrozenWhateverComesAndGoesAroundIt(String kind) throws IOException {
    SiteDriver d = driver(kind);
    Target t = d.target();
    t.createVolume("f-vol", "bargelane/t", 4 * MIB, storage(kind), "");
    for (int i = 1; i <= 3; i++) {
      write(d, "f-vol", i, i);
      t.freeze("f-" + i, "bargelane/t", List.of("f-vol"));
    }
    write(d, "f-vol", 1, 9);
    ExportRef offered = t.openFrozen("f", "f-2", "f-vol");
    assertArrayEquals(new byte[] {0, 1, 2, 0}, read(offered, 4));
    try (BlockDevice point = open(offered)) {
      t.deletePoint("f-1");
      t.deletePoint("f-3");
      ByteBuffer found = ByteBuffer.allocate(4);
      point.read(0, found);
      assertArrayEquals(new byte[] {0, 1, 2, 0}, found.array());
      assertThrows(
          IOException.class, () -> point.write(0, ByteBuffer.wrap(new byte[] {1})), "read-only");
    }
    t.closeExport("f");
    assertEquals(
        "missing",
        assertThrows(SiteException.class, () -> t.openFrozen("f", "f-1", "f-vol")).code());
    assertArrayEquals(new byte[] {0, 1, 2, 0}, read(t.openFrozen("f", "f-2", "f-vol"), 4));
    t.closeExport("f");
    t.deleteVolume("f-vol");
    t.deletePoint("f-2");
    assertEquals(List.of(), t.owned("bargelane/t"), "nothing is left");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void pointsBetweenWhichNothingIsWrittenHoldTheSame(String kind) throws IOException {
    SiteDriver d = driver(kind);
    Target t = d.target();
    t.createVolume("s-vol", "bargelane/t", 4 * MIB, storage(kind), "");
    write(d, "s-vol", 1, 1);
    for (String point : List.of("s-1", "s-2", "s-3")) {
      t.freeze(point, "bargelane/t", List.of("s-vol"));
      t.freeze(point, "bargelane/t", List.of("s-vol"));
    }
    t.deletePoint("s-1");
    write(d, "s-vol", 2, 2);
    t.freeze("s-4", "bargelane/t", List.of("s-vol"));
    if (onHost(kind)) {
      assertEquals(Map.of(true, 1, false, 2), imagesByWhetherTheyCanBeWritten("s-vol"));
    }
    t.growVolume("s-vol", 6 * MIB);
    t.freeze("s-5", "bargelane/t", List.of("s-vol"));
    t.deletePoint("s-3");
    assertArrayEquals(new byte[] {0, 1, 0}, read(t.openFrozen("s", "s-2", "s-vol"), 3));
    assertArrayEquals(new byte[] {0, 1, 2}, read(t.openFrozen("s", "s-4", "s-vol"), 3));
    try (NbdClient disk = open(t.openFrozen("s", "s-5", "s-vol"))) {
      assertEquals(6 * MIB, disk.size(), "what grew is not what lies below it");
    }
    t.closeExport("s");
    t.deletePoint("s-4");
    assertArrayEquals(new byte[] {0, 1, 0}, read(t.openFrozen("s", "s-2", "s-vol"), 3));
    assertArrayEquals(new byte[] {0, 1, 2}, read(t.openVolume("s", "s-vol", false), 3));
    t.closeExport("s");
    t.deletePoint("s-2");
    t.deletePoint("s-5");
    t.deleteVolume("s-vol");
    assertEquals(List.of(), t.owned("bargelane/t"), "nothing is left");
  }

  private static Map<Boolean, Integer> imagesByWhetherTheyCanBeWritten(String volume)
      throws IOException {
    Map<Boolean, Integer> found = new HashMap<>();
    try (Stream<Path> files = Files.walk(shortDir)) {
      for (Path file : files.filter(f -> f.getFileName().toString().startsWith(volume)).toList()) {
        boolean written =
            Files.getPosixFilePermissions(file).contains(PosixFilePermission.OWNER_WRITE);
        found.merge(written, 1, Integer::sum);
      }
    }
    return found;
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void changesSinceAMarkerComeWithTheNextSnapshot(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("c-vol", "bargelane/t", 4 * MIB, storage(kind), "");
    String machine =
        d.compute()
            .define(spec(d, "c-machine", List.of("c-vol"), d.inventory().networks().get(0).id()));
    d.source().snapshot("c-0", "bargelane/t", List.of("c-vol"), Optional.empty(), false);
    d.source().dropSnapshot("c-0");
    d.source().snapshot("c-1", "bargelane/t", List.of("c-vol"), Optional.empty(), false);
    d.source().dropSnapshot("c-1");
    write(d, "c-vol", 2 * MIB, 7);
    d.source().snapshot("c-2", "bargelane/t", List.of("c-vol"), Optional.of("c-1"), false);
    d.source().snapshot("c-2", "bargelane/t", List.of("c-vol"), Optional.of("c-1"), false);
    // Another marker goes while the snapshot is held.
    d.source().forgetMarker("c-0");
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
    }
    d.source().closeExport("x");
    write(d, "c-vol", 3 * MIB, 8);
    laterWritesAreNotInIt(d);
    assertTrue(
        d.source().markers().containsAll(List.of("c-1", "c-2")), "a marker outlives its snapshot");
    assertEquals(
        SiteException.Kind.MARKER_LOST,
        assertThrows(
                SiteException.class,
                () -> {
                  d.source()
                      .snapshot(
                          "c-3", "bargelane/t", List.of("c-vol"), Optional.of("never-was"), false);
                  d.source().openSnapshot("x", "c-3", "c-vol", Optional.of("never-was"));
                })
            .kind());
    for (String name : List.of("c-2", "c-3")) {
      d.source().dropSnapshot(name);
      d.source().dropSnapshot(name);
    }
    for (String name : List.of("c-1", "c-2", "c-3")) {
      d.source().forgetMarker(name);
      d.source().forgetMarker(name);
    }
    d.compute().remove(machine);
    d.target().deleteVolume("c-vol");
    assertEquals(List.of(), d.target().owned("bargelane/t"));
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void afterAnExportIsRevokedItsWriterWritesNoMore(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("w-vol", "bargelane/t", 4 * MIB, storage(kind), "");
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

  private static String refused(Acting acting, Runnable change) {
    SiteException e =
        assertThrows(
            SiteException.class,
            () ->
                acting.run(
                    () -> {
                      change.run();
                      return null;
                    }));
    assertEquals(SiteException.Kind.FINAL, e.kind());
    return e.code();
  }

  private static void allowed(Acting acting, Runnable change) {
    acting.run(
        () -> {
          change.run();
          return null;
        });
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void whoeverWasRelievedChangesNothingAnyMore(String kind) throws IOException {
    SiteDriver d = driver(kind);
    Acting former = new Acting("work on e", 7, false);
    Acting present = new Acting("work on e", 8, false);
    allowed(
        former, () -> d.target().createVolume("e-1", "bargelane/t", 4 * MIB, storage(kind), ""));
    allowed(
        present, () -> d.target().createVolume("e-2", "bargelane/t", 4 * MIB, storage(kind), ""));
    assertEquals(
        Acting.STALE,
        refused(
            former,
            () -> d.target().createVolume("e-3", "bargelane/t", 4 * MIB, storage(kind), "")));
    assertEquals(
        Acting.STALE,
        refused(former, () -> d.target().freeze("e-p", "bargelane/t", List.of("e-1"))));
    assertEquals(Acting.STALE, refused(former, () -> d.target().deleteVolume("e-2")));
    assertEquals(
        List.of("e-1", "e-2"),
        d.target().owned("bargelane/t").stream()
            .map(Target.Owned::name)
            .filter(n -> n.startsWith("e-"))
            .sorted()
            .toList());
    // Other work is not held against it, nor is what is done for nobody.
    allowed(new Acting("work on f", 1, false), () -> d.target().deleteVolume("e-2"));
    allowed(present, () -> d.target().freeze("e-p", "bargelane/t", List.of("e-1")));
    d.target().deletePoint("e-p");
    d.target().deleteVolume("e-1");
  }

  /** Two drivers of one run make the same at once; then the volume is written to. */
  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void whatTwoMakeAtOnceIsMadeOnce(String kind) throws Exception {
    SiteDriver d = driver(kind);
    twice(() -> d.target().createVolume("t-vol", "bargelane/t", 4 * MIB, storage(kind), ""));
    try (NbdClient disk = open(d.target().openVolume("t", "t-vol", true))) {
      disk.write(0, ByteBuffer.wrap(new byte[] {1}));
    }
    d.target().closeExport("t");
    twice(() -> d.target().freeze("t-p", "bargelane/t", List.of("t-vol")));
    try (NbdClient disk = open(d.target().openVolume("t", "t-vol", true))) {
      disk.write(0, ByteBuffer.wrap(new byte[] {2}));
    }
    d.target().closeExport("t");
    d.target().freeze("t-p", "bargelane/t", List.of("t-vol"));
    twice(() -> d.target().cloneVolume("t-c", "bargelane/t", storage(kind), "t-p", "t-vol"));
    assertEquals(1, read(d.target().openVolume("t", "t-c", false), 1)[0], "the point is of then");
    d.target().closeExport("t");
    assertEquals(2, read(d.target().openVolume("t", "t-vol", false), 1)[0]);
    d.target().closeExport("t");
    twice(() -> d.target().deleteVolume("t-c"));
    twice(() -> d.target().deletePoint("t-p"));
    twice(() -> d.target().deleteVolume("t-vol"));
    assertTrue(d.target().owned("bargelane/t").stream().noneMatch(o -> o.name().startsWith("t-")));
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void aVolumeGrowsWithZeroesAndItsPointsDoNot(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("g-vol", "bargelane/t", 4 * MIB, storage(kind), "");
    write(d, "g-vol", 4 * MIB - 1, 5);
    d.target().freeze("g-point", "bargelane/t", List.of("g-vol"));
    d.target().growVolume("g-vol", 6 * MIB);
    d.target().growVolume("g-vol", 6 * MIB);
    try (NbdClient disk = open(d.target().openVolume("x", "g-vol", false))) {
      assertEquals(6 * MIB, disk.size());
      ByteBuffer edge = ByteBuffer.allocate(3);
      disk.read(4 * MIB - 1, edge);
      assertArrayEquals(new byte[] {5, 0, 0}, edge.array());
    }
    d.target().cloneVolume("g-clone", "bargelane/t", storage(kind), "g-point", "g-vol");
    try (NbdClient disk = open(d.target().openVolume("x", "g-clone", false))) {
      assertEquals(4 * MIB, disk.size());
    }
    d.target().closeExport("x");
    d.target().deleteVolume("g-clone");
    d.target().deletePoint("g-point");
    d.target().deleteVolume("g-vol");
  }
}
