package bargelane.core.lane;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.net.Subnet;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.Licence;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.site.Inventory.Offers;
import bargelane.core.site.Inventory.Quota;
import bargelane.core.site.Inventory.Share;
import bargelane.core.site.Inventory.Size;
import bargelane.core.site.Inventory.Storage;
import bargelane.core.site.NameRule;
import bargelane.core.word.Worded;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.Set;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

class RulesTest {

  private static final LanePlan PLAN =
      new LanePlan(Map.of("net", "sub"), Map.of("shelf", "slow"), "z1", true);
  private static final Capabilities SIZED =
      new Capabilities("cloud", "1", Capabilities.Reach.MACHINE, 65536, true, true, true, null);

  private static LaneMachine machine(
      String id, String os, String firmware, Map<String, String> labels, String... addresses) {
    List<Nic> nics = new ArrayList<>();
    for (String a : addresses) {
      nics.add(new Nic("net", a, ""));
    }
    MachineFacts facts =
        new MachineFacts(
            "vm-" + id,
            id,
            1,
            1024,
            os,
            firmware,
            true,
            false,
            List.of(new Disk("d0", 1L << 30, "shelf"), new Disk("d1", 1L << 30, "shelf")),
            nics,
            List.of(),
            Map.of(),
            "",
            null,
            null);
    return new LaneMachine(id, "wave-1", labels, facts, Optional.of("s"));
  }

  private static LaneMachine machine(String id, String... addresses) {
    return machine(id, "Debian", "bios", Map.of("app", "lending", "tier", "db"), addresses);
  }

  private static Inventory shore(Quota quota, Offers offers, Network... networks) {
    return new Inventory(
        List.of(),
        List.of(networks),
        List.of(
            new Storage("slow", "", "disk", BigDecimal.ZERO, "EUR"),
            new Storage("fast", "", "ssd", BigDecimal.ZERO, "EUR")),
        List.of(new Size("s", 1, 1024, BigDecimal.ONE, "EUR")),
        List.of("z1", "z2"),
        quota,
        offers);
  }

  private static final Network SOURCE = new Network("net", "net", "", "10.0.0.0/24", false);
  private static final Network SUB =
      new Network("sub", "sub", "", "10.0.0.0/25", false, List.of("10.0.0.2", "10.0.0.3"));
  private static final Quota ROOM = new Quota(1000, 0, 10_000, 0);

  private static Shores shores(Inventory target) {
    return new Shores("over", "there", shore(ROOM, null, SOURCE), target, SIZED, List.of());
  }

  private static List<Preflight.Result> place(Shores shores, List<Rule> rules, LaneMachine... m) {
    return new Preflight("evening", new Rules(PLAN, rules), shores).place(List.of(m));
  }

  private static List<Preflight.Result> place(List<Rule> rules, LaneMachine... m) {
    return place(shores(shore(ROOM, null, SUB)), rules, m);
  }

  private static List<Code> codes(Preflight.Result r) {
    return r.findings().stream().map(Finding::code).toList();
  }

  private static Rule rule(RuleScope scope, String of, Setting setting, String value) {
    return new Rule(scope, of, setting, value);
  }

  /** Each more specific rule that is added counts, and taking it away leads back. */
  @Test
  void theMostSpecificRuleCountsAndSaysWhereItIsFrom() {
    LaneMachine m = machine("db", "10.0.0.7");
    List<Rule> rules =
        List.of(
            rule(RuleScope.LANE, "", Setting.CLASS, "lane"),
            rule(RuleScope.STORAGE, "shelf", Setting.CLASS, "storage"),
            rule(RuleScope.LABEL, "app=lending", Setting.CLASS, "label"),
            rule(RuleScope.WAVE, "wave-1", Setting.CLASS, "wave"),
            rule(RuleScope.MACHINE, "db", Setting.CLASS, "machine"),
            rule(RuleScope.ROLE, "data", Setting.CLASS, "role"),
            new Rule(RuleScope.DISK, "db", 1, Setting.CLASS, "disk"));
    LanePlan none = new LanePlan(Map.of(), Map.of(), "", true);
    for (int n = 1; n <= rules.size(); n++) {
      Rules some = new Rules(none, rules.subList(0, n));
      Rules.Effective e = some.disk(Setting.CLASS, m, 1).orElseThrow();
      assertEquals(rules.get(n - 1).value(), e.value());
      assertEquals(rules.get(n - 1).scope(), e.scope());
    }
    Rules all = new Rules(none, rules);
    assertEquals("machine", all.disk(Setting.CLASS, m, 0).orElseThrow().value());
    assertEquals("the machine", all.disk(Setting.CLASS, m, 0).orElseThrow().origin());
    assertEquals(
        "role data",
        new Rules(none, rules.subList(0, 6)).disk(Setting.CLASS, m, 1).orElseThrow().origin());
    LaneMachine other = machine("web", "10.0.0.8");
    assertEquals("wave", all.disk(Setting.CLASS, other, 0).orElseThrow().value());
  }

