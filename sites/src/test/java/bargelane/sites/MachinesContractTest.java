package bargelane.sites;

import static org.junit.jupiter.api.Assertions.assertArrayEquals;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.blocks.refit.Card;
import bargelane.blocks.refit.FileEdit;
import bargelane.blocks.refit.Hardware;
import bargelane.blocks.refit.Refit;
import bargelane.blocks.refit.RefitPlan;
import bargelane.core.finding.Finding;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.SiteKind;
import bargelane.standins.host.SmallMachines;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Clock;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.ValueSource;

/** What every driver promises of machines, of refits, and of what a check finds. */
class MachinesContractTest extends DriverContract {

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "system"})
  void aMachineIsStartedFromItsDisksAndNeverWhileFenced(String kind) throws IOException {
    SiteDriver d = driver(kind);
    List<String> disks = bootDisks(d, kind);
    String network = d.inventory().networks().get(0).id();
    twice(() -> d.compute().isolate("iso", network, "bargelane/t"));
    String isolated = d.compute().isolate("iso", network, "bargelane/t");
    boolean bridged = kind.equals("system");
    Compute.Spec spec = spec(d, "probe-me", disks, bridged ? network : isolated);
    twice(() -> d.compute().define(spec));
    String id = d.compute().define(spec);
    assertEquals(
        1, d.inventory().machines().stream().filter(m -> m.name().equals("probe-me")).count());
    twice(() -> d.compute().fence(id));
    assertTrue(d.compute().machine(id).fenced());
    assertEquals("fenced", assertThrows(SiteException.class, () -> d.compute().start(id)).code());
    twice(() -> d.compute().unfence(id));
    twice(() -> d.source().mark("armed", "bargelane/t", disks));
    twice(() -> d.compute().start(id));
    MachineFacts running = d.compute().machine(id);
    assertTrue(running.on());
    assertEquals(disks, running.disks().stream().map(Inventory.Disk::volume).toList());
    if (bridged) {
      assertEquals(new Compute.WayIn("10.20.1.21", 8080, true), d.compute().wayIn(id, 0));
      system.inside("sh", "-ec", UNTIL_IT_ANSWERS);
    } else {
      answers(d.compute().wayIn(id, 0));
    }
    // The small guest of the hosts may have nothing to say.
    byte[] console = d.compute().console(id, 65536).orElseThrow();
    int some = Math.min(console.length, 8);
    assertArrayEquals(
        Arrays.copyOfRange(console, console.length - some, console.length),
        d.compute().console(id, some).orElseThrow());
    Inventory.Usage usage = d.usage().get(id);
    assertTrue(usage.cpuSeconds().getAsDouble() > 0);
    assertTrue(usage.writtenBytes().getAsLong() > 0);
    assertTrue(usage.writes().getAsLong() > 0);
    twice(() -> d.source().snapshot("live", "bargelane/t", disks, Optional.of("armed"), false));
    long changed = changed(d, "live", "armed");
    assertTrue(changed > 0, "what the guest wrote since its first instruction is tracked");
    twice(() -> d.source().dropSnapshot("live"));
    twice(() -> d.compute().stop(id));
    assertFalse(d.compute().machine(id).on());
    assertFalse(d.usage().containsKey(id));
    twice(() -> d.source().snapshot("after", "bargelane/t", disks, Optional.of("armed"), false));
    assertTrue(changed(d, "after", "armed") >= changed, "and goes on to be until it has stopped");
    d.target().createVolume("f-other", "bargelane/t", 1 << 20, storage(kind), "");
    for (List<String> given : List.of(List.of(disks.get(0), "f-other"), disks)) {
      twice(() -> d.compute().attach(id, given));
      assertEquals(
          given, d.compute().machine(id).disks().stream().map(Inventory.Disk::volume).toList());
    }
    d.target().deleteVolume("f-other");
    twice(() -> d.compute().remove(id));
    if (bridged) {
      system.inside("sh", "-ec", "test -z \"$(find /tmp -path '*/console/probe-me.log')\"");
    }
    twice(() -> d.compute().removeNetwork(isolated));
    for (String s : List.of("after", "live", "armed")) {
      twice(() -> d.source().dropSnapshot(s));
      twice(() -> d.source().forgetMarker(s));
    }
    disks.forEach(d.target()::deleteVolume);
    assertEquals(
        List.of(),
        d.target().owned("bargelane/t").stream().filter(o -> !o.kind().equals("fence")).toList());
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
                    new Card(
                        "",
                        List.of(),
                        "10.20.1.21",
                        "10.20.7.40",
                        24,
                        "255.255.255.0",
                        "10.20.7.1")));
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
    byte[] x = {'x'};
    FileEdit stale = edit(fstab, fstab.path(), x, "", fstab.before(), FileEdit.digest(x));
    FileEdit taken = edit(fstab, fstab.path(), x, "", "", FileEdit.digest(x));
    FileEdit gone = edit(fstab, fstab.path(), new byte[0], "", fstab.before(), "");
    for (FileEdit unfit : List.of(stale, taken, gone)) {
      SiteException refused =
          assertThrows(
              SiteException.class,
              () -> d.compute().refit("f", "bargelane/t", disks, List.of(unfit)));
      assertEquals("refit-failed", refused.code());
      assertTrue(refused.getMessage().contains("was changed by others"), refused.getMessage());
    }
    FileEdit copy = edit(fstab, "/etc/beside", new byte[0], fstab.path(), "", fstab.after());
    FileEdit removed = edit(fstab, "/etc/beside", new byte[0], "", fstab.after(), "");
    assertEquals(
        "done: /etc/beside\ngone: /etc/beside",
        d.compute()
            .refit("f", "bargelane/t", disks, List.of(copy, removed))
            .replace("/mnt", "")
            .replaceAll("\nrefit: done$", ""));
    RefitPlan back = inside(d, disks, g -> Refit.reverse(g, plan.edits()).orElseThrow());
    d.compute().refit("f", "bargelane/t", disks, back.edits());
    assertEquals(
        plan.edits().stream().map(FileEdit::before).toList(),
        inside(d, disks, forth).edits().stream().map(FileEdit::before).toList(),
        "every file is what it was");
    disks.forEach(d.target()::deleteVolume);
  }

  /** An edit of a file beside another one. */
  private static FileEdit edit(
      FileEdit beside, String path, byte[] content, String copyOf, String before, String after) {
    return new FileEdit(
        beside.disk(),
        beside.partition(),
        beside.within(),
        beside.fileSystem(),
        path,
        0,
        content,
        copyOf,
        new byte[0],
        before,
        after,
        "",
        "");
  }

  @ParameterizedTest
  @ValueSource(strings = {"estate", "cloud", "remote"})
  void aMachineWhoseDiskHasNoBootRecordDoesNotStart(String kind) throws IOException {
    SiteDriver d = driver(kind);
    d.target().createVolume("n-vol", "bargelane/t", 4 * MIB, storage(kind), "");
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
}
