package bargelane.sites;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.junit.jupiter.api.Assumptions.assumeTrue;

import bargelane.blocks.BlockDevice;
import bargelane.blocks.BlockDevice.Context;
import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Guest;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.finding.Finding;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.standins.StandinServer;
import bargelane.standins.host.DemoHost;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.nio.ByteBuffer;
import java.nio.channels.FileChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.ArrayList;
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
  private static final Hardware VIRTIO = new Hardware("virtio", "virtio");

  @TempDir static Path dir;
  private static final Map<String, StandinServer> SERVERS = new HashMap<>();

  private static DemoHost host;
  private static DemoHost system;
  private static String overSsh;
  private static Path images;
  private static Path shortDir;

  /** A session's host over SSH, and a system's, which has bridges; directly is every other test. */
  private static boolean onHost(String kind) {
    return kind.equals("remote") || kind.equals("system");
  }

  private static SiteDriver driver(String kind) throws IOException {
    if (onHost(kind)) {
      if (images == null) {
        images = SmallMachines.guest();
        shortDir = SmallMachines.shortDirectory();
      }
      String settings = "&reserve-mib=16&devices=ide";
      if (kind.equals("system")) {
        assumeTrue(
            System.getProperty("user.name").equals("root"), "a system's daemon is started by root");
        if (system == null) {
          system = DemoHost.startSystem(shortDir.resolve("s"), "hall", "10.20.1.1");
        }
        return Drivers.open(
            SiteKind.LIBVIRT,
            kind,
            system.address(settings + "&runtime=" + shortDir.resolve("bl")),
            "",
            Clock.systemUTC());
      }
      if (host == null) {
        host = DemoHost.start("games", shortDir.resolve("h"), "shore", "10.20.1.1");
      }
      if (overSsh == null) {
        overSsh = host.overSsh(settings);
      }
      return Drivers.open(SiteKind.LIBVIRT, kind, overSsh, "", Clock.systemUTC());
    }
    if (!SERVERS.containsKey(kind)) {
      SERVERS.put(
          kind,
          StandinServer.start(
              kind, dir.resolve(kind), dir.resolve("r" + kind.charAt(0)), 0, kind.equals("cloud")));
    }
    return Drivers.open(
        SiteKind.STANDIN, kind, SERVERS.get(kind).address(), token(kind), Clock.systemUTC());
  }

  private static String token(String kind) {
    return kind.equals("estate") ? "mill-street-demo" : "saltmarsh-demo";
  }

  private static String storage(String kind) {
    return onHost(kind) ? "pool" : kind.equals("estate") ? "shelf-a" : "reed";
  }

  @AfterAll
  static void stop() throws IOException {
    for (StandinServer server : SERVERS.values()) {
      server.close();
    }
    for (DemoHost each : new DemoHost[] {host, system}) {
      if (each != null) {
        each.close();
      }
    }
    if (shortDir != null) {
      SmallMachines.delete(shortDir);
    }
  }

  private static Compute.Spec spec(
      SiteDriver d, String name, List<String> volumes, String network) {
    Inventory inventory = d.inventory();
    String cidr = inventory.networks().get(0).cidr();
    return new Compute.Spec(
        name,
        "bargelane/t",
        inventory.sizes().isEmpty() ? "" : inventory.sizes().get(0).id(),
        1,
        160,
        "Debian",
        "bios",
        "",
        volumes,
        // The address that the small guest has.
        List.of(new PlacedNic(network, cidr.replaceFirst("0/.*", "21"), true, "")),
        List.of(new Inventory.Ingress("tcp", 8080, "")),
        Map.of());
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
  @ValueSource(strings = {"estate", "cloud", "remote"})
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
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void changesSinceAMarkerComeWithTheNextSnapshot(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("c-vol", "bargelane/t", 4 * MIB, storage(kind));
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

  /** A snapshot that can't hide what came after it must say that it is none any more. */
  private static void laterWritesAreNotInIt(SiteDriver d) throws IOException {
    ExportRef again;
    try {
      again = d.source().openSnapshot("x", "c-2", "c-vol", Optional.of("c-1"));
    } catch (SiteException e) {
      assertEquals("snapshot-dropped", e.code());
      return;
    }
    try (NbdClient disk = open(again)) {
      ByteBuffer later = ByteBuffer.allocate(1);
      disk.read(3 * MIB, later);
      assertEquals(0, later.get(0), "the snapshot does not see what came after it");
    }
    d.source().closeExport("x");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
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
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void aVolumeGrowsWithZeroesAndItsPointsDoNot(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("g-vol", "bargelane/t", 4 * MIB, storage(kind));
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

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "system"})
  void aMachineIsStartedFromItsDisksAndNeverWhileFenced(String kind) throws IOException {
    SiteDriver d = driver(kind);
    List<String> disks = bootDisks(d, kind);
    String network = d.inventory().networks().get(0).id();
    String isolated = d.compute().isolate("iso", network, "bargelane/t");
    assertEquals(isolated, d.compute().isolate("iso", network, "bargelane/t"));
    boolean bridged = kind.equals("system");
    Compute.Spec spec = spec(d, "probe-me", disks, bridged ? network : isolated);
    String id = d.compute().define(spec);
    assertEquals(id, d.compute().define(spec));
    d.compute().fence(id);
    assertTrue(d.compute().machine(id).fenced());
    assertEquals("fenced", assertThrows(SiteException.class, () -> d.compute().start(id)).code());
    d.compute().unfence(id);
    d.source().mark("armed", "bargelane/t", disks);
    d.source().mark("armed", "bargelane/t", disks);
    d.compute().start(id);
    d.compute().start(id);
    MachineFacts running = d.compute().machine(id);
    assertTrue(running.on());
    assertEquals(disks, running.disks().stream().map(Inventory.Disk::volume).toList());
    if (bridged) {
      assertEquals(new Compute.WayIn("10.20.1.21", 8080), d.compute().wayIn(id));
      system.inside("sh", "-ec", UNTIL_IT_ANSWERS);
    } else {
      answers(d.compute().wayIn(id));
    }
    Inventory.Usage usage = d.usage().get(id);
    assertTrue(usage.cpuSeconds().getAsDouble() > 0);
    assertTrue(usage.writtenBytes().getAsLong() > 0);
    assertTrue(usage.writes().getAsLong() > 0);
    d.source().snapshot("live", "bargelane/t", disks, Optional.of("armed"), false);
    long changed = changed(d, "live", "armed");
    assertTrue(changed > 0, "what the guest wrote since its first instruction is tracked");
    d.source().dropSnapshot("live");
    d.compute().stop(id);
    assertFalse(d.compute().machine(id).on());
    assertFalse(d.usage().containsKey(id));
    d.source().snapshot("after", "bargelane/t", disks, Optional.of("armed"), false);
    assertTrue(changed(d, "after", "armed") >= changed, "and goes on to be until it has stopped");
    d.compute().remove(id);
    d.compute().remove(id);
    d.compute().removeNetwork(isolated);
    d.compute().removeNetwork(isolated);
    for (String s : List.of("after", "live", "armed")) {
      d.source().dropSnapshot(s);
      d.source().forgetMarker(s);
    }
    disks.forEach(d.target()::deleteVolume);
    assertEquals(
        List.of(),
        d.target().owned("bargelane/t").stream().filter(o -> !o.kind().equals("fence")).toList());
  }

  /** What a refit decides after a look into disks. */
  private interface Look {
    RefitPlan at(Guest guest) throws IOException;
  }

  private static RefitPlan inside(SiteDriver d, List<String> volumes, Look look)
      throws IOException {
    List<NbdClient> disks = new ArrayList<>();
    try {
      for (String volume : volumes) {
        disks.add(open(d.target().openVolume("x-" + volume, volume, false)));
      }
      return look.at(Guest.look(disks));
    } finally {
      for (NbdClient disk : disks) {
        disk.close();
      }
      volumes.forEach(v -> d.target().closeExport("x-" + v));
    }
  }

  private static List<String> paths(RefitPlan plan) {
    return plan.edits().stream().map(FileEdit::path).toList();
  }

  /** A real host's refit is tested with its guest, which has to start afterwards. */
  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud"})
  void aRefitChangesFilesCheckedBeforeAndAfterAndIsTakenBack(String kind) throws IOException {
    SiteDriver d = driver(kind);
    Path guest = SmallMachines.guest();
    List<String> disks = List.of("f-0", "f-1");
    fill(d, storage(kind), "f-0", guest.resolve("guest-system.img"));
    fill(d, storage(kind), "f-1", guest.resolve("guest-data.img"));
    Look forth =
        g ->
            Refit.plan(
                g,
                new Hardware("ide", "e1000"),
                VIRTIO,
                List.of(
                    new Refit.Readdress("10.20.1.21", "10.20.7.40", "255.255.255.0", "10.20.7.1")));
    RefitPlan plan = inside(d, disks, forth);
    assertEquals(
        List.of("/initrd.img", "/etc/fstab", "/syslinux.cfg", "/etc/network/interfaces"),
        paths(plan));
    for (String word : List.of("done: ", "was done: ")) {
      String told = d.compute().refit("f", "bargelane/t", disks, plan.edits());
      assertEquals(4, told.lines().filter(l -> l.startsWith(word)).count(), told);
    }
    assertEquals(List.of(), paths(inside(d, disks, g -> Refit.plan(g, VIRTIO, VIRTIO, List.of()))));
    FileEdit fstab = plan.edits().get(1);
    FileEdit stale =
        new FileEdit(
            0,
            fstab.partition(),
            fstab.fileSystem(),
            fstab.path(),
            0,
            new byte[] {'x'},
            new byte[0],
            fstab.before(),
            FileEdit.digest(new byte[] {'x'}),
            "",
            "");
    assertEquals(
        "refit-failed",
        assertThrows(
                SiteException.class,
                () -> d.compute().refit("f", "bargelane/t", disks, List.of(stale)))
            .code());
    RefitPlan back = inside(d, disks, g -> Refit.reverse(g, plan.edits()).orElseThrow());
    d.compute().refit("f", "bargelane/t", disks, back.edits());
    assertEquals(
        plan.edits().stream().map(FileEdit::before).toList(),
        inside(d, disks, forth).edits().stream().map(FileEdit::before).toList(),
        "every file is what it was");
    disks.forEach(d.target()::deleteVolume);
  }

  private static long changed(SiteDriver d, String snapshot, String since) throws IOException {
    try (NbdClient disk =
        open(d.source().openSnapshot("x", snapshot, "m-vol", Optional.of(since)))) {
      return disk.status(Context.CHANGED, 0, disk.size()).stream()
          .filter(BlockDevice.Extent::set)
          .mapToLong(BlockDevice.Extent::length)
          .sum();
    } finally {
      d.source().closeExport("x");
    }
  }

  /** Its bridge is among the host's own interfaces, which we are not. */
  private static final String UNTIL_IT_ANSWERS =
      "n=0; until timeout 3 bash -c 'exec 3<>/dev/tcp/10.20.1.21/8080; printf \"GET / HTTP/1.0\\r\\n\\r\\n\" >&3; head -n 1 <&3 | grep -q 200' 2>/dev/null; do n=$((n + 1)); [ $n -lt 150 ]; sleep 0.2; done";

  /** Waits until a machine's service answers; a real one takes its time to boot. */
  private static void answers(Compute.WayIn way) throws IOException {
    long until = System.nanoTime() + java.util.concurrent.TimeUnit.SECONDS.toNanos(90);
    while (true) {
      var http =
          (java.net.HttpURLConnection)
              java.net
                  .URI
                  .create("http://" + way.host() + ":" + way.port() + "/")
                  .toURL()
                  .openConnection();
      http.setConnectTimeout(2000);
      http.setReadTimeout(2000);
      try {
        assertEquals(200, http.getResponseCode());
        return;
      } catch (IOException e) {
        if (System.nanoTime() > until) {
          throw e;
        }
        try {
          java.util.concurrent.TimeUnit.MILLISECONDS.sleep(200);
        } catch (InterruptedException x) {
          throw new IOException(x);
        }
      }
    }
  }

  /** Makes volumes that boot on this platform, the first one {@code m-vol}. */
  private static List<String> bootDisks(SiteDriver d, String kind) throws IOException {
    if (onHost(kind)) {
      fill(d, "pool", "m-vol", images.resolve("guest-system.img"));
      fill(d, "pool", "m-data", images.resolve("guest-data.img"));
      return List.of("m-vol", "m-data");
    }
    SiteDriver from = driver("estate");
    from.source()
        .snapshot("boot", "bargelane/t", List.of("vm-101-system"), Optional.empty(), false);
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
    from.source().dropSnapshot("boot");
    from.source().forgetMarker("boot");
    return List.of("m-vol");
  }

  private static void fill(SiteDriver d, String storage, String volume, Path image)
      throws IOException {
    long size = Files.size(image);
    d.target().createVolume(volume, "bargelane/t", size, storage);
    ExportRef target = d.target().openVolume("fill", volume, true);
    try (FileChannel from = FileChannel.open(image);
        NbdClient disk = open(target)) {
      ByteBuffer part = ByteBuffer.allocate((int) MIB);
      for (long at = 0; at < size; at += MIB) {
        part.clear();
        from.read(part, at);
        disk.write(at, part.flip());
      }
      disk.flush();
    }
    d.target().closeExport("fill");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void aMachineWhoseDiskHasNoBootRecordDoesNotStart(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("n-vol", "bargelane/t", 4 * MIB, storage(kind));
    String id =
        d.compute()
            .define(spec(d, "blank", List.of("n-vol"), d.inventory().networks().get(0).id()));
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
        Drivers.open(SiteKind.STANDIN, "s", address, readonly, Clock.systemUTC()).check();
    assertEquals(4, missing.size());
    assertTrue(
        missing.stream()
            .allMatch(
                f ->
                    f.code() == Finding.Code.SITE_PERMISSION_MISSING
                        && f.blocks()
                        && !f.remedy().none()));
    assertEquals(
        Finding.Code.SITE_TOKEN_REFUSED,
        Drivers.open(SiteKind.STANDIN, "s", address, "no", Clock.systemUTC())
            .check()
            .get(0)
            .code());
    Clock ahead = Clock.offset(Clock.systemUTC(), java.time.Duration.ofSeconds(30));
    assertEquals(
        Finding.Code.SITE_CLOCK_OFF,
        Drivers.open(SiteKind.STANDIN, "s", address, token(kind), ahead).check().get(0).code());
  }

  @ParameterizedTest
  @ValueSource(strings = {"http://127.0.0.1:1"})
  void anAbsentSiteIsAFindingAndACallToItMayPass(String address) {
    SiteDriver gone = Drivers.open(SiteKind.STANDIN, "gone", address, "t", Clock.systemUTC());
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
