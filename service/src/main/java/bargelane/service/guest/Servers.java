package bargelane.service.guest;

import bargelane.api.ImportResult;
import bargelane.api.Page;
import bargelane.api.ServerKeys;
import bargelane.api.ServerView;
import bargelane.api.ServersAdd;
import bargelane.api.ServersTrusted;
import bargelane.core.finding.Action;
import bargelane.core.finding.Finding;
import bargelane.core.site.SiteKind;
import bargelane.service.event.Events;
import bargelane.service.machine.MachineBook;
import bargelane.service.machine.Machines;
import bargelane.service.machine.Sightings;
import bargelane.service.platform.CsvTable;
import bargelane.service.platform.Db;
import bargelane.service.platform.Ids;
import bargelane.service.platform.Json;
import bargelane.service.platform.ProblemException;
import bargelane.service.site.SiteEntity;
import bargelane.service.site.Sites;
import bargelane.sites.ServerAccess;
import java.time.Clock;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import org.hibernate.Session;

/** The servers of sites that are lists of them. */
public final class Servers {

  private static final int SSH = 22;
  private static final Pattern ADDRESS =
      Pattern.compile(
          "(?:\\[([0-9A-Fa-f:.%]+)]|([A-Za-z0-9](?:[A-Za-z0-9.-]{0,252})))(?::([0-9]{1,5}))?");
  private static final Pattern BARE_V6 =
      Pattern.compile("[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*:[0-9A-Fa-f:.]*");
  private static final Pattern FINGERPRINT =
      Pattern.compile("SHA256:[A-Za-z0-9+/]{43}( +SHA256:[A-Za-z0-9+/]{43})*");

  private record Wanted(String host, int port) {}

  private final Db db;
  private final Events events;
  private final Clock clock;

  public Servers(Db db, Events events, Clock clock) {
    this.db = db;
    this.events = events;
    this.clock = clock;
  }

  /** An address with or without a port. */
  private static Optional<Wanted> address(String text) {
    if (BARE_V6.matcher(text).matches()) {
      return Optional.of(new Wanted(text, SSH));
    }
    Matcher m = ADDRESS.matcher(text);
    if (!m.matches()) {
      return Optional.empty();
    }
    int port = m.group(3) == null ? SSH : Integer.parseInt(m.group(3));
    return port < 1 || port > 65535
        ? Optional.empty()
        : Optional.of(new Wanted(m.group(1) == null ? m.group(2) : m.group(1), port));
  }

  private static SiteEntity listed(Session s, String site) {
    SiteEntity found = Sites.find(s, site);
    if (found.kind != SiteKind.SERVERS) {
      throw ProblemException.conflict(
          "site-has-no-servers",
          "site " + found.name + " is of kind " + found.kind + " and no list of servers",
          Action.SITE_ADD.of(SiteKind.SERVERS.word()));
    }
    return found;
  }

  /** Those of a site, for its driver. */
  static List<ServerAccess> of(Session s, String siteId) {
    return Db.list(s, ServerEntity.class, "from ServerEntity where siteId = ?1 order by id", siteId)
        .stream()
        .map(e -> new ServerAccess(e.id, e.address, e.port, e.hostKey, e.credential))
        .toList();
  }

