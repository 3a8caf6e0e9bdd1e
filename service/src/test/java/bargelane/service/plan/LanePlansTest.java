package bargelane.service.plan;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.api.AddressClient;
import bargelane.api.CsvImport;
import bargelane.api.FindingView;
import bargelane.api.ImportResult;
import bargelane.api.IngressView;
import bargelane.api.LaneView;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.api.RuleView;
import bargelane.core.finding.Finding;
import bargelane.core.lane.IngressRules;
import bargelane.core.lane.Preflight;
import bargelane.core.site.Inventory;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.AtOnce;
import bargelane.service.platform.Json;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowState;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.math.BigDecimal;
import java.time.Instant;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.atomic.AtomicInteger;
import org.hibernate.Session;
import org.junit.jupiter.api.Test;

/** Decisions of a lane and what comes of them. */
class LanePlansTest extends LanePlansFixture {

  @Test
  void eachLayerCountsUntilItIsTakenBack() {
    decide(change("label", "app=lending", "class", "fast"));
    assertEquals("fast", placed("host3").disks().get(0).to());
    assertEquals("label app=lending", placed("host3").disks().get(0).from());
    decide(change("wave", "wave1", "class", "slow"), change("machine", "host2", "class", "shelf"));
    assertEquals("the wave", placed("host1").disks().get(0).from());
    assertEquals("shelf", placed("host2").disks().get(0).to());
    decide(change("machine", "m-2", "class", ""));
    assertEquals("label app=lending", placed("host2").disks().get(0).from());
    decide(change("label", "app=lending", "class", ""));
    assertEquals("the storage", placed("host2").disks().get(0).from());
    assertEquals("rule-not-set", refused(() -> decide(change("machine", "m-2", "class", ""))));
  }

  /** A disk, a network or a machine that has gone keeps no decision that can't be taken back. */
  @Test
  void whatIsNotThereAnyMoreCanBeTakenBack() {
    decide(new RuleChange("disk", "host3", 0, "class", "fast"));
    decide(change("network", "front", "address", "choose"));
    db.run(
        s -> {
          MachineEntity m = s.find(MachineEntity.class, "m-3");
          m.facts = m.facts.replaceFirst("\"disks\": ?\\[[^]]*\\]", "\"disks\":[]");
          new Inventories(s)
              .store(
                  s.find(SiteEntity.class, "home"),
                  new Inventory(
                      List.of(),
                      List.of(),
                      List.of(),
                      List.of(),
                      List.of(),
                      new Inventory.Quota(10, 0, 100, 0)));
        });
    decide(new RuleChange("disk", "m-3", 0, "class", ""));
    decide(change("network", "front", "address", ""), change("network", "front", "subnet", ""));
    decide(change("storage", "shelf", "class", ""));
    assertEquals(Map.of(), lanes.view("over").networks());
    assertEquals(
        "part-unknown", refused(() -> decide(new RuleChange("disk", "m-3", 0, "class", "fast"))));
  }

  /** Where sizes say how processors are arranged, nobody else does. */
  @Test
  void socketsAreDecidedWhereTheTargetHasNoSizes() {
    decide(change("machine", "host1", "sockets", "2"));
    db.run(
        s ->
            new Inventories(s)
                .store(
                    s.find(SiteEntity.class, "away"),
                    new Inventory(
                        List.of(),
                        List.of(SUB, SAME),
                        List.of(),
                        List.of(new Inventory.Size("s1", 2, 4096, BigDecimal.ONE, "EUR")),
                        List.of("z1"),
                        new Inventory.Quota(10, 0, 100, 0))));
    assertEquals(
        "sockets-unknown", refused(() -> decide(change("machine", "host2", "sockets", "2"))));
    decide(change("machine", "host1", "sockets", ""));
  }

  @Test
  void joinsAndRulesAreOneListAndOneLane() {
    LaneView before = lanes.view("over");
    LaneView after =
        decide(
            change("network", "front", "subnet", "same"),
            change("lane", "", "zone", "z2"),
            change("lane", "", "address", "choose"),
            new RuleChange("disk", "host1", 0, "role", "log"));
    assertEquals(Map.of("front", "same"), after.networks());
    assertEquals("z2", after.zone());
    assertFalse(after.keepAddresses());
    assertNotEquals(before.revision(), after.revision());
    assertEquals(
        List.of(
            "lane  address=choose",
            "lane  zone=z2",
            "storage shelf class=slow",
            "network front overlap=accepted",
            "network front subnet=same",
            "disk host1 role=log"),
        lanes.rules("over").stream().map(LanePlansTest::said).toList());
    // A row alone is a change of the lane, too.
    LaneView again = decide(change("machine", "host1", "zone", "z1"));
    assertNotEquals(after.revision(), again.revision());
    assertEquals(
        "changed-meanwhile",
        refused(
            () ->
                lanes.decide(
                    "over",
                    new RuleChanges(List.of(change("machine", "host1", "zone", "z2"))),
                    Optional.of(after.revision()))));
  }

