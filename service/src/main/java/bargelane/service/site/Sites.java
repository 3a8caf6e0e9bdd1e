package bargelane.service.site;

import bargelane.api.FindingView;
import bargelane.api.SiteAdd;
import bargelane.api.SiteCredentials;
import bargelane.api.SiteView;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.finding.Remedy;
import bargelane.core.site.Capabilities;
import bargelane.core.site.Inventory;
import bargelane.core.site.SiteKind;
import bargelane.core.word.Worded;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.platform.Remedies;
import bargelane.service.run.Runs;
import bargelane.sites.Drivers;
import bargelane.sites.SiteAccess;
import bargelane.sites.SiteDriver;
import bargelane.sites.SiteException;
import bargelane.text.Counts;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Objects;
import java.util.Optional;
import java.util.Set;
import java.util.concurrent.ConcurrentHashMap;
import org.hibernate.LockMode;
import org.hibernate.Session;

/** Sites: how they are reached, what their checks found, and what their platforms can do. */
public final class Sites {

  private final Db db;
  private final Credentials credentials;
  private final Events events;
  private final Clock clock;
  private static final TypeReference<List<Finding>> FINDINGS = new TypeReference<>() {};
  private static final long KEPT_NS = 1_000_000_000L;

  private record Opened(SiteDriver driver, long at) {}

  private final Map<String, Opened> opened = new ConcurrentHashMap<>();
  private final List<SiteTenant> tenants = new ArrayList<>();
  private final SiteTurns turns = new SiteTurns(System::nanoTime, SiteTurns.LINE);

  public Sites(Db db, Credentials credentials, Events events, Clock clock) {
    this.db = db;
    this.credentials = credentials;
    this.events = events;
    this.clock = clock;
  }

  /** Has a room asked about what it keeps of sites; in the order of their being added. */
  public void add(SiteTenant tenant) {
    tenants.add(tenant);
  }

  /** A site by id or name. */
  public static SiteEntity find(Session session, String ref) {
    return Db.first(session, SiteEntity.class, "from SiteEntity where id = ?1 or name = ?1", ref)
        .orElseThrow(() -> ProblemException.missing("site", ref));
  }

  /**
   * The driver of a site. Of one with disks, which a pass asks for again and again, it is the same
   * for a second: so long a credential that was changed may still be used.
   */
  public SiteDriver driver(String siteId) {
    Opened known = opened.get(siteId);
    return known != null && System.nanoTime() - known.at < KEPT_NS ? known.driver : open(siteId);
  }

  private SiteDriver open(String siteId) {
    return db.tx(
        s -> {
          SiteEntity site = s.find(SiteEntity.class, siteId);
          SiteAccess access =
              new SiteAccess(
                  site.kind, site.name, site.address, credentials.of(s, siteId), List.of());
          for (SiteTenant tenant : tenants) {
            access = tenant.reached(s, site, access);
          }
          SiteDriver driver = turns.of(site.id, site.name, Drivers.open(access, clock));
          if (site.kind == SiteKind.STANDIN || site.kind == SiteKind.LIBVIRT) {
            opened.put(siteId, new Opened(driver, System.nanoTime()));
          }
          return driver;
        });
  }

  /** What a site's platform can do, as of the last check or scan. */
  public static Capabilities capabilities(SiteEntity site) {
    if (site.capabilities == null) {
      throw ProblemException.conflict(
          "site-not-scanned",
          "site " + site.name + " was not scanned yet",
          Action.SITE_SCAN.of(site.name));
    }
    return Json.read(site.capabilities, Capabilities.class);
  }

  /** The kind of a site. */
  public SiteKind kind(String siteId) {
    return db.tx(s -> s.find(SiteEntity.class, siteId).kind);
  }

  private static SiteKind kind(SiteAdd asked) {
    if (asked.kind() == null) {
      return SiteKind.STANDIN;
    }
    try {
      return Worded.of(SiteKind.class, asked.kind());
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid(
          "site-malformed",
          "site " + asked.name() + ": there is no kind of site '" + asked.kind() + "'",
          "give --kind as one of " + List.of(SiteKind.values()));
    }
  }

