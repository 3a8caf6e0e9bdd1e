package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import bargelane.e2e.Terminal.Said;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;
import org.junit.jupiter.api.io.TempDir;

/** The demo estate's 36 machines mapped to the cloud by the command line, from an empty lane. */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class MappingTest {

  private static Harness harness;
  @TempDir static Path dir;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.light().all();
    new Journey(harness.api(), line -> {}).prepare(harness, 3600, 7200);
    new Terminal(harness).done("lane", "add", "over", "--from", "mill-street", "--to", "saltmarsh");
  }

  @AfterAll
  static void stop() throws IOException {
    harness.close();
  }

  private static Said say(String... arguments) {
    return new Terminal(harness).say(arguments);
  }

  private static Said done(String... arguments) {
    return new Terminal(harness).done(arguments);
  }

  /** What an engineer has to say; each is one command. */
  private static final List<String[]> DECISIONS = new ArrayList<>();

  private static void decide(String... arguments) {
    DECISIONS.add(arguments);
    done(arguments);
  }

  /** Codes of what is in the way of the lane and its machines. */
  private static Set<String> blocking() throws IOException {
    return blocking("over");
  }

  private static Set<String> blocking(String lane) throws IOException {
    Set<String> codes = new TreeSet<>();
    JsonNode found = ApiClient.JSON.readTree(say("lane", "check", lane, "--output", "json").out());
    found.path("findings").forEach(f -> blocking(f, codes));
    found.path("machines").forEach(m -> m.path("findings").forEach(f -> blocking(f, codes)));
    return codes;
  }

  private static void blocking(JsonNode finding, Set<String> codes) {
    if (finding.path("blocks").asBoolean()) {
      codes.add(finding.path("code").asText());
    }
  }

  @Test
  @Order(1)
  void theEstateIsMappedByItsSuggestionsAndAFewDecisions() throws IOException {
    assertEquals(
        Set.of(
            "network-not-joined",
            "storage-not-joined",
            "size-not-chosen",
            "licence-missing",
            "name-refused",
            "quota-volumes"),
        blocking());
    done(
        "assessment",
        "add",
        "--name",
        "estate",
        "--target",
        "saltmarsh",
        "--filter",
        "site = mill-street");
    decide("assessment", "accept", "estate");
    decide("lane", "set", "over", "zone=tide-1");
    decide("lane", "suggest", "over", "--accept-clear");
    decide("lane", "suggest", "over", "--accept", "shelf-b");
    assertEquals(
        Set.of(
            "range-overlaps",
            "licence-missing",
            "name-refused",
            "address-reserved",
            "disk-too-large",
            "quota-volumes"),
        blocking());

    decide("lane", "set", "over", "overlap=accepted", "--network", "archive");
    decide("lane", "set", "over", "licence=own");
    decide("lane", "set", "over", "address=choose", "--network", "kiosks");
    decide(
        "lane",
        "set",
        "over",
        "name=temp-test",
        "--machine",
        "temp-test-dont-delete-until-audit-2019");
    assertEquals(
        Set.of("disk-too-large", "quota-volumes"),
        blocking(),
        "what the target's owner and the guests' owners have to do is left");
    assertEquals(8, DECISIONS.size());
    assertEquals(
        Set.of("photo-archive"),
        machines("disk-too-large"),
        "its disk is larger than any class allows");
  }

  /** The one disk that has no class and no quota stays behind, and all of the rest goes. */
  @Test
  @Order(2)
  void aDiskThatFitsNowhereIsLeftOutAndNothingIsInTheWay() throws IOException {
    done("lane", "set", "over", "copy=off", "--disk", "photo-archive/2");
    assertEquals(Set.of(), blocking());
    assertEquals(Set.of("photo-archive"), machines("disk-left-out"));
    String plan = done("lane", "plan", "over", "--machine", "photo-archive").out();
    assertTrue(plan.contains("left out") && plan.contains("the disk"), plan);
    done("lane", "unset", "over", "copy", "--disk", "photo-archive/2");
    assertEquals(Set.of("disk-too-large", "quota-volumes"), blocking());
  }

  /** Or the storage system brings it, as it was some hours ago. */
  @Test
  @Order(3)
  void aDiskThatIsCarriedIsOfAnotherInstantUntilTheStorageSystemHasCaughtUp() throws IOException {
    done("lane", "set", "over", "copy=off", "--disk", "photo-archive/2");
    done("lane", "set", "over", "copy=carried:routes", "--disk", "bookbus-db/1");
    assertEquals(Set.of("carried-missing"), blocking());
    Platform cloud = harness.saltmarsh();
    cloud.call(
        "POST",
        "/v1/volumes",
        Map.of("name", "routes", "sizeBytes", 60L << 30, "storageClass", "mud"));
    carried(cloud, Instant.now().minus(Duration.ofHours(3)));
    assertEquals(Set.of("bookbus-db"), machines("carried-behind"));
    carried(cloud, Instant.now());
    assertEquals(Set.of(), machines("carried-behind"));
    assertEquals(Set.of("bookbus-db"), machines("disk-carried"));
    assertEquals(Set.of(), blocking());
    String plan = done("lane", "plan", "over", "--machine", "bookbus-db").out();
    assertTrue(plan.contains("carried to routes"), plan);
    done("lane", "unset", "over", "copy", "--disk", "photo-archive/2");
    done("lane", "unset", "over", "copy", "--disk", "bookbus-db/1");
    cloud.call("DELETE", "/v1/volumes/routes", null);
    done("site", "scan", "saltmarsh", "--wait");
  }

  private static void carried(Platform cloud, Instant asOf) throws IOException {
    cloud.call("PUT", "/v1/volumes/routes/carried", Map.of("asOf", asOf.toString()));
    done("site", "scan", "saltmarsh", "--wait");
  }

  private static Set<String> machines(String code) throws IOException {
    return machines("over", code);
  }

  private static Set<String> machines(String lane, String code) throws IOException {
    Set<String> names = new TreeSet<>();
    for (JsonNode m :
        ApiClient.JSON.readTree(done("lane", "plan", lane, "--output", "json").out())) {
      m.path("findings")
          .forEach(
              f -> {
                if (f.path("code").asText().equals(code)) {
                  names.add(m.path("machine").asText());
                }
              });
    }
    return names;
  }

  @Test
  @Order(4)
  void whoHasAnAddressThatChangesInItsConfigurationIsListed() throws IOException {
    assertEquals(Set.of("kiosk-gateway", "photo-archive"), machines("address-in-use"));
    Said clients = done("lane", "clients", "over");
    assertTrue(clients.out().contains("photo-ingest"), clients.out());
    Said zone = done("lane", "zone", "over", "--origin", "quillhaven.example");
    assertTrue(
        zone.out().contains("photo-archive\tIN\tA\t10.61.0.4\t; was 10.60.0.11"), zone.out());
    assertEquals(2, say("lane", "zone", "over", "--origin", "a b").code());
  }

  @Test
  @Order(5)
  void bootProtectionIsForWhatUefiStarts() throws IOException {
    done("lane", "set", "over", "boot-protection=on");
    Set<String> bios = machines("boot-protection-unfit");
    assertTrue(bios.contains("bookbus-planner") && !bios.contains("photo-web"), bios.toString());
    done("lane", "unset", "over", "boot-protection");
    assertEquals(Set.of(), machines("boot-protection-unfit"));
  }

  @Test
  @Order(6)
  void theAddressPlanGoesThroughAFile() throws IOException {
    Path file = dir.resolve("addresses.csv");
    String csv = done("lane", "addresses", "over", "--output", "csv").out();
    Files.writeString(file, csv, StandardCharsets.UTF_8);
    assertTrue(
        done("lane", "addresses", "over", "--csv", file.toString())
            .out()
            .contains("0 decisions new, 0 decisions changed"));
    Files.writeString(file, csv.replace(",10.61.0.4,", ",10.61.0.44,"), StandardCharsets.UTF_8);
    done("lane", "addresses", "over", "--csv", file.toString(), "--dry-run");
    assertTrue(
        done("lane", "plan", "over", "--machine", "photo-archive").out().contains("10.61.0.4 "));
    done("lane", "addresses", "over", "--csv", file.toString());
    Said plan = done("lane", "plan", "over", "--machine", "photo-archive");
    assertTrue(plan.out().contains("10.61.0.44"), plan.out());
    assertTrue(plan.out().contains("the card"), plan.out());
    Said rules = done("lane", "rules", "over");
    assertTrue(rules.out().contains("photo-archive/0"), rules.out());
    assertEquals(2, say("lane", "set", "over", "class=mud", "--disk", "photo-archive").code());
    Said none = say("lane", "set", "over", "zone=tide-9");
    assertEquals(2, none.code());
    assertTrue(none.err().contains("give one of tide-1, tide-2"), none.err());
  }

  @Test
  @Order(7)
  void theWholeMapGoesThroughAFileAndBack() throws IOException {
    Path file = dir.resolve("estate.yaml");
    done("estate", "export", file.toString());
    // People write into it, and it may be long.
    String text = Files.readString(file) + "# what the library moves\n".repeat(20_000);
    Files.writeString(file, text);
    assertTrue(done("estate", "import", file.toString()).out().contains("changes nothing"));
    String plan = done("lane", "plan", "over", "--output", "csv").out();
    done("lane", "remove", "over");
    assertTrue(done("estate", "compare", file.toString()).out().contains("left so"));

    // To this service the file is now one that it knows nothing of.
    Files.writeString(file, text.replaceFirst("base: .*\n", ""));
    Said imported = done("estate", "import", file.toString(), "--yes");
    assertTrue(imported.out().contains("changes made"), imported.out());
    assertEquals(plan, done("lane", "plan", "over", "--output", "csv").out());

    Files.writeString(
        file, text.replaceFirst("base: .*\n", "").replace("zone: tide-1", "zone: tide-9"));
    Said refused = say("estate", "compare", file.toString());
    assertEquals(1, refused.code());
    assertTrue(refused.out().contains("lanes/over/decisions/lane/zone"), refused.out());
    Files.writeString(file, text + "lane: {}\n");
    Said wrong = say("estate", "import", file.toString(), "--yes");
    assertEquals(1, wrong.code());
    assertTrue(
        wrong
            .out()
            .contains("estate.yaml:" + (text.lines().count() + 1) + ":1: 'lane' is not a section"),
        wrong.out());
  }

  /** The keys of the disks of a machine at the other cloud. */
  private Set<String> keys(String machine) throws IOException {
    List<String> disks = new ArrayList<>();
    harness.fenwater().machine(machine).path("disks").forEach(d -> disks.add(d.asText()));
    Set<String> keys = new HashSet<>();
    for (JsonNode v : harness.fenwater().call("GET", "/v1/inventory", null).path("volumes")) {
      if (disks.contains(v.path("name").asText())) {
        keys.add(v.path("key").asText());
      }
    }
    return keys;
  }

  @Test
  @Order(9)
  void theLinkIsMeasuredAndNothingIsLeftOfIt() {
    Said unknown = done("lane", "link", "over");
    assertTrue(unknown.out().contains("bargelane lane link over --measure"), unknown.out());
    Said measured = done("lane", "link", "over", "--measure");
    assertTrue(measured.out().contains("mill-street to saltmarsh: "), measured.out());
    assertTrue(measured.out().contains("saltmarsh to mill-street: "), measured.out());
    assertEquals(Set.of(), left("mill-street"));
    assertEquals(Set.of(), left("saltmarsh"));
  }

  /** What is at a site that was made to measure a link. */
  private static Set<String> left(String site) {
    Set<String> names = new TreeSet<>();
    for (JsonNode thing : harness.api().get("/sites/" + site + "/leftovers")) {
      if (thing.path("name").asText().endsWith("-link")) {
        names.add(thing.path("name").asText());
      }
    }
    return names;
  }

  /** To a target of another shape: what is difficult there is something else. */
  @Test
  @Order(8)
  void theSameEstateGoesAnotherWay() throws IOException {
    harness.secondCloud();
    Journey journey = new Journey(harness.api(), line -> {});
    journey.addSite("fenwater", harness.fenwater());
    journey.scan("fenwater");
    done("lane", "add", "fen", "--from", "mill-street", "--to", "fenwater");
    done("lane", "suggest", "fen", "--accept-clear");
    done(
        "assessment",
        "add",
        "--name",
        "for-fenwater",
        "--target",
        "fenwater",
        "--filter",
        "site = mill-street");
    done("assessment", "accept", "for-fenwater");
    done("lane", "set", "fen", "licence=own");
    Set<String> codes = blocking("fen");
    // Somebody may have been seen doing more than any of its sizes can.
    codes.remove("size-not-chosen");
    assertEquals(Set.of("quota-machines"), codes, "it has room for fewer machines than there are");
    assertEquals(
        Set.of(), machines("fen", "address-in-use"), "every address is kept in one large network");
    Said none = say("lane", "set", "fen", "ingress=none", "--machine", "bookbus-planner");
    assertTrue(none.err().contains("fenwater does not filter what comes in"), none.err());

    done(
        "wave",
        "add",
        "onward",
        "--lane",
        "fen",
        "--timetable",
        "brisk",
        "--machine",
        "bookbus-planner=1",
        "--machine",
        "srv-quill7=2");
    assertTrue(machines("fen", "power-differs").contains("srv-quill7"), "it is off");
    done("lane", "set", "fen", "power=off", "--machine", "srv-quill7");
    assertEquals(Set.of(), machines("fen", "power-differs"));
    done("lane", "set", "fen", "key=fen-key", "--machine", "bookbus-planner");
    String plan = done("lane", "plan", "fen", "--machine", "bookbus-planner").out();
    assertTrue(plan.contains("fen-key"), plan);
    done("wave", "load", "onward", "--wait");
    done("wave", "test", "onward", "--wait");
    done("wave", "cutover", "onward", "--confirm", "onward", "--wait");
    assertTrue(harness.fenwater().runs("bookbus-planner"));
    assertFalse(harness.fenwater().runs("srv-quill7"), "it is kept off");
    assertEquals(
        Map.of("bookbus-planner", Set.of("fen-key"), "srv-quill7", Set.of("")),
        Map.of("bookbus-planner", keys("bookbus-planner"), "srv-quill7", keys("srv-quill7")));
    assertEquals(
        List.of("10.20.1.91"),
        harness.fenwater().machine("bookbus-planner").path("nics").findValuesAsText("address"));
    done("wave", "undo", "onward", "--confirm", "onward", "--wait");
    assertTrue(harness.estate().runs("bookbus-planner"));
    assertFalse(harness.estate().runs("srv-quill7"), "it was off before");
  }
}
