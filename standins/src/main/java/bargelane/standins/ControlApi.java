package bargelane.standins;

import bargelane.blocks.refit.FileEdit;
import bargelane.standins.Platform.Machine;
import bargelane.standins.store.Volume;
import bargelane.standins.store.VolumeRecord;
import bargelane.standins.store.VolumeStore;
import com.fasterxml.jackson.core.JacksonException;
import com.fasterxml.jackson.databind.DeserializationFeature;
import com.fasterxml.jackson.databind.ObjectMapper;
import com.fasterxml.jackson.databind.SerializationFeature;
import com.fasterxml.jackson.datatype.jsr310.JavaTimeModule;
import io.javalin.Javalin;
import io.javalin.config.RoutesConfig;
import io.javalin.http.Context;
import java.io.Closeable;
import java.io.IOException;
import java.time.Clock;
import java.time.Instant;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * The platform's control interface over HTTP, all under {@code /v1}, with a bearer token that
 * carries permissions: {@code read}, {@code snapshot}, {@code volumes}, {@code machines}, {@code
 * exports}, {@code faults}. Errors are {@code {"code": …, "message": …}}. Every creation is
 * idempotent by the caller's name.
 */
final class ControlApi implements Closeable {

  record CreateVolume(
      String name,
      long sizeBytes,
      String storageClass,
      String owner,
      String point,
      String volume,
      String key) {
    CreateVolume {
      key = key == null ? "" : key;
    }
  }

  record CreatePoint(String name, String owner, List<String> volumes) {}

  record CreateSnapshot(String name, String owner, List<String> volumes) {}

  record CreateNetwork(String name, String like, String owner) {}

  record SetOwner(String owner) {}

  record SetSize(long bytes) {}

  record Carried(String asOf, boolean ended) {}

  record LetsIn(List<Platform.Ingress> ingress) {
    LetsIn {
      ingress = ingress == null ? List.of() : List.copyOf(ingress);
    }
  }

  record SetDisks(List<String> disks) {}

  record Refit(List<String> volumes, List<FileEdit> edits) {}

  /** Anything on the platform with an owner's tag. */
  record Owned(String kind, String id, String name, String owner) {}

  private static final ObjectMapper JSON =
      new ObjectMapper()
          .configure(DeserializationFeature.FAIL_ON_UNKNOWN_PROPERTIES, false)
          .registerModule(new JavaTimeModule())
          .disable(SerializationFeature.WRITE_DATES_AS_TIMESTAMPS);

  private final Host host;
  private final VolumeStore store;
  private final Exports exports;
  private final int edgePort;
  private final Javalin http;
  private final Clock clock = Clock.systemUTC();

  ControlApi(Host host, VolumeStore store, Exports exports, int edgePort, int port) {
    this.edgePort = edgePort;
    this.host = host;
    this.store = store;
    this.exports = exports;
    this.http =
        Javalin.create(
                config -> {
                  config.startup.showJavalinBanner = false;
                  config.jetty.host = "127.0.0.1";
                  config.jetty.port = port;
                  config.http.maxRequestSize = 256L << 20;
                  routes(config.routes);
                })
            .start();
  }

  int port() {
    return http.port();
  }

  private interface Work {
    Object run(Context ctx) throws IOException;
  }

  private io.javalin.http.Handler with(String permission, Work work) {
    return ctx -> {
      String header = ctx.header("Authorization");
      List<String> granted =
          header == null || !header.startsWith("Bearer ")
              ? null
              : host.platform().tokens.get(header.substring(7));
      if (granted == null) {
        throw new Refusal(401, "token-unknown", "the token is missing or not known here");
      }
      if (!granted.contains(permission)) {
        throw new Refusal(
            403, "not-permitted", "the token lacks the permission '" + permission + "'");
      }
      String key = ctx.header("Acting-For");
      if (key != null && !ctx.method().name().equals("GET")) {
        store.admit(key, epoch(ctx));
      }
      Object answer = work.run(ctx);
      if (answer instanceof byte[] bytes) {
        ctx.contentType("application/octet-stream").result(bytes);
      } else if (answer instanceof History.Body body) {
        ctx.contentType("application/octet-stream");
        body.write(ctx.outputStream());
      } else if (answer == null) {
        ctx.status(204);
      } else {
        ctx.contentType("application/json").result(JSON.writeValueAsBytes(answer));
      }
    };
  }

