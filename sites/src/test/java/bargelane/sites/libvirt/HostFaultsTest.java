package bargelane.sites.libvirt;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.core.finding.Finding;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.ByteBuffer;
import java.nio.ByteOrder;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.TimeUnit;
import org.junit.jupiter.api.Test;

/** What happens to a host behind our back. */
class HostFaultsTest extends LiveGuest {

  @Test
  void scratchRoomThatFillsEndsTheSnapshotAndNeverAWriteOfTheGuest() throws IOException {
    snapshot("one", Optional.empty());
    String uri = driver.source().openSnapshot("x", "one", disks().get(1), Optional.empty()).uri();
    NbdClient.connect(NbdAddress.parse(uri)).close();
    // First writes go to room that held nothing; the second time there is something to be kept.
    assertTrue(ask("/cgi-bin/churn?24", 120).contains("written"));
    driver.source().dropSnapshot("one");
    snapshot("two", Optional.empty());
    // What watches outlives our program on the host.
    killOurProgram();
    assertTrue(ask("/cgi-bin/churn?24", 120).contains("written"));
    SiteException dropped =
        refused(() -> driver.source().openSnapshot("x", "two", disks().get(1), Optional.empty()));
    assertEquals("snapshot-dropped", dropped.code());
    assertTrue(dropped.getMessage().contains("scratch room"), dropped.getMessage());
    assertTrue(status().contains("\"failed\":0"));
    // The marker that began with it still tracks.
    driver.source().dropSnapshot("two");
    snapshot("three", Optional.of("two"));
    assertTrue(changed("three", "two") >= 20 << 20);
  }

  /** Kills it, and has the call that may be cut off with it behind us. */
  private static void killOurProgram() {
    List<ProcessHandle> killed =
        ProcessHandle.current()
            .descendants()
            .filter(p -> p.info().commandLine().orElse("").contains("bargelane-host"))
            .toList();
    assertFalse(killed.isEmpty());
    killed.forEach(ProcessHandle::destroyForcibly);
    killed.forEach(p -> p.onExit().join());
    try {
      driver.inventory();
    } catch (SiteException e) {
      assertEquals(SiteException.Kind.MAY_PASS, e.kind());
    }
  }

  @Test
  void aSecondSnapshotOfAMachineHasToWait() {
    snapshot("one", Optional.empty());
    SiteException busy = refused(() -> snapshot("two", Optional.empty()));
    assertEquals(SiteException.Kind.MAY_PASS, busy.kind());
    assertTrue(busy.getMessage().contains("another backup"), busy.getMessage());
  }

  @Test
  void aBackupOfOursThatNothingRecordsIsEnded() {
    snapshot("one", Optional.empty());
    host().catalogue().change(state -> state.snapshots().remove("one"));
    snapshot("two", Optional.of("one"));
    driver.source().dropSnapshot("two");
    assertEquals(Optional.empty(), host().hypervisor.tracking.backup(guest().platformId()));
  }

  @Test
  void aDaemonKilledWhileItBeginsABackupHoldsTheMachineAndSaysWhatHelps() throws Exception {
    Optional<SiteException> held = Optional.empty();
    for (int tries = 0; held.isEmpty() && tries < 5; tries++) {
      // What the daemon writes down of the guest as it begins.
      Path record = dir.resolve("h/run/libvirt/qemu/run/" + GUEST + ".xml");
      var begun = CompletableFuture.runAsync(() -> snapshot("one", Optional.empty()));
      while (!begun.isDone() && !Files.readString(record).contains("async='backup'")) {
        Thread.onSpinWait();
      }
      demo.killDaemon();
      demo.startDaemon();
      try {
        begun.handle((done, failure) -> done).get();
        driver.source().dropSnapshot("one");
        driver.source().forgetMarker("one");
      } catch (SiteException e) {
        held = Optional.of(e);
      }
    }
    assertEquals("held", held.orElseThrow().code());
    assertTrue(held.get().getMessage().contains("switch " + GUEST + " off"));
    assertEquals("held", refused(() -> snapshot("two", Optional.empty())).code());
    assertTrue(host().catalogue().read().snapshots().containsKey("one"));
    demo.virsh("destroy", GUEST);
    demo.killDaemon();
    demo.startDaemon();
    demo.virsh("start", GUEST);
    status();
    driver.source().dropSnapshot("one");
    snapshot("two", Optional.empty());
  }