  /** Whatever the layers, the rules for a machine alone decide the same with the plan. */
  @Test
  void aMachinesRulesAloneDecideTheSame() {
    Random random = new Random(3);
    String[][] of = {
      {"card", "db"},
      {"disk", "db"},
      {"role", "data"},
      {"role", "system"},
      {"machine", "db"},
      {"wave", "wave-1"},
      {"label", "app=lending"},
      {"label", "tier=db"},
      {"network", "net"},
      {"storage", "shelf"},
      {"lane", ""}
    };
    LaneMachine m = machine("db", "10.0.0.7", "10.0.0.8");
    LaneMachine bare = new LaneMachine("db", "", Map.of(), m.facts(), m.size());
    for (int round = 0; round < 500; round++) {
      List<Rule> rules = new ArrayList<>();
      for (int i = random.nextInt(12); i > 0; i--) {
        Setting setting = Setting.values()[random.nextInt(Setting.values().length)];
        String[] who = of[random.nextInt(of.length)];
        RuleScope scope = Worded.of(RuleScope.class, who[0]);
        if (setting.scopes().contains(scope)
            && setting != Setting.ROLE_OF_DISK
            && setting != Setting.OVERLAP) {
          boolean part = scope == RuleScope.CARD || scope == RuleScope.DISK;
          rules.add(
              new Rule(
                  scope,
                  who[1],
                  part ? random.nextInt(2) : Rule.WHOLE,
                  setting,
                  "v" + random.nextInt(4)));
        }
      }
      Rules layered = new Rules(PLAN, rules);
      Rules alone = new Rules(PLAN, layered.alone(m));
      for (Setting setting : Setting.values()) {
        for (int part = 0; part < 2; part++) {
          assertEquals(
              layered
                  .card(setting, m, part)
                  .map(Rules.Effective::value)
                  .filter(v -> cards(setting)),
              alone
                  .card(setting, bare, part)
                  .map(Rules.Effective::value)
                  .filter(v -> cards(setting)),
              setting + " by " + rules);
          assertEquals(
              layered
                  .disk(setting, m, part)
                  .map(Rules.Effective::value)
                  .filter(v -> !cards(setting)),
              alone
                  .disk(setting, bare, part)
                  .map(Rules.Effective::value)
                  .filter(v -> !cards(setting)),
              setting + " by " + rules);
        }
      }
    }
  }

  private static boolean cards(Setting setting) {
    return setting.scopes().contains(RuleScope.CARD) || setting == Setting.OVERLAP;
  }

  @Test
  void aDiskThatIsSaidToHoldALogGoesWhereLogsGo() {
    LaneMachine m = machine("db", "10.0.0.7");
    List<Preflight.Result> r =
        place(
            List.of(
                new Rule(RuleScope.DISK, "db", 1, Setting.ROLE_OF_DISK, "log"),
                rule(RuleScope.ROLE, "log", Setting.CLASS, "fast")),
            m);
    assertEquals(List.of("slow", "fast"), r.get(0).placement().storages());
    assertTrue(
        r.get(0).decided().contains(new Preflight.Decided(Setting.CLASS, 1, "fast", "role log")));
    assertTrue(
        r.get(0)
            .decided()
            .contains(new Preflight.Decided(Setting.CLASS, 0, "slow", "the storage")));
  }

