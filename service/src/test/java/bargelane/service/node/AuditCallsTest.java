package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertFalse;
import static org.junit.jupiter.api.Assertions.assertTrue;

import com.fasterxml.jackson.databind.JsonNode;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** What the audit tells of calls: what stood there, and what was asked. */
class AuditCallsTest extends Served {

  private static JsonNode newest() throws Exception {
    return done("GET", "/audit?size=1", owner, null).path("items").path(0);
  }

  private static void told(String method, String path, String before, String asked)
      throws Exception {
    JsonNode entry = newest();
    assertEquals(method, entry.path("method").asText());
    assertEquals("/api/v1" + path, entry.path("path").asText());
    assertEquals(before, entry.path("before").asText());
    assertEquals(asked, entry.path("asked").asText());
  }

  @Test
  void anEditTellsWhatStoodInTheFieldsThatItNames() throws Exception {
    done(
        "POST",
        "/timetables",
        owner,
        Map.of("name", "hourly", "everySeconds", 3600, "rpoSeconds", 7200, "keepPoints", 4));
    told("POST", "/timetables", "", newest().path("asked").asText()); // there was nothing
    done("PUT", "/timetables/hourly", owner, Map.of("keepPoints", 9));
    told("PUT", "/timetables/hourly", "{\"keepPoints\":4}", "{\"keepPoints\":9}");

    account("kit", "reader");
    done("PUT", "/accounts/kit", owner, Map.of("roles", List.of("mover")));
    told("PUT", "/accounts/kit", "{\"roles\":[\"reader\"]}", "{\"roles\":[\"mover\"]}");
    done("PUT", "/accounts/kit", owner, Map.of("password", "a password that is long"));
    JsonNode entry = newest();
    assertEquals("{\"password\":\"(not kept)\"}", entry.path("asked").asText());
    assertTrue(entry.path("before").asText().contains("\"roles\":[\"mover\"]"), "" + entry);
  }

  private static void decide(String label, String zone) throws Exception {
    done(
        "PUT",
        "/lanes/audited/rules",
        owner,
        Map.of(
            "changes",
            List.of(Map.of("scope", "label", "of", label, "setting", "zone", "value", zone))));
  }

  @Test
  void aDecisionTellsWhatWasDecidedOfThatAndNothingElse() throws Exception {
    for (String site : List.of("audited-a", "audited-b")) {
      done("POST", "/sites", owner, Map.of("name", site, "kind", "csv"));
    }
    done(
        "POST", "/lanes", owner, Map.of("name", "audited", "from", "audited-a", "to", "audited-b"));
    decide("app=one", "z1");
    decide("app=two", "z1");
    decide("app=one", "z2");
    String before = newest().path("before").asText();
    assertTrue(before.contains("app=one") && before.contains("z1"), before);
    assertFalse(before.contains("app=two"), before);
  }

  @Test
  void aRemovalTellsAllThatGoes() throws Exception {
    account("rex", "reader");
    done("DELETE", "/accounts/rex", owner, null);
    JsonNode before = JSON.readTree(newest().path("before").asText());
    assertEquals("rex", before.path("name").asText());
    assertEquals("reader", before.path("roles").path(0).asText());

    JsonNode token = done("POST", "/tokens", owner, Map.of("name", "night"));
    String id = token.path("token").path("id").asText();
    done("DELETE", "/tokens/" + id, owner, null);
    String gone = newest().path("before").asText();
    assertTrue(gone.contains("\"name\":\"night\""), gone);
    assertFalse(gone.contains(token.path("secret").asText()), gone);
  }

  @Test
  void whatIsNotThereIsRefusedWithNothingBefore() throws Exception {
    assertEquals(404, call("DELETE", "/lanes/none-such", owner, null).statusCode());
    JsonNode refusal = newest();
    assertEquals(404, refusal.path("status").asInt());
    JsonNode asked = done("GET", "/audit?size=2", owner, null).path("items").path(1);
    assertEquals(refusal.path("of").asLong(), asked.path("id").asLong());
    assertEquals("", asked.path("before").asText());
    assertEquals("", done("GET", "/audit/check", owner, null).path("broken").asText());
  }
}
