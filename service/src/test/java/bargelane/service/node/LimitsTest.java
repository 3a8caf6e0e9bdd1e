package bargelane.service.node;

import static java.nio.charset.StandardCharsets.UTF_8;
import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTimeoutPreemptively;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.account.Need;
import bargelane.core.account.Role;
import bargelane.core.word.Worded;
import bargelane.service.http.Reach;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.BufferedReader;
import java.io.InputStream;
import java.io.InputStreamReader;
import java.net.URLEncoder;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.time.Duration;
import java.util.EnumSet;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.stream.StreamSupport;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;

/** An account that is limited to some machines, at every endpoint. */
class LimitsTest extends Served {

  private static final Set<Role> ROLES =
      EnumSet.of(Role.READER, Role.PLANNER, Role.MOVER, Role.APPROVER);

  private static String limited;

  @BeforeAll
  static void estate() throws Exception {
    done("POST", "/sites", owner, Map.of("name", "list", "kind", "csv", "address", ""));
    done(
        "POST",
        "/sites/list/machines",
        owner,
        Map.of("csv", "id,name,cpus,memory\n1,books,2,4 GiB\n2,till,2,4 GiB\n"));
    limited = limited("lia", "name = books", ROLES.stream().map(Role::word).toArray(String[]::new));
  }

  private static String limited(String name, String machines, String... roles) throws Exception {
    done(
        "POST",
        "/accounts",
        owner,
        Map.of("name", name, "roles", List.of(roles), "machines", machines));
    return token(name);
  }

  private static List<String> names(String token, String filter) throws Exception {
    JsonNode page =
        done("GET", "/machines?filter=" + URLEncoder.encode(filter, UTF_8), token, null);
    List<String> names =
        StreamSupport.stream(page.path("items").spliterator(), false)
            .map(m -> m.path("name").asText())
            .toList();
    assertEquals(names.size(), page.path("total").asInt(), "the count tells no more");
    return names;
  }

  @Test
  void theyGetTheirOwnMachinesWhateverTheyAskFor() throws Exception {
    assertEquals(List.of("books", "till"), names(owner, ""));
    assertEquals(List.of("books"), names(limited, ""));
    assertEquals(List.of(), names(limited, "name = till"));
    assertEquals(List.of("books"), names(limited, "name = till or cpus = 2"));
    assertEquals(
        "filter-malformed",
        code(call("GET", "/machines?filter=name%3Dtill)%20or%20(cpus%3D2", limited, null)));
    assertEquals(200, call("GET", "/machines/books", limited, null).statusCode());
    HttpResponse<String> other = call("GET", "/machines/till", limited, null);
    HttpResponse<String> none = call("GET", "/machines/nobody", limited, null);
    assertEquals(404, other.statusCode());
    assertEquals(
        other.body().replace("till", "nobody"), none.body(), "it does not tell them apart");
    assertEquals(200, call("GET", "/machines/till", owner, null).statusCode());
    assertEquals("name = books", done("GET", "/me", limited, null).path("machines").asText());
  }

  @Test
  void everyEndpointDeclaresWhatIsForThemAndKeepsToIt() throws Exception {
    JsonNode paths = done("GET", "/openapi.json", owner, null).path("paths");
    int shut = 0;
    int theirs = 0;
    for (var path : (Iterable<Map.Entry<String, JsonNode>>) paths::fields) {
      for (var one : (Iterable<Map.Entry<String, JsonNode>>) path.getValue()::fields) {
        Reach reach = Worded.of(Reach.class, one.getValue().path("x-limited").asText());
        Set<Need> needs = EnumSet.noneOf(Need.class);
        one.getValue().path("x-needs").forEach(n -> needs.add(Worded.of(Need.class, n.asText())));
        if (!Role.allow(ROLES, needs) || needs.contains(Need.NOTHING)) {
          continue;
        }
        String method = one.getKey().toUpperCase(Locale.ROOT);
        String plain = path.getKey().substring("/api/v1".length());
        if (plain.equals("/sign-out")) {
          continue;
        }
        String asked = plain.replace("{machine}", "till").replaceAll("\\{\\w+}", "nothing-such");
        HttpResponse<String> r = call(method, asked, limited, null);
        String told = method + " " + plain + ": " + r.statusCode() + " " + r.body();
        switch (reach) {
          case NONE -> {
            shut++;
            assertEquals(403, r.statusCode(), told);
            assertEquals("account-limited", code(r), told);
          }
          case MACHINE, WAVE, RUN, APPROVAL -> {
            theirs++;
            assertEquals(404, r.statusCode(), told);
          }
          default -> assertFalse(r.body().matches("(?s).*\\btill\\b.*"), told);
        }
      }
    }
    assertTrue(shut > 40 && theirs > 25, shut + " shut, " + theirs + " theirs");
    assertEquals(403, send(request("GET", "/metrics", limited, null)).statusCode());
    JsonNode audit = done("GET", "/audit?account=lia&refused=true&size=200", owner, null);
    assertTrue(audit.toString().contains("account-limited"), "who tried is known");
  }