  @Test
  void twoLabelsThatDisagreeAreFoundUntilTheMachineIsDecided() {
    List<Rule> rules =
        new ArrayList<>(
            List.of(
                rule(RuleScope.LABEL, "app=lending", Setting.ZONE, "z1"),
                rule(RuleScope.LABEL, "tier=db", Setting.ZONE, "z2")));
    Preflight.Result r = place(rules, machine("db", "10.0.0.7")).get(0);
    assertEquals("z1", r.placement().zone());
    assertEquals(List.of(Code.RULES_DIFFER), codes(r));
    rules.add(rule(RuleScope.MACHINE, "db", Setting.ZONE, "z2"));
    r = place(rules, machine("db", "10.0.0.7")).get(0);
    assertEquals("z2", r.placement().zone());
    assertEquals(List.of(), codes(r));
  }

  @Test
  void cardsGetTheirAddressesByTheirRules() {
    LaneMachine m = machine("db", "10.0.0.7", "10.0.0.8", "10.0.0.9", "10.0.0.200", "10.0.0.201");
    List<Preflight.Result> r =
        place(
            List.of(
                new Rule(RuleScope.CARD, "db", 1, Setting.ADDRESS, "10.0.0.50"),
                new Rule(RuleScope.CARD, "db", 2, Setting.ADDRESS, "platform"),
                new Rule(RuleScope.CARD, "db", 4, Setting.ADDRESS, "10.0.0.50-10.0.0.60")),
            m);
    assertEquals(List.of(), codes(r.get(0)));
    // .1 is the gateway's, .2 and .3 are the platform's own.
    assertEquals(
        List.of("10.0.0.7", "10.0.0.50", "", "10.0.0.4", "10.0.0.51"),
        r.get(0).placement().nics().stream().map(Placement.PlacedNic::address).toList());
    assertTrue(r.get(0).placement().nics().get(0).kept());
    assertFalse(r.get(0).placement().nics().get(1).kept());
  }

  @Test
  void whatMustBeKeptAndCanNotIsInTheWay() {
    List<Rule> keep = List.of(rule(RuleScope.LABEL, "tier=db", Setting.ADDRESS, "keep"));
    assertEquals(
        List.of(Code.ADDRESS_OUTSIDE_SUBNET),
        codes(place(keep, machine("db", "10.0.0.200")).get(0)));
    assertEquals(
        List.of(Code.ADDRESS_RESERVED), codes(place(keep, machine("db", "10.0.0.3")).get(0)));
    assertEquals(
        List.of(Code.ADDRESS_OUTSIDE_SUBNET),
        codes(
            place(
                    List.of(new Rule(RuleScope.CARD, "db", 0, Setting.ADDRESS, "10.0.0.127")),
                    machine("db", "10.0.0.7"))
                .get(0)));
  }

  @Test
  void nothingIsChosenThatALaterMachineKeepsOrThatWasGivenBefore() {
    LanePlan plan = PLAN;
    Inventory target = shore(ROOM, null, SUB);
    Shores shores =
        new Shores(
            "over",
            "there",
            shore(ROOM, null, SOURCE),
            target,
            SIZED,
            List.of(new Nic("sub", "10.0.0.5", "")),
            List.of(new Nic("net", "10.0.0.6", "")),
            List.of(
                new Shores.Held("sub", "10.0.0.8", "of-another-wave", 0),
                new Shores.Held("sub", "10.0.0.90", "b", 0)),
            Shores.Demand.NONE,
            new Share("", 0, 0));
    List<Preflight.Result> r =
        new Preflight("evening", new Rules(plan, List.of()), shores)
            .place(
                List.of(
                    machine("a", "10.0.0.201"),
                    machine("b", "10.0.0.202"),
                    machine("c", "10.0.0.203"),
                    machine("d", "10.0.0.4"),
                    machine("e", "10.0.0.8")));
    assertEquals(
        List.of("10.0.0.7", "10.0.0.90", "10.0.0.9", "10.0.0.4", "10.0.0.8"),
        r.stream().map(x -> x.placement().nics().get(0).address()).toList());
    assertEquals(List.of(Code.ADDRESS_TAKEN), codes(r.get(4)), "another wave's machine has it");
    assertTrue(r.subList(0, 4).stream().allMatch(Preflight.Result::holds));
  }