  /**
   * Adds servers; those that are there already stay as they are, but for a host key that is told.
   */
  public ImportResult add(String site, ServersAdd asked, String by) {
    Map<Wanted, String> wanted = new LinkedHashMap<>();
    CsvTable table;
    if (asked.csv() != null && !asked.csv().isEmpty()) {
      table = CsvTable.read(asked.csv(), List.of("address"), List.of("host_key"));
      for (CsvTable.Row row : table.rows()) {
        String address =
            row.must("address", x -> address(x).isPresent(), "is not an address of a server");
        Optional<String> key =
            row.maybe(
                "host_key",
                x -> FINGERPRINT.matcher(x).matches() ? Optional.of(x) : Optional.empty(),
                "is not a fingerprint, as SHA256:…");
        address(address)
            .ifPresent(
                w -> {
                  if (wanted.putIfAbsent(w, key.orElse("")) != null) {
                    row.wrong("address", "'" + address + "' is there twice");
                  }
                });
      }
    } else {
      table = CsvTable.read("address\n", List.of("address"), List.of());
      for (String text : asked.addresses() == null ? List.<String>of() : asked.addresses()) {
        wanted.put(
            address(text.strip())
                .orElseThrow(
                    () ->
                        ProblemException.invalid(
                            "address-malformed",
                            "'" + text + "' is not an address of a server",
                            "give a name or an address, with :PORT if it is not 22")),
            "");
      }
      if (wanted.isEmpty()) {
        throw ProblemException.invalid(
            "servers-missing", "no server is given", "give addresses, or a CSV file");
      }
    }
    return db.tx(
        s -> {
          SiteEntity entity = listed(s, site);
          Map<Wanted, ServerEntity> known = new HashMap<>();
          Db.list(s, ServerEntity.class, "from ServerEntity where siteId = ?1", entity.id)
              .forEach(e -> known.put(new Wanted(e.address, e.port), e));
          boolean store = table.sound() && !asked.dryRun();
          int added = 0;
          int changed = 0;
          for (Map.Entry<Wanted, String> e : wanted.entrySet()) {
            ServerEntity server = known.get(e.getKey());
            if (server == null) {
              added++;
              if (store) {
                server = new ServerEntity();
                server.id = Ids.next("srv");
                server.siteId = entity.id;
                server.address = e.getKey().host();
                server.port = e.getKey().port();
                server.hostKey = e.getValue();
                server.addedAt = clock.instant();
                s.persist(server);
              }
            } else if (!e.getValue().isEmpty() && !server.hostKey.equals(e.getValue())) {
              changed++;
              if (store) {
                server.hostKey = e.getValue();
              }
            }
          }
          if (store && added + changed > 0) {
            events.tell(
                s,
                "site",
                entity.id,
                null,
                by + " added " + added + " servers to " + entity.name,
                null);
          }
          return new ImportResult(
              wanted.size(),
              added,
              changed,
              0,
              store,
              table.result(0, 0, false).problems(),
              table.result(0, 0, false).problemCount());
        });
  }

  /** One page of a site's servers: those with a problem first. */
  public Page<ServerView> list(String site, int page, int size) {
    Machines.checkPage(page, size);
    return db.tx(
        s -> {
          SiteEntity entity = listed(s, site);
          long total =
              Db.first(
                      s,
                      Long.class,
                      "select count(*) from ServerEntity where siteId = ?1",
                      entity.id)
                  .orElse(0L);
          List<ServerView> views =
              Db.query(
                      s,
                      Object[].class,
                      "select v, m.id, m.name from ServerEntity v"
                          + " left join SightingEntity g on g.siteId = v.siteId and g.sourceKey = v.id"
                          + " left join MachineEntity m on m.id = g.machineId"
                          + " where v.siteId = ?1 order by case when v.problem is null then 1 else 0 end, v.address, v.port",
                      entity.id)
                  .setFirstResult(page * size)
                  .setMaxResults(size)
                  .getResultList()
                  .stream()
                  .map(r -> view((ServerEntity) r[0], (String) r[1], (String) r[2]))
                  .toList();
          return new Page<>(views, total, page, size);
        });
  }

  /** One server of a site, without what is told of its machine. */
  public ServerView view(String site, String server) {
    return db.tx(s -> view(find(s, listed(s, site), server), null, null));
  }

  /** Host keys that are approved, by server. */
  public List<ServerKeys.ServerKey> keys(String site) {
    return db.tx(
        s ->
            Db.list(
                    s,
                    ServerEntity.class,
                    "from ServerEntity where siteId = ?1 and hostKey <> '' order by address, port",
                    listed(s, site).id)
                .stream()
                .map(
                    e ->
                        new ServerKeys.ServerKey(
                            new ServerAccess(e.id, e.address, e.port, "", "").address(), e.hostKey))
                .toList());
  }

