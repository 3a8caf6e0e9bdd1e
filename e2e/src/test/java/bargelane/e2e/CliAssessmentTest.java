package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.e2e.Terminal.Said;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;
import org.junit.jupiter.api.io.TempDir;

/**
 * Assessments by the command line: the demo estate's difficulties, prices, rules, accepted sizes.
 */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class CliAssessmentTest {

  private static Harness harness;
  @TempDir static Path dir;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.light().all();
    new Journey(harness.api(), line -> {}).prepare(harness, 3600, 7200);
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

  /** A machine of the newest revision of an assessment. */
  private static JsonNode assessed(String assessment, String machine) throws IOException {
    return new Terminal(harness).told("assessment", "machine", assessment, machine);
  }

  private static String book(String name) throws IOException {
    Path file = dir.resolve(name + ".csv");
    try (java.io.InputStream in = Journey.class.getResourceAsStream("/demo/" + name + ".csv")) {
      Files.write(file, in.readAllBytes());
    }
    return file.toString();
  }

  @Test
  @Order(1)
  void everyDifficultyOfTheEstateIsFoundAndExplained() throws IOException {
    assertTrue(
        done("book", "add", "saltmarsh-2026", "--csv", book("saltmarsh-2026"), "--dry-run")
            .out()
            .contains("nothing is stored"));
    done("book", "add", "saltmarsh-2026", "--csv", book("saltmarsh-2026"));
    done("book", "add", "fenwater-2026", "--csv", book("fenwater-2026"));
    assertTrue(done("book", "list").out().contains("fenwater-2026"));
    assertTrue(done("book", "show", "saltmarsh-2026").out().contains("3 years"));
    Said estate =
        done(
            "assessment",
            "add",
            "--name",
            "estate",
            "--target",
            "saltmarsh",
            "--book",
            "saltmarsh-2026",
            "--filter",
            "site = mill-street");
    assertTrue(estate.out().contains("36 machines"), estate.out());

    JsonNode search = assessed("estate", "catalogue-search");
    assertEquals(16, search.path("configured").path("cpus").asInt(), "oversized");
    assertTrue(search.path("observed").path("cpus").asInt() <= 4);
    assertTrue(
        search.path("observed").path("monthly").asDouble()
            < search.path("configured").path("monthly").asDouble() / 2);

    assertFinding("print-server", "system-out-of-support", "goes after", "Windows Server 2008 R2");
    assertFinding("mx2-old", "system-out-of-support", "goes after", "CentOS 6");
    assertFinding("bookbus-planner", "boot-legacy", "note", "BIOS");
    assertFinding("photo-archive", "disk-too-large", "goes after", "17,408 GiB");
    assertFinding("files", "disk-shared", "goes after", "files-standby");
    assertFinding("kiosk-gateway", "address-in-use", "goes after", "10.20.3.2");
    assertFinding("catalogue-db-1", "licence-tied", "note", "database-per-core");
    assertFinding(
        "temp-test-dont-delete-until-audit-2019", "system-unknown", "missing", "not known");
    JsonNode db = assessed("estate", "catalogue-db-1");
    assertTrue(
        db.path("observed").path("lines").toString().contains("database-per-core"),
        "the licence is in its cost");
    assertEquals("goes after", assessed("estate", "files").path("row").path("verdict").asText());
    assertTrue(
        assessed("estate", "kiosk-gateway").path("warnings").toString().contains("of 30.0 days"),
        "recorded for nine days only");

    assertEquals(
        4,
        new Terminal(harness)
            .told(
                "assessment",
                "machines",
                "estate",
                "--reason",
                "system-out-of-support",
                "--find",
                "k")
            .path("total")
            .asInt());
    Said other =
        done(
            "assessment",
            "add",
            "--name",
            "fen",
            "--book",
            "fenwater-2026",
            "--filter",
            "site = mill-street");
    assertTrue(other.out().contains("book fenwater-2026"));
    Said compared = done("assessment", "compare", "estate", "--with", "fen");
    assertTrue(
        compared.out().contains("Difference: ") && compared.out().contains("photo-archive"),
        compared.out());
    assertTrue(
        done("assessment", "what-if", "estate", "--percentiles", "50,95,100", "--headrooms", "0,20")
            .out()
            .contains("on the edge"));
    assertTrue(done("assessment", "list").out().contains("estate"));
  }

  private static void assertFinding(String machine, String code, String effect, String told)
      throws IOException {
    JsonNode all = assessed("estate", machine).path("judgements");
    for (JsonNode j : all) {
      JsonNode f = j.path("finding");
      if (f.path("code").asText().equals(code)
          && j.path("effect").asText().equals(effect)
          && f.path("cause").asText().contains(told)) {
        assertFalse(f.path("remedy").path("advice").asText().isEmpty());
        assertFalse(j.path("rule").asText().isEmpty());
        return;
      }
    }
    org.junit.jupiter.api.Assertions.fail(
        machine + " has no " + code + " with " + told + ": " + all);
  }

  @Test
  @Order(2)
  void aWindowWithoutTheOneNightGivesTheSmallerSizeAndAWarning() throws IOException {
    java.time.LocalDate turn = java.time.LocalDate.now(java.time.ZoneOffset.UTC).withDayOfMonth(1);
    String[] overdue = {
      "assessment", "edit", "estate", "--days", "8", "--why", "a window", "--until"
    };
    done(join(overdue, turn.minusDays(1).toString()));
    JsonNode without = assessed("estate", "overdue-notices");
    done(join(overdue, turn.toString()));
    JsonNode with = assessed("estate", "overdue-notices");
    assertTrue(
        without.path("observed").path("cpus").asInt() < with.path("observed").path("cpus").asInt(),
        without.path("observed") + " and " + with.path("observed"));
    assertTrue(without.path("warnings").toString().contains("no month end"));
    assertTrue(without.path("row").path("warned").asBoolean());
  }

  private static String[] join(String[] some, String more) {
    String[] all = java.util.Arrays.copyOf(some, some.length + 1);
    all[some.length] = more;
    return all;
  }

  @Test
  @Order(3)
  void anAcceptedSizeIsTheWavesAndANewerRevisionIsTold() throws IOException {
    done(
        "wave",
        "add",
        "web",
        "--lane",
        "mill-to-marsh",
        "--timetable",
        "brisk",
        "--machine",
        "elending-web=1");
    assertTrue(
        done("assessment", "accept", "estate", "elending-web").out().contains("in waves: web"));
    JsonNode before = new Terminal(harness).told("wave", "show", "web").path("machines").path(0);
    assertTrue(before.path("sizeBasis").asText().startsWith("estate, revision 3"));
    assertTrue(Journey.open(new Terminal(harness).told("wave", "show", "web"), "sized"));
    done("assessment", "edit", "estate", "--headroom", "400", "--why", "very much room");
    String shown = done("wave", "show", "web").out();
    assertTrue(
        shown.contains("revision 4 of estate gives") || shown.contains("revision 4 gives"), shown);
    assertEquals(1, say("assessment", "remove", "estate").code());
    // Whoever is planned later has the size that was accepted before.
    done("assessment", "accept", "estate", "--revision", "1", "names-1");
    done(
        "wave",
        "add",
        "names",
        "--lane",
        "mill-to-marsh",
        "--timetable",
        "brisk",
        "--machine",
        "names-1=1");
    assertTrue(done("wave", "show", "names").out().contains("punt-1"));
    Path file = dir.resolve("costs.csv");
    done("assessment", "costs", "estate", "--form", "focus", "--file", file.toString());
    assertTrue(Files.readString(file).startsWith("BillingAccountId,"));
    Path page = dir.resolve("report.html");
    done("assessment", "report", "estate", "--revision", "1", "--file", page.toString());
    assertTrue(Files.readString(page).contains("photo-archive"));
    done("assessment", "remove", "fen");
  }

  @Test
  @Order(4)
  void whatCantBeAssessedSaysWhyAndWhatNext() throws IOException {
    Path bad = dir.resolve("bad.csv");
    Files.writeString(
        bad,
        "item,name,unit,price,currency,valid_from\nsize,a,hour,-2,EUR,2026-01-01\nsize,b,hour,2,USD,2026-01-01\n");
    Said refused = say("book", "add", "bad", "--csv", bad.toString());
    assertEquals(1, refused.code());
    assertTrue(refused.out().contains("below 0") && refused.out().contains("USD"), refused.all());
    Said empty = say("assessment", "add", "--target", "saltmarsh", "--filter", "name = nobody");
    assertEquals(2, empty.code());
    assertTrue(
        empty.err().contains("no machine that is there is chosen")
            && empty.err().contains("Next:"));
    assertTrue(
        say("assessment", "edit", "estate", "--family", "yacht")
            .err()
            .contains("there are: ketch"));
    assertEquals(2, say("assessment", "edit", "estate", "--headroom", "much").code());
    assertEquals(2, say("assessment", "edit", "estate", "--running", "sixty").code());
    Path rules = dir.resolve("rules.yaml");
    Files.writeString(
        rules,
        """
        format: bargelane/fitness/1
        version: "1"
        rules:
          - {id: kiosks-wait, when: {label.app: kiosks}, effect: stays, cause: "kiosks move last", remedy: "wait"}
        """);
    done("fitness", "add", "house", "--file", rules.toString());
    assertTrue(done("fitness", "list").out().contains("kiosks-wait"));
    done("assessment", "edit", "estate", "--headroom", "20", "--running", "60:label.app = kiosks");
    JsonNode kiosk = assessed("estate", "kiosk-images");
    assertEquals("stays", kiosk.path("row").path("verdict").asText());
    assertTrue(kiosk.path("configured").path("lines").toString().contains("260.8929 hours"));
    done("fitness", "remove", "house");
    done("book", "remove", "fenwater-2026");
  }

  @Test
  @Order(5)
  void aServiceThatIsKilledWhileItAssessesStoresNothingOfIt() throws Exception {
    int before = harness.api().get("/assessments/estate/revisions").size();
    Thread asking =
        new Thread(
            () -> {
              try {
                harness
                    .api()
                    .post("/assessments/estate/revisions", java.util.Map.of("why", "killed"));
              } catch (RuntimeException expected) {
                // The service went away under it, or was just done.
              }
            });
    asking.start();
    harness.kill("service");
    asking.join();
    harness.service();
    JsonNode revisions = harness.api().get("/assessments/estate/revisions");
    assertTrue(revisions.size() == before || revisions.size() == before + 1);
    // Whatever revision there is, is whole.
    for (JsonNode r : revisions) {
      assertEquals(
          r.path("count").asLong(),
          harness
              .api()
              .get("/assessments/estate/machines?size=500&revision=" + r.path("revision").asInt())
              .path("total")
              .asLong());
    }
    done("assessment", "edit", "estate", "--why", "after the kill");
  }
}