  /** No address twice and none that is not the subnet's, whatever the rules and their order. */
  @Test
  void noAddressIsGivenTwice() {
    Random random = new Random(15);
    for (int round = 0; round < 300; round++) {
      List<Rule> rules = new ArrayList<>();
      List<LaneMachine> machines = new ArrayList<>();
      int count = 1 + random.nextInt(40);
      for (int i = 0; i < count; i++) {
        String id = "m" + i;
        machines.add(machine(id, "10.0.0." + random.nextInt(256), "2001:db8::" + i));
        String[] ways = {"keep", "choose", "platform", "10.0.0.9", "10.0.0.20-10.0.0.30", ""};
        String way = ways[random.nextInt(ways.length)];
        if (!way.isEmpty()) {
          rules.add(new Rule(RuleScope.CARD, id, random.nextInt(2), Setting.ADDRESS, way));
        }
      }
      Network narrow =
          random.nextBoolean() ? SUB : new Network("sub", "", "", "10.0.0.0/28", false);
      List<Preflight.Result> results =
          place(shores(shore(ROOM, null, narrow)), rules, machines.toArray(LaneMachine[]::new));
      Set<String> given = new HashSet<>();
      for (Preflight.Result r : results) {
        if (r.holds()) {
          for (Placement.PlacedNic nic : r.placement().nics()) {
            if (!nic.address().isEmpty()) {
              assertTrue(given.add(nic.address()), nic + " is given twice, round " + round);
              assertTrue(Subnet.of(narrow.cidr()).orElseThrow().contains(nic.address()));
              assertFalse(narrow.reserved().contains(nic.address()));
            }
          }
        }
      }
    }
  }

  @Test
  void aDiskThatIsLargerThanItsClassAllowsIsFoundUntilItGoesElsewhere() {
    Inventory target =
        new Inventory(
            List.of(),
            List.of(SUB),
            List.of(
                new Storage(
                    "slow",
                    "",
                    "disk",
                    BigDecimal.ZERO,
                    "EUR",
                    new Inventory.StorageLimits(1, 0, 0)),
                new Storage("fast", "", "ssd", BigDecimal.ZERO, "EUR")),
            List.of(
                new Size(
                    "s",
                    1,
                    1024,
                    BigDecimal.ONE,
                    "EUR",
                    new Inventory.SizeLimits("", "", 0, 1, 0, 0, 0, List.of()))),
            List.of("z1"),
            ROOM,
            null);
    LaneMachine m = machine("db", "10.0.0.7");
    assertEquals(List.of(Code.DISKS_TOO_MANY), codes(place(shores(target), List.of(), m).get(0)));
    MachineFacts grown = m.facts().grown("d1", (1L << 30) + 1);
    LaneMachine large = new LaneMachine("db", "wave-1", Map.of(), grown, Optional.empty());
    Preflight.Result r = place(shores(target), List.of(), large).get(0);
    assertEquals(List.of(Code.SIZE_NOT_CHOSEN, Code.DISK_TOO_LARGE), codes(r));
    assertEquals("db, disk d1", r.findings().get(1).thing());
    List<Rule> fast = List.of(new Rule(RuleScope.DISK, "db", 1, Setting.CLASS, "fast"));
    assertEquals(List.of(Code.SIZE_NOT_CHOSEN), codes(place(shores(target), fast, large).get(0)));
  }

  @Test
  void namesThatTheTargetRefusesAreFoundWithOneThatItTakes() {
    Offers offers = new Offers(new NameRule(12, true, ""), List.of(), false, false);
    Shores shores = shores(shore(ROOM, offers, SUB));
    Preflight.Result r =
        place(shores, List.of(), machine("temp-test-dont-delete", "10.0.0.7")).get(0);
    assertEquals(List.of(Code.NAME_REFUSED), codes(r));
    assertEquals(
        List.of("over", "temp-test-dont-delete", "name", "temp-test-do"),
        r.findings().get(0).remedy().arguments());
    List<Rule> named =
        List.of(
            rule(RuleScope.MACHINE, "temp-test-dont-delete", Setting.NAME, "temp"),
            rule(RuleScope.MACHINE, "b", Setting.NAME, "temp"));
    List<Preflight.Result> both =
        place(
            shores, named, machine("temp-test-dont-delete", "10.0.0.7"), machine("b", "10.0.0.8"));
    assertEquals(List.of(), codes(both.get(0)));
    assertEquals("temp", both.get(0).placement().nameOf("temp-test-dont-delete"));
    assertEquals(List.of(Code.NAME_REFUSED), codes(both.get(1)), "two can't be called so");
  }

