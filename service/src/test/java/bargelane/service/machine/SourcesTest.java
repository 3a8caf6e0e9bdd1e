package bargelane.service.machine;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;
import static org.mockito.ArgumentMatchers.any;
import static org.mockito.Mockito.mock;
import static org.mockito.Mockito.when;

import bargelane.api.FactView;
import bargelane.api.ScanResult;
import bargelane.core.finding.Finding;
import bargelane.core.guest.Survey;
import bargelane.core.guest.SurveyException;
import bargelane.core.guest.SurveyReader;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.DeviceFamily;
import bargelane.core.site.Inventory.Disk;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.Inventory.Nic;
import bargelane.service.guest.GuestSink;
import bargelane.service.guest.Surveying;
import bargelane.service.node.KeptByRooms;
import bargelane.service.platform.Db;
import bargelane.service.platform.TestDatabase;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.ServerAccess;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Surveys;
import java.io.IOException;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Consumer;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;

/** One machine is one machine, whoever tells of it: on a real PostgreSQL. */
class SourcesTest {

  private static final String UUID = "4c4c4544-0051-3610-8057-b9c04f4d3332";
  private static final String SWAPPED = "44454c4c-5100-1036-8057-b9c04f4d3332";
  private static final String GUEST = "0123456789abcdef0123456789abcdef";
  private static final String OTHER_GUEST = "fedcba9876543210fedcba9876543210";
  private static final String MAC = "52:54:00:aa:bb:01";

  private static TestDatabase database;
  private static Db db;

  private static final GuestSink SINK = new KeptByRooms();
  private final Clock clock = mock(Clock.class);
  private Instant now = Instant.parse("2026-11-02T08:00:00Z");
  private final Sites sites = mock(Sites.class);
  private final SiteDriver platform = mock(SiteDriver.class);
  private final Scans scans = new Scans(db, sites, clock);
  private final Surveying surveying = new Surveying(db, SINK, clock);

  @BeforeAll
  static void open() throws IOException {
    database = TestDatabase.open();
    db = database.db();
  }

  @AfterAll
  static void shut() throws IOException {
    database.close();
  }

  @BeforeEach
  void twoSites() {
    when(clock.instant()).thenAnswer(x -> now);
    when(sites.driver(any())).thenReturn(platform);
    when(platform.capabilities())
        .thenReturn(
            new Capabilities(
                "p",
                "1",
                Capabilities.Reach.MACHINE,
                65536,
                false,
                false,
                false,
                DeviceFamily.UNKNOWN));
    db.run(
        s -> {
          for (String sql :
              List.of(
                  "delete from connection",
                  "delete from machine_change",
                  "delete from machine",
                  "delete from server",
                  "delete from site",
                  "insert into site (id, name, kind, address, created_at, findings)"
                      + " values ('host', 'host', 'libvirt', '', now(), '[]'),"
                      + " ('list', 'list', 'servers', '', now(), '[]')",
                  "insert into server (id, site_id, address, port, host_key, credential, added_at)"
                      + " values ('srv-1', 'list', '10.20.9.7', 22, '', '', now()),"
                      + " ('srv-2', 'list', '10.20.9.8', 22, '', '', now())")) {
            s.createNativeMutationQuery(sql).executeUpdate();
          }
        });
  }

  private static MachineFacts told(String platformId, String name, String mac) {
    return new MachineFacts(
        platformId,
        name,
        2,
        4096,
        "",
        "bios",
        true,
        false,
        List.of(new Disk("vol-1", 8192L * 512, "pool"), new Disk("vol-2", 4096L * 512, "pool")),
        List.of(new Nic("net", "10.20.9.7", mac)),
        List.of(),
        Map.of(),
        "",
        DeviceFamily.UNKNOWN,
        GuestFacts.NONE);
  }

  private ScanResult host(MachineFacts... machines) {
    when(platform.inventory())
        .thenReturn(
            new Inventory(
                List.of(machines),
                List.of(),
                List.of(),
                List.of(),
                List.of(),
                new Inventory.Quota(0, 0, 0, 0)));
    return scans.scan("host");
  }

  @Test
  void whatAScanChoseAtFirstStaysInTheAddress() {
    for (String pool : List.of("first", "another")) {
      when(platform.settledAddress()).thenReturn(Optional.of("?pool=" + pool));
      host();
      assertEquals("?pool=first", db.tx(s -> s.find(SiteEntity.class, "host").address));
    }
  }