  private static long epoch(Context ctx) {
    try {
      return Long.parseLong(String.valueOf(ctx.header("Acting-Epoch")));
    } catch (NumberFormatException e) {
      throw new Refusal(400, "malformed", "Acting-Epoch is no number");
    }
  }

  private static <T> T body(Context ctx, Class<T> type) throws IOException {
    return JSON.readValue(ctx.bodyAsBytes(), type);
  }

  private void routes(RoutesConfig r) {
    r.exception(Refusal.class, (e, ctx) -> problem(ctx, e.status(), e.code(), e.getMessage()));
    r.exception(
        JacksonException.class,
        (e, ctx) ->
            problem(
                ctx,
                400,
                "malformed",
                "the request is not what is expected: " + e.getOriginalMessage()));
    r.exception(
        bargelane.blocks.BlockDevice.NoSpaceException.class,
        (e, ctx) -> problem(ctx, 507, "no-space", e.getMessage()));
    r.exception(Exception.class, (e, ctx) -> problem(ctx, 500, "failed", e.toString()));

    r.get("/v1/about", with("read", this::about));
    r.get("/v1/inventory", with("read", ctx -> inventory()));
    r.get("/v1/owned", with("read", ctx -> owned(ctx.queryParam("owner"))));
    r.get("/v1/machines/{id}", with("read", ctx -> host.machine(ctx.pathParam("id"))));
    r.get(
        "/v1/usage",
        with(
            "read",
            ctx ->
                host.history().usage(instant(ctx, "from"), instant(ctx, "to"), clock.instant())));
    r.get(
        "/v1/connections",
        with(
            "read",
            ctx ->
                host.history()
                    .connections(instant(ctx, "from"), instant(ctx, "to"), clock.instant())));
    r.get("/v1/machines/{id}/usage", with("read", ctx -> host.usage(ctx.pathParam("id"))));
    r.get(
        "/v1/machines/{id}/console",
        with("machines", ctx -> Map.of("text", host.console(ctx.pathParam("id")))));
    r.get(
        "/v1/machines/{id}/way-in",
        with(
            "machines",
            ctx -> Map.of("host", "127.0.0.1", "port", host.wayIn(ctx.pathParam("id")))));
    r.get("/v1/edge", with("read", ctx -> Map.of("host", "127.0.0.1", "port", edgePort)));
    r.put(
        "/v1/machines/{id}/ingress",
        with(
            "machines",
            ctx -> host.letsIn(ctx.pathParam("id"), body(ctx, LetsIn.class).ingress())));
    r.post("/v1/machines", with("machines", ctx -> host.define(body(ctx, Machine.class))));
    r.delete(
        "/v1/machines/{id}",
        with(
            "machines",
            ctx -> {
              host.remove(ctx.pathParam("id"));
              return null;
            }));
    r.post("/v1/machines/{id}/start", with("machines", ctx -> host.start(ctx.pathParam("id"))));
    r.post("/v1/machines/{id}/stop", with("machines", ctx -> host.stop(ctx.pathParam("id"))));
    r.post(
        "/v1/machines/{id}/fence", with("machines", ctx -> host.fence(ctx.pathParam("id"), true)));
    r.post(
        "/v1/machines/{id}/unfence",
        with("machines", ctx -> host.fence(ctx.pathParam("id"), false)));
    r.put(
        "/v1/machines/{id}/disks",
        with(
            "machines", ctx -> host.disks(ctx.pathParam("id"), body(ctx, SetDisks.class).disks())));
    r.put(
        "/v1/machines/{id}/owner",
        with(
            "machines", ctx -> host.owner(ctx.pathParam("id"), body(ctx, SetOwner.class).owner())));
    r.post(
        "/v1/refits",
        with(
            "machines",
            ctx -> {
              Refit refit = body(ctx, Refit.class);
              return Map.of("told", host.refit(refit.volumes(), refit.edits()));
            }));
    r.post(
        "/v1/networks",
        with(
            "machines",
            ctx -> {
              CreateNetwork n = body(ctx, CreateNetwork.class);
              return host.isolate(n.name(), n.like(), n.owner());
            }));
    r.delete(
        "/v1/networks/{id}",
        with(
            "machines",
            ctx -> {
              host.removeNetwork(ctx.pathParam("id"));
              return null;
            }));

    r.post("/v1/volumes", with("volumes", ctx -> createVolume(body(ctx, CreateVolume.class))));
    r.delete("/v1/volumes/{name}", with("volumes", ctx -> deleteVolume(ctx.pathParam("name"))));
    r.put(
        "/v1/volumes/{name}/owner",
        with(
            "volumes",
            ctx -> {
              host.make(List.of(ctx.pathParam("name")));
              store.owner(ctx.pathParam("name"), body(ctx, SetOwner.class).owner());
              return null;
            }));
    r.put(
        "/v1/volumes/{name}/size",
        with(
            "volumes",
            ctx -> {
              host.make(List.of(ctx.pathParam("name")));
              store.grow(ctx.pathParam("name"), body(ctx, SetSize.class).bytes());
              return null;
            }));
    r.get("/v1/volumes/{name}/carried", with("read", ctx -> host.carried(ctx.pathParam("name"))));
    // What a storage system does beside the platform: it says up to when it has filled a volume.
    r.put(
        "/v1/volumes/{name}/carried",
        with(
            "volumes",
            ctx -> {
              Carried told = body(ctx, Carried.class);
              String asOf = told.asOf();
              host.carried(
                  ctx.pathParam("name"),
                  asOf == null || asOf.isEmpty() ? asOf : instant("asOf", asOf).toString(),
                  told.ended());
              return null;
            }));
    r.get("/v1/points", with("read", ctx -> store.points()));
    r.post(
        "/v1/points",
        with(
            "volumes",
            ctx -> {
              CreatePoint p = body(ctx, CreatePoint.class);
              host.make(p.volumes());
              store.freeze(p.name(), p.owner(), p.volumes());
              return store.point(p.name());
            }));
    r.delete(
        "/v1/points/{name}",
        with(
            "volumes",
            ctx -> {
              store.deletePoint(ctx.pathParam("name"));
              return null;
            }));
    r.put(
        "/v1/points/{name}/files/{file}",
        with(
            "volumes",
            ctx -> {
              store.attach(ctx.pathParam("name"), ctx.pathParam("file"), ctx.bodyAsBytes());
              return null;
            }));
    r.get(
        "/v1/points/{name}/files/{file}",
        with("read", ctx -> store.attachment(ctx.pathParam("name"), ctx.pathParam("file"))));

    r.get("/v1/snapshots", with("read", ctx -> store.snapshots()));
    r.post("/v1/snapshots", with("snapshot", ctx -> snapshot(body(ctx, CreateSnapshot.class))));
    r.delete(
        "/v1/snapshots/{name}",
        with(
            "snapshot",
            ctx -> {
              store.dropSnapshot(ctx.pathParam("name"));
              return null;
            }));
    r.get("/v1/markers", with("read", ctx -> store.markers()));
    r.post(
        "/v1/markers",
        with(
            "snapshot",
            ctx -> {
              CreateSnapshot m = body(ctx, CreateSnapshot.class);
              host.make(m.volumes());
              store.mark(m.name(), m.owner(), m.volumes());
              return null;
            }));
    r.delete(
        "/v1/markers/{name}",
        with(
            "snapshot",
            ctx -> {
              store.forgetMarker(ctx.pathParam("name"));
              return null;
            }));

    r.post("/v1/exports", with("exports", ctx -> exports.open(body(ctx, Exports.Asked.class))));
    r.delete(
        "/v1/exports/{name}",
        with(
            "exports",
            ctx -> {
              exports.close(ctx.pathParam("name"));
              return null;
            }));
    r.put(
        "/v1/faults",
        with(
            "faults",
            ctx -> {
              host.faults(body(ctx, Faults.class));
              return null;
            }));
  }

