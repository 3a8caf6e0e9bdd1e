package bargelane.sites.libvirt;

import bargelane.sites.Acting;
import bargelane.sites.SiteException;
import bargelane.sites.Target;
import com.fasterxml.jackson.core.JsonProcessingException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * What of ours lies on a host, in one small file beside the images: volumes and the layer each one
 * is written in, points and the layers they hold, snapshots, markers. The file is replaced whole,
 * under a lock on the host and only if nobody else replaced it since it was read.
 *
 * <p>A layer is one image file; all but the first of a chain hold only what differs from the one
 * they lie on. A file is made before it is written down here, and is written down as going before
 * it is removed.
 */
final class Catalogue {

  /** A volume of ours, or one of the site's that carries our tag: its newest layer. */
  record Volume(String owner, String pool, long bytes, String layer) {}

  /** A point: the layer that each volume had. */
  record Point(String owner, Map<String, String> layers) {}

  /** An image file and what it lies on; {@code ours} if we made it, {@code going} if it must go. */
  record Layer(String format, String backing, boolean ours, boolean going) {}

  /**
   * A snapshot of disks of one domain. {@code stamps} are the images' changes times where the
   * domain is off: nothing may have changed them since.
   */
  record Snapshot(
      String owner,
      String domain,
      String since,
      List<String> volumes,
      Map<String, String> stamps,
      boolean quiesced) {

    /** The same, with another change time of an image. */
    Snapshot stamped(String file, String stamp) {
      Map<String, String> now = new LinkedHashMap<>(stamps);
      now.put(file, stamp);
      return new Snapshot(owner, domain, since, volumes, now, quiesced);
    }

    /** The same, taken while the guest's file systems were at rest. */
    Snapshot atRest() {
      return new Snapshot(owner, domain, since, volumes, stamps, true);
    }
  }

  /** A marker: the bitmap of its name in each of these images of a domain. */
  record Marker(String owner, String domain, List<String> files) {}

  /** The whole of it. */
  record State(
      String format,
      long revision,
      Map<String, Volume> volumes,
      Map<String, Point> points,
      Map<String, Layer> layers,
      Map<String, Snapshot> snapshots,
      Map<String, Marker> markers,
      Map<String, Long> epochs) {

    State {
      // Catalogues of before have none.
      epochs = epochs == null ? new LinkedHashMap<>() : epochs;
    }

    static State empty() {
      return new State(
          FORMAT,
          0,
          new LinkedHashMap<>(),
          new LinkedHashMap<>(),
          new LinkedHashMap<>(),
          new LinkedHashMap<>(),
          new LinkedHashMap<>(),
          new LinkedHashMap<>());
    }

    /** The volume whose newest layer a file is; the file's own path if it is none of ours. */
    String volumeOf(String file) {
      return volumes.entrySet().stream()
          .filter(v -> v.getValue().layer().equals(file))
          .map(Map.Entry::getKey)
          .findFirst()
          .orElse(file);
    }

    /** The file that a volume is written in: its newest layer, or the site's own image. */
    String fileOf(String volume) {
      Volume v = volumes.get(volume);
      return v == null ? volume : v.layer();
    }

    /** Layers that a point holds. */
    Set<String> frozen() {
      Set<String> held = new HashSet<>();
      points.values().forEach(p -> held.addAll(p.layers().values()));
      return held;
    }

    /** Layers that lie on one. */
    List<String> children(String layer) {
      return layers.entrySet().stream()
          .filter(l -> l.getValue().backing().equals(layer))
          .map(Map.Entry::getKey)
          .toList();
    }
  }

  /** A change of the state; its result goes to the caller. */
  interface Change<T> {
    T apply(State state);
  }

  private static final String FORMAT = "bargelane/host-catalogue/1";
  private static final int MOST_TRIES = 50;
  private static final ObjectMapper JSON =
      new ObjectMapper()
          .disable(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES)
          .enable(SerializationFeature.ORDER_MAP_ENTRIES_BY_KEYS);

