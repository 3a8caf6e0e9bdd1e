package bargelane.bench;

import bargelane.client.ApiClient;
import bargelane.e2e.Harness;
import bargelane.e2e.Journey;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.net.http.HttpResponse.BodyHandlers;
import java.util.Arrays;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.Callable;

/**
 * What the wire and the checks of access cost a call: TLS alone, a token beside it, lists of
 * everything and of one's own, a new connection, a sign-in. Beside an estate of 1,000 machines with
 * one loaded wave, over loopback, one call after the other.
 */
final class AccessBench {

  private static final int MACHINES = 1000;
  private static final int CALLS = 300;
  private static final int SIGN_INS = 40;

  private AccessBench() {}

  static void run() throws Exception {
    try (Harness harness = Harness.create().database().estate(MACHINES).cloud().service()) {
      ApiClient api = harness.api();
      Journey journey = new Journey(api, line -> {});
      journey.addSite("mill-street", harness.estate());
      journey.addSite("saltmarsh", harness.saltmarsh());
      journey.scan("mill-street");
      journey.scan("saltmarsh");
      journey.lane(Map.of("net-data", "sub-data", "net-staff", "sub-staff"));
      journey.timetable(3600, 7200, 6);
      journey.plan();
      journey.work("load");
      String password = "a long evening at the lock";
      JsonNode added =
          api.post(
              "/accounts",
              Map.of(
                  "name",
                  "owner",
                  "password",
                  password,
                  "roles",
                  List.of("reader"),
                  "machines",
                  "name has 'lending'"));
      check(added);
      String limited =
          api.post("/tokens", Map.of("name", "bench", "account", "owner")).path("secret").asText();

      Calls all = new Calls(harness, harness.token());
      Calls own = new Calls(harness, limited);
      double wire = print("GET /live: TLS and HTTP", all.get("/live"), 0);
      print("GET /me: and the token", all.get("/me"), wire);
      for (String path : List.of("/waves", "/waves/lending", "/machines?size=50")) {
        print("GET " + path, all.get(path), wire);
        print("GET " + path + ", limited", own.get(path), wire);
      }
      print(
          "GET /live over a new connection",
          times(CALLS, () -> new Calls(harness, harness.token()).ask("/live")),
          wire);
      print("POST /sign-in", times(SIGN_INS, () -> all.signIn("owner", password)), wire);
    }
  }

  private static void check(JsonNode added) {
    if (!added.path("account").path("name").asText().equals("owner")) {
      throw new IllegalStateException(added.toString());
    }
  }

  /** Whoever calls, over one connection. */
  private record Calls(HttpClient http, String address, String token) {

    Calls(Harness harness, String token) {
      this(
          HttpClient.newBuilder()
              .version(HttpClient.Version.HTTP_1_1)
              .sslContext(harness.trust().context())
              .build(),
          harness.serviceAddress(),
          token);
    }

    int ask(String path) throws IOException, InterruptedException {
      return done(
          HttpRequest.newBuilder(URI.create(address + "/api/v1" + path))
              .header("Authorization", "Bearer " + token)
              .build());
    }

    int signIn(String account, String password) throws IOException, InterruptedException {
      String body =
          String.format(Locale.ROOT, "{\"account\":\"%s\",\"password\":\"%s\"}", account, password);
      return done(
          HttpRequest.newBuilder(URI.create(address + "/api/v1/sign-in"))
              .header("Content-Type", "application/json")
              .POST(HttpRequest.BodyPublishers.ofString(body))
              .build());
    }

    private int done(HttpRequest request) throws IOException, InterruptedException {
      HttpResponse<byte[]> r = http.send(request, BodyHandlers.ofByteArray());
      if (r.statusCode() != 200) {
        throw new IOException(request.uri() + " answered " + r.statusCode());
      }
      return r.body().length;
    }

    double[] get(String path) throws Exception {
      return times(CALLS, () -> ask(path));
    }
  }

  private static double[] times(int calls, Callable<Integer> call) throws Exception {
    double[] millis = new double[calls];
    for (int i = -calls / 4; i < calls; i++) {
      long from = System.nanoTime();
      call.call();
      if (i >= 0) {
        millis[i] = (System.nanoTime() - from) / 1e6;
      }
    }
    Arrays.sort(millis);
    return millis;
  }

  private static double print(String what, double[] millis, double wire) {
    double median = millis[millis.length / 2];
    System.out.printf(
        Locale.ROOT,
        "%-34s median %6.2f ms, p99 %6.2f ms%s%n",
        what,
        median,
        millis[millis.length * 99 / 100],
        wire == 0
            ? ""
            : String.format(Locale.ROOT, ", %5.1f times TLS and HTTP alone", median / wire));
    return median;
  }
}