  public SiteView add(SiteAdd asked) {
    name("site", asked.name());
    SiteKind kind = kind(asked);
    String token = asked.token() == null ? "" : asked.token();
    List<String> named = asked.credentials() == null ? List.of() : asked.credentials();
    if (kind.needsToken() && token.isBlank() && named.isEmpty()) {
      throw ProblemException.invalid(
          "token-missing",
          "site " + asked.name() + " needs a token",
          "give it with --token-file FILE, or a stored one with --credential NAME");
    }
    String address = asked.address() == null ? "" : asked.address().strip();
    try {
      Drivers.open(SiteAccess.of(kind, asked.name(), address, token), clock);
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid(
          "site-malformed",
          "site " + asked.name() + ": " + e.getMessage(),
          "give --kind and --address as the site's page in docs/sites.md says");
    }
    String id =
        db.tx(
            s -> {
              unused(s, "SiteEntity", "site", asked.name());
              SiteEntity site = new SiteEntity();
              site.id = Ids.next("site");
              site.name = asked.name();
              site.kind = kind;
              site.address = address;
              site.createdAt = clock.instant();
              site.findings = "[]";
              s.persist(site);
              s.flush();
              if (!token.isBlank()) {
                unused(s, "CredentialEntity", "credential", asked.name());
                String own = credentials.own(s, site, token).name;
                s.flush();
                Credentials.give(s, site, List.of(own));
              } else {
                Credentials.give(s, site, named);
              }
              events.tell(s, "site", site.id, null, "site " + site.name + " added", null);
              return site.id;
            });
    return view(id);
  }

  /**
   * A site as somebody else told it.
   *
   * @param at of when that is
   */
  public record Told(
      String name,
      SiteKind kind,
      String address,
      Optional<Capabilities> capabilities,
      Inventory inventory,
      Instant at) {}

  /**
   * A site that is known by its name, or one as it was told, without a credential; in the caller's
   * transaction. What no scan has read yet is taken from what was told.
   */
  public static SiteEntity known(Session s, Told told, Instant now) {
    SiteEntity site =
        Db.first(s, SiteEntity.class, "from SiteEntity where name = ?1", told.name)
            .orElseGet(
                () -> {
                  name("site", told.name);
                  SiteEntity fresh = new SiteEntity();
                  fresh.id = Ids.next("site");
                  fresh.name = told.name;
                  fresh.kind = told.kind;
                  fresh.address = told.address;
                  fresh.createdAt = now;
                  fresh.findings = "[]";
                  s.persist(fresh);
                  s.flush();
                  return fresh;
                });
    if (site.capabilities == null) {
      site.capabilities = told.capabilities.map(Json::text).orElse(null);
    }
    if (site.quota == null) {
      new Inventories(s).store(site, told.inventory);
      site.scannedAt = told.at;
    }
    s.flush();
    return site;
  }

  /** A name, or the first of those with a number that is free. */
  public static String free(Session s, String entity, String kind, String wanted) {
    name(kind, wanted);
    Db.lock(s, kind + " " + wanted);
    Set<String> taken = Set.copyOf(Db.list(s, String.class, "select name from " + entity));
    String free = wanted;
    for (int i = 2; taken.contains(free); i++) {
      free = wanted + "-" + i;
    }
    return free;
  }

  /** Refuses a name that can't be typed easily. */
  public static void name(String kind, String name) {
    if (name == null || !name.matches("[a-z0-9][a-z0-9-]{0,39}")) {
      throw ProblemException.invalid(
          "name-malformed",
          "'" + name + "' can't be the name of a " + kind,
          "use up to 40 lower-case letters, digits and dashes");
    }
  }

  /** Refuses a name that is taken. */
  public static void unused(Session s, String entity, String kind, String name) {
    Db.lock(s, kind + " " + name);
    if (!Db.list(s, Object.class, "from " + entity + " where name = ?1", name).isEmpty()) {
      throw ProblemException.conflict(
          kind + "-exists",
          "there is a " + kind + " '" + name + "' already",
          "choose another name");
    }
  }

  /** Has a site try these credentials, in this order, and no others. */
  public SiteView credentials(String ref, SiteCredentials wanted, String by) {
    return db.tx(
        s -> {
          SiteEntity site = find(s, ref);
          List<String> names = wanted.credentials() == null ? List.of() : wanted.credentials();
          if (names.isEmpty() && site.kind.needsToken()) {
            throw ProblemException.invalid(
                "token-missing", "site " + site.name + " needs a token", "name a credential");
          }
          Credentials.give(s, site, names);
          opened.remove(site.id);
          events.tell(
              s, "site", site.id, null, by + " gave " + site.name + " its credentials", null);
          s.flush();
          return view(s, site);
        });
  }

  public void remove(String ref) {
    db.run(
        s -> {
          SiteEntity site = find(s, ref);
          if (Runs.busy(s, site.id)) {
            throw ProblemException.conflict(
                "site-busy",
                "site " + site.name + " is being scanned",
                Remedy.of("remove it when that has ended", Action.RUN_LIST));
          }
          tenants.forEach(tenant -> tenant.mayGo(s, site));
          Runs.forget(s, site.id);
          tenants.forEach(tenant -> tenant.goes(s, site));
          Credentials.takeAll(s, site, List.of());
          s.flush();
          s.remove(site);
          opened.remove(site.id);
        });
  }

