package bargelane.client;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.io.InputStream;
import java.io.PrintWriter;
import java.io.StringWriter;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.URLDecoder;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.TimeZone;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import picocli.CommandLine;

/**
 * What commands print of answers that a service gave for the demo estate ({@code answers}), beside
 * what they are to print ({@code printed}). A change that is meant: {@code cp
 * client/target/printed/* client/src/test/resources/printed/}, after reading it.
 */
class PrintedTest {

  private static final TimeZone BEFORE = TimeZone.getDefault();
  private static final List<String> asked = new ArrayList<>();
  private static HttpServer server;
  private static Case now;

  @TempDir static Path home;

  /** A command, and what the service answers it. */
  record Case(String name, String command, String request) {

    String answer() {
      return resource("answers/" + name + ".json");
    }

    @Override
    public String toString() {
      return command;
    }
  }

  static Stream<Case> cases() {
    return resource("answers/commands.txt")
        .lines()
        .map(line -> line.split(" \\| "))
        .map(parts -> new Case(parts[0], parts[1], parts[2]));
  }

  private static String resource(String name) {
    try (InputStream in = PrintedTest.class.getResourceAsStream("/" + name)) {
      return in == null ? "" : new String(in.readAllBytes(), StandardCharsets.UTF_8);
    } catch (IOException e) {
      throw new java.io.UncheckedIOException(e);
    }
  }

  @BeforeAll
  static void open() throws IOException {
    TimeZone.setDefault(TimeZone.getTimeZone("UTC"));
    server = HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
    server.createContext(
        "/api/v1",
        exchange -> {
          String path = exchange.getRequestURI().getPath().replaceFirst("^/api/v1", "");
          String request = exchange.getRequestMethod() + " " + path;
          asked.add(request + "?" + exchange.getRequestURI().getRawQuery());
          boolean expected = request.equals(now.request());
          byte[] body =
              (expected ? now.answer() : "{\"code\":\"other\",\"detail\":\"" + request + "\"}")
                  .getBytes(StandardCharsets.UTF_8);
          exchange.sendResponseHeaders(expected ? 200 : 404, body.length);
          exchange.getResponseBody().write(body);
          exchange.close();
        });
    server.start();
    Files.createDirectories(home.resolve("service"));
    Files.writeString(
        home.resolve("service/address"), "http://127.0.0.1:" + server.getAddress().getPort());
    Files.writeString(home.resolve("service/token"), "secret");
  }

  @AfterAll
  static void shut() {
    server.stop(0);
    TimeZone.setDefault(BEFORE);
  }

  @BeforeEach
  void fresh() {
    asked.clear();
  }

  private record Said(int code, String out, String err) {}

  private static Said say(Case one, String... more) {
    now = one;
    List<String> words = new ArrayList<>(List.of(one.command().split(" ")));
    words.addAll(List.of(more));
    words.addAll(List.of("--home", home.toString()));
    StringWriter out = new StringWriter();
    StringWriter err = new StringWriter();
    CommandLine line = Cli.commandLine();
    line.setOut(new PrintWriter(out, true)).setErr(new PrintWriter(err, true));
    int code = line.execute(words.toArray(String[]::new));
    return new Said(code, out.toString(), err.toString());
  }

  @ParameterizedTest
  @MethodSource("cases")
  void isWhatAPersonReads(Case one) throws IOException {
    Said said = say(one);
    assertEquals("", said.err());
    String wanted = resource("printed/" + one.name() + ".txt");
    if (!wanted.equals(said.out())) {
      Path made = Files.createDirectories(Path.of("target/printed"));
      Files.writeString(made.resolve(one.name() + ".txt"), said.out());
    }
    assertEquals(wanted, said.out(), one.command() + " asked " + asked);
  }

