package bargelane.sites.standin;

import static bargelane.sites.standin.StandinDriver.list;
import static bargelane.sites.standin.StandinDriver.text;
import static bargelane.sites.standin.StandinHttp.escape;

import bargelane.core.site.Inventory.CarriedVolume;
import bargelane.sites.DiskReaders;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import com.fasterxml.jackson.databind.JsonNode;
import java.io.IOException;
import java.io.InputStream;
import java.time.Clock;
import java.time.Instant;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Disks of the simulated platforms: snapshots and markers, volumes and points, and exports of both.
 */
final class StandinDisks implements Source, Target {

  private final StandinHttp http;
  private final Clock clock;

  StandinDisks(StandinHttp http, Clock clock) {
    this.http = http;
    this.clock = clock;
  }

  /** What a platform tells of a volume that a storage system fills. */
  CarriedVolume carried(JsonNode v, Instant seenAt) {
    String asOf = text(v, "asOf");
    try {
      return new CarriedVolume(
          text(v, "name"),
          v.path("size").asLong(),
          text(v, "storageClass"),
          asOf.isEmpty() ? null : Instant.parse(asOf),
          v.path("ended").asBoolean(),
          text(v, "machine"),
          seenAt);
    } catch (DateTimeParseException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "garbled",
          http.site() + " tells '" + asOf + "' as the instant of volume " + text(v, "name"),
          e);
    }
  }

  @Override
  public Optional<CarriedVolume> carried(String volume) {
    try {
      JsonNode told = http.get("/v1/volumes/" + escape(volume) + "/carried");
      return Optional.of(carried(told, clock.instant()));
    } catch (SiteException e) {
      if (e.code().equals("missing")) {
        return Optional.empty();
      }
      throw e;
    }
  }

  private ExportRef export(String export, String volume, Map<String, Object> of) {
    Map<String, Object> asked = new HashMap<>(of);
    asked.put("name", export);
    asked.put("volume", volume);
    asked.put("readers", DiskReaders.current());
    JsonNode given = http.send("POST", "/v1/exports", asked);
    return new ExportRef(
        export, given.path("uri").asText(), given.path("tracksChanges").asBoolean());
  }

  @Override
  public void closeExport(String export) {
    http.delete("/v1/exports/" + escape(export));
  }

  // ---- source

  @Override
  public Taken snapshot(
      String snapshot, String owner, List<String> disks, Optional<String> since, boolean quiesce) {
    http.send("POST", "/v1/snapshots", Map.of("name", snapshot, "owner", owner, "volumes", disks));
    return Taken.AT_ONCE;
  }

  @Override
  public ExportRef openSnapshot(
      String export, String snapshot, String disk, Optional<String> since) {
    return export(export, disk, Map.of("snapshot", snapshot, "since", since.orElse("")));
  }

  @Override
  public void dropSnapshot(String snapshot) {
    http.delete("/v1/snapshots/" + escape(snapshot));
  }

  @Override
  public void mark(String marker, String owner, List<String> disks) {
    http.send("POST", "/v1/markers", Map.of("name", marker, "owner", owner, "volumes", disks));
  }

  @Override
  public void forgetMarker(String marker) {
    http.delete("/v1/markers/" + escape(marker));
  }

  @Override
  public Set<String> markers() {
    Set<String> names = new HashSet<>();
    http.get("/v1/markers").fieldNames().forEachRemaining(names::add);
    return names;
  }

  // ---- target

  @Override
  public void createVolume(String volume, String owner, long bytes, String storage, String key) {
    http.send(
        "POST",
        "/v1/volumes",
        Map.of(
            "name",
            volume,
            "owner",
            owner,
            "sizeBytes",
            bytes,
            "storageClass",
            storage,
            "key",
            key));
  }

  @Override
  public void cloneVolume(String volume, String owner, String storage, String point, String from) {
    http.send(
        "POST",
        "/v1/volumes",
        Map.of(
            "name",
            volume,
            "owner",
            owner,
            "storageClass",
            storage,
            "point",
            point,
            "volume",
            from));
  }

  @Override
  public void growVolume(String volume, long bytes) {
    http.send("PUT", "/v1/volumes/" + escape(volume) + "/size", Map.of("bytes", bytes));
  }

  @Override
  public void deleteVolume(String volume) {
    http.delete("/v1/volumes/" + escape(volume));
  }

  @Override
  public ExportRef openVolume(String export, String volume, boolean write) {
    return export(export, volume, Map.of("write", write));
  }

  @Override
  public ExportRef openFrozen(String export, String point, String volume) {
    return export(export, volume, Map.of("point", point));
  }

  @Override
  public void freeze(String point, String owner, List<String> volumes) {
    http.send("POST", "/v1/points", Map.of("name", point, "owner", owner, "volumes", volumes));
  }

  @Override
  public void deletePoint(String point) {
    http.delete("/v1/points/" + escape(point));
  }

  @Override
  public List<PointRef> points(String ownerPrefix) {
    return list(
            http.get("/v1/points"),
            p -> {
              List<String> volumes = new ArrayList<>();
              p.path("layers").fieldNames().forEachRemaining(volumes::add);
              return new PointRef(text(p, "name"), text(p, "owner"), volumes);
            })
        .stream()
        .filter(p -> p.owner().startsWith(ownerPrefix))
        .toList();
  }

  @Override
  public void attach(String point, String file, byte[] content) {
    http.put("/v1/points/" + escape(point) + "/files/" + escape(file), content);
  }

  @Override
  public Optional<byte[]> attachment(String point, String file) {
    String path = "/v1/points/" + escape(point) + "/files/" + escape(file);
    try (InputStream in = http.stream(path)) {
      byte[] read = in.readNBytes(LONGEST_ATTACHMENT + 1);
      if (read.length > LONGEST_ATTACHMENT) {
        throw Target.longAttachment(http.site(), point, file);
      }
      return Optional.of(read);
    } catch (IOException e) {
      throw http.unreachable(e);
    } catch (SiteException e) {
      if (e.code().equals("missing")) {
        return Optional.empty();
      }
      throw e;
    }
  }

  @Override
  public void own(String volume, String owner) {
    http.send("PUT", "/v1/volumes/" + escape(volume) + "/owner", Map.of("owner", owner));
  }

  @Override
  public List<Owned> owned(String ownerPrefix) {
    return list(
        http.get("/v1/owned?owner=" + escape(ownerPrefix)),
        o -> new Owned(text(o, "kind"), text(o, "id"), text(o, "name"), text(o, "owner")));
  }
}
