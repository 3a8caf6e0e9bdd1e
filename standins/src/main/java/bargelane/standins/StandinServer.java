package bargelane.standins;

import bargelane.standins.store.VolumeStore;
import java.io.Closeable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;

/** One simulated platform as a server on loopback: control interface, disk server, guests. */
public final class StandinServer implements Closeable {

  private final Host host;
  private final Exports exports;
  private final ControlApi api;

  private final Edge edge;

  private StandinServer(Host host, Exports exports, Edge edge, ControlApi api) {
    this.host = host;
    this.exports = exports;
    this.edge = edge;
    this.api = api;
  }

  /**
   * Starts, making the platform from its seed the first time.
   *
   * @param runtime a short directory for the disk server's socket
   * @param port of the control interface; 0 for a free one
   */
  public static StandinServer start(String seed, Path home, Path runtime, int port, boolean tls)
      throws IOException {
    return start(seed, 0, home, runtime, port, tls);
  }

  /**
   * Starts, making the platform from its seed the first time.
   *
   * @param machines how many machines it has at least; those that the seed lacks are made up
   */
  public static StandinServer start(
      String seed, int machines, Path home, Path runtime, int port, boolean tls)
      throws IOException {
    Path store = home.resolve("store");
    Path state = home.resolve("platform.json");
    Platform platform;
    VolumeStore volumes;
    if (Files.exists(state)) {
      platform = Host.JSON.readValue(state.toFile(), Platform.class);
      volumes =
          VolumeStore.open(
              store, platform.traits.granularity(), platform.traits.markersSurviveCrash());
    } else {
      // A seed that was cut short left no platform.json: begin again.
      if (Files.exists(store)) {
        try (java.util.stream.Stream<Path> all = Files.walk(store)) {
          for (Path path : all.sorted(java.util.Comparator.reverseOrder()).toList()) {
            Files.delete(path);
          }
        }
      }
      Files.createDirectories(home);
      Seed.File file = LargeEstate.fill(Seed.read(seed), machines);
      volumes =
          VolumeStore.open(store, file.traits().granularity(), file.traits().markersSurviveCrash());
      Path work = Files.createDirectories(home.resolve("seed"));
      platform = Seed.plant(file, volumes, work);
      Files.delete(work);
    }
    Host host = new Host(home, platform, volumes);
    host.save();
    host.resume();
    Exports exports = new Exports(volumes, host, home, runtime, tls);
    Edge edge = new Edge(host);
    return new StandinServer(
        host, exports, edge, new ControlApi(host, volumes, exports, edge.port(), port));
  }

  /** Address of the control interface. */
  public String address() {
    return "http://127.0.0.1:" + api.port();
  }

  @Override
  public void close() throws IOException {
    api.close();
    edge.close();
    exports.close();
    host.close();
  }
}