  @Test
  void aLimitIsAFilterThatCanBeReadAndNeverAKeepers() throws Exception {
    Map<String, Object> keeper =
        Map.of("name", "kit", "roles", List.of("keeper"), "machines", "name = books");
    assertEquals("keeper-limited", code(call("POST", "/accounts", owner, keeper)));
    assertEquals(
        "filter-malformed",
        code(
            call(
                "POST",
                "/accounts",
                owner,
                Map.of("name", "max", "roles", List.of("reader"), "machines", "name ="))));
    String token = limited("nia", "name = till", "reader");
    assertEquals(List.of("till"), names(token, ""));
    assertEquals(
        "keeper-limited",
        code(call("PUT", "/accounts/nia", owner, Map.of("roles", List.of("keeper")))));
    done("PUT", "/accounts/nia", owner, Map.of("machines", "name = books"));
    assertEquals(List.of("books"), names(token, ""), "with the token that it had before");
    done("PUT", "/accounts/nia", owner, Map.of("machines", ""));
    assertEquals(List.of("books", "till"), names(token, ""));
  }

  @Test
  void anOpenReaderOfEventsIsLimitedToo() throws Exception {
    String token = account("sam", "reader");
    try (InputStream sams = events(token);
        InputStream owners = events(owner)) {
      done("PUT", "/accounts/sam", owner, Map.of("machines", "name = books"));
      done("POST", "/machines/labels", owner, label("till"));
      BufferedReader seen = new BufferedReader(new InputStreamReader(owners, UTF_8));
      assertTimeoutPreemptively(
          Duration.ofSeconds(10),
          () -> {
            String line = seen.readLine();
            while (!line.contains("labelled 1 machine")) {
              line = seen.readLine();
            }
          });
      done("DELETE", "/accounts/sam", owner, null);
      String told =
          assertTimeoutPreemptively(
              Duration.ofSeconds(10), () -> new String(sams.readAllBytes(), UTF_8));
      assertFalse(told.contains("labelled"), told);
    }
  }

  private static Map<String, Object> label(String machine) {
    return Map.of("machines", List.of(machine), "set", Map.of("seen", "yes"));
  }

  private static InputStream events(String token) throws Exception {
    HttpResponse<InputStream> stream =
        http.send(
            request("GET", "/api/v1/events/stream", token, null)
                .header("Accept", "text/event-stream")
                .build(),
            BodyHandlers.ofInputStream());
    assertEquals(200, stream.statusCode());
    return stream.body();
  }

  @Test
  void theirEventsAreOfTheirWaves() throws Exception {
    assertTrue(done("GET", "/events", owner, null).size() > 0);
    assertEquals(0, done("GET", "/events", limited, null).size());
    JsonNode first = done("GET", "/events", owner, null).path(0);
    assertTrue(first.has("actor"));
    boolean imported =
        StreamSupport.stream(done("GET", "/events", owner, null).spliterator(), false)
            .anyMatch(
                e -> e.path("kind").asText().equals("site") && !e.path("actor").asText().isEmpty());
    assertTrue(imported, "who imported the list is told");
  }
}