  private static String said(RuleView r) {
    return r.scope() + " " + r.name() + " " + r.setting() + "=" + r.value();
  }

  @Test
  void ofTwoWhoDecideOnOneRevisionAtOnceTheSecondIsTold() throws Exception {
    long seen = lanes.view("over").revision();
    AtomicInteger number = new AtomicInteger();
    assertEquals(
        List.of("changed-meanwhile", "done"),
        AtOnce.fare(
            2,
            () ->
                lanes.decide(
                    "over",
                    new RuleChanges(
                        List.of(
                            change("machine", "host" + number.incrementAndGet(), "zone", "z1"))),
                    Optional.of(seen))));
    assertEquals(1, lanes.rules("over").stream().filter(r -> r.scope().equals("machine")).count());
  }

  @Test
  void whatCanNotBeIsRefusedAndNothingOfItsListIsDecided() {
    Map<RuleChange, String> bad =
        Map.ofEntries(
            Map.entry(change("machine", "host1", "colour", "red"), "setting-unknown"),
            Map.entry(change("planet", "x", "zone", "z1"), "scope-unknown"),
            Map.entry(change("lane", "", "name", "x"), "scope-unfit"),
            Map.entry(change("lane", "host1", "zone", "z1"), "scope-unfit"),
            Map.entry(change("machine", "nobody", "zone", "z1"), "machine-unknown"),
            Map.entry(change("wave", "none", "zone", "z1"), "wave-unknown"),
            Map.entry(change("network", "none", "address", "keep"), "network-unknown"),
            Map.entry(change("storage", "none", "class", "slow"), "storage-unknown"),
            Map.entry(change("label", "app", "zone", "z1"), "label-malformed"),
            Map.entry(change("role", "swap", "class", "slow"), "role-unknown"),
            Map.entry(change("machine", "host1", "zone", "z9"), "zone-unknown"),
            Map.entry(change("machine", "host1", "name", "much-too-long"), "name-refused"),
            Map.entry(change("machine", "host1", "licence", "rented"), "licence-unknown"),
            Map.entry(change("machine", "host1", "project", "theirs"), "project-unknown"),
            Map.entry(change("lane", "", "identity", "root"), "identity-unknown"),
            Map.entry(change("lane", "", "labels", "owner"), "labels-malformed"),
            Map.entry(change("lane", "", "sockets", "0"), "sockets-malformed"),
            Map.entry(change("machine", "host1", "address", "10.9.0.5"), "address-for-many"),
            Map.entry(change("lane", "", "address", "any"), "address-malformed"),
            Map.entry(change("machine", "host1", "apart", "\u0007"), "group-malformed"),
            Map.entry(change("machine", "host1", "apart", "x".repeat(300)), "value-too-long"),
            Map.entry(new RuleChange("card", "host1", 1, "subnet", "sub"), "part-unknown"),
            Map.entry(new RuleChange("card", "host1", null, "subnet", "sub"), "part-unknown"),
            Map.entry(new RuleChange("machine", "host1", 0, "zone", "z1"), "part-unfit"),
            Map.entry(new RuleChange(null, null, null, null, null), "setting-unknown"));
    long revision = lanes.view("over").revision();
    bad.forEach(
        (c, code) ->
            assertEquals(
                code, refused(() -> decide(change("machine", "host2", "zone", "z1"), c)), c + ""));
    assertEquals(
        "changes-missing",
        refused(() -> lanes.decide("over", new RuleChanges(null), Optional.empty())));
    assertEquals(revision, lanes.view("over").revision());
    assertEquals(4, lanes.rules("over").size(), lanes.rules("over").toString());
  }

