package bargelane.sites.standin;

import static org.junit.jupiter.api.Assertions.assertEquals;
import static org.junit.jupiter.api.Assertions.assertThrows;
import static org.junit.jupiter.api.Assertions.assertTrue;

import bargelane.core.site.Inventory.Ingress;
import bargelane.core.site.SiteKind;
import bargelane.sites.Compute;
import bargelane.sites.Drivers;
import bargelane.sites.SiteException;
import bargelane.standins.StandinServer;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.sun.net.httpserver.HttpServer;
import java.io.IOException;
import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.ServerSocket;
import java.net.Socket;
import java.net.URI;
import java.net.http.HttpClient;
import java.net.http.HttpRequest;
import java.net.http.HttpResponse;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Clock;
import java.util.List;
import org.junit.jupiter.api.AfterAll;
import org.junit.jupiter.api.BeforeAll;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Connections from outside to the machines of a platform that filters them. */
class StandinEdgeTest {

  private static final String SEED =
      """
      traits: {kind: cloud, name: basin, version: "1", instant: site, granularity: 65536, markersSurviveCrash: true, sized: false}
      tokens: {t: [read, snapshot, volumes, machines, exports, faults]}
      filters: true
      zones: []
      networks:
        - {id: n, name: n, zone: "", cidr: 10.9.0.0/24, gateway: 10.9.0.1, isolated: false, like: "", owner: ""}
        - {id: i, name: i, zone: "", cidr: 10.9.9.0/24, gateway: 10.9.9.1, isolated: true, like: "", owner: ""}
      storages: [{id: s, name: s, media: ssd, pricePerGibMonth: "0", currency: EUR}]
      sizes: []
      machines:
        - {id: vm-1, name: stall, cpus: 1, memoryMib: 512, os: Debian, firmware: bios, on: true,
           disks: [{name: system, sizeMib: 64, fillMib: 1, storage: s}],
           nics: [{network: n, address: 10.9.0.7, mac: ""}, {network: i, address: 10.9.9.7, mac: ""}],
           ingress: [{protocol: tcp, port: 80, from: 10.1.0.0/16}, {protocol: udp, port: 81, from: ""}]}
      """;

  @TempDir static Path dir;
  private static StandinServer server;
  private static Compute compute;

  @BeforeAll
  static void start() throws IOException {
    Path seed = Files.writeString(dir.resolve("seed.yaml"), SEED);
    server = StandinServer.start(seed.toString(), dir.resolve("home"), dir.resolve("r"), 0, false);
    compute =
        Drivers.open(SiteKind.STANDIN, "basin", server.address(), "t", Clock.systemUTC()).compute();
  }

  @AfterAll
  static void stop() throws IOException {
    server.close();
  }

  private static boolean reached(String to, int port, String from) {
    return compute.reached(to, port, from).orElseThrow();
  }

  @Test
  void onlyThoseWhomARuleNamesGetThrough() {
    assertTrue(reached("10.9.0.7", 80, "10.1.2.3"));
    assertEquals(false, reached("10.9.0.7", 80, "10.2.2.3"), "it is in no rule's range");
    assertEquals(false, reached("10.9.0.7", 81, "10.1.2.3"), "the rule is for udp");
    assertEquals(false, reached("10.9.0.7", 80, "fd00::1"));
    assertEquals(false, reached("10.9.0.8", 80, "10.1.2.3"), "nobody has the address");
    assertEquals(false, reached("10.9.9.7", 80, "10.1.2.3"), "the network is isolated");
  }

