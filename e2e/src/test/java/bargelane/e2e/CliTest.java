package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.client.ApiClient;
import bargelane.client.Cli;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.io.TempDir;
import picocli.CommandLine;

/** The command line against a running service: what it prints, and its exit codes. */
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class CliTest {

  private static Harness harness;
  @TempDir static Path dir;

  private record Said(int code, String out, String err) {}

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.create().all();
    Files.writeString(dir.resolve("estate"), harness.estate().token());
    Files.writeString(dir.resolve("cloud"), harness.saltmarsh().token());
  }

  @AfterAll
  static void stop() throws IOException {
    harness.close();
  }

  private static Said say(String... arguments) {
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    CommandLine line = Cli.commandLine();
    line.setOut(new PrintWriter(out, true));
    line.setErr(new PrintWriter(err, true));
    List<String> all = new ArrayList<>(List.of(arguments));
    if (arguments.length > 1 && !all.contains("--help")) {
      all.add("--home");
      all.add(harness.home().toString());
    }
    int code = line.execute(all.toArray(String[]::new));
    return new Said(code, out.toString(), err.toString());
  }

  private static Said done(String... arguments) {
    Said said = say(arguments);
    assertEquals(0, said.code(), String.join(" ", arguments) + ": " + said.out() + said.err());
    return said;
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
    assertTrue(done("site", "scan", "mill-street", "--wait").out().contains("2 appeared"));
    assertTrue(done("site", "scan", "mill-street", "--wait").out().contains("nothing changed"));
    done("site", "scan", "saltmarsh", "--wait");
    assertTrue(done("machine", "list").out().contains("lending-db"));
    assertTrue(done("machine", "show", "lending-app").out().contains("10.20.1.31"));
    Said assessed = done("assessment", "add", "--target", "saltmarsh", "lending-db", "lending-app");
    assertTrue(assessed.out().contains("wherry-4") && assessed.out().contains("Total a month"));
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
            "--storage",
            "shelf-a=reed",
            "--storage",
            "shelf-b=mud",
            "--keep-addresses");
    assertTrue(lane.out().contains("network-not-joined"));
    assertEquals(1, say("lane", "check", "mill-to-marsh").code());
    done("lane", "edit", "mill-to-marsh", "--network", "net-staff=sub-staff");
    done("lane", "check", "mill-to-marsh");
    done("timetable", "add", "brisk", "--every", "5", "--rpo", "60", "--keep", "6");
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
    assertEquals(harness.api().get("/machines?size=100&site=&name=").path("items"), json);
    String csv = done("site", "list", "--output", "csv").out();
    assertTrue(csv.startsWith("name,kind,status,") && csv.contains("\r\n"));
    JsonNode wave =
        ApiClient.JSON.readTree(done("wave", "show", "lending", "--output", "json").out());
    assertEquals("lending", wave.path("name").asText());
  }

  @Test
  @Order(3)
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
  @Order(4)
  void everyCommandHasHelpWithAnExample() {
    CommandLine root = Cli.commandLine();
    for (CommandLine noun : root.getSubcommands().values()) {
      for (CommandLine verb : noun.getSubcommands().values()) {
        if (!verb.getCommandName().equals("help")) {
          String usage = verb.getUsageMessage(CommandLine.Help.Ansi.OFF);
          assertTrue(
              usage.contains("Example:")
                  && usage.contains(
                      "bargelane " + noun.getCommandName() + " " + verb.getCommandName()),
              usage);
        }
      }
    }
  }

  @Test
  @Order(5)
  void theTestIsFollowedAndItsDossierKept() throws IOException {
    assertTrue(done("wave", "test", "lending", "--wait").out().contains("no block differs"));
    assertTrue(done("dossier", "list").out().contains("test"));
    assertTrue(done("run", "list").out().contains("Test cutover of lending"));
    assertTrue(done("event", "list", "--output", "json").out().lines().count() > 20);
    assertEquals(0, say("wave", "settle", "lending", "--confirm", "lending", "--wait").code());
    assertEquals(List.of(), harness.saltmarsh().ours());
  }
}