  /** What was read of a site is kept, and every change of it is seen. */
  @Test
  void machinesThatChangeAreSeenAtOnce() {
    assertEquals(5, plans.page("over", "", false, 0, 10).total());
    db.run(
        s -> {
          s.find(MachineEntity.class, "m-3").name = "renamed";
          s.find(MachineEntity.class, "m-4").ownLabels = "{\"app\":\"other\"}";
        });
    decide(change("label", "app=other", "class", "fast"));
    assertEquals("fast", placed("host4").disks().get(0).to());
    assertEquals("m-3", plans.page("over", "name = renamed", false, 0, 10).items().get(0).id());
    db.run(s -> s.find(MachineEntity.class, "m-5").vanishedAt = Instant.now());
    assertEquals(4, plans.page("over", "", false, 0, 10).total());
    db.run(s -> machine(s, "m-6", "host6", "10.0.0.60"));
    assertEquals(5, plans.page("over", "", false, 0, 10).total());
  }

  @Test
  void twoWavesAreNeverGivenOneAddress() {
    // Each would choose the lowest that is free, which is the same one.
    assertEquals("10.9.0.3", held("tow1"));
    assertEquals("10.9.0.4", held("tow2"));
    assertEquals("10.9.0.3", held("tow1"), "it stays");
    assertEquals("10.9.0.3", card("host1").address());
    assertEquals("10.9.0.5", card("host3").address(), "who is in no wave sees what is given");
    decide(new RuleChange("card", "host1", 0, "address", "10.9.0.9"));
    assertEquals("10.9.0.9", held("tow1"));
    db.run(s -> s.remove(s.find(MemberEntity.class, "mem1")));
    assertEquals("10.9.0.4", held("tow2"));
    assertEquals("10.9.0.3", card("host3").address(), "what was given goes with the wave");
  }

  @Test
  void wavesThatAreGivenAddressesAtOnceAreGivenDifferentOnes() throws Exception {
    AtomicInteger number = new AtomicInteger();
    assertEquals(
        List.of("done", "done"), AtOnce.fare(2, () -> held("tow" + number.incrementAndGet())));
    assertEquals(Set.of("10.9.0.3", "10.9.0.4"), Set.of(held("tow1"), held("tow2")));
  }

  @Test
  void anAddressThatASettledWaveWasGivenIsTheSitesOwnMatterAfterItsNextScan() {
    held("tow1");
    db.run(
        s ->
            s.createNativeMutationQuery("update tow set settled_at = now() where id = 'tow1'")
                .executeUpdate());
    assertEquals("10.9.0.4", held("tow2"), "no scan has told of the machine yet");
    db.run(
        s -> {
          s.createNativeMutationQuery("delete from given_address where member_id = 'mem2'")
              .executeUpdate();
          s.find(SiteEntity.class, "away").scannedAt = Instant.now().plusSeconds(60);
        });
    assertEquals("10.9.0.3", held("tow2"), "the scan found nobody there");
  }

  @Test
  void theAddressPlanGoesOutAndComesInAsAList() {
    StringBuilder csv = new StringBuilder("machine,card,subnet,address\r\n");
    plans
        .page("over", "", false, 0, 100)
        .items()
        .forEach(
            m ->
                m.cards()
                    .forEach(
                        c ->
                            csv.append(m.machine() + "," + c.card() + "," + c.subnet() + ",")
                                .append(c.address() + "\r\n")));
    long revision = lanes.view("over").revision();
    ImportResult same = lists.take("over", new CsvImport(csv.toString(), false, false));
    assertEquals(0, same.changed(), "importing what was exported changes nothing");
    assertEquals(revision, lanes.view("over").revision());

    String other = csv.toString().replace("host3,0,sub,10.9.0.5", "host3,0,same,keep");
    assertTrue(lists.take("over", new CsvImport(other, true, false)).problems().isEmpty());
    assertEquals(revision, lanes.view("over").revision(), "it was a dry run");
    assertEquals(2, lists.take("over", new CsvImport(other, false, false)).changed());
    assertEquals("10.0.0.13", card("host3").address());
    assertEquals("the card", card("host3").subnetFrom());
    lists.take("over", new CsvImport("machine,card,subnet,address\nhost3,0,-,-\n", false, false));
    assertEquals("the network", card("host3").subnetFrom());

    ImportResult bad =
        lists.take(
            "over",
            new CsvImport(
                "machine,card,subnet,address\nhost4,0,sub,10.9.0.8\nhost5,0,none,1\nhost5,0,sub,\nx,0,sub,\nhost1,3,sub,\n",
                false,
                false));
    assertFalse(bad.stored());
    assertEquals(
        List.of("3 subnet", "3 address", "4 card", "5 machine", "6 card"),
        bad.problems().stream().map(p -> p.line() + " " + p.column()).toList());
    assertEquals("the lane", card("host4").ruleFrom());
  }