  private final String site;
  private final HostShell shell;
  private final String directory;

  /**
   * @param directory on the host
   */
  Catalogue(String site, HostShell shell, String directory) {
    this.site = site;
    this.shell = shell;
    this.directory = directory;
  }

  String directory() {
    return directory;
  }

  State read() {
    Optional<byte[]> text = shell.read(directory + "/catalogue.json");
    if (text.isEmpty()) {
      return State.empty();
    }
    try {
      State state = JSON.readValue(text.get(), State.class);
      if (!FORMAT.equals(state.format())) {
        throw new SiteException(
            SiteException.Kind.FINAL,
            "catalogue-unknown",
            site + ": " + directory + "/catalogue.json is of format " + state.format(),
            null);
      }
      return state;
    } catch (IOException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "catalogue-damaged",
          site + ": " + directory + "/catalogue.json can't be read: " + why(e),
          e);
    }
  }

  private static String why(IOException e) {
    return e instanceof JsonProcessingException j ? j.getOriginalMessage() : e.getMessage();
  }

  /** Changes the state; the change may be applied again if another was quicker. */
  <T> T change(Change<T> change) {
    for (int i = 0; i < MOST_TRIES; i++) {
      State state = read();
      State before = copy(state);
      Acting.current().ifPresent(a -> admit(state, a));
      T result = change.apply(state);
      if (state.equals(before) || replaced(state)) {
        return result;
      }
    }
    throw new SiteException(
        SiteException.Kind.MAY_PASS,
        "busy",
        site + ": the catalogue is being changed by others without pause",
        null);
  }

  /**
   * Lets whoever changes something without the catalogue go on if nobody has taken over, and keeps
   * out all who come under a lower epoch from now on.
   */
  void admit() {
    if (Acting.current().isPresent()) {
      change(s -> null);
    }
  }

  private void admit(State state, Acting acting) {
    acting.after(site, state.epochs().getOrDefault(acting.key(), 0L));
    state.epochs().put(acting.key(), acting.epoch());
  }

  private static State copy(State s) {
    return new State(
        s.format,
        s.revision,
        new LinkedHashMap<>(s.volumes),
        new LinkedHashMap<>(s.points),
        new LinkedHashMap<>(s.layers),
        new LinkedHashMap<>(s.snapshots),
        new LinkedHashMap<>(s.markers),
        new LinkedHashMap<>(s.epochs));
  }

  private boolean replaced(State s) {
    State next =
        new State(
            s.format,
            s.revision + 1,
            s.volumes,
            s.points,
            s.layers,
            s.snapshots,
            s.markers,
            s.epochs);
    byte[] bytes;
    try {
      bytes = JSON.writeValueAsString(next).getBytes(StandardCharsets.UTF_8);
    } catch (JsonProcessingException e) {
      throw new IllegalStateException(e);
    }
    return shell.replaceCatalogue(directory, s.revision, bytes);
  }

  // ---- small files beside points

  private static String safe(String name) {
    return java.net.URLEncoder.encode(name, StandardCharsets.UTF_8);
  }

  private String fileOf(String point, String name) {
    return directory + "/files/" + safe(point) + "/" + safe(name);
  }

  void putFile(String point, String name, byte[] content) {
    shell.put(fileOf(point, name), content);
  }

  Optional<byte[]> file(String point, String name) {
    Optional<byte[]> file = shell.read(fileOf(point, name), 0, Target.LONGEST_ATTACHMENT + 1);
    if (file.isPresent() && file.get().length > Target.LONGEST_ATTACHMENT) {
      throw Target.longAttachment(site, point, name);
    }
    return file;
  }

  void removeFiles(String point) {
    shell.remove(List.of(), List.of(), List.of(directory + "/files/" + safe(point)));
  }
}