  private static Survey survey(String guest, String hardware, String mac) {
    try {
      return SurveyReader.read(
          """
          format: bargelane/survey/1
          = time
           1772452800
          = identity
           %s
          = hardware-id
           %s
          = account
           scout
          = host
           photo-store
           Linux
           6.1.0
           x86_64
          = cards
           eth0 %s up physical
          = memory
           MemTotal: 8000 kB
           MemAvailable: 6000 kB
          = uptime
           3600.25 100.00
          = counters
           cpu  1000 100 400 9000 500 0 50 10 0 0
          = blocks
           sda 8192 - 0
           sda1 8000 sda 0
           sdb 4096 - 0
          = os
           PRETTY_NAME="Debian GNU/Linux 12"
          = mounts
           22 1 8:1 / / rw - ext4 /dev/sda1 rw
           23 1 8:16 / /srv rw - ext4 /dev/sdb rw
          = addresses
           2: eth0    inet 10.20.9.7/24 brd 10.20.9.255 scope global eth0
          = packages
           bash 5.2 amd64
          = sockets
           tcp    0: 0709140A:0050 00000000:0000 0A 00000000:00000000 00:00000000 00000000     0        0 11 1 0 100 0 0 10 0
           tcp    2: 0709140A:0050 2A09140A:C001 01 00000000:00000000 00:00000000 00000000     0        0 13 1 0 100 0 0 10 0
          = end
          """
              .formatted(guest, hardware, mac));
    } catch (SurveyException e) {
      throw new AssertionError(e);
    }
  }

  /** Servers of the list that tell these surveys; null is one that can't be read. */
  private Surveying.Scanned list(Survey... surveys) {
    List<Surveys.Reading> readings = new ArrayList<>();
    for (int i = 0; i < surveys.length; i++) {
      ServerAccess server = new ServerAccess("srv-" + (i + 1), "10.20.9." + (7 + i), 22, "", "");
      readings.add(
          surveys[i] == null
              ? new Surveys.Reading(
                  server,
                  Optional.empty(),
                  "",
                  "",
                  Optional.of(
                      new Finding(
                          Finding.Code.SITE_UNREACHABLE,
                          server.address(),
                          "it does not answer",
                          "have it answer",
                          Finding.Who.SITE_OWNER)))
              : new Surveys.Reading(
                  server, Optional.of(surveys[i]), "SHA256:seen", "key", Optional.empty()));
    }
    return surveying.scan("list", telling(readings));
  }

  private static Surveys telling(List<Surveys.Reading> readings) {
    return new Surveys() {
      @Override
      public void read(Consumer<Reading> each) {
        readings.forEach(each);
      }

      @Override
      public void look(Consumer<Reading> each) {
        readings.forEach(each);
      }
    };
  }

  private static List<MachineEntity> there() {
    return db.tx(
        s ->
            Db.list(
                s,
                MachineEntity.class,
                "from MachineEntity where vanishedAt is null order by firstSeen, id"));
  }

  private static long rows(String from) {
    return db.tx(
        s ->
            ((Number)
                    s.createNativeQuery("select count(*) from " + from, Object.class)
                        .getSingleResult())
                .longValue());
  }

  private static Map<String, List<String>> facts(MachineEntity machine) {
    return db.tx(s -> Sources.facts(s, machine)).stream()
        .collect(
            java.util.stream.Collectors.toMap(
                FactView::fact,
                f -> f.told().stream().map(t -> t.site() + ": " + t.value()).toList()));
  }

  @Test
  void whatAHypervisorAndAGuestTellIsOneMachineEachFactWithItsSource() {
    host(told(UUID, "vm-17", "52:54:00:00:00:99"));
    Surveying.Scanned read = list(survey(GUEST, UUID, MAC));
    assertEquals(0, read.result().appearedCount());
    MachineEntity machine = there().get(0);
    assertEquals(1, there().size());
    assertEquals("vm-17", machine.name, "its platform's name stands");
    Map<String, List<String>> facts = facts(machine);
    assertEquals(List.of("host: vm-17", "list: photo-store"), facts.get("name"));
    assertEquals(
        List.of("list: Debian GNU/Linux 12"), facts.get("guest's operating system"), facts + "");
    // A scan of the platform afterwards takes nothing of the guest's away, and changes nothing.
    now = now.plusSeconds(60);
    assertTrue(host(told(UUID, "vm-17", "52:54:00:00:00:99")).unchanged());
    assertEquals(
        List.of("list: Debian GNU/Linux 12"), facts(machine).get("guest's operating system"));
  }

  @Test
  void firmwareThatWritesItsIdTheOldWayIsRecognised() {
    host(told(UUID, "vm-17", ""));
    list(survey(GUEST, SWAPPED, ""));
    assertEquals(1, there().size());
  }