  private static ServerView view(ServerEntity e, String machineId, String machine) {
    return new ServerView(
        e.id,
        new ServerAccess(e.id, e.address, e.port, "", "").address(),
        e.hostKey,
        e.shownKey,
        e.credential,
        machineId == null ? "" : machineId,
        machine == null ? "" : machine,
        e.addedAt,
        e.readAt,
        e.problem == null
            ? null
            : Sites.views(List.of(Json.read(e.problem, Finding.class))).get(0));
  }

  private static ServerEntity find(Session s, SiteEntity site, String ref) {
    Optional<Wanted> address = address(ref);
    return Db.first(
            s,
            ServerEntity.class,
            "from ServerEntity where siteId = ?1 and (id = ?2 or (address = ?3 and port = ?4))",
            site.id,
            ref,
            address.map(Wanted::host).orElse(""),
            address.map(Wanted::port).orElse(0))
        .orElseThrow(() -> ProblemException.missing("server of " + site.name, ref));
  }

  private static String fingerprint(String hostKey) {
    String wanted = hostKey == null ? "" : hostKey.strip();
    if (!FINGERPRINT.matcher(wanted).matches()) {
      throw ProblemException.invalid(
          "host-key-malformed",
          "'" + wanted + "' is not a fingerprint of a host key",
          "give it as ssh-keygen -l shows it on that server: SHA256:…");
    }
    return wanted;
  }

  /** Says which host keys a server may have. */
  public ServerView trust(String site, String server, String hostKey, String by) {
    String wanted = fingerprint(hostKey);
    return db.tx(
        s -> {
          SiteEntity entity = listed(s, site);
          ServerEntity found = find(s, entity, server);
          approve(found, wanted);
          events.tell(
              s,
              "site",
              entity.id,
              null,
              by + " trusts the host key " + wanted + " of " + found.address + " of " + entity.name,
              null);
          return view(found, null, null);
        });
  }

  /** Its host key is right: it is talked to, and all credentials are tried again. */
  private static void approve(ServerEntity server, String hostKey) {
    server.hostKey = hostKey;
    server.credential = "";
    server.problem = null;
  }

  /**
   * Approves the host keys of many servers: each with the fingerprint that whoever approves has
   * seen, or as a file has them. All of the list or, if one is wrong, none; servers that a file
   * does not have stay as they are.
   */
  public ServersTrusted trust(String site, ServerKeys asked, String by) {
    return db.tx(
        s -> {
          SiteEntity entity = listed(s, site);
          int approved = 0;
          for (ServerKeys.ServerKey one : Optional.ofNullable(asked.keys()).orElse(List.of())) {
            String wanted = fingerprint(one.hostKey());
            ServerEntity server = find(s, entity, String.valueOf(one.address()));
            approved += server.hostKey.equals(wanted) ? 0 : 1;
            approve(server, wanted);
          }
          List<ServerEntity> all =
              Db.list(s, ServerEntity.class, "from ServerEntity where siteId = ?1", entity.id);
          if (asked.knownHosts() != null) {
            KnownHosts file = new KnownHosts(asked.knownHosts());
            for (ServerEntity server : all) {
              String keys = String.join(" ", file.of(server.address, server.port));
              if (!keys.isEmpty() && !keys.equals(server.hostKey)) {
                approve(server, keys);
                approved++;
              }
            }
          }
          if (approved > 0) {
            events.tell(
                s,
                "site",
                entity.id,
                null,
                by + " approved the host keys of " + approved + " servers of " + entity.name,
                null);
          }
          return new ServersTrusted(
              approved, (int) all.stream().filter(v -> v.hostKey.isEmpty()).count());
        });
  }

  /** Takes a server from the list; a machine that nobody else tells of vanishes. */
  public void remove(String site, String server, String by) {
    db.run(
        s -> {
          SiteEntity entity = listed(s, site);
          ServerEntity found = find(s, entity, server);
          MachineBook book = new MachineBook(s, entity, clock.instant());
          Sightings.forget(s, book, entity, found.id);
          book.close();
          s.remove(found);
          events.tell(
              s,
              "site",
              entity.id,
              null,
              by + " took " + found.address + " from " + entity.name,
              null);
        });
  }
}