  /** Tests a site now and stores what it found. */
  public SiteView check(String ref) {
    String id = db.tx(s -> find(s, ref).id);
    examine(id, open(id), true);
    return view(id);
  }

  /**
   * Tests a site now and stores what it found.
   *
   * @param driver that the test is made with
   * @return what it found
   */
  public List<Finding> examine(String id, SiteDriver driver) {
    return examine(id, driver, false);
  }

  private List<Finding> examine(String id, SiteDriver driver, boolean asked) {
    List<Finding> findings = driver.check();
    Capabilities capabilities =
        findings.stream()
                .noneMatch(
                    f ->
                        f.code() == Finding.Code.SITE_UNREACHABLE
                            || f.code() == Finding.Code.SITE_TOKEN_REFUSED)
            ? capabilitiesOrNull(driver)
            : null;
    Optional<String> settled = capabilities == null ? Optional.empty() : settled(driver);
    db.run(
        s -> {
          SiteEntity site = s.find(SiteEntity.class, id, LockMode.PESSIMISTIC_WRITE);
          settled.ifPresent(site::settle);
          boolean other = !Json.read(site.findings, FINDINGS).equals(findings);
          site.findings = Json.text(findings);
          site.checkedAt = clock.instant();
          if (capabilities != null) {
            site.capabilities = Json.text(capabilities);
          }
          if (other || asked) {
            events.tell(
                s,
                "site",
                id,
                null,
                "site "
                    + site.name
                    + " checked: "
                    + (findings.isEmpty() ? "ready" : Counts.of(findings.size(), "finding")),
                null);
          }
        });
    return findings;
  }

  /** A site that was read does not stay unreachable until somebody tests it. */
  public static void answered(SiteEntity site) {
    List<Finding> found = Json.read(site.findings, FINDINGS);
    List<Finding> left =
        found.stream()
            .filter(
                f ->
                    f.code() != Finding.Code.SITE_UNREACHABLE
                        && f.code() != Finding.Code.SITE_TOKEN_REFUSED)
            .toList();
    if (left.size() < found.size()) {
      site.findings = Json.text(left);
    }
  }

  /** What the last test of a site found that is of account to all of its lanes. */
  public static List<Finding> found(SiteEntity site) {
    return Json.read(site.findings, FINDINGS).stream()
        .filter(f -> f.blocks() || f.code().text().startsWith("site-"))
        .toList();
  }

  private static Optional<String> settled(SiteDriver driver) {
    try {
      return driver.settledAddress();
    } catch (SiteException e) {
      return Optional.empty();
    }
  }

  private static Capabilities capabilitiesOrNull(SiteDriver driver) {
    try {
      return driver.capabilities();
    } catch (SiteException e) {
      return null;
    }
  }

  public List<SiteView> list() {
    return db.tx(
        s ->
            Db.list(s, SiteEntity.class, "from SiteEntity order by name").stream()
                .map(e -> view(s, e))
                .toList());
  }

  public SiteView view(String ref) {
    return db.tx(s -> view(s, find(s, ref)));
  }

  private SiteView view(Session s, SiteEntity e) {
    List<Finding> findings = Json.read(e.findings, FINDINGS);
    Capabilities c = e.capabilities == null ? null : Json.read(e.capabilities, Capabilities.class);
    String status =
        e.checkedAt == null
            ? "new"
            : findings.stream().anyMatch(Finding::blocks) ? "finding" : "ready";
    return new SiteView(
        e.id,
        e.name,
        e.kind.word(),
        e.address,
        Credentials.entities(s, e.id).stream().map(x -> x.name).toList(),
        tenants.stream()
            .map(x -> x.servers(s, e))
            .filter(Objects::nonNull)
            .findFirst()
            .orElse(null),
        status,
        e.checkedAt,
        e.scannedAt,
        e.schedule,
        Cron.next(e.schedule, clock.instant()).orElse(null),
        tenants.stream().mapToInt(x -> x.machines(s, e)).sum(),
        c == null ? null : c.platform(),
        c == null ? null : c.version(),
        c == null ? null : c.instant().name().toLowerCase(Locale.ROOT),
        c == null ? null : c.granularityBytes(),
        c == null ? null : c.markersSurviveCrash(),
        views(findings));
  }

  /** Findings as they are told. */
  public static List<FindingView> views(List<Finding> findings) {
    return findings.stream()
        .map(
            f ->
                new FindingView(
                    f.code().text(),
                    f.blocks(),
                    f.thing(),
                    f.cause(),
                    Remedies.view(f.remedy()),
                    f.who().name().toLowerCase(Locale.ROOT).replace('_', ' ')))
        .toList();
  }
}
