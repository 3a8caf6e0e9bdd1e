package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import bargelane.client.Cli;
import bargelane.e2e.Terminal.Said;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.Statement;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;
import org.junit.jupiter.api.io.TempDir;
import picocli.CommandLine;

/** The command line against a running service: what it prints, and its exit codes. */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class CliTest {

  private static Harness harness;
  @TempDir static Path dir;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.light().all();
    Files.writeString(dir.resolve("estate"), harness.estate().token());
    Files.writeString(dir.resolve("cloud"), harness.saltmarsh().token());
  }

  @AfterAll
  static void stop() throws IOException {
    harness.close();
  }

  private static final String LENDING = "name has lending and not name has elending";

  private static Said say(String... arguments) {
    return new Terminal(harness).say(arguments);
  }

  private static Said done(String... arguments) {
    return new Terminal(harness).done(arguments);
  }

  @Test
  @Order(1)
  void aWaveIsPlannedLoadedAndShown() {
    assertTrue(
        done("site", "list").out().contains("Add one:"), "an empty list says what to do next");
    done(
        "site",
        "add",
        "mill-street",
        "--address",
        harness.estate().address(),
        "--token-file",
        dir.resolve("estate").toString());
    done(
        "site",
        "add",
        "saltmarsh",
        "--address",
        harness.saltmarsh().address(),
        "--token-file",
        dir.resolve("cloud").toString());
    assertTrue(done("site", "check", "mill-street").out().contains("ready"));
    done("site", "check", "saltmarsh");
    assertTrue(done("site", "scan", "mill-street", "--wait").out().contains("36 appeared"));
    assertTrue(done("site", "scan", "mill-street", "--wait").out().contains("nothing changed"));
    done("site", "scan", "saltmarsh", "--wait");
    assertTrue(done("machine", "list").out().contains("lending-db"));
    assertTrue(done("machine", "show", "lending-app").out().contains("10.20.1.31"));
    Said assessed = done("assessment", "add", "--target", "saltmarsh", "lending-db", "lending-app");
    assertTrue(
        assessed.out().contains("2 machines")
            && assessed.out().contains("prices that saltmarsh tells"),
        assessed.out());
    Said lane =
        say(
            "lane",
            "add",
            "mill-to-marsh",
            "--from",
            "mill-street",
            "--to",
            "saltmarsh",
            "--network",
            "net-data=sub-data",
            "--keep-addresses");
    assertTrue(lane.out().contains("network-not-joined"));
    Said checked = say("lane", "check", "mill-to-marsh");
    assertEquals(1, checked.code());
    assertTrue(checked.out().startsWith("Lane mill-to-marsh has "), checked.out());
    done("lane", "edit", "mill-to-marsh", "--network", "net-staff=sub-staff");
    Said suggested = done("lane", "suggest", "mill-to-marsh");
    assertTrue(suggested.out().contains("both are of media ssd"), suggested.out());
    assertTrue(
        suggested.out().contains("fits into 10.61.0.0/22: its machines get new ones"),
        suggested.out());
    assertFalse(suggested.out().contains("net-staff"), "it is joined: " + suggested.out());
    assertEquals(2, say("lane", "suggest", "mill-to-marsh", "--accept", "net-staff").code());
    done("lane", "suggest", "mill-to-marsh", "--accept", "net-archive");
    done("lane", "suggest", "mill-to-marsh", "--accept-clear");
    // A disk on it is larger than one of that class can be: somebody says that this is meant.
    assertTrue(done("lane", "suggest", "mill-to-marsh").out().contains("at most"));
    Said joined = done("lane", "suggest", "mill-to-marsh", "--accept", "shelf-b");
    for (String join :
        List.of(
            "net-data -> sub-data",
            "net-staff -> sub-staff",
            "net-public -> sub-public",
            "net-kiosks -> sub-kiosks",
            "net-archive -> sub-archive",
            "net-rooms -> sub-rooms",
            "shelf-a -> reed",
            "shelf-b -> mud")) {
      assertTrue(joined.out().contains(join), join + ": " + joined.out());
    }
    checked = say("lane", "check", "mill-to-marsh");
    assertEquals(1, checked.code());
    assertFalse(checked.out().contains("-not-joined"), checked.out());
    assertTrue(checked.out().contains("and 32 more: no machine size is chosen"), checked.out());
    done("timetable", "add", "brisk", "--every", "5", "--rpo", "600", "--keep", "6");
    done(
        "wave",
        "add",
        "lending",
        "--lane",
        "mill-to-marsh",
        "--timetable",
        "brisk",
        "--machine",
        "lending-db=1",
        "--machine",
        "lending-app=2");
    done("wave", "size", "lending", "lending-db", "wherry-4");
    done("wave", "size", "lending", "lending-app", "wherry-2");
    assertTrue(done("wave", "load", "lending", "--wait").out().contains("Done."));
    String shown = done("wave", "show", "lending").out();
    assertTrue(
        shown.contains("RPO held")
            && shown.contains("MACHINE")
            && shown.contains("bargelane wave test lending"),
        shown);
    assertTrue(done("point", "list", "lending").out().contains("crash-consistent"));
    assertTrue(done("wave", "passes", "lending").out().contains("full"));
    assertTrue(done("wave", "refit", "lending").out().contains("not looked into yet"));
    assertTrue(
        done("wave", "refit", "lending", "--look").out().contains("nothing is to be changed"));
    assertTrue(
        done("wave", "refit", "lending", "--word", "lending-db", "--reason", "tried by hand")
            .out()
            .contains("tried by hand"));
    assertEquals(1, say("wave", "refit", "lending", "--word", "no-such").code());
  }

  @Test
  @Order(2)
  void jsonIsTheApisAndCsvIsRfc4180() throws IOException {
    JsonNode json = ApiClient.JSON.readTree(done("machine", "list", "--output", "json").out());
    assertEquals(harness.api().get("/machines?size=100").path("items"), json);
    String csv = done("site", "list", "--output", "csv").out();
    assertTrue(csv.startsWith("name,kind,status,") && csv.contains("\r\n"));
    JsonNode wave =
        ApiClient.JSON.readTree(done("wave", "show", "lending", "--output", "json").out());
    assertEquals("lending", wave.path("name").asText());
  }

  @Test
  @Order(4)
  void useAndConnectionsAreReadByAScanAndTold() throws IOException {
    JsonNode usage =
        ApiClient.JSON.readTree(
            done(
                    "machine",
                    "usage",
                    "overdue-notices",
                    "--days",
                    "40",
                    "--percentile",
                    "100",
                    "--points",
                    "40",
                    "--output",
                    "json")
                .out());
    assertTrue(usage.path("held").asInt() > 0.95 * usage.path("expected").asInt());
    assertTrue(usage.path("monthsTurn").asBoolean());
    assertEquals(8, usage.path("metrics").size());
    JsonNode cpu = usage.path("metrics").path(0);
    assertEquals(cpu.path("maximum"), cpu.path("percentile"));
    assertTrue(cpu.path("maximum").asDouble() > 3.5, "its one night a month");
    assertTrue(cpu.path("course").size() <= 40 && cpu.path("course").size() > 30);
    String told = done("machine", "usage", "kiosk-gateway").out();
    assertTrue(told.contains("note: samples cover"), told);
    // Some of its last nine days, whatever day it is: before the month's first, or after it.
    OffsetDateTime now = OffsetDateTime.now(ZoneOffset.UTC);
    boolean early = now.getDayOfMonth() <= 5;
    OffsetDateTime to =
        early ? now.withDayOfMonth(1).truncatedTo(ChronoUnit.DAYS).minusHours(36) : now;
    String within =
        done(
                "machine",
                "usage",
                "kiosk-gateway",
                "--from",
                (early ? now.minusDays(8) : now.minusDays(4)).toInstant().toString(),
                "--to",
                to.toInstant().toString())
            .out();
    assertTrue(within.contains("window holds no month end"), within);
    assertTrue(done("machine", "usage", "srv-quill7").out().contains("nothing was measured"));
    assertEquals(2, say("machine", "usage", "lending-db", "--percentile", "101").code());
    assertEquals(2, say("machine", "usage", "lending-db", "--from", "yesterday").code());
    assertEquals(2, say("machine", "usage", "lending-db", "--days", "1", "--to", "x").code());
    assertEquals(2, say("machine", "usage", "lending-db", "--days", "-3").code());

    JsonNode talks =
        ApiClient.JSON.readTree(
            done("connection", "list", "--machine", "lending-db", "--output", "json").out());
    JsonNode app = null;
    for (JsonNode talk : talks) {
      if (talk.path("client").path("machine").asText().equals("lending-app")) {
        app = talk;
      }
      assertTrue(
          talk.path("client").path("machine").asText().equals("lending-db")
              || talk.path("server").path("machine").asText().equals("lending-db"));
    }
    assertEquals(5432, app.path("port").asInt());
    long seen = app.path("count").asLong();
    done("site", "scan", "mill-street", "--wait");
    JsonNode again =
        harness.api().get("/connections?machine=lending-app&sort=-count&size=1").path("items");
    assertTrue(
        again.path(0).path("count").asLong() >= seen
            && again.path(0).path("count").asLong() < 1.01 * seen,
        "what was seen once is not counted twice");
    String outside = done("connection", "list", "--filter", "name = overdue-notices").out();
    assertTrue(outside.contains("198.51.100.25 "), outside);
    assertEquals(2, say("connection", "list", "--sort", "colour").code());
    assertEquals(
        2, say("connection", "list", "--machine", "lending-db", "--filter", "cpus > 1").code());

    String changes = done("machine", "changes", "lending-db").out();
    assertTrue(changes.contains("appeared") && changes.split("\n").length == 2, changes);
    assertTrue(done("site", "changes", "mill-street", "--size", "5").out().contains("5 of 36"));
  }

  @Test
  @Order(5)
  void aFolderOfPackagesIsASiteAndADamagedOneLosesNothing() throws IOException {
    Path folder = Files.createDirectories(dir.resolve("packages"));
    Files.writeString(
        folder.resolve("annex.ovf"),
        """
        <Envelope xmlns:r='r'><DiskSection><Disk diskId='d' capacity='5' capacityAllocationUnits='byte * 2^30'/></DiskSection>
        <VirtualSystem id='annex-desk'><OperatingSystemSection id='96'/><VirtualHardwareSection>
        <Item><r:ResourceType>3</r:ResourceType><r:VirtualQuantity>2</r:VirtualQuantity></Item>
        <Item><r:ResourceType>4</r:ResourceType><r:VirtualQuantity>2048</r:VirtualQuantity></Item>
        <Item><r:ResourceType>17</r:ResourceType><r:HostResource>ovf:/disk/d</r:HostResource></Item>
        </VirtualHardwareSection></VirtualSystem></Envelope>
        """);
    done("site", "add", "packages", "--kind", "ovf", "--address", folder.toString());
    assertTrue(done("site", "check", "packages").out().contains("ready"));
    assertTrue(done("site", "scan", "packages", "--wait").out().contains("1 appeared"));
    assertTrue(done("machine", "show", "annex-desk").out().contains("Debian, 64 bits"));
    Files.writeString(
        folder.resolve("liar.ovf"),
        "<!DOCTYPE x [<!ENTITY e SYSTEM 'file:///etc/passwd'>]><Envelope>&e;</Envelope>");
    Said failed = say("site", "scan", "packages", "--wait");
    assertEquals(1, failed.code());
    assertTrue((failed.out() + failed.err()).contains("package liar.ovf"), failed.err());
    Said checked = say("site", "check", "packages");
    assertTrue(checked.code() == 1 && checked.out().contains("site-package-damaged"));
    assertEquals(List.of("annex-desk"), chosen("site = packages and not vanished"));
    Files.delete(folder.resolve("liar.ovf"));
    Files.delete(folder.resolve("annex.ovf"));
    assertTrue(done("site", "scan", "packages", "--wait").out().contains("1 vanished"));
    assertTrue(done("site", "changes", "packages").out().contains("vanished"));
    assertTrue(done("machine", "list", "--filter", "vanished").out().contains(" vanished "));
    assertEquals(2, say("site", "add", "p2", "--kind", "ovf", "--address", "here").code());
  }

  @Test
  @Order(5)
  void aSiteIsScannedByItsScheduleAlsoAfterTheServiceWasAway() throws Exception {
    assertTrue(
        done("site", "schedule", "saltmarsh", "30 2 * * 1-5").out().contains("at 30 2 * * 1-5"));
    for (String wrong : List.of("yesterday", "* * *", "61 * * * *", "* * * * * * *")) {
      assertEquals(2, say("site", "schedule", "saltmarsh", wrong).code(), wrong);
    }
    assertTrue(
        done("site", "schedule", "saltmarsh").out().matches("(?s).*Scanned on schedule +off\\s.*"));
    int before = harness.api().get("/sites/saltmarsh/scans").size();
    done("site", "schedule", "saltmarsh", "0 0 1 1 *");
    // The time comes while no service runs; it is brought here, and not waited for.
    harness.kill("service");
    try (Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement sql = db.createStatement()) {
      assertEquals(
          1,
          sql.executeUpdate(
              "update scheduled_tasks set execution_time = now() - interval '1 minute'"
                  + " where task_name = 'scan-schedule'"));
    }
    harness.service();
    new Journey(harness.api(), line -> {})
        .await(
            "a scan by the schedule",
            wave -> {
              JsonNode scans = harness.api().get("/sites/saltmarsh/scans");
              return scans.size() > before
                  && scans.path(0).path("startedBy").asText().equals("schedule")
                  && scans.path(0).path("endedAt").isTextual();
            });
    done("site", "schedule", "saltmarsh");
  }

  /** The client in a process of its own: what it prints must have left it when it ends. */
  @Test
  @Order(5)
  void aListOfCommaSeparatedValuesIsPrintedWhole() throws Exception {
    Process client =
        new ProcessBuilder(
                Path.of(System.getProperty("java.home"), "bin", "java").toString(),
                "-XX:TieredStopAtLevel=1",
                "-cp",
                System.getProperty(
                    "surefire.test.class.path", System.getProperty("java.class.path")),
                "bargelane.client.Cli",
                "site",
                "list",
                "--output",
                "csv",
                "--home",
                harness.home().toString())
            .redirectErrorStream(true)
            .start();
    String out = new String(client.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
    assertEquals(0, client.waitFor(), out);
    assertEquals(3, out.split("\r\n").length, out);
  }

  private static List<String> chosen(String filter) throws IOException {
    List<String> names = new ArrayList<>();
    ApiClient.JSON
        .readTree(done("machine", "list", "--filter", filter, "--output", "json").out())
        .forEach(m -> names.add(m.path("name").asText()));
    return names;
  }

  @Test
  @Order(3)
  void machinesAreFilteredSortedAndLabelled() throws IOException {
    assertEquals(List.of("lending-app", "lending-db"), chosen("wave = lending"));
    assertEquals(List.of(), chosen("wave = lending and not site = mill-street"));
    assertEquals(List.of("lending-db"), chosen("NAME = Lending-DB or name = 'no such'"));
    List<String> lending = List.of("lending-app", "lending-db", "lending-queue");
    assertEquals(
        lending,
        chosen("name has LENDING and name lacks elending and site among (mill-street, x)"));
    JsonNode db =
        ApiClient.JSON.readTree(done("machine", "show", "lending-db", "--output", "json").out());
    String address = db.path("nics").path(0).path("address").asText();
    String network = db.path("nics").path(0).path("network").asText();
    long mib = db.path("memoryMib").asLong();
    int disks = db.path("disks").size();
    assertEquals(List.of("lending-db"), chosen("address = " + address));
    assertEquals(
        List.of("lending-db"),
        chosen("name = lending-db and address among (203.0.113.0/24, " + address + "/24)"));
    assertEquals(List.of(), chosen("name = lending-db and address != 0.0.0.0/0"));
    assertEquals(
        List.of("lending-queue"),
        chosen("wave = ''").stream().filter(n -> n.startsWith("lending")).toList());
    assertTrue(chosen("wave has ''").contains("lending-db"));
    assertTrue(chosen("network = " + network).contains("lending-db"));
    assertTrue(chosen("network has " + network.substring(1)).contains("lending-db"));
    assertEquals(
        List.of("lending-db"),
        chosen("name = lending-db and memory = " + mib + " MiB and disks = " + disks));
    assertEquals(List.of(), chosen("name = lending-db and memory > " + mib + " MiB"));
    assertEquals(List.of(), chosen("cpus > 99999999999 or vanished or disk >= 8000 TiB"));
    assertEquals(
        List.of("lending-db"),
        chosen("on and not fenced and firmware != '' and os lacks zz and name = lending-db"));

    assertTrue(
        done("machine", "label", "--filter", LENDING, "--set", "app=It's lending")
            .out()
            .startsWith("changed 3 of 3 chosen"));
    assertTrue(
        done("machine", "label", "lending-db", "--set", "app=It's lending", "--set", "tier=data")
            .out()
            .startsWith("changed 1 of 1 chosen"));
    assertEquals(
        List.of("lending-db"), chosen("label.app = \"it's lending\" and label.tier != ''"));
    assertTrue(done("machine", "show", "lending-db").out().contains("tier=data"));
    done("site", "scan", "mill-street", "--wait");
    assertEquals(List.of("lending-db"), chosen("label.tier = data"));
    done("machine", "label", "--filter", LENDING, "--remove", "app", "--remove", "tier");
    assertEquals(List.of(), chosen("label.tier = data"));
    assertEquals(lending, chosen("label.app = lending"), "what the platform tells is uncovered");

    Said wrong = say("machine", "list", "--filter", "name = a and memry > 8 GiB");
    assertEquals(2, wrong.code());
    assertTrue(
        wrong.err().contains("'memry' is not a field, at character 14 of the filter"), wrong.err());
    assertTrue(wrong.err().contains("memory"));
    assertEquals(2, say("machine", "label", "lending-db", "--set", "a b=c").code());
    assertEquals(2, say("machine", "label", "--set", "a=b").code());
    assertEquals(2, say("machine", "label", "lending-db").code());

    String first = done("machine", "list", "--sort", "-memory", "--size", "1").out();
    assertTrue(first.contains("1 of ") && first.contains("; more: --page 1"), first);
    String all = done("machine", "list", "--all", "--output", "csv").out();
    assertEquals(
        harness.api().get("/machines?size=1").path("total").asInt() + 1, all.split("\r\n").length);
  }

  @Test
  @Order(4)
  void exitCodesTellWhatKindOfTroubleItWas() {
    assertEquals(2, say("wave", "cutover").code(), "wrong usage");
    Said unknown = say("wave", "show", "nothing");
    assertEquals(1, unknown.code());
    assertTrue(
        unknown.err().contains("there is no wave 'nothing'") && unknown.err().contains("Next:"));
    assertEquals(
        2, say("timetable", "add", "x", "--every", "1", "--rpo", "60", "--keep", "1").code());
    Said unconfirmed =
        say("wave", "cutover", "lending", "--override", "a test", "--confirm", "other");
    assertEquals(2, unconfirmed.code());
    assertTrue(unconfirmed.err().contains("--confirm lending"));
    CommandLine line = Cli.commandLine();
    StringWriter err = new StringWriter();
    line.setErr(new PrintWriter(err, true));
    assertEquals(3, line.execute("wave", "list", "--home", dir.resolve("empty").toString()));
    assertTrue(err.toString().contains("./bargelane"));
    assertFalse(err.toString().contains("Exception"));
  }

  @Test
  @Order(6)
  void theTestIsFollowedAndItsDossierKept() throws IOException {
    assertTrue(done("wave", "test", "lending", "--wait").out().contains("no block differs"));
    assertTrue(done("dossier", "list").out().contains("test"));
    assertTrue(done("run", "list").out().contains("Test cutover of lending"));
    assertTrue(done("event", "list", "--output", "json").out().lines().count() > 20);
    assertEquals(0, say("wave", "settle", "lending", "--confirm", "lending", "--wait").code());
    assertEquals(List.of(), harness.saltmarsh().ours());
  }
}