  @Test
  void aBackupThatAnotherIsBeginningHoldsNothing() {
    HypervisorTracking tracking = host().hypervisor.tracking;
    String uuid = guest().platformId();
    for (int round = 0; round < 20; round++) {
      String name = "round-" + round;
      var begun = CompletableFuture.runAsync(() -> snapshot(name, Optional.empty()));
      while (!begun.isDone()) {
        tracking.mustBeFree(uuid);
      }
      begun.join();
      driver.source().dropSnapshot(name);
      driver.source().forgetMarker(name);
    }
  }

  @Test
  void aDaemonKilledInMidSnapshotFindsItAgain() throws IOException {
    snapshot("one", Optional.empty());
    demo.killDaemon();
    assertEquals(SiteException.Kind.MAY_PASS, refused(driver::inventory).kind());
    assertEquals(Finding.Code.SITE_UNREACHABLE, driver.check().get(0).code());
    demo.startDaemon();
    String uri = driver.source().openSnapshot("x", "one", disks().get(1), Optional.empty()).uri();
    NbdClient.connect(NbdAddress.parse(uri)).close();
    driver.source().dropSnapshot("one");
    snapshot("two", Optional.of("one"));
    assertTrue(changed("two", "one") > 0);
  }

  @Test
  void machinesThatComeAndGoWhileTheInventoryIsReadAreNoFault() throws Exception {
    String xml =
        "<domain type='qemu'><name>passing</name><memory unit='MiB'>16</memory>"
            + "<os><type arch='x86_64'>hvm</type></os><devices><disk type='file' device='disk'>"
            + "<source file='"
            + demo.pool().resolve("passing.raw")
            + "'/>"
            + "<target dev='hda' bus='ide'/></disk></devices></domain>";
    Path file = Files.writeString(dir.resolve("passing.xml"), xml);
    demo.run("truncate", "-s", "1M", demo.pool().resolve("passing.raw").toString());
    var passing =
        CompletableFuture.runAsync(
            () -> {
              try {
                for (int i = 0; i < 15; i++) {
                  demo.virsh("create", file.toString());
                  demo.virsh("destroy", "passing");
                }
              } catch (IOException e) {
                throw new UncheckedIOException(e);
              }
            });
    int read = 0;
    while (!passing.isDone()) {
      assertTrue(driver.inventory().machines().stream().anyMatch(m -> m.name().equals(GUEST)));
      read++;
    }
    passing.get();
    assertTrue(read > 10, read + " inventories were read meanwhile");
  }

  @Test
  void aCheckpointDeletedBehindOurBackIsAMarkerLost() throws IOException {
    snapshot("one", Optional.empty());
    driver.source().dropSnapshot("one");
    assertTrue(driver.source().markers().contains("one"));
    demo.virsh("checkpoint-delete", GUEST, "one");
    assertFalse(driver.source().markers().contains("one"));
    assertEquals(
        SiteException.Kind.MARKER_LOST, refused(() -> snapshot("two", Optional.of("one"))).kind());
    snapshot("two", Optional.empty());
  }

  @Test
  void aGuestThatLostItsPowerHasLostItsMarkersAndIsToldSo() throws IOException {
    snapshot("one", Optional.empty());
    driver.source().dropSnapshot("one");
    demo.killGuest(GUEST);
    String id = guest().platformId();
    assertFalse(driver.compute().machine(id).on());
    SiteException off = refused(() -> snapshot("two", Optional.of("one")));
    assertEquals(SiteException.Kind.MARKER_LOST, off.kind(), "found while it is off");
    driver.compute().start(id);
    status();
    SiteException on = refused(() -> snapshot("two", Optional.of("one")));
    assertEquals(SiteException.Kind.MARKER_LOST, on.kind(), "and while it runs");
    snapshot("two", Optional.empty());
    driver.source().dropSnapshot("two");
    snapshot("three", Optional.of("two"));
    assertTrue(status().contains("\"failed\":0"));
  }

