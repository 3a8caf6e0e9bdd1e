package bargelane.e2e;

import bargelane.blocks.nbd.NbdAddress;
import bargelane.blocks.nbd.NbdClient;
import bargelane.client.ApiClient;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.sites.libvirt.LibvirtDriver;
import bargelane.standins.host.DemoHost;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.net.HttpURLConnection;
import java.net.URI;
import java.nio.charset.StandardCharsets;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.util.List;

/** A hypervisor host looked at directly, past the service. */
final class Shore {

  /** How long a stock system may take to come up where processors are emulated. */
  static final Duration BOOT = Duration.ofMinutes(10);

  final DemoHost host;
  final String address;
  final LibvirtDriver driver;

  Shore(DemoHost host, String more) {
    this(host, host.address(more), more);
  }

  /**
   * @param address how the service gets there
   */
  Shore(DemoHost host, String address, String more) {
    this.host = host;
    this.address = address;
    this.driver = new LibvirtDriver("direct", host.address(more), Clock.systemUTC());
  }

  MachineFacts machine(String name) {
    return driver.inventory().machines().stream()
        .filter(m -> m.name().equals(name))
        .findFirst()
        .orElseThrow(() -> new IllegalStateException("there is no machine " + name));
  }

  boolean runs(String name) {
    return machine(name).on();
  }

  /** What a guest tells over HTTP; missing if it does not answer. */
  JsonNode status(String name) {
    try {
      var way = driver.compute().wayIn(machine(name).platformId(), 0);
      return get(URI.create("http://" + way.host() + ":" + way.port() + "/"));
    } catch (IOException e) {
      return ApiClient.JSON.missingNode();
    }
  }

  /** Waits until a guest answers, and gives the seconds that it took. */
  double up(String name) throws IOException {
    Instant begun = Instant.now();
    while (!status(name).path("machine").asText().equals(name)) {
      if (Duration.between(begun, Instant.now()).compareTo(BOOT) > 0) {
        throw new IOException(name + " does not answer");
      }
      Harness.pause(500);
    }
    return Duration.between(begun, Instant.now()).toMillis() / 1000.0;
  }

  /** Has a guest write some MiB to its data disk; gives whether it could. */
  boolean churn(String name, int mib) throws IOException {
    return asked(name, "churn?" + mib).contains("written");
  }

  /** What a program of a guest prints; fails if it does not answer. */
  String asked(String name, String program) throws IOException {
    var way = driver.compute().wayIn(machine(name).platformId(), 0);
    HttpURLConnection http =
        (HttpURLConnection)
            URI.create("http://" + way.host() + ":" + way.port() + "/cgi-bin/" + program)
                .toURL()
                .openConnection();
    http.setConnectTimeout(2000);
    http.setReadTimeout(300_000);
    return new String(http.getInputStream().readAllBytes(), StandardCharsets.UTF_8);
  }

  private static JsonNode get(URI uri) throws IOException {
    HttpURLConnection http = (HttpURLConnection) uri.toURL().openConnection();
    http.setConnectTimeout(2000);
    http.setReadTimeout(3000);
    return ApiClient.JSON.readTree(http.getInputStream());
  }

  /** The records on the data disk of a machine that is off. */
  List<Records.Entry> records(String name) throws IOException {
    return records(name, machine(name).disks().get(1).volume());
  }

  List<Records.Entry> records(String name, String volume) throws IOException {
    String export = "look-" + name;
    try (NbdClient disk =
        NbdClient.connect(
            NbdAddress.parse(driver.target().openVolume(export, volume, false).uri()))) {
      return Records.read(disk);
    } finally {
      driver.target().closeExport(export);
    }
  }

  /** What carries a tag of ours. */
  List<String> ours() {
    return driver.target().owned("bargelane/").stream()
        .map(o -> o.kind() + " " + o.name())
        .toList();
  }
}