  @Test
  void whoConnectsToAnAddressThatChangesIsTold() {
    db.run(
        s ->
            s.createNativeMutationQuery(
                    "insert into connection (observer, client, server, protocol, port, process,"
                        + " count, bytes, first_seen, last_seen) values"
                        + " ('home', '10.0.0.12', '10.0.0.11', 'tcp', 445, 'reader', 70, 1, now(), now()),"
                        + " ('home', '192.0.2.9', '10.0.0.11', 'tcp', 80, '', 5, 1, now(), now()),"
                        + " ('home', '192.0.2.9', '10.0.0.99', 'tcp', 80, '', 9, 1, now(), now())")
                .executeUpdate());
    List<FindingView> found =
        placed("host1").findings().stream().filter(f -> f.code().equals("address-in-use")).toList();
    assertEquals(
        "2 clients connect to 10.0.0.11 (port 80, 445), which becomes 10.9.0.3",
        found.get(0).cause());
    List<AddressClient> clients = plans.clients("over", 0, 10).items();
    assertEquals(
        List.of("10.0.0.12 host2 445", "192.0.2.9  80"),
        clients.stream().map(c -> c.client() + " " + c.clientMachine() + " " + c.port()).toList());
    assertEquals(List.of(), plans.page("over", "name = host4", true, 0, 10).items());
    assertEquals(1, plans.page("over", "", true, 0, 10).total());
    decide(change("network", "front", "subnet", "same"));
    assertEquals(0, plans.clients("over", 0, 10).total(), "addresses are kept there");
  }

  /** A target that filters would cut who was seen, and whoever comes from another address then. */
  @Test
  void whoIsCutAtTheTargetIsToldUntilTheProposalIsAccepted() {
    db.run(
        s -> {
          MachineEntity m = s.find(MachineEntity.class, "m-1");
          m.facts =
              m.facts.replaceFirst(
                  "\"ingress\": ?\\[\\]",
                  "\"ingress\":[{\"protocol\":\"tcp\",\"port\":445,\"from\":\"10.0.0.0/24\"},"
                      + "{\"protocol\":\"tcp\",\"port\":22,\"from\":\"10.0.0.0/24\"}]");
          s.createNativeMutationQuery(
                  "insert into connection (observer, client, server, protocol, port, process,"
                      + " count, bytes, first_seen, last_seen) values"
                      + " ('home', '10.0.0.12', '10.0.0.11', 'tcp', 445, 'reader', 70, 1, now(), now()),"
                      + " ('home', '10.0.0.99', '10.0.0.11', 'tcp', 445, '', 5, 1, now(), now())")
              .executeUpdate();
        });
    IngressView view = plans.ingress("over", "name = host1", 0, 10).items().get(0);
    assertEquals("tcp/445 from 10.0.0.0/24; tcp/22 from 10.0.0.0/24", view.rules());
    assertEquals("tcp/445 from 10.0.0.0/24; tcp/445 from 10.9.0.0/28", view.proposed());
    assertEquals(List.of("tcp/22 from 10.0.0.0/24"), view.unused());
    assertEquals(1, view.cut(), "host2 comes from another address then");
    assertEquals(List.of("10.0.0.12 (to be 10.9.0.4) at tcp/445"), view.cutExamples());
    assertEquals(List.of(2L, 1L), view.evidence().stream().map(e -> e.clients()).toList());
    assertTrue(codes("host1").contains("port-closed"));
    assertTrue(
        plans.page("over", "", true, 0, 10).items().stream()
            .anyMatch(p -> p.machine().equals("host1")));
    decide(change("machine", "host1", "ingress", view.proposed()));
    assertFalse(codes("host1").contains("port-closed"));
    assertEquals("the machine", plans.ingress("over", "name = host1", 0, 10).items().get(0).from());
    assertEquals(
        List.of("tcp/445 from 10.0.0.0/24", "tcp/445 from 10.9.0.0/28"),
        db.tx(s -> Plans.place(s, TowState.load(s, "tow1"))).get(0).placement().ingress().stream()
            .map(IngressRules::text)
            .toList());
    assertEquals(
        "ingress-malformed", refused(() -> decide(change("machine", "host1", "ingress", "all"))));
  }

  @Test
  void theZoneFileHoldsWhatChanges() {
    decide(new RuleChange("card", "host1", 0, "subnet", "same"));
    String text = plans.zone("over", "library.example").text();
    assertTrue(text.contains("host2\tIN\tA\t10.9.0."), text);
    assertFalse(text.contains("host1"), text);
    assertEquals("origin-malformed", refused(() -> plans.zone("over", "a b")));
  }

