package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.CarriedVolume;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.Inventory.Storage;
import java.math.BigDecimal;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

/** Disks that a storage system carries to the target. */
class CarriedDiskTest {

  private static final long GIB = 1L << 30;
  private static final Instant SCAN = Instant.parse("2026-11-02T20:00:00Z");
  private static final LanePlan PLAN = new LanePlan(Map.of(), Map.of("shelf", "slow"), "", true);

  private static LaneMachine machine(String id, int disks) {
    List<Disk> all = new ArrayList<>();
    for (int i = 0; i < disks; i++) {
      all.add(new Disk(id + i, (i + 1) * GIB, "shelf"));
    }
    MachineFacts facts =
        new MachineFacts(
            "vm-" + id,
            id,
            1,
            1024,
            "Debian",
            "bios",
            true,
            false,
            all,
            List.of(),
            List.of(),
            Map.of(),
            "",
            null,
            null);
    return new LaneMachine(id, "", Map.of("app", "ledger"), facts, Optional.empty());
  }

  private static CarriedVolume volume(String name, long gib, Instant asOf, String machine) {
    return new CarriedVolume(name, gib * GIB, "slow", asOf, false, machine, SCAN);
  }

  private static Preflight preflight(List<CarriedVolume> carried, Rule... rules) {
    Inventory site =
        new Inventory(
            List.of(),
            List.of(),
            List.of(new Storage("slow", "", "disk", BigDecimal.ZERO, "EUR")),
            List.of(),
            List.of(),
            new Quota(10, 0, 10, 0),
            null,
            carried);
    return new Preflight(
        "",
        new Rules(PLAN, List.of(rules)),
        new Shores(
            "over",
            "there",
            site,
            site,
            new Capabilities(
                "cloud", "1", Capabilities.Reach.MACHINE, 65536, true, false, true, null),
            List.of()));
  }

  private static Preflight.Result place(List<CarriedVolume> carried, Rule... rules) {
    return preflight(carried, rules).place(List.of(machine("db", 3))).get(0);
  }

  private static Rule copy(int disk, String value) {
    return new Rule(RuleScope.DISK, "db", disk, Setting.COPY, value);
  }

  private static List<Code> codes(Preflight.Result r) {
    return r.findings().stream().map(Finding::code).toList();
  }

  @Test
  void oneThatArrivesIsToldAndTakesNoClassAndNoRoom() {
    Preflight.Result r =
        place(List.of(volume("mirror", 2, SCAN.minusSeconds(60), "")), copy(1, "carried:mirror"));
    assertEquals(List.of(Code.DISK_CARRIED), codes(r));
    assertFalse(r.findings().get(0).blocks());
    assertEquals(
        "disk db1 (2GiB) is carried by the storage system: the machine lands with mirror as its"
            + " disk 1, which is as of 2026-11-02T19:59:00Z",
        r.findings().get(0).cause());
    assertEquals(List.of("slow", "", "slow"), r.placement().storages());
    assertEquals(List.of("db0", "db2"), r.copied().stream().map(Disk::volume).toList());
    assertEquals("mirror", r.carried().get(0).volume());
  }

  @Test
  void whatCannotBeItsDiskIsInTheWay() {
    Rule rule = copy(1, "carried:mirror");
    assertEquals(List.of(Code.CARRIED_MISSING), codes(place(List.of(), rule)));
    List<CarriedVolume> wrong =
        List.of(
            volume("mirror", 1, SCAN, ""),
            volume("mirror", 2, null, ""),
            volume("mirror", 2, SCAN.plusSeconds(3), ""),
            volume("mirror", 2, SCAN, "other"));
    for (CarriedVolume v : wrong) {
      Preflight.Result r = place(List.of(v), rule);
      assertEquals(List.of(Code.CARRIED_UNFIT), codes(r), v.toString());
      assertTrue(r.findings().get(0).blocks());
    }
    assertEquals(
        List.of(Code.DISK_CARRIED), codes(place(List.of(volume("mirror", 2, SCAN, "db")), rule)));
    assertEquals(
        List.of(Code.FIRST_DISK_LEFT_OUT),
        codes(place(List.of(volume("mirror", 2, SCAN, "")), copy(0, "carried:mirror"))));
  }

