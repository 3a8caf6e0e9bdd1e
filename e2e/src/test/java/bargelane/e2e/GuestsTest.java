package bargelane.e2e;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertNotEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.e2e.Terminal.Said;
import bargelane.standins.host.SshServer;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.concurrent.TimeUnit;
import java.util.function.BooleanSupplier;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.MethodOrderer;
import org.junit.jupiter.api.Order;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.TestMethodOrder;
import org.junit.jupiter.api.extension.ExtendWith;
import org.junit.jupiter.api.io.TempDir;

/**
 * This very machine, read from inside: over SSH by the collector, and by an agent that was
 * installed by its pasted line, as an account without rights.
 */
@ExtendWith(OneAfterAnother.class)
@TestMethodOrder(MethodOrderer.OrderAnnotation.class)
class GuestsTest {

  private static final String NOBODY = "65534";

  private static Harness harness;
  private static Terminal terminal;
  private static SshServer server;
  @TempDir static Path dir;
  private static Path agentDir;

  @BeforeAll
  static void start() throws IOException {
    harness = Harness.create().database().service();
    terminal = new Terminal(harness);
    server = SshServer.start();
    Files.writeString(dir.resolve("key"), server.key());
    agentDir = Files.createTempDirectory("bl-agent");
    Files.setPosixFilePermissions(agentDir, PosixFilePermissions.fromString("rwxrwxrwx"));
  }

  @AfterAll
  static void stop() throws IOException {
    agentPid().ifPresent(GuestsTest::end);
    server.close();
    harness.close();
    run("rm", "-rf", agentDir.toString());
  }

  private static String run(String... words) throws IOException {
    Process p = new ProcessBuilder(words).start();
    return new String(p.getInputStream().readAllBytes(), StandardCharsets.UTF_8).strip();
  }

  private static void until(String what, BooleanSupplier holds) throws IOException {
    long end = System.nanoTime() + TimeUnit.MINUTES.toNanos(3);
    while (!holds.getAsBoolean()) {
      assertTrue(System.nanoTime() < end, "waited in vain for " + what);
      Harness.pause(200);
    }
  }

  private static void sql(String statement) throws SQLException, IOException {
    try (Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement s = db.createStatement()) {
      s.executeUpdate(statement);
    }
  }

  private static long count(String from) throws IOException {
    try (Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement s = db.createStatement();
        ResultSet r = s.executeQuery("select count(*) from " + from)) {
      r.next();
      return r.getLong(1);
    } catch (SQLException e) {
      throw new IOException(e);
    }
  }

  @Test
  @Order(1)
  void aListOfServersIsReadWithNamedCredentialsAndHeldToItsHostKeys() throws IOException {
    Said none = terminal.done("credential", "list");
    assertTrue(none.out().contains("credential add"), none.out());
    terminal.done(
        "credential",
        "add",
        "scouts",
        "--type",
        "key",
        "--account",
        server.account(),
        "--secret-file",
        dir.resolve("key").toString(),
        "--for",
        "127.0.0.0/8");
    Said wrong =
        terminal.say(
            "credential",
            "add",
            "broken",
            "--type",
            "key",
            "--account",
            "x",
            "--secret-file",
            harness.home().resolve("service/address").toString(),
            "--for",
            "any");
    assertTrue(wrong.code() == 2 && wrong.err().contains("private key"), wrong.all());
    terminal.done("site", "add", "branches", "--kind", "servers", "--credential", "scouts");
    assertTrue(terminal.done("server", "list", "branches").out().contains("Add some"));
    Path csv = dir.resolve("servers.csv");
    Files.writeString(
        csv, "address,host_key\n127.0.0.1:x,\n127.0.0.1,SHA256:short\nfine,\nfine,\n");
    Said refused = terminal.say("server", "add", "branches", "--csv", csv.toString());
    assertEquals(1, refused.code());
    assertTrue(
        refused.out().contains("is not an address")
            && refused.out().contains("is not a fingerprint")
            && refused.out().contains("is there twice")
            && refused.out().contains("nothing is stored"),
        refused.out());
    String address = "127.0.0.1:" + server.port();
    Files.writeString(csv, "address,host_key\r\n" + address + "," + server.fingerprint() + "\r\n");
    assertTrue(
        terminal
            .done("server", "add", "branches", "--csv", csv.toString(), "--dry-run")
            .out()
            .contains("dry run"));
    assertEquals(0, terminal.told("server", "list", "branches").path("total").asInt());
    terminal.done("server", "add", "branches", address);
    assertEquals(1, terminal.say("site", "scan", "branches", "--wait").code());
    String unknown = terminal.done("server", "list", "branches").out();
    assertTrue(unknown.contains("not approved: " + server.fingerprint()), unknown);
    assertEquals(2, terminal.say("server", "trust", "branches", address).code());
    assertTrue(
        terminal
            .done("server", "trust", "branches", "--shown", "--dry-run")
            .out()
            .contains(server.fingerprint()));
    assertTrue(
        terminal
            .done("server", "trust", "branches", "--shown")
            .out()
            .contains("1 host key is approved."));
    assertTrue(terminal.done("site", "check", "branches").out().contains("server-fact-unread"));
    assertTrue(terminal.done("site", "scan", "branches", "--wait").out().contains("1 appeared"));
    assertTrue(
        terminal.done("site", "scan", "branches", "--wait").out().contains("nothing changed"));
    String host = run("uname", "-n");
    JsonNode machine = terminal.told("machine", "show", host);
    assertEquals(run("getconf", "_NPROCESSORS_ONLN"), machine.path("cpus").asText());
    JsonNode listed = terminal.told("server", "list", "branches").path("items").path(0);
    assertEquals(host, listed.path("machine").asText());
    assertEquals("scouts", listed.path("credential").asText());

    server.setUpAnew();
    assertEquals(1, terminal.say("site", "scan", "branches", "--wait").code());
    String told = terminal.done("server", "list", "branches").out();
    assertTrue(told.contains("host key"), told);
    assertEquals(host, terminal.told("machine", "show", host).path("name").asText());
    terminal.done("server", "trust", "branches", address, server.fingerprint());
    terminal.done("site", "scan", "branches", "--wait");

    assertEquals(1, terminal.say("credential", "remove", "scouts").code());
    String everything =
        terminal.done("credential", "list", "--output", "json").out() + harness.log("service");
    assertFalse(everything.contains("PRIVATE KEY"), "a secret was told or logged");
    Files.writeString(dir.resolve("other"), "made-up-password");
    terminal.done(
        "credential",
        "add",
        "others",
        "--account",
        "nobody",
        "--secret-file",
        dir.resolve("other").toString(),
        "--for",
        "127.0.0.0/8");
    terminal.done("site", "credentials", "branches", "others", "scouts");
    terminal.done("site", "scan", "branches", "--wait");
    assertEquals(
        "scouts",
        terminal
            .told("server", "list", "branches")
            .path("items")
            .path(0)
            .path("credential")
            .asText());
  }

