package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.Inventory.Size;
import bargelane.core.site.Inventory.Storage;
import java.math.BigDecimal;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.junit.jupiter.api.Test;

/** Disks that a lane leaves out of what is copied. */
class LeftOutTest {

  private static final long GIB = 1L << 30;
  private static final LanePlan PLAN =
      new LanePlan(Map.of("net", "sub"), Map.of("shelf", "slow"), "", true);

  private static LaneMachine machine(String... storages) {
    return named("db", storages);
  }

  private static LaneMachine named(String name, String... storages) {
    List<Disk> disks = new java.util.ArrayList<>();
    for (int i = 0; i < storages.length; i++) {
      disks.add(new Disk("d" + i, (i + 1) * GIB, storages[i]));
    }
    MachineFacts facts =
        new MachineFacts(
            "vm-" + name,
            name,
            1,
            1024,
            "Debian",
            "bios",
            true,
            false,
            disks,
            List.of(),
            List.of(),
            Map.of(),
            "",
            null,
            null);
    return new LaneMachine(name, "", Map.of(), facts, Optional.of("s"));
  }

  private static Preflight.Result place(LaneMachine m, long quotaGib, Rule... rules) {
    return place(List.of(m), quotaGib, rules).get(0);
  }

  private static List<Preflight.Result> place(
      List<LaneMachine> machines, long quotaGib, Rule... rules) {
    Inventory target =
        new Inventory(
            List.of(),
            List.of(new Network("sub", "sub", "", "10.0.0.0/24", false)),
            List.of(
                new Storage("slow", "", "disk", BigDecimal.ZERO, "EUR"),
                new Storage("fast", "", "ssd", BigDecimal.ZERO, "EUR")),
            List.of(
                new Size(
                    "s",
                    1,
                    1024,
                    BigDecimal.ONE,
                    "EUR",
                    new Inventory.SizeLimits("", "", 0, 2, 0, 0, 0, List.of()))),
            List.of(),
            new Quota(10, 0, quotaGib, 0),
            null);
    Shores shores =
        new Shores(
            "over",
            "there",
            target,
            target,
            new Capabilities(
                "cloud", "1", Capabilities.Reach.MACHINE, 65536, true, true, true, null),
            List.of());
    return new Preflight("", new Rules(PLAN, List.of(rules)), shores).place(machines);
  }

  private static Rule copy(int disk, String value) {
    return new Rule(RuleScope.DISK, "db", disk, Setting.COPY, value);
  }

  /** A machine of three disks, the first and the last of which are copied. */
  private static LaneMachine loaded() {
    MachineFacts all = machine("shelf", "shelf", "shelf").facts();
    MachineFacts copied = all.with(List.of(all.disks().get(0), all.disks().get(2)));
    return new LaneMachine("db", "", Map.of(), copied, Optional.of("s")).copying(List.of(0, 2));
  }

  private static List<Code> codes(Preflight.Result r) {
    return r.findings().stream().map(Finding::code).toList();
  }

  @Test
  void aDiskThatIsLeftOutTakesNoClassNoRoomAndNoPlaceOfItsSize() {
    LaneMachine m = machine("shelf", "nowhere", "shelf");
    assertEquals(
        List.of(Code.DISKS_TOO_MANY, Code.STORAGE_NOT_JOINED, Code.QUOTA_VOLUMES),
        codes(place(m, 5)));
    Preflight.Result r = place(m, 5, copy(1, "off"));
    assertEquals(List.of(Code.DISK_LEFT_OUT), codes(r));
    assertFalse(r.findings().get(0).blocks());
    assertEquals(
        "disk d1 (2GiB) is left out: what is on it stays at the source",
        r.findings().get(0).cause());
    assertEquals(List.of("over", "db", "1"), r.findings().get(0).remedy().arguments());
    assertEquals(List.of("slow", "", "slow"), r.placement().storages());
    assertEquals(List.of("d0", "d2"), r.copied().stream().map(Disk::volume).toList());
  }

  @Test
  void aDiskThatTwoShareIsCopiedForBothOrForNone() {
    List<LaneMachine> both =
        List.of(named("db", "shelf", "shelf"), named("standby", "shelf", "shelf"));
    List<Preflight.Result> one = place(both, 100, copy(1, "off"));
    assertEquals(List.of(Code.DISK_LEFT_OUT, Code.DISK_LEFT_OUT), codes(one.get(0)));
    assertEquals(
        "disk d1 is shared with standby, for which it is copied: this machine lands without it",
        one.get(0).findings().get(1).cause());
    assertEquals(List.of(), codes(one.get(1)));
    Rule other = new Rule(RuleScope.DISK, "standby", 1, Setting.COPY, "off");
    place(both, 100, copy(1, "off"), other)
        .forEach(r -> assertEquals(List.of(Code.DISK_LEFT_OUT), codes(r)));
  }

  @Test
  void aStorageIsLeftOutButForADiskThatIsCopiedAllTheSame() {
    Rule storage = new Rule(RuleScope.STORAGE, "scratch", Setting.COPY, "off");
    LaneMachine m = machine("shelf", "scratch", "scratch");
    Rule fast = new Rule(RuleScope.DISK, "db", 2, Setting.CLASS, "fast");
    Preflight.Result r = place(m, 10, storage, copy(2, "on"), fast);
    assertEquals(List.of("slow", "", "fast"), r.placement().storages());
    assertEquals(List.of(Code.DISK_LEFT_OUT), codes(r));
  }

  @Test
  void theFirstDiskIsInTheWay() {
    Preflight.Result r = place(machine("shelf", "shelf"), 10, copy(0, "off"));
    assertEquals(List.of(Code.FIRST_DISK_LEFT_OUT), codes(r));
    assertTrue(r.findings().get(0).blocks());
  }

  /** Once it is loaded, the facts have what is copied, and decisions count as before. */
  @Test
  void decisionsAreNumberedAmongAllDisksWhateverIsCopied() {
    LaneMachine loaded = loaded();
    Rule fast = new Rule(RuleScope.DISK, "db", 2, Setting.CLASS, "fast");
    Preflight.Result r = place(loaded, 10, copy(1, "off"), fast);
    assertEquals(List.of("slow", "fast"), r.placement().storages());
    assertEquals(List.of(), codes(r), "what was left out is none of its disks");
    Preflight.Result late = place(loaded, 10, copy(2, "off"));
    assertEquals(List.of("slow", "slow"), late.placement().storages());
    assertEquals(List.of(Code.DISK_LEFT_OUT), codes(late));
    assertEquals(
        "disk d2 (3GiB) is copied, though the lane leaves it out since",
        late.findings().get(0).cause());
    assertEquals(2, late.copied().size());
  }

  @Test
  void whatATakeoverFindsAreTheDecisionsOfTheDisksThatAreCopied() {
    LaneMachine loaded = loaded();
    Rule fast = new Rule(RuleScope.DISK, "db", 2, Setting.CLASS, "fast");
    assertEquals(
        List.of(new Rule(RuleScope.DISK, "db", 1, Setting.CLASS, "fast")),
        new Rules(PLAN, List.of(copy(1, "off"), fast)).alone(loaded));
  }
}