  /** Whoever writes an image marks its bitmaps as one that died there leaves them. */
  @Test
  void anImageThatIsBeingWrittenIsNotTakenForOneThatLostItsMarkers() throws IOException {
    snapshot("one", Optional.empty());
    driver.source().dropSnapshot("one");
    String id = guest().platformId();
    driver.compute().stop(id);
    host().hypervisor.destroy(id);
    String file = host().catalogue().read().fileOf(disks().get(1));
    host().images.serve("writer", file, "qcow2", true, "");
    SiteException busy = refused(() -> snapshot("two", Optional.of("one")));
    assertEquals(SiteException.Kind.MAY_PASS, busy.kind(), busy.getMessage());
    host().images.close("writer");
    snapshot("two", Optional.of("one"));
    assertTrue(changed("two", "one") > 0);
    driver.source().closeExport("x");
    driver.source().dropSnapshot("two");
    driver.compute().start(id);
    status();
  }

  @Test
  void aFencedMachineIsStartedByNobodyAndIsAsItWasWhenTheFenceIsGone() throws IOException {
    String id = guest().platformId();
    driver.compute().stop(id);
    String before = demo.virsh("dumpxml", "--inactive", GUEST);
    for (int life = 0; life < 2; life++) {
      driver.compute().fence(id);
    }
    assertTrue(driver.compute().machine(id).fenced());
    // By the host's own commands, also with a flag that starts it in another way.
    for (List<String> command :
        List.of(List.of("start", GUEST), List.of("start", GUEST, "--paused"))) {
      // The daemon may meet the emulator's monitor as it ends: it then fails without the reason.
      String told = "";
      for (int tries = 0; tries < 5 && !told.contains("fenced-by-bargelane"); tries++) {
        told =
            assertThrows(IOException.class, () -> demo.virsh(command.toArray(String[]::new)))
                .getMessage();
      }
      assertTrue(told.contains("fenced-by-bargelane"), told);
    }
    assertFalse(driver.compute().machine(id).on());
    for (int life = 0; life < 2; life++) {
      driver.compute().unfence(id);
    }
    // But for our own element, which says that it is not fenced.
    assertEquals(without(before), without(demo.virsh("dumpxml", "--inactive", GUEST)));
    driver.compute().start(id);
    assertTrue(status().contains("\"failed\":0"));
  }

  private static String without(String xml) {
    return xml.replaceAll("\\s*<metadata>(?s:.*?)</metadata>", "");
  }

  @Test
  void aMachineThatIsRenamedIsTheSameOne() throws IOException {
    String id = guest().platformId();
    snapshot("one", Optional.empty());
    driver.source().dropSnapshot("one");
    driver.compute().stop(id);
    // It may go off by itself after it was seen on.
    host().hypervisor.askToStop(id);
    host().hypervisor.destroy(id);
    demo.virsh("domrename", GUEST, "renamed");
    assertEquals(id, guest().platformId());
    assertEquals("renamed", driver.compute().machine(id).name());
    snapshot("two", Optional.of("one"));
    assertTrue(changed("two", "one") > 0, "its markers went with it");
    driver.source().closeExport("x");
    driver.source().dropSnapshot("two");
    demo.virsh("domrename", "renamed", GUEST);
    driver.compute().start(id);
    status();
  }

  /** Whether a snapshot's data disk would need its journal replayed (ext4 super block). */
  private static boolean needsRepair(String snapshot) throws IOException {
    String uri =
        driver.source().openSnapshot("x", snapshot, disks().get(1), Optional.empty()).uri();
    try (NbdClient disk = NbdClient.connect(NbdAddress.parse(uri))) {
      ByteBuffer superBlock = ByteBuffer.allocate(1024).order(ByteOrder.LITTLE_ENDIAN);
      disk.read((1 << 20) + 1024, superBlock);
      assertEquals((short) 0xEF53, superBlock.getShort(56));
      return (superBlock.getInt(96) & 4) != 0;
    }
  }

  private static long records() throws IOException {
    return Long.parseLong(status().strip().replaceAll(".*\"records\":(\\d+).*", "$1"));
  }

