package bargelane.service.plan;

import static org.junit.jupiter.api.Assertions.assertThrows;

import bargelane.api.FindingView;
import bargelane.api.LaneView;
import bargelane.api.PlacedView;
import bargelane.api.PlacedView.PlacedCardView;
import bargelane.api.RuleChange;
import bargelane.api.RuleChanges;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Network;
import bargelane.core.site.Inventory.Nic;
import bargelane.core.site.NameRule;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.lane.LaneEntity;
import bargelane.service.lane.Lanes;
import bargelane.service.machine.MachineEntity;
import bargelane.service.platform.Db;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.TestDatabase;
import bargelane.service.replication.Berth;
import bargelane.service.replication.MemberEntity;
import bargelane.service.replication.TowState;
import bargelane.service.site.Inventories;
import bargelane.service.site.SiteEntity;
import java.io.IOException;
import java.math.BigDecimal;
import java.time.Clock;
import java.time.Instant;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.hibernate.Session;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.function.Executable;

/** A lane of five machines, two waves with one each, on a real database. */
abstract class LanePlansFixture {

  static final Network FRONT = new Network("front", "front", "", "10.0.0.0/24", false);
  static final Network SUB =
      new Network("sub", "sub", "", "10.9.0.0/28", false, List.of("10.9.0.2"));
  static final Network SAME = new Network("same", "same", "", "10.0.0.0/24", false);

  TestDatabase database;
  Db db;
  Events events;
  Lanes lanes;
  LanePlans plans;
  AddressLists lists;

  @BeforeEach
  void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
    events = new Events(db, Clock.systemUTC(), database.url, "bargelane", database.password);
    lanes = new Lanes(db, events);
    plans = new LanePlans(db);
    lists = new AddressLists(db, lanes, plans);
    db.run(
        s -> {
          site(
              s,
              "home",
              List.of(FRONT),
              new Inventory.Offers(NameRule.ANY, List.of(), false, false));
          site(
              s,
              "away",
              List.of(SUB, SAME),
              new Inventory.Offers(
                  new NameRule(8, true, ""),
                  List.of(new Inventory.Licence("own", "Tidewater")),
                  true,
                  true,
                  List.of(),
                  List.of(),
                  List.of("k1", "k2")));
          LaneEntity lane = new LaneEntity();
          lane.id = "lane-1";
          lane.name = "over";
          lane.fromSiteId = "home";
          lane.toSiteId = "away";
          lane.plan =
              "{\"networks\":{\"front\":\"sub\"},\"storages\":{\"shelf\":\"slow\"},\"zone\":\"\",\"keepAddresses\":true}";
          s.persist(lane);
          s.flush();
          for (int i = 1; i <= 5; i++) {
            machine(s, "m-" + i, "host" + i, "10.0.0." + (10 + i));
          }
          s.createNativeMutationQuery(
                  "insert into lane_rule (lane_id, scope, subject, part, setting, value)"
                      + " values ('lane-1', 'network', 'front', -1, 'overlap', 'accepted')")
              .executeUpdate();
          s.createNativeMutationQuery(
                  "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify)"
                      + " values ('tt', 'tt', 15, 60, 6, true)")
              .executeUpdate();
          wave(s, "1");
          wave(s, "2");
        });
  }

  @AfterEach
  void shut() throws IOException {
    events.close();
    database.close();
  }

  static void site(Session s, String name, List<Network> networks, Inventory.Offers offers) {
    SiteEntity site = new SiteEntity();
    site.id = name;
    site.name = name;
    site.kind = SiteKind.STANDIN;
    site.address = "";
    site.createdAt = Instant.EPOCH;
    site.findings = "[]";
    site.capabilities =
        Json.text(
            new Capabilities("p", "1", Capabilities.Reach.SITE, 65536, true, false, true, null));
    s.persist(site);
    s.flush();
    new Inventories(s)
        .store(
            site,
            new Inventory(
                List.of(),
                networks,
                List.of(
                    new Inventory.Storage("shelf", "shelf", "ssd", BigDecimal.ONE, "EUR"),
                    new Inventory.Storage("slow", "slow", "disk", BigDecimal.ONE, "EUR"),
                    new Inventory.Storage("fast", "fast", "ssd", BigDecimal.ONE, "EUR")),
                List.of(),
                List.of("z1", "z2"),
                new Inventory.Quota(10, 0, 100, 0),
                offers));
  }

  static void machine(Session s, String id, String name, String address) {
    MachineEntity m = new MachineEntity();
    m.id = id;
    m.siteId = "home";
    m.platformId = "p-" + id;
    m.name = name;
    m.facts =
        Json.text(
            new MachineFacts(
                "p-" + id,
                name,
                2,
                4096,
                "Debian",
                "uefi",
                true,
                false,
                List.of(new Inventory.Disk(id + "-d0", 1L << 30, "shelf")),
                List.of(new Nic("front", address, "")),
                List.of(),
                Map.of("app", "lending"),
                "",
                null,
                null));
    m.firstSeen = Instant.EPOCH;
    m.lastSeen = Instant.EPOCH;
    s.persist(m);
    s.flush();
  }

  static void wave(Session s, String number) {
    for (String sql :
        List.of(
            "insert into wave (id, name, created_at) values ('w#', 'wave#', now())",
            "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id, points)"
                + " values ('tow#', 'w#', false, false, 'wave#', 'lane-1', 'tt', 0)")) {
      s.createNativeMutationQuery(sql.replace("#", number)).executeUpdate();
    }
    MemberEntity member = new MemberEntity();
    member.id = "mem" + number;
    member.towId = "tow" + number;
    member.machineId = "m-" + number;
    member.name = "host" + number;
    member.rank = 1;
    member.size = "";
    member.sizeBasis = "";
    member.home = Json.text(new Berth("p-m-" + number, List.of(), List.of()));
    member.open = true;
    s.persist(member);
    s.flush();
  }

  static RuleChange change(String scope, String of, String setting, String value) {
    return new RuleChange(scope, of, null, setting, value);
  }

  LaneView decide(RuleChange... changes) {
    return lanes.decide("over", new RuleChanges(List.of(changes)), Optional.empty());
  }

  static String refused(Executable what) {
    return assertThrows(ProblemException.class, what).code();
  }

  PlacedView placed(String name) {
    return plans.page("over", "name = " + name, false, 0, 10).items().get(0);
  }

  PlacedCardView card(String name) {
    return placed(name).cards().get(0);
  }

  String held(String tow) {
    return db.tx(
        s ->
            Plans.hold(s, TowState.load(s, tow)).get(0).placement().nics().stream()
                .map(PlacedNic::address)
                .findFirst()
                .orElseThrow());
  }

  List<String> codes(String name) {
    return placed(name).findings().stream().map(FindingView::code).toList();
  }
}