  private static List<String> next(String... words) {
    List<String> all = new ArrayList<>(List.of("complete-words", "--home", home.toString(), "--"));
    all.addAll(List.of(words));
    StringWriter out = new StringWriter();
    Cli.commandLine().setOut(new PrintWriter(out, true)).execute(all.toArray(String[]::new));
    return out.toString().lines().toList();
  }

  @Test
  void whatALaneCanDecideIsCompletedWithWhatItsTargetTakes() {
    now = new Case("lane-settings", "", "GET /lanes/mill-to-marsh/settings");
    List<String> all = next("lane", "set", "mill-to-marsh", "zo");
    assertTrue(all.containsAll(List.of("zone=tide-1", "copy=off", "name=")), all.toString());
    // As bash parts a word.
    assertEquals(List.of("tide-1", "tide-2"), next("lane", "set", "mill-to-marsh", "zone", "="));
    assertEquals(
        List.of("tide-1", "tide-2"), next("lane", "set", "mill-to-marsh", "zone", "=", "ti"));
    assertEquals(
        List.of("reed", "mud"),
        next("lane", "set", "mill-to-marsh", "zone", "=", "tide-1", "class", "="));
    assertTrue(next("lane", "unset", "mill-to-marsh", "").containsAll(List.of("zone", "copy")));
    assertEquals(List.of(), next("lane", "set", "other", "zone", "="));
    now = new Case("machine-list", "", "GET /machines");
    List<String> disks = next("lane", "set", "mill-to-marsh", "copy", "=", "off", "--disk", "");
    assertTrue(disks.contains("backup/0") && disks.contains("backup/1"), disks.toString());
  }

  /** A program gets what the service said, fields and all, though this client prints few. */
  @ParameterizedTest
  @MethodSource("cases")
  void isTheServicesOwnJsonForAProgram(Case one) throws IOException {
    Said said = say(one, "--output", "json");
    JsonNode answer = ApiClient.JSON.readTree(one.answer());
    if (one.name().equals("event-list")) {
      assertEquals(answer.size(), said.out().lines().count(), "a line an event");
      assertEquals(answer.get(0), ApiClient.JSON.readTree(said.out().lines().findFirst().get()));
      return;
    }
    JsonNode told = ApiClient.JSON.readTree(said.out());
    JsonNode wanted = answer.has("items") && told.isArray() ? answer.get("items") : answer;
    // As text, since a number may be held in two ways.
    assertEquals(wanted.toString(), told.toString());
  }

  @ParameterizedTest
  @MethodSource("cases")
  void isALineARowForASheet(Case one) throws IOException {
    JsonNode answer = ApiClient.JSON.readTree(one.answer());
    JsonNode rows = answer.has("items") ? answer.get("items") : answer;
    if (!one.command().contains(" list") || !rows.isArray() || one.name().equals("fitness-list")) {
      return;
    }
    List<String> lines = say(one, "--output", "csv").out().lines().toList();
    assertEquals(rows.size() + 1, lines.size(), lines.toString());
    int columns = lines.get(0).split(",").length;
    assertTrue(columns > 2, lines.get(0));
  }

  @Test
  void whatIsTypedArrivesAsItIs() {
    Case list = cases().filter(c -> c.name().equals("machine-list")).findFirst().orElseThrow();
    say(list, "--filter", "label.app = 'a&b' or name has 50%", "--sort", "-memory", "--page", "2");
    String query = URLDecoder.decode(asked.get(0), StandardCharsets.UTF_8);
    assertEquals(
        "GET /machines?page=2&size=3&sort=-memory&filter=label.app = 'a&b' or name has 50%", query);
  }

  @Test
  void severalChoicesOfMachinesAreOneFilter() {
    Case list = cases().filter(c -> c.name().equals("machine-list")).findFirst().orElseThrow();
    say(list, "--filter", "on", "--site", "it's", "--name", "db");
    String query = URLDecoder.decode(asked.get(0), StandardCharsets.UTF_8);
    assertTrue(query.endsWith("&filter=(on) and site = 'it''s' and name has 'db'"), query);
  }
}
