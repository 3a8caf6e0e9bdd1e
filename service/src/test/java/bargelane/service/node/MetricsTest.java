package bargelane.service.node;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertTrue;

import java.net.http.HttpResponse;
import java.nio.file.Files;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.Statement;
import java.util.List;
import java.util.Set;
import java.util.TreeSet;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.junit.jupiter.api.Test;

/** What a monitoring system is told, and the alert rules that are made of it. */
class MetricsTest extends Served {

  private static void sql(String... statements) throws Exception {
    try (Connection c = DriverManager.getConnection(database.url, "bargelane", database.password);
        Statement s = c.createStatement()) {
      for (String one : statements) {
        s.execute(one);
      }
    }
  }

  private static double value(String metrics, String series) {
    return metrics
        .lines()
        .filter(l -> l.startsWith(series + " "))
        .mapToDouble(l -> Double.parseDouble(l.substring(series.length() + 1)))
        .findFirst()
        .orElseThrow(() -> new AssertionError(series + " is not in\n" + metrics));
  }

  @Test
  void eachAlertIsMadeOfWhatIsTold() throws Exception {
    sql(
        "insert into site (id, name, kind, address, created_at, findings) values ('s', 'annex', 'standin', '', now(),"
            + " '[{\"code\":\"SITE_UNREACHABLE\",\"thing\":\"annex\",\"cause\":\"away\",\"remedy\":{\"advice\":\"\",\"arguments\":[]},\"who\":\"SITE_OWNER\"}]')",
        "insert into lane values ('l', 'l', 's', 's', '{}', 0)",
        "insert into timetable (id, name, every_seconds, rpo_seconds, keep_points, verify) values ('tt', 'tt', 15, 60, 6, true)",
        "insert into wave (id, name, created_at) values ('w', 'lending', now())",
        "insert into tow (id, wave_id, landed, diverged, name, lane_id, timetable_id) values ('tow', 'w', false, false, 'lending', 'l', 'tt')",
        "insert into leg (id, tow_id, number, direction, state, marker, held_by) values ('leg', 'tow', 1, 'out', 'open', '', 'ada')",
        "insert into point (id, tow_id, leg_id, site_id, number, name, as_of, spread_ms, one_instant, consistency, verification, recorded_at, sent, volumes)"
            + " values ('p', 'tow', 'leg', 's', 1, 'p', now() - interval '300 seconds', 0, true, 'crash-consistent', 'none', now(), 0, '[]')",
        "update leg set point_id = 'p'",
        "insert into site_object (id, site_id, tow_id, kind, name, owner, wanted, recorded_at, problem) values ('o', 's', 'tow', 'volume', 'v', 'x', false, now(), 'away')",
        "insert into run (id, kind, title, subject_kind, subject_id, subject_name, routine, state, epoch, input, notes, started_by, started_at)"
            + " values ('r', 'unknown', 'x', 'wave', 'tow', 'lending', false, 'backing out', 1, '{}', '{}', 'ada', now())");
    HttpResponse<String> answer = send(request("GET", "/metrics", owner, null));
    assertEquals(200, answer.statusCode(), answer.body());
    String metrics = answer.body();
    assertEquals(300, value(metrics, "bargelane_wave_exposure_seconds{wave=\"lending\"}"), 30);
    assertEquals(60, value(metrics, "bargelane_wave_rpo_seconds{wave=\"lending\"}"));
    assertEquals(1, value(metrics, "bargelane_wave_held{wave=\"lending\"}"));
    assertEquals(1, value(metrics, "bargelane_site_findings{site=\"annex\"}"));
    assertEquals(1, value(metrics, "bargelane_things_unwanted"));
    assertEquals(1, value(metrics, "bargelane_runs_open{kind=\"unknown\",state=\"backing out\"}"));
    // It is gone along beside the start.
    String later = metrics;
    for (int i = 0; i < 200 && Double.isNaN(value(later, "bargelane_audit_sound")); i++) {
      later = send(request("GET", "/metrics", owner, null)).body();
    }
    assertEquals(1, value(later, "bargelane_audit_sound"));
    assertTrue(value(metrics, "bargelane_certificate_left_seconds") > 86400.0 * 3000);

    Path docs = Path.of("").toAbsolutePath().getParent().resolve("docs");
    String rules = Files.readString(docs.resolve("alerts.yaml"));
    String operations = Files.readString(docs.resolve("operations.md"));
    Set<String> used = new TreeSet<>();
    for (Matcher m = Pattern.compile("bargelane_[a-z_]+").matcher(rules); m.find(); ) {
      used.add(m.group());
    }
    assertTrue(used.size() > 6, used + "");
    for (String name : used) {
      assertTrue(metrics.contains("\n" + name + "{") || metrics.contains("\n" + name + " "), name);
    }
    for (Matcher m = Pattern.compile("alert: (\\w+)").matcher(rules); m.find(); ) {
      assertTrue(operations.contains("| `" + m.group(1) + "` |"), m.group(1) + " is explained");
    }
  }

  @Test
  void metricsAreForWhoMayReadAndLifeIsForAnybody() throws Exception {
    assertEquals(401, send(request("GET", "/metrics", "", null)).statusCode());
    for (String path : List.of("/live", "/health")) {
      assertEquals(200, call("GET", path, "", null).statusCode(), path);
    }
  }
}
