package bargelane.sites.standin;

import static bargelane.sites.standin.StandinHttp.escape;

import bargelane.blocks.refit.FileEdit;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.lane.Placement.PlacedNic;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Capabilities.Reach;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.sites.Compute;
import bargelane.sites.ExportRef;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.sites.Source;
import bargelane.sites.Target;
import bargelane.sites.UsageHistory;
import com.fasterxml.jackson.databind.JsonNode;
import java.math.BigDecimal;
import java.net.URI;
import java.time.Clock;
import java.time.Duration;
import java.time.Instant;
import java.time.format.DateTimeParseException;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.Set;
import java.util.stream.StreamSupport;

/**
 * The simulated platforms' driver: estate and cloud speak one interface and declare what they can
 * do.
 */
public final class StandinDriver implements SiteDriver, Source, Target, Compute {

  private static final Set<String> NEEDED =
      Set.of("read", "snapshot", "volumes", "machines", "exports");
  private static final Inventory.DeviceFamily SIMULATED =
      new Inventory.DeviceFamily("simulated", "simulated");
  private static final Duration CLOCK_BOUND = Duration.ofSeconds(2);

  private final String name;
  private final URI address;
  private final StandinHttp http;
  private final Clock clock;

  public StandinDriver(String name, URI address, String token, Clock clock) {
    this.name = name;
    this.address = address;
    this.http = new StandinHttp(name, address, token);
    this.clock = clock;
  }

  private static <T> List<T> list(JsonNode array, java.util.function.Function<JsonNode, T> each) {
    return StreamSupport.stream(array.spliterator(), false).map(each).toList();
  }

  // ---- the site

  @Override
  public List<Finding> check() {
    List<Finding> findings = new ArrayList<>();
    JsonNode about;
    try {
      Instant before = clock.instant();
      about = http.get("/v1/about");
      Duration off = Duration.between(before, Instant.parse(about.path("time").asText())).abs();
      if (off.compareTo(CLOCK_BOUND) > 0) {
        findings.add(
            new Finding(
                Code.SITE_CLOCK_OFF,
                name,
                "its clock differs from the service's by " + off.toSeconds() + " s",
                "set both clocks by one time server",
                Who.SITE_OWNER));
      }
    } catch (SiteException e) {
      findings.add(
          e.code().equals("token-unknown")
              ? new Finding(
                  Code.SITE_TOKEN_REFUSED,
                  name,
                  "it does not know the token",
                  Remedy.of("store the right one", Action.CREDENTIAL_EDIT, name),
                  Who.ENGINEER)
              : e.code().equals("not-permitted")
                  ? new Finding(
                      Code.SITE_PERMISSION_MISSING,
                      name,
                      e.getMessage(),
                      "grant 'read' to the token",
                      Who.SITE_OWNER)
                  : new Finding(
                      Code.SITE_UNREACHABLE,
                      name,
                      e.getMessage(),
                      "see that it runs and that the way to "
                          + address
                          + " is open from the service's host",
                      Who.SITE_OWNER));
      return findings;
    }
    Set<String> granted = new HashSet<>(list(about.path("permissions"), JsonNode::asText));
    NEEDED.stream()
        .filter(p -> !granted.contains(p))
        .sorted()
        .forEach(
            p ->
                findings.add(
                    new Finding(
                        Code.SITE_PERMISSION_MISSING,
                        name,
                        "the token lacks the permission '" + p + "'",
                        "grant '" + p + "' to the token",
                        Who.SITE_OWNER)));
    if (about.path("traits").path("version").asText().isEmpty()) {
      findings.add(
          new Finding(
              Code.SITE_VERSION_UNKNOWN,
              name,
              "the platform does not tell its version",
              "ask its owner which version runs",
              Who.SITE_OWNER));
    }
    return findings;
  }

  @Override
  public Capabilities capabilities() {
    JsonNode t = http.get("/v1/about").path("traits");
    return new Capabilities(
        t.path("name").asText(),
        t.path("version").asText(),
        Reach.valueOf(t.path("instant").asText().toUpperCase(Locale.ROOT)),
        t.path("granularity").asInt(),
        t.path("markersSurviveCrash").asBoolean(),
        t.path("sized").asBoolean(),
        true,
        SIMULATED);
  }