  private static Instant instant(Context ctx, String name) {
    return instant(name, ctx.queryParam(name));
  }

  private static Instant instant(String name, String told) {
    try {
      return Instant.parse(String.valueOf(told));
    } catch (DateTimeParseException e) {
      throw new Refusal(400, "malformed", name + " is not an instant: " + told);
    }
  }

  private static void problem(Context ctx, int status, String code, String message) {
    ctx.status(status).json(Map.of("code", code, "message", String.valueOf(message)));
  }

  private Object about(Context ctx) {
    Map<String, Object> about = new LinkedHashMap<>();
    about.put("traits", host.platform().traits);
    about.put("time", Instant.now().toString());
    about.put("permissions", host.platform().tokens.get(ctx.header("Authorization").substring(7)));
    return about;
  }

  private Object inventory() {
    Platform p = host.platform();
    Map<String, Object> all = new LinkedHashMap<>();
    all.put("machines", host.machines());
    all.put("volumes", store.volumes());
    all.put("carried", host.carried());
    all.put("networks", List.copyOf(p.networks.values()));
    all.put("storages", List.copyOf(p.storages.values()));
    all.put(
        "sizes",
        p.sizes.values().stream().filter(s -> !s.id().equals(host.faults().withdrawn())).toList());
    all.put("zones", p.zones);
    all.put("names", p.names);
    all.put("licences", p.licences);
    all.put("bootProtection", p.bootProtection);
    all.put("filters", p.filters);
    all.put("projects", p.projects);
    all.put("identities", p.identities);
    all.put("keys", p.keys);
    all.put("quota", p.quota);
    all.put("usage", host.counts());
    return all;
  }

