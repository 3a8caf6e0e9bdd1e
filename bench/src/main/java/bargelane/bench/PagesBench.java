package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import java.io.IOException;
import java.nio.file.Files;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.SQLException;
import java.sql.Statement;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/**
 * What people open most, beside a source of 10,000 machines: the overview, the list of waves, a
 * wave's page and a page of machines. One wave of two machines is loaded. Beside each the same
 * client's call of {@code /health}, which asks the database one thing, in the same run.
 */
final class PagesBench {

  private static final int MACHINES = 10_000;
  private static final int CALLS = 200;

  private PagesBench() {}

  static void run() throws IOException, SQLException {
    try (Harness harness = Harness.create().database().estate(MACHINES).cloud().service();
        Connection db =
            DriverManager.getConnection(
                harness.databaseUrl(),
                "bargelane",
                Files.readString(harness.home().resolve("database/password")).strip());
        Statement sql = db.createStatement()) {
      ApiClient api = harness.api();
      Journey journey = new Journey(api, line -> {});
      journey.addSite("mill-street", harness.estate());
      journey.addSite("saltmarsh", harness.saltmarsh());
      journey.check("mill-street");
      journey.check("saltmarsh");
      // What machines used is not looked at here.
      sql.execute("update site set usage_until = now()");
      journey.scan("mill-street");
      journey.scan("saltmarsh");
      journey.lane(Map.of("net-data", "sub-data", "net-staff", "sub-staff"));
      journey.timetable(3600, 7200, 6);
      journey.plan();
      journey.work("load");
      double plain = time(api, "/health")[CALLS / 2];
      for (String path :
          List.of("/overview", "/waves", "/waves/lending", "/lanes", "/machines?size=50")) {
        double[] millis = time(api, path);
        System.out.printf(
            Locale.ROOT,
            "%-22s median %6.1f ms, p99 %6.1f ms, %5.1f times /health (%.1f ms)%n",
            path,
            millis[CALLS / 2],
            millis[CALLS * 99 / 100],
            millis[CALLS / 2] / plain,
            plain);
      }
    }
  }

  private static double[] time(ApiClient api, String path) {
    double[] millis = new double[CALLS];
    for (int i = -30; i < CALLS; i++) {
      long from = System.nanoTime();
      api.get(path);
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    Arrays.sort(millis);
    return millis;
  }
}