  @Test
  void aFittedNameIsTaken() {
    Random random = new Random(7);
    for (int i = 0; i < 2000; i++) {
      String name =
          random
              .ints(random.nextInt(30), 0, 300)
              .collect(StringBuilder::new, StringBuilder::appendCodePoint, StringBuilder::append)
              .toString();
      for (NameRule rule :
          List.of(new NameRule(14, true, ""), new NameRule(20, false, "/"), NameRule.ANY)) {
        assertEquals(Optional.empty(), rule.refuses(rule.fit(name)), rule + " of " + name);
        assertEquals(Optional.empty(), rule.refuses(rule.fit(name, "-test-abc")), name);
      }
    }
    assertEquals("buecherei-7", new NameRule(0, true, "").fit("Buecherei_7"));
    assertEquals("m7even", new NameRule(0, true, "").fit("7even"));
    assertEquals(Optional.of("has the character /"), new NameRule(0, false, "/").refuses("a/b"));
  }

  @Test
  void licencesAndBootProtectionAreHeldAgainstWhatTheTargetOffers() {
    Offers offers =
        new Offers(
            NameRule.ANY,
            List.of(new Licence("own", "Tidewater"), new Licence("rented", "Tidewater")),
            true,
            false);
    Shores shores = shores(shore(ROOM, offers, SUB));
    LaneMachine tidewater = machine("t", "Tidewater OS 11", "bios", Map.of(), "10.0.0.7");
    assertEquals(List.of(Code.LICENCE_MISSING), codes(place(shores, List.of(), tidewater).get(0)));
    List<Rule> rules = new ArrayList<>(List.of(rule(RuleScope.LANE, "", Setting.LICENCE, "none")));
    assertEquals(List.of(Code.LICENCE_REFUSED), codes(place(shores, rules, tidewater).get(0)));
    rules.set(0, rule(RuleScope.LANE, "", Setting.LICENCE, "own"));
    assertEquals("own", place(shores, rules, tidewater).get(0).placement().licence());
    assertEquals(List.of(), codes(place(shores, rules, machine("d", "10.0.0.8")).get(0)));

    rules.add(rule(RuleScope.WAVE, "wave-1", Setting.BOOT_PROTECTION, "on"));
    Preflight.Result r = place(shores, rules, tidewater).get(0);
    assertEquals(List.of(Code.BOOT_PROTECTION_UNFIT), codes(r));
    assertEquals(
        List.of("over", "t", "boot-protection", "off"), r.findings().get(0).remedy().arguments());
    rules.add(rule(RuleScope.MACHINE, "t", Setting.BOOT_PROTECTION, "off"));
    assertEquals(List.of(), codes(place(shores, rules, tidewater).get(0)));
    LaneMachine uefi = machine("u", "Debian", "uefi", Map.of(), "10.0.0.9");
    assertTrue(place(shores, rules, uefi).get(0).placement().bootProtection());
  }

  @Test
  void zonesAreHeldAgainstWhatTheTargetHasAndAgainstGroups() {
    List<Rule> rules =
        new ArrayList<>(
            List.of(
                rule(RuleScope.LABEL, "tier=db", Setting.APART, "pair"),
                rule(RuleScope.MACHINE, "b", Setting.ZONE, "z9")));
    LaneMachine a = machine("a", "10.0.0.7");
    LaneMachine b = machine("b", "10.0.0.8");
    assertEquals(List.of(Code.ZONE_UNKNOWN), codes(place(rules, a, b).get(1)));
    rules.set(1, rule(RuleScope.MACHINE, "b", Setting.ZONE, "z1"));
    assertEquals(List.of(Code.ZONES_NOT_APART), codes(place(rules, a, b).get(1)));
    rules.set(1, rule(RuleScope.MACHINE, "b", Setting.ZONE, "z2"));
    assertEquals(List.of(), codes(place(rules, a, b).get(1)));
    rules.set(0, rule(RuleScope.LABEL, "tier=db", Setting.TOGETHER, "pair"));
    assertEquals(List.of(Code.ZONES_NOT_APART), codes(place(rules, a, b).get(1)));
    Network inOther = new Network("sub", "", "z2", "10.0.0.0/25", false);
    assertEquals(
        List.of(Code.ZONE_UNFIT),
        codes(place(shores(shore(ROOM, null, inOther)), List.of(), a).get(0)));
  }

