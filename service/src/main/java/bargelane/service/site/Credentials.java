package bargelane.service.site;

import bargelane.api.CredentialAdd;
import bargelane.api.CredentialEdit;
import bargelane.api.CredentialView;
import bargelane.api.KeyChanged;
import bargelane.core.finding.Action;
import bargelane.core.finding.Remedy;
import bargelane.core.net.Destinations;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.Nodes;
import bargelane.service.platform.ProblemException;
import bargelane.sites.SiteAccess;
import bargelane.sites.SiteCredential;
import bargelane.sites.SiteCredential.Type;
import com.fasterxml.jackson.core.type.TypeReference;
import java.time.Clock;
import java.util.List;
import java.util.Locale;
import org.hibernate.Session;

/** Secrets that let us into sites: named, typed, sealed, used by any number of sites. */
public final class Credentials {

  private static final int MOST_DESTINATIONS = 500;

  /** Of a host's name 253 (RFC 1035, section 2.3.4), and its port. */
  private static final int LONGEST = 260;

  private final Db db;
  private final Vault vault;
  private final Events events;
  private final Clock clock;

  public Credentials(Db db, Vault vault, Events events, Clock clock) {
    this.db = db;
    this.vault = vault;
    this.events = events;
    this.clock = clock;
  }

  static CredentialEntity find(Session s, String ref) {
    return Db.first(
            s, CredentialEntity.class, "from CredentialEntity where id = ?1 or name = ?1", ref)
        .orElseThrow(() -> ProblemException.missing("credential", ref));
  }

  public List<CredentialView> list() {
    return db.tx(
        s ->
            Db.list(s, CredentialEntity.class, "from CredentialEntity order by name").stream()
                .map(c -> view(s, c))
                .toList());
  }

  public CredentialView view(String ref) {
    return db.tx(s -> view(s, find(s, ref)));
  }

  private static CredentialView view(Session s, CredentialEntity c) {
    return new CredentialView(
        c.id,
        c.name,
        c.type,
        c.account,
        destinations(c).entries(),
        sites(s, c).stream().map(t -> t.name).toList(),
        c.changedAt);
  }

  public CredentialView add(CredentialAdd asked, String by) {
    Sites.name("credential", asked.name());
    String type = asked.type() == null ? "password" : asked.type();
    String account = asked.account() == null ? "" : asked.account();
    usable(asked.name(), type, account, asked.secret());
    Destinations destinations = destinations(asked.name(), asked.destinations());
    return db.tx(
        s -> {
          Sites.unused(s, "CredentialEntity", "credential", asked.name());
          CredentialEntity c = store(s, asked.name(), type, account, asked.secret(), destinations);
          events.tell(s, "site", "", "", by + " stored the credential " + c.name, null);
          return view(s, c);
        });
  }

  /** Stores the token of one site, which goes there alone and goes with it. */
  CredentialEntity own(Session s, SiteEntity site, String token) {
    CredentialEntity c = store(s, site.name, "token", "", token, SiteAccess.only(site.address));
    c.own = true;
    return c;
  }

  /** Seals and stores one, in the caller's transaction. */
  private CredentialEntity store(
      Session s,
      String name,
      String type,
      String account,
      String secret,
      Destinations destinations) {
    CredentialEntity c = new CredentialEntity();
    c.id = Ids.next("cred");
    c.name = name;
    c.type = type;
    c.account = account;
    c.sealed = vault.seal(s, c.id, secret);
    c.changedAt = clock.instant();
    c.destinations = Json.text(destinations.entries());
    s.persist(c);
    return c;
  }

  private static Destinations destinations(CredentialEntity c) {
    return new Destinations(Json.read(c.destinations, new TypeReference<List<String>>() {}));
  }

  private static Destinations destinations(String name, List<String> asked) {
    if (asked == null || asked.isEmpty()) {
      throw ProblemException.invalid(
          "destinations-missing",
          "credential " + name + " has no hosts that it may be sent to",
          "give them with --for, such as 10.20.0.0/16, *.branch.example or app-1:2222");
    }
    if (asked.size() > MOST_DESTINATIONS || asked.stream().anyMatch(d -> d.length() > LONGEST)) {
      throw ProblemException.invalid(
          "destinations-too-many",
          "credential "
              + name
              + " has over "
              + MOST_DESTINATIONS
              + " destinations, or one of over "
              + LONGEST
              + " characters",
          "give ranges such as 10.20.0.0/16, or *.ZONE");
    }
    try {
      return new Destinations(asked);
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid(
          "destination-malformed",
          "credential " + name + ": " + e.getMessage(),
          "give a host, *.ZONE or a range, with :PORT or without; of IPv6 in brackets before a port");
    }
  }

  /** Refuses what would be sent where its secret was not stored for. */
  private static void mayGo(CredentialEntity c, Destinations destinations, SiteEntity site) {
    if (site.kind.needsToken() && !SiteAccess.mayGo(destinations, site.address)) {
      throw ProblemException.conflict(
          "credential-not-for-address",
          "credential "
              + c.name
              + " may be sent to "
              + destinations
              + ", and "
              + site.name
              + " is at "
              + site.address,
          Remedy.of(
              "store its secret anew, with the site's address among its destinations",
              Action.CREDENTIAL_BIND,
              c.name));
    }
  }