  @Test
  void oneThatIsFilledNoMoreIsSaidToBe() {
    CarriedVolume ended =
        new CarriedVolume("mirror", 2 * GIB, "slow", SCAN.minusSeconds(60), true, "", SCAN);
    Preflight.Result r = place(List.of(ended), copy(1, "carried:mirror"));
    assertEquals(List.of(Code.DISK_CARRIED), codes(r));
    assertTrue(
        r.findings().get(0).cause().endsWith("; the storage system no longer fills it"),
        r.findings().get(0).cause());
  }

  @Test
  void anotherInstantIsToldWhereItIsFurtherThanAllowed() {
    List<CarriedVolume> late = List.of(volume("mirror", 2, SCAN.minusSeconds(3 * 3600), ""));
    Preflight.Result r = place(late, copy(1, "carried:mirror"));
    assertEquals(List.of(Code.DISK_CARRIED, Code.CARRIED_BEHIND), codes(r));
    assertEquals(
        "carried disk mirror was 3h behind when there was scanned, and 15m are allowed: its"
            + " instant differs from that of the copied disks",
        r.findings().get(1).cause());
    Rule label = new Rule(RuleScope.LABEL, "app=ledger", Rule.WHOLE, Setting.CARRIED_WITHIN, "3h");
    assertEquals(List.of(Code.DISK_CARRIED), codes(place(late, copy(1, "carried:mirror"), label)));
  }

  @Test
  void aStorageIsCarriedToVolumesOfTheSameNames() {
    Rule storage = new Rule(RuleScope.STORAGE, "shelf", Setting.COPY, "carried");
    Preflight.Result r =
        place(
            List.of(volume("db1", 2, SCAN, ""), volume("db2", 3, SCAN, "")),
            storage,
            copy(0, "on"));
    assertEquals(List.of("db1", "db2"), r.carried().stream().map(CarriedDisk::volume).toList());
    assertEquals(List.of(Code.DISK_CARRIED, Code.DISK_CARRIED), codes(r));
  }

  @Test
  void oneVolumeIsNoTwoDisks() {
    Preflight.Result r =
        place(
            List.of(volume("mirror", 3, SCAN, "")),
            copy(1, "carried:mirror"),
            copy(2, "carried:mirror"));
    assertTrue(codes(r).contains(Code.CARRIED_UNFIT), codes(r).toString());
  }

  /** Once the others are loaded, it is none of the machine's disks that are copied. */
  @Test
  void itIsToldAsLongAsTheMachineHasNotLanded() {
    LaneMachine all = machine("db", 3);
    List<Disk> disks = all.facts().disks();
    LaneMachine loaded =
        new LaneMachine(
                "db",
                "",
                Map.of(),
                all.facts().with(List.of(disks.get(0), disks.get(2))),
                Optional.empty())
            .copying(List.of(0, 2));
    Preflight preflight =
        preflight(List.of(volume("mirror", 2, SCAN, "")), copy(1, "carried:mirror"));
    Preflight.Result placed = preflight.place(List.of(loaded)).get(0);
    assertEquals(List.of(), codes(placed));
    Preflight.Result told = preflight.leaving(placed, all, List.of(1));
    assertEquals(List.of(Code.DISK_CARRIED), codes(told));
    assertEquals(1, told.carried().get(0).number());
    assertEquals(List.of(), codes(told.landed()), "there it is a disk like others");
    // What is not said to be carried is left out.
    Preflight without = preflight(List.of());
    assertEquals(List.of(Code.DISK_LEFT_OUT), codes(without.leaving(placed, all, List.of(1))));
  }
}