  @Override
  public Inventory inventory() {
    JsonNode all = http.get("/v1/inventory");
    Map<String, JsonNode> volumes = new LinkedHashMap<>();
    all.path("volumes").forEach(v -> volumes.put(v.path("name").asText(), v));
    List<MachineFacts> machines = list(all.path("machines"), m -> machine(m, volumes));
    JsonNode quota = all.path("quota");
    long used = volumes.values().stream().mapToLong(v -> v.path("size").asLong()).sum();
    return new Inventory(
        machines,
        list(
            all.path("networks"),
            n ->
                new Inventory.Network(
                    text(n, "id"),
                    text(n, "name"),
                    text(n, "zone"),
                    text(n, "cidr"),
                    n.path("isolated").asBoolean())),
        list(
            all.path("storages"),
            s ->
                new Inventory.Storage(
                    text(s, "id"),
                    text(s, "name"),
                    text(s, "media"),
                    new BigDecimal(text(s, "pricePerGibMonth")),
                    text(s, "currency"),
                    new Inventory.StorageLimits(
                        s.path("largestGib").asLong(),
                        s.path("operations").asDouble(),
                        s.path("throughputMib").asDouble()))),
        list(
            all.path("sizes"),
            s ->
                new Inventory.Size(
                    text(s, "id"),
                    s.path("cpus").asInt(),
                    s.path("memoryMib").asLong(),
                    new BigDecimal(text(s, "pricePerHour")),
                    text(s, "currency"),
                    new Inventory.SizeLimits(
                        text(s, "family"),
                        text(s, "generation"),
                        s.path("nics").asInt(),
                        s.path("disks").asInt(),
                        s.path("operations").asDouble(),
                        s.path("throughputMib").asDouble(),
                        s.path("networkMib").asDouble(),
                        list(s.path("zones"), JsonNode::asText)))),
        list(all.path("zones"), JsonNode::asText),
        new Inventory.Quota(
            quota.path("machines").asInt(),
            machines.size(),
            quota.path("volumeGib").asLong(),
            used >> 30));
  }

  private static String text(JsonNode node, String field) {
    return node.path(field).asText("");
  }

  private static MachineFacts machine(JsonNode m, Map<String, JsonNode> volumes) {
    Map<String, String> labels = new LinkedHashMap<>();
    m.path("labels").fields().forEachRemaining(e -> labels.put(e.getKey(), e.getValue().asText()));
    return new MachineFacts(
        text(m, "id"),
        text(m, "name"),
        m.path("cpus").asInt(),
        m.path("memoryMib").asLong(),
        text(m, "os"),
        text(m, "firmware"),
        m.path("on").asBoolean(),
        m.path("fenced").asBoolean(),
        list(
            m.path("disks"),
            d -> {
              JsonNode v = volumes.getOrDefault(d.asText(), StandinHttp.JSON.missingNode());
              return new Inventory.Disk(
                  d.asText(), v.path("size").asLong(), text(v, "storageClass"));
            }),
        list(
            m.path("nics"),
            n -> new Inventory.Nic(text(n, "network"), text(n, "address"), text(n, "mac"))),
        list(
            m.path("ingress"),
            i ->
                new Inventory.Ingress(
                    text(i, "protocol"), i.path("port").asInt(), text(i, "from"))),
        labels,
        text(m, "owner"),
        SIMULATED,
        GuestFacts.NONE);
  }

  /** Simulated guests have no agent, no memory of their own and no cards that count. */
  @Override
  public Map<String, Inventory.Usage> usage() {
    Map<String, Inventory.Usage> usage = new LinkedHashMap<>();
    for (MachineFacts m : inventory().machines()) {
      if (m.on()) {
        JsonNode told = http.get("/v1/machines/" + escape(m.platformId()) + "/usage");
        usage.put(
            m.platformId(),
            new Inventory.Usage(
                clock.instant(),
                OptionalDouble.of(told.path("cpuSeconds").asDouble()),
                OptionalLong.empty(),
                OptionalLong.empty(),
                OptionalLong.empty(),
                OptionalLong.of(told.path("bytesWritten").asLong()),
                OptionalLong.of(told.path("writeOperations").asLong()),
                OptionalLong.empty(),
                OptionalLong.empty()));
      }
    }
    return usage;
  }

  @Override
  public Optional<UsageHistory> history() {
    return Optional.of(new StandinHistory(name, http));
  }