  @Test
  void aGuestThatWasKnownFirstIsFoundAgainWhenItsPlatformIsScanned() {
    list(survey(GUEST, "", MAC));
    MachineEntity before = there().get(0);
    assertEquals("list", before.siteId);
    host(told("domain-9", "vm-17", MAC.toUpperCase(java.util.Locale.ROOT)));
    MachineEntity after = there().get(0);
    assertEquals(1, there().size());
    assertEquals(before.id, after.id, "use and connections stay with it");
    assertEquals("host", after.siteId);
    // Its platform goes away again: it is told of by its guest still, but its home has lost it.
    now = now.plusSeconds(60);
    assertEquals(1, host().vanishedCount());
  }

  @Test
  void aMachineAtAnotherAddressIsTheSame() {
    list(survey(GUEST, UUID, MAC));
    String before = there().get(0).id;
    now = now.plusSeconds(60);
    list(null, survey(GUEST, UUID, MAC));
    assertEquals(List.of(before), there().stream().map(m -> m.id).toList());
  }

  @Test
  void anotherGuestAtTheSameAddressIsAnotherMachine() {
    list(survey(GUEST, "", MAC));
    String before = there().get(0).id;
    now = now.plusSeconds(60);
    Surveying.Scanned read = list(survey(OTHER_GUEST, "", "52:54:00:aa:bb:02"));
    assertEquals(1, read.result().vanishedCount());
    assertEquals(1, there().size());
    assertNotEquals(before, there().get(0).id);
  }

  @Test
  void copiesThatKeptTheirCardsAddressAreTwoMachines() {
    list(survey(GUEST, "", MAC), survey(OTHER_GUEST, "", MAC));
    assertEquals(2, there().size());
  }

  @Test
  void aMachineThatWasGoneIsTheSameWhenItIsToldOfAgain() {
    list(survey(GUEST, "", MAC));
    String before = there().get(0).id;
    db.run(
        s -> Surveying.forget(s, s.find(SiteEntity.class, "list"), "srv-1", now.plusSeconds(60)));
    assertEquals(List.of(), there());
    now = now.plusSeconds(120);
    list(null, survey(GUEST, "", MAC));
    assertEquals(List.of(before), there().stream().map(m -> m.id).toList());
    assertEquals(1, rows("machine_change where kind = 'returned'"));
  }

  @Test
  void aSourceThatFailsLeavesWhatIsKnown() {
    host(told(UUID, "vm-17", ""));
    list(survey(GUEST, "", MAC));
    long changes = rows("machine_change");
    when(platform.inventory())
        .thenThrow(
            new SiteException(SiteException.Kind.MAY_PASS, "unreachable", "host is away", null));
    try {
      scans.scan("host");
    } catch (SiteException expected) {
      assertEquals("unreachable", expected.code());
    }
    assertEquals(1, list((Survey) null).unread());
    assertEquals(2, there().size());
    assertEquals(changes, rows("machine_change"));
    assertEquals(1, rows("server where problem is not null"));
    list(survey(GUEST, "", MAC));
    assertEquals(0, rows("server where problem is not null"), "it is well again");
    assertEquals(1, rows("server where shown_key = 'SHA256:seen'"), "for somebody to approve");
    assertEquals(0, rows("server where host_key <> ''"), "nobody has");
  }

  @Test
  void whatIsMountedOnADiskIsToldAtItsPlatformsDisk() {
    host(told(UUID, "vm-17", ""));
    list(survey(GUEST, UUID, MAC));
    assertEquals(
        List.of(List.of("/"), List.of("/srv")),
        new Machines(db, null).view("vm-17").disks().stream().map(d -> d.mounts()).toList());
  }

  @Test
  void aConnectionThatStaysOpenIsCountedOnce() {
    Survey survey = survey(GUEST, UUID, MAC);
    list(survey);
    for (int i = 0; i < 3; i++) {
      now = now.plusSeconds(300);
      surveying.look(
          "list",
          telling(
              List.of(
                  new Surveys.Reading(
                      new ServerAccess("srv-1", "10.20.9.7", 22, "", ""),
                      Optional.of(survey),
                      "",
                      "",
                      Optional.empty()))),
          (machine, usage) -> assertEquals(there().get(0).id, machine));
    }
    assertEquals(1, rows("connection where count = 1"));
    assertEquals(
        1,
        rows("connection where last_seen = '2026-11-02T08:15:00Z'"),
        "but it was seen until now");
  }
}