  private List<Owned> owned(String owner) {
    List<Owned> all = new ArrayList<>();
    host.machines().forEach(m -> all.add(new Owned("machine", m.id(), m.name(), m.owner())));
    host.machines().stream()
        .filter(Machine::fenced)
        .forEach(m -> all.add(new Owned("fence", m.id(), m.name(), owner)));
    host.platform()
        .networks
        .values()
        .forEach(n -> all.add(new Owned("network", n.id(), n.name(), n.owner())));
    store.volumes().forEach(v -> all.add(new Owned("volume", v.name(), v.name(), v.owner())));
    store.points().forEach(p -> all.add(new Owned("point", p.name(), p.name(), p.owner())));
    store.snapshots().forEach(s -> all.add(new Owned("snapshot", s.name(), s.name(), s.owner())));
    store.markers().keySet().forEach(m -> all.add(new Owned("marker", m, m, store.markerOwner(m))));
    exports.names().forEach(e -> all.add(new Owned("export", e, e, owner)));
    all.removeIf(
        o ->
            o.owner() == null
                || o.owner().isEmpty()
                || (owner != null && !o.owner().startsWith(owner)));
    return all;
  }

  private VolumeRecord createVolume(CreateVolume v) throws IOException {
    if (host.platform().storages.get(v.storageClass()) == null) {
      throw new Refusal(
          422, "storage-unknown", "there is no storage '" + v.storageClass() + "' here");
    }
    if (!v.key().isEmpty() && !host.platform().keys.contains(v.key())) {
      throw new Refusal(422, "key-unknown", "there is no key '" + v.key() + "' here");
    }
    boolean clone = v.point() != null && !v.point().isEmpty();
    long bytes = clone ? store.frozenSize(v.point(), v.volume()) : v.sizeBytes();
    Collection<VolumeRecord> all = store.volumes();
    long gib = all.stream().mapToLong(VolumeRecord::size).sum() + bytes >> 30;
    // Asked for again, it is there and counted.
    boolean there = all.stream().anyMatch(x -> x.name().equals(v.name()));
    if (!there && gib > host.platform().quota.volumeGib()) {
      throw Refusal.conflict(
          "quota-volumes",
          "the quota of " + host.platform().quota.volumeGib() + " GiB of volumes is used up");
    }
    if (clone) {
      Volume made =
          store.clone(
              new VolumeRecord(v.name(), 0, v.storageClass(), v.owner(), false),
              v.point(),
              v.volume());
      return made.record();
    }
    return store
        .create(
            new VolumeRecord(v.name(), v.sizeBytes(), v.storageClass(), v.owner(), false, v.key()))
        .record();
  }

  private Object deleteVolume(String name) throws IOException {
    if (host.inUse(name)) {
      throw Refusal.conflict("volume-in-use", "volume " + name + " is attached to a machine");
    }
    store.delete(name);
    return null;
  }

  private Object snapshot(CreateSnapshot s) throws IOException {
    if (host.platform().traits.instant().equals("machine")) {
      long machines =
          host.machines().stream()
              .filter(m -> m.disks().stream().anyMatch(s.volumes()::contains))
              .count();
      if (machines > 1) {
        throw Refusal.conflict(
            "instant-too-wide", "one snapshot here reaches the disks of one machine only");
      }
    }
    host.make(s.volumes());
    store.snapshot(s.name(), s.owner(), s.volumes());
    return null;
  }

  @Override
  public void close() {
    http.stop();
  }
}