  @Test
  void aGuestWithAnAgentTellsOfItselfAndHoldsItsWritesForTheInstantOnly() throws IOException {
    status();
    GuestFacts told = guest().guest();
    assertEquals("Quillhaven appliance 3", told.os());
    assertEquals("lending-db", told.hostname());
    assertTrue(told.cards().stream().anyMatch(c -> c.addresses().contains("10.20.1.21/24")));
    GuestFacts.FileSystem srv =
        told.fileSystems().stream().filter(f -> f.mount().equals("/srv")).findFirst().orElseThrow();
    assertEquals("ext4", srv.type());
    assertTrue(srv.used() > 0 && srv.used() < srv.bytes());

    assertFalse(
        driver.source().snapshot("one", OWNER, disks(), Optional.empty(), false).quiesced());
    assertTrue(needsRepair("one"), "a running guest's journal is open");
    driver.source().dropSnapshot("one");
    Source.Taken taken = driver.source().snapshot("two", OWNER, disks(), Optional.empty(), true);
    assertTrue(taken.quiesced());
    assertTrue(taken.held().compareTo(Source.LONGEST_HOLD) < 0);
    assertFalse(needsRepair("two"));
    assertTrue(
        driver.source().snapshot("two", OWNER, disks(), Optional.empty(), true).quiesced(),
        "what was taken earlier is told the same");
    long before = records();
    while (records() == before) {
      pause();
    }
    assertTrue(status().contains("\"failed\":0"));
  }

  @Test
  void aGuestThatNobodyLetsGoIsLetGoByTheHost() throws IOException {
    status();
    LibvirtSource source = (LibvirtSource) driver.source();
    long[] seen = new long[2];
    Source.Taken taken =
        source.guards.held(
            guest().platformId(),
            true,
            () -> {
              try {
                seen[0] = records();
                long until = System.nanoTime() + TimeUnit.SECONDS.toNanos(60);
                while (seen[1] <= seen[0] + 1 && System.nanoTime() < until) {
                  pause();
                  seen[1] = records();
                }
              } catch (IOException e) {
                throw new UncheckedIOException(e);
              }
            });
    assertTrue(seen[1] > seen[0] + 1, "it writes again although nobody let it");
    assertFalse(taken.quiesced(), "and what was done meanwhile is not called quiesced");
    assertTrue(taken.held().compareTo(Source.LONGEST_HOLD.minusSeconds(1)) > 0);
    assertTrue(status().contains("\"failed\":0"));
  }

  @Test
  void aConnectionOverSshThatIsCutIsMadeAgain() throws IOException {
    LibvirtDriver far = new LibvirtDriver("far", demo.overSsh(SETTINGS), Clock.systemUTC());
    assertEquals(List.of(), far.check());
    far.source().snapshot("one", OWNER, disks(), Optional.empty(), false);
    String disk = disks().get(0);
    ByteBuffer record = ByteBuffer.allocate(512);
    try (NbdClient client = open(far, disk)) {
      client.read(0, record);
      assertEquals((short) 0x55AA, record.getShort(510));
      demo.killSsh();
      assertThrows(IOException.class, () -> client.read(0, record.clear()));
    }
    SiteException away = refused(far::inventory);
    assertEquals(SiteException.Kind.MAY_PASS, away.kind());
    assertEquals("unreachable", away.code());
    assertEquals(Finding.Code.SITE_UNREACHABLE, far.check().get(0).code());

    demo.overSsh(SETTINGS);
    try (NbdClient client = open(far, disk)) {
      client.read(0, record.clear());
      assertEquals((short) 0x55AA, record.getShort(510));
    }
    assertEquals(1, far.inventory().machines().size());
    far.source().dropSnapshot("one");

    demo.killSsh();
    Path nothing = Files.writeString(dir.resolve("nothing"), "");
    for (var wrong : Map.of("known_hosts", "fingerprint", "keyfile", "log in at").entrySet()) {
      Finding refused = strange(wrong.getKey() + "=[^&]*", wrong.getKey() + "=" + nothing);
      assertEquals(Finding.Code.SITE_PERMISSION_MISSING, refused.code());
      assertTrue(refused.remedy().advice().contains(wrong.getValue()), refused + "");
      demo.killSsh();
    }
  }

  private static NbdClient open(LibvirtDriver from, String disk) throws IOException {
    return NbdClient.connect(
        NbdAddress.parse(from.source().openSnapshot("x", "one", disk, Optional.empty()).uri()));
  }

  /** What a check says first of a host that is gone to with something else in its address. */
  private static Finding strange(String what, String instead) throws IOException {
    String address = demo.overSsh(SETTINGS).replaceAll(what, instead);
    return new LibvirtDriver("strange", address, Clock.systemUTC()).check().get(0);
  }
}
