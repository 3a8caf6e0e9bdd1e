package bargelane.sites.standin;

import static bargelane.sites.standin.StandinHttp.escape;

import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Finding.Code;
import bargelane.core.finding.Finding.Who;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Capabilities.Reach;
import bargelane.core.site.Conversation;
import bargelane.core.site.Inventory;
import bargelane.core.site.Inventory.GuestFacts;
import bargelane.core.site.Inventory.MachineFacts;
import bargelane.core.site.NameRule;
import bargelane.sites.Compute;
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
import java.util.Collection;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalDouble;
import java.util.OptionalLong;
import java.util.TreeMap;
import java.util.UUID;
import java.util.stream.StreamSupport;

/**
 * The simulated platforms' driver: estate and cloud speak one interface and declare what they can
 * do.
 */
public final class StandinDriver implements SiteDriver {

  /** What shows each permission that is needed, in their order: removing what is not there. */
  private static final Map<String, String> TRIED =
      new TreeMap<>(
          Map.of(
              "snapshot", "/v1/markers/",
              "volumes", "/v1/volumes/",
              "machines", "/v1/machines/",
              "exports", "/v1/exports/"));

  private static final Inventory.DeviceFamily SIMULATED =
      new Inventory.DeviceFamily("simulated", "simulated");
  private static final Duration CLOCK_BOUND = Duration.ofSeconds(2);

  /** How long a check waits for an answer: somebody waits for the check. */
  private static final Duration LOOK = Duration.ofSeconds(10);

  private final String name;
  private final URI address;
  private final StandinHttp http;
  private final Clock clock;

  /** Whether it has a token at all. */
  private final boolean named;

  private final StandinDisks disks;
  private final Compute compute;

  public StandinDriver(String name, URI address, String token, Clock clock) {
    this.name = name;
    this.address = address;
    this.http = new StandinHttp(name, address, token);
    this.clock = clock;
    this.named = !token.isEmpty();
    this.disks = new StandinDisks(http, clock);
    this.compute = new StandinCompute(http);
  }

  static <T> List<T> list(JsonNode array, java.util.function.Function<JsonNode, T> each) {
    return StreamSupport.stream(array.spliterator(), false).map(each).toList();
  }

  // ---- the site

  @Override
  public List<Finding> check() {
    List<Finding> findings = new ArrayList<>();
    JsonNode about;
    try {
      Instant before = clock.instant();
      about = http.get("/v1/about", LOOK);
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
      String nothing = "bargelane-check-" + UUID.randomUUID();
      TRIED.forEach(
          (permission, path) -> {
            if (!may(path + nothing)) {
              findings.add(
                  new Finding(
                      Code.SITE_PERMISSION_MISSING,
                      name,
                      "the token lacks the permission '" + permission + "'",
                      "grant '" + permission + "' to the token",
                      Who.SITE_OWNER));
            }
          });
    } catch (SiteException e) {
      findings.add(
          e.code().equals("token-unknown")
              ? new Finding(
                  Code.SITE_TOKEN_REFUSED,
                  name,
                  named ? "it does not know the token" : "it needs a token, and none is given",
                  named
                      ? Remedy.of("store the right one", Action.CREDENTIAL_EDIT, name)
                      : Remedy.of("store one, and give it", Action.SITE_CREDENTIALS, name),
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

  /**
   * Whether the token may remove something, which is not there. What a platform tells of its own
   * permissions is not asked: what it does counts.
   */
  private boolean may(String path) {
    try {
      http.delete(path);
    } catch (SiteException e) {
      if (e.kind() == SiteException.Kind.MAY_PASS) {
        throw e;
      }
      return !e.code().equals("not-permitted");
    }
    return true;
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
    Instant seenAt = clock.instant();
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
                    n.path("isolated").asBoolean(),
                    list(n.path("reserved"), JsonNode::asText))),
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
            used >> 30,
            shares(machines, volumes.values()),
            true),
        new Inventory.Offers(
            new NameRule(
                all.path("names").path("longest").asInt(),
                all.path("names").path("plain").asBoolean(),
                ""),
            list(
                all.path("licences"), l -> new Inventory.Licence(text(l, "id"), text(l, "system"))),
            all.path("bootProtection").asBoolean(),
            all.path("filters").asBoolean(),
            list(all.path("projects"), JsonNode::asText),
            list(all.path("identities"), JsonNode::asText),
            list(all.path("keys"), JsonNode::asText)),
        list(all.path("carried"), v -> disks.carried(v, seenAt)));
  }

  /** What has an owner's tag, by the tag. */
  private static List<Inventory.Share> shares(
      List<MachineFacts> machines, Collection<JsonNode> volumes) {
    Map<String, Inventory.Share> shares = new TreeMap<>();
    machines.forEach(m -> share(shares, m.owner(), 1, 0));
    volumes.forEach(v -> share(shares, text(v, "owner"), 0, v.path("size").asLong()));
    return List.copyOf(shares.values());
  }

  private static void share(
      Map<String, Inventory.Share> shares, String owner, int machines, long bytes) {
    if (!owner.isEmpty()) {
      shares.merge(
          owner,
          new Inventory.Share(owner, machines, bytes),
          (a, b) ->
              new Inventory.Share(
                  owner, a.machines() + b.machines(), a.volumeBytes() + b.volumeBytes()));
    }
  }

  static String text(JsonNode node, String field) {
    return node.path(field).asText("");
  }

  static MachineFacts machine(JsonNode m, Map<String, JsonNode> volumes) {
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
    return disks;
  }

  @Override
  public Target target() {
    return disks;
  }

  @Override
  public Compute compute() {
    return compute;
  }
}