  private static String line() {
    String out = terminal.done("agent", "key", "annexes").out();
    return out.substring(out.indexOf("curl ")).strip();
  }

  /** Pastes a line as an account without rights; what it said, and its exit code at the end. */
  private static String paste(String line) throws IOException {
    List<String> words = new ArrayList<>();
    if (System.getProperty("user.name").equals("root")) {
      words.addAll(List.of("setpriv", "--reuid=" + NOBODY, "--regid=" + NOBODY, "--clear-groups"));
    }
    words.addAll(List.of("sh", "-c", "cd /; { " + line + "; } 2>&1; echo \"ended with $?\""));
    ProcessBuilder shell = new ProcessBuilder(words).redirectErrorStream(true);
    shell.environment().put("BARGELANE_DIR", agentDir.toString());
    shell
        .environment()
        .put("BARGELANE_AGENT_OPTIONS", "--every 1 --links-every 3 --survey-every 600");
    // The agent outlives the shell and keeps what it inherits: not a pipe that we read to its end.
    Path said = Files.createTempFile(dir, "pasted", "");
    Process p = shell.redirectOutput(said.toFile()).start();
    p.onExit().join();
    return Files.readString(said);
  }

  private static java.util.Optional<ProcessHandle> agentPid() {
    try {
      Path pid = agentDir.resolve("state/pid");
      return Files.exists(pid)
          ? ProcessHandle.of(Long.parseLong(Files.readString(pid).strip()))
          : java.util.Optional.empty();
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  private static void end(ProcessHandle process) {
    process.destroyForcibly();
    process.onExit().join();
  }

  private static JsonNode agent() {
    return harness.api().get("/sites/annexes/agents").path(0);
  }

  private static long lines(String file) {
    try {
      Path at = agentDir.resolve("state").resolve(file);
      return Files.exists(at) ? Files.readAllLines(at).size() : 0;
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  @Test
  @Order(2)
  void anAgentIsInstalledByItsPastedLineAndIsTheMachineThatWasKnownAlready() throws IOException {
    terminal.done("site", "add", "annexes", "--kind", "agents");
    String line = line();
    String wrongPin = line.replaceFirst("sha256//.{8}", "sha256//AAAAAAAA");
    assertFalse(paste(wrongPin).contains("agent runs"), "who can't show our key installs nothing");
    String said = paste(line);
    assertTrue(said.contains("is agent ag-") && said.contains("ended with 0"), said);
    until("the agent's first survey", () -> agent().path("surveyedAt").isTextual());
    JsonNode told = agent();
    assertEquals("reporting", told.path("state").asText());
    String host = run("uname", "-n");
    assertEquals(1, harness.api().get("/machines").path("total").asInt(), "one machine is one");
    JsonNode machine = terminal.told("machine", "show", host);
    assertEquals(2, machine.path("sources").size(), machine + "");
    JsonNode survey = null;
    for (JsonNode s : terminal.told("machine", "survey", host)) {
      survey = s.path("site").asText().equals("annexes") ? s : survey;
    }
    assertEquals(run("uname", "-m"), survey.path("architecture").asText());
    assertEquals(
        run("sh", "-c", "dpkg -l | grep -c ^ii"), String.valueOf(survey.path("packages").size()));
    assertTrue(
        survey.path("listeners").findValuesAsText("port").contains(String.valueOf(server.port())),
        survey.path("listeners") + "");
    assertTrue(
        survey.path("unread").findValuesAsText("fact").contains("owners")
            || !System.getProperty("user.name").equals("root"),
        "an account without rights can't see whose sockets are");
    String facts = terminal.done("machine", "facts", host).out();
    assertTrue(facts.contains("branches") && facts.contains("annexes"), facts);

    String key = line.replaceAll(".*BARGELANE_KEY=([^ ]+) .*", "$1");
    assertEquals(0, count("answered where position('" + key + "' in body) > 0"), "a key is kept");
    String again = paste(line);
    assertTrue(again.contains("key-used") && again.contains("ended with 4"), again);
  }

  @Test
  @Order(3)
  void anAgentThatIsKilledOrNotListenedToLosesNothing() throws Exception {
    // The second paste above ended the agent before it was refused; a new key brings it back.
    String said = paste(line());
    assertTrue(said.contains("ended with 0"), said);
    until("the second agent to wait", () -> agent().path("state").asText().equals("waiting"));
    String second = agent().path("id").asText();
    terminal.done("agent", "approve", "annexes", second);
    until(
        "the agent to take the former's place",
        () -> agent().path("id").asText().equals(second) && agent().path("surveyedAt").isTextual());
    harness.kill("service");
    until("looks to be kept", () -> lines("looks") > 5);
    end(agentPid().orElseThrow());
    long kept = lines("looks");
    harness.service();
    Process agent =
        new ProcessBuilder(
                agentDir + "/program/bin/bargelane-agent",
                "run",
                "--dir",
                agentDir + "/state",
                "--every",
                "1")
            .redirectErrorStream(true)
            .redirectOutput(agentDir.resolve("again.log").toFile())
            .start();
    Files.writeString(agentDir.resolve("state/pid"), agent.pid() + "\n");
    until("what was kept to be told", () -> lines("looks") <= 1);
    assertTrue(
        Files.readString(agentDir.resolve("again.log")).contains(kept + " looks are kept"),
        Files.readString(agentDir.resolve("again.log")));
    assertTrue(
        terminal.done("site", "scan", "annexes", "--wait").out().contains("nothing changed"));

    assertEquals(1, harness.api().get("/sites/annexes/agents").size(), "one a machine");
    String id = agent().path("id").asText();
    terminal.done("agent", "remove", "annexes", id);
    assertTrue(agent.waitFor(2, TimeUnit.MINUTES), "a removed agent ends");
    assertEquals(4, agent.exitValue());
    String expired = line();
    sql("update agent_key set expires_at = now() - interval '1 minute' where used_at is null");
    String late = paste(expired);
    assertTrue(late.contains("key-expired") && late.contains("ended with 4"), late);
    assertNotEquals(0, terminal.say("agent", "key", "annexes", "--valid", "900h").code());
  }

  @Test
  @Order(5)
  void aSiteThatWasScannedIsRemovedWithWhatOnlyItToldOf() throws IOException {
    terminal.done("site", "remove", "branches");
    terminal.done("site", "remove", "annexes");
    assertEquals(0, terminal.told("site", "list").size());
    assertEquals(0, terminal.told("machine", "list").size());
    assertEquals(0, count("sighting") + count("server") + count("agent") + count("agent_key"));
    terminal.done("credential", "remove", "scouts");
  }

  @Test
  @Order(4)
  void whereAgentsComeToNothingElseIsToBeHad() throws Exception {
    String port = Files.readString(harness.home().resolve("service/agents-port")).strip();
    for (Map.Entry<String, String> e :
        Map.of(
                "/api/v1/sites", "404",
                "/", "404",
                "/package/..%2f..%2fsecret", "400",
                "/package/linux-vax.tar.gz", "404",
                "/report", "401",
                "/enrol", "422")
            .entrySet()) {
      boolean posts = e.getKey().equals("/report") || e.getKey().equals("/enrol");
      assertEquals(
          e.getValue(),
          run(
              "curl",
              "-sk",
              "-o",
              "/dev/null",
              "-w",
              "%{http_code}",
              "-X",
              posts ? "POST" : "GET",
              "--path-as-is",
              "https://127.0.0.1:" + port + e.getKey()),
          e.getKey());
    }
    Path big = dir.resolve("big");
    Files.write(big, new byte[1 << 20]);
    assertEquals(
        "413",
        run(
            "curl",
            "-sk",
            "-o",
            "/dev/null",
            "-w",
            "%{http_code}",
            "--data-binary",
            "@" + big,
            "https://127.0.0.1:" + port + "/enrol"));
  }
}