  @Test
  void machinesOfOtherLanesWavesAreNotOfThisOne() {
    db.run(
        s -> {
          s.createNativeMutationQuery(
                  "insert into lane (id, name, from_site_id, to_site_id, plan, version) values"
                      + " ('lane-2', 'other', 'home', 'away', '{\"networks\":{},\"storages\":{},\"zone\":\"\",\"keepAddresses\":true}', 0)")
              .executeUpdate();
          s.createNativeMutationQuery("update tow set lane_id = 'lane-2' where id = 'tow2'")
              .executeUpdate();
        });
    Set<String> here = new HashSet<>();
    plans.page("over", "", false, 0, 100).items().forEach(p -> here.add(p.machine()));
    assertEquals(Set.of("host1", "host3", "host4", "host5"), here);
    assertEquals("wave1", placed("host1").wave());
    assertEquals("wave-unknown", refused(() -> decide(change("wave", "wave2", "zone", "z1"))));
  }

  @Test
  void disksGetTheKeyThatIsDecidedAndACopyThatHasAnotherIsTold() {
    assertEquals("", placed("host1").disks().get(0).key());
    decide(change("lane", "", "key", "k1"), change("storage", "shelf", "key", "k2"));
    assertEquals("k2", placed("host1").disks().get(0).key());
    assertEquals("key-unknown", refused(() -> decide(change("lane", "", "key", "k3"))));
    db.run(s -> loaded(s, "1"));
    assertEquals(
        List.of(
            "the copy of disk m-1-d0 lies in class slow without a chosen key,"
                + " and the lane decides class slow under key k2"),
        elsewhere());
    db.run(s -> s.createNativeMutationQuery("update replica set disk_key = 'k2'").executeUpdate());
    assertEquals(List.of(), elsewhere());
    decide(change("storage", "shelf", "class", "fast"));
    assertEquals(
        List.of(
            "the copy of disk m-1-d0 lies in class slow under key k2,"
                + " and the lane decides class fast under key k2"),
        elsewhere());
    db.run(s -> s.createNativeMutationQuery("update replica set disk_key = 'k0'").executeUpdate());
    assertEquals(List.of("choice-not-offered"), blocking("tow1"), "it can't be decrypted");
  }

  private List<String> elsewhere() {
    return db.tx(s -> Plans.place(s, TowState.load(s, "tow1"))).get(0).findings().stream()
        .filter(f -> f.code() == Finding.Code.COPY_ELSEWHERE)
        .map(Finding::cause)
        .toList();
  }

  /** What a wave made at the target is not asked of the quota again when a scan has seen it. */
  @Test
  void quotasCountOtherLoadedWavesAndNothingTwice() {
    db.run(
        s -> {
          loaded(s, "1");
          quota(s, new Inventory.Quota(10, 0, 2, 0, List.of()));
        });
    assertEquals(List.of("quota-volumes"), blocking("tow2"), "two of 1 GiB and their digests");
    db.run(s -> quota(s, new Inventory.Quota(10, 0, 3, 0, List.of())));
    assertEquals(List.of(), blocking("tow2"));
    db.run(
        s ->
            quota(
                s,
                new Inventory.Quota(
                    10,
                    0,
                    3,
                    1,
                    List.of(
                        new Inventory.Share("bargelane/here/tow1", 0, (1L << 30) + (1L << 19))))));
    assertEquals(List.of(), blocking("tow2"), "what the other wave made is seen once");
    assertEquals(List.of(), blocking("tow1"), "and not asked for again by itself");
  }

  private List<String> blocking(String tow) {
    return db.tx(s -> Plans.place(s, TowState.load(s, tow))).stream()
        .map(Preflight.Result::findings)
        .flatMap(List::stream)
        .filter(f -> f.blocks())
        .map(f -> f.code().text())
        .toList();
  }

  private static void quota(Session s, Inventory.Quota quota) {
    s.find(SiteEntity.class, "away").quota = Json.text(quota);
  }

  private static void loaded(Session s, String number) {
    for (String sql :
        List.of(
            "insert into leg (id, tow_id, number, direction, state, marker) values"
                + " ('leg#', 'tow#', 1, 'out', 'open', '')",
            "insert into replica (id, leg_id, member_id, disk, volume, digests, storage, bytes,"
                + " intent, blank, anywhere) values ('rep#', 'leg#', 'mem#', 0, 'v#', 'd#', 'slow',"
                + " 1073741824, '', false, false)")) {
      s.createNativeMutationQuery(sql.replace("#", number)).executeUpdate();
    }
  }
}