  @Test
  void whatIsLetInCanBeChangedAndAMachineThatIsOffLetsNobodyIn() {
    List<Ingress> before = compute.machine("vm-1").ingress();
    compute.letIn("vm-1", List.of(new Ingress("tcp", 443, "")));
    assertEquals(List.of(new Ingress("tcp", 443, "")), compute.machine("vm-1").ingress());
    assertTrue(reached("10.9.0.7", 443, "203.0.113.1"));
    assertEquals(false, reached("10.9.0.7", 80, "10.1.2.3"));
    compute.stop("vm-1");
    assertEquals(false, reached("10.9.0.7", 443, "203.0.113.1"));
    compute.start("vm-1");
    compute.letIn("vm-1", before);
    assertTrue(reached("10.9.0.7", 80, "10.1.2.3"));
  }

  private static int edge() throws Exception {
    HttpRequest ask =
        HttpRequest.newBuilder(URI.create(server.address() + "/v1/edge"))
            .header("Authorization", "Bearer t")
            .build();
    return new ObjectMapper()
        .readTree(HttpClient.newHttpClient().send(ask, HttpResponse.BodyHandlers.ofString()).body())
        .path("port")
        .asInt();
  }

  /** Nonsense is closed without a byte, and those who say nothing hold nobody else up. */
  @Test
  void nonsenseAndSilenceHarmNobody() throws Exception {
    int port = edge();
    for (String said :
        List.of(
            "GET / HTTP/1.0\r\n\r\n",
            "PROXY TCP4 10.1.2.3 10.9.0.7 1 80 more\r\n",
            "PROXY TCP4 10.1.2.3 10.9.0.7 1 eighty\r\n",
            "PROXY UNKNOWN\r\n",
            "PROXY TCP4 nobody 10.9.0.7 1 80\r\n",
            "P".repeat(5_000))) {
      try (Socket socket = new Socket()) {
        socket.connect(new InetSocketAddress("127.0.0.1", port), 2_000);
        socket.setSoTimeout(10_000);
        try {
          socket.getOutputStream().write(said.getBytes(StandardCharsets.US_ASCII));
          assertEquals(-1, socket.getInputStream().read(), said);
        } catch (java.net.SocketException reset) {
          // What it did not read ends the connection as well.
        }
      }
    }
    try (Socket silent = new Socket()) {
      silent.connect(new InetSocketAddress("127.0.0.1", port), 2_000);
      assertTrue(reached("10.9.0.7", 80, "10.1.2.3"));
    }
  }

  @Test
  void anEdgeThatIsGoneIsToldAndMayPass() throws IOException {
    Compute gone =
        Drivers.open(SiteKind.STANDIN, "basin", "http://127.0.0.1:1", "t", Clock.systemUTC())
            .compute();
    SiteException e =
        assertThrows(SiteException.class, () -> gone.reached("10.9.0.7", 80, "10.1.2.3"));
    assertEquals(SiteException.Kind.MAY_PASS, e.kind());
  }

  /** What is not known is not taken for shut out: that would take a good move back. */
  @Test
  void anEdgeThatStallsTellsNothing() throws IOException {
    try (ServerSocket stalled = new ServerSocket(0, 1, InetAddress.getLoopbackAddress())) {
      HttpServer platform =
          HttpServer.create(new InetSocketAddress(InetAddress.getLoopbackAddress(), 0), 0);
      byte[] told =
          ("{\"host\":\"127.0.0.1\",\"port\":" + stalled.getLocalPort() + "}")
              .getBytes(StandardCharsets.UTF_8);
      platform.createContext(
          "/",
          x -> {
            x.sendResponseHeaders(200, told.length);
            x.getResponseBody().write(told);
            x.close();
          });
      platform.start();
      try {
        Compute silent =
            Drivers.open(
                    SiteKind.STANDIN,
                    "basin",
                    "http://127.0.0.1:" + platform.getAddress().getPort(),
                    "t",
                    Clock.systemUTC())
                .compute();
        SiteException e =
            assertThrows(SiteException.class, () -> silent.reached("10.9.0.7", 80, "10.1.2.3"));
        assertEquals("edge-unreachable", e.code());
        assertEquals(SiteException.Kind.MAY_PASS, e.kind());
      } finally {
        platform.stop(0);
      }
    }
  }
}