  @Override
  public Optional<List<Conversation>> conversations(Instant from, Instant to) {
    // There may be hundreds of thousands: one is held as JSON at a time.
    List<Conversation> all = new ArrayList<>();
    http.each("/v1/connections?from=" + from + "&to=" + to, c -> all.add(conversation(c)));
    return Optional.of(all);
  }

  private Conversation conversation(JsonNode c) {
    try {
      return new Conversation(
          text(c, "client"),
          text(c, "server"),
          text(c, "protocol"),
          c.path("port").asInt(),
          text(c, "process"),
          c.path("count").asLong(),
          c.path("bytes").asLong(),
          Instant.parse(text(c, "firstSeen")),
          Instant.parse(text(c, "lastSeen")));
    } catch (IllegalArgumentException | DateTimeParseException e) {
      throw new SiteException(
          SiteException.Kind.FINAL,
          "garbled",
          name + " told a connection that can't be: " + e.getMessage(),
          e);
    }
  }

  @Override
  public Source source() {
    return this;
  }

  @Override
  public Target target() {
    return this;
  }

  @Override
  public Compute compute() {
    return this;
  }

  // ---- exports

  private ExportRef export(
      String export, String volume, String snapshot, String since, boolean write) {
    JsonNode given =
        http.send(
            "POST",
            "/v1/exports",
            Map.of(
                "name",
                export,
                "volume",
                volume,
                "snapshot",
                snapshot,
                "since",
                since,
                "write",
                write));
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
    return export(export, disk, snapshot, since.orElse(""), false);
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
  public void createVolume(String volume, String owner, long bytes, String storage) {
    http.send(
        "POST",
        "/v1/volumes",
        Map.of("name", volume, "owner", owner, "sizeBytes", bytes, "storageClass", storage));
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
    return export(export, volume, "", "", write);
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
    try {
      return Optional.of(http.bytes("/v1/points/" + escape(point) + "/files/" + escape(file)));
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

  // ---- compute

  @Override
  public String define(Spec s) {
    Map<String, Object> body = new LinkedHashMap<>();
    body.put("name", s.name());
    body.put("owner", s.owner());
    body.put("size", s.size());
    body.put("cpus", s.cpus());
    body.put("memoryMib", s.memoryMib());
    body.put("os", s.os());
    body.put("firmware", s.firmware());
    body.put("zone", s.zone());
    body.put("disks", s.disks());
    body.put(
        "nics",
        s.nics().stream()
            .map((PlacedNic n) -> Map.of("network", n.network(), "address", n.address(), "mac", ""))
            .toList());
    body.put("ingress", s.ingress());
    body.put("labels", s.labels());
    return http.send("POST", "/v1/machines", body).path("id").asText();
  }

  @Override
  public MachineFacts machine(String id) {
    Map<String, JsonNode> volumes = new LinkedHashMap<>();
    return machine(http.get("/v1/machines/" + escape(id)), volumes);
  }

  private void act(String id, String verb) {
    http.send("POST", "/v1/machines/" + escape(id) + "/" + verb, Map.of());
  }

  @Override
  public void start(String id) {
    act(id, "start");
  }

  @Override
  public void stop(String id) {
    act(id, "stop");
  }

  @Override
  public void fence(String id) {
    act(id, "fence");
  }

  @Override
  public void unfence(String id) {
    act(id, "unfence");
  }

  @Override
  public void remove(String id) {
    http.delete("/v1/machines/" + escape(id));
  }

  @Override
  public void attach(String id, List<String> disks) {
    http.send("PUT", "/v1/machines/" + escape(id) + "/disks", Map.of("disks", disks));
  }

  @Override
  public String refit(String name, String owner, List<String> disks, List<FileEdit> edits) {
    return http.send("POST", "/v1/refits", Map.of("volumes", disks, "edits", edits))
        .path("told")
        .asText();
  }

  @Override
  public void ownMachine(String id, String owner) {
    http.send("PUT", "/v1/machines/" + escape(id) + "/owner", Map.of("owner", owner));
  }

  @Override
  public WayIn wayIn(String id) {
    JsonNode w = http.get("/v1/machines/" + escape(id) + "/way-in");
    return new WayIn(w.path("host").asText(), w.path("port").asInt());
  }

  @Override
  public String isolate(String network, String like, String owner) {
    return http.send("POST", "/v1/networks", Map.of("name", network, "like", like, "owner", owner))
        .path("id")
        .asText();
  }

  @Override
  public void removeNetwork(String id) {
    http.delete("/v1/networks/" + escape(id));
  }
}