  /** Refuses what can let nobody in. */
  private void usable(String name, String type, String account, String secret) {
    Type of;
    try {
      of = Type.valueOf(type.toUpperCase(Locale.ROOT));
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid(
          "type-unknown",
          "'" + type + "' is not a type of credential",
          "give token, password or key");
    }
    if (secret == null || secret.isBlank()) {
      throw ProblemException.invalid(
          "secret-missing", "credential " + name + " has no secret", "give it with --secret-file");
    }
    if ((of == Type.TOKEN) != account.isEmpty() || !account.matches("[A-Za-z0-9._@\\\\-]{0,64}")) {
      throw ProblemException.invalid(
          "account-malformed",
          of == Type.TOKEN
              ? "a token has no account"
              : "'" + account + "' is not the name of an account",
          "give --account for a password or a key, and none for a token");
    }
    try {
      bargelane.sites.Drivers.open(
          new SiteAccess(
              SiteKind.SERVERS,
              name,
              "",
              List.of(new SiteCredential(name, of, account, secret, Destinations.NONE)),
              List.of()),
          clock);
    } catch (IllegalArgumentException e) {
      throw ProblemException.invalid(
          "secret-malformed",
          "credential " + name + ": " + e.getMessage(),
          "give a private key without a passphrase, as ssh-keygen writes it");
    }
  }

  /**
   * Replaces the secret in place: every site that uses it goes by the new one from now on. Where it
   * may be sent changes with the secret alone, so that who doesn't know it can't have it sent to
   * himself.
   */
  public CredentialView edit(String ref, CredentialEdit edit, String by) {
    return db.tx(
        s -> {
          CredentialEntity c = find(s, ref);
          usable(c.name, c.type, c.account, edit.secret());
          if (edit.destinations() != null) {
            Destinations wanted = destinations(c.name, edit.destinations());
            for (SiteEntity site : sites(s, c)) {
              mayGo(c, wanted, site);
            }
            c.destinations = Json.text(wanted.entries());
          }
          c.sealed = vault.seal(s, c.id, edit.secret());
          c.changedAt = clock.instant();
          events.tell(s, "site", "", "", by + " replaced the secret of " + c.name, null);
          return view(s, c);
        });
  }

  public void remove(String ref, String by) {
    db.run(
        s -> {
          CredentialEntity c = find(s, ref);
          List<String> sites = view(s, c).sites();
          if (!sites.isEmpty()) {
            throw ProblemException.conflict(
                "credential-in-use",
                "credential " + c.name + " is used by " + String.join(", ", sites),
                Remedy.of("give these sites others first", Action.SITE_CREDENTIALS, sites.get(0)));
          }
          s.remove(c);
          events.tell(s, "site", "", "", by + " removed the credential " + c.name, null);
        });
  }

  /**
   * Seals every secret under a new master key while the service runs.
   *
   * @throws ProblemException while another node runs: its key would be the former one
   */
  public KeyChanged changeKey(String by) {
    int secrets = vault.change(db, Credentials::alone);
    db.run(s -> events.tell(s, "site", "", "", by + " changed the master key", null));
    return new KeyChanged(secrets);
  }

  private static void alone(Session s) {
    long nodes = s.doReturningWork(Nodes::live);
    if (nodes > 1) {
      throw ProblemException.conflict(
          "nodes-running",
          nodes + " nodes run on this database, and the others would not know the new key",
          "stop all but one, change the key there, copy its master-key file to the others' homes, and start them");
    }
  }

  /** Those of a site, opened, in its order. */
  List<SiteCredential> of(Session s, String siteId) {
    return entities(s, siteId).stream()
        .map(
            c ->
                new SiteCredential(
                    c.name,
                    Type.valueOf(c.type.toUpperCase(Locale.ROOT)),
                    c.account,
                    vault.open(c.id, c.sealed),
                    destinations(c)))
        .toList();
  }

  private static List<SiteEntity> sites(Session s, CredentialEntity c) {
    return Db.list(
        s,
        SiteEntity.class,
        "select t from SiteEntity t join SiteCredentialEntity x on x.siteId = t.id"
            + " where x.credentialId = ?1 order by t.name",
        c.id);
  }

  /** The names of those that a site tries, in their order. */
  public static List<String> names(Session s, String siteId) {
    return entities(s, siteId).stream().map(c -> c.name).toList();
  }

  static List<CredentialEntity> entities(Session s, String siteId) {
    return Db.list(
        s,
        CredentialEntity.class,
        "select c from CredentialEntity c join SiteCredentialEntity x on x.credentialId = c.id"
            + " where x.siteId = ?1 order by x.position",
        siteId);
  }

  /** Has a site try these, in this order, and no others. */
  static void give(Session s, SiteEntity site, List<String> names) {
    List<CredentialEntity> wanted = names.stream().map(n -> find(s, n)).distinct().toList();
    for (CredentialEntity c : wanted) {
      boolean token = c.type.equals("token");
      if (token != site.kind.needsToken()) {
        throw ProblemException.invalid(
            "credential-unfit",
            "credential "
                + c.name
                + " is a "
                + c.type
                + ", which sites of kind "
                + site.kind
                + " don't take",
            "see docs/sites.md for what they take");
      }
      mayGo(c, destinations(c), site);
    }
    takeAll(s, site, wanted);
    int position = 0;
    for (CredentialEntity c : wanted) {
      SiteCredentialEntity x = new SiteCredentialEntity();
      x.siteId = site.id;
      x.position = position++;
      x.credentialId = c.id;
      s.persist(x);
    }
  }

  /** Takes a site's credentials from it; those that were its own are removed. */
  static void takeAll(Session s, SiteEntity site, List<CredentialEntity> keep) {
    List<CredentialEntity> former = entities(s, site.id);
    Db.change(s, "delete from SiteCredentialEntity where siteId = ?1", site.id);
    for (CredentialEntity c : former) {
      boolean used =
          Db.first(
                  s,
                  Integer.class,
                  "select position from SiteCredentialEntity where credentialId = ?1",
                  c.id)
              .isPresent();
      if (c.own && !used && !keep.contains(c)) {
        s.remove(c);
      }
    }
  }
}