  @Test
  void aRangeThatOverlapsAnotherOneIsInTheWayUntilSomebodyAcceptsIt() {
    Network other = new Network("narrow", "narrow", "", "10.0.0.240/28", false);
    Network elsewhere = new Network("sub", "sub", "", "10.9.0.0/24", false);
    Shores shores = shores(shore(ROOM, null, elsewhere, other));
    LaneMachine m = machine("a", "10.0.0.7");
    Preflight.Result r = place(shores, List.of(), m).get(0);
    assertEquals(List.of(Code.RANGE_OVERLAPS), codes(r));
    assertTrue(r.findings().get(0).cause().contains("10.0.0.240/28 of network narrow"));
    // A join may name its subnet instead of giving its id.
    Network byName = new Network("id-of-sub", "sub", "", "10.0.0.0/24", false);
    assertEquals(List.of(), codes(place(shores(shore(ROOM, null, byName)), List.of(), m).get(0)));
    List<Rule> accepted = List.of(rule(RuleScope.NETWORK, "net", Setting.OVERLAP, "accepted"));
    assertEquals(List.of(), codes(place(shores, accepted, m).get(0)));
  }

  /** Whatever was made of the wave already is not asked for again, and what others need is. */
  @Test
  void quotasCountWhatIsThereAndWhatOtherWavesStillNeed() {
    LaneMachine m = machine("a", "10.0.0.7");
    long own = Preflight.bytes(List.of(m.facts()));
    Shores.Demand none = Shores.Demand.NONE;
    Share there = new Share("x", 1, own);
    assertEquals(List.of(), quotas(m, new Quota(2, 1, 3, 0), none, new Share("", 0, 0)));
    assertEquals(
        List.of(Code.QUOTA_MACHINES, Code.QUOTA_VOLUMES),
        quotas(m, new Quota(1, 1, 3, 3), none, new Share("", 0, 0)));
    assertEquals(List.of(), quotas(m, new Quota(1, 1, 3, 3), none, there), "it is counted once");
    assertEquals(
        List.of(Code.QUOTA_MACHINES, Code.QUOTA_VOLUMES),
        quotas(
            m,
            new Quota(2, 1, 5, 0),
            new Shores.Demand(1, 3L << 30, List.of("other")),
            new Share("", 0, 0)));
  }

  private static List<Code> quotas(LaneMachine m, Quota quota, Shores.Demand others, Share own) {
    Shores shores =
        new Shores(
            "over",
            "there",
            shore(ROOM, null, SOURCE),
            shore(quota, null, SUB),
            SIZED,
            List.of(),
            List.of(),
            List.of(),
            others,
            own);
    return codes(
        new Preflight("evening", new Rules(PLAN, List.of()), shores).place(List.of(m)).get(0));
  }

  @Test
  void addressRulesAreReadAsTheyAreWritten() {
    for (String text :
        List.of(
            "keep",
            "keep-or-choose",
            "choose",
            "platform",
            "10.0.0.1",
            "10.0.0.1-10.0.0.9",
            "2001:db8::1-2001:db8::ff")) {
      assertEquals(text, AddressRule.read(text).orElseThrow().text());
    }
    for (String text :
        List.of(
            "",
            "pool",
            "given",
            "10.0.0.9-10.0.0.1",
            "10.0.0.1-2001:db8::1",
            "10.0.0.0/24",
            "10.0.0.1-",
            "-")) {
      assertEquals(Optional.empty(), AddressRule.read(text), text);
    }
  }

  @Test
  void tenThousandMachinesInOneSubnetArePlacedWithoutLookingAtAllForEach() {
    Network wide = new Network("sub", "sub", "", "172.16.0.0/16", false);
    LaneMachine[] many =
        IntStream.range(0, 10_000)
            .mapToObj(i -> machine("m" + i, "10.0." + i / 250 + "." + (i % 250 + 2)))
            .toArray(LaneMachine[]::new);
    List<Preflight.Result> r =
        place(shores(shore(new Quota(20_000, 0, 100_000, 0), null, wide)), List.of(), many);
    assertEquals("172.16.39.17", r.get(9_999).placement().nics().get(0).address());
  }
}
